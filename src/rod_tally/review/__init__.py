"""The order of the work, decisions on findings, what is blocking, is it ready."""

from .review import Review, review
from .steps import STEPS, Step, step_of

__all__ = ["STEPS", "Review", "Step", "review", "step_of"]
