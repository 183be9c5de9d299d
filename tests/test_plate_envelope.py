"""Envelopes of slabs' forces against every combination worked out by itself."""

from __future__ import annotations

import numpy as np
import pytest

from rod_tally.analysis import Results, run
from rod_tally.analysis.results.superpose import combined
from rod_tally.analysis.shells.envelope import plate_envelope
from rod_tally.analysis.shells.fields import PlateFields
from rod_tally.analysis.shells.quantities import quantity
from rod_tally.model import Combination, Model, Settings, SpaceLoad
from rod_tally.model.settings import MeshSettings
from rod_tally.review import envelopes
from rod_tally.review.envelopes import Envelopes

from .plates import plate_model, pressure, rectangle, shell


def computed() -> tuple[Model, Results, PlateFields, list[Combination]]:
    m = plate_model()
    shell(m, "s", rectangle(5, 4), edges="pinned")
    pressure(m, "s", 4e3, "g")
    pressure(m, "s", -3e3, "up")
    for k, x in enumerate((1.0, 3.5)):
        case = pressure(m, "s", 100.0, f"p{k}")
        case.space_loads.append(
            SpaceLoad(np.array([(x, 1.2, 0.0)]), (8e3, 0, -30e3), (8e3, 0, -30e3), to="s")
        )
    r = run(m, Settings().run, meshing=MeshSettings(0.5))
    assert r.plates is not None
    combinations = [
        Combination("a", "strength", {"g": 1.35, "p0": 1.5}),
        Combination("b", "strength", {"g": 1.0, "p1": 1.5, "up": 1.5}),
        Combination("c", "strength", {"g": 1.0, "up": 1.5}),
        Combination("d", "strength", {"g": 1.0, "p0": -1.2, "p1": 0.7}),
    ]
    return m, r, PlateFields(m, r.plates), combinations


@pytest.mark.parametrize("name", ["mx", "vy", "nxy", "sx top", "m1", "m2", "s2 bottom", "se middle"])
@pytest.mark.parametrize("averaged", [False, True])
def test_envelopes_are_those_of_the_combinations_one_by_one(name: str, averaged: bool) -> None:
    _, r, fields, combinations = computed()
    e = plate_envelope(fields, r, combinations, name, averaged)
    rows = []
    for c in combinations:
        forces = fields.at_corners(combined(r, c).displacement[0])
        if averaged:
            forces = fields.spread(fields.averaged(forces)[2])
        rows.append(quantity(forces, np.full(len(forces), 0.2), name))
    every = np.array(rows)
    size = np.abs(every).max()
    assert e.low == pytest.approx(every.min(axis=0), abs=1e-9 * size)
    assert e.high == pytest.approx(every.max(axis=0), abs=1e-9 * size)
    at = np.arange(every.shape[1])
    assert every[e.high_by, at] == pytest.approx(e.high, abs=1e-9 * size) and e.done.all()


def test_responses_without_sign_widen_forces_and_are_left_out_of_principal_values() -> None:
    _, r, fields, combinations = computed()
    both = [
        combinations[0],
        Combination("q", "seismic", {"g": 1.0, "p0": 1.0, "p1": 0.3}, roots=["p0", "p1"]),
    ]
    e = plate_envelope(fields, r, both, "mx")
    mx = [
        quantity(fields.at_corners(r.displacement[r.case_index(n)]), np.ones(1), "mx")
        for n in ("g", "p0", "p1")
    ]
    root = np.hypot(mx[1], 0.3 * mx[2])
    one = 1.35 * mx[0] + 1.5 * mx[1]
    assert e.low == pytest.approx(np.minimum(one, mx[0] - root)) and e.high == pytest.approx(
        np.maximum(one, mx[0] + root)
    )
    assert plate_envelope(fields, r, both, "m1").left_out == 1
    with pytest.raises(ValueError, match="no combination"):
        plate_envelope(fields, r, both[1:], "m1")


def test_large_envelopes_wait_until_they_are_worked_out(monkeypatch: pytest.MonkeyPatch) -> None:
    _, r, fields, combinations = computed()
    own = Envelopes(r, combinations)
    assert not own.waiting and own.known_plates("mx", False) is None
    found = own.plates(fields, "mx", False)
    assert own.known_plates("mx", False) is found
    monkeypatch.setattr(envelopes, "LARGE", -1.0)
    assert own.waiting and own.members() is not None and not own.waiting
    assert Envelopes(r, []).members() is None
