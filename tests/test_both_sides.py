"""Rules whose second side was tried nowhere: mirrored sections, stated beside drawn profiles, walls by part,
sections that taper off their axis."""

from __future__ import annotations

from dataclasses import replace
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from rod_tally.compare.elsewhere.wholes import Wholes, walls_against
from rod_tally.intake.result_tables import ForeignRow
from rod_tally.model import Model, Section
from rod_tally.model.catalogue.catalogue import catalogue_section
from rod_tally.model.catalogue.own import own_section
from rod_tally.model.catalogue.taper import _of_outline
from rod_tally.transfer.members.bodies import Differing, compared, settle
from rod_tally.transfer.members.orientation import mirrored_alike, runs_backwards

from .physical_models import add, source


def rectangle(width: float, depth: float) -> Section:
    return own_section(f"{width}x{depth}", "rectangle", {"width": width, "depth": depth})


def test_only_a_section_that_is_its_own_mirror_image_may_run_the_other_way() -> None:
    """Left to right, not upside down: a channel is no mirror image of itself in its web's direction, a tee is
    its own though its flange is on one side."""
    channel = own_section("c", "channel", {"depth": 0.2, "width": 0.08, "web": 0.008, "flange": 0.012})
    tee = own_section("t", "tee", {"depth": 0.2, "width": 0.15, "web": 0.01, "flange": 0.015})
    assert (
        mirrored_alike(catalogue_section("IPE 300"))
        and mirrored_alike(rectangle(0.2, 0.3))
        and mirrored_alike(tee)
    )
    assert not mirrored_alike(channel) and abs(channel.iyz) < 1e-12
    assert not mirrored_alike(replace(tee, end=tee)) and mirrored_alike(None)
    y, z = np.array(rectangle(0.2, 0.3).outline).T
    skew = tuple((float(a + 0.2 * b), float(b)) for a, b in zip(y, z))
    assert not mirrored_alike(replace(rectangle(0.2, 0.3), outline=skew))


@pytest.mark.parametrize(
    "end, backwards",
    [
        ((0, 0, 1), False), ((0, 0, -1), True), ((1, 0, 0), False), ((-1, 0, 0), True), ((0, 1, 0), False),
        ((0, -1, 0), True), ((1, 0, -0.19), False), ((1, 0, -0.22), True), ((-1, 5, 0), True), ((1, -5, 0), False),
    ],
)  # fmt: skip
def test_which_way_a_member_should_run(end: tuple[float, float, float], backwards: bool) -> None:
    assert runs_backwards(np.array([(0, 0, 0), end], float)) == backwards


@pytest.mark.parametrize("shift", [(0.0, 0.0), (1.0, 2.0), (-3.0, 0.5)])
def test_an_outline_is_measured_about_its_own_centroid(shift: tuple[float, float]) -> None:
    """b h, b h³/12 and h b³/12, and a void taken off by Steiner's rule, wherever the outline is drawn."""
    y, z = shift
    b, h = 0.2, 0.5
    ring = tuple((y + s * b / 2, z + t * h / 2) for s, t in ((-1, -1), (1, -1), (1, 1), (-1, 1)))
    found, centre = _of_outline(ring, ())
    assert centre == pytest.approx(shift) and found["area"] == pytest.approx(b * h)
    assert found["iy"] == pytest.approx(b * h**3 / 12) and found["iz"] == pytest.approx(h * b**3 / 12)
    assert found["iyz"] == pytest.approx(0.0, abs=1e-12)
    void = tuple((y + 0.02 + s * 0.03, z + 0.1 + t * 0.05) for s, t in ((-1, -1), (1, -1), (1, 1), (-1, 1)))
    found, centre = _of_outline(ring, (void,))
    area = b * h - 0.06 * 0.1
    cz = -0.1 * 0.06 * 0.1 / area
    assert found["area"] == pytest.approx(area) and centre[1] - z == pytest.approx(cz)
    iy = b * h**3 / 12 + b * h * cz**2 - (0.06 * 0.1**3 / 12 + 0.006 * (0.1 - cz) ** 2)
    assert found["iy"] == pytest.approx(iy, rel=1e-9)


@pytest.mark.parametrize(
    "b, differs",
    [
        (rectangle(0.1, 0.2), Differing(False, False)),
        (rectangle(0.1, 0.2039), Differing(False, False)),
        (rectangle(0.1, 0.2041), Differing(True, True)),
        (rectangle(0.1021, 0.2), Differing(True, True)),
        (rectangle(0.2, 0.1), Differing(True, False, True)),
        (rectangle(0.05, 0.4), Differing(True, False)),
    ],
)
def test_a_section_differs_by_its_sizes_or_its_area(b: Section, differs: Differing) -> None:
    """By more than 2 %; one with its sides exchanged lies the other way. Of one that tapers the area alone."""
    a = rectangle(0.1, 0.2)
    assert compared(a, b, False) == differs
    assert compared(a, b, True) == Differing(False, False)


def test_a_profile_that_is_stated_in_another_shape_is_told_though_its_area_is_the_same() -> None:
    s = source([0.0])
    e = add(s, "beam", "B", (0, 0, 3), (5, 0, 3))
    m = Model()
    m.sections = {"drawn": rectangle(0.1, 0.2), "stated": rectangle(0.05, 0.4), "same": rectangle(0.1, 0.2)}
    for stated, told in (("stated", True), ("same", False), ("", False)):
        _, words = settle(replace(e, profile="drawn", drawn="drawn", stated=stated), m)
        assert ("is stated as" in words) == told


def test_walls_from_elsewhere_are_matched_by_storey_and_part() -> None:
    """A row without a part is none of two cuts; with one it is that one's."""
    cuts = [
        SimpleNamespace(wall="W", ids=("w",), storey=s, part=p, place=np.array([1.0, 2.0, z]))
        for s, z in (("A", 0.0), ("B", 3.0))
        for p in ("bottom", "top")
    ]
    values = np.arange(24.0).reshape(4, 6)
    own: Any = Wholes(
        walls=lambda: SimpleNamespace(rows=cuts), wall_values=lambda _: (values, np.ones(4, bool))
    )  # type: ignore[arg-type, return-value]
    for storey, part, at, row in (
        ("A", "bottom", None, 0), ("A", "top", None, 1), ("B", "top", None, 3), ("A", "", None, None),
        ("", "", (1.0, 2.0, 3.0), None), ("", "bottom", (1.0, 2.0, 3.0), 2), ("C", "top", None, None),
    ):  # fmt: skip
        theirs = ForeignRow("wall_forces", "Q", "w", at, None, {"n": 5.0}, "", storey, part)
        rows, lost = walls_against(own, "Q", [theirs])
        assert [r.ours for r in rows] == ([] if row is None else [values[row, 0]]), (storey, part, at)
        assert len(lost) == (row is None)
