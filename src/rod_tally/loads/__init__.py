"""Loads on their way: areas to members by yield lines or spans, cases and combinations made from rules."""

from .arrival import Arrival, Share
from .distribution import Distribution

__all__ = ["Arrival", "Distribution", "Share"]
