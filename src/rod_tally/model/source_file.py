"""Path of the file that a model was taken in from."""

from __future__ import annotations

from pathlib import Path

from .entities.model import Model


def source_of(model: Model) -> Path:
    """The file a model was taken in from; the demo's lie in the package, wherever that is installed."""
    path = Path(model.source_file)
    shipped = Path(__file__).parents[1] / "demo" / "data" / path.name
    return shipped if not path.is_file() and shipped.is_file() else path
