"""Cuts drawn where they lie, with shear, moment or axial force of each regular set as a diagram on the
plan."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ...analysis.results.cuts import CutForces
from ...model.entities.cuts import Cut
from ...model.geometry.vectors import Array
from ...words import few
from ..theme import GRAPHITE, INK, OCHRE, PINE
from .registry import Scene, overlay

if TYPE_CHECKING:
    from ..view.canvas import Canvas

CUTS_KIND = {"n": "force", "v": "force", "vz": "force", "m": "moment", "mb": "moment", "mt": "moment"}
MANY = 60  # cuts; beyond that only the largest values are written


@overlay("cuts", "Cuts", base="pale")
def draw_cuts(canvas: Canvas, scene: Scene) -> list[str]:
    """Every cut as a line; of each regular set the chosen component as a diagram."""
    if scene.why_old:
        return [scene.why_old]
    if not scene.review.cuts:
        return ["no cuts yet: Run, Cuts across a floor… or Cut through a wall…"]
    case, component = scene.state.case, scene.state.cut
    forces = scene.review.cut_forces(case)
    shown, hidden = set(scene.state.shown_surfaces()), scene.state.hidden_cuts
    cuts = [c for c in scene.review.cuts if shown & set(c.surfaces) and c.group not in hidden]
    without = sorted({c.group for c in scene.review.cuts} & hidden)
    done = [(c, forces[c.name]) for c in cuts if isinstance(forces.get(c.name), CutForces)]
    lost = [c for c in cuts if not isinstance(forces.get(c.name), CutForces)]
    canvas.lines(np.array([c.line for c, _ in done]).reshape(-1, 2, 3), GRAPHITE, 1.6)
    canvas.dashes(np.array([c.line for c in lost]).reshape(-1, 2, 3), scene.size / 100, OCHRE, 1.4)
    kind = CUTS_KIND[component]
    unit = getattr(scene.units, kind)[1]
    values = np.array([getattr(f, component) for _, f in done])
    most = scene.largest("cut", float(np.abs(values).max(initial=0.0)))
    if not len(done) or case not in scene.review.shown(case).cases:
        return [
            f"{case or 'no case'}: no cut that is shown has forces",
            *_why(lost, forces),
            *_hidden(without),
        ]
    scale = scene.state.scale * scene.size / 12 / most if most > 0 else 0.0
    by_family: dict[str, list[int]] = {}
    for k, (c, _) in enumerate(done):
        by_family.setdefault(c.group, []).append(k)
    for members in by_family.values():
        foot = np.array([done[k][0].line.mean(axis=0) for k in members])
        way = np.array([_along(done[k][0]) for k in members])
        head = foot + way * (values[members] * scale)[:, None]
        feet, heads = foot, head
        if len(members) > 1:
            foot, head = _with_zeros(foot, head, values[members])
            canvas.quads(np.stack([foot[:-1], foot[1:], head[1:], head[:-1]], axis=1), PINE, 0.18)
            canvas.lines(np.stack([head[:-1], head[1:]], axis=1), PINE, 2.0)
            canvas.lines(np.stack([foot[:-1], foot[1:]], axis=1), INK, 1.0)
        foot, head = feet, heads
        canvas.lines(np.stack([foot, head], axis=1), PINE, 1.4)
        written = range(len(members)) if len(done) <= MANY else [int(np.abs(values[members]).argmax())]
        texts = [scene.units.show(float(values[members[k]]), kind, 3) for k in written]
        canvas.labels(head[list(written)], texts, INK)
    return [
        f"{case}: {component} of {len(done)} cuts in {unit}, factors included",
        "n tension positive, v along the cut, m about the plane's normal; a positive value is drawn towards the end of its cut",
        *_why(lost, forces),
        *_hidden(without),
    ]


def _hidden(sets: list[str]) -> list[str]:
    return [f"without {few(sets, 4)}: Run, Show all cuts draws them"] if sets else []


def _with_zeros(foot: Array, head: Array, values: Array) -> tuple[Array, Array]:
    """The diagram's points with one more wherever it passes through zero between two cuts."""
    feet, heads = [foot[0]], [head[0]]
    for k in range(1, len(foot)):
        a, b = values[k - 1], values[k]
        if a * b < 0:
            at = foot[k - 1] + (foot[k] - foot[k - 1]) * (a / (a - b))
            feet.append(at)
            heads.append(at)
        feet.append(foot[k])
        heads.append(head[k])
    return np.array(feet), np.array(heads)


def _along(cut: Cut) -> np.ndarray:
    d = cut.line[1] - cut.line[0]
    return np.asarray(d / np.linalg.norm(d))


def _why(lost: list[Cut], forces: dict[str, CutForces | str]) -> list[str]:
    return [f"╌ {len(lost)} without forces: {forces.get(lost[0].name, '')}"] if lost else []
