"""What each switch changes: against full runs with that setting, against closed forms, and for every part."""

from __future__ import annotations

import csv
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import settings as settings_of_hypothesis
from hypothesis import strategies as st

from rod_tally.cli import main
from rod_tally.demo.writer import IfcWriter
from rod_tally.intake import SourceModel
from rod_tally.intake.source import SourceMaterial
from rod_tally.model import LoadCase, Model, NodeLoad, Release, Settings, Storey, Surface
from rod_tally.model.edits import AddCases, AddLoads, DeleteCases, load_values
from rod_tally.model.entities.loads import Settlement
from rod_tally.output.document import document
from rod_tally.output.report.chapters import chapters
from rod_tally.review import Review
from rod_tally.review.effects.effect import Effect, Size, bands, effect_words, of_finding
from rod_tally.review.effects.effects import effects, rows_of, worst_pairs
from rod_tally.review.effects.measures import QUANTITIES, Measured, changed_parts, measured
from rod_tally.review.effects.quick import Runs
from rod_tally.review.effects.switches import Switch
from rod_tally.review.titles import title_of
from rod_tally.review.work import review, run_with_combinations
from rod_tally.transfer import transfer

from .frames import frame as frame_of
from .frames import regular
from .physical_models import add, bay, source


def frame(material: str = "S355", gap: float = 0.0) -> SourceModel:
    """A portal of concrete, or of steel, whose beam may stop short of its second column."""
    s = bay(gap)
    if material != "S355":
        s.materials[material] = SourceMaterial(material, "", None, None, None, None)
        for e in s.elements:
            e.material = material
    return s


def taken(s: SourceModel, own: Settings) -> Model:
    m = transfer(s, own.transfer)
    top = max(m.nodes, key=lambda n: (round(m.nodes[n].point[2], 6), -m.nodes[n].point[0]))
    loads = [load_values(NodeLoad(top, (1e4, 0.0, 0.0)))]
    AddCases([{"name": "W", "kind": "wind", "self_weight": False, "loads": loads}]).apply(m)
    if own_weight := [n for n in m.cases if n != "W"]:
        DeleteCases(own_weight).apply(m)
    return m


def found(s: SourceModel, own: Settings | None = None) -> tuple[Review, dict[tuple[str, str], Effect]]:
    own = own or Settings()
    own.modes.count = 0
    own.run.shear_flexible = False
    done = review(taken(s, own), own)
    return done, {(e.name, e.is_): e for e in effects(done, s, pairs=False)}


def test_a_portal_on_pins_sways_as_the_handbook_has_it() -> None:
    """Sway of a portal under H at its head, beam as stiff as drawn (Kleinlogel's formulas, from memory):
    fixed H h3 (3 k + 2) / (12 E I (6 k + 1)), pinned H h3 (2 k + 1) / (12 E I k), k = I2 h / (I1 l)."""
    done, every = found(frame())
    e = every["base", "pinned"]
    m = done.model
    column, beam = m.members["K1"], m.members["B1"]
    line = m.line(column)
    top = next(n for n in (column.start, column.end) if m.nodes[n].point[2] > 1)
    h, span = float(m.nodes[top].point[2] - line[:, 2].min()), m.length(beam)
    i1, i2 = m.sections[column.section].iy, m.sections[beam.section].iy
    k = i2 * h / (i1 * span)
    e_i = 210e9 * i1
    push = 1.5e4  # of the combination that the rules make of a wind case
    fixed = push * h**3 * (3 * k + 2) / (12 * e_i * (6 * k + 1))
    pinned = push * h**3 * (2 * k + 1) / (12 * e_i * k)
    assert e.before["displacement"].value == pytest.approx(fixed, rel=0.01)
    assert e.after["displacement"].value == pytest.approx(pinned, rel=0.01)
    assert e.was == "fixed" and set(e.ids) == {n for n, x in m.nodes.items() if x.support.any}
    assert {"K1", "K2", "B1"} == set(e.parts)


