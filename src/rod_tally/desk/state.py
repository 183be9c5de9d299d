"""What the window shows and what is picked in it. Widgets listen to this and write back through its methods."""

from __future__ import annotations

from dataclasses import dataclass, field

from PyQt6.QtCore import QObject, pyqtSignal

from ..compare import Comparison
from ..model import Finding
from ..review import STEPS, Review, Step, step_of


@dataclass
class Revision:
    """One revision as the window has it. `stale`: the model changed since its run."""

    id: int
    name: str
    review: Review
    decisions: dict[str, tuple[str, str]] = field(default_factory=dict)
    looked: set[str] = field(default_factory=set)
    stale: bool = False
    run_name: str = ""

    def decision(self, finding: Finding) -> str:
        return self.decisions.get(finding.key, ("open", ""))[0]

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
    """The state of the window; every change is told by a signal."""

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
        self.scale = 1.0
        self.picked: tuple[str, str] | None = None  # ("member" | "node", id)
        self.storeys: set[str] = set()
        self.isolated: set[str] = set()
        self.surfaces = True
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
        """The revision that the current one is compared with: the one before it."""
        return self.revisions[self.current - 1] if self.current > 0 else None

    def set_revisions(self, revisions: list[Revision], current: int) -> None:
        self.revisions = revisions
        self.revisions_changed.emit()
        self.choose(current)

    def choose(self, index: int) -> None:
        self.current = index
        self.storeys, self.isolated, self.finding, self.picked = set(), set(), None, None
        review = self.review
        if review is not None:
            cases = review.results.cases
            if self.case not in cases:
                self.case = cases[0] if cases else ""
        self.revision_changed.emit()
        self.picked_changed.emit()

    def refresh(self) -> None:
        """The current revision was recomputed."""
        review = self.review
        if review is not None and self.case not in review.results.cases:
            self.case = review.results.cases[0] if review.results.cases else ""
        if self.picked is not None and review is not None:
            kind, ident = self.picked
            if ident not in (review.model.members if kind == "member" else review.model.nodes):
                self.picked = None
        self.revision_changed.emit()
        self.picked_changed.emit()

    def go(self, step: Step) -> None:
        """Take a step of the round: its overlay and table come with it."""
        self.step = step
        self.overlay = step.overlay
        self.step_changed.emit()
        self.overlay_changed.emit()

    def show_overlay(self, name: str) -> None:
        if name != self.overlay:
            self.overlay = name
            self.overlay_changed.emit()

    def set_view(self, **values: object) -> None:
        """Label, case, component or scale of the view."""
        for key, value in values.items():
            setattr(self, key, value)
        self.overlay_changed.emit()

    def pick(self, kind: str | None, ident: str = "", finding: Finding | None = None) -> None:
        picked = (kind, ident) if kind else None
        if picked != self.picked or finding is not self.finding:
            self.picked, self.finding = picked, finding
            self.picked_changed.emit()

    def pick_finding(self, finding: Finding) -> None:
        """Pick what a finding is about: its first member or node that is in the model."""
        model = self.review.model if self.review else None
        kind, picked = None, ""
        for ident in finding.ids if model else ():
            assert model is not None
            if ident in model.members or ident in model.nodes:
                kind, picked = ("member" if ident in model.members else "node"), ident
                break
        self.pick(kind, picked, finding)

    def show_storeys(self, names: set[str]) -> None:
        if names != self.storeys:
            self.storeys = names
            self.shown_changed.emit()

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
        shown = set(members)
        if self.storeys:
            shown = {i for i in shown if members[i].storey in self.storeys}
        return shown & self.isolated if self.isolated else shown
