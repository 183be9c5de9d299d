"""The overlays that ship: each draws one thing over the model and says in its legend what is seen.

Registered as a plug-in's are, through the entry point group `rod_tally.overlays`.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache, cached_property
from importlib.metadata import entry_points

import numpy as np
from shapely import constrained_delaunay_triangles
from shapely.geometry import Polygon

from ..analysis.results import COMPONENTS
from ..analysis.shape import member_shapes
from ..compare.match import source_lines
from ..model import Model, Surface
from ..model.geometry import Array, local_axes
from ..review import Review
from .canvas import Canvas, arrow, diamond, ring
from .quantities import FORCE_KIND, UnitSet
from .state import DeskState
from .theme import EDGE, GRAPHITE, INK, KINDS, MUTED, OCHRE, PALE, PAPER, PINE, RUST

OLD = "the model has changed since its run: run it again (F5)"
CLASS_WIDTH = {"column": 3.2, "beam": 2.0, "brace": 1.4}


@dataclass
class Sheet:
    """What an overlay is given: the review, the members that are shown with their lines, the window's state."""

    review: Review
    state: DeskState
    ids: list[str]
    lines: Array
    units: UnitSet

    @property
    def model(self) -> Model:
        return self.review.model

    @cached_property
    def axes(self) -> Array:
        """Local axes (n, 3, 3) of the shown members, rows x y z."""
        if not self.ids:
            return np.zeros((0, 3, 3))
        z = np.array([self.model.members[i].z_axis for i in self.ids])
        return local_axes(self.lines[:, 1] - self.lines[:, 0], z).reshape(-1, 3, 3)

    @property
    def size(self) -> float:
        """A length that stands for the building's, m."""
        return float(np.linalg.norm(np.ptp(self.lines.reshape(-1, 3), axis=0))) if len(self.lines) else 1.0

    @property
    def surfaces(self) -> list[Surface]:
        """Surfaces of the storeys that are shown; none when members are isolated."""
        if self.state.isolated or not self.state.surfaces:
            return []
        every = self.model.surfaces.values()
        return [s for s in every if not self.state.storeys or s.storey in self.state.storeys]

    @property
    def stale(self) -> bool:
        return self.state.revision is not None and self.state.revision.stale

    def nodes(self) -> list[str]:
        """Nodes of the shown members."""
        seen: dict[str, None] = {}
        for i in self.ids:
            m = self.model.members[i]
            for n in (m.start, *(j.node for j in m.joints), m.end):
                seen[n] = None
        return list(seen)


Draw = Callable[[Canvas, Sheet], list[str]]


@dataclass(frozen=True, slots=True)
class Overlay:
    """`draw` returns the legend's entries. `base`: how members are drawn under it: graphite, pale, or none."""

    name: str
    title: str
    draw: Draw
    base: str = "graphite"


_REGISTRY: dict[str, Overlay] = {}


def overlay(name: str, title: str, base: str = "graphite") -> Callable[[Draw], Draw]:
    """Register a function as the overlay of that name."""

    def register(function: Draw) -> Draw:
        _REGISTRY[name] = Overlay(name, title, function, base)
        return function

    return register


@cache
def _load() -> None:
    for entry in entry_points(group="rod_tally.overlays"):
        entry.load()


def overlays() -> dict[str, Overlay]:
    _load()
    return dict(_REGISTRY)


def draw_members(canvas: Canvas, sheet: Sheet, pale: bool) -> None:
    """Members as lines, columns heavier than beams, braces dashed."""
    classes = np.array([sheet.model.members[i].cls for i in sheet.ids])
    for cls, width in CLASS_WIDTH.items():
        lines = sheet.lines[classes == cls]
        colour = PALE if pale else GRAPHITE if cls != "column" else INK
        if cls == "brace" and not pale and len(lines) < 3000:
            canvas.dashes(lines, sheet.size / 120, colour, width, (2, 1))
        else:
            canvas.lines(lines, colour, width if not pale else 1.2)


def draw_surfaces(canvas: Canvas, sheet: Sheet) -> None:
    """Slabs and walls as pale panes with their edges, openings left open."""
    points: list[Array] = []
    triangles: list[list[int]] = []
    edges: list[Array] = []
    count = 0
    for s in sheet.surfaces:
        for loop in (s.outer, *s.openings):
            edges.append(np.stack([loop, np.roll(loop, -1, axis=0)], axis=1))
        pane = Polygon(s.flat(s.outer), [s.flat(r) for r in s.openings])
        axes = s.axes
        for triangle in constrained_delaunay_triangles(pane).geoms:
            corners = np.array(triangle.exterior.coords)[:3]
            points.append(s.outer[0] + corners @ axes[:2])
            triangles.append([count, count + 1, count + 2])
            count += 3
    if points:
        canvas.faces(np.concatenate(points), np.array(triangles), EDGE, 0.13)
        canvas.lines(np.concatenate(edges), PALE, 1.0)


