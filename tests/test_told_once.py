"""What real models would set off without reason, or a hundred times, is told where it matters, once."""

from __future__ import annotations

import numpy as np
import pytest

from rod_tally.checks import Subject, run_checks
from rod_tally.model import Finding, LogEntry, Model
from rod_tally.transfer.members.analytical import ONE_NODE

from .frames import regular
from .physical_models import add, model, source
from .test_panels import plate


def of(m: Model, code: str) -> list[Finding]:
    return [f for f in run_checks(Subject(m)) if f.code == code]


@pytest.mark.parametrize(("count", "findings"), [(1, 1), (5, 5), (6, 1), (80, 1)])
def test_many_points_that_are_one_node_are_one_finding(count: int, findings: int) -> None:
    m = regular(1, 1)
    for k in range(count):
        ids = (f"P{k}", f"Q{k}")
        m.log.append(LogEntry("joined", ids, f"{ONE_NODE} P{k}, Q{k}, {k} mm apart, are one node", k / 1000))
    found = of(m, "join.duplicate")
    assert len(found) == findings and {i for f in found for i in f.ids} == {
        i for k in range(count) for i in (f"P{k}", f"Q{k}")
    }
    if count > 5:
        assert f"{count} groups" in found[0].message and f"Q{count - 1}" in found[0].message


@pytest.mark.parametrize(
    ("moved", "told"),
    [
        ((0, 0, 0.2), True),
        ((0, 0, -0.2), True),
        ((0, 0.2, 0), False),
        ((0, 0.2, 0.04), False),
        ((0, 0.2, 0.06), True),
    ],
)
def test_eccentricity_is_lost_towards_the_slab_alone(moved: tuple[float, float, float], told: bool) -> None:
    """A beam that was moved in the slab's plane bends with the slab as it did."""
    s = source([0, 3])
    plate(s, "slab", "floor", (0, 0, 2.8), (6, 4, 3.0))
    add(s, "beam", "B", (0, 2, 2.9), (6, 2, 2.9))
    m = model(s)
    m.surfaces["floor"].way = "shell"
    beam = m.members["B"]
    assert any(j.kind == "member" for j in m.surfaces["floor"].joints)
    beam.source_line = m.line(beam) - np.array(moved)
    found = of(m, "source.moved")
    assert (
        found and any(f.severity == "warning" and "eccentricity is lost" in f.message for f in found) == told
    )
