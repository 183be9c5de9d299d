"""Files in: one module a format; each yields source elements with what the file says, nothing guessed."""

from .readers import IntakeError, read_source
from .source import SourceModel

__all__ = ["IntakeError", "SourceModel", "read_source"]
