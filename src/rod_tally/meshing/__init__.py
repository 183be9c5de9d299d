"""Slabs and walls into shell elements: which lines they share, how each face is filled, and how good it came
out."""

from .mesh_data import Plates
from .plates import mesh_plates

__all__ = ["Plates", "mesh_plates"]
