"""The order of the work, decisions on findings, what is blocking, is it ready."""

from .review import Review
from .steps import CASE, STEPS, Item, Step, items_of, step_of
from .work import review

__all__ = ["CASE", "STEPS", "Item", "Review", "Step", "items_of", "review", "step_of"]
