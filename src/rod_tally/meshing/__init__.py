"""Slabs and walls into shell elements: which lines they share, how each face is filled, and how good it came
out."""

from .mesh_data import Plates
from .plates import Fills, mesh_plates

__all__ = ["Fills", "Plates", "mesh_plates"]
