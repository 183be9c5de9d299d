"""Causes of a result's change between two revisions: models in between, and the value in each."""

from .between import Between
from .split import CAUSES, ORDERS, Causes, split_change, split_changes

__all__ = ["CAUSES", "ORDERS", "Between", "Causes", "split_change", "split_changes"]
