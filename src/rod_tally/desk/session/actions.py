"""Nodes that what is selected in the window stands for."""

from __future__ import annotations

from ...model import Model
from ...review.remedies import lowest
from .state import DeskState


def held_nodes(model: Model | None, state: DeskState) -> list[str]:
    """The selected nodes, and the lower ends of selected members."""
    low = [lowest(model, m) for m in state.chosen("member")] if model is not None else []
    return list(dict.fromkeys([*state.chosen("node"), *low]))
