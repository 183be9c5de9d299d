"""The elevation of a wall panel as SVG: the wall with its openings, the panel in it, joints, ends of members
and the loads that stand on it."""

from __future__ import annotations

from collections.abc import Callable
from html import escape

import numpy as np
from shapely.geometry import MultiPolygon, Polygon, box

from ...analysis.walls.lengths import wall_directions
from ...model.geometry.vectors import Array
from ...review.review import Review
from ...review.walls.panel_sheet import PanelSheet

WIDE, MOST_TALL, EDGE = 640.0, 380.0, 58.0  # px
OPEN, FILL, PLAIN, INK, JOINT = "#ffffff", "#efe8d9", "#a99f8b", "#26221d", "#1d6b66"
UPRIGHT = 0.1  # m; a joint that rises by less is level
ON_PANEL = 0.05  # m; how far off its levels a joint or a load still belongs to a panel
LABEL = 70.0, 12.0  # px; room for the name of a load's case
MOST_LOADS = 24  # in one drawing
ACROSS = 0.2  # share of a force in the plane below which it is drawn as one across it


Flat = Callable[[Array], Array]


class _Frame:
    """Places of the wall's own elevation on the paper."""

    def __init__(self, outline: Array) -> None:
        self.low = outline.min(axis=0)
        span = np.maximum(np.ptp(outline, axis=0), 1e-6)
        self.scale = min((WIDE - 2 * EDGE) / span[0], (MOST_TALL - 2 * EDGE) / span[1])
        self.tall = span[1] * self.scale + 2 * EDGE
        self.left = (WIDE - span[0] * self.scale) / 2

    def at(self, p: Array) -> tuple[float, float]:
        return (
            float(self.left + (p[0] - self.low[0]) * self.scale),
            float(self.tall - EDGE - (p[1] - self.low[1]) * self.scale),
        )

    def path(self, ring: Array) -> str:
        return "M" + "L".join("{:.1f} {:.1f}".format(*self.at(p)) for p in ring) + "Z"


def drawing(review: Review, sheet: PanelSheet) -> str:
    """The panel seen square to the wall, from the side to which a level direction runs to the right; an SVG
    element."""
    s, model = sheet.wall, review.model
    along, _ = wall_directions(s)

    def flat(points: Array) -> Array:
        return np.stack([points @ along, points[:, 2]], axis=1)

    outer = flat(s.outer)
    frame = _Frame(outer)
    out = [
        f'<svg class="panel" viewBox="0 0 {WIDE:.0f} {frame.tall:.0f}" width="{WIDE:.0f}" height="{frame.tall:.0f}" '
        f'xmlns="http://www.w3.org/2000/svg" role="img" aria-label="{escape(sheet.title)}">',
        f'<path d="{frame.path(outer)}" fill="none" stroke="{PLAIN}" stroke-width="1"/>',
    ]
    out += [
        f'<path d="{frame.path(ring)}" fill="{FILL}" fill-rule="evenodd" stroke="{INK}" stroke-width="1.4"/>'
        for ring in _panel(sheet, outer)
    ]
    out += [
        f'<path d="{frame.path(flat(o))}" fill="{OPEN}" stroke="{INK}" stroke-width="1.2"/>'
        for o in s.openings
    ]
    out += _joints(review, sheet, frame, flat)
    out += _loads(review, sheet, frame, flat)
    low, high = frame.low[0], outer[:, 0].max()
    for z in (sheet.low, sheet.high):
        _, y = frame.at(np.array([low, z]))
        out.append(
            f'<text x="4" y="{y + 4:.1f}" font-size="12" fill="{INK}">{z + float(model.origin[2]):+.3f}</text>'
        )
        out.append(f'<line x1="{frame.left - 8:.1f}" y1="{y:.1f}" x2="{frame.left + (high - low) * frame.scale + 8:.1f}" y2="{y:.1f}" stroke="{PLAIN}" stroke-dasharray="5 4"/>')  # fmt: skip
    a, b = frame.at(np.array([low, outer[:, 1].min()])), frame.at(np.array([high, outer[:, 1].min()]))
    out.append(
        f'<text x="{(a[0] + b[0]) / 2:.1f}" y="{frame.tall - 8:.1f}" font-size="12" text-anchor="middle" fill="{INK}">{high - low:.3f} m</text>'
    )
    return "".join([*out, "</svg>"])


def _panel(sheet: PanelSheet, outer: Array) -> list[Array]:
    """The rings of the wall's outline between the panel's levels."""
    low, high = outer.min(axis=0), outer.max(axis=0)
    part = Polygon(outer).buffer(0).intersection(box(low[0] - 1, sheet.low, high[0] + 1, sheet.high))
    pieces = part.geoms if isinstance(part, MultiPolygon) else [part]
    return [np.array(p.exterior.coords)[:-1] for p in pieces if isinstance(p, Polygon) and not p.is_empty]


