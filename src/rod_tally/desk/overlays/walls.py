"""Resultants of walls and cores over their height, whatever they were computed as."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ...analysis.walls.forces import CORE, WALL_COMPONENTS
from ...analysis.walls.lengths import wall_directions
from ..session.state import VALUES
from ..theme import INK, PINE
from .registry import Scene, overlay

if TYPE_CHECKING:
    from ..view.canvas import Canvas

MOMENTS = ("t", "m_in", "m_out")
FEW = 60  # cuts whose values are written without being asked for


@overlay("walls", "Wall forces", base="pale")
def draw_walls(canvas: Canvas, scene: Scene) -> list[str]:
    """One resultant on the level cuts of each wall, at the bottom and the top of each storey, as a diagram
    over its height in the plane of the wall."""
    if scene.why_old:
        return [scene.why_old]
    case, name = scene.state.case, scene.state.wall
    if not scene.review.wall_forces.rows:
        return ["the run has no wall in it"]
    found = scene.review.wall_values(case)
    if found is None:
        return [f"{case or 'no case'} was not computed, or its walls have no forces that act together"]
    values, done = found
    shown = {s.id for s in scene.surfaces}
    rows = scene.review.wall_forces.rows
    single = [k for k, row in enumerate(rows) if done[k] and len(row.ids) == 1 and row.ids[0] in shown]
    cores = [
        k for k, row in enumerate(rows) if done[k] and row.wall.startswith(CORE) and set(row.ids) & shown
    ]
    if not single:
        return [f"{case}: no wall that is shown was computed"]
    q = WALL_COMPONENTS.index(name)
    most = scene.largest("wall", float(np.abs(values[single, q]).max(initial=0.0)))
    scale = scene.state.scale * scene.size / 18 / most if most > 0 else 0.0
    kind = "moment" if name in MOMENTS else "force"
    unit = getattr(scene.units, kind)[1]
    feet, heads, at = [], [], []
    by_part: dict[tuple[str, str], list[int]] = {}
    for k in single:
        by_part.setdefault((rows[k].ids[0], rows[k].storey), []).append(k)
    for (ident, _), own in by_part.items():
        aside = wall_directions(scene.model.surfaces[ident])[0]
        own.sort(key=lambda k: float(rows[k].place[2]))
        foot = np.array([rows[k].place for k in own]) - scene.model.origin
        head = foot + aside * (values[own, q] * scale)[:, None]
        feet += list(zip(foot[:-1], foot[1:]))
        heads += list(zip(head[:-1], head[1:]))
        at += list(zip(own, head))
    foot_pairs, head_pairs = np.array(feet).reshape(-1, 2, 3), np.array(heads).reshape(-1, 2, 3)
    canvas.quads(
        np.stack([foot_pairs[:, 0], foot_pairs[:, 1], head_pairs[:, 1], head_pairs[:, 0]], axis=1), PINE, 0.18
    )
    canvas.lines(head_pairs, PINE, 1.8)
    canvas.lines(foot_pairs, INK, 1.0)
    canvas.lines(np.array([(rows[k].place - scene.model.origin, head) for k, head in at]), PINE, 1.2)
    ends = sorted(at, key=lambda p: float(values[p[0], q]))
    told = at if scene.state.label == VALUES or len(at) <= FEW else [ends[0], ends[-1]]
    canvas.labels(
        np.array([head for _, head in told]),
        [scene.units.show(float(values[k, q]), kind, 3) for k, _ in told],
        INK,
        10,
    )
    texts = [f"{scene.units.show(float(values[k, q]), kind)} {unit}" for k, _ in (ends[0], ends[-1])]
    legend = [f"{case}: {name} of walls from {texts[0]} to {texts[1]}", "in the plane of each wall"]
    if name == "n":
        legend.append("positive in tension")
    if cores:
        count = len({rows[k].wall for k in cores})
        legend.append(f"{count} core{'s' if count > 1 else ''} of them: in the table of wall forces")
    return legend
