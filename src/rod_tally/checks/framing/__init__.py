"""Checks of the bare model: what came in, what meets, what holds it."""
