"""What changed of a part, in words and one row a part."""

from __future__ import annotations

import pytest

from rod_tally.compare.changes import Change
from rod_tally.compare.in_words import in_words
from rod_tally.compare.members import MemberMatch

BEAM = [0.0, 0.0, 4.0, 6.0, 0.0, 4.0]


def row(
    status: str, *changes: Change, shift: float = 0.0, sections: tuple[str, str] = ("IPE 300", "IPE 300")
) -> str:
    return in_words(MemberMatch(status, "beam", "a", "a", shift, *sections, list(changes)))


@pytest.mark.parametrize(
    "now, words",
    [
        ([0, 0, 4.03, 6, 0, 4.03], "raised 30 mm"),
        ([0, 0, 3.98, 6, 0, 3.98], "lowered 20 mm"),
        ([0, 0.05, 4, 6, 0.05, 4], "moved 50 mm"),
        ([0, 0, 4, 5.94, 0, 4], "end shortened 60 mm"),
        ([-0.1, 0, 4, 6, 0, 4], "start extended 100 mm"),
        ([0, 0, 4.03, 5.94, 0, 4.03], "raised 30 mm, end shortened 60 mm"),
        ([0, 0, 4, 6, 0, 4.2], "end raised 200 mm"),
        ([0, 0.3, 4.1, 6, 0, 4], "start raised 100 mm, start moved 300 mm"),
    ],
)
def test_ends_are_told_by_what_they_did(now: list[float], words: str) -> None:
    assert row("changed", Change("ends", BEAM, now)) == words


def test_sections_materials_and_releases_are_told_with_what_they_were() -> None:
    words = row(
        "resized", Change("ends", BEAM, [0, 0, 4.03, 6, 0, 4.03]), Change("section", "IPE 300", "IPE 360"),
        Change("material", "S235", "S355"), Change("release_start", "", "my mz"), sections=("IPE 300", "IPE 360"),
    )  # fmt: skip
    assert (
        words == "raised 30 mm, IPE 300 to IPE 360, material S235 to S355, release at the start none to my mz"
    )
    assert row("changed", Change("thickness", 0.2, 0.22)) == "thickness 200 to 220 mm"
    assert row("changed", Change("outline", [[0, 0]], [[1, 1]])) == "other outline"
    # a section of one name and other values
    assert row("changed", Change("section", "A 10 cm2", "A 12 cm2")) == "section A 10 cm2 to A 12 cm2"
    assert row("moved", shift=0.02) == "moved 20 mm" and row("same") == ""
