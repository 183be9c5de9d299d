"""Overlays drawn over the model: one module a subject, each overlay a function found through the registry."""
