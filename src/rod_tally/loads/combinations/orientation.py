"""How a building's frames lie in plan, and what follows for combining horizontal directions."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ...model import LoadCase, Model
from ...model.geometry.vectors import Array

# an element this near to an axis counts as lying along it. Common practice, no source.
ALONG = np.radians(10.0)
DIAGONAL = np.radians(10.0)


@dataclass(slots=True)
class Orientation:
    """Lengths of beams and walls (m) along the axes, at 45 degrees, and at other angles; the scheme that
    follows, and why."""

    along: float
    diagonal: float
    other: float
    scheme: str
    why: str


def orientation(model: Model) -> Orientation:
    """Which way seismic directions are combined. Common practice, no source; the ways themselves are EN
    1998-1 4.3.3.5.1.

    Frames and walls along x and y take each direction by itself, such at an angle 100 % with 30 %, such at 45
    degrees the square root of the sum of squares. What lies at an angle counts from a tenth of the whole
    length."""
    angles, lengths = _plan_lines(model)
    total = float(lengths.sum())
    if total == 0:
        return Orientation(0.0, 0.0, 0.0, "plain", "no frames or walls were found; each direction by itself")
    off = np.abs((angles + np.pi / 4) % (np.pi / 2) - np.pi / 4)  # from the nearer axis, 0 to 45 degrees
    along = float(lengths[off <= ALONG].sum())
    diagonal = float(lengths[np.pi / 4 - off <= DIAGONAL].sum())
    other = total - along - diagonal
    if diagonal >= 0.1 * total and diagonal >= other:
        scheme, why = "square root", f"{diagonal / total:.0%} of frames and walls lie at about 45 degrees"
    elif diagonal + other >= 0.1 * total:
        scheme, why = (
            "100+30",
            f"{(diagonal + other) / total:.0%} of frames and walls lie at an angle to the axes",
        )
    else:
        scheme, why = "plain", f"{along / total:.0%} of frames and walls lie along the axes"
    return Orientation(along, diagonal, other, scheme, why)


def _plan_lines(model: Model) -> tuple[Array, Array]:
    """Direction in plan (rad) and length (m) of beams on columns and of walls."""
    angles, lengths = [], []
    columns = {n for m in model.members.values() if m.cls == "column" for n in (m.start, m.end)}
    for m in model.members.values():
        if m.cls == "beam" and (m.start in columns or m.end in columns):
            d = np.diff(model.line(m), axis=0)[0, :2]
            angles.append(np.arctan2(d[1], d[0]))
            lengths.append(np.linalg.norm(d))
    for s in model.surfaces.values():
        if s.upright:
            x = s.plain_axes[0]
            angles.append(np.arctan2(x[1], x[0]))
            lengths.append(np.ptp(s.outer @ x))
    return np.array(angles), np.array(lengths)


def directions(cases: dict[str, LoadCase], totals: dict[str, Array]) -> dict[str, str]:
    """The direction in which each seismic (x, y or z) or notional case (+x, -x …) mainly acts, from its sum
    (N)."""
    out = {}
    for name, case in cases.items():
        if case.kind in ("seismic", "notional") and name in totals:
            force = totals[name][:3]
            if np.abs(force).max() > 0:
                k = int(np.abs(force).argmax())
                sign = ("-" if force[k] < 0 else "+") if case.kind == "notional" else ""
                out[name] = sign + "xyz"[k]
    return out