@overlay("joints", "Joints")
def draw_joints(canvas: Canvas, sheet: Sheet) -> list[str]:
    model = sheet.model
    at = model.members_at()
    nodes = sheet.nodes()
    joined = [n for n in nodes if len(at[n]) > 1]
    loose = [n for n in nodes if len(at[n]) == 1 and not model.nodes[n].support.any]
    for group, template, colour in ((joined, diamond(4.5), INK), (loose, ring(5.5), OCHRE)):
        canvas.symbols(np.array([model.nodes[n].point for n in group]).reshape(-1, 3), template, colour)
    gaps = [f for f in sheet.review.findings if f.code == "join.gap" and f.at and set(f.ids) & set(sheet.ids)]
    points = np.array([f.at for f in gaps]).reshape(-1, 3)
    canvas.symbols(points, ring(11), RUST, 2.2)
    texts = [f"{sheet.units.show(f.numbers['distance'], 'small', 3)} {sheet.units.small[1]} gap" for f in gaps]
    canvas.labels(points + canvas.screen_axes()[0] * canvas.pixel * 16, texts, RUST)
    return [f"◇ joined ({len(joined)})", f"○ loose end ({len(loose)})", f"◯ gap ({len(gaps)})"]


def _by_kind(canvas: Canvas, sheet: Sheet, names: list[str]) -> list[str]:
    """Members coloured by a name, the commonest first; the legend carries the names."""
    count: dict[str, int] = {}
    for n in names:
        count[n] = count.get(n, 0) + 1
    order = sorted(count, key=lambda n: (-count[n], n))
    colour = {n: KINDS[min(k, len(KINDS) - 1)] for k, n in enumerate(order)}
    rgb = np.array([_rgb(colour[n]) for n in names]).reshape(-1, 3)
    canvas.lines(sheet.lines, width=2.6, colours=rgb)
    shown = [f"<font color='{colour[n]}'>▬</font> {n or 'none'} ({count[n]})" for n in order[:6]]
    return shown + ([f"and {len(order) - 6} more"] if len(order) > 6 else [])


def _rgb(colour: str) -> tuple[int, int, int]:
    return int(colour[1:3], 16), int(colour[3:5], 16), int(colour[5:7], 16)


@overlay("sections", "Sections", base="none")
def draw_sections(canvas: Canvas, sheet: Sheet) -> list[str]:
    return _by_kind(canvas, sheet, [sheet.model.members[i].section for i in sheet.ids])


@overlay("materials", "Materials", base="none")
def draw_materials(canvas: Canvas, sheet: Sheet) -> list[str]:
    return _by_kind(canvas, sheet, [sheet.model.members[i].material for i in sheet.ids])


def support_bars(letters: str) -> Array:
    """A bar across each held direction, a bent one across a sprung one; segments in pixels."""
    e = np.eye(3)
    parts: list[Array] = []
    for d in range(3):
        if letters[d] == "F":
            continue
        out = -9.0 * e[d]
        sides = [e[1]] if d == 0 else [e[0]] if d == 1 else [e[0], e[1]]
        if letters[d] == "X":
            parts += [np.array([out - 6.5 * side, out + 6.5 * side]) for side in sides]
            parts.append(np.array([np.zeros(3), out]))
        else:
            zig = [out * t + turn * 4 * sides[0] for t, turn in ((0, 0), (0.4, 1), (0.7, -1), (1.0, 1), (1.3, 0))]
            parts += [np.array([zig[k], zig[k + 1]]) for k in range(4)]
    return np.array(parts).reshape(-1, 2, 3)


def support_arcs(letters: str) -> Array:
    """An arc about each held (or sprung) rotation, below and beside the node; segments in pixels."""
    e = np.eye(3)
    parts: list[Array] = []
    for d, (u, v, first) in enumerate(((e[1], -e[2], 50), (e[0], -e[2], 50), (e[0], e[1], 200))):
        if letters[3 + d] == "F":
            continue
        t = np.radians(np.linspace(first, first + 80, 7))
        p = 16.0 * (np.cos(t)[:, None] * u + np.sin(t)[:, None] * v)
        parts += [np.array([p[k], p[k + 1]]) for k in range(6)]
    return np.array(parts).reshape(-1, 2, 3)


