"""Results of two revisions: which values stand against each other, what must be looked at again, forces along
a member."""

from .pairs import ENVELOPE, FLIPPED, SURFACE_FORCES, ResultChange, Shared, Side, compare_results, shared_of

__all__ = [
    "ENVELOPE",
    "FLIPPED",
    "SURFACE_FORCES",
    "ResultChange",
    "Shared",
    "Side",
    "compare_results",
    "shared_of",
]
