"""The window: the only package that may import Qt or VTK. It drives the core and computes nothing."""
