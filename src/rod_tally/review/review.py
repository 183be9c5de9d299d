"""A review: read, transfer, check, run, compare, in that order."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from ..analysis import Results
from ..analysis.dynamics.dynamics import Dynamics, dynamics
from ..analysis.dynamics.modes import Mode
from ..analysis.frame.shape import Largest, Shapes, largest, member_shapes
from ..analysis.results.balance import Balance, Given, StoreyCut
from ..analysis.results.centres import StoreyCentre
from ..analysis.results.cuts import CutError, CutForces, Section, cut_of
from ..analysis.results.storeys import StoreyRow, storey_rows
from ..analysis.results.superpose import can_sift, combined, combined_shapes, governing, usable
from ..analysis.results.walls import WallForces, wall_forces
from ..analysis.run import run_and_keep
from ..analysis.shells.fields import PlateFields
from ..checks import Subject, run_checks
from ..compare import Comparison, Side, compare
from ..compare.carry import CarriedOver
from ..compare.elsewhere import Elsewhere, compare_elsewhere
from ..intake import read_source
from ..intake.result_tables import read_results
from ..loads import Distribution
from ..loads.combinations.combine import MOST, Combined, CombineError, combine, count_combinations, expand
from ..loads.combinations.orientation import directions, orientation
from ..loads.combinations.rules import RulesError, RuleSet, read_rules
from ..meshing import Plates
from ..model import Combination, Finding, Model, Settings
from ..model.entities.cuts import Cut
from ..model.geometry.lines import Line, lines_of
from ..model.geometry.vectors import Array
from ..model.settings import CutSettings
from ..transfer import transfer
from .decisions import Decision
from .envelopes import Envelopes
from .forces import direct_force
from .tally import TallyRow, tally

Progress = Callable[[str, float], None]
OLD = "the model or the settings have changed since this run: run it again (F5)"
MANY_MEMBERS = 1500  # whose displaced shape takes longer than one would wait for
MANY_ELEMENTS = 10_000  # whose recovery of forces takes longer than one would wait for


def silent(_text: str, _share: float) -> None:
    pass


@dataclass(slots=True)
class Review:
    """What a review knows. `comparison` is None without a baseline; `rules_fault` says why there are no combinations,
    `stale` that the model has changed since the run."""

    model: Model
    settings: Settings
    results: Results
    findings: list[Finding]
    tally: list[TallyRow]
    modes: list[Mode] = field(default_factory=list)
    storeys: list[StoreyRow] = field(default_factory=list)
    centres: list[StoreyCentre] = field(default_factory=list)
    comparison: Comparison | None = None
    elsewhere: Elsewhere | None = None
    carried: CarriedOver | None = None
    decisions: list[Decision] = field(default_factory=list)
    rules_fault: str = ""
    stale: bool = False
    _lines: list[Line] | None = None
    _distribution: Distribution | None = None
    _combined: Combined | None = None
    _shown: Results | None = None
    _envelopes: Envelopes | None = None
    _fields: PlateFields | None = None
    _balance: Balance | None = None
    _shapes: tuple[str, int, Shapes] | None = None
    _sections: dict[int, tuple[Cut, Section | str]] = field(default_factory=dict)
    _cut_cases: dict[tuple[int, int], tuple[Array, Array]] = field(default_factory=dict)
    _cut_run: Results | None = None
    _own_cuts: tuple[list[CutSettings], list[Cut], list[str]] | None = None
    _walls: tuple[Results, WallForces] | None = None

    def cut_forces(self, case: str) -> dict[str, CutForces | str]:
        """Forces of every cut in a case or combination, or why it has none; {} for a case that was not computed."""
        own = self._named(case)
        if own is None:
            return {}
        factors = {own: 1.0} if isinstance(own, str) else own.factors
        signless = any(self.model.cases[n].spectrum is not None for n in factors)
        if signless or (not isinstance(own, str) and own.roots):
            return {c.name: "a response without sign has no forces that act together" for c in self.cuts}
        out: dict[str, CutForces | str] = {}
        for cut in self.cuts:
            found = self._section(cut)
            if isinstance(found, str):
                out[cut.name] = found
                continue
            given, members = np.zeros((2, 6))
            for name, factor in factors.items():
                c = self.results.case_index(name)
                if (id(cut), c) not in self._cut_cases:
                    self._cut_cases[id(cut), c] = found.of_case(self.balance, c)
                parts = self._cut_cases[id(cut), c]
                given, members = given + factor * parts[0], members + factor * parts[1]
            out[cut.name] = found.of_parts(given, members)
        return out

    def _section(self, cut: Cut) -> Section | str:
        """What crosses a cut, or why nothing does; kept while model and run are the same."""
        if self._cut_run is not self.results:
            self._sections, self._cut_cases, self._cut_run = {}, {}, self.results
        if id(cut) not in self._sections:
            plates = self.results.plates or Plates([], np.zeros((0, 3)), 0)
            found: Section | str
            try:
                found = Section(self.model, plates, cut, self.balance)
            except CutError as error:
                found = str(error)
            self._sections[id(cut)] = cut, found
        return self._sections[id(cut)][1]

    @property
    def other_findings(self) -> list[Finding]:
        """Those that no check of the model gives: of the comparison, of what was carried over, of cuts and combinations."""
        out = self.unplaced_cuts if not self.stale else []
        if self.comparison is not None:
            out = [*out, *self.comparison.findings]
        if self.elsewhere is not None:
            out = [*out, *self.elsewhere.findings]
        if self.carried is not None and self.carried.finding is not None:
            out = [*out, self.carried.finding]
        if self._combined is not None and self._combined.reduced:
            out = [*out, reduced_finding(self._combined)]
        return out

    @property
    def cuts(self) -> list[Cut]:
        """The model's own and those of the settings that it can take; `unplaced_cuts` says which it cannot."""
        return [*self.model.cuts, *self._settings_cuts()[0]]

    @property
    def unplaced_cuts(self) -> list[Finding]:
        """Cuts of the settings that have no forces, and why."""
        made, lost = self._settings_cuts()
        lost = [*lost, *(found for c in made if isinstance(found := self._section(c), str))]
        return [
            Finding("cut.unplaced", "warning", f"{why[0].upper()}{why[1:]}.", (), None, ("Accept, because…",))
            for why in lost
        ]

    def _settings_cuts(self) -> tuple[list[Cut], list[str]]:
        if self._own_cuts is None or self._own_cuts[0] != self.settings.cuts:
            made: list[Cut] = []
            lost: list[str] = []
            for c in self.settings.cuts:
                about = None if c.about is None else np.array(c.about, float)
                try:
                    made.append(
                        cut_of(self.model, c.name, c.storey, np.array([c.start, c.end], float), about, c.factor)
                    )
                except CutError as error:
                    lost.append(str(error))
            self._own_cuts = list(self.settings.cuts), made, lost
        return self._own_cuts[1], self._own_cuts[2]

    @property
    def wall_forces(self) -> WallForces:
        """Of walls and cores in every computed case, worked out once."""
        if self._walls is None or self._walls[0] is not self.results:
            self._walls = self.results, wall_forces(self.model, self.results, self.distribution)
        return self._walls[1]

    @property
    def balance(self) -> Balance:
        """Equilibrium of the run at nodes and between storeys, prepared once."""
        if self._balance is None or self._balance.results is not self.results:
            own = self.settings.run
            self._balance = Balance(self.model, self.results, self.distribution, own.shear_flexible, own.diaphragms)
        return self._balance

    def _named(self, name: str) -> str | Combination | None:
        """A computed case's name, or the computed combination of that name; None for neither, and for an old run."""
        if self.stale:
            return None
        if name in self.results.cases:
            return name
        return next((c for c in self.computed_combinations if c.name == name), None)

    def storey_cuts(self, name: str) -> tuple[list[StoreyCut], str]:
        """Cuts between storeys in a case or combination, lowest first, and what to say of them."""
        case = self._named(name)
        if case is None:
            return [], OLD if self.stale else f"{name or 'no case'} was not computed"
        try:
            found = self.balance.storey_cuts(case)
        except ValueError as error:
            return [], str(error)
        return found, f"{name}: half-way between the storeys" if found else "cuts need two storeys"

    def at_node(self, name: str, node: str) -> tuple[list[Given], str]:
        """What everything gives a node in a case or combination, and what to say of it."""
        case = self._named(name)
        if case is None or node not in self.results.node_ids:
            return [], OLD if self.stale else f"{name or 'no case'} was not computed"
        try:
            found = self.balance.at_node(case, node)
        except ValueError as error:
            return [], str(error)
        return (
            found,
            f"{name}, node {node}: what is left over is rounding" if found else f"{name} is not computed there",
        )

    def shapes(self, name: str) -> Shapes | None:
        """How members of a computed case or combination lie between their ends, kept for the latest one; None for neither."""
        case = self._named(name)
        if case is None:
            return None
        if self._shapes is None or self._shapes[:2] != (name, id(self.results)):
            many = len(self.results.member_ids) > MANY_MEMBERS
            own = self.settings.run.shear_flexible, self.distribution
            n = 7 if many else 13
            if isinstance(case, str):
                found = member_shapes(self.model, self.results, case, n, *own)
            else:
                found = combined_shapes(self.model, self.results, case, n, *own)
            self._shapes = name, id(self.results), found
        return self._shapes[2]

    def largest_displacement(self, name: str) -> Largest | None:
        """Of a computed case or combination, along members too where their shapes are at hand; None where it was not computed."""
        r = self.shown(name)
        if name not in r.cases:
            return None
        shapes = None if self.shapes_waiting(name) else self.shapes(name)
        return largest(r, r.case_index(name), self.model.origin, shapes)

    def shapes_waiting(self, name: str) -> bool:
        """Whether they are so many that they should be worked out in the background, and are not yet."""
        many = len(self.results.member_ids) > MANY_MEMBERS or self.fields_waiting
        known = self._shapes is not None and self._shapes[:2] == (name, id(self.results))
        return many and not known and self._named(name) is not None

    @property
    def fields(self) -> PlateFields | None:
        """What turns movements into forces of slabs and walls, worked out once; None where the run has no shells."""
        plates = self.results.plates
        if plates is None or plates.empty:
            return None
        if self._fields is None or self._fields.plates is not plates:
            self._fields = PlateFields(self.model, plates)
        return self._fields

    @property
    def fields_waiting(self) -> bool:
        """Whether the slabs and walls are so many that `fields` should be worked out in the background, and is not yet."""
        plates = self.results.plates
        done = self._fields is not None and self._fields.plates is plates
        return plates is not None and plates.count > MANY_ELEMENTS and not done

    @property
    def computed_combinations(self) -> list[Combination]:
        """Those whose cases were all computed."""
        return usable(self.results, self.combinations)

    def shown(self, name: str) -> Results:
        """The results that hold a case, or those of the combination of that name; the run's own for neither."""
        if name in self.results.cases:
            return self.results
        if self._shown is not None and self._shown.cases == [name]:
            return self._shown
        found = next((c for c in self.computed_combinations if c.name == name), None)
        if found is None:
            return self.results
        self._shown = combined(self.results, found)
        return self._shown

    @property
    def envelopes(self) -> Envelopes:
        """Over all combinations that were computed."""
        if self._envelopes is None or self._envelopes.results is not self.results:
            self._envelopes = Envelopes(self.results, self.computed_combinations)
        return self._envelopes

    @property
    def combinations(self) -> list[Combination]:
        """The model's own; where it has none, those that the settings' rule set makes of its cases."""
        if self.model.combinations:
            return self.model.combinations
        if self._combined is None:
            try:
                self._combined = made_combinations(
                    self.model, self.settings, loads=self.distribution, results=None if self.stale else self.results
                )
            except RulesError as error:  # a rule file that is gone since the project was kept
                self._combined, self.rules_fault = Combined(), str(error)
        return self._combined.combinations

    @property
    def distribution(self) -> Distribution:
        """Where the loads of every case go."""
        if self._distribution is None:
            self._distribution = Distribution(self.model)
        return self._distribution

    @property
    def lines(self) -> list[Line]:
        """Stacks, beam lines, walls and frames of the model, recognised once."""
        if self._lines is None:
            self._lines = lines_of(self.model)
        return self._lines

    def model_changed(self, distribution: Distribution | None = None) -> None:
        """What was made from the model as it was holds no more; its loads go as `distribution` says."""
        self._lines, self._distribution, self._combined, self.rules_fault = None, distribution, None, ""
        self._shown = self._envelopes = self._balance = self._shapes = None
        self.tally = tally(self.model)

    @property
    def dynamics(self) -> Dynamics:
        return Dynamics(self.modes, self.centres)

    @property
    def blocking(self) -> list[Finding]:
        return [f for f in self.findings if f.severity == "blocking"]


