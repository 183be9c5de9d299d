"""Nothing depends on the order in which a file names its elements: joins, releases, supports, loads,
findings."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from rod_tally.analysis import run
from rod_tally.checks import Subject, run_checks
from rod_tally.intake import SourceModel
from rod_tally.intake.source import SourceAction, SourceCase
from rod_tally.loads import Distribution
from rod_tally.model import Model, Settings
from rod_tally.transfer import transfer

from .physical_models import add, block, source
from .test_panels import plate


def braced() -> SourceModel:
    """Two storeys with secondary beams, braces that meet girders beside the columns, slabs, and loads on
    beams."""
    s = block(2, 2)
    for k in range(2):
        z = 4.0 * (k + 1) - 0.2
        for i in range(2):
            add(s, "beam", f"sec{k}{i}", (6.0 * i + 3, 0.1, z), (6.0 * i + 3, 4.9, z))
            add(s, "beam", f"ter{k}{i}", (6.0 * i + 0.15, 2.5, z), (6.0 * i + 2.9, 2.5, z))
        add(s, "brace", f"D{k}", (0.0, 0.0, 4.0 * k + 0.1), (5.9, 0.0, z - 0.1))
        plate(s, "slab", f"floor{k}", (0, 0, 4.0 * (k + 1)), (12, 10, 4.0 * (k + 1) + 0.2))
    s.cases = [SourceCase("Q", "q", "live", category="B")]
    for k, e in enumerate(s.elements):
        if e.cls == "beam" and k % 3 == 0:
            action = SourceAction(
                f"a{e.id}",
                "",
                "Q",
                e.id,
                "curve",
                [(0.0, (0, 0, -1e3, 0, 0, 0)), (2.0, (0, 0, -2e3, 0, 0, 0))],
            )
            s.actions.append(action)
    return s


def plain(s: SourceModel) -> dict[str, Any]:
    options = Settings()
    options.transfer.releases.secondary = options.transfer.releases.braces = "pinned"
    m = transfer(s, options.transfer)
    place = {n: tuple(np.round(p.point, 6)) for n, p in m.nodes.items()}
    r = run(m, options.run)
    total = {e.case: e.applied.round(3).tolist() for e in r.equilibrium}
    return {
        "nodes": {place[n]: p.support.words for n, p in m.nodes.items()},
        "members": {
            i: (
                place[x.start],
                place[x.end],
                tuple(place[j.node] for j in x.joints),
                x.release_start.words,
                x.release_end.words,
            )
            for i, x in m.members.items()
        },
        "surfaces": {
            i: sorted(
                (j.kind, j.other if j.kind != "end" else "", tuple(np.round(j.line, 6).ravel()))
                for j in x.joints
            )
            for i, x in m.surfaces.items()
        },
        "findings": sorted(
            (f.code, f.severity, f.message, tuple(sorted(f.ids))) for f in run_checks(Subject(m, r, options))
        ),
        "loads": {n: Distribution(m).case(n).total("on_members").round(3).tolist() for n in sorted(m.cases)},
        "totals": total,
    }


FIRST: dict[str, Any] = {}


@given(st.integers(0, 10_000))
@settings(max_examples=12, deadline=None, suppress_health_check=list(HealthCheck))
def test_a_permuted_file_gives_the_same_model(seed: int) -> None:
    if not FIRST:
        FIRST.update(plain(braced()))
    s = braced()
    rng = np.random.default_rng(seed)
    for name in ("elements", "surfaces", "footings", "actions"):
        items = getattr(s, name)
        setattr(s, name, [items[k] for k in rng.permutation(len(items))])
    now = plain(s)
    for what, value in FIRST.items():
        assert now[what] == value, what


def portal_with_brace() -> Model:
    """A column under the end of a girder; a brace's axis meets the girder's 167 mm beside the column's."""
    s = source()
    add(s, "column", "K1", (0, 0, 0), (0, 0, 3.8), z=(1, 0, 0))
    add(s, "column", "K2", (6, 0, 0), (6, 0, 3.8), z=(1, 0, 0))
    add(s, "beam", "G", (-0.5, 0, 4.0), (6.5, 0, 4.0))
    add(s, "brace", "D", (5.8, 0, 0.2), (0.167 + 0.05, 0, 3.85))
    return transfer(s, Settings().transfer)


def test_an_upright_leads_at_a_joint_and_stays_upright() -> None:
    m = portal_with_brace()
    for name in ("K1", "K2"):
        line = m.line(m.members[name])
        assert np.hypot(*(line[1] - line[0])[:2]) == pytest.approx(0.0, abs=1e-9), name
    assert m.nodes[m.members["K1"].end].point == pytest.approx([0, 0, 4.0], abs=1e-9)
    assert m.members["K1"].end in {j.node for j in m.members["G"].joints}


@pytest.mark.parametrize("off", [0.0, 0.02, 0.06])
def test_a_girder_beside_a_column_does_not_pull_it_over(off: float) -> None:
    """The girder passes beside the column's axis: the column keeps it, the girder is tied by a rigid arm."""
    s = source()
    for x in (0, 6):
        add(s, "column", f"K{x}", (x, 0, 0), (x, 0, 3.8), z=(1, 0, 0))
    add(s, "beam", "G", (-0.5, off, 4.0), (6.5, off, 4.0))
    m = transfer(s, Settings().transfer)
    for x in (0, 6):
        line = m.line(m.members[f"K{x}"])
        assert np.hypot(*(line[1] - line[0])[:2]) == pytest.approx(0.0, abs=1e-9)
        assert {j.node for j in m.members["G"].joints} >= {m.members[f"K{x}"].end}