@overlay("supports", "Supports")
def draw_supports(canvas: Canvas, sheet: Sheet) -> list[str]:
    model = sheet.model
    groups: dict[str, list[str]] = {}
    for n in sheet.nodes():
        if model.nodes[n].support.any:
            groups.setdefault(model.nodes[n].support.letters, []).append(n)
    legend = []
    for letters, nodes in sorted(groups.items()):
        points = np.array([model.nodes[n].point for n in nodes])
        axes = np.array([model.nodes[n].support.axes or np.eye(3).tolist() for n in nodes])
        canvas.symbols(points, support_bars(letters), INK, 2.0, "own", axes)
        canvas.symbols(points, support_arcs(letters), GRAPHITE, 1.2, "own", axes)
        legend.append(f"{support_words(letters)} ({len(nodes)})")
    free = [f for f in sheet.review.findings if f.code == "support.base_free" and f.at]
    canvas.symbols(np.array([f.at for f in free]).reshape(-1, 3), ring(10), RUST, 2.2)
    if free:
        legend.append(f"◯ base held by nothing ({len(free)})")
    return legend or ["nothing is held"]


def support_words(letters: str) -> str:
    """A support in words: fixed, pinned, or what is held."""
    known = {"XXXXXX": "fixed", "XXXFFF": "pinned", "FFXFFF": "held upright only", "FFFFFF": "free"}
    if letters in known:
        return known[letters]
    names = ("x", "y", "z", "about x", "about y", "about z")
    held = [n for n, letter in zip(names, letters) if letter == "X"]
    sprung = [n for n, letter in zip(names, letters) if letter == "S"]
    return ", ".join((["held " + " ".join(held)] if held else []) + (["spring " + " ".join(sprung)] if sprung else []))


@overlay("releases", "Releases")
def draw_releases(canvas: Canvas, sheet: Sheet) -> list[str]:
    anchors, axes, texts, total = [], [], [], 0
    for i, line, own in zip(sheet.ids, sheet.lines, sheet.axes):
        m = sheet.model.members[i]
        for release, p, sign in ((m.release_start, line[0], 1.0), (m.release_end, line[1], -1.0)):
            if release.any:
                anchors.append(p)
                axes.append(own * np.array([sign, 1, 1])[:, None])
                freed = [n for n, letter in zip(("n", "vy", "vz", "mt", "my", "mz"), release.letters) if letter != "F"]
                texts.append(" ".join(freed))
                total += 1
    points, own_axes = np.array(anchors).reshape(-1, 3), np.array(axes).reshape(-1, 3, 3)
    gap = np.array([[[11, 0, 0], [19, 0, 0]]], float)
    ticks = np.array(
        [[[11, -5, 0], [11, 5, 0]], [[19, -5, 0], [19, 5, 0]], [[11, 0, -5], [11, 0, 5]], [[19, 0, -5], [19, 0, 5]]],
        float,
    )
    canvas.symbols(points, gap, PAPER, 6.0, "own", own_axes)
    canvas.symbols(points, ticks, INK, 1.6, "own", own_axes)
    if 0 < total <= 60:
        canvas.labels(points + own_axes[:, 0] * canvas.pixel * 24, texts, MUTED, 10)
    return [f"¦ ¦ break: released end ({total})"] if total else ["every end is fixed to its node"]


@overlay("axes", "Local axes", base="pale")
def draw_axes(canvas: Canvas, sheet: Sheet) -> list[str]:
    if not len(sheet.lines):
        return []
    middle = sheet.lines.mean(axis=1)
    for d, (size, colour) in enumerate(((26, INK), (17, OCHRE), (17, PINE))):
        stroke = np.zeros((1, 2, 3))
        stroke[0, 1, d] = size
        canvas.symbols(middle, stroke, colour, 2.0, "own", sheet.axes)
    return ["long: x", f"<font color='{OCHRE}'>▬</font> y", f"<font color='{PINE}'>▬</font> z"]


def draw_arrows(canvas: Canvas, tails: list[tuple[Array, Array, float]], most: float) -> None:
    """Arrows that end at their points: (point, direction, size); those of one direction and length in one go."""
    groups: dict[tuple[int, ...], list[Array]] = {}
    for at, q, value in tails:
        key = tuple(np.round(np.append(q / np.linalg.norm(q) * 100, 8 + 26 * value / most)).astype(int))
        groups.setdefault(key, []).append(at)
    for key, points in groups.items():
        canvas.symbols(np.array(points), arrow(np.array(key[:3], float), float(key[3])), PINE, 1.6, "world")


