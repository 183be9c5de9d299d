"""The order of a review: read, transfer, check, run, compare. Each step gives plain data or adds it to the
review."""

from __future__ import annotations

from pathlib import Path

from ..analysis import Results
from ..analysis.dynamics.dynamics import Dynamics, dynamics
from ..analysis.results.storeys import storey_rows
from ..analysis.run import run_and_keep
from ..analysis.solve.flexibility import Flexibility
from ..analysis.stability.buckling import buckling
from ..checks import Checked, Subject, checked
from ..compare import Side, compare
from ..compare.carrying.carry import CarriedOver
from ..compare.elsewhere import Elsewhere, Wholes, compare_elsewhere
from ..intake import read_source
from ..intake.design_results import DesignResults
from ..intake.requirements import hold_against
from ..intake.result_tables import Mapping, read_results
from ..loads import Distribution
from ..model import Combination, Finding, Model, Settings
from ..model.edits import CasesOfCombinations
from ..progress import Progress, silent
from ..transfer import transfer
from .combining import made_combinations, reduced_finding
from .found.requirements import requirement_findings
from .found.second_order_runs import buckling_findings, second_order_runs
from .ranking import ranked
from .review import Review
from .tallies.tally import tally

LINEAR = Finding(
    "run.linear",
    "warning",
    "The settings ask for combinations with second-order effects (run.p_delta), and this run adds up linear cases: "
    "Loads, Cases from combinations makes a case of each, which is computed with them; the command line does so by itself.",
)
NOT_CHECKED = Finding("check.cancelled", "warning", "This model has not been checked yet.")


def read_model(path: Path, settings: Settings, progress: Progress = silent) -> Model:
    """A file as an analytical model. Raises IntakeError for one that cannot be taken in."""
    source = read_source(path, progress)
    model = transfer(source, settings.transfer, progress)
    model.name = path.stem
    return model


def review(
    model: Model,
    settings: Settings,
    progress: Progress = silent,
    only: set[str] | None = None,
    before: Checked | None = None,
) -> Review:
    """Run and check a model, or of it the members in `only`. Raises AnalysisError for a case in the settings
    that the model does not have, RulesError for a rule set that cannot be read. `before`: what was found of
    the model earlier, see `checked`."""
    loads = _loads_after(model, before)
    results, kept = run_and_keep(model, settings.run, progress, None, loads, only, settings.mesh)
    own = dynamics(model, results, settings, loads, progress, kept)
    done = assess(model, settings, results, own, loads, progress, before)
    _combine(done, progress)
    if settings.run.p_delta and not any(c.is_combination for c in model.cases.values()):
        done.findings = ranked([*done.findings, LINEAR], settings)
    return done


def review_as_set(model: Model, settings: Settings, progress: Progress = silent) -> Review:
    """As `review`; where the settings ask for second-order effects, of the model with a load case in the
    place of each combination, which is another one then."""
    if not settings.run.p_delta:
        return review(model, settings, progress)
    own, stated, left = with_combinations_as_cases(model, settings)
    done = review(own, settings, progress)
    done.stated = stated
    done.findings = ranked([*done.findings, *second_order_runs(done, left)], settings)
    return done


def with_combinations_as_cases(
    model: Model, settings: Settings
) -> tuple[Model, list[Combination], list[str]]:
    """The model with a load case in the place of each combination, for a run whose cases cannot be added
    up; those combinations, and the names of those that none can be made of, as they hold responses without
    a sign."""
    combinations = model.combinations or made_combinations(model, settings).combinations
    signless = {n for n, c in model.cases.items() if c.spectrum is not None}
    own = [
        c for c in combinations if not c.roots and not signless & set(c.factors) and c.name not in model.cases
    ]
    out = model.snapshot()
    edit = CasesOfCombinations([{"name": c.name, "factors": dict(c.factors)} for c in own])
    edit.change(out)
    out.combinations = [Combination(c.name, c.kind, {c.name: 1.0}, c.rule) for c in own]
    return out, own, [c.name for c in combinations if c not in own]


