"""Normal stress of members at the corners of their sections, by its size in colours along them."""

from __future__ import annotations

from collections import Counter

import numpy as np

from ...analysis.results.utilisation import edge_stresses
from ..theme import PALE, RUST, blend
from ..view.canvas import Canvas
from .registry import Scene, overlay
from .results import member_places

BANDS = 6  # of colour, up to the largest stress
MEGA = 1e-6


@overlay("stress", "Stress")
def draw_stress(canvas: Canvas, scene: Scene) -> list[str]:
    """The larger of tension and compression at each place along the shown members."""
    if scene.why_old:
        return [scene.why_old]
    r, case = scene.review.shown(scene.state.case), scene.state.case
    if case not in r.cases:
        return [f"{case or 'no case'} was not computed"]
    c = r.case_index(case)
    places = member_places(scene, r, "my", r.member_done[c])
    if places is None:
        return [f"{case}: nothing shown was computed"]
    found, unknown = edge_stresses(scene.model, r, c)
    low, high = found[places.stations].T
    size = np.maximum(-low, high)  # in bending the two are alike, so that which is the larger says nothing
    run = places.run
    worse = np.maximum(size[run], size[run + 1])
    known = np.isfinite(worse)
    most = float(worse[known].max(initial=0.0))
    band_of = np.ceil(worse[known] / most * BANDS) if most > 0 else np.ones(int(known.sum()))
    pieces = np.stack([places.foot[run], places.foot[run + 1]], axis=1)
    if (~known).any():
        canvas.lines(pieces[~known], PALE, 2.0)
    for band in np.unique(band_of):
        canvas.lines(pieces[known][band_of == band], blend(max(float(band), 1.0) / BANDS), 4.0)
    legend = [f"{case}: N/A with bending at the corners of sections, N/mm²"]
    for name, at in (("highest", int(np.nanargmax(high))), ("lowest", int(np.nanargmin(low)))) if known.any() else ():
        v = float((high if name == "highest" else low)[at]) * MEGA
        canvas.labels(places.foot[at][None], [f"{v:.4g}"], RUST)
        legend.append(f"{name} {v:.4g}")
    if most > 0:
        steps = (1, BANDS // 2, BANDS)
        legend += [f"<font color='{blend(n / BANDS)}'>▬</font> to {most * MEGA * n / BANDS:.3g}" for n in steps]
    left = Counter(unknown[i] for i in scene.ids if i in unknown)
    return [
        *legend,
        *(f"pale: {n} with {why}" if "section" in why else f"pale: {n} {why}" for why, n in left.most_common(3)),
    ]
