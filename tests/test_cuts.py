"""Cuts across floors and through walls against beams, and against the equilibrium of what is cut off."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from openpyxl import load_workbook

from rod_tally.analysis.results.cut_places import CutError, on_storey, regular_cuts, wall_cut
from rod_tally.analysis.results.cuts import CutForces
from rod_tally.model import FIXED, AreaLoad, LineSupport, LoadCase, Model, Settings, SpaceLoad, Support
from rod_tally.model.edits import AddCuts, EditError, MoveCut
from rod_tally.model.entities.model import Storey
from rod_tally.output.spreadsheet import write_workbook
from rod_tally.review import review

from .floors import turned
from .plates import plate_model, rectangle, shell

Q = 5e3  # N/m2, sideways on a floor


def floor_on_end_walls() -> Model:
    """A floor 12 m by 4 m that two end lines hold sideways, under an even sideways load: a simple beam in its
    own plane."""
    m = plate_model()
    m.storeys = [Storey("First", 3.0), Storey("Second", 6.0)]
    s = shell(m, "s", rectangle(12, 4, 3.0), 0.2)
    for x in (0.0, 12.0):
        s.supports.append(LineSupport(np.array([(x, 0, 3), (x, 4, 3)]), Support.of("uy uz rx rz")))
    s.supports.append(LineSupport(np.array([(0, 2, 3.0), (0.5, 2, 3.0)]), Support.of("ux")))
    m.cases["q"] = LoadCase("q", "wind", area_loads=[AreaLoad("s", ((0.0, Q, 0.0),))])
    return m


def cut_all(m: Model) -> dict[str, CutForces]:
    r = review(m, Settings.from_dict({"mesh": {"size": 0.5}, "modes": {"count": 0}}))
    found = r.cut_forces(r.results.cases[0])
    return {name: f for name, f in found.items() if isinstance(f, CutForces)}


@pytest.mark.parametrize("degrees", [0.0, 33.0])
def test_a_floor_between_two_walls_is_a_beam_in_its_plane(degrees: float) -> None:
    """V = w (L / 2 - x) and, in the free direction of rotation, the moment follows by dM = V dx between cuts
    (statics); across a floor that is turned the cuts lie square to its own axes."""
    m = turned(floor_on_end_walls(), degrees)
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    turn = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]])
    for edge in m.surfaces["s"].supports:
        edge.line = edge.line @ turn.T
        edge.support = Support(edge.support.stiffness, tuple(tuple(row) for row in turn.T))
    for load in m.cases["q"].area_loads:
        load.values = tuple(tuple(turn @ v) for v in load.values)
    AddCuts(regular_cuts(m, "First", "x", 3.0)).apply(m)
    found = list(cut_all(m).values())
    w = Q * 4
    x = 1.5 + 3.0 * np.arange(4)
    # the side farther along gives the other what holds it back; the place of a cut is that of the nearest
    # nodes
    assert [-f.v for f in found] == pytest.approx(list(w * (6 - x)), rel=2e-3)
    steps = np.diff([f.m for f in found])
    shear = w * (6 - (x[1:] + x[:-1]) / 2)
    assert np.abs(steps) == pytest.approx(np.abs(shear * 3.0), rel=2e-3, abs=200.0)


def test_a_level_cut_through_a_wall_carries_what_stands_above_it() -> None:
    m = plate_model()
    s = shell(m, "w", [(0, 0, 0), (3, 0, 0), (3, 0, 6), (0, 0, 6)], 0.2, cls="wall")
    s.supports = [LineSupport(np.array([(0, 0, 0), (3, 0, 0)], float), FIXED)]
    top = np.array([(0, 0, 6), (3, 0, 6)], float)
    m.cases["q"] = LoadCase("q", "wind", space_loads=[SpaceLoad(top, (10e3, 0, -40e3), (10e3, 0, -40e3))])
    high = float(np.ptp(m.surfaces["w"].outer[:, 2]))
    for height in (0.0, -0.5, high, high + 0.1):
        with pytest.raises(CutError, match="misses it"):
            wall_cut(m, "w", height)
    AddCuts([wall_cut(m, "w", 2.0)]).apply(m)
    (f,) = cut_all(m).values()
    assert f.n == pytest.approx(-120e3) and abs(f.v) == pytest.approx(30e3)
    # the moment of the sideways force about the cut, at the row of nodes nearest to it
    assert abs(f.m) == pytest.approx(30e3 * 4.0, rel=0.03)
    assert f.vz == pytest.approx(0, abs=1.0)


def test_a_cut_in_another_place_has_other_forces_and_a_factor() -> None:
    m = floor_on_end_walls()
    AddCuts(regular_cuts(m, "First", "x", 6.0)).apply(m)
    before = cut_all(m)["First x1"].v
    edit = MoveCut("First x1", by=-1.5, factor=2.0)
    edit.apply(m)
    assert cut_all(m)["First x1"].v == pytest.approx(2 * before * 4.5 / 3.0, rel=2e-3)
    edit.revert(m)
    assert cut_all(m)["First x1"].v == pytest.approx(before)


def test_cuts_are_used_again_on_another_storey() -> None:
    m = floor_on_end_walls()
    shell(m, "s2", rectangle(12, 4, 6.0), 0.2)
    AddCuts(regular_cuts(m, "First", "y", 1.0)).apply(m)
    AddCuts(on_storey(m, m.cuts, "Second")).apply(m)
    assert [c.name for c in m.cuts[4:]] == ["Second y1", "Second y2", "Second y3", "Second y4"]
    assert m.cuts[5].surfaces == ["s2"] and m.cuts[5].line[0, 2] == 6.0


def test_cuts_go_to_the_spreadsheet_for_every_case(tmp_path: Path) -> None:
    m = floor_on_end_walls()
    AddCuts(regular_cuts(m, "First", "x", 6.0)).apply(m)
    done = review(m, Settings())
    sheet = load_workbook(write_workbook(done, tmp_path / "all.xlsx"))["cuts"]
    rows = list(sheet.iter_rows(values_only=True))
    v = rows[0].index("v")
    assert [r[:2] for r in rows[1:3]] == [("q", "First x1"), ("q", "First x2")]
    assert len(rows) == 3 + 2 * len(done.computed_combinations)
    assert rows[1][v] == pytest.approx(-rows[2][v], rel=2e-3)  # type: ignore[operator]


def test_cuts_that_cannot_be_made_say_why() -> None:
    m = floor_on_end_walls()
    with pytest.raises(CutError, match="no storey 'Third'"):
        regular_cuts(m, "Third", "x", 1.0)
    with pytest.raises(CutError, match="no slab"):
        regular_cuts(m, "Second", "x", 1.0)
    with pytest.raises(CutError, match="needs a wall"):
        wall_cut(m, "s", 1.0)
    with pytest.raises(EditError, match="cut [?] has no length"):
        AddCuts([{"line": [[0, 0, 0], [0, 0, 0]], "surfaces": ["s"]}]).apply(m)
    with pytest.raises(EditError, match="cut x has no length"):
        AddCuts([{"name": "x", "line": [[0, 0, 0], [0, 0, 0]], "surfaces": ["s"]}]).apply(m)


def test_cuts_of_storeys_named_by_numbers_keep_their_own_numbers() -> None:
    """From storey "1" to "2": "1 x1" and "1 x2" become "2 x1" and "2 x2", not "2 x2" twice."""
    m = floor_on_end_walls()
    m.storeys = [Storey("1", 3.0), Storey("2", 6.0)]
    shell(m, "s2", rectangle(12, 4, 6.0), 0.2)
    AddCuts(regular_cuts(m, "1", "x", 3.0)).apply(m)
    copies = on_storey(m, m.cuts, "2")
    assert [c["name"] for c in copies] == [f"2 x{k}" for k in range(1, len(copies) + 1)] and len(copies) > 2
