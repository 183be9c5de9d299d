"""Stresses that forces of members cause in their sections."""