def test_cracked_concrete_moves_twice_as_far_and_bears_the_same() -> None:
    done, every = found(frame("C30/37"))
    e = every["cracked", "0.5"]
    assert e.after["displacement"].value == pytest.approx(2 * e.before["displacement"].value, rel=1e-9)
    for q in ("reaction", "n", "my", "mz"):
        assert e.after[q].value == pytest.approx(e.before[q].value, rel=1e-6, abs=1e-3)
    assert e.parts == [] and ("cracked", "0.5") not in found(frame())[1]
    assert done.model.materials["C30/37"].E == 33e9  # what was reviewed stays as it was


def test_a_guessed_material_has_the_range_of_its_kind() -> None:
    _, every = found(frame("Beton"))
    both = sorted((i for name, i in every if name == "material"), key=len)
    assert len(both) == 2 and {"Beton E 10 GPa", "Beton E 60 GPa"} == set(both)
    low = every["material", "Beton E 10 GPa"]
    was = float(low.was.split(" E ")[1].split()[0])
    assert low.after["displacement"].value == pytest.approx(
        low.before["displacement"].value * was / 10, rel=1e-6
    )
    assert not [n for n, _ in found(frame())[1] if n == "material"]


@pytest.mark.parametrize(
    "key, change",
    [
        (("base", "pinned"), {"base_support": "pinned"}),
        (("shear_flexible", "true"), None),
    ],
)
def test_each_row_is_that_of_a_full_run(key: tuple[str, str], change: dict[str, str] | None) -> None:
    """To 1e-6 of the largest."""
    s = frame()
    _, every = found(s)
    own = Settings()
    own.modes.count = 0
    own.run.shear_flexible = key[0] == "shear_flexible"
    for k, v in (change or {}).items():
        setattr(own.transfer, k, v)
    full = measured(run_with_combinations(taken(s, own), own))
    for q in QUANTITIES:
        assert every[key].after[q].value == pytest.approx(full.sizes[q].value, rel=1e-6, abs=1e-12), q


def test_a_gap_mended_is_the_frame_without_it() -> None:
    """The finding's first remedy, as if it had been drawn so."""
    done, every = found(frame(gap=0.1))
    (e,) = [x for (name, _), x in every.items() if name == "mend:join.gap"]
    assert e.is_.startswith("Extend it to") and set(e.ids) == {"B1", "K2"}
    whole = measured(found(frame())[0])
    assert e.after["displacement"].value == pytest.approx(whole.sizes["displacement"].value, rel=0.02)
    assert e.before["displacement"].value > 1.2 * e.after["displacement"].value
    assert len(done.model.corrections) == 2  # those of the test; what was reviewed stays as it was


def test_ends_as_drawn_hang_on_rigid_arms() -> None:
    """A beam drawn 0.2 m below the heads: its own axis with arms, and the sway with it."""
    done, every = found(frame())
    e = every.get(("moved_ends", "as drawn, on rigid arms"))
    if e is None:  # nothing was brought across its line
        assert all(
            np.allclose(done.model.line(m)[:, 2], m.source_line[:, 2])
            for m in done.model.members.values()
            if m.cls == "beam" and m.source_line is not None
        )
    else:
        assert e.ids and e.before != e.after


def test_half_the_ground_lets_a_slab_sink_twice_as_far() -> None:
    from .test_panels import plate

    s = source([0.0])
    plate(s, "slab", "raft", (0, 0, -0.5), (4, 4, 0.0)).kind = "BASESLAB"
    add(s, "column", "K", (2, 2, 0), (2, 2, 3), z=(1, 0, 0))
    own = Settings()
    own.modes.count = 0
    m = transfer(s, own.transfer)
    m.cases = {"G": LoadCase("G", "dead", self_weight=(0.0, 0.0, -1.0))}
    done = review(m, own)
    every = {(e.name, e.is_): e for e in effects(done, None)}
    half, double = every["ground", "half"], every["ground", "double"]
    raft = next(x for x in m.surfaces.values() if isinstance(x, Surface))
    assert half.ids == (raft.id,) and raft.bedding > 0
    low, high = (e.after["displacement"].value for e in (double, half))
    assert high == pytest.approx(2 * half.before["displacement"].value, rel=0.05)
    assert low == pytest.approx(half.before["displacement"].value / 2, rel=0.05)