@overlay("loads", "Loads")
def draw_loads(canvas: Canvas, sheet: Sheet) -> list[str]:
    model = sheet.model
    case = model.cases.get(sheet.state.case)
    if case is None:
        return ["no load case"]
    shown = set(sheet.ids)
    line_of = dict(zip(sheet.ids, sheet.lines))
    tails: list[tuple[Array, Array, float]] = []
    for load in case.member_loads:
        if load.member not in shown or load.kind != "force":
            continue
        a, b = line_of[load.member]
        length = float(np.linalg.norm(b - a))
        axes = model.members[load.member].axes(np.array([a, b]))
        count = 1 if load.a == load.b else 5
        for s in np.linspace(0, 1, count):
            q = np.array(load.qa) * (1 - s) + np.array(load.qb) * s
            q = axes.T @ q if load.local else q
            if np.linalg.norm(q) > 0:
                at = a + (b - a) * (load.a + (load.b - load.a) * s) / length
                tails.append((at, q, float(np.linalg.norm(q))))
    for item in case.node_loads:
        force = np.array(item.force)
        if np.linalg.norm(force) > 0:
            tails.append((model.nodes[item.node].point, force, float(np.linalg.norm(force))))
    if any(case.self_weight):
        down = np.array(case.self_weight)
        for i, line in zip(sheet.ids, sheet.lines):
            weight = model.weight(model.members[i])
            if weight > 0:
                tails.append((line.mean(axis=0), down, weight))
    most = max((t[2] for t in tails), default=1.0)
    draw_arrows(canvas, tails, most)
    total = sheet.review.results.applied.get(case.name)
    what = "self-weight of each member" if any(case.self_weight) else f"{len(tails)} arrows"
    legend = [f"→ {case.name} ({case.kind or 'no kind'}): {what}"]
    if total is not None:
        parts = [f"{n} {sheet.units.show(float(v), 'force')}" for n, v in zip("xyz", total)]
        legend.append(f"in all {', '.join(parts)} {sheet.units.force[1]}")
    return legend


@overlay("displaced", "Displaced shape", base="pale")
def draw_displaced(canvas: Canvas, sheet: Sheet) -> list[str]:
    if sheet.stale:
        return [OLD]
    r, case = sheet.review.results, sheet.state.case
    if case not in r.cases or not r.member_done[r.case_index(case)].any():
        return [f"{case or 'no case'} was not computed"]
    shapes = member_shapes(sheet.model, r, case, shear_flexible=sheet.review.settings.run.shear_flexible)
    wanted = set(sheet.ids)
    shown = np.isin(shapes.member, [k for k, i in enumerate(r.member_ids) if i in wanted])
    points, u = shapes.points[shown], shapes.displacement[shown]
    most = float(np.linalg.norm(u, axis=2).max(initial=0.0))
    scale = sheet.state.scale * (sheet.size / 25 / most if most > 0 else 1.0)
    canvas.strips(points + u * scale, INK, 2.0)
    legend = [f"— displaced, {scale:.0f} times", "pale: undisplaced"]
    largest = r.largest_displacement(r.case_index(case))
    if largest is not None:
        node, size = largest
        at = r.node_ids.index(node)
        p = sheet.model.nodes[node].point + r.displacement[r.case_index(case), at, :3] * scale
        text = f"{sheet.units.show(size, 'small', 3)} {sheet.units.small[1]}"
        canvas.symbols(p[None], ring(7), RUST, 2.0)
        canvas.labels(p[None], [text], RUST)
        legend.append(f"○ largest of the nodes: {text} at {node}")
    return [f"{case}:", *legend]


