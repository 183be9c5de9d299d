"""Checks and runs of the current revision, each in the background, each kept beside the earlier ones."""

from __future__ import annotations

import copy
import os
import time
from collections.abc import Callable

from ...analysis.cost import Cost, coarser_size, expected_cost
from ...analysis.results.run_sums import RunSum, Term, add_up
from ...analysis.solve.flexibility import Flexibility
from ...checks import Checked
from ...intake import IntakeError
from ...model import Finding, Model, Settings
from ...model.source_file import source_of
from ...progress import Progress
from ...project import ProjectError
from ...project.run_definition import RunDefinition
from ...review import Review, review
from ...review.decisions import carried_decisions, twins
from ...review.effects.effect import Effect
from ...review.effects.effects import effects
from ...review.following import NotDecided, source_again
from ...review.ranking import ranked
from ...review.work import (
    add_dynamics,
    attach_carried,
    attach_comparison,
    attach_design,
    attach_elsewhere,
    check_unrun,
    put_required,
    run_statically,
)
from .base import SessionBase
from .revisions import review_of
from .state import Revision

MOST_AT_ONCE = 3  # processes that effects are found in: each holds the model
LONG = 10.0  # seconds expected of a run above which its forces are shown before its modes are there


def weight_without(model: Model, only: set[str]) -> float:
    """Own weight, N, of the members and surfaces that a run of a part leaves out."""
    members = sum(model.weight(m) for i, m in model.members.items() if i not in only)
    return members + sum(model.surface_weight(s) for i, s in model.surfaces.items() if i not in only)


def _free(name: str, taken: set[str]) -> str:
    """The name, with a number where a run has it already."""
    out, number = name, 2
    while out in taken:
        out, number = f"{name} ({number})", number + 1
    return out


