"""Corrections that are made while a source is taken in, before what follows from them is decided."""

from __future__ import annotations

from collections.abc import Sequence

from ..model import Model
from ..model.edits import Edit, EditError


def make_early(model: Model, made: Sequence[Edit], stage: str) -> None:
    """Make those of these corrections that belong to a stage, in their order, unrecorded. One about what is
    not in the source (half of a member that was split later) waits for the joined model."""
    for edit in made:
        if edit.made_at == stage:
            before = dict(model.sections), dict(model.materials), dict(model.members), dict(model.surfaces)
            try:
                edit.change(model)
            except EditError:
                model.sections, model.materials, model.members, model.surfaces = before