def made_combinations(
    model: Model,
    settings: Settings,
    scheme: str = "",
    rules: RuleSet | None = None,
    loads: Distribution | None = None,
    results: Results | None = None,
    progress: Progress = silent,
) -> Combined:
    """A model's cases combined by the settings' rule set (or by `rules`), seismic directions as the building's frames ask
    for unless a `scheme` is given.

    Of too many to be looked at those are kept that govern something of the `results`; without results, imposed cases of a
    category act all at once. Raises RulesError.
    """
    rules = rules or read_rules(settings.combinations.standard)
    direction = {}
    cases = model.cases.values()
    if any(c.kind in ("seismic", "notional") for c in cases):
        loads = loads or Distribution(model)
        pushing = {n: c for n, c in model.cases.items() if c.kind in ("seismic", "notional")}
        totals = {n: direct_force(model, c) + loads.case(n).total("applied") for n, c in pushing.items()}
        direction = directions(model.cases, totals)
        direction |= {n: c.spectrum.direction for n, c in model.cases.items() if c.spectrum is not None}
        if any(c.kind == "seismic" for c in cases):
            scheme = scheme or orientation(model).scheme
    chosen = scheme or "plain"
    count = count_combinations(cases, rules, chosen, direction)
    if count <= MOST:
        return combine(cases, rules, chosen, direction)
    if results is not None and can_sift(results, count):
        kept, made = governing(results, expand(cases, rules, chosen, direction), progress)
        used = {name for c in kept for name in c.factors}
        untyped = [c.name for c in cases if not c.kind]
        unused = [c.name for c in cases if c.kind and c.name not in used]
        how = f"the {len(kept)} that govern a force, a reaction or a displacement are kept"
        return Combined(kept, untyped, unused, made, how)
    try:
        out = combine(cases, rules, chosen, direction, fewer=True)
        out.count, out.reduced = count, f"{len(out.combinations)} are made, imposed cases of a category all at once"
    except CombineError:
        out = Combined(untyped=[c.name for c in cases if not c.kind], count=count, reduced="none are made")
    return out


