"""Overlays of slabs and walls: their elements, their forces and stresses as bands of colour, principal
directions."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ...analysis.results.results import Results
from ...analysis.shells.fields import PlateFields
from ...analysis.shells.quantities import directed, principal, quantity, superposes, unit_kind
from ...meshing import Plates
from ...meshing.quality import quality_of
from ...model.geometry.vectors import Array
from ..theme import GRAPHITE, INK, MUTED, PALE, PINE, RUST, blend
from ..view.symbols import ring
from .registry import Scene, overlay
from .results import WAITING

if TYPE_CHECKING:
    from ..view.canvas import Canvas

NONE = "the run has no slab or wall in it; give them Carries: as a shell (Loads, Span), then run"
BANDS = 10
Flags = NDArray[np.bool_]
TICKS = 1500  # crosses of principal directions at most; beyond that every so many elements


def _shown(scene: Scene, plates: Plates) -> tuple[Flags, Flags]:
    """Which quadrilaterals and triangles belong to surfaces that are shown."""
    ids = set(scene.state.shown_surfaces())
    good = np.array([s in ids for s in plates.surfaces], bool)
    return good[plates.quad_of], good[plates.triangle_of]


@overlay("mesh", "Elements", base="pale")
def draw_mesh(canvas: Canvas, scene: Scene) -> list[str]:
    """The elements of the run's slabs and walls; poor ones filled."""
    plates = scene.review.results.plates
    if scene.why_old:
        return [scene.why_old]
    if plates is None or plates.empty:
        return [NONE]
    q, t = _shown(scene, plates)
    at = plates.points
    for nodes in (plates.quads[q], plates.triangles[t]):
        canvas.outlines(at, nodes, PALE if len(nodes) > 20000 else MUTED, 0.8)
    quality = quality_of(plates)
    poor = quality.poor & np.concatenate([q, t])
    n = len(plates.quads)
    canvas.polygons(at, plates.quads[poor[:n]], RUST, 0.7)
    canvas.polygons(at, plates.triangles[poor[n:]], RUST, 0.7)
    links = np.array([(tie.slave, m) for tie in plates.ties for m in tie.masters], np.int64).reshape(-1, 2)
    canvas.lines(at[links], INK, 2.0)
    lines = [f"{int(q.sum())} quadrilaterals, {int(t.sum())} triangles shown"]
    lines.append(f"<font color='{RUST}'>■</font> {int(poor.sum())} sharp or long")
    if len(links):
        lines.append("▬ rigid arms")
    return lines


