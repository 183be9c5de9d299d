"""Conditions of supports and joints: their stiffness direction by direction, their axes, and what is not
taken of them."""

from __future__ import annotations

from math import inf
from typing import Any

import numpy as np

from ....model.entities.log import LogEntry
from ....model.entities.structure import BED_SIDEWAYS, IN_AXES, along_axes
from ....model.geometry.vectors import Array
from ...source import SourceCondition, SourceCurve, SourceModel
from ..units import Units

ROTATIONS_2X3 = ("RotationalStiffnessX", "RotationalStiffnessY", "RotationalStiffnessZ")
TRANSLATIONS = ("TranslationalStiffnessX", "TranslationalStiffnessY", "TranslationalStiffnessZ")
LINEARS_2X3 = ("LinearStiffnessX", "LinearStiffnessY", "LinearStiffnessZ")
NODE = (LINEARS_2X3, TRANSLATIONS, ROTATIONS_2X3)
EDGE = tuple(tuple(n[:-1] + "ByLength" + n[-1] for n in names) for names in NODE)

AREA = ("TranslationalStiffnessByArea", "LinearStiffnessByArea")  # IFC4, IFC2X3


def condition_of(entity: Any, units: Units, absent: float, axes: Array | None) -> SourceCondition:
    """The stiffness in an IfcBoundaryNodeCondition, or in an IfcBoundaryEdgeCondition a metre; `absent` (0 or
    infinite) where the file says nothing.

    IFC2X3 writes a held direction as a negative stiffness, IFC4 as true.
    """
    out = []
    along = entity.is_a("IfcBoundaryEdgeCondition")
    old, new, rotations = EDGE if along else NODE
    names = (old if hasattr(entity, old[0]) else new) + rotations
    linear, turning = (
        ("MODULUSOFLINEARSUBGRADEREACTIONUNIT", "MODULUSOFROTATIONALSUBGRADEREACTIONUNIT")
        if along
        else ("LINEARSTIFFNESSUNIT", "ROTATIONALSTIFFNESSUNIT")
    )
    for i, name in enumerate(names):
        raw = getattr(entity, name, None)
        value = getattr(raw, "wrappedValue", raw)
        if value is None:
            out.append(absent)
        elif isinstance(value, bool):
            out.append(inf if value else 0.0)
        elif value < 0:
            out.append(inf)
        else:
            out.append(float(value) * units[linear if i < 3 else turning])
    stiffness = tuple(out)
    if axes is None:
        return SourceCondition(stiffness)
    plain = along_axes(stiffness, axes, np.eye(3))
    if plain is not None:
        return SourceCondition(plain)
    return SourceCondition(stiffness, tuple(tuple(float(v) for v in row) for row in axes))  # type: ignore[misc]


def in_member_axes(
    c: SourceCondition, axes: Array, curve: SourceCurve, source: SourceModel
) -> SourceCondition:
    """An end condition given along the rows of `axes` (in the member's own), brought into the member's axes;
    where it would couple there it is taken as if along them, and that is a finding."""
    found = along_axes(c.stiffness, axes, np.eye(3))
    if found is None:
        message = f"the release of member {curve.name or curve.id} is given in axes turned against its own; the turn is not taken over"
        source.log.append(LogEntry("skipped", (curve.id,), message))
        return c
    return SourceCondition(found)


def axes_in_words(said: str) -> Array | None:
    """The axes (3, 3) that a description names, as the hand-back writes them; None for none."""
    if not said.startswith(IN_AXES):
        return None
    try:
        axes = np.array([[float(v) for v in row.split()] for row in said.removeprefix(IN_AXES).split(",")])
    except ValueError:
        return None
    return axes if axes.shape == (3, 3) and np.allclose(axes @ axes.T, np.eye(3), atol=1e-6) else None


def hinged(condition: Any, units: Units) -> bool:
    """Return whether a condition between a part and its connection frees a direction, or makes it a spring."""
    if condition is None:
        return False
    if condition.is_a("IfcBoundaryFaceCondition"):
        return not all(k == inf for k in _by_area(condition))
    return not all(k == inf for k in condition_of(condition, units, inf, None).stiffness)


def bedding_of(condition: Any, units: Units) -> tuple[float, str]:
    """Subgrade modulus (N/m3) across the surface, and what of the condition is not taken over, "" for
    nothing."""
    x, y, z = _by_area(condition, absent=0.0)
    bed = z * units["MODULUSOFSUBGRADEREACTIONUNIT"] if 0 < z < inf else 0.0
    left = []
    if z == inf:
        left.append("it is held across its plane all over, which no spring stands for")
    if (x or y) and not (0 < z < inf and np.allclose((x, y), BED_SIDEWAYS * z)):
        what = (
            "its springs along its plane are"
            if max(x, y) < inf
            else "it is held along its plane all over, which is"
        )
        left.append(
            f"{what} not taken over; "
            + ("a tenth of what holds it across resists sliding" if bed else "it can slide")
        )
    return bed, "; ".join(left)


def _by_area(condition: Any, absent: float = inf) -> list[float]:
    """Three stiffnesses a square metre, in the file's unit: 0 free, infinite held."""
    found = []
    for axis in "XYZ":
        raw = next((v for n in AREA if (v := getattr(condition, n + axis, None)) is not None), None)
        value = getattr(raw, "wrappedValue", raw)
        if value is None:
            found.append(absent)
        elif isinstance(value, bool):
            found.append(inf if value else 0.0)
        else:
            found.append(inf if value < 0 else float(value))
    return found


def left_of(rel: Any) -> list[str]:
    """Return what of the relation between a member and its connection is not taken over."""
    out = []
    if getattr(rel, "AdditionalConditions", None) is not None:
        kind = rel.AdditionalConditions.is_a()
        out.append(
            {
                "IfcFailureConnectionCondition": "the forces at which it fails",
                "IfcSlippageConnectionCondition": "its slip",
            }.get(kind, kind)
        )
    if rel.AppliedCondition is not None and _number(getattr(rel.AppliedCondition, "WarpingStiffness", None)):
        out.append("its stiffness against warping")
    return out


def _number(value: Any) -> float:
    value = getattr(value, "wrappedValue", value)
    return float(value) if isinstance(value, (int, float)) and not isinstance(value, bool) else 0.0