def _loads_after(model: Model, before: Checked | None) -> Distribution:
    return Distribution(model) if before is None else before.loads.after(before.model, model)


def first_look(model: Model, settings: Settings) -> Review:
    """A model that was just read: what can be seen of it before anything is checked or run."""
    return Review(model, settings, Results.none(), [NOT_CHECKED], tally(model), stale=True)


def check_unrun(done: Review, progress: Progress = silent) -> tuple[list[Finding], Checked]:
    """Return what the checks find that need no run, and what that is of; nothing of the review is changed."""
    model = done.model.snapshot()
    return checked(Subject(model, None, done.settings, Distribution(model)), progress)


def run_statically(
    model: Model,
    settings: Settings,
    progress: Progress = silent,
    only: set[str] | None = None,
    before: Checked | None = None,
) -> tuple[Review, Flexibility | None]:
    """A review without modes, centres of storeys and responses to spectra, and the stiffness that
    `add_dynamics` finds them with; raises as `review` does. `before`: what was found of the model earlier,
    see `checked`."""
    loads = _loads_after(model, before)
    results, kept = run_and_keep(model, settings.run, progress, None, loads, only, settings.mesh)
    done = assess(model, settings, results, Dynamics(), loads, progress, before)
    if settings.run.p_delta:
        done.findings = ranked([*done.findings, LINEAR], settings)
    done.waiting = "modes, centres of storeys and spectra"
    return done, kept


def add_dynamics(done: Review, kept: Flexibility | None, progress: Progress = silent) -> Review:
    """The review of a static run with its modes, centres, spectra and combinations."""
    own = dynamics(done.model, done.results, done.settings, done.distribution, progress, kept)
    # responses to spectra add to the results, and checks look at those
    known = None if any(c.spectrum is not None for c in done.model.cases.values()) else done
    out = assess(
        done.model,
        done.settings,
        done.results,
        own,
        done.distribution,
        progress,
        known.checked if known else None,
        known,
    )
    _combine(out, progress)
    return out


def _combine(done: Review, progress: Progress) -> None:
    make_combinations(done, progress)
    count = done.settings.buckling.count
    if count:
        sums = done.computed_combinations or [
            Combination(n, "", {n: 1.0}) for n in done.results.cases if n in done.model.cases
        ]
        done.buckling = buckling(done.model, done.settings, sums, count, progress)
        done.findings = ranked([*done.findings, *buckling_findings(done, sums)], done.settings)
    if more := [*done.over_limits, *done.overused_joints, *done.second_order, *done.short_directions]:
        done.findings = ranked([*done.findings, *more], done.settings)


def make_combinations(done: Review, progress: Progress = silent) -> None:
    """Put the combinations of its rules into a review whose model states none."""
    if done.model.combinations:
        return
    made = made_combinations(
        done.model, done.settings, loads=done.distribution, results=done.results, progress=progress
    )
    done.keep_combined(made)
    if made.reduced:
        done.findings = ranked([*done.findings, reduced_finding(made)], done.settings)


def assess(
    model: Model,
    settings: Settings,
    results: Results,
    own: Dynamics,
    loads: Distribution,
    progress: Progress = silent,
    before: Checked | None = None,
    known: Review | None = None,
) -> Review:
    """The review of a run that is there: storeys, checks, tally. `before` as for `checked`; `known`: the same
    run's review without modes."""
    storeys = storey_rows(model, results, loads, settings.modes.mass) if known is None else known.storeys
    subject = Subject(model, results, settings, loads, own.modes, storeys, own.centres)
    findings, looked = checked(subject, progress, before)
    rows = tally(model) if known is None else known.tally
    done = Review(model, settings, results, findings, rows, own.modes, storeys, own.centres, checked=looked)
    done.keep_distribution(loads)
    done.findings = ranked([*findings, *done.unplaced_cuts], done.settings)
    return done


