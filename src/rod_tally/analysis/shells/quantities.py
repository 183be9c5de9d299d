"""What is read off the forces of slabs and walls: each component, principal values, stresses of a face."""

from __future__ import annotations

import numpy as np

from ...model.geometry.vectors import Array
from .fields import PLATE_COMPONENTS

FACES = {"top": 1.0, "middle": 0.0, "bottom": -1.0}
MORE = ("m1", "m2", "n1", "n2", *(f"s{k} {face}" for face in FACES for k in ("x", "y", "xy", "1", "2")))
PLATE_QUANTITIES = (*PLATE_COMPONENTS, *MORE)


def quantity(values: Array, thickness: Array, name: str) -> Array:
    """One quantity (K,) of forces a metre (K, 8) in PLATE_COMPONENTS: N/m, N, or Pa for the stresses "s…".

    Principal values: 1 the algebraically larger. Raises KeyError for a name that is none.
    """
    if name in PLATE_COMPONENTS:
        return np.asarray(values[:, PLATE_COMPONENTS.index(name)])
    tensor = tensor_of(values, thickness, name)
    if is_principal(name):
        return principal(tensor)[int(_which(name)) - 1]
    return np.asarray(tensor[:, ("x", "y", "xy").index(_which(name))])


def tensor_of(values: Array, thickness: Array, name: str) -> Array:
    """What a quantity is read off (K, 3) xx yy xy: moments, forces, or the stresses of a face, n / t ± 6 m / t^2, "top" being the
    side of +z (plate theory). Raises KeyError for a name that is none."""
    if name not in MORE:
        raise KeyError(name)
    if name[0] in "mn":
        return values[:, 3:6] if name[0] == "m" else values[:, :3]
    t = thickness[:, None]
    return np.asarray(values[:, :3] / t + FACES[name.split(" ")[1]] * 6 * values[:, 3:6] / t**2)


def is_principal(name: str) -> bool:
    """Whether a quantity is a principal value, which does not superpose."""
    return name in MORE and _which(name) in ("1", "2")


def _which(name: str) -> str:
    return name[1:].split(" ")[0]


def principal(tensor: Array) -> tuple[Array, Array, Array]:
    """Larger and smaller principal value (K,) of (K, 3) xx yy xy, and the angle of the larger one from x (K,), rad."""
    middle, half = (tensor[:, 0] + tensor[:, 1]) / 2, (tensor[:, 0] - tensor[:, 1]) / 2
    radius = np.hypot(half, tensor[:, 2])
    return middle + radius, middle - radius, np.asarray(np.arctan2(tensor[:, 2], half) / 2)


def directed(name: str) -> slice | None:
    """Which components (of PLATE_COMPONENTS) a quantity's principal directions come from; None for one without any."""
    if name in ("vx", "vy"):
        return None
    return slice(0, 3) if name[0] == "n" or name.endswith("middle") else slice(3, 6)


def unit_kind(name: str) -> str:
    """ "force" a metre, "moment" a metre, or "stress"."""
    if name[0] == "s":
        return "stress"
    return "moment" if name[0] == "m" else "force"
