"""Findings alike are one, with the list inside: one to read, to decide and to act on."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pytest

from rod_tally.analysis import run
from rod_tally.checks import Subject, registry, run_checks
from rod_tally.checks.framing.overlaps import REST, REST_LOOSE
from rod_tally.model import Finding, Model, Settings, Support
from rod_tally.review.remedies import edits_for

from .physical_models import add, bay, block, model, source


def roof(rafters: int = 20) -> Model:
    """Two purlins on posts, and rafters that rest on both, bodies touching, without a common node."""
    s = source([0.0, 4.0])
    for y in (0.0, 3.0):
        for x in (0.0, 10.0):
            add(s, "column", f"P{x:g}{y:g}", (x, y, 0), (x, y, 3.8), z=(1, 0, 0))
        add(s, "beam", f"Purlin {y:g}", (0, y, 4.0), (10, y, 4.0))
    for k in range(rafters):
        x = 0.5 + 9.0 * k / max(rafters - 1, 1)
        add(s, "beam", f"R{k}", (x, -1.0, 4.4), (x, 4.0, 4.4))
    return model(s)


def crossings(m: Model) -> list[Finding]:
    return [f for f in run_checks(Subject(m, None, Settings())) if f.code == "join.crossing"]


def test_rafters_over_a_purlin_are_one_finding_a_purlin() -> None:
    found = crossings(roof(20))
    assert len(found) == 2
    for f in found:
        assert len(f.parts) == 20 and len(f.ids) == 21 and f.ids[0].startswith("Purlin")
        assert f.message.startswith("20 beams (R0, R1, R10, R11 and 16 more) pass over beam Purlin")
        assert "their bodies touch" in f.message and f.actions == (
            REST,
            REST_LOOSE,
            "Join all by rigid links",
            "Accept, because…",
        )
        assert len(f.keys) == 20


def test_few_alike_stay_apart() -> None:
    assert all(not f.parts for f in crossings(roof(2)))


def test_one_action_joins_them_all_and_the_roof_stands() -> None:
    m = roof(12)
    for f in crossings(m):
        edits = edits_for(m, f, "Join all by rigid links")
        assert len(edits) == 12
        for e in edits:
            e.apply(m)
    assert not crossings(m)
    r = run(m, Settings().run)
    e = next(e for e in r.equilibrium if e.case == "Self-weight")
    weight = sum(m.weight(x) for x in m.members.values())
    assert e.reaction[2] == pytest.approx(weight, rel=1e-9)


def test_the_order_of_the_file_does_not_change_what_is_gathered() -> None:
    a, b = roof(20), roof(20)
    b.members = dict(reversed(b.members.items()))
    assert [(f.message, set(f.ids)) for f in crossings(a)] == [(f.message, set(f.ids)) for f in crossings(b)]


def test_every_gathered_finding_holds_all_ids_and_keeps_severity() -> None:
    """Twenty columns without a base: one blocking finding with all of them."""
    m = model(block(3, 1))
    for n in m.nodes.values():
        n.support = type(n.support)()
    lowest = next(iter(m.nodes))
    m.nodes[lowest].support = Support.of("ux uy uz rx ry rz")
    found = [f for f in run_checks(Subject(m, None, Settings())) if f.code == "support.base_free"]
    assert len(found) == 1 and found[0].severity == "blocking" and len(found[0].parts) == 15


def test_a_check_that_fails_is_a_finding_and_the_others_run(monkeypatch: pytest.MonkeyPatch) -> None:
    def broken(s: Subject) -> Iterator[Finding]:
        yield Finding("test.first", "note", "seen before it fails", ())
        raise IndexError("planted")

    registry.checks()
    monkeypatch.setitem(registry._REGISTRY, "test.broken", broken)
    m = model(bay(0.04))
    codes = {f.code: f for f in run_checks(Subject(m, None, Settings()))}
    assert "test.first" in codes and "join.gap" in codes
    assert "test.broken failed (IndexError: planted)" in codes["check.failed"].message


def test_gathered_distances_are_told_as_a_range() -> None:
    s = source([0.0, 4.0])
    add(s, "beam", "Girder", (0, 0, 3.8), (30, 0, 3.8))
    for k in range(8):
        add(s, "beam", f"J{k}", (2 + 3 * k, 0.14 + 0.005 * k, 3.8), (2 + 3 * k, 5, 3.8))
    for x in (0, 30):
        add(s, "column", f"C{x}", (x, 0, 0), (x, 0, 4), z=(1, 0, 0))
    found = [f for f in run_checks(Subject(model(s), None, Settings())) if f.code == "join.gap"]
    assert len(found) == 1 and found[0].severity == "blocking"
    assert "end 40 mm to 75 mm before beam Girder; nothing carries their ends" in found[0].message
    assert np.isfinite(found[0].numbers["distance"])