def _joints(review: Review, sheet: PanelSheet, frame: _Frame, flat: Flat) -> list[str]:
    """Upright joints with the walls there as thick lines, level ones with slabs as thin ones, ends of members
    as dots."""
    out, model = [], review.model
    named: set[str] = set()
    for j in sheet.wall.joints:
        z = j.line[:, 2]
        if z.max() < sheet.low - ON_PANEL or z.min() > sheet.high + ON_PANEL:
            continue
        line = flat(j.line)
        part = model.part(j.other)
        name = escape((part.name or part.id) if part is not None else j.other)
        if len(line) == 1:
            x, y = frame.at(line[0])
            out.append(f'<circle cx="{x:.1f}" cy="{y:.1f}" r="3.5" fill="{JOINT}"/>')
            if len(named) < 12:
                named.add(name)
                out.append(
                    f'<text x="{x + 6:.1f}" y="{y - 5:.1f}" font-size="10" fill="{JOINT}">{name}</text>'
                )
            continue
        upright = float(np.ptp(z)) > UPRIGHT
        if upright:
            line = np.array([[*p] for p in line])
            line[:, 1] = np.clip(line[:, 1], sheet.low, sheet.high)
        (x0, y0), (x1, y1) = (frame.at(p) for p in line)
        out.append(
            f'<line x1="{x0:.1f}" y1="{y0:.1f}" x2="{x1:.1f}" y2="{y1:.1f}" stroke="{JOINT}" stroke-width="{3.5 if upright else 1.6}"/>'
        )
        if upright:
            x, y = (x0 + x1) / 2, (y0 + y1) / 2
            right = x > WIDE / 2
            out.append(
                f'<text x="{x + (8 if right else -8):.1f}" y="{y:.1f}" font-size="12" text-anchor="{"start" if right else "end"}" fill="{JOINT}">{name}</text>'
            )
    return out


def _loads(review: Review, sheet: PanelSheet, frame: _Frame, flat: Flat) -> list[str]:
    """Loads along lines and at points, each once whatever cases hold it, as arrows in the wall's plane."""
    out: list[str] = []
    seen: set[tuple[float, ...]] = set()
    labels: list[tuple[float, float]] = []
    for case in review.results.cases:
        for h in review.distribution.case(case).held:
            z = h.line[:, 2]
            if h.surface != sheet.wall.id or h.pressure is not None:
                continue
            if z.max() < sheet.low - ON_PANEL or z.min() > sheet.high + ON_PANEL:
                continue
            key = tuple(np.round(h.line, 3).ravel().tolist())
            if key in seen or len(seen) >= MOST_LOADS:
                continue
            seen.add(key)
            places = h.line if len(h.line) == 1 else np.linspace(h.line[0], h.line[1], 5)
            whole = h.force
            ahead = flat(whole[None])[0] * [1.0, -1.0]  # paper's y is down
            for p in flat(places):
                out.append(_arrow(frame.at(p), ahead, float(np.linalg.norm(whole))))
            x, y = frame.at(flat(places).mean(axis=0))
            if any(abs(x - a) < LABEL[0] and abs(y - b) < LABEL[1] for a, b in labels):
                continue  # no name over another
            labels.append((x, y))
            out.append(
                f'<text x="{x:.1f}" y="{y - 26:.1f}" font-size="10" text-anchor="middle" fill="{INK}">{escape(case)}</text>'
            )
    return out


def _arrow(at: tuple[float, float], ahead: Array, size: float) -> str:
    """An arrow that ends at a place, along a force's part in the plane; a cross where it acts across that."""
    x, y = at
    own = float(np.linalg.norm(ahead))
    if own < ACROSS * size or size == 0:
        return f'<path d="M{x - 4:.1f} {y - 4:.1f}l8 8m0 -8l-8 8" stroke="{INK}" fill="none"/>'
    u = ahead / own
    side = np.array([-u[1], u[0]])
    tail, (p, q) = np.array(at) - 22 * u, (np.array(at) - 7 * u + k * side for k in (3.5, -3.5))
    return (
        f'<path d="M{tail[0]:.1f} {tail[1]:.1f}L{x:.1f} {y:.1f}M{p[0]:.1f} {p[1]:.1f}L{x:.1f} {y:.1f}L{q[0]:.1f} {q[1]:.1f}" '
        f'stroke="{INK}" fill="none"/>'
    )
