"""Normal, shear or equivalent stress of members, by its size in colours along them."""

from __future__ import annotations

from collections import Counter
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ...analysis.results.results import Results
from ...analysis.stress.utilisation import normal_stress
from ...model.catalogue.taper import section_at
from ...model.geometry.vectors import Array
from ..theme import INK, PALE, blend
from .registry import Scene, overlay
from .results import MemberPlaces, member_places
from .surfaces import ramp

if TYPE_CHECKING:
    from ..view.canvas import Canvas

BODIES = 400  # members whose bodies are drawn; of more the lines
BANDS = 6  # of colour, up to the largest stress
MEGA = 1e-6
WHAT = {
    "normal": "N/A with bending, tension or compression whichever is larger",
    "shear": "V S/(I b) with torsion",
    "equivalent": "of normal and shear stress (von Mises)",
}


@overlay("stress", "Stress", base="pale")
def draw_stress(canvas: Canvas, scene: Scene) -> list[str]:
    """The largest over the section at each place along the shown members; beyond a chosen range in ink."""
    if scene.why_old:
        return [scene.why_old]
    r, case, name = scene.review.shown(scene.state.case), scene.state.case, scene.state.stress
    if case not in r.cases:
        return [f"{case or 'no case'} was not computed"]
    c = r.case_index(case)
    places = member_places(scene, r, "my", r.member_done[c])
    if places is None:
        return [f"{case}: nothing shown was computed"]
    found, unknown = scene.review.member_stresses(case)
    if name == "normal":
        low, high = found["lowest"][places.stations], found["highest"][places.stations]
        # in bending the two are alike, so that which is the larger says nothing
        size = np.maximum(-low, high)
    else:
        low = high = size = found[name][places.stations]
    run = places.run
    worse = np.maximum(size[run], size[run + 1])
    known = np.isfinite(worse)
    most = scene.largest("stress", float(worse[known].max(initial=0.0)))
    floor, top = scene.state.stress_range or (0.0, most)
    span = top - floor
    band_of = np.ceil((worse[known] - floor) / span * BANDS) if span > 0 else np.ones(int(known.sum()))
    pieces = np.stack([places.foot[run], places.foot[run + 1]], axis=1)
    if (~known).any():
        canvas.lines(pieces[~known], PALE, 2.0)
    solid = [k for k, i in enumerate(scene.ids) if i in index_of(r) and i not in unknown]
    if len(solid) <= BODIES:
        return _on_bodies(canvas, scene, r, c, name, solid, size, places, most) + _unknown(scene, unknown)
    beyond = (worse[known] > top) | (worse[known] < floor)
    if scene.state.stress_range is None:
        beyond[:] = False
    for band in np.unique(band_of[~beyond]):
        canvas.lines(pieces[known][~beyond & (band_of == band)], blend(max(float(band), 1.0) / BANDS), 4.0)
    if beyond.any():
        canvas.lines(pieces[known][beyond], INK, 5.0)
    legend = [f"{case}: {name} stress, N/mm²", WHAT[name]]
    for word in (("highest", "lowest") if name == "normal" else ("highest",)) if known.any() else ():
        at = int(np.nanargmax(high) if word == "highest" else np.nanargmin(low))
        v = float((high if word == "highest" else low)[at]) * MEGA
        canvas.callouts(places.foot[at][None], [f"{v:.4g}"])
        legend.append(f"{word} {v:.4g}")
    if most > 0:
        steps = (1, BANDS // 2, BANDS)
        legend += [
            f"<font color='{blend(n / BANDS)}'>▬</font> to {(floor + span * n / BANDS) * MEGA:.3g}"
            for n in steps
        ]
    if scene.state.stress_range is not None:
        legend.append(
            f"<font color='{INK}'>▬</font> beyond the range: {int(beyond.sum())} of {len(beyond)} pieces"
        )
    if scene.review.without_sign(case):
        legend.append("responses without sign are added; the other sign is not shown")
    return [*legend, f"along lines: more than {BODIES} members are shown", *_unknown(scene, unknown)]


def index_of(r: Results) -> dict[str, int]:
    """Return the number of each member of a run."""
    return {i: k for k, i in enumerate(r.member_ids)}


def _unknown(scene: Scene, unknown: dict[str, str]) -> list[str]:
    left = Counter(unknown[i] for i in scene.ids if i in unknown)
    return [
        f"pale: {n} with {why}" if "section" in why else f"pale: {n} {why}" for why, n in left.most_common(3)
    ]


def _on_bodies(
    canvas: Canvas,
    scene: Scene,
    r: Results,
    c: int,
    name: str,
    which: list[int],
    size: Array,
    places: MemberPlaces,
    most: float,
) -> list[str]:
    """Stress in bands on the surfaces of members' bodies: normal stress with its sign at each place of the
    outline, else the largest over the section at each place along."""
    row_of = dict(zip(places.stations.tolist(), range(len(places.stations))))
    points: list[Array] = []
    values: list[Array] = []
    quads: list[NDArray[np.int64]] = []
    count = 0
    for k in which:
        ident = scene.ids[k]
        member = scene.model.members[ident]
        section = scene.model.sections[member.section]
        stations = [s for s in r.stations_of(ident).tolist() if s in row_of]
        if len(stations) < 2:
            continue
        length = float(np.linalg.norm(scene.lines[k, 1] - scene.lines[k, 0]))
        rings, own = [], []
        for s in stations:
            at = section_at(section, round(float(r.station_x[s]) / length, 6)) if section.end else section
            rim = np.array(at.outline)[:, :2]
            rings.append(places.foot[row_of[s]] + rim @ scene.axes[k, 1:])
            if name == "normal":
                own.append(normal_stress(at, r.force[c, s][None], rim)[0])
            else:
                own.append(np.full(len(rim), size[row_of[s]]))
        n = len(rings[0])
        points += rings
        values += own
        base = count + n * np.arange(len(stations) - 1)[:, None]
        corner = np.arange(n)[None]
        after = (corner + 1) % n
        quads.append(
            np.stack([base + corner, base + after, base + n + after, base + n + corner], axis=-1).reshape(
                -1, 4
            )
        )
        count += n * len(stations)
    if not points:
        return [f"{scene.state.case}: nothing shown was computed"]
    at_all, value = np.concatenate(points), np.concatenate(values)
    signed = name == "normal"
    chosen = scene.state.stress_range
    top = chosen[1] if chosen is not None else scene.largest("stress on bodies", float(np.abs(value).max()))
    floor = chosen[0] if chosen is not None else 0.0
    limits = (-top, top) if signed else (floor, top)
    colours = ramp() if signed else [blend(-(k + 1) / len(ramp())) for k in range(len(ramp()))]
    none = np.zeros((0, 3), np.int64)
    canvas.bands(at_all, np.concatenate(quads), none, value, limits, colours)
    ends = [int(value.argmax()), int(value.argmin())] if signed else [int(value.argmax())]
    canvas.callouts(at_all[ends], [f"{float(value[e]) * MEGA:.4g}" for e in ends])
    blocks = "".join(f"<font color='{colour}'>■</font>" for colour in colours)
    out = [
        f"{scene.state.case}: {name} stress on {len(which)} bodies, N/mm²",
        f"{limits[0] * MEGA:.4g} {blocks} {limits[1] * MEGA:.4g}",
        f"from {float(value.min()) * MEGA:.4g} to {float(value.max()) * MEGA:.4g}",
        "N/A with bending, tension positive" if signed else WHAT[name],
    ]
    if chosen is not None:
        beyond = int(((value < limits[0]) | (value > limits[1])).sum())
        out.append(f"<font color='{INK}'>■</font> beyond the range: {beyond} of {len(value)} places")
    if scene.review.without_sign(scene.state.case):
        out.append("responses without sign are added; the other sign is not shown")
    return out
