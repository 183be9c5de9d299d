"""A model's cases combined by a rule set."""

from __future__ import annotations

from ..analysis import Results
from ..analysis.results.superpose import can_sift, governing
from ..loads import Distribution
from ..loads.combinations.combine import MOST, Combined, CombineError, combine, count_combinations, expand
from ..loads.combinations.orientation import DIRECTED, directions, orientation
from ..loads.combinations.rules import RuleSet, read_rules
from ..model import Finding, Model, Settings
from ..model.geometry.directions import lies_at
from ..progress import Progress, silent
from .tallies.forces import direct_force


def made_combinations(
    model: Model,
    settings: Settings,
    scheme: str = "",
    rules: RuleSet | None = None,
    loads: Distribution | None = None,
    results: Results | None = None,
    progress: Progress = silent,
) -> Combined:
    """A model's cases combined by the settings' rule set (or by `rules`), seismic directions as the
    building's frames ask for unless a `scheme` is given.

    Of too many to be looked at those are kept that govern something of the `results`; without results,
    imposed cases of a category act all at once. Raises RulesError."""
    rules = rules or read_rules(settings.combinations.standard)
    direction = {}
    cases = model.cases.values()
    if any(c.kind in ("seismic", "notional") for c in cases):
        direction = acting_along(model, loads or Distribution(model))
        if any(c.kind == "seismic" for c in cases):
            scheme = scheme or orientation(model).scheme
    chosen = scheme or "plain"
    count = count_combinations(cases, rules, chosen, direction)
    if count <= MOST:
        return combine(cases, rules, chosen, direction)
    if results is not None and can_sift(results, count):
        kept, made = governing(results, expand(cases, rules, chosen, direction), progress)
        used = {name for c in kept for name in c.factors}
        untyped = [c.name for c in cases if c.untyped]
        unused = [c.name for c in cases if c.kind and c.name not in used]
        how = f"the {len(kept)} that govern a force, a reaction or a displacement are kept"
        return Combined(kept, untyped, unused, made, how)
    try:
        out = combine(cases, rules, chosen, direction, fewer=True)
        out.count, out.reduced = (
            count,
            f"{len(out.combinations)} are made, imposed cases of a category all at once",
        )
    except CombineError:
        out = Combined(untyped=[c.name for c in cases if c.untyped], count=count, reduced="none are made")
    return out


def acting_along(model: Model, loads: Distribution) -> dict[str, str]:
    """The direction of each seismic and notional case, along the building's axes where it is turned."""
    pushing = {n: c for n, c in model.cases.items() if c.kind in DIRECTED}
    totals = {n: direct_force(model, c) + loads.case(n).total("applied") for n, c in pushing.items()}
    out = directions(model.cases, totals, lies_at(model))
    return out | {n: c.spectrum.direction for n, c in model.cases.items() if c.spectrum is not None}


def reduced_finding(made: Combined) -> Finding:
    """That not all combinations of the rule set were made, with how many there are and which were."""
    text = f"The rule set gives {made.count:,} combinations; {made.reduced}."
    actions = ("Make combinations…", "Accept, because…")
    return Finding(
        "combination.many", "warning" if not made.combinations else "note", text, (), None, actions
    )