def test_parts_are_counted_from_both_sides_of_the_tolerance() -> None:
    limits = Settings().compare  # 5 %, at least 1 kN
    before = Measured({}, ["a"], np.full((1, 6), -1e5), np.zeros((1, 6)))
    for step, told in ((4_900.0, False), (5_100.0, True), (-5_100.0, True)):
        for side in range(6):
            low = before.low.copy()
            low[0, side] -= step
            assert bool(changed_parts(before, replace(before, low=low), limits)) == told
            mirrored = replace(before, low=-before.high, high=-before.low)
            assert bool(changed_parts(mirrored, replace(mirrored, high=-low), limits)) == told
    small = replace(before, low=np.full((1, 6), -100.0))
    moved = replace(small, low=np.full((1, 6), -1050.0))
    assert not changed_parts(small, moved, limits)
    nothing = Measured()
    assert changed_parts(small, nothing, limits) == changed_parts(nothing, small, limits) == ["a"]


def test_the_part_that_changes_most_comes_first_whatever_the_order() -> None:
    limits = Settings().compare
    before = Measured({}, ["a", "b", "c"], np.zeros((3, 6)), np.full((3, 6), 1e5))
    after = Measured({}, ["d", "c", "a", "b"], np.zeros((4, 6)), np.full((4, 6), 1e5))
    after.high[1, 4], after.high[3, 0] = 1.1e5, 2e5
    assert changed_parts(before, after, limits) == ["d", "b", "c"]


def test_rows_name_the_place_after() -> None:
    e = Effect("base", ("n1", "n2"), "fixed", "pinned", *({q: Size() for q in QUANTITIES} for _ in range(2)))
    e.before["my"], e.after["my"], e.parts = Size(1.0, "m1", "0"), Size(2.0, "m2", "3.5"), ["m2"]
    assert rows_of([e]) == [("base", "n1 n2", "fixed", "pinned", "my", "m2", "3.5", 1.0, 2.0, 1)]
    assert e.weight == 1.0
    e.fault = "a mechanism"
    assert rows_of([e]) == []


def test_a_switch_that_cannot_be_tried_says_why() -> None:
    """The source is another one than the model was made of: no silence, and no row."""
    done, _ = found(frame())
    every = effects(done, frame(gap=0.05))
    bad = [e for e in every if e.fault]
    assert {e.name for e in bad} >= {"base", "releases"} and "another file" in bad[0].fault
    assert not [row for row in rows_of(every) if row[0] == "base"]


