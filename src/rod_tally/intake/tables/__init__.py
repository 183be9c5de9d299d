"""Models as tables: a workbook, or CSV files side by side."""

from .read import SUFFIXES, read

__all__ = ["SUFFIXES", "read"]
