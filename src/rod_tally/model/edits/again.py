"""Making corrections again on a model taken in anew."""

from __future__ import annotations

from typing import Any

from ..entities.model import Model
from .base import Edit, EditError, from_record


def make_again(model: Model, records: list[dict[str, Any]]) -> tuple[list[Edit], list[str]]:
    """Make recorded corrections in their order; what cannot be made is left out.

    Returns the corrections made, and for each of the others a line that says which and why.
    """
    made: list[Edit] = []
    missed: list[str] = []
    for record in records:
        try:
            edit = from_record(record, model)
            edit.apply(model)
        except EditError as error:
            missed.append(f"{record.get('edit', '?')}: {error}")
        else:
            made.append(edit)
    return made, missed
