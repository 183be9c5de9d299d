"""Files out: `review.json` and the tables of the contract."""

from .write import write_review

__all__ = ["write_review"]
