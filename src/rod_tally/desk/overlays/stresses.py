"""Normal, shear or equivalent stress of members, by its size in colours along them."""

from __future__ import annotations

from collections import Counter
from typing import TYPE_CHECKING

import numpy as np

from ..theme import INK, PALE, blend
from .registry import Scene, overlay
from .results import member_places

if TYPE_CHECKING:
    from ..view.canvas import Canvas

BANDS = 6  # of colour, up to the largest stress
MEGA = 1e-6
WHAT = {
    "normal": "N/A with bending, tension or compression whichever is larger",
    "shear": "V S/(I b) with torsion",
    "equivalent": "of normal and shear stress (von Mises)",
}


@overlay("stress", "Stress")
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
    left = Counter(unknown[i] for i in scene.ids if i in unknown)
    return [
        *legend,
        *(
            f"pale: {n} with {why}" if "section" in why else f"pale: {n} {why}"
            for why, n in left.most_common(3)
        ),
    ]