def read_model(path: Path, settings: Settings, progress: Progress = silent) -> Model:
    """A file as an analytical model. Raises IntakeError for one that cannot be taken in."""
    source = read_source(path, progress)
    model = transfer(source, settings.transfer, progress)
    model.name = path.stem
    return model


def review(model: Model, settings: Settings, progress: Progress = silent, only: set[str] | None = None) -> Review:
    """Run and check a model, or of it the members in `only`. Raises AnalysisError for a case in the settings that the model does not have, RulesError for
    a rule set that cannot be read."""
    loads = Distribution(model)
    results, kept = run_and_keep(model, settings.run, progress, None, loads, only, settings.mesh)
    own = dynamics(model, results, settings, loads, progress, kept)
    done = assess(model, settings, results, own, loads, progress)
    if not model.combinations:
        done._combined = made_combinations(model, settings, loads=loads, results=results, progress=progress)
        if done._combined.reduced:
            done.findings = sorted([*done.findings, reduced_finding(done._combined)], key=lambda f: f.order)
    return done


def reduced_finding(made: Combined) -> Finding:
    """That not all combinations of the rule set were made, with how many there are and which were."""
    text = f"The rule set gives {made.count:,} combinations; {made.reduced}."
    actions = ("Make combinations…", "Accept, because…")
    return Finding("combination.many", "warning" if not made.combinations else "note", text, (), None, actions)


