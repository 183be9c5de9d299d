"""The change of one result, split into its causes by solving the models in between, in two orders."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from functools import partial

from ...model import Model
from ...progress import Progress, silent
from ..comparison import Comparison
from ..members import MemberMatch
from ..places import Places
from ..results import ENVELOPE, ResultChange, Shared, Side, compare_results
from .between import ATTRIBUTES, Between, reversed_rows, reversed_transform, without

CAUSES = ("removed parts", "geometry", *ATTRIBUTES, "added parts")
GEOMETRY = ("ends", "turn", "offset_start", "offset_end", "outline", "openings", "place")
ORDERS = (
    "First order: parts go, the rest moves, then sections, materials, releases, supports and loads change, parts come. Second order: loads, "
    "supports, releases, materials and sections change first. Where both agree, a cause acts by itself."
)
REST = "nothing that is listed"

_Known = dict[tuple[str, str | None], float]  # values by quantity and part of the baseline
Solve = Callable[[Model, list[str] | None], Side]  # a model's results of these cases, of all for None


@dataclass(slots=True)
class Cause:
    """The share of one cause in the change, SI: in the first order, in the second, and on the average of
    both. `names` are several where the building between them cannot stand."""

    names: tuple[str, ...]
    first: float
    second: float

    @property
    def mean(self) -> float:
        return (self.first + self.second) / 2


@dataclass(slots=True)
class Causes:
    """The change of one result: `causes` add up to it in either order, and on the average. `runs`: models
    that were solved."""

    of: ResultChange
    causes: list[Cause] = field(default_factory=list)
    runs: int = 0

    @property
    def remainder(self) -> float:
        """Return what the causes do not add up to: rounding."""
        return self.of.change - sum(c.mean for c in self.causes)


@dataclass(slots=True)
class _Step:
    """A cause, and what gives the model after it was let in and whether that is made of the revision; the
    last step of an order leads to the revision itself."""

    name: str
    make: Callable[[], tuple[Model, bool]]


def split_change(
    base: Side,
    revised: Side,
    comparison: Comparison,
    of: ResultChange,
    solve: Solve,
    progress: Progress = silent,
) -> Causes:
    """Split `of`, a row of `comparison.results`, into `CAUSES`, as `split_changes` does several."""
    return split_changes(base, revised, comparison, [of], solve, progress)[0]


def split_changes(
    base: Side,
    revised: Side,
    comparison: Comparison,
    rows: Sequence[ResultChange],
    solve: Solve,
    progress: Progress = silent,
) -> list[Causes]:
    """Split each of `rows`, of one case or all of the envelope, into `CAUSES`; every model in between is
    solved once for all.

    First order: parts that are gone are taken out, the rest goes to its new place, then sections, materials,
    releases, supports and loads change one after the other, last come the parts that are new. Second order:
    loads, supports, releases, materials and sections change first, then parts go, the rest moves, new parts
    come. What a cause adds depends on what was let in before it: where both orders agree, it acts by itself.
    """
    old, new, c = base.model, revised.model, comparison
    gone = [m.baseline_id for m in c.parts if m.revised_id is None and m.baseline_id]
    come = [m.revised_id for m in c.parts if m.baseline_id is None and m.revised_id]
    # the revision with the baseline's attributes, and the other way round
    there = Between(old, new, c.transform, c.members, c.surfaces, c.cases)
    cases = [replace(x, baseline_name=x.revised_name, revised_name=x.baseline_name) for x in c.cases]
    back = Between(
        new, old, reversed_transform(c.transform), reversed_rows(c.members), reversed_rows(c.surfaces), cases
    )
    value = _Values(base, revised, comparison, rows[0], solve)

    def present(name: str) -> bool:
        return there.with_attributes({name})[1] > 0

    changed = [a for a in ATTRIBUTES if present(a)]
    moved = any(
        (m.shift > 0 or any(x.what in GEOMETRY for x in m.changes))
        for m in c.parts
        if m.baseline_id and m.revised_id
    )
    geometry = "geometry" if moved or gone or come else REST

    def of_new(keep: set[str]) -> tuple[Model, bool]:
        return without(there.with_attributes(keep)[0], come), True

    def of_old(given: set[str], parts: bool) -> tuple[Model, bool]:
        model = back.with_attributes(given)[0]
        return (model if parts else without(model, gone)), False

    take_out = _Step("removed parts", lambda: of_old(set(), False))
    first = [take_out] if gone else []
    first.append(_Step(geometry, lambda: of_new(set(changed))))
    first += [_Step(name, partial(of_new, set(changed[k + 1 :]))) for k, name in enumerate(changed)]
    second = [_Step(name, partial(of_old, set(changed[k:]), True)) for k, name in enumerate(changed)][::-1]
    second += [_Step("removed parts", lambda: of_old(set(changed), False))] if gone else []
    second.append(_Step(geometry, lambda: of_new(set())))
    if come:
        both_end = _Step("added parts", lambda: (new, True))
        first, second = [*first, both_end], [*second, both_end]
    total = len(first) + len(second) - 2
    reached = [
        [value.of(step.make, step.name, total, progress) for step in steps[:-1]] for steps in (first, second)
    ]
    out = []
    for of in rows:
        ways = [_walk(steps, found, of) for steps, found in zip((first, second), reached)]
        out.append(Causes(of, _merged(ways), value.runs))
    return out


def _walk(steps: list[_Step], reached: list[_Known], of: ResultChange) -> list[tuple[tuple[str, ...], float]]:
    """Return what each step adds; steps to a model whose value cannot be had are taken together with the
    next."""
    out: list[tuple[tuple[str, ...], float]] = []
    names: tuple[str, ...] = ()
    at = of.baseline
    for k, step in enumerate(steps):
        names += (step.name,)
        now = reached[k].get((of.quantity, of.baseline_id)) if k < len(reached) else of.revised
        if now is None:
            continue
        out.append((names, now - at))
        names, at = (), now
    return out


def _merged(ways: list[list[tuple[tuple[str, ...], float]]]) -> list[Cause]:
    """Both orders side by side: causes that one of them had to take together are together in both."""
    group: dict[str, set[str]] = {}
    for way in ways:
        for names, _ in way:
            whole = set(names).union(*(group.get(n, {n}) for n in names))
            group |= dict.fromkeys(whole, whole)
    out: list[Cause] = []
    seen: set[str] = set()
    for name in (*CAUSES, REST):
        if name not in group or name in seen:
            continue
        names = tuple(n for n in (*CAUSES, REST) if n in group[name])
        seen |= set(names)
        sums = [sum(v for own, v in way if set(own) & set(names)) for way in ways]
        out.append(Cause(names, sums[0], sums[1]))
    return out


class _Values:
    """Values of a case, or of the envelope, in models between the two, in the baseline's axes."""

    def __init__(
        self, base: Side, revised: Side, comparison: Comparison, of: ResultChange, solve: Solve
    ) -> None:
        self.base, self.revised, self.comparison, self.row, self.solve = base, revised, comparison, of, solve
        self.runs = 0
        self.same_members = _same([m.baseline_id for m in comparison.members if m.baseline_id], "member")
        self.same_surfaces = _same([m.baseline_id for m in comparison.surfaces if m.baseline_id], "surface")
        shared = comparison.shared
        if of.case not in (ENVELOPE, "modes"):
            cases = [p for p in shared.cases if p[1] == of.case]
            combinations = [] if cases else [p for p in shared.combinations if p[1] == of.case]
            shared = Shared(cases, combinations)
        self.shared = shared

    def of(self, make: Callable[[], tuple[Model, bool]], name: str, total: int, progress: Progress) -> _Known:
        """Values by quantity and part of the baseline; what cannot be computed is not there."""
        progress(f"Model in between {self.runs + 1} of {total}: {name}", self.runs / max(total, 1))
        model, of_revision = make()
        self.runs += 1
        side = self.revised if of_revision else self.base
        k = 1 if of_revision else 0
        names = {p[k] for p in self.shared.cases}
        for pair in self.shared.combinations:
            names |= set(next(c for c in side.combinations if c.name == pair[k]).factors)
        solved = self.solve(model, sorted(names) if self.row.case != "modes" else None)
        solved.combinations = side.combinations
        c = self.comparison
        if of_revision:
            rows = c.members, c.surfaces, self.shared, Places(self.base.model, model, c.transform)
        else:
            own = Shared(
                *([(a, a) for a, _ in pairs] for pairs in (self.shared.cases, self.shared.combinations))
            )
            rows = self.same_members, self.same_surfaces, own, Places(self.base.model, model, None)
        members, surfaces, shared, places = rows
        results, _, _ = compare_results(self.base, solved, places, members, surfaces, shared)
        envelope = self.row.case == ENVELOPE
        return {(r.quantity, r.baseline_id): r.revised for r in results if (r.case == ENVELOPE) == envelope}


def _same(ids: list[str], cls: str) -> list[MemberMatch]:
    return [MemberMatch("same", cls, i, i, 0.0, None, None) for i in dict.fromkeys(ids)]
