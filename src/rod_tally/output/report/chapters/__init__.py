"""Chapters of the report. A new one: a function with @chapter in a module of this folder, its name in the
settings' CHAPTERS."""

from . import building, changes, effects, expected, findings, forces, loads, sign_off, sources, views
from .registry import chapters, stamps

__all__ = [
    "building",
    "changes",
    "chapters",
    "effects",
    "expected",
    "findings",
    "forces",
    "loads",
    "sign_off",
    "sources",
    "stamps",
    "views",
]
