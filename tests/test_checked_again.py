"""After a correction only the checks that look at what changed are made again: with what all of them would
find."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import fields, replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rod_tally.analysis import Results
from rod_tally.analysis.run import run
from rod_tally.checks import Checked, Subject, checked, run_checks
from rod_tally.checks import run as running
from rod_tally.checks.registry import check, checks, looks_at
from rod_tally.loads import Distribution
from rod_tally.model import (
    FIXED,
    PINNED_END,
    Finding,
    LoadCase,
    Member,
    Model,
    Node,
    Settings,
    Spectrum,
    Surface,
)
from rod_tally.model.changes import ASPECTS, OF_MODEL, OF_PARTS, changed
from rod_tally.model.edits import (
    DeleteMembers,
    SetCombinations,
    SetOneWay,
    SetRelease,
    SetSection,
    SetSupport,
    SetThickness,
)
from rod_tally.model.edits.base import Edit, EditError
from rod_tally.project.codec import Before, pack
from rod_tally.project.prints import Prints, is_old, run_print
from rod_tally.review.review import OLD, Review
from rod_tally.review.work import read_model
from rod_tally.transfer import transfer

from .test_carried_once import EDITS, named, source
from .test_edits import EDITS as FRAME_EDITS
from .test_edits import faulty


def told(findings: list[Finding]) -> list[tuple[object, ...]]:
    return [(f.code, f.severity, f.message, f.ids, f.at, repr(f)) for f in findings]


def arrived(loads: Distribution, model: Model) -> dict[str, list[object]]:
    """What of every case arrives on what, by place and size."""
    out: dict[str, list[object]] = {}
    for name in model.cases:
        a = loads.case(name)
        rows = zip(
            np.array(a.members)[a.member].tolist(), np.round(a.a, 9).tolist(), np.round(a.forces, 6).tolist()
        )
        out[name] = [
            sorted(map(str, rows)),
            [np.round(a.total(w), 6).tolist() for w in ("applied", "lost")],
            sorted((h.surface, str(np.round(h.force, 6))) for h in a.held),
        ]
    return out


class Desk:
    """A model that is corrected, checked again after each correction, with and without results."""

    def __init__(self, model: Model, with_run: bool = False) -> None:
        self.model, self.settings, self.written = model, Settings(), dict[int, object]()
        self.before: Checked | None = None
        self.made: list[Edit] = []
        results = run(model, self.settings.run) if with_run else None
        state = model.snapshot()
        self.before = checked(Subject(state, results, self.settings, Distribution(state)))[1]
        self.texts: Before = {}
        pack(model, written_before=self.texts)

    def correct(self, edit: Edit) -> None:
        edit.apply(self.model)
        self.made.append(edit)
        self.look()

    def undo(self) -> None:
        self.made.pop().revert(self.model)
        self.look()

    def look(self) -> None:
        assert self.before is not None
        state = self.model.snapshot()
        loads = self.before.loads.after(self.before.model, state)
        found, self.before = checked(Subject(state, None, self.settings, loads), before=self.before)
        fresh = Subject(self.model, None, self.settings)
        assert told(found) == told(run_checks(fresh))
        assert arrived(loads, state) == arrived(fresh.distribution, self.model)
        assert pack(self.model, written_before=self.texts) == pack(self.model)


@pytest.mark.parametrize("kind", EDITS)
def test_findings_after_any_correction_and_its_undo_are_those_of_all_checks(kind: str) -> None:
    model = source()
    desk = Desk(model, with_run=True)
    edits = EDITS[kind](model)
    for edit in edits:
        desk.correct(edit)
    for _ in edits:
        desk.undo()


@settings(max_examples=25, deadline=None)
@given(st.lists(st.tuples(st.sampled_from(sorted(FRAME_EDITS)), st.booleans()), min_size=2, max_size=5))
def test_findings_after_corrections_in_any_order_are_those_of_all_checks(
    steps: list[tuple[str, bool]],
) -> None:
    desk = Desk(faulty())
    for name, back in steps:
        try:
            desk.correct(FRAME_EDITS[name](desk.model))
        except (EditError, KeyError, StopIteration, IndexError):
            continue  # what it is about is gone
        if back:
            desk.undo()


def test_slabs_alike_are_not_taken_for_one_that_was_changed(loft_a: Path) -> None:
    """Slabs of one shape share their panels, whichever of them is changed, or loses a beam."""
    own = Settings()
    own.transfer.slabs = "two-way"
    desk = Desk(read_model(loft_a, own))
    slabs = [i for i, s in desk.model.surfaces.items() if not s.keeps_loads]
    for ident in slabs[:3]:
        beam = next(j.other for j in desk.model.surfaces[ident].joints if j.kind == "member")
        for edit in (DeleteMembers([beam]), SetThickness([ident], 0.31), DeleteMembers([ident])):
            desk.correct(edit)
        desk.undo()


def test_every_field_of_a_model_belongs_to_an_aspect_that_a_check_can_look_at() -> None:
    parts = {f.name for kind in (Node, Member, Surface) for f in fields(kind)}
    assert parts == OF_PARTS.keys() and {f.name for f in fields(Model)} - OF_MODEL.keys() == {
        "nodes",
        "members",
        "surfaces",
    }
    assert {*OF_PARTS.values(), *OF_MODEL.values()} == {*ASPECTS}
    with pytest.raises(ValueError, match="no aspect of a model"):
        check("x.y", looks_at=("weather",))


def _made(monkeypatch: pytest.MonkeyPatch, edit: Callable[[Model], Edit]) -> set[str]:
    """Codes of the checks that are made again after a correction."""
    model = source()
    desk = Desk(model)
    edit(model).apply(model)
    made: set[str] = set()
    whole = running._findings_of
    monkeypatch.setattr(running, "_findings_of", lambda f, codes, s: made.update(codes) or whole(f, codes, s))
    assert desk.before is not None
    checked(Subject(model.snapshot(), None, desk.settings), before=desk.before)
    return made


def test_a_correction_has_only_those_checks_made_again_that_look_at_it(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    costly = {"load.jump", "join.gap", "source.moved", "surface.gap", "join.crossing"}
    made = _made(monkeypatch, lambda m: SetRelease([named(m, "joist")], True, PINNED_END))
    assert not made & costly and "join.loose_end" in made
    made = _made(monkeypatch, lambda m: SetSupport([m.members[named(m, "joist")].end], FIXED))
    assert made & costly == {"join.gap"} and "support.unstable" in made
    made = _made(monkeypatch, lambda m: SetSection([named(m, "joist")], "IPE 400"))
    assert made & costly == {"join.gap", "join.crossing", "source.moved"}  # they look at bodies
    assert costly <= _made(monkeypatch, lambda m: DeleteMembers([named(m, "high")]))
    # one that does not say what it looks at is made again whatever changes
    assert looks_at(lambda s: []) == {*ASPECTS}


def test_a_check_that_failed_is_made_again(monkeypatch: pytest.MonkeyPatch) -> None:
    model = source()
    function = checks()["join.duplicate"]
    monkeypatch.setattr(running, "checks", lambda: {"join.duplicate": _failing})
    found, before = checked(Subject(model))
    assert [f.code for f in found] == ["check.failed"]
    monkeypatch.setattr(running, "checks", lambda: {"join.duplicate": function})
    assert checked(Subject(model), before=before)[0] == []


def _failing(_s: Subject) -> list[Finding]:
    raise RuntimeError("broken")


def test_other_settings_have_the_checks_that_ask_for_them_made_again() -> None:
    model = source()
    found, before = checked(Subject(model))
    assert not [f for f in found if f.code == "join.short"]
    other = Settings()
    other.transfer.short = 50.0
    again = checked(Subject(model, None, other), before=before)[0]
    assert [f for f in again if f.code == "join.short"] and told(again) == told(
        run_checks(Subject(model, None, other))
    )


def test_what_was_made_of_results_is_not_kept_for_others() -> None:
    """The parts that are computed come from the results of a run: a check that asks for them through
    something made once has asked for the results as well."""
    s = Subject(source(), run(source(), Settings().run))
    s.asked.clear()
    assert s.held_components and "results" in s.asked
    s.asked.clear()
    assert s.components and "results" in s.asked


def test_a_snapshot_stays_as_it_is() -> None:
    model = transfer(*_room())
    state = model.snapshot()
    was = pack(state)
    SetSupport([next(iter(model.nodes))], FIXED).apply(model)
    DeleteMembers([next(iter(model.members))]).apply(model)
    assert pack(state) == was != pack(model)
    found = changed(state, model)
    assert (
        len(found.members) == 1
        and "supports" in found.aspects
        and not changed(state, state.snapshot()).aspects
    )


def _room() -> tuple[object, object]:
    from .test_panels import room

    return room(), Settings().transfer


def test_results_are_old_once_a_member_acts_one_way_in_a_run_that_lets_it() -> None:
    model, own = source(), Settings()
    plain = run_print(model, own)
    own.run.one_way = True
    kept, prints = run_print(model, own), Prints()
    assert not prints.is_old(kept, model, own)
    edit = SetOneWay([named(model, "joist")], "tension")
    edit.apply(model)
    assert is_old(kept, model, own) and prints.is_old(kept, model, own)
    assert not is_old(plain, model, Settings())  # a run that lets it act both ways is as it was
    edit.revert(model)
    assert not prints.is_old(kept, model, own) and prints.run_print(model, own) == kept


def test_results_of_spectra_are_old_once_other_modes_are_asked_for() -> None:
    model, own = source(), Settings()
    model.cases["Sx"] = LoadCase("Sx", "seismic", spectrum=Spectrum("x", [(0.0, 1.0), (4.0, 1.0)]))
    kept, prints = run_print(model, own), Prints()
    assert not prints.is_old(kept, model, own)
    own.modes.count = 3
    assert is_old(kept, model, own) and prints.is_old(kept, model, own)
    del model.cases["Sx"]
    # modes alone are found again, and no result is made of them
    assert run_print(model, own) == run_print(model, Settings())


def test_making_combinations_makes_no_run_old() -> None:
    """No run depends on them; one that an earlier release kept, with them in its digest, is as it was too."""
    model, own = source(), Settings()
    model.cases["q"] = LoadCase("q", "live")
    kept, before, prints = run_print(model, own), Prints().run_print(model, own, once=True), Prints()
    assert kept != before and not prints.is_old(before, model, own) and not is_old(before, model, own)
    SetCombinations([{"name": "1", "kind": "strength", "factors": {"q": 1.5}}], "EN 1990").apply(model)
    assert not is_old(kept, model, own) and not prints.is_old(kept, model, own)
    SetSupport([model.members[named(model, "joist")].end], FIXED).apply(model)
    assert is_old(kept, model, own) and prints.is_old(before, model, own)


def test_old_results_say_what_made_them_old() -> None:
    model = source()
    SetSupport([model.members[named(model, "joist")].end], FIXED).apply(model)
    done = Review(model, Settings(), Results.none(), [], [])
    done.results = replace(done.results, cases=["q"])
    assert done.why_old == ""
    section = SetSection([named(model, "joist")], "IPE 400")
    section.apply(model)
    done.stale = True
    assert done.why_old.endswith("(a member: section IPE 400)")
    section.revert(model)
    for k in range(5):
        SetRelease([named(model, "joist")], bool(k % 2), PINNED_END).apply(model)
    assert done.why_old.count("a member") == 3 and "and 2 more" in done.why_old
    done.otherwise = "run.shear_flexible is False now"
    assert "; run.shear_flexible is False now)" in done.why_old
    model.corrections.clear()
    done.otherwise = ""
    assert done.why_old.endswith("(1 correction taken back)")
    assert Review(model, Settings(), done.results, [], [], stale=True).why_old == OLD  # nobody knows
