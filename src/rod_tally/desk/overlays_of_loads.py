"""Overlays of loads: what was put on, and what arrived, with the area that lost any."""

from __future__ import annotations

import numpy as np
from shapely import constrained_delaunay_triangles
from shapely.geometry import Polygon

from ..model import AreaLoad, LoadCase
from ..model.geometry import Array
from ..model.surface import across, normal_of, sound
from ..review.load_tally import origin_of
from .canvas import Canvas, arrow
from .overlays import Sheet, overlay
from .state import VALUES
from .theme import GRAPHITE, PINE, RUST

Tail = tuple[Array, Array, float]
MOST_LABELS = 60
MOST_VALUES = 1500  # when values are asked for


def parts_of(sheet: Sheet) -> list[tuple[LoadCase, float]]:
    """The shown case, or the cases of the shown combination, with their factors; [] for neither."""
    model, name = sheet.model, sheet.state.case
    if name in model.cases:
        return [(model.cases[name], 1.0)]
    found = next((c for c in sheet.review.combinations if c.name == name), None)
    if found is None:
        return []
    return [(model.cases[n], f) for n, f in found.factors.items() if n in model.cases]


def draw_arrows(canvas: Canvas, tails: list[Tail], most: float, colour: str = PINE) -> None:
    """Arrows that end at their points: (point, direction, size); those of one direction and length in one go."""
    groups: dict[tuple[int, ...], list[Array]] = {}
    for at, q, value in tails:
        key = tuple(np.round(np.append(q / np.linalg.norm(q) * 100, 8 + 26 * value / most)).astype(int))
        groups.setdefault(key, []).append(at)
    for key, points in groups.items():
        canvas.symbols(np.array(points), arrow(np.array(key[:3], float), float(key[3])), colour, 1.6, "world")


@overlay("loads", "Loads put on")
def draw_loads(canvas: Canvas, sheet: Sheet) -> list[str]:
    """Arrows for nodes, members and places; areas as tinted panes with their value written on them."""
    parts = parts_of(sheet)
    if not parts:
        return ["no load case"]
    model, units = sheet.model, sheet.units
    shown, panes = set(sheet.ids), {s.id for s in sheet.surfaces}
    line_of = dict(zip(sheet.ids, sheet.lines))
    lines: list[Tail] = []
    points: list[Tail] = []
    texts: list[tuple[Array, str]] = []
    areas: list[Array] = []
    wanted = sheet.state.origin
    nodes = set(sheet.nodes()) if sheet.state.storeys else set(model.nodes)

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
            outline = _outline(sheet, area)
            if outline is None or (area.surface and area.surface not in panes):
                continue
            if not there(origin_of("area", area.surface)):
                continue
            areas.append(outline)
            q = float(np.linalg.norm(np.array(area.values), axis=1).max()) * abs(factor)
            texts.append((outline.mean(axis=0), f"{q * units.force[0]:.3g} {units.force[1]}/m²"))
        if any(case.self_weight) and there("self-weight"):
            down = np.array(case.self_weight) * factor
            for i, line in zip(sheet.ids, sheet.lines):
                weight = model.weight(model.members[i])
                if weight > 0:
                    points.append((line.mean(axis=0), down, weight * abs(factor)))
    _panes(canvas, areas, PINE, 0.16)
    for group in (lines, points):
        draw_arrows(canvas, group, max((t[2] for t in group), default=1.0))
    if sheet.state.label == VALUES:
        for group, unit in ((lines, f"{units.force[1]}/m"), (points, units.force[1])):
            texts += [(at, f"{v * units.force[0]:.3g} {unit}") for at, _, v in group]
    if len(texts) <= (MOST_VALUES if sheet.state.label == VALUES else MOST_LABELS):
        canvas.labels(np.array([p for p, _ in texts]).reshape(-1, 3), [t for _, t in texts], PINE)
    return _legend(sheet, parts, f"{len(areas)} areas, {len(lines) + len(points)} arrows")


def _outline(sheet: Sheet, area: AreaLoad) -> Array | None:
    if area.outline is not None:
        return area.outline
    surface = sheet.model.surfaces.get(area.surface)
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
        for t in constrained_delaunay_triangles(pane).geoms:
            corners = np.array(t.exterior.coords)[:3] @ np.array([x, y]) + outline[0]
            count = len(points) * 3
            points.append(corners)
            triangles.append([count, count + 1, count + 2])
    if points:
        canvas.faces(np.concatenate(points), np.array(triangles), colour, opacity)
        canvas.lines(np.concatenate([np.stack([o, np.roll(o, -1, axis=0)], axis=1) for o in outlines]), colour, 1.2)


