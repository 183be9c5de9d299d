"""Comparison of revisions: matching, then changes of models, then of results."""

from .align import Transform
from .comparison import Comparison, compare
from .members import MemberMatch
from .results import Side

__all__ = ["Comparison", "MemberMatch", "Side", "Transform", "compare"]