def test_on_the_command_line(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """Of a small concrete frame on the ground, whose beam is drawn below the heads of its columns."""
    w = IfcWriter("effects", "IFC4", "METRE")
    w.storey("Ground", 0.0)
    concrete = w.material("C30/37")
    p = w.profile("Rectangle", "300x300", XDim=0.3, YDim=0.3)
    for x in (0.0, 5.0):
        w.member("IfcColumn", f"K{x:.0f}", (x, 0, 0), (x, 0, 3), p, concrete, "Ground")
    w.member("IfcBeam", "B", (0.15, 0, 2.85), (4.85, 0, 2.85), p, concrete, "Ground")
    w.write(tmp_path / "m.ifc")
    out = tmp_path / "out"
    status = main(["review", str(tmp_path / "m.ifc"), "--out", str(out), "--effects"])
    assert status == 0 and "of two together; the largest:" in capsys.readouterr().out
    assert (
        (out / "expected.csv")
        .read_text()
        .startswith("kind,of,ids,case,formula,expected,came,ratio,odd,reason")
    )
    with (out / "effects.csv").open(newline="") as f:
        rows = list(csv.DictReader(f))
    assert [*rows[0]] == ["switch", "ids", "was", "is", "quantity", "of", "place", "before", "after", "parts"]
    names = {r["switch"] for r in rows}
    assert {"base", "cracked", "shear_flexible"} <= names and not names & {"walls", "slabs", "mesh"}
    assert all(float(r["before"]) >= 0 and float(r["after"]) >= 0 for r in rows)


def test_what_was_found_before_it_was_stopped_is_not_computed_again(monkeypatch: pytest.MonkeyPatch) -> None:
    done, first = found(frame(gap=0.1))
    runs: list[str] = []
    whole = Runs.run

    def counted(self: Runs, model: Model, settings: Settings) -> Review:
        runs.append("run")
        return whole(self, model, settings)

    monkeypatch.setattr(Runs, "run", counted)
    known = list(first.values())[:2]
    heard: list[Effect] = []
    out = effects(done, frame(gap=0.1), known=known, each=heard.append)
    assert sorted(map(id, out)) == sorted(map(id, heard))
    assert [e for e in out if any(e is k for k in known)] == known
    assert len(runs) == len([e for e in out if e not in known and not e.fault])
    runs.clear()
    again = effects(done, frame(gap=0.1), known=out)
    assert [id(e) for e in again] == [id(e) for e in out] and not runs


def test_two_together_are_a_full_run_with_both() -> None:
    """Not their sum: pinned feet of cracked concrete sway as a full run of both has it."""
    s = frame("C30/37")
    done, _ = found(s)
    both = [e for e in effects(done, s) if e.both]
    pair = next(e for e in both if {x.name for x in e.both} == {"base", "cracked"})
    own = Settings()
    own.modes.count, own.run.shear_flexible, own.transfer.base_support = 0, False, "pinned"
    m = taken(s, own)
    m.materials = {n: replace(x, E=(x.E or 0) * 0.5) for n, x in m.materials.items()}
    full = measured(run_with_combinations(m, own))
    for q in QUANTITIES:
        assert pair.after[q].value == pytest.approx(full.sizes[q].value, rel=1e-6, abs=1e-12), q
    assert pair.title == "Column bases and Stiffness of concrete" and pair.values == (
        "fixed; 1",
        "pinned; 0.5",
    )
    worst = {q: b for q, _, _, _, _, b in bands(effects(done, s))}["displacement"]
    assert worst is not None and worst.both
    assert not [row for row in rows_of(both)]
    # two values of one thing make no pair
    assert not [e for e in both if len({x.title for x in e.both}) == 1 and "mend:" not in e.both[0].name]


def test_pairs_are_of_those_that_do_most_either_way() -> None:
    every = {
        k: effect(name, use, 0.01)
        for k, (name, use) in enumerate(
            [("walls", 0.9), ("base", 0.8), ("slabs", 0.7), ("mesh", 0.6), ("ground", 0.4), ("springs", 0.3)]
        )
    }
    switches = [Switch(e.name, (e.name,), "", "", lambda m, s: (m, s)) for e in every.values()]
    assert worst_pairs(every, switches) == [(0, 1), (0, 2), (1, 2), (4, 5)]
    every[1].fault = "a mechanism"
    assert worst_pairs(every, switches) == [(0, 2), (0, 3), (2, 3), (4, 5)]
    assert worst_pairs({}, switches) == []


@pytest.mark.parametrize(
    "one, two, pair",
    [
        (("slabs", "auto"), ("slabs", "auto"), False),
        (("base", "fixed"), ("springs", "fixed"), False),
        (("cracked", "1"), ("less_cracked", "1"), False),
        (("releases", "secondary fixed"), ("releases", "braces fixed"), True),
        (("mend:join.gap", "as it is"), ("mend:join.gap", "as it is"), True),
        (("base", "fixed"), ("slabs", "fixed"), True),
    ],
)
def test_two_values_of_one_thing_are_no_pair(one: tuple[str, str], two: tuple[str, str], pair: bool) -> None:
    """Two gaps, and two rules for releases, are two things; one finding with two remedies is one."""
    every = {0: effect(one[0], 0.7, 0.01), 1: effect(two[0], 0.8, 0.01)}
    switches = [Switch(n, (f"P{k}",), was, "x", lambda m, s: (m, s)) for k, (n, was) in enumerate((one, two))]
    assert worst_pairs(every, switches) == ([(0, 1)] if pair else [])
    if one[0].startswith("mend:"):
        switches[1].ids = switches[0].ids
        assert worst_pairs(every, switches) == []


def test_several_processes_give_the_same(tmp_path: Path) -> None:
    done, one = found(frame(gap=0.1))
    several = effects(done, frame(gap=0.1), jobs=2, pairs=False)
    assert [(e.name, e.is_) for e in several] == list(one)
    for e in several:
        for q in QUANTITIES:
            if not e.fault:
                own = one[e.name, e.is_]
                assert e.after[q].value == pytest.approx(own.after[q].value, rel=1e-12, abs=1e-15)
                assert (e.after[q].of, e.parts) == (own.after[q].of, own.parts)


@settings_of_hypothesis(max_examples=25, deadline=None)
@given(
    st.integers(2, 4),
    st.integers(1, 3),
    st.floats(0.3, 3.0),
    st.booleans(),
)
def test_a_quick_run_gives_the_numbers_of_a_full_one(
    bays: int, storeys: int, share: float, pinned: bool
) -> None:
    """Modes begun with those known, faces and panels taken over, drifts alone: each size and each part to 1e-6,
    whatever is changed."""
    m = regular(bays, storeys)
    m.storeys = [
        Storey(f"L{k}", z)
        for k, z in enumerate(sorted({round(float(n.point[2]), 6) for n in m.nodes.values()}))
    ]
    m.cases["W"] = LoadCase("W", "wind", node_loads=[NodeLoad(max(m.nodes), (2e4, 1e4, 0.0))])
    own = Settings()
    own.modes.count = 4
    done = run_with_combinations(m, own)
    other = m.snapshot()
    first = next(iter(other.materials))
    other.materials[first] = replace(other.materials[first], E=(other.materials[first].E or 0) * share)
    ident = sorted(other.members)[-1]
    other.members[ident] = replace(
        other.members[ident], release_start=Release.of("my mz") if pinned else Release()
    )
    other.cases["W"] = replace(
        other.cases["W"], node_loads=[NodeLoad(min(m.nodes), (2e4, 0, -3e4)), *other.cases["W"].node_loads]
    )
    quick, full = measured(Runs(done).run(other, own)), measured(run_with_combinations(other, own))
    for q in QUANTITIES:
        assert quick.sizes[q].value == pytest.approx(full.sizes[q].value, rel=1e-6, abs=1e-12), q
    assert quick.members == full.members
    scale = max(1.0, float(np.abs(full.low).max()), float(np.abs(full.high).max()))
    assert (
        np.abs(quick.low - full.low).max() < 1e-9 * scale
        and np.abs(quick.high - full.high).max() < 1e-9 * scale
    )
    base = measured(done)
    assert changed_parts(base, quick, own.compare) == changed_parts(base, full, own.compare)


def effect(name: str, use: float, moved: float, parts: int = 0, fault: str = "") -> Effect:
    """Of a model with a use of 0.5 and a displacement of 10 mm."""
    before = {
        "use": Size(0.5, "B1"),
        "displacement": Size(0.01, "n1"),
        "reaction": Size(1e4, "n0"),
        "period": Size(),
    }
    after = {"use": Size(use), "displacement": Size(moved), "reaction": Size(1e4), "period": Size()}
    for q in ("drift_x", "drift_y"):
        before[q] = after[q] = Size()
    return Effect(name, ("B1",), "fixed", "pinned", before, {} if fault else after, ["B1"] * parts, fault)


def test_what_changes_the_use_of_sections_most_comes_first() -> None:
    every = [
        effect("walls", 0.5, 0.03),
        effect("base", 0.4, 0.01),
        effect("slabs", 0.7, 0.01),
        effect("mesh", 0.5, 0.01),
    ]
    assert [e.name for e in sorted(every, key=lambda e: e.rank)] == ["slabs", "base", "walls", "mesh"]
    assert [e.nothing for e in every] == [False, False, False, True]
    assert not effect("mesh", 0.5, 0.01, 1).nothing and not effect("mesh", 0, 0, fault="no run").nothing
    assert effect("mesh", 0.5 * 1.0099, 0.01).nothing and not effect("mesh", 0.5 * 1.0101, 0.01).nothing


def test_bands_name_what_gives_the_lowest_and_the_highest() -> None:
    every = [
        effect("walls", 0.5, 0.03),
        effect("base", 0.4, 0.012),
        effect("slabs", 0.7, 0.02),
        effect("mesh", 9, 9, fault="x"),
    ]
    rows = {q: (size, low, a and a.name, high, b and b.name) for q, size, low, a, high, b in bands(every)}
    assert rows["use"] == (0.5, 0.4, "base", 0.7, "slabs")
    assert rows["displacement"] == (0.01, 0.01, None, 0.03, "walls")
    assert rows["reaction"] == (1e4, 1e4, None, 1e4, None) and "period" not in rows
    assert bands([]) == []


def test_effects_in_words() -> None:
    mm = (1e3, "mm")
    assert effect_words(effect("mend:join.gap", 0.5, 0.002, 12), mm) == (
        "largest displacement 10 to 2 mm, 12 parts beyond the tolerances"
    )
    assert "no size changes by more than 0.4%" in effect_words(effect("mend:join.gap", 0.502, 0.01), mm)
    assert effect_words(None, mm) == effect_words(effect("mend:join.gap", 0, 0, fault="no run"), mm) == ""
    one = effect("mend:join.gap", 0.5, 0.002)
    assert (one.code, effect("base", 1, 1).code) == ("join.gap", "") and one.title == title_of("join.gap")
    assert of_finding([one], "join.gap", ("B1",)) is one and of_finding([one], "join.gap", ("B2",)) is None
    shear = replace(effect("shear_flexible", 0.5, 0.01), was="true", is_="false")
    assert shear.values == ("counted", "left out")


def test_they_stand_in_the_review_and_in_the_report(tmp_path: Path) -> None:
    done, _ = found(frame(gap=0.1))
    assert "effects" not in document(done)
    assert "effects" not in [c.key for c in chapters(done, done.settings)]
    done.effects = [effect("slabs", 0.7, 0.02, 3), effect("mesh", 0, 0, fault="no memory for it")]
    (first, second) = document(done)["effects"]
    assert first["switch"] == "slabs" and first["parts"] == ["B1"] * 3 and first["fault"] is None
    assert first["sizes"]["use"] == {"before": 0.5, "after": 0.7, "of": "", "place": ""}
    assert "period" not in first["sizes"] and second["sizes"] == {} and second["fault"] == "no memory for it"
    chapter = next(c for c in chapters(done, done.settings) if c.key == "effects")
    assert [c.text for c in chapter.tables[0].cells[0][:6]] == [
        "Slabs",
        "fixed",
        "pinned",
        "3",
        "50 to 70",
        "10 to 20",
    ]
    assert [c.text for c in chapter.tables[1].cells[0]] == [
        "Use of the section, %",
        "50",
        "50",
        "as it is",
        "70",
        "Slabs: pinned",
    ]
    assert any("no memory for it" in w for w in chapter.words)


def test_a_foot_that_settles_is_the_textbook_frame() -> None:
    """A foot sinks by d = l / 500 (EN 1997-1 annex H, from memory): the row is that of a run with that settlement
    put in by hand, whose beam has 6 E I2 d / (l2 (1 + 6 k)) more at its ends, k = I2 h / (I1 l) (slope and
    deflection with columns that cannot shorten)."""
    s = frame()
    own = Settings()
    own.modes.count, own.run.shear_flexible = 0, False
    model = taken(s, own)
    AddCases([{"name": "G", "kind": "self-weight", "self_weight": True, "loads": []}]).apply(model)
    done = review(model, own)
    (e,) = [x for x in effects(done, s, pairs=False) if x.name == "settlement"]
    (foot,) = e.ids
    feet = [n for n, x in model.nodes.items() if x.support.any]
    span = float(np.ptp([model.nodes[n].point[0] for n in feet]))
    assert foot == min(feet, key=lambda n: model.nodes[n].point[0])  # both bear the same: the first by place
    assert e.is_ == f"{span * 2:.3g} mm in G"
    by_hand = model.snapshot()
    AddLoads("G", [load_values(Settlement(foot, (0, 0, -span / 500, 0, 0, 0)))]).apply(by_hand)
    run = run_with_combinations(by_hand, own)
    full = measured(run)
    for q in QUANTITIES:
        assert e.after[q].value == pytest.approx(full.sizes[q].value, rel=1e-6, abs=1e-12), q
    moments = [r.force[r.case_index("G"), r.stations_of("B1"), 4] for r in (done.results, run.results)]
    column, beam = model.members["K1"], model.members["B1"]
    i1, i2 = model.sections[column.section].iy, model.sections[beam.section].iy
    k = i2 * model.length(column) / (i1 * span)
    more = 6 * 210e9 * i2 * span / 500 / (span**2 * (1 + 6 * k))
    assert np.abs(moments[1] - moments[0])[[0, -1]] == pytest.approx([more, more], rel=0.01)
    assert e.after["my"].value > 1.5 * e.before["my"].value
    assert not model.cases["G"].settlements


def test_the_foot_that_bears_most_settles_wherever_it_stands() -> None:
    model = regular(1, 1)
    feet = sorted(n for n, x in model.nodes.items() if x.support.any)
    for at in (3, 0):
        m = model.snapshot()
        loads = {"D": [2e4] * 4, "G": [5e4] * 4, "Q": [0.0, 9e5, 0.0, 0.0]}  # the live load is no matter
        loads["D"][at] = 4e4
        m.cases = {}
        for name, kind in (("D", "dead"), ("G", "self-weight"), ("Q", "live")):
            m.cases[name] = LoadCase(name, kind)
            m.cases[name].node_loads = [NodeLoad(n, (0.0, 0.0, -f)) for n, f in zip(feet, loads[name])]
        own = Settings()
        own.modes.count = 0
        done = review(m, own)
        (e,) = [x for x in effects(done, None, pairs=False) if x.name == "settlement"]
        assert e.ids == (feet[at],) and e.is_ == "12 mm in G"


@pytest.mark.parametrize(
    "beside, sinks", [(1.0, "12 mm in G"), (1.0 + 3e-10, "12 mm in G"), (1.2, "2.4 mm in G")]
)
def test_a_foot_within_a_metre_is_the_same_footing(beside: float, sinks: str) -> None:
    points = [(0, 0, 0), (0, 0, 3), (6, 0, 0), (6, 0, 3), (beside, 0, 0), (beside, 0, 3)]
    m = frame_of(points, [(0, 1), (2, 3), (4, 5), (1, 5), (5, 3)], {0: "fixed", 2: "fixed", 4: "fixed"})
    m.cases = {"G": LoadCase("G", "dead")}
    m.cases["G"].node_loads.append(NodeLoad("n0", (0.0, 0.0, -1e5)))
    own = Settings()
    own.modes.count = 0
    (e,) = [x for x in effects(review(m, own), None, pairs=False) if x.name == "settlement"]
    assert e.is_ == sinks
