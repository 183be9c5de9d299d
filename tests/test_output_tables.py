"""Tables over combinations: what they hold is what the cases add up to."""

from __future__ import annotations

import csv
from collections import defaultdict
from pathlib import Path

import pytest

from rod_tally.model import LoadCase, NodeLoad, Settings
from rod_tally.output.write import write_review
from rod_tally.review import review

from .test_compare_everything import building, loaded

Row = dict[str, str]


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    m = loaded(building())
    top = m.cases["W"].node_loads[0].node
    m.cases["Wind x"] = LoadCase("Wind x", "wind", node_loads=[NodeLoad(top, (20e3, 5e3, 0), (0, 0, 0))])
    done = review(m, Settings.from_dict({"output": {"combinations": True}, "modes": {"count": 0}}))
    out = tmp_path_factory.mktemp("tables")
    write_review(done, out)
    return out


def rows(folder: Path, name: str) -> list[Row]:
    with (folder / f"{name}.csv").open() as f:
        return list(csv.DictReader(f))


KEYS = {
    "displacements": (("node",), ("ux", "uy", "uz", "rx", "ry", "rz"), "displacement"),
    "reactions": (("node",), ("fx", "fy", "fz", "mx", "my", "mz"), "reaction"),
    "member_forces": (("id", "distance"), ("n", "vy", "vz", "mt", "my", "mz"), "member"),
}


@pytest.mark.parametrize("name", KEYS)
def test_combinations_are_sums_of_cases_and_envelopes_their_extremes(folder: Path, name: str) -> None:
    """Worked out again from the files alone: every value of every combination, and of every set the least and
    the most."""
    ids, quantities, of = KEYS[name]
    factors: dict[str, dict[str, float]] = defaultdict(dict)
    kind: dict[str, str] = {}
    for c in rows(folder, "combinations"):
        factors[c["combination"]][c["case"]] = float(c["factor"])
        kind[c["combination"]] = c["kind"]
    values: dict[str, dict[tuple[object, ...], float]] = defaultdict(dict)
    seen: dict[tuple[object, ...], int] = defaultdict(int)
    for r in rows(folder, name):
        place = (r["case"], *(r[k] for k in ids))
        seen[place] += 1
        for q in quantities:
            # forces jump at a point load: the place has two rows
            values[r["case"]][(*place[1:], seen[place], q)] = float(r[q])
    assert len(factors) > 5 and set(factors) <= set(values)
    extremes: dict[tuple[object, ...], list[float]] = {}
    for combination, parts in factors.items():
        for key, value in values[combination].items():
            total = sum(f * values[case][key] for case, f in parts.items())
            assert value == pytest.approx(total, rel=1e-9, abs=1e-9)
            low, high = extremes.setdefault((kind[combination], key), [value, value])
            extremes[kind[combination], key] = [min(low, value), max(high, value)]
    found = [r for r in rows(folder, "envelopes") if r["of"] == of]
    count: dict[tuple[object, ...], int] = defaultdict(int)
    assert len(found) == len(extremes)
    for r in found:
        place = (r["id"], r["place"]) if of == "member" else (r["id"],)
        count[r["set"], r["quantity"], place] += 1
        key = (*place, count[r["set"], r["quantity"], place], r["quantity"])
        low, high = extremes[r["set"], key]
        assert (float(r["low"]), float(r["high"])) == (
            pytest.approx(low, abs=1e-9),
            pytest.approx(high, abs=1e-9),
        )
        assert values[r["low_by"]][key] == pytest.approx(low, abs=1e-9)
        assert values[r["high_by"]][key] == pytest.approx(high, abs=1e-9)


def test_storeys_have_an_envelope_of_shear_and_drift(folder: Path) -> None:
    found = [r for r in rows(folder, "envelopes") if r["of"] == "storey" and r["quantity"] == "shear_x"]
    largest = max(abs(float(r["shear_x"])) for r in rows(folder, "storeys") if r["case"] == "Wind x")
    assert max(abs(float(r[k])) for r in found for k in ("low", "high")) == pytest.approx(1.5 * largest)
