"""The structural analysis domain of an IFC file."""
