"""Beams, columns, slabs and walls of an IFC file."""