def _legend(sheet: Sheet, parts: list[tuple[LoadCase, float]], what: str) -> list[str]:
    name = sheet.state.case
    if len(parts) == 1 and name in sheet.model.cases:
        case = parts[0][0]
        kind = f"{case.kind} {case.category}".strip() or "no kind"
        only = f", only {sheet.state.origin}" if sheet.state.origin else ""
        legend = [f"→ {name} ({kind}){only}: {what}"]
        total = sheet.review.results.applied.get(name)
        if total is not None:
            shown = [f"{n} {sheet.units.show(float(v), 'force')}" for n, v in zip("xyz", total)]
            legend.append(f"in the run {', '.join(shown)} {sheet.units.force[1]}")
        return legend
    return [f"→ {name} = " + " + ".join(f"{f:g} {c.name}" for c, f in parts), what]


@overlay("arrived", "Loads arrived", base="pale")
def draw_arrived(canvas: Canvas, sheet: Sheet) -> list[str]:
    """What members get from slabs and cladding, as diagrams beside them; what is not carried, where it lies."""
    parts = parts_of(sheet)
    if not parts:
        return ["no load case"]
    units = sheet.units
    line_of = dict(zip(sheet.ids, sheet.lines))
    quads: list[Array] = []
    sizes: list[float] = []
    lost: list[Array] = []
    points: list[Tail] = []
    best: dict[str, tuple[float, Array]] = {}
    rows: list[tuple[Array, Array, Array, Array]] = []
    wanted = sheet.state.origin
    nodes = set(sheet.nodes()) if sheet.state.storeys else set(sheet.model.nodes)
    for case, factor in parts:
        arrival = sheet.review.distribution.case(case.name)
        from_there = np.array([not wanted or origin_of(x.kind, x.part) == wanted for x in arrival.shares], bool)
        for k in np.flatnonzero(from_there[arrival.share]).tolist() if len(arrival.member) else ():
            line = line_of.get(arrival.members[arrival.member[k]])
            if line is None:
                continue
            d = (line[1] - line[0]) / max(float(np.linalg.norm(line[1] - line[0])), 1e-9)
            a, b = line[0] + d * arrival.a[k], line[0] + d * arrival.b[k]
            qa, qb = factor * arrival.qa[k], factor * arrival.qb[k]
            if arrival.a[k] == arrival.b[k]:
                if np.linalg.norm(qa) > 0:
                    points.append((a, qa, float(np.linalg.norm(qa))))
                continue
            rows.append((a, b, qa, qb))
            sizes.append(float(max(np.linalg.norm(qa), np.linalg.norm(qb))))
            largest = best.get(arrival.members[arrival.member[k]])
            if largest is None or sizes[-1] > largest[0]:
                at = a if np.linalg.norm(qa) > np.linalg.norm(qb) else b
                best[arrival.members[arrival.member[k]]] = (sizes[-1], at)
        for node, force, share_of in zip(arrival.nodes, arrival.node_force, arrival.node_share):
            if not from_there[share_of]:
                continue
            if node in nodes:
                points.append((sheet.model.nodes[node].point, factor * force, float(np.linalg.norm(factor * force))))
        for share in (x for x, good in zip(arrival.shares, from_there) if good):
            lost += [p[:-1] if np.allclose(p[0], p[-1]) else p for p in share.places if len(p) > 2]
    most = max(sizes, default=1.0)
    scale = sheet.size / 18 / most
    for a, b, qa, qb in rows:
        quads.append(np.array([a, b, b - qb * scale, a - qa * scale]))
    if quads:
        canvas.quads(np.array(quads), PINE, 0.3)
        tops = np.array([[q[3], q[2]] for q in quads])
        canvas.lines(tops, PINE, 1.4)
    draw_arrows(canvas, points, max((t[2] for t in points), default=1.0), GRAPHITE)
    _panes(canvas, [p for p in lost if len(p) > 2], RUST, 0.35)
    if len(best) <= (MOST_VALUES if sheet.state.label == VALUES else MOST_LABELS):
        canvas.labels(
            np.array([at for _, at in best.values()]).reshape(-1, 3),
            [f"{v * units.force[0]:.3g}" for v, _ in best.values()],
            PINE,
        )
    legend = _legend(sheet, parts, f"▰ on {len(best)} members, largest {most * units.force[0]:.3g} {units.force[1]}/m")
    gone = sum((float(np.abs(f * sheet.review.distribution.case(c.name).total("lost")).max()) for c, f in parts), 0.0)
    if gone > 0:
        legend.append(f"▰ not carried {units.show(gone, 'force')} {units.force[1]}")
    if points:
        legend.append(f"→ {len(points)} concentrated")
    return legend
