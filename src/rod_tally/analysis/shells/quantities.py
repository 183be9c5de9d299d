"""Quantities read off the forces of slabs and walls: each component, principal values, stresses of a face."""

from __future__ import annotations

import numpy as np

from ...model.geometry.vectors import Array
from .fields import PLATE_COMPONENTS

FACES = {"top": 1.0, "middle": 0.0, "bottom": -1.0}
MORE = ("m1", "m2", "n1", "n2", *(f"s{k} {face}" for face in FACES for k in ("x", "y", "xy", "1", "2", "e")))
PLATE_QUANTITIES = (*PLATE_COMPONENTS, *MORE)


def quantity(values: Array, thickness: Array, name: str) -> Array:
    """One quantity (K,) of forces a metre (K, 8) in PLATE_COMPONENTS: N/m, N, or Pa for the stresses "s…".

    Principal values: 1 the algebraically larger; "se …" the equivalent stress. Raises KeyError for a name
    that is none."""
    if name in PLATE_COMPONENTS:
        return np.asarray(values[:, PLATE_COMPONENTS.index(name)])
    tensor = tensor_of(values, thickness, name)
    if not superposes(name):
        return of_tensor(tensor, name)
    return np.asarray(tensor[:, ("x", "y", "xy").index(_which(name))])


def of_tensor(tensor: Array, name: str) -> Array:
    """A principal value or the equivalent stress (K,) of what `tensor_of` gives for it. The equivalent stress
    is Huber's and von Mises' in plane stress, with the shears across the thickness in the middle, where they
    are largest."""
    if _which(name) == "e":
        x, y, xy, xz, yz = tensor.T
        return np.asarray(np.sqrt(x**2 - x * y + y**2 + 3 * (xy**2 + xz**2 + yz**2)))
    return principal(tensor)[int(_which(name)) - 1]


def tensor_of(values: Array, thickness: Array, name: str) -> Array:
    """Return what a quantity is read off (K, 3) xx yy xy: moments, forces, or the stresses of a face, n / t
    ± 6 m / t^2, "top" being the side of +z (plate theory); for an equivalent stress (K, 5), with xz yz: 1.5
    v / t in the middle, none at the faces. Raises KeyError for a name that is none."""
    if name not in MORE:
        raise KeyError(name)
    if name[0] in "mn":
        return values[:, 3:6] if name[0] == "m" else values[:, :3]
    t = thickness[:, None]
    face = FACES[name.split(" ")[1]]
    plane = values[:, :3] / t + face * 6 * values[:, 3:6] / t**2
    if _which(name) != "e":
        return np.asarray(plane)
    return np.concatenate([plane, (0.0 if face else 1.5) * values[:, 6:8] / t], axis=1)


def superposes(name: str) -> bool:
    """Return whether values of a quantity add up over cases; principal values and equivalent stresses do
    not."""
    return name not in MORE or _which(name) not in ("1", "2", "e")


def _which(name: str) -> str:
    return name[1:].split(" ")[0]


def principal(tensor: Array) -> tuple[Array, Array, Array]:
    """Larger and smaller principal value (K,) of (K, 3) xx yy xy, and the angle of the larger one from x
    (K,), rad."""
    middle, half = (tensor[:, 0] + tensor[:, 1]) / 2, (tensor[:, 0] - tensor[:, 1]) / 2
    radius = np.hypot(half, tensor[:, 2])
    return middle + radius, middle - radius, np.asarray(np.arctan2(tensor[:, 2], half) / 2)


def directed(name: str) -> slice | None:
    """Which components (of PLATE_COMPONENTS) a quantity's principal directions come from; None for one
    without any."""
    if name in ("vx", "vy"):
        return None
    return slice(0, 3) if name[0] == "n" or name.endswith("middle") else slice(3, 6)


def unit_kind(name: str) -> str:
    """ "force" a metre, "moment" a metre, or "stress"."""
    if name[0] == "s":
        return "stress"
    return "moment" if name[0] == "m" else "force"
