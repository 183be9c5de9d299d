"""Which member is which, and what changed: models, then results."""

from .comparison import Comparison, compare
from .match import MemberMatch, Transform

__all__ = ["Comparison", "MemberMatch", "Transform", "compare"]