@overlay("plates", "Slabs, walls", base="pale")
def draw_plates(canvas: Canvas, scene: Scene) -> list[str]:
    """One quantity of slabs and walls in bands; beyond a chosen range in ink."""
    if scene.why_old:
        return [scene.why_old]
    if scene.review.fields_waiting:
        return ["the forces are being worked out"]
    fields, case = scene.review.fields, scene.state.case
    if fields is None:
        return [NONE]
    r = scene.review.shown(case)
    name, over = scene.state.plate, scene.state.plate_over
    found = scene.review.envelopes.known_plates(name, scene.state.plate_averaged) if over else None
    if over and found is None:
        return [WAITING if not scene.review.envelopes.empty else "no combination was computed"]
    if found is not None:
        value, sure = (found.high if over == "highest" else found.low), found.done
        case = f"{over} of {len(found.combinations)} combinations"
    elif case not in r.cases:
        return [f"{case or 'no case'} was not computed"]
    elif not superposes(name) and scene.review.without_sign(case):
        return [
            f"{case}: responses without sign have no {name}; choose a force, a moment or a stress along x or y"
        ]
    else:
        value, sure = _values(scene, fields, r, name)
    q, t = _shown(scene, fields.plates)
    q, t = q & sure[fields.corners.quads].all(axis=1), t & sure[fields.corners.triangles].all(axis=1)
    used = np.unique(np.concatenate([fields.corners.quads[q].ravel(), fields.corners.triangles[t].ravel()]))
    if not len(used):
        return [f"{case}: no slab or wall that is shown was computed"]
    factor, unit, digits = _unit(scene, name)
    most = scene.largest("surface", float(np.abs(value[used]).max()))
    low, high = scene.state.plate_range or (-most, most)
    points = fields.plates.points[fields.corners.node]
    canvas.bands(points, fields.corners.quads[q], fields.corners.triangles[t], value, (low, high), ramp())
    ends = used[[int(value[used].argmin()), int(value[used].argmax())]]
    texts = [f"{value[k] * factor:.{digits}g}" for k in ends]
    if found is not None:
        by = found.high_by if over == "highest" else found.low_by
        texts = [f"{text} ({found.combinations[int(by[k])].name})" for text, k in zip(texts, ends)]
    canvas.symbols(points[ends], ring(6), INK, 1.6)
    canvas.callouts(points[ends], texts)
    beyond = int(((value[used] < low) | (value[used] > high)).sum())
    stops = np.linspace(low, high, BANDS + 1)
    blocks = "".join(f"<font color='{c}'>■</font>" for c in ramp())
    kind = "averaged over lines" if scene.state.plate_averaged else "not averaged"
    out = [
        f"{case}: {name} in {unit}, {kind}",
        f"{stops[0] * factor:.{digits}g} {blocks} {stops[-1] * factor:.{digits}g}",
        f"○ from {texts[0]} to {texts[1]}",
    ]
    if scene.state.plate_range is not None:
        out.append(f"<font color='{INK}'>■</font> beyond the range: {beyond} of {len(used)} places")
    if name[0] == "m":
        out.append("positive with tension on the side of +z (top of slabs)")
    if found is not None and found.left_out:
        out.append(f"{found.left_out} combinations with responses without sign are left out")
    if scene.state.plate_crosses and found is None and not scene.review.without_sign(case):
        out.append(_crosses(canvas, scene, fields, r, name, np.concatenate([q, t])))
    return out


def _values(scene: Scene, fields: PlateFields, r: Results, name: str) -> tuple[Array, Flags]:
    """The quantity at all corners, and which of them were computed."""
    c = r.case_index(scene.state.case)
    thickness = np.array([fields.plates.shapes[s].thickness for s in fields.plates.surfaces])[
        fields.corners.surface
    ]

    def of(forces: Array) -> Array:
        if scene.state.plate_averaged:
            forces = fields.spread(fields.averaged(forces)[2])
        return quantity(forces, thickness, name)

    value = fields.forces(r, c, of)
    return value, r.node_done[c][fields.corners.node]


def _unit(scene: Scene, name: str) -> tuple[float, str, int]:
    kind = unit_kind(name)
    if kind == "stress":
        return 1e-6, "N/mm²", 4
    factor, unit = getattr(scene.units, kind)
    return factor, f"{unit}/m", 4


def _crosses(canvas: Canvas, scene: Scene, fields: PlateFields, r: Results, name: str, shown: Flags) -> str:
    """Principal directions in the middles of elements: the longer stroke for the larger size."""
    part = directed(name)
    if part is None:
        return "shears have no principal directions"
    plates = fields.plates
    which = np.flatnonzero(shown)
    which = which[:: max(1, len(which) // TICKS)]
    tensor = fields.samples(r.displacement[r.case_index(scene.state.case)])[which, part]
    one, two, angle = principal(tensor)
    of = plates.of()[which]
    axes = np.array([plates.shapes[s].axes for s in plates.surfaces])[of]
    centre = plates.centres()[which]
    areas = (
        np.linalg.norm(np.ptp(plates.points[plates.quads], axis=1), axis=1).mean()
        if len(plates.quads)
        else 0.5
    )
    most = max(float(np.abs(one).max()), float(np.abs(two).max()), 1e-300)
    for size, turn, colour in ((one, angle, PINE), (two, angle + np.pi / 2, GRAPHITE)):
        way = np.cos(turn)[:, None] * axes[:, 0] + np.sin(turn)[:, None] * axes[:, 1]
        half = way * (np.abs(size) / most * areas * 0.5)[:, None]
        canvas.lines(np.stack([centre - half, centre + half], axis=1), colour, 1.4)
    return "strokes: principal directions, as long as their value"


def ramp() -> list[str]:
    """Colours of the bands, from the lowest to the highest: pine through paper to rust."""
    return [blend(2 * (k + 0.5) / BANDS - 1) for k in range(BANDS)]
