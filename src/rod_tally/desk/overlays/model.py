"""Overlays of the bare model: joints, sections, materials, supports, releases, local axes."""

from __future__ import annotations

from math import inf
from typing import TYPE_CHECKING

import numpy as np
from shapely.geometry import Point, Polygon

from ...model import FIXED, FREE, PINNED, ROLLER, Support, Surface
from ...model.entities.structure import COMPONENTS
from ...model.geometry.triangles import surface_triangles, triangles_of
from ...model.geometry.vectors import Array, ring_sides
from ...words import and_more
from ..theme import EDGE, GRAPHITE, INK, KINDS, MOSS, MUTED, OCHRE, PAPER, PINE, RUST
from ..view.symbols import block, diamond, ring, square, wedge
from .registry import Scene, overlay

if TYPE_CHECKING:
    from ..view.canvas import Canvas

BED = Support((0.0, 0.0, 1.0, 0.0, 0.0, 0.0))
NAMED = 5  # kinds without a colour of their own that a legend names


@overlay("joints", "Joints")
def draw_joints(canvas: Canvas, scene: Scene) -> list[str]:
    model = scene.model
    at = model.members_at()
    nodes = scene.nodes()
    joined = [n for n in nodes if len(at[n]) > 1]
    tied = {j.node for s in model.surfaces.values() for j in s.joints if j.node}
    loose = [n for n in nodes if len(at[n]) == 1 and not model.nodes[n].support.any and n not in tied]
    joined = [n for n in joined if n not in tied]
    onto = [n for n in nodes if n in tied]
    seams = [j.line[[0, -1]] for s in scene.surfaces for j in s.joints if j.kind == "surface"]
    canvas.lines(np.array(seams).reshape(-1, 2, 3), MOSS, 1.6)
    links = [
        [model.nodes[n].point, model.nodes[n].point + off]
        for i in scene.ids
        for n, off in (
            (model.members[i].start, model.members[i].offset_start),
            (model.members[i].end, model.members[i].offset_end),
        )
        if np.abs(off).max() > 1e-6
    ]
    canvas.lines(np.array(links).reshape(-1, 2, 3), PINE, 4.0)
    canvas.symbols(np.array([model.nodes[n].point for n in onto]).reshape(-1, 3), square(4.0), MOSS, 1.6)
    for group, template, colour in ((joined, diamond(4.5), INK), (loose, ring(5.5), OCHRE)):
        canvas.symbols(np.array([model.nodes[n].point for n in group]).reshape(-1, 3), template, colour)
    gaps = [f for f in scene.review.findings if f.code == "join.gap" and f.at and set(f.ids) & set(scene.ids)]
    points = np.array([f.at for f in gaps]).reshape(-1, 3)
    canvas.symbols(points, ring(11), RUST, 2.2)
    texts = [
        f"{scene.units.show(f.numbers['distance'], 'small', 3)} {scene.units.small[1]} gap" for f in gaps
    ]
    canvas.labels(points + canvas.screen_axes()[0] * canvas.pixel * 16, texts, RUST)
    legend = [f"◇ joined ({len(joined)})", f"○ loose end ({len(loose)})", f"◯ gap ({len(gaps)})"]
    if scene.surfaces:
        legend.append(f"<font color='{MOSS}'>□</font> tied to a slab or wall ({len(onto)})")
        legend.append(f"<font color='{MOSS}'>▬</font> slab or wall tied to another ({len(seams) // 2})")
    if links:
        legend.append(f"<font color='{PINE}'>▬</font> rigid link ({len(links)})")
    return legend


def _by_kind(canvas: Canvas, scene: Scene, names: list[str], of_surfaces: list[str]) -> list[str]:
    """Members and surfaces coloured by a name, the commonest first; the legend carries the names."""
    count: dict[str, int] = {}
    for n in (*names, *of_surfaces):
        count[n] = count.get(n, 0) + 1
    order = sorted(count, key=lambda n: (-count[n], n))
    colour = {n: KINDS[min(k, len(KINDS) - 1)] for k, n in enumerate(order)}
    shade = {n: _rgb(c) for n, c in colour.items()}
    rgb = np.array([shade[n] for n in names]).reshape(-1, 3)
    canvas.lines(scene.lines, width=2.6, colours=rgb)
    edges = [ring_sides(s.outer) for s in scene.surfaces]
    if edges:
        own = np.repeat([shade[n] for n in of_surfaces], [len(e) for e in edges], axis=0)
        canvas.lines(np.concatenate(edges), width=1.6, colours=own)
    own_colour = len(KINDS) if len(order) <= len(KINDS) else len(KINDS) - 1
    shown = [f"<font color='{colour[n]}'>▬</font> {n or 'none'} ({count[n]})" for n in order[:own_colour]]
    rest = order[own_colour:]
    if rest:
        named = ", ".join(f"{n or 'none'} ({count[n]})" for n in rest[:NAMED])
        more = and_more(rest, NAMED)
        shown.append(f"<font color='{KINDS[-1]}'>▬</font> others: {named}{more}")
    return shown


