"""Results of another source, as its tables give them, against ours."""

from .values import Elsewhere, compare_elsewhere
from .wholes import Wholes

__all__ = ["Elsewhere", "Wholes", "compare_elsewhere"]