@overlay("forces", "Forces")
def draw_forces(canvas: Canvas, sheet: Sheet) -> list[str]:
    if sheet.stale:
        return [OLD]
    r, case, component = sheet.review.results, sheet.state.case, sheet.state.component
    if case not in r.cases:
        return [f"{case or 'no case'} was not computed"]
    c, k = r.case_index(case), COMPONENTS.index(component)
    index = {i: n for n, i in enumerate(r.member_ids)}
    shown = {index[i]: k for k, i in enumerate(sheet.ids) if i in index}
    inside = np.isin(r.station_member, list(shown)) & r.member_done[c, r.station_member]
    stations = np.flatnonzero(inside)
    if not len(stations):
        return [f"{case}: nothing shown was computed"]
    value = r.force[c, stations, k]
    most = float(np.abs(value).max())
    scale = sheet.state.scale * sheet.size / 18 / most if most > 0 else 0.0
    which = r.station_member[stations]
    start = np.zeros((len(r.member_ids), 3))
    x, aside = start.copy(), start.copy()
    here, there = list(shown), list(shown.values())
    # drawn on the side of tension for moments, and in the plane the force acts in
    side = {"my": sheet.axes[:, 2], "mz": -sheet.axes[:, 1], "vy": sheet.axes[:, 1]}.get(component, sheet.axes[:, 2])
    start[here], x[here], aside[here] = sheet.lines[there, 0], sheet.axes[there, 0], side[there]
    foot = start[which] + x[which] * r.station_x[stations, None]
    head = foot + aside[which] * (value * scale)[:, None]
    run = np.flatnonzero(which[1:] == which[:-1])
    canvas.quads(np.stack([foot[run], foot[run + 1], head[run + 1], head[run]], axis=1), PINE, 0.18)
    canvas.lines(np.stack([head[run], head[run + 1]], axis=1), PINE, 1.8)
    kind, unit = FORCE_KIND[component], getattr(sheet.units, FORCE_KIND[component])[1]
    ends = [int(value.argmax()), int(value.argmin())]
    texts = [f"{sheet.units.show(float(value[e]), kind)} {unit}" for e in ends]
    canvas.labels(head[ends], texts, RUST)
    return [
        f"{case}: {component} from {texts[1]} to {texts[0]}",
        "moments on the side in tension, n positive in tension",
    ]


@overlay("reactions", "Reactions")
def draw_reactions(canvas: Canvas, sheet: Sheet) -> list[str]:
    if sheet.stale:
        return [OLD]
    r, case = sheet.review.results, sheet.state.case
    if case not in r.cases:
        return [f"{case or 'no case'} was not computed"]
    c = r.case_index(case)
    nodes = set(sheet.nodes())
    points, texts = [], []
    most = float(np.abs(r.reaction[c, :, :3]).max(initial=0.0)) or 1.0
    tails: list[tuple[Array, Array, float]] = []
    for s, n in enumerate(r.support_ids):
        if n in nodes:
            p = sheet.model.nodes[n].point
            tails += [(p, np.eye(3)[d] * f, abs(f)) for d, f in enumerate(r.reaction[c, s, :3]) if abs(f) > 1e-3 * most]
            points.append(p)
            texts.append(sheet.units.show(float(r.reaction[c, s, 2]), "force"))
    draw_arrows(canvas, tails, most)
    if len(points) <= 80:
        canvas.labels(np.array(points).reshape(-1, 3), texts, INK)
    total = r.reaction[c, :, :3].sum(axis=0)
    shown = ", ".join(f"{a} {sheet.units.show(float(v), 'force')}" for a, v in zip("xyz", total))
    return [f"{case}: upward reaction at each support in {sheet.units.force[1]}; in all {shown}"]


@overlay("change", "Change", base="pale")
def draw_change(canvas: Canvas, sheet: Sheet) -> list[str]:
    comparison, baseline = sheet.review.comparison, sheet.state.baseline
    if comparison is None or baseline is None:
        return ["this revision is compared with nothing; take in another one"]
    line_of = dict(zip(sheet.ids, sheet.lines))
    old_model = baseline.review.model
    old = dict(zip(old_model.members, source_lines(old_model)))
    origin = sheet.model.origin
    groups: dict[str, list[Array]] = {"added": [], "removed": [], "moved": [], "resized": []}
    for m in comparison.members:
        if m.status == "removed" and m.baseline_id in old:
            line = old[m.baseline_id]
            if comparison.transform is not None:
                line = comparison.transform.apply(line)
            groups["removed"].append(line - origin)
        elif m.status in groups and m.revised_id in line_of:
            groups[m.status].append(line_of[m.revised_id])
    dash = sheet.size / 90
    lines = {k: np.array(v).reshape(-1, 2, 3) for k, v in groups.items()}
    canvas.lines(lines["added"], PINE, 4.0)
    canvas.dashes(lines["removed"], dash, RUST, 2.6, (1, 1))
    canvas.dashes(lines["moved"], dash / 2, OCHRE, 3.4, (4, 1, 1, 1))
    side = canvas.screen_axes()[0] * canvas.pixel * 2.2
    canvas.lines(np.concatenate([lines["resized"] - side, lines["resized"] + side]), INK, 1.6)
    return [
        f"<font color='{PINE}'><b>▬▬</b></font> added ({len(groups['added'])})",
        f"<font color='{RUST}'>╌╌</font> removed ({len(groups['removed'])})",
        f"<font color='{OCHRE}'>▬ ▪</font> moved ({len(groups['moved'])})",
        f"═ resized ({len(groups['resized'])})",
        "pale: the same",
    ]