def assess(
    model: Model,
    settings: Settings,
    results: Results,
    own: Dynamics,
    loads: Distribution,
    progress: Progress = silent,
) -> Review:
    """The review of a run that is there: storeys, checks, tally."""
    storeys = storey_rows(model, results, loads)
    subject = Subject(model, results, settings, loads, own.modes, storeys, own.centres)
    findings = run_checks(subject, progress)
    done = Review(
        model, settings, results, findings, tally(model), own.modes, storeys, own.centres, _distribution=loads
    )
    done.findings = sorted([*findings, *done.unplaced_cuts], key=lambda f: f.order)
    return done


def run_only(model: Model, settings: Settings, progress: Progress = silent) -> Review:
    """A run with what a comparison asks of it, storeys and modes, and no checks. Raises AnalysisError."""
    loads = Distribution(model)
    results, kept = run_and_keep(model, settings.run, progress, None, loads, None, settings.mesh)
    own = dynamics(model, results, settings, loads, progress, kept)
    storeys = storey_rows(model, results, loads)
    return Review(model, settings, results, [], [], own.modes, storeys, own.centres, _distribution=loads)


def side_of(done: Review) -> Side:
    """A review as one of the two sides of a comparison; results of a model that has changed since are left out."""
    if done.stale:
        return Side(done.model, None, done.combinations)
    return Side(done.model, done.results, done.combinations, done.storeys, done.modes, done.fields)


def attach_elsewhere(done: Review, path: Path) -> None:
    """Compare a review with results from elsewhere. Raises IntakeError for tables that cannot be read."""
    done.elsewhere = compare_elsewhere(done.model, done.results, done.computed_combinations, read_results(path))
    done.findings = sorted([*done.findings, *done.elsewhere.findings], key=lambda f: f.order)


def attach_carried(done: Review, carried: CarriedOver) -> None:
    """Put what was carried over from the reviewed revision beside the findings."""
    done.carried = carried
    if carried.finding is not None:
        done.findings = sorted([*done.findings, carried.finding], key=lambda f: f.order)


def attach_comparison(done: Review, base: Review) -> None:
    """Compare a review with that of its baseline and put the findings of that beside the others."""
    done.comparison = compare(side_of(base), side_of(done), (base.distribution, done.distribution))
    done.findings = sorted([*done.findings, *done.comparison.findings], key=lambda f: f.order)
