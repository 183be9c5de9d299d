"""Content of a review: plain data that a run produced, and what is worked out from it when somebody asks."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from ..analysis import Results
from ..analysis.dynamics.dynamics import Dynamics
from ..analysis.dynamics.modes import Mode
from ..analysis.frame.shape import Largest, Shapes, largest, member_shapes
from ..analysis.results.balance import Balance, Given, StoreyCut
from ..analysis.results.centres import StoreyCentre
from ..analysis.results.cut_places import CutError, cuts_of
from ..analysis.results.cuts import Crossing, CutForces
from ..analysis.results.storeys import StoreyRow
from ..analysis.results.superpose import combined, combined_shapes, usable
from ..analysis.shells.fields import PlateFields
from ..analysis.stability.buckling import Buckling
from ..analysis.stability.storey_index import StoreyIndex, storey_indices
from ..analysis.stress.section_stress import member_stresses
from ..analysis.walls.edges import EdgeForces, WallEdge, edge_forces
from ..analysis.walls.forces import WallForces, wall_forces
from ..analysis.walls.stability import Panel, panels
from ..checks import Checked
from ..compare import Comparison
from ..compare.carrying.carry import CarriedOver
from ..compare.causes import Causes
from ..compare.elsewhere import Elsewhere
from ..intake.design_results import DesignResults
from ..loads import Distribution
from ..loads.combinations.audit import Audit, audit
from ..loads.combinations.combine import Combined
from ..loads.combinations.orientation import orientation
from ..loads.combinations.rules import RulesError
from ..meshing import Plates
from ..model import Combination, Finding, Model, Settings
from ..model.corrected_since import corrected_since
from ..model.entities.cuts import Cut
from ..model.geometry.lines import Line, lines_of
from ..model.geometry.vectors import Array
from .cache import Cache
from .combining import acting_along, made_combinations, reduced_finding
from .decisions import Decision, Look
from .effects.effect import Effect
from .envelopes import Envelopes
from .found.limits import Known, Limited, above_limits, limit_findings
from .found.second_order import second_order_findings
from .found.worst_direction import Direction, direction_findings, directions_held
from .tallies.tally import TallyRow
from .walls.wall_joints import factors_of, overused_joints, signless_cases

T = TypeVar("T")
OLD = "the model or the settings have changed since this run: run it again (F5)"
NOT_RUN = "not run yet: results come with the run (F5)"
MANY_MEMBERS = 1500  # whose displaced shape takes longer than one would wait for
MANY_ELEMENTS = 10_000  # whose recovery of forces takes longer than one would wait for


@dataclass(slots=True)
class Review:
    """`comparison` is None without a baseline; `rules_fault` says why there are no combinations, `stale` that
    the results are not those of the model as it is: it has changed since its run, or was not run yet.
    `waiting` says what is still being worked out, "" for nothing; `made_with` are the corrections that the
    model of the run had, None where that is not known, and `otherwise` settings that have changed since, in
    words."""

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
    stated: list[Combination] = field(default_factory=list)  # those computed as cases of their own
    buckling: list[Buckling] = field(default_factory=list)  # factors by combination, where asked for
    effects: list[Effect] = field(default_factory=list)  # of guesses and findings, where asked for
    carried: CarriedOver | None = None
    causes: list[Causes] = field(default_factory=list)
    design: DesignResults | None = None  # results of a design elsewhere
    required: list[Finding] = field(default_factory=list)  # what of a specification the file does not meet
    checked: Checked | None = None  # what the findings of checks are of
    pictures: list[tuple[str, bytes]] = field(default_factory=list)  # for the report: title, and a PNG file
    decisions: list[Decision] = field(default_factory=list)
    looks: list[Look] = field(default_factory=list)
    rules_fault: str = ""
    stale: bool = False
    waiting: str = ""
    made_with: list[dict[str, Any]] | None = None
    otherwise: str = ""
    _cache: Cache = field(default_factory=Cache)

    def __post_init__(self) -> None:
        if self.made_with is None and not self.stale:
            self.made_with = list(self.model.corrections)

    @property
    def has_run(self) -> bool:
        """Return whether there was a run, of this model or of one before its last corrections."""
        return bool(self.results.cases) or bool(self.results.node_ids)

    @property
    def why_old(self) -> str:
        """Why no results can be shown, in words; "" where they can."""
        if not self.stale:
            return ""
        if not self.has_run:
            return NOT_RUN
        because = "; ".join(w for w in (corrected_since(self.model, self.made_with), self.otherwise) if w)
        return f"{OLD} ({because})" if because else OLD

    def cut_forces(self, case: str) -> dict[str, CutForces | str]:
        """Forces of every cut in a case or combination, or why it has none; {} for a case that was not
        computed."""
        own = self._named(case)
        if own is None:
            return {}
        factors = {own: 1.0} if isinstance(own, str) else own.factors
        signless = any(self.model.cases[n].spectrum is not None for n in factors)
        if signless or (not isinstance(own, str) and own.roots):
            return {c.name: "a response without sign has no forces that act together" for c in self.cuts}
        out: dict[str, CutForces | str] = {}
        for cut in self.cuts:
            found = self._crossing(cut)
            if isinstance(found, str):
                out[cut.name] = found
                continue
            given, members = np.zeros((2, 6))
            for name, factor in factors.items():
                c = self.results.case_index(name)
                key = (f"{cut.name}/{name}", (cut, self.results))
                parts = self._cache.get(*key, lambda f=found, c=c: f.of_case(self.balance, c))  # type: ignore[misc]
                given, members = given + factor * parts[0], members + factor * parts[1]
            out[cut.name] = found.of_parts(given, members)
        return out

    def _crossing(self, cut: Cut) -> Crossing | str:
        """Return what crosses a cut, or why nothing does; kept while model and run are the same."""
        return self._cache.get(f"cut {cut.name}", (cut, self.results), lambda: self._crossed(cut))

    def _crossed(self, cut: Cut) -> Crossing | str:
        try:
            return Crossing(
                self.model, self.results.plates or Plates([], np.zeros((0, 3)), 0), cut, self.balance
            )
        except CutError as error:
            return str(error)

    @property
    def other_findings(self) -> list[Finding]:
        """Those that no check of the model gives: of a specification, the comparison, what was carried over,
        cuts and combinations."""
        out = [*self.required, *(self.unplaced_cuts if not self.stale else [])]
        if self.comparison is not None:
            out = [*out, *self.comparison.findings]
        if self.elsewhere is not None:
            out = [*out, *self.elsewhere.findings]
        if self.carried is not None:
            out = [*out, *self.carried.findings]
        made = self._cache.peek("combined")
        if made is not None and made.reduced:
            out = [*out, reduced_finding(made)]
        return [*out, *self.over_limits, *self.overused_joints, *self.second_order, *self.short_directions]

    @property
    def limited(self) -> list[Limited]:
        """The limits of the settings, each with the places above it."""
        basis = *self._computed, repr(self.settings.limits), id(self.design), self.stale
        sums, fields = self.computed_combinations, lambda: self.fields
        known = Known(self.model, self.results, sums, fields, self.design, self.stale)
        return self._cache.get("limits", basis, lambda: above_limits(known, self.settings.limits))

    @property
    def over_limits(self) -> list[Finding]:
        """That values exceed the limits of the settings."""
        return limit_findings(self.limited) if self.settings.limits else []

    @property
    def directions_held(self) -> list[Direction]:
        """Parts for which the combinations hold less than an earthquake from its worst direction gives."""
        return self._cache.get("directions", self._computed, self._directions_held)

    def _directions_held(self) -> list[Direction]:
        seismic = {n for n, c in self.model.cases.items() if c.kind == "seismic" and n in self.results.cases}
        if not any(seismic & set(c.factors) for c in self.computed_combinations):
            return []  # and no wall forces are worked out for it
        along = {n: d for n, d in acting_along(self.model, self.distribution).items() if n in seismic}
        own = self.settings.compare
        return directions_held(self.results, self.computed_combinations, along, self.wall_forces, own)

    @property
    def short_directions(self) -> list[Finding]:
        """That the combinations do not hold the worst direction of the earthquake."""
        if self.stale or not self.directions_held:
            return []
        lies = orientation(self.model)
        return direction_findings(self.model, self.directions_held, lies.scheme, lies.why)

    @property
    def storey_indices(self) -> list[StoreyIndex]:
        """How near storeys are to second-order effects, in every computed combination."""
        return self._cache.get(
            "indices", self._computed, lambda: storey_indices(self.storeys, self.computed_combinations)
        )

    @property
    def second_order(self) -> list[Finding]:
        """That second-order effects matter where the run was linear."""
        if self.stale or self.results.second_order:
            return []
        return second_order_findings(self.storey_indices)

    @property
    def overused_joints(self) -> list[Finding]:
        """Joints of walls whose shear exceeds what the settings say they can carry."""
        given = self.settings.joints or self.settings.walls.joint_shear > 0
        if self.stale or not given:
            return []
        return overused_joints(self.model, self.wall_forces, self.computed_combinations, self.settings)

    @property
    def cuts(self) -> list[Cut]:
        """The model's own and those of the settings that it can take; `unplaced_cuts` says which it
        cannot."""
        return [*self.model.cuts, *self._settings_cuts()[0]]

    @property
    def unplaced_cuts(self) -> list[Finding]:
        """Cuts of the settings that have no forces, and why."""
        made, lost = self._settings_cuts()
        lost = [*lost, *(found for c in made if isinstance(found := self._crossing(c), str))]
        return [
            Finding("cut.unplaced", "warning", f"{why[0].upper()}{why[1:]}.", (), None, ("Accept, because…",))
            for why in lost
        ]

    def _settings_cuts(self) -> tuple[list[Cut], list[str]]:
        own = list(self.settings.cuts)
        return self._cache.get("cuts", (repr(own),), lambda: cuts_of(self.model, own))

    @property
    def wall_forces(self) -> WallForces:
        """Return the forces of walls and cores in every computed case."""
        return self._cache.get(
            "walls", (self.results,), lambda: wall_forces(self.model, self.results, self.distribution)
        )

    @property
    def wall_panels(self) -> list[Panel]:
        """Cuts of single walls with the conditions of the formulas for their stability."""
        basis = self.results, repr(self.settings.walls)
        return self._cache.get(
            "panels", basis, lambda: panels(self.model, self.wall_forces, self.settings.walls)
        )

    def wall_values(self, name: str) -> tuple[Array, NDArray[np.bool_]] | None:
        """Wall forces (R, 6) of a case or a combination with signs, and which rows were computed; None for
        another."""
        case, w = self._named(name), self.wall_forces
        if case is None or (not isinstance(case, str) and case.roots):
            return None
        if isinstance(case, str):
            k = w.cases.index(case)
            return w.values[k], w.done[k]
        factors = np.array([case.factors.get(c, 0.0) for c in w.cases])
        return np.tensordot(factors, w.values, axes=1), w.done[factors != 0].all(axis=0)

    def wall_joints(self, name: str) -> list[tuple[WallEdge, EdgeForces]]:
        """Edges at which walls are joined with their forces in a case or combination, where they are
        known."""
        case, walls = self._named(name), self.wall_forces
        if case is None or (not isinstance(case, str) and case.roots):
            return []
        factors, signless = factors_of(walls.cases, case), signless_cases(self.model, walls.cases)
        found = ((e, edge_forces(e, factors, signless)) for e in walls.edges)
        return [(e, f) for e, f in found if f is not None]

    @property
    def balance(self) -> Balance:
        """Equilibrium of the run at nodes and between storeys, prepared once."""
        own = self.settings.run
        return self._cache.get(
            "balance",
            (self.results,),
            lambda: Balance(self.model, self.results, self.distribution, own.shear_flexible, own.diaphragms),
        )

    def once(self, name: str, make: Callable[[], T]) -> T:
        """Return what `make` works out of the run, worked out once and kept as long as the run."""
        return self._cache.get(name, (self.results,), make)

    def has_once(self, name: str) -> bool:
        """Return whether `once` has it; never waits."""
        return self._cache.known(name, (self.results,))

    def _named(self, name: str) -> str | Combination | None:
        """A computed case's name, or the computed combination of that name; None for neither, and for an old
        run."""
        if self.stale:
            return None
        if name in self.results.cases:
            return name
        return next((c for c in self.computed_combinations if c.name == name), None)

    def storey_cuts(self, name: str) -> tuple[list[StoreyCut], str]:
        """Cuts between storeys in a case or combination, lowest first, and what to say of them."""
        case = self._named(name)
        if case is None:
            return [], self.why_old or f"{name or 'no case'} was not computed"
        try:
            found = self.balance.storey_cuts(case)
        except ValueError as error:
            return [], str(error)
        return found, f"{name}: half-way between the storeys" if found else "cuts need two storeys"

    def at_node(self, name: str, node: str) -> tuple[list[Given], str]:
        """Return what everything gives a node in a case or combination, and what to say of it."""
        case = self._named(name)
        if case is None or node not in self.results.node_ids:
            return [], self.why_old or f"{name or 'no case'} was not computed"
        try:
            found = self.balance.at_node(case, node)
        except ValueError as error:
            return [], str(error)
        return (
            found,
            f"{name}, node {node}: what is left over is rounding"
            if found
            else f"{name} is not computed there",
        )

    def shapes(self, name: str) -> Shapes | None:
        """How members of a computed case or combination lie between their ends, kept for the latest one; None
        for neither."""
        case = self._named(name)
        if case is None:
            return None
        n = 7 if len(self.results.member_ids) > MANY_MEMBERS else 13
        own = self.settings.run.shear_flexible, self.distribution

        def make() -> Shapes:
            if isinstance(case, str):
                return member_shapes(self.model, self.results, case, n, *own)
            return combined_shapes(self.model, self.results, case, n, *own)

        return self._cache.get("shapes", (name, self.results), make)

    def largest_displacement(self, name: str) -> Largest | None:
        """Return the largest displacement of a computed case or combination, along members too where their
        shapes are known and have signs; None where it was not computed."""
        r = self.shown(name)
        if name not in r.cases:
            return None
        plain = self.shapes_waiting(name) or self.without_sign(name)  # sizes without sign bend no member
        shapes = None if plain else self.shapes(name)
        return largest(r, r.case_index(name), self.model.origin, shapes)

    def shapes_waiting(self, name: str) -> bool:
        """Return whether they are so many that they should be worked out in the background, and are not
        yet."""
        many = len(self.results.member_ids) > MANY_MEMBERS or self.fields_waiting
        known = self._cache.known("shapes", (name, self.results))
        return many and not known and self._named(name) is not None

    def member_stresses(self, name: str) -> tuple[dict[str, Array], dict[str, str]]:
        """Stresses of members in a computed case or combination (see `section_stress`), kept for the latest
        one."""
        r = self.shown(name)
        return self._cache.get(
            "stresses", (name, r), lambda: member_stresses(self.model, r, r.case_index(name))
        )

    def without_sign(self, name: str) -> bool:
        """Return whether a case, or something in a combination of that name, is a response of a spectrum,
        whose values have no sign."""
        found = next((c for c in self.computed_combinations if c.name == name), None)
        names = [name] if found is None else list(found.factors)
        cases = [self.model.cases[n] for n in names if n in self.model.cases]
        return any(c.spectrum is not None for c in cases) or bool(found and found.roots)

    @property
    def fields(self) -> PlateFields | None:
        """Return what turns movements into forces of slabs and walls, worked out once; None where the run
        has no shells."""
        plates = self.results.plates
        if plates is None or plates.empty:
            return None
        return self._cache.get("fields", (plates,), lambda: PlateFields(self.model, plates))

    @property
    def fields_waiting(self) -> bool:
        """Return whether the slabs and walls are so many that `fields` should be worked out in the
        background, and is not yet."""
        plates = self.results.plates
        return (
            plates is not None and plates.count > MANY_ELEMENTS and not self._cache.known("fields", (plates,))
        )

    @property
    def computed_combinations(self) -> list[Combination]:
        """Those whose cases were all computed."""
        return usable(self.results, self.combinations)

    @property
    def _computed(self) -> tuple[Results, str]:
        """Return what is worked out over all computed combinations is worked out from these."""
        return self.results, repr([c.name for c in self.computed_combinations])

    def shown(self, name: str) -> Results:
        """The results that hold a case, or those of the combination of that name; the run's own for
        neither."""
        if name in self.results.cases:
            return self.results
        found = next((c for c in self.computed_combinations if c.name == name), None)
        if found is None:
            return self.results
        return self._cache.get("shown", (found, self.results), lambda: combined(self.results, found))

    @property
    def envelopes(self) -> Envelopes:
        """Over all combinations that were computed."""
        return self._cache.get(
            "envelopes", (self.results,), lambda: Envelopes(self.results, self.computed_combinations)
        )

    @property
    def combinations(self) -> list[Combination]:
        """The model's own; where it has none, those that the settings' rule set makes of its cases."""
        if self.model.combinations:
            return self.model.combinations
        return self._cache.get("combined", (), self._made).combinations

    def _made(self) -> Combined:
        try:
            results = None if self.stale else self.results
            return made_combinations(self.model, self.settings, loads=self.distribution, results=results)
        except RulesError as error:  # a rule file that is gone since the project was kept
            self.rules_fault = str(error)
            return Combined()

    @property
    def audit(self) -> Audit | str:
        """The source's combinations against those of the settings' rule set, or why that cannot be said."""
        return self._cache.get("audit", (self.settings.combinations.standard,), self._audited)

    def _audited(self) -> Audit | str:
        if not self.model.combinations:
            return "the model brings no combinations of its own"
        try:
            made = made_combinations(self.model, self.settings, loads=self.distribution)
        except RulesError as error:
            return str(error)
        if made.reduced:
            return (
                f"the rules give {made.count:,} combinations, too many to hold against the model's one by one"
            )
        if made.untyped:
            named = ", ".join(made.untyped[:5])
            return f"cases without a kind are in no combination of the rules: {named}; give them a kind first"
        return audit(self.model.combinations, made.combinations, self.model.cases)

    def keep_combined(self, made: Combined) -> None:
        """Combinations that were made already, with the run."""
        self._cache.put("combined", (), made)

    @property
    def distribution(self) -> Distribution:
        """Where the loads of every case go."""
        return self._cache.get("distribution", (), lambda: Distribution(self.model))

    def keep_distribution(self, loads: Distribution) -> None:
        """Where loads go, known from the run."""
        self._cache.put("distribution", (), loads)

    @property
    def lines(self) -> list[Line]:
        """Stacks, beam lines, walls and frames of the model, recognised once."""
        return self._cache.get("lines", (), lambda: lines_of(self.model))

    def model_changed(self) -> None:
        """Drop what was made from the model as it was."""
        self._cache.clear()
        self.rules_fault, self.causes = "", []

    @property
    def dynamics(self) -> Dynamics:
        return Dynamics(self.modes, self.centres)

    @property
    def blocking(self) -> list[Finding]:
        return [f for f in self.findings if f.severity == "blocking"]