def _rgb(colour: str) -> tuple[int, int, int]:
    return int(colour[1:3], 16), int(colour[3:5], 16), int(colour[5:7], 16)


@overlay("sections", "Sections", base="none")
def draw_sections(canvas: Canvas, scene: Scene) -> list[str]:
    return _by_kind(
        canvas,
        scene,
        [scene.model.members[i].section for i in scene.ids],
        [f"{s.thickness * 1000:.0f} mm {s.cls}" for s in scene.surfaces],
    )


@overlay("materials", "Materials", base="none")
def draw_materials(canvas: Canvas, scene: Scene) -> list[str]:
    return _by_kind(
        canvas,
        scene,
        [scene.model.members[i].material for i in scene.ids],
        [s.material for s in scene.surfaces],
    )


def support_bars(support: Support) -> Array:
    """A bar across each held direction, a bent one across a sprung one; segments in pixels."""
    e = np.eye(3)
    parts: list[Array] = []
    for d in range(3):
        if not support.stiffness[d]:
            continue
        out = -9.0 * e[d]
        sides = [e[1]] if d == 0 else [e[0]] if d == 1 else [e[0], e[1]]
        if support.held[d]:
            parts += [np.array([out - 6.5 * side, out + 6.5 * side]) for side in sides]
            parts.append(np.array([np.zeros(3), out]))
        else:
            zig = [
                out * t + turn * 4 * sides[0] for t, turn in ((0, 0), (0.4, 1), (0.7, -1), (1.0, 1), (1.3, 0))
            ]
            parts += [np.array([zig[k], zig[k + 1]]) for k in range(4)]
    return np.array(parts).reshape(-1, 2, 3)


def support_arcs(support: Support) -> Array:
    """An arc about each held (or sprung) rotation, below and beside the node; segments in pixels."""
    e = np.eye(3)
    parts: list[Array] = []
    for d, (u, v, first) in enumerate(((e[1], -e[2], 50), (e[0], -e[2], 50), (e[0], e[1], 200))):
        if not support.stiffness[3 + d]:
            continue
        t = np.radians(np.linspace(first, first + 80, 7))
        p = 16.0 * (np.cos(t)[:, None] * u + np.sin(t)[:, None] * v)
        parts += [np.array([p[k], p[k + 1]]) for k in range(6)]
    return np.array(parts).reshape(-1, 2, 3)


def support_mark(support: Support) -> tuple[Array, str] | None:
    """The mark below a fixed or a pinned support, segments in pixels of the screen, with its sign in a
    legend; None for others, of which each direction is drawn by itself."""
    if support.axes is not None:
        return None
    if support == FIXED:
        return block(8.0), "⊠"
    return (wedge(8.0), "△") if support == PINNED else None


@overlay("supports", "Supports")
def draw_supports(canvas: Canvas, scene: Scene) -> list[str]:
    model = scene.model
    groups: dict[str, list[str]] = {}
    for n in scene.nodes():
        if model.nodes[n].support.any:
            groups.setdefault(support_words(model.nodes[n].support), []).append(n)
    legend = []
    for words, nodes in sorted(groups.items()):
        support = model.nodes[nodes[0]].support
        points = np.array([model.nodes[n].point for n in nodes])
        axes = np.array([model.nodes[n].support.axes or np.eye(3).tolist() for n in nodes])
        mark = support_mark(support)
        if mark is not None:
            canvas.symbols(points, mark[0], INK, 1.8)
        else:
            canvas.symbols(points, support_bars(support), INK, 2.0, "own", axes)
            canvas.symbols(points, support_arcs(support), GRAPHITE, 1.2, "own", axes)
        legend.append(f"{'┴' if mark is None else mark[1]} {words} ({len(nodes)})")
    edges = [(h.line, h.support) for s in scene.surfaces for h in s.supports]
    canvas.lines(np.array([line for line, _ in edges]).reshape(-1, 2, 3), INK, 4.0)
    for words, support in sorted({support_words(own): own for _, own in edges}.items()):
        lines = [line for line, own in edges if support_words(own) == words]
        mark = support_mark(support)
        places = np.concatenate([_spread(line) for line in lines])
        canvas.symbols(places, support_bars(support) if mark is None else 0.7 * mark[0], INK, 1.4)
        legend.append(f"{'┴' if mark is None else mark[1]} edge {words} ({len(lines)})")
    beds = [s for s in scene.surfaces if s.on_ground]
    moduli = sorted({m for s in beds for m in (s.bedding, *(b.modulus for b in s.beds)) if m > 0})
    for s in beds:
        places = _inside(s)
        ground = s.ground_at(s.flat(places)) if len(places) else np.zeros(0)
        canvas.symbols(places[ground > 0], support_bars(BED), GRAPHITE, 1.2)
        own = "".join(f", zone on {b.modulus / 1e6:g}" for b in s.beds)
        legend.append(f"{s.name or s.id} bedded on {s.bedding / 1e6:g} MN/m³{own}")
    if any(s.beds for s in beds):  # in bands, the stiffer the darker
        for s in beds:
            for k, modulus in enumerate(moduli):
                _band(canvas, s, modulus, (k + 1) / len(moduli))
    free = [f for f in scene.review.findings if f.code == "support.base_free" and f.at]
    canvas.symbols(np.array([f.at for f in free]).reshape(-1, 3), ring(10), RUST, 2.2)
    if free:
        legend.append(f"<font color='{RUST}'>◯</font> no base support ({len(free)})")
    return legend or ["nothing is held"]


