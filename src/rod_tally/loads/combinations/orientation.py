"""Directions of a building's frames in plan, and what follows for combining horizontal directions."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ...model import LoadCase, Model
from ...model.geometry.directions import lies_at, turn
from ...model.geometry.vectors import Array

# an element this near to an axis counts as lying along it. Common practice, no source.
ALONG = np.radians(10.0)
DIAGONAL = np.radians(10.0)
ROUNDING = 1e-9
LEAST = 0.1  # share of the whole length from which what lies at an angle counts. Common practice, no source.
EVEN = 0.05  # share by which a section's second moments differ and it has no direction of its own

DIRECTED = ("seismic", "notional")  # kinds of cases that are combined by direction


@dataclass(slots=True)
class Orientation:
    """Lengths of beams and walls, or of columns (m), along the axes, at 45 degrees, and at other angles;
    the scheme that follows, and why."""

    along: float
    diagonal: float
    other: float
    scheme: str
    why: str


def orientation(model: Model) -> Orientation:
    """Which way seismic directions are combined. Common practice, no source; the ways themselves are EN
    1998-1 4.3.3.5.1. The axes are the building's own where it is turned.

    Frames and walls along x and y take each direction by itself, such at an angle 100 % with 30 %, such at 45
    degrees the square root of the sum of squares. What lies at an angle counts from a tenth of the whole
    length."""
    turned = lies_at(model)
    frames, columns = _plan_lines(model), _column_axes(model)
    if not len(frames[0]) and not len(columns[0]):
        return Orientation(0.0, 0.0, 0.0, "plain", "no frames or walls were found; each direction by itself")
    of_frames = _by_angle(frames, turned, "frames and walls")
    of_columns = _by_angle(columns, turned, "columns, by their own axes,")
    found = [x for x in (of_frames, of_columns) if x is not None]
    return next((x for x in found if x.scheme != "plain"), found[0])


def _by_angle(lines: tuple[Array, Array], turned: float, what: str) -> Orientation | None:
    """Return what follows from directions (rad) with their lengths, in axes turned so; None for no length."""
    angles, lengths = lines
    total = float(lengths.sum())
    if total == 0:
        return None
    off = np.abs((angles - turned + np.pi / 4) % (np.pi / 2) - np.pi / 4)  # from the nearer axis
    along = float(lengths[off <= ALONG].sum())
    diagonal = float(lengths[np.pi / 4 - off <= DIAGONAL].sum())
    other = total - along - diagonal
    least = LEAST * total * (1 - ROUNDING)  # lengths of a turned building add up to a little less
    if diagonal >= least and diagonal >= other * (1 - ROUNDING):
        return Orientation(
            along, diagonal, other, "square root", f"{diagonal / total:.0%} of {what} lie at about 45 degrees"
        )
    if diagonal + other >= least:
        why = f"{(diagonal + other) / total:.0%} of {what} lie at an angle to the axes"
        return Orientation(along, diagonal, other, "100+30", why)
    return Orientation(along, diagonal, other, "plain", f"{along / total:.0%} of {what} lie along the axes")


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


def _column_axes(model: Model) -> tuple[Array, Array]:
    """Direction in plan (rad) and length (m) of columns that bend more easily about one axis than about the
    other."""
    angles, lengths = [], []
    for m in model.members.values():
        section = model.sections.get(m.section)
        if m.cls != "column" or section is None or not section.usable:
            continue
        if abs(section.iy - section.iz) > EVEN * max(section.iy, section.iz):
            line = model.line(m)
            y = m.axes(line)[1]
            angles.append(np.arctan2(y[1], y[0]))
            lengths.append(np.linalg.norm(line[1] - line[0]))
    return np.array(angles), np.array(lengths)


def directions(cases: dict[str, LoadCase], totals: dict[str, Array], angle: float = 0.0) -> dict[str, str]:
    """The direction in which each seismic (x, y or z) or notional case (+x, -x …) mainly acts, from its sum
    (N): of x and y, or of axes turned by `angle` (rad) where the cases lie along those rather."""
    out = {}
    flat = np.array([totals[n][:3] for n, c in cases.items() if c.kind in DIRECTED and n in totals])
    own = turn(angle)
    if not len(flat) or np.abs(flat @ own).max(axis=1).sum() <= np.abs(flat).max(axis=1).sum() * (1 + 1e-6):
        own = np.eye(3)
    for name, case in cases.items():
        if case.kind in DIRECTED and name in totals:
            force = totals[name][:3] @ own
            if np.abs(force).max() > 0:
                k = int(np.abs(force).argmax())
                sign = ("-" if force[k] < 0 else "+") if case.kind == "notional" else ""
                out[name] = sign + "xyz"[k]
    return out
