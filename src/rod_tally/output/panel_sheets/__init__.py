"""Sheets of wall panels, one page each: a drawing, tables, and how each number comes about; HTML and PDF."""

from .write import sheets_html, write_sheets

__all__ = ["sheets_html", "write_sheets"]
