"""What belongs to whole storeys: their centres of mass and of stiffness."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ..theme import INK, OCHRE, PINE
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