def _band(canvas: Canvas, s: Surface, modulus: float, depth: float) -> None:
    """The part of a surface on ground of one modulus, as dark as `depth` (0 to 1)."""
    left = s.polygon if s.bedding == modulus else Polygon()
    for bed in s.beds:
        zone = Polygon(s.flat(bed.outer)).intersection(s.polygon)
        left = left.union(zone) if bed.modulus == modulus else left.difference(zone)
    for part in getattr(left, "geoms", [left]):
        if isinstance(part, Polygon) and part.area > 0:
            corners = np.array([s.lifted(t[[0, 1, 2, 2]]) for t in triangles_of(part)])
            canvas.quads(corners, PINE, 0.08 + 0.6 * depth)


def _spread(line: Array) -> Array:
    """Places along an edge, about two metres apart."""
    count = max(2, round(float(np.linalg.norm(line[1] - line[0])) / 2.0) + 1)
    return np.asarray(line[0] + np.linspace(0, 1, count)[:, None] * (line[1] - line[0]))


def _inside(s: Surface) -> Array:
    """Places on a surface, in a grid of about a sixth of its size."""
    flat = s.flat(s.outer)
    low, high = flat.min(axis=0), flat.max(axis=0)
    x, y = np.meshgrid(*(np.linspace(a, b, 8)[1:-1] for a, b in zip(low, high)))
    points = np.column_stack([x.ravel(), y.ravel()])
    pane = s.polygon
    return s.lifted(np.array([p for p in points if pane.contains(Point(p))]).reshape(-1, 2))


def support_words(support: Support) -> str:
    """A support in words: fixed, pinned, or what is held."""
    for known, word in ((FIXED, "fixed"), (PINNED, "pinned"), (ROLLER, "held upright only"), (FREE, "free")):
        if support.stiffness == known.stiffness:
            return word
    names = ("x", "y", "z", "about x", "about y", "about z")
    held = [n for n, k in zip(names, support.stiffness) if k == inf]
    sprung = [n for n, k in zip(names, support.stiffness) if 0 < k < inf]
    return ", ".join(
        (["held " + " ".join(held)] if held else []) + (["spring " + " ".join(sprung)] if sprung else [])
    )


@overlay("releases", "Releases")
def draw_releases(canvas: Canvas, scene: Scene) -> list[str]:
    anchors, axes, texts, total = [], [], [], 0
    for i, line, own in zip(scene.ids, scene.lines, scene.axes):
        m = scene.model.members[i]
        for release, p, sign in ((m.release_start, line[0], 1.0), (m.release_end, line[1], -1.0)):
            if release.any:
                anchors.append(p)
                axes.append(own * np.array([sign, 1, 1])[:, None])
                freed = [n for n, k in zip(COMPONENTS, release.stiffness) if k < inf]
                texts.append(" ".join(freed))
                total += 1
    points, own_axes = np.array(anchors).reshape(-1, 3), np.array(axes).reshape(-1, 3, 3)
    gap = np.array([[[11, 0, 0], [19, 0, 0]]], float)
    ticks = np.array(
        [
            [[11, -5, 0], [11, 5, 0]],
            [[19, -5, 0], [19, 5, 0]],
            [[11, 0, -5], [11, 0, 5]],
            [[19, 0, -5], [19, 0, 5]],
        ],
        float,
    )
    canvas.symbols(points, gap, PAPER, 6.0, "own", own_axes)
    canvas.symbols(points, ticks, INK, 1.6, "own", own_axes)
    if 0 < total <= 60:
        canvas.labels(points + own_axes[:, 0] * canvas.pixel * 24, texts, MUTED, 10)
    return [f"¦ ¦ break: released end ({total})"] if total else ["every end is fixed to its node"]


