"""Overlays of loads: what was put on, and what arrived, with the area that lost any."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from shapely.geometry import Polygon

from ...model import AreaLoad, LoadCase
from ...model.entities.surface import across, normal_of, sound
from ...model.geometry.triangles import triangles_of
from ...model.geometry.vectors import Array, ring_sides
from ...review.tallies.load_tally import ORIGINS, origin_of
from ...review.tallies.member_loads import MemberDiagram, member_diagrams
from ..session.state import VALUES
from ..theme import GRAPHITE, KINDS, MOSS, MUTED, OCHRE, PINE, RUST
from ..view.symbols import arrow
from .registry import Scene, overlay

if TYPE_CHECKING:
    from ..view.canvas import Canvas

Tail = tuple[Array, Array, float]
ORIGIN_COLOURS = (MUTED, PINE, OCHRE, KINDS[5], MOSS)  # in the order of ORIGINS
MOST_LABELS = 60
MOST_VALUES = 1500  # when values are asked for
SAID = 1e-3  # share of the largest load below which one has no number beside it


def parts_of(scene: Scene) -> list[tuple[LoadCase, float]]:
    """The shown case, or the cases of the shown combination, with their factors; [] for neither."""
    model, name = scene.model, scene.state.case
    if name in model.cases:
        return [(model.cases[name], 1.0)]
    found = next((c for c in scene.review.combinations if c.name == name), None)
    if found is None:
        return []
    return [(model.cases[n], f) for n, f in found.factors.items() if n in model.cases]


def draw_arrows(canvas: Canvas, tails: list[Tail], most: float, colour: str = PINE) -> None:
    """Arrows that end at their points: (point, direction, size); those of one direction and length in one
    go."""
    groups: dict[tuple[int, ...], list[Array]] = {}
    for at, q, value in tails:
        key = tuple(np.round(np.append(q / np.linalg.norm(q) * 100, 8 + 26 * value / most)).astype(int))
        groups.setdefault(key, []).append(at)
    for key, points in groups.items():
        canvas.symbols(np.array(points), arrow(np.array(key[:3], float), float(key[3])), colour, 1.6, "world")


@overlay("loads", "Applied loads")
def draw_loads(canvas: Canvas, scene: Scene) -> list[str]:
    """Arrows for nodes, members and places; areas as tinted panes with their value written on them."""
    parts = parts_of(scene)
    if not parts:
        return ["no load case"]
    model, units = scene.model, scene.units
    shown, panes = set(scene.ids), {s.id for s in scene.surfaces}
    line_of = dict(zip(scene.ids, scene.lines))
    lines: list[Tail] = []
    points: list[Tail] = []
    texts: list[tuple[Array, str]] = []
    areas: list[Array] = []
    wanted = scene.state.origin
    nodes = set(scene.nodes()) if scene.state.storeys else set(model.nodes)

    def there(origin: str) -> bool:
        return not wanted or wanted == origin

    for case, factor in parts:
        for load in case.member_loads if there("members and nodes") else ():
            if load.member not in shown or load.kind != "force":
                continue
            a, b = line_of[load.member]
            length = float(np.linalg.norm(b - a))
            axes = model.members[load.member].axes(np.array([a, b]))
            single = load.a == load.b
            for s in np.linspace(0, 1, 1 if single else 5):
                q = factor * (np.array(load.qa) * (1 - s) + np.array(load.qb) * s)
                q = axes.T @ q if load.local else q
                if np.linalg.norm(q) > 0:
                    at = a + (b - a) * (load.a + (load.b - load.a) * s) / length
                    (points if single else lines).append((at, q, float(np.linalg.norm(q))))
        for item in case.node_loads if there("members and nodes") else ():
            force = factor * np.array(item.force)
            if np.linalg.norm(force) > 0 and item.node in nodes:
                points.append((model.nodes[item.node].point, force, float(np.linalg.norm(force))))
        for placed in case.space_loads if there("in space") else ():
            for s in np.linspace(0, 1, 1 if len(placed.line) == 1 else 5):
                q = factor * (np.array(placed.qa) * (1 - s) + np.array(placed.qb) * s)
                if np.linalg.norm(q) > 0:
                    at = placed.line[0] * (1 - s) + placed.line[-1] * s
                    (points if len(placed.line) == 1 else lines).append((at, q, float(np.linalg.norm(q))))
        for area in case.area_loads:
            outline = _outline(scene, area)
            if outline is None or (area.surface and area.surface not in panes):
                continue
            if not there(origin_of("area", area.surface)):
                continue
            areas.append(outline)
            q = float(np.linalg.norm(np.array(area.values), axis=1).max()) * abs(factor)
            texts.append((outline.mean(axis=0), f"{q * units.force[0]:.3g} {units.force[1]}/m²"))
        if any(case.self_weight) and there("self-weight"):
            down = np.array(case.self_weight) * factor
            for i, line in zip(scene.ids, scene.lines):
                weight = model.weight(model.members[i])
                if weight > 0:
                    points.append((line.mean(axis=0), down, weight * abs(factor)))
    _panes(canvas, areas, PINE, 0.16)
    for group in (lines, points):
        draw_arrows(canvas, group, max((t[2] for t in group), default=1.0))
    if scene.state.label == VALUES:
        for group, unit in ((lines, f"{units.force[1]}/m"), (points, units.force[1])):
            texts += [(at, f"{v * units.force[0]:.3g} {unit}") for at, _, v in group]
    if len(texts) <= (MOST_VALUES if scene.state.label == VALUES else MOST_LABELS):
        canvas.labels(np.array([p for p, _ in texts]).reshape(-1, 3), [t for _, t in texts], PINE)
    return _legend(scene, parts, f"{len(areas)} areas, {len(lines) + len(points)} arrows")


def _outline(scene: Scene, area: AreaLoad) -> Array | None:
    if area.outline is not None:
        return area.outline
    surface = scene.model.surfaces.get(area.surface)
    return None if surface is None else surface.outer


def _panes(canvas: Canvas, outlines: list[Array], colour: str, opacity: float) -> None:
    """Outlines as tinted panes with their edges."""
    points: list[Array] = []
    triangles: list[list[int]] = []
    for outline in outlines:
        n = normal_of(outline)
        x, y = across(n)
        flat = (outline - outline[0]) @ np.array([x, y]).T
        pane = sound(Polygon(flat))
        cut = triangles_of(pane)
        if not len(cut):
            canvas.left_out.append("an area")
        for t in cut:
            corners = t @ np.array([x, y]) + outline[0]
            count = len(points) * 3
            points.append(corners)
            triangles.append([count, count + 1, count + 2])
    if points:
        canvas.faces(np.concatenate(points), np.array(triangles), colour, opacity)
        canvas.lines(np.concatenate([ring_sides(o) for o in outlines]), colour, 1.2)


def _legend(scene: Scene, parts: list[tuple[LoadCase, float]], what: str) -> list[str]:
    name = scene.state.case
    if len(parts) == 1 and name in scene.model.cases:
        case = parts[0][0]
        kind = f"{case.kind} {case.category}".strip() or "no kind"
        only = f", only {scene.state.origin}" if scene.state.origin else ""
        legend = [f"→ {name} ({kind}){only}: {what}"]
        total = scene.review.results.applied.get(name)
        if total is not None:
            shown = [f"{n} {scene.units.show(float(v), 'force')}" for n, v in zip("xyz", total)]
            legend.append(f"in the run {', '.join(shown)} {scene.units.force[1]}")
        return legend
    return [f"→ {name} = " + " + ".join(f"{f:g} {c.name}" for c, f in parts), what]


@overlay("arrived", "Loads on members", base="pale")
def draw_arrived(canvas: Canvas, scene: Scene) -> list[str]:
    """Everything that each member carries, as one diagram beside it; what is not carried, where it lies."""
    parts = parts_of(scene)
    if not parts:
        return ["no load case"]
    units = scene.units
    line_of = dict(zip(scene.ids, scene.lines))
    diagrams = member_diagrams(scene.review, parts, scene.state.origin, set(scene.ids))
    peaks = {i: d.peak for i, d in diagrams.items()}
    most = (
        scene.largest("load", max((float(np.linalg.norm(v)) for _, v in peaks.values()), default=0.0)) or 1.0
    )
    scale = scene.size / 18 / most
    plan = scene.direction == "plan"
    seen: dict[str, list[Array]] = {}
    tops: list[Array] = []
    texts: list[tuple[Array, str]] = []
    points: list[Tail] = []
    every = scene.state.label == VALUES
    for ident, d in diagrams.items():
        line = line_of[ident]
        along = (line[1] - line[0]) / max(float(np.linalg.norm(line[1] - line[0])), 1e-9)
        aside = across_in_plan(along) if plan else None
        at = line[0] + along * d.x[:, None]
        low = np.zeros((max(len(d.x) - 1, 0), 2, 3))
        for origin in ORIGINS:
            if origin not in d.start:
                continue
            q = np.stack([d.start[origin], d.end[origin]], axis=1)
            high = low - (laid_down(q, aside) if aside is not None else q) * scale
            base = np.stack([at[:-1], at[1:]], axis=1)
            quads = np.stack(
                [
                    base[:, 0] + low[:, 0],
                    base[:, 1] + low[:, 1],
                    base[:, 1] + high[:, 1],
                    base[:, 0] + high[:, 0],
                ],
                axis=1,
            )
            seen.setdefault(origin, []).append(quads[np.abs(q).max(axis=(1, 2)) > 0])
            low = high
        if len(d.x) > 1:
            tops.append(np.stack([at[:-1] + low[:, 0], at[1:] + low[:, 1]], axis=1))
            own = max(float(np.abs(v).max(initial=0.0)) for v in (*d.start.values(), *d.end.values()))
            if own > SAID * most:  # what the rule spreads to keep its balance is no load that somebody put on
                texts += _values(d, at, low, units.force[0], every)
        for x, force, _ in d.points:
            if np.linalg.norm(force) > 0:
                points.append((line[0] + along * x, force, float(np.linalg.norm(force))))
    legend = []
    for origin, blocks in seen.items():
        colour = ORIGIN_COLOURS[ORIGINS.index(origin)]
        canvas.quads(np.concatenate(blocks), colour, 0.35)
        legend.append(f"<span style='color:{colour}'>▰</span> {origin}")
    if tops:
        canvas.lines(np.concatenate(tops), PINE, 1.4)
    points += _on_nodes(scene, parts)
    draw_arrows(canvas, points, max((t[2] for t in points), default=1.0), GRAPHITE)
    lost = _not_carried(scene, parts)
    _panes(canvas, [p for p in lost if len(p) > 2], RUST, 0.35)
    if len(diagrams) <= (MOST_VALUES if every else MOST_LABELS):
        canvas.labels(np.array([p for p, _ in texts]).reshape(-1, 3), [t for _, t in texts], PINE)
    shown = 0.0 if not peaks else most
    head = f"on {len(diagrams)} members, largest {shown * units.force[0]:.3g} {units.force[1]}/m in all"
    legend = [*_legend(scene, parts, head), *legend]
    gone = sum(
        (float(np.abs(f * scene.review.distribution.case(c.name).total("lost")).max()) for c, f in parts), 0.0
    )
    if gone > 0:
        legend.append(
            f"<span style='color:{RUST}'>▰</span> not carried {units.show(gone, 'force')} {units.force[1]}"
        )
    if points:
        legend.append(f"→ {len(points)} concentrated")
    return legend


def across_in_plan(along: Array) -> Array | None:
    """The level direction across a member, in which its load is laid down to be seen from above; None for an
    upright."""
    flat = np.array([-along[1], along[0], 0.0])
    size = float(np.linalg.norm(flat))
    return flat / size if size > 1e-3 else None


def laid_down(q: Array, aside: Array) -> Array:
    """Loads (…, 3) with their vertical part turned into a level direction."""
    out = q.copy()
    out[..., 2] = 0.0
    return np.asarray(out + q[..., 2:] * aside)


def _values(d: MemberDiagram, at: Array, top: Array, k: float, every: bool) -> list[tuple[Array, str]]:
    """The sum at its peak, or at every break."""
    total = np.stack([d.total_start, d.total_end], axis=1)
    size = np.linalg.norm(total, axis=2)
    if not size.size or not size.max() > 0:
        return []
    if not every:
        peak, end = np.unravel_index(int(size.argmax()), size.shape)
        return [(at[peak + end] + top[peak, end], f"{size[peak, end] * k:.3g}")]
    out = []
    for i in range(len(size)):
        for side in (0, 1):
            again = side == 0 and i > 0 and abs(size[i, 0] - size[i - 1, 1]) < 1e-3 * size.max()
            if size[i, side] > 0 and not again:
                out.append((at[i + side] + top[i, side], f"{size[i, side] * k:.3g}"))
    return out


def _on_nodes(scene: Scene, parts: list[tuple[LoadCase, float]]) -> list[Tail]:
    """Return what slabs and places give nodes, as columns take it."""
    wanted = scene.state.origin
    nodes = set(scene.nodes()) if scene.state.storeys else set(scene.model.nodes)
    out: list[Tail] = []
    for case, factor in parts:
        arrival = scene.review.distribution.case(case.name)
        for node, force, k in zip(arrival.nodes, arrival.node_force, arrival.node_share):
            origin = origin_of(arrival.shares[k].kind, arrival.shares[k].part)
            size = float(np.linalg.norm(factor * force))
            if node in nodes and size > 0 and (not wanted or origin == wanted):
                out.append((scene.model.nodes[node].point, factor * force, size))
    return out


def _not_carried(scene: Scene, parts: list[tuple[LoadCase, float]]) -> list[Array]:
    """Outlines of what arrived nowhere."""
    wanted = scene.state.origin
    out: list[Array] = []
    for case, _ in parts:
        for share in scene.review.distribution.case(case.name).shares:
            if not wanted or origin_of(share.kind, share.part) == wanted:
                out += [p[:-1] if np.allclose(p[0], p[-1]) else p for p in share.places if len(p) > 2]
    return out
