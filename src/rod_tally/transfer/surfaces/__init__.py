"""Slabs and walls to mid-surfaces that meet."""
