"""The source file again with what was corrected, in the same elements; all else as it was, byte for byte."""

from .write import Corrected, write_corrected

__all__ = ["Corrected", "write_corrected"]
