"""Rolled sections, grades, and section values by shape."""