@overlay("axes", "Local axes", base="pale")
def draw_axes(canvas: Canvas, scene: Scene) -> list[str]:
    middle = [*scene.lines.mean(axis=1), *(s.centroid for s in scene.surfaces)]
    if not middle:
        return []
    axes = np.concatenate([scene.axes, np.array([s.axes for s in scene.surfaces]).reshape(-1, 3, 3)])
    for d, (size, colour) in enumerate(((26, INK), (17, OCHRE), (17, PINE))):
        stroke = np.zeros((1, 2, 3))
        stroke[0, 1, d] = size
        canvas.symbols(np.array(middle), stroke, colour, 2.0, "own", axes)
    odd = [f for f in scene.review.findings if f.code == "axes.odd" and f.at]
    canvas.symbols(np.array([f.at for f in odd]).reshape(-1, 3), ring(15), RUST, 2.0)
    legend = ["long: x", f"<font color='{OCHRE}'>▬</font> y", f"<font color='{PINE}'>▬</font> z"]
    return legend + ([f"◯ at odds with its line ({len(odd)})"] if odd else [])


@overlay("grids", "Grid and lines", base="pale")
def draw_grids(canvas: Canvas, scene: Scene) -> list[str]:
    """Grid lines at the lowest level, and the stacks, beam lines and walls that were recognised."""
    model = scene.model
    level = float(scene.points[:, 2].min()) if len(scene.points) else 0.0
    lines, tags, at = [], [], []
    for g in model.grids:
        points = np.column_stack([g.points, np.full(len(g.points), level)])
        lines += [[a, b] for a, b in zip(points, points[1:])]
        tags.append(g.name)
        at.append(points[0])
    canvas.dashes(np.array(lines).reshape(-1, 2, 3), scene.size / 60, MUTED, 1.2, (4, 1, 1, 1))
    canvas.labels(np.array(at).reshape(-1, 3), tags, INK, 12)
    shown = set(scene.ids)
    legend = [f"grid lines ({len(model.grids)})"]
    for kind, title in (("stack", "column stacks"), ("beams", "beam lines, each in one colour")):
        found = [x for x in scene.review.lines if x.kind == kind and len(x.members) > 1]
        segments, colours = [], []
        for k, x in enumerate(found):
            own = [model.line(model.members[i]) for i in x.members if i in shown]
            segments += own
            colours += [_rgb(INK if kind == "stack" else KINDS[1 + k % (len(KINDS) - 1)])] * len(own)
        canvas.lines(
            np.array(segments).reshape(-1, 2, 3), width=2.4, colours=np.array(colours).reshape(-1, 3)
        )
        legend.append(f"{title} ({len(found)})")
    walls = [x for x in scene.review.lines if x.kind == "wall"]
    frames = [x for x in scene.review.lines if x.kind == "frame"]
    return [*legend, f"wall stacks ({len(walls)})", f"frames ({len(frames)})"]


@overlay("solid", "Solids", base="none")
def draw_solids(canvas: Canvas, scene: Scene) -> list[str]:
    """Members with their sections, slabs and walls with their thickness."""
    panes: dict[str, list[Array]] = {}
    edges: list[Array] = []
    flat = 0
    for ident, line, axes in zip(scene.ids, scene.lines, scene.axes):
        member = scene.model.members[ident]
        section = scene.model.sections.get(member.section)
        if section is None or len(section.outline) < 3:
            flat += 1
            edges.append(line[None])
            continue
        rim = np.array(section.outline)[:, :2] @ axes[1:]
        last = rim if section.end is None else np.array(section.end.outline)[:, :2] @ axes[1:]
        near, far = line[0] + rim, line[1] + last
        panes.setdefault(member.cls, []).append(
            np.stack([near, np.roll(near, -1, axis=0), np.roll(far, -1, axis=0), far], axis=1)
        )
        for end in (near, far):
            edges.append(ring_sides(end))
    for s in scene.surfaces:
        up = s.plain_axes[2] * s.thickness / 2
        for loop in (s.outer, *s.openings):
            low, high = loop - up, loop + up
            panes.setdefault("surface", []).append(
                np.stack([low, np.roll(low, -1, axis=0), np.roll(high, -1, axis=0), high], axis=1)
            )
            for end in (low, high):
                edges.append(ring_sides(end))
        for t in surface_triangles(s):
            corner = t[[0, 1, 2, 2]]
            panes["surface"] += [(corner - up)[None], (corner + up)[None]]
    shades = {"column": GRAPHITE, "beam": MUTED, "brace": MUTED, "surface": EDGE}
    for cls, parts in panes.items():
        canvas.quads(np.concatenate(parts), shades.get(cls, MUTED), 0.55 if cls == "surface" else 1.0)
    if edges:
        canvas.lines(np.concatenate(edges), INK, 0.8)
    legend = [f"{len(scene.ids) - flat} members and {len(scene.surfaces)} slabs and walls as solids"]
    return [*legend, f"{flat} without an outline, as lines"] if flat else legend
