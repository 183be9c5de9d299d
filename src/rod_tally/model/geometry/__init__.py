"""Geometry of lines, bodies and outlines."""
