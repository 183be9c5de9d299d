"""Checks of the mesh, the run, and of how the building answers."""
