"""The report of a review: HTML that stands alone in one file, and the same on paper as PDF."""

from .write import write_html, write_pdf

__all__ = ["write_html", "write_pdf"]
