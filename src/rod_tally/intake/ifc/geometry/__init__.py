"""Placements, curves, profiles and bodies of an IFC file."""
