"""Checks of loads: values, and whether they arrive."""
