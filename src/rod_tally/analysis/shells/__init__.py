"""Slabs and walls: elements, loads on them, forces recovered from them."""
