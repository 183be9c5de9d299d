"""Walls over all combinations: joints, stability, and a sheet for each panel."""
