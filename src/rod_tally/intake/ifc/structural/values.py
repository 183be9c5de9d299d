"""Values of actions in SI, and what is wrong with them."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..units import Units

POINT = ("ForceX", "ForceY", "ForceZ", "MomentX", "MomentY", "MomentZ")
LINE = ("LinearForceX", "LinearForceY", "LinearForceZ", "LinearMomentX", "LinearMomentY", "LinearMomentZ")


class ActionError(ValueError):
    """An action this reader cannot take over; the message says why."""


def finite(values: tuple[float, ...], most: float = 1e15) -> tuple[float, ...]:
    """The values; raises ActionError when one is no number or beyond `most`."""
    if not np.isfinite(values).all() or max(map(abs, values)) > most:
        raise ActionError("a value of it is not a number, or beyond any load")
    return values


def values_of(load: Any, units: Units, point: bool) -> tuple[float, ...]:
    """Six values in SI of a single or a linear force. Raises ActionError for others."""
    kind, names, force, moment = (
        ("IfcStructuralLoadSingleForce", POINT, "FORCEUNIT", "TORQUEUNIT")
        if point
        else ("IfcStructuralLoadLinearForce", LINE, "LINEARFORCEUNIT", "LINEARMOMENTUNIT")
    )
    if not load.is_a(kind):
        raise ActionError(f"loads of kind {load.is_a()} are not taken over there")
    raw = [float(getattr(load, n, None) or 0.0) for n in names]
    return finite(tuple(v * units[force if i < 3 else moment] for i, v in enumerate(raw)))


def direction(said: str) -> tuple[float, float, float] | None:
    """The three numbers after "along" in a description; None where there are none."""
    try:
        values = [float(v) for v in said.partition(" along ")[2].split()]
    except ValueError:
        return None
    if len(values) != 3 or not 1e-9 < max(map(abs, values)) < 1e9 or not np.isfinite(values).all():
        return None
    return values[0], values[1], values[2]
