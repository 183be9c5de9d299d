"""Beside each extreme of an envelope stands what acts with it in the combination that gives it."""

from __future__ import annotations

import csv
from pathlib import Path

import numpy as np
import pytest

from rod_tally.analysis.results.results import COMPONENTS
from rod_tally.analysis.results.superpose import combined
from rod_tally.model import Combination, LoadCase, Settings
from rod_tally.model.entities.loads import NodeLoad
from rod_tally.model.settings import CutSettings
from rod_tally.output.envelope_rows import _rounded
from rod_tally.output.write import write_review
from rod_tally.review import Review, review

from .physical_models import block, model
from .test_panels import plate


def done() -> Review:
    s = block(1, 2)
    plate(s, "slab", "S", (0, 0, 4.0), (6, 5, 4.2))
    m = model(s)
    top = [n for n, x in m.nodes.items() if x.point[2] > 7]
    for name, force in (("G", (0, 0, -9e4)), ("Wx", (3e4, 0, 0)), ("Wy", (0, 2e4, 0))):
        m.cases[name] = LoadCase(name, "live", node_loads=[NodeLoad(n, force) for n in top])
    m.combinations = [
        Combination("1", "ULS", {"G": 1.35, "Wx": 1.5}),
        Combination("2", "ULS", {"G": 1.0, "Wx": -1.5, "Wy": 0.9}),
        Combination("3", "ULS", {"G": 1.35, "Wy": 1.5}),
        Combination("4", "SLS", {"G": 1.0}),
    ]
    own = Settings()
    own.cuts = [CutSettings.of({"name": "c", "storey": "L1", "from": [3, -1], "to": [3, 6]}, "here")]
    return review(m, own)


@pytest.fixture(scope="module")
def rows(tmp_path_factory: pytest.TempPathFactory) -> tuple[Review, list[dict[str, str]]]:
    r = done()
    folder: Path = tmp_path_factory.mktemp("out")
    write_review(r, folder)
    with (folder / "envelopes.csv").open(newline="") as f:
        return r, list(csv.DictReader(f))


def words(text: str) -> dict[str, float]:
    return {k: float(v) for k, _, v in (part.partition("=") for part in text.split(" "))}


def test_members_have_the_other_components_of_the_governing_combination(
    rows: tuple[Review, list[dict[str, str]]],
) -> None:
    r, table = rows
    by_name = {c.name: combined(r.results, c) for c in r.combinations}
    members = [x for x in table if x["of"] == "member"]
    assert {x["set"] for x in members} == {"ULS", "SLS"} and len(members) == 2 * 6 * len(r.results.station_x)
    for row in members[::7]:
        index = r.results.member_ids.index(row["id"])
        at = np.flatnonzero(
            (r.results.station_member == index) & (np.abs(r.results.station_x - float(row["place"])) < 1e-9)
        )
        for side in ("low", "high"):
            found, own = words(row[f"{side}_with"]), by_name[row[f"{side}_by"]].force[0]
            assert [*found] == [c for c in COMPONENTS if c != row["quantity"]]
            values = found | {row["quantity"]: float(row[side])}
            off = [np.abs(own[k] - [values[c] for c in COMPONENTS]).max() for k in at]
            assert min(off) <= 1e-7 * np.abs(own).max()


@pytest.mark.parametrize(
    "of, places", [("reaction", 4), ("wall", 0), ("storey", 3), ("cut", 1), ("displacement", 8)]
)
def test_what_has_an_envelope_says_what_acts_with_it(
    rows: tuple[Review, list[dict[str, str]]], of: str, places: int
) -> None:
    mine = [x for x in rows[1] if x["of"] == of and x["set"] == "ULS"]
    assert len({(x["id"], x["place"]) for x in mine}) >= places and bool(mine) == bool(places)
    for row in mine:
        assert row["quantity"] not in words(row["low_with"])
        assert row["low_by"] in "123" and float(row["low"]) <= float(row["high"])


def test_reactions_by_statics(rows: tuple[Review, list[dict[str, str]]]) -> None:
    """The highest fz of a foot comes with the fx of that combination: their sums balance the loads."""
    r, table = rows
    mine = [x for x in table if x["of"] == "reaction" and x["quantity"] == "fz" and x["set"] == "SLS"]
    total = sum(float(x["high"]) for x in mine)
    assert total == pytest.approx(4 * 9e4) and sum(
        words(x["high_with"])["fx"] for x in mine
    ) == pytest.approx(0, abs=1.0)


def test_parts_of_a_root_of_squares_do_not_act_together(tmp_path: Path) -> None:
    r = done()
    r.model.combinations = [Combination("1", "ULS", {"G": 1.0, "Wx": 1.0, "Wy": 1.0}, roots=["Wx", "Wy"])]
    write_review(review(r.model, Settings()), tmp_path)
    with (tmp_path / "envelopes.csv").open(newline="") as f:
        assert all(x["low_with"] == "" == x["high_with"] for x in csv.DictReader(f))


def test_numbers_beside_an_extreme_keep_nine_digits_at_any_size() -> None:
    given = np.array([0.0, -0.0, 1 / 3, -123456789.123, 1e-300, -1e305, 5e-7])
    found = _rounded(given)
    assert found == pytest.approx(given, rel=1e-8) and not np.signbit(found[1])
    assert repr(float(found[2])) == "0.333333333" and repr(float(found[3])) == "-123456789.0"