def run_only(model: Model, settings: Settings, progress: Progress = silent) -> Review:
    """A run with what a comparison asks of it, storeys and modes, and no checks, as `review_as_set` runs it.
    Raises AnalysisError."""
    if settings.run.p_delta:
        model = with_combinations_as_cases(model, settings)[0]
    loads = Distribution(model)
    results, kept = run_and_keep(model, settings.run, progress, None, loads, None, settings.mesh)
    own = dynamics(model, results, settings, loads, progress, kept)
    storeys = storey_rows(model, results, loads, settings.modes.mass)
    done = Review(model, settings, results, [], [], own.modes, storeys, own.centres)
    done.keep_distribution(loads)
    return done


def run_with_combinations(model: Model, settings: Settings) -> Review:
    """A run with its modes, storeys and combinations, and no checks. Raises AnalysisError, RulesError."""
    done = run_only(model, settings)
    make_combinations(done)
    return done


def side_of(done: Review) -> Side:
    """A review as one of the two sides of a comparison; results of a model that has changed since are left
    out."""
    if done.stale:
        return Side(done.model, None, done.combinations)
    return Side(done.model, done.results, done.combinations, done.storeys, done.modes, done.fields)


def elsewhere_of(done: Review, path: Path, mapping: Mapping | None = None) -> Elsewhere:
    """A review against results from elsewhere, by a mapping or by the one beside them. Raises IntakeError for
    tables that cannot be read."""
    theirs = read_results(path, mapping)
    wholes = Wholes(done.modes, done.storeys, lambda: done.wall_forces, done.wall_values)
    return compare_elsewhere(
        done.model, done.results, done.computed_combinations, theirs, done.settings.compare, wholes
    )


def put_elsewhere(done: Review, found: Elsewhere) -> None:
    """Put a comparison with results from elsewhere, and its findings, in place of the one there was."""
    old = {f.key for f in done.elsewhere.findings} if done.elsewhere is not None else set()
    done.elsewhere = found
    kept = [f for f in done.findings if f.key not in old]
    done.findings = ranked([*kept, *found.findings], done.settings)


def attach_elsewhere(done: Review, path: Path, mapping: Mapping | None = None) -> None:
    """Compare a review with results from elsewhere; raises as `elsewhere_of`."""
    put_elsewhere(done, elsewhere_of(done, path, mapping))


def attach_requirements(done: Review, model: Path, specification: Path) -> None:
    """Hold the model file of a review against a specification, and put what it does not meet beside the
    findings. Raises IntakeError."""
    put_required(done, requirement_findings(hold_against(model, specification), done.model))


def put_required(done: Review, found: list[Finding]) -> None:
    """Put what a specification asks for and the file does not meet in place of what there was of one."""
    old = {f.key for f in done.required}
    done.required = found
    done.findings = ranked([*(f for f in done.findings if f.key not in old), *found], done.settings)


def attach_design(done: Review, design: DesignResults | None) -> None:
    """Put results of a design elsewhere into a review, and hold them against the limits of its settings."""
    if design is done.design:
        return
    old = {f.key for f in done.over_limits}
    done.design = design
    kept = [f for f in done.findings if f.key not in old]
    done.findings = ranked([*kept, *done.over_limits], done.settings)


def attach_carried(done: Review, carried: CarriedOver) -> None:
    """Put what was carried over from the reviewed revision beside the findings."""
    done.carried = carried
    if carried.findings:
        done.findings = ranked([*done.findings, *carried.findings], done.settings)


def attach_comparison(done: Review, base: Review) -> None:
    """Compare a review with that of its baseline and put the findings of that beside the others."""
    loads = base.distribution, done.distribution
    done.comparison = compare(side_of(base), side_of(done), loads, done.settings.compare)
    done.findings = ranked([*done.findings, *done.comparison.findings], done.settings)
