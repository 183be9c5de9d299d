"""Overlays of whole storeys: centres of mass and of stiffness, floors that are rigid in their plane."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ...analysis.solve.diaphragms import Floor
from ..theme import GRAPHITE, INK, MOSS, OCHRE, PINE
from ..view.symbols import diamond, ring
from .registry import Scene, overlay

if TYPE_CHECKING:
    from ..view.canvas import Canvas


@overlay("centres", "Storey centres", base="pale")
def draw_centres(canvas: Canvas, scene: Scene) -> list[str]:
    """A ring where the mass of each storey has its centre, a diamond where its stiffness has it, and the way
    between them."""
    if scene.why_old:
        return [scene.why_old]
    found = scene.review.centres
    shown = scene.state.storeys
    found = [c for c in found if not shown or c.storey in shown]
    if not found:
        return [
            "no storey has mass that is free to move: modes need mass, storeys and a model without loose parts"
        ]
    origin = scene.model.origin
    mass = np.array([(c.mass_x, c.mass_y, c.elevation) for c in found]) - origin
    stiff = np.array([(c.stiff_x, c.stiff_y, c.elevation) for c in found]) - origin
    turning = np.array([c.turns for c in found])
    pairs = np.stack([mass, stiff], axis=1)
    canvas.lines(pairs[turning], OCHRE, 2.4)
    canvas.lines(pairs[~turning], PINE, 2.0)
    canvas.symbols(mass, ring(8), INK, 2.2)
    canvas.symbols(stiff, diamond(8), OCHRE, 2.4)
    texts = [f"{c.name}: {np.hypot(*c.eccentricity):.2f} m" for c in found]
    canvas.labels(pairs.min(axis=1) + [0.0, 0.0, 0.4], texts, INK)
    return [
        "○ centre of mass",
        f"<font color='{OCHRE}'>◇</font> centre of stiffness",
        f"<font color='{OCHRE}'>▬</font> turns under horizontal forces ({int(turning.sum())} of {len(found)} storeys)",
    ]


@overlay("floors", "Rigid floors", base="pale")
def draw_floors(canvas: Canvas, scene: Scene) -> list[str]:
    """The nodes that each rigid floor of the run holds, joined to the middle of them."""
    if scene.why_old:
        return [scene.why_old]
    if scene.review.results.empty:
        return ["nothing was computed"]
    r, shown = scene.review.results, scene.state.storeys
    found = [f for f in scene.review.balance.floors if not shown or _storey_of(scene, f) in shown]
    if not found:
        return ["no floor that is shown moves in its plane as one"]
    xyz = r.xyz - scene.model.origin
    middles = np.array([xyz[f.nodes].mean(axis=0) for f in found])
    for f, middle in zip(found, middles):
        at = xyz[f.nodes]
        canvas.lines(np.stack([np.broadcast_to(middle, at.shape), at], axis=1), MOSS, 1.0, 0.6)
        canvas.symbols(at, ring(3.5), MOSS, 1.6)
    canvas.symbols(middles, diamond(8), INK, 2.2)
    canvas.labels(middles, [f"{f.name}: {len(f.nodes)} nodes" for f in found], INK)
    count = sum(len(f.nodes) for f in found)
    return [
        f"{len(found)} floor{'s' if len(found) != 1 else ''} rigid in plane, {count} nodes",
        f"<font color='{MOSS}'>○</font> node that it holds",
        "◇ middle of its nodes",
        f"<font color='{GRAPHITE}'>centres of mass and stiffness: Storey centres</font>",
    ]


def _storey_of(scene: Scene, floor: Floor) -> str:
    slabs = [scene.model.surfaces[s].storey for s in floor.slabs if s in scene.model.surfaces]
    near = min(scene.model.storeys, key=lambda s: abs(s.elevation - floor.plane), default=None)
    return slabs[0] if slabs else near.name if near is not None else ""
