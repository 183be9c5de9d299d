"""Which member is which, and what changed: models, then results."""

from .align import Transform
from .comparison import Comparison, compare
from .members import MemberMatch
from .results import Side

__all__ = ["Comparison", "MemberMatch", "Side", "Transform", "compare"]
