"""Why a result changed between two revisions: models in between, and the value in each."""

from .between import Between
from .split import CAUSES, Causes, split_change

__all__ = ["CAUSES", "Between", "Causes", "split_change"]
