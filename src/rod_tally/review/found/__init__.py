"""Findings of combinations, which no check of the model gives."""
