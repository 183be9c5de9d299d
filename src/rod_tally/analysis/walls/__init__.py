"""Walls: forces on level cuts and along upright joints, and what a wall without tension needs to stand."""
