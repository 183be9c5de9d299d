"""The chapter of pictures: views that the reviewer kept, as they were when the report was written."""

from __future__ import annotations

from base64 import b64encode

from ....review.review import Review
from ..parts import Chapter
from .registry import chapter

FEW = 4  # pictures in a short chapter


@chapter("views", "Kept views")
def views_chapter(out: Chapter, review: Review, short: bool) -> None:
    shown = review.pictures[:FEW] if short else review.pictures
    out.pictures = [(title, b64encode(data).decode()) for title, data in shown]
    if len(shown) < len(review.pictures):
        out.words.append(f"{len(review.pictures) - len(shown)} more views are kept in the project.")