class Runs:
    """The runs of a session. `ask` is called with what a run will cost where that is more than the settings
    allow without asking."""

    def __init__(self, session: SessionBase, ask: Callable[[Cost], None]) -> None:
        self.session, self.ask = session, ask
        self._kept: Flexibility | None = None

    def check_and_run(self, revision: Revision) -> None:
        """Do what follows when a revision was taken in: its checks, its comparison, then its run."""
        session, baseline = self.session, self.session.state.baseline

        def work(progress: Progress) -> tuple[list[Finding], Checked]:
            found = check_unrun(revision.review, progress)
            if baseline is not None:
                progress("Comparing", 0.95)
                attach_comparison(revision.review, baseline.review)
                self._carry_decisions(revision, baseline, found[0])
            return found

        def done(value: tuple[list[Finding], Checked]) -> None:
            findings, looked = value
            revision.review.checked = looked
            revision.review.keep_distribution(looked.loads)
            revision.review.findings = ranked([*findings, *revision.review.other_findings], session.settings)
            self.first(revision)
            session.state.refresh()

        session.start("Checking", work, done, self._left_unchecked, gives_way=True)

    def _left_unchecked(self) -> None:
        self.session.said.emit("Not checked and not run: F5 does both")

    def _carry_decisions(self, revision: Revision, baseline: Revision, findings: list[Finding]) -> None:
        comparison, project = revision.review.comparison, self.session.project
        if comparison is None or project is None:
            return
        base = baseline.review.model
        twin = twins(comparison, base, revision.review.model)
        known = {*base.members, *base.surfaces, *base.nodes}
        new = carried_decisions(
            baseline.review.findings, baseline.decisions, findings, twin, baseline.name, known
        )
        new = {key: value for key, value in new.items() if key not in revision.decisions}
        if new:
            project.decide_all(revision.id, new, self.session.reviewer)
            revision.decisions |= new

    def first(self, revision: Revision) -> None:
        """Run a revision that has no run yet, or ask where that costs more than is spent unasked."""
        cost = expected_cost(revision.review.model, self.session.settings)
        cost.seconds *= self.session.memory.pace
        if cost.seconds > self.session.settings.run.ask_above:
            self.ask(cost)
            return
        self.again("Run 1", gives_way=True)

    def coarser(self) -> None:
        """Run with elements twice as large as the settings give them on the whole."""
        review, mesh = self.session.state.review, self.session.settings.mesh
        if review is None:
            return
        mesh.size = coarser_size(review.model, mesh.size)
        self.session.said.emit(f"Elements of {mesh.size:g} m (mesh.size)")
        self.again()

    def again(
        self,
        name: str = "",
        cases: list[str] | None = None,
        only: set[str] | None = None,
        gives_way: bool = False,
        group: str = "",
    ) -> None:
        """A new run beside the earlier ones: of these cases and members, all unless named; `group`: the one
        that these members are."""
        session = self.session
        revision, project = session.state.revision, session.project
        if revision is None or project is None:
            return
        model = revision.review.model
        taken = {r.name for r in project.runs(revision.id)}
        number = len(taken) + 1
        name = _free(name.strip(), taken) if name.strip() else f"Run {number}"
        while name in taken:
            number += 1
            name = f"Run {number}"
        part = RunDefinition(name, group=group, ids=[] if group or only is None else sorted(only)).part_text()
        settings = copy.deepcopy(session.settings)
        if cases is not None:
            settings.run.cases = cases
        baseline = session.state.baseline
        cost = expected_cost(model, settings, only)
        began = time.monotonic()
        # what is known of the model as it is; of a part of it other checks hold
        before = revision.review.checked if only is None else None

        def finish(done: Review, progress: Progress) -> Review:
            """Compare a run with the revision before it, and keep it."""
            if baseline is not None:
                attach_comparison(done, baseline.review)
                if revision.against is None:
                    self._carry_decisions(revision, baseline, done.findings)
            self._with_elsewhere(done, revision)
            put_required(done, revision.review.required)
            attach_design(done, revision.review.design)
            if revision.review.carried is not None:
                attach_carried(done, revision.review.carried)
            progress("Keeping the run", 0.97)
            print_of = session.prints.run_print(done.model, settings)
            project.add_run(
                revision.id, name, done.model, settings, done.results, done.dynamics, print_of, part
            )
            if baseline is not None and done.comparison is not None and revision.against is None:
                project.add_comparison(baseline.id, revision.id, done.comparison)
            return done

        def work(progress: Progress) -> Review:
            self._let_go()
            if cost.seconds * session.memory.pace < LONG:
                return finish(review(model, settings, progress, only, before), progress)
            done, self._kept = run_statically(model, settings, progress, only, before)
            session.prints.run_print(model, settings)  # here, for it takes too long for the window's thread
            return done

        def ran(done: Review) -> None:
            if done.waiting:
                self._with_what_was_known(done, revision.review)
            revision.review, revision.stale, revision.run_name = done, False, name
            revision.run_print = session.prints.run_print(done.model, done.settings)
            if not done.waiting:
                session.memory.took(cost.seconds, time.monotonic() - began)
                session.said.emit(f"{revision.name}, {name}: kept beside the earlier runs")
            else:
                session.start(
                    "Modes",
                    lambda p: finish(self._dynamics(done, p), p),
                    ran,
                    self._without_modes,
                    gives_way=True,
                )
            session.state.refresh()

        session.start("Running", work, ran, gives_way=gives_way)

    def asked(self, ident: int) -> str:
        """Say in a few words what a kept run was asked for; "" where that cannot be read."""
        try:
            return "" if self.session.project is None else self.session.project.definition(ident).words
        except ProjectError:
            return ""

    def make_again(self, ident: int) -> None:
        """A new run of what a kept one was of, with the model as it is now: the same cases, part and
        switches. Says what of it is not there any more."""
        session = self.session
        revision, project = session.state.revision, session.project
        if revision is None or project is None:
            return
        try:
            asked = project.definition(ident)
        except ProjectError as error:
            session.failed.emit("The run cannot be made again", str(error))
            return
        model, run = revision.review.model, session.settings.run
        only, gone = asked.part_in(model)
        cases, lost = asked.cases_in(model)
        if (only is not None and not only) or (cases is not None and not cases):
            what = "case" if cases is not None and not cases else "member and surface"
            session.said.emit(f"{asked.name}: no {what} of it is in the model any more")
            return
        if (run.one_way, run.p_delta) != (asked.one_way, asked.p_delta):

            def as_then(settings: Settings) -> None:
                settings.run.one_way, settings.run.p_delta = asked.one_way, asked.p_delta

            session.change_settings(as_then)
        missing = [f"{len(gone)} of its parts"] * bool(gone) + [f"case {c}" for c in lost]
        if missing:
            session.said.emit(f"{asked.name}: not in the model any more: {', '.join(missing)}")
        self.again(asked.name, cases, only, group=asked.group)

    def each(self, parts: dict[str, set[str]], cases: list[str] | None = None) -> None:
        """A run of every one of these parts (members and surfaces, by name), each kept; the last is shown.
        Says what weight each leaves out."""
        session = self.session
        revision, project = session.state.revision, session.project
        if revision is None or project is None or not parts:
            return
        model, settings = revision.review.model, copy.deepcopy(session.settings)
        if cases is not None:
            settings.run.cases = cases
        taken = {r.name for r in project.runs(revision.id)}

        def work(progress: Progress) -> tuple[Review, str, list[str]]:
            said = []
            for k, (part, only) in enumerate(parts.items()):
                name = _free(part, taken)
                taken.add(name)

                def step(text: str, share: float, k: int = k, part: str = part) -> None:
                    progress(f"{part}: {text}", (k + share) / len(parts))

                done = review(model, settings, step, only)
                print_of = session.prints.run_print(done.model, settings)
                project.add_run(
                    revision.id,
                    name,
                    done.model,
                    settings,
                    done.results,
                    done.dynamics,
                    print_of,
                    RunDefinition(name, group=part.removeprefix("Group ")).part_text(),
                )
                said.append(f"{part} leaves out {weight_without(model, only) / 1e3:.4g} kN of weight")
            return done, name, said

        def ran(value: tuple[Review, str, list[str]]) -> None:
            done, name, said = value
            self._with_what_was_known(done, revision.review)
            revision.review, revision.stale, revision.run_name = done, False, name
            revision.run_print = session.prints.run_print(done.model, done.settings)
            session.state.refresh()
            session.said.emit(f"{len(said)} runs kept, {name} is shown; {'; '.join(said)}")

        session.start("Running", work, ran)

    def _dynamics(self, done: Review, progress: Progress) -> Review:
        kept, self._kept = self._kept, None  # closed by what takes it
        return add_dynamics(done, kept, progress)

    def _with_what_was_known(self, done: Review, before: Review) -> None:
        """Give a review the comparison, and what was carried over, of the one before it, with their
        findings."""
        done.comparison, done.carried = before.comparison, before.carried
        put_required(done, before.required)
        attach_design(done, before.design)
        more = [] if done.comparison is None else done.comparison.findings
        if done.carried is not None:
            more = [*more, *done.carried.findings]
        done.findings = ranked([*done.findings, *more], self.session.settings)

    def _with_elsewhere(self, done: Review, revision: Revision) -> None:
        """Give a new run the comparison with results from elsewhere that its revision has."""
        if revision.elsewhere is not None and not done.stale:
            try:
                attach_elsewhere(done, *revision.elsewhere)
            except IntakeError as error:  # the tables are gone, or were changed
                self.session.said.emit(str(error))

    def _without_modes(self) -> None:
        self._let_go()
        review = self.session.state.review
        if review is not None:
            review.waiting = "modes, centres and spectra: cancelled, F5 works them out"
        self.session.state.refresh()
        self.session.said.emit("Modes cancelled; the run is shown but not kept: F5 runs again")

    def _let_go(self) -> None:
        """Give back the memory of a factorisation that nobody took."""
        if self._kept is not None:
            self._kept.close()
            self._kept = None

    def kept(self) -> list[tuple[int, str, str, bool]]:
        """Kept runs of the current revision, newest first: id, name, when, whether the model has changed
        since."""
        revision, project = self.session.state.revision, self.session.project
        if revision is None or project is None:
            return []
        model = revision.review.model
        return [
            (r.id, r.name, r.created, self.session.prints.is_old(r.print, model, self.session.settings))
            for r in reversed(project.runs(revision.id))
        ]

    def add_up(self, chosen: list[tuple[int, str, str, float]], shown: Callable[[], None]) -> None:
        """Add up cases of kept runs (id, name, case, factor), with the model as it is; then `shown` is
        called."""
        session = self.session
        revision, project = session.state.revision, session.project
        if revision is None or project is None:
            return
        model = revision.review.model

        def work(progress: Progress) -> RunSum | str:
            terms = []
            for k, (ident, name, case, factor) in enumerate(chosen):
                progress(f"Opening {name}", k / len(chosen))
                terms.append(Term(name, project.results(ident), case, factor))
            try:
                return add_up(terms, model.nodes)
            except ValueError as error:
                return str(error)

        def done(value: RunSum | str) -> None:
            if isinstance(value, str):
                session.failed.emit("Runs cannot be added up", value)
                return
            revision.run_sum = value
            session.state.refresh()
            shown()
            session.said.emit(f"Added up: {value.words}")

        session.start("Adding up", work, done)

    def effects(self, shown: Callable[[], None]) -> None:
        """Find what each guess, default and open finding does to the results shown, each by a run of its
        own in the background. What was found when it is stopped is kept, and the next call goes on."""
        session, revision = self.session, self.session.state.revision
        if revision is None:
            return
        review = revision.review
        if review.why_old or review.settings.run.p_delta:
            why = review.why_old or "these results have second-order effects: effects are of linear runs"
            session.failed.emit("Effects", f"There is nothing to compare with: {why}")
            return
        own, known = copy.copy(review), list(review.effects)
        own.model, own.settings = review.model.snapshot(), copy.deepcopy(review.settings)
        found: list[Effect] = []

        def work(progress: Progress) -> str:
            try:
                source, words = source_again(source_of(own.model)), ""
            except NotDecided as why:
                source, words = None, f"; what transfer decides is not among them: {why}"
            effects(
                own,
                source,
                progress,
                known,
                found.append,
                jobs=max(1, min((os.cpu_count() or 2) - 1, MOST_AT_ONCE)),
            )
            return words

        def keep() -> None:
            # a correction made meanwhile makes them those of another model
            if revision.review is review and not review.stale:
                left = [e for e in known if e not in found]
                review.effects = [*found, *left]
                every, print_of = list(review.effects), revision.run_print
                session.saving(lambda p: p.keep_effects(revision.id, print_of, every))
                session.state.refresh()
                shown()

        def done(words: str) -> None:
            keep()
            session.said.emit(f"{len(found)} effects, each by a run of its own{words}")

        def stopped() -> None:
            keep()
            session.said.emit(f"Stopped: {len(found)} effects are kept, the same command goes on from there")

        session.start("Effects of guesses", work, done, stopped)

    def show(self, ident: int) -> None:
        """Show the results of an earlier run; nothing of what is kept changes."""
        revision, project = self.session.state.revision, self.session.project
        if revision is None or project is None:
            return
        model, settings = revision.review.model, self.session.settings
        row = next(r for r in project.runs(revision.id) if r.id == ident)

        def work(progress: Progress) -> Review:
            progress(f"Opening {row.name}", 0.2)
            stale = self.session.prints.is_old(row.print, model, settings)
            return review_of(
                model, settings, project.results(ident), stale, project.dynamics(ident, settings)
            )

        def done(value: Review) -> None:
            self._with_what_was_known(value, revision.review)
            self._with_elsewhere(value, revision)
            revision.review, revision.run_name, revision.run_print = value, row.name, row.print
            value.effects = [] if value.stale else project.effects(revision.id, row.print)
            self.session.state.refresh()
            self.session.said.emit(f"{revision.name}: {row.name} is shown")

        self.session.start("Opening a run", work, done)
