"""State of the window: what it shows and what is picked. Widgets listen to this and write back through its
methods."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from ...analysis.results.run_sums import RunSum
from ...compare import Comparison
from ...intake.design_results import DesignResults
from ...intake.result_tables import Mapping
from ...model import Finding
from ...review import STEPS, Review, Step, step_of
from ...review.answers import Answer
from ...review.decisions import Look
from .section import Section

LOADS = ("loads", "arrived")  # overlays that show loads and need no results
MOVEMENTS = ("size", "ux", "uy", "uz", "rx", "ry", "rz")  # of the displaced shape: its size, or a component
VALUES = "values"  # the label that overlays of loads write themselves
MOST_COMBINATIONS = 500  # in the list of cases; all are in the table

SUMMED = "sum of runs"  # what tables of forces and reactions may be turned to


@dataclass
class Revision:
    """One revision as the window has it."""

    id: int
    name: str
    review: Review
    decisions: dict[str, tuple[str, str]] = field(default_factory=dict)
    looked: set[str] = field(default_factory=set)
    # by whom, when and in which picture, of what was looked at
    looks: dict[str, Look] = field(default_factory=dict)
    answers: list[Answer] = field(default_factory=list)  # of the modellers, to findings
    run_name: str = ""
    run_print: str = ""  # of the run that is on show
    being_checked: bool = False  # corrected since its findings were made, and its checks are not there yet
    against: Revision | None = None  # a kept run that it is compared with, None for the revision before it
    design: DesignResults | None = None  # utilisations and the like that a table from elsewhere gives
    run_sum: RunSum | None = None  # of cases of kept runs
    elsewhere: tuple[Path, Mapping] | None = None  # where results from elsewhere are, and what they stand for

    @property
    def stale(self) -> bool:
        """Return whether the model has changed since its run."""
        return self.review.stale

    @stale.setter
    def stale(self, value: bool) -> None:
        self.review.stale = value

    def decision(self, finding: Finding) -> str:
        return self.decided(finding)[0]

    def decided(self, finding: Finding) -> tuple[str, str]:
        """Decision and reason; of findings gathered in one, open as long as one of them is."""
        all_of = [self.decisions.get(key, ("open", "")) for key in finding.keys]
        return next((d for d in all_of if d[0] == "open"), all_of[0])

    def answers_to(self, finding: Finding) -> list[Answer]:
        """Return what the modellers wrote to a finding, or to one of those it gathers."""
        keys = {finding.key, *finding.keys}
        return [a for a in self.answers if a.key in keys]

    def open_findings(self, step: Step | None = None, severity: str | None = None) -> list[Finding]:
        """Findings without a decision, of a step and a severity if these are given."""
        return [
            f
            for f in self.review.findings
            if self.decision(f) == "open"
            and (step is None or step_of(f) is step)
            and (severity is None or f.severity == severity)
        ]


class DeskState(QObject):
    """The state of the window; every change emits a signal."""

    revision_changed = pyqtSignal()  # another revision, or new findings or results of this one
    revisions_changed = pyqtSignal()
    step_changed = pyqtSignal()
    overlay_changed = pyqtSignal()
    picked_changed = pyqtSignal()
    shown_changed = pyqtSignal()  # storeys or isolation
    decided = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.revisions: list[Revision] = []
        self.current = -1
        self.step = STEPS[0]
        self.overlay = "sections"
        self.label = "none"
        self.case = ""
        self.component = "my"
        self.movement = "size"  # of the displaced shape: its size, or a component
        self.wall = "n"  # of walls' resultants
        self.envelope_of = ""  # the kind of the combinations that the envelope is over; "" for all
        self.plate = "mx"  # of slabs and walls
        self.plate_range: tuple[float, float] | None = None  # SI; None from the largest value
        self.stress = "normal"  # of members
        self.stress_range: tuple[float, float] | None = None  # Pa; None up to the largest value
        self.plate_averaged = False
        self.plate_crosses = False
        self.plate_over = ""  # "highest" or "lowest" over combinations in place of a case
        self.cut = "v"  # of cuts
        self.origin = ""  # of loads: only those from there
        self.scale = 1.0
        # how many times displacements are drawn, before `scale`; 0 for a scale that suits the building
        self.times = 0.0
        self.mode = 1
        self.picked: tuple[str, str] | None = None  # ("member" | "node" | "surface", id)
        self.selected: list[tuple[str, str]] = []  # what else is chosen beside it, for corrections in bulk
        self.tally_by = "overview"
        self.storeys: set[str] = set()
        self.isolated: set[str] = set()
        self.section: Section | None = None
        self.surfaces = True
        self.hidden: set[str] = set()  # classes of parts that are not shown
        self.hidden_cuts: set[str] = set()  # sets of cuts that are not drawn, by name
        self.finding: Finding | None = None

    @property
    def revision(self) -> Revision | None:
        return self.revisions[self.current] if 0 <= self.current < len(self.revisions) else None

    @property
    def review(self) -> Review | None:
        return self.revision.review if self.revision else None

    @property
    def comparison(self) -> Comparison | None:
        return self.review.comparison if self.review else None

    @property
    def baseline(self) -> Revision | None:
        """Return what the current revision is compared with."""
        return self.baseline_of(self.revision) if self.revision else None

    def baseline_of(self, revision: Revision) -> Revision | None:
        """The kept run that a revision is compared with, else the revision before it; None for the first."""
        if revision.against is not None:
            return revision.against
        index = self.revisions.index(revision)
        return self.revisions[index - 1] if index > 0 else None

    def set_revisions(self, revisions: list[Revision], current: int) -> None:
        self.revisions = revisions
        self.revisions_changed.emit()
        self.choose(current)

    def choose(self, index: int) -> None:
        self.current = index
        self.storeys, self.isolated, self.finding, self.picked = set(), set(), None, None
        self.section = None
        self.selected = []
        self._settle_case()
        self.revision_changed.emit()
        self.picked_changed.emit()

    def refresh(self) -> None:
        """The current revision was recomputed."""
        review = self.review
        self._settle_case()
        if self.picked is not None and review is not None:
            self.selected = [p for p in self.selected if self._there(*p)]
            if not self._there(*self.picked):
                self.picked = None
        self.revision_changed.emit()
        self.picked_changed.emit()

    def _there(self, kind: str, ident: str) -> bool:
        review = self.review
        if review is None:
            return False
        parts: dict[str, object] = {
            "member": review.model.members,
            "node": review.model.nodes,
            "surface": review.model.surfaces,
        }
        return ident in parts.get(kind, ())  # type: ignore[operator]

    def chosen(self, kind: str) -> list[str]:
        """Ids of the selected things of a kind, the picked one first; just that one where nothing else is
        selected."""
        out = [self.picked[1]] if self.picked is not None and self.picked[0] == kind else []
        return out + [i for k, i in self.selected if k == kind and i not in out]

    def select(self, picks: list[tuple[str, str]]) -> None:
        """Choose several things at once; the first is the picked one unless the picked one is among them."""
        self.selected = list(dict.fromkeys(p for p in picks if self._there(*p)))
        if self.selected and self.picked not in self.selected:
            self.picked, self.finding = self.selected[0], None
        self.picked_changed.emit()

    def toggle(self, kind: str, ident: str) -> None:
        """Add a thing to the selection, or take it out."""
        pick = (kind, ident)
        now = self.selected or ([self.picked] if self.picked is not None else [])
        self.selected = [p for p in now if p != pick] if pick in now else [*now, pick]
        self.picked, self.finding = (
            (pick if pick in self.selected else self.selected[0] if self.selected else None),
            None,
        )
        self.picked_changed.emit()

    def go(self, step: Step) -> None:
        """Take a review step: its overlay and table come with it."""
        self.step = step
        self.overlay = step.overlay
        self._settle_case()
        self.step_changed.emit()
        self.overlay_changed.emit()

    def picture_words(self) -> str:
        """Return what the picture shows, in words, for the record of what was looked at."""
        words = [self.overlay]
        if self.case and self.case in self.cases():
            words.append(self.case)
        if self.storeys:
            words.append(f"storeys {', '.join(sorted(self.storeys))}")
        if self.isolated:
            words.append(f"{len(self.isolated)} parts alone")
        if self.hidden:
            words.append(f"without {', '.join(f'{c}s' for c in sorted(self.hidden))}")
        if self.section is not None:
            words.append(self.section.words)
        return ", ".join(words)

    def cases(self) -> list[str]:
        """Return what the shown overlay can show: load cases and combinations for loads, computed ones for
        results."""
        review = self.review
        if review is None:
            return []
        if self.overlay in LOADS:
            return [*review.model.cases, *(c.name for c in review.combinations[:MOST_COMBINATIONS])]
        return [*review.results.cases, *(c.name for c in review.computed_combinations[:MOST_COMBINATIONS])]

    def show_overlay(self, name: str) -> None:
        if name != self.overlay:
            self.overlay = name
            self._settle_case()
            self.overlay_changed.emit()

    def _settle_case(self) -> None:
        """Where the overlay cannot show the chosen case, the first one that it can."""
        known = self.cases()
        if self.case not in known:
            self.case = known[0] if known else ""

    def set_view(self, **values: object) -> None:
        """Label, case, component or scale of the view."""
        if "case" in values:
            self.plate_over = ""
        for key, value in values.items():
            setattr(self, key, value)
        self.overlay_changed.emit()

    def pick(self, kind: str | None, ident: str = "", finding: Finding | None = None) -> None:
        picked = (kind, ident) if kind else None
        if picked != self.picked or finding is not self.finding or self.selected:
            self.picked, self.finding, self.selected = picked, finding, []
            self.picked_changed.emit()

    def pick_finding(self, finding: Finding) -> None:
        """Pick what a finding is about: its first part or node that is in the model; one about more than two
        parts has all of them selected."""
        model = self.review.model if self.review else None
        kind, picked = None, ""
        for ident in finding.ids if model else ():
            assert model is not None
            kind = next((k for k in ("member", "node", "surface") if self._there(k, ident)), None)
            if kind is not None:
                picked = ident
                break
        self.pick(kind, picked, finding)
        every = [(k, i) for i in finding.ids for k in ("member", "node", "surface") if self._there(k, i)]
        if len(every) > 2 and self.selected != every:
            self.selected = every
            self.picked_changed.emit()

    def show_storeys(self, names: set[str]) -> None:
        if names != self.storeys:
            self.storeys = names
            self.shown_changed.emit()

    def show_section(self, section: Section | None) -> None:
        """Show what lies within a section alone; None for everything."""
        if section != self.section:
            self.section = section
            self.shown_changed.emit()

    def hide(self, classes: set[str]) -> None:
        """Leave parts of these classes out of the view."""
        if classes != self.hidden:
            self.hidden = classes
            self.shown_changed.emit()

    def hide_cuts(self, sets: set[str]) -> None:
        """Leave these sets of cuts out of the view; their forces stay in the tables."""
        if sets != self.hidden_cuts:
            self.hidden_cuts = sets
            self.overlay_changed.emit()

    def show_surfaces(self, shown: bool) -> None:
        self.surfaces = shown
        self.shown_changed.emit()

    def isolate(self, members: set[str]) -> None:
        self.isolated = members
        self.shown_changed.emit()

    def shown_members(self) -> set[str]:
        """Members that the view shows, after storeys and isolation."""
        review = self.review
        if review is None:
            return set()
        members = review.model.members
        shown = (
            set(members) if not self.hidden else {i for i, m in members.items() if m.cls not in self.hidden}
        )
        if self.storeys:
            shown = {i for i in shown if members[i].storey in self.storeys}
        shown = shown & self.isolated if self.isolated else shown
        return shown if self.section is None else self.section.members(review.model, shown)

    def shown_surfaces(self) -> list[str]:
        """Surfaces that the view shows: those of the shown storeys, or those that are isolated."""
        review = self.review
        if review is None or not self.surfaces:
            return []
        model, section = review.model, self.section
        every = [
            s
            for s in model.surfaces.values()
            if s.cls not in self.hidden and (section is None or section.holds(s.outer, model.origin))
        ]
        if self.isolated:
            return [s.id for s in every if s.id in self.isolated]
        return [s.id for s in every if not self.storeys or s.storey in self.storeys]
