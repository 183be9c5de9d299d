"""Results from elsewhere held against this program's own, row by row, with suspected factors and signs
named."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from ...analysis.results.results import COMPONENTS, Results
from ...analysis.results.superpose import combined
from ...intake.result_tables import FORCES, MODES, MOVES, ForeignResults, ForeignRow
from ...model import Combination, Finding, Model
from ...model.geometry.vectors import Array
from ...model.settings import CompareSettings
from ...model.units import FOOT, GRAVITY, POUND_FORCE
from ...words import and_more
from .rows import ElsewhereRow, Unmatched
from .wholes import Wholes, base_sums, modes_against, storeys_against, walls_against

if TYPE_CHECKING:
    from scipy.spatial import cKDTree

PLACE = 0.05  # m; a row without a known id is the node's that is nearest, within this
AGREES = 0.02  # share by which two values may differ and still agree
NEARLY_ALL = 0.9  # of the values that are not nothing
FEWEST = 3  # values, below which nothing is suspected
SMALL_MOVE = 0.02  # share of the largest movement that a difference has to reach
NOTHING = 1e-3  # share of a quantity's largest value that counts as nothing
_PLAIN = (
    1e3,
    1e6,
    10.0,
    100.0,
    POUND_FORCE,
    1e3 * POUND_FORCE,
    GRAVITY,
    1e3 * GRAVITY,
    FOOT,
    FOOT / 12,
    12.0,
    POUND_FORCE / FOOT,
)
FACTORS = tuple(f for v in _PLAIN for f in (v, 1 / v))


@dataclass(slots=True)
class Suspicion:
    """That `theirs` divided by `value` (a factor), or turned round (a sign, -1), agrees with ours nearly
    everywhere."""

    quantity: str
    kind: str
    value: float
    table: str = ""

    def undone(self, row: ElsewhereRow) -> float:
        """Their value without it."""
        return row.theirs / self.value


@dataclass(slots=True)
class Elsewhere:
    rows: list[ElsewhereRow] = field(default_factory=list)
    unmatched: list[Unmatched] = field(default_factory=list)
    suspected: list[Suspicion] = field(default_factory=list)
    columns: list[tuple[str, str]] = field(default_factory=list)  # (table, heading) that were not read
    differ: list[ElsewhereRow] = field(default_factory=list)  # beyond the tolerances, the largest share first
    missing: dict[str, int] = field(default_factory=dict)  # by case: supports of ours without a row
    told: list[tuple[str, bool]] = field(default_factory=list)  # as of ForeignResults

    @property
    def findings(self) -> list[Finding]:
        """Return what a reader has to know before trusting the rows."""
        out = []
        for words, own in self.told:
            severity = "note" if own else "warning"
            text = f"Results from elsewhere: {words}."
            out.append(Finding("match.elsewhere", severity, text, (), None, ("Accept, because…",)))
        for s in self.suspected:
            what = "the sign" if s.kind == "sign" else f"a factor of {s.value:.6g}"
            table = f" of {s.table.replace('_', ' ')}" if s.table else ""
            text = f"Results from elsewhere: {what} in {s.quantity}{table} would make nearly all of it agree; it was not applied."
            out.append(
                Finding("match.elsewhere", "warning", text, (s.quantity,), None, ("Accept, because…",))
            )
        differ = self.differ
        if self.missing:
            many = ", ".join(f"{n} in {c}" for c, n in list(self.missing.items())[:4])
            text = f"Results from elsewhere have no row for some supports of this model: {many}; base sums are not compared there."
            out.append(Finding("match.elsewhere", "note", text, (), None, ("Accept, because…",)))
        if differ:
            count = len({(r.case, r.id) for r in differ})
            named = "; ".join(
                f"{r.quantity} of {r.id} in {r.case}: ours {r.ours:.5g}, theirs {r.theirs:.5g}"
                for r in differ[:4]
            )
            text = (
                f"Results from elsewhere: {len(differ)} of {len(self.rows)} values at {count} places differ by more than the tolerances (SI): "
                f"{named}{and_more(differ, 4, '; and')}."
            )
            ids = tuple(dict.fromkeys(r.id for r in differ))
            out.append(Finding("match.elsewhere", "warning", text, ids, None, ("Accept, because…",)))
        if self.columns:
            named = ", ".join(f"{heading!r}" for _, heading in self.columns[:6])
            more = and_more(self.columns, 6)
            text = f"Results from elsewhere: columns that are none of the known ones were not read: {named}{more}."
            out.append(Finding("match.elsewhere", "note", text, (), None, ("Accept, because…",)))
        if self.unmatched:
            first = self.unmatched[0]
            text = (
                f"{len(self.unmatched)} rows of the results from elsewhere match nothing of this model, such as "
                f"{first.id or 'one without an id'} in case {first.case}: {first.reason}."
            )
            out.append(Finding("match.elsewhere", "note", text, (), None, ("Accept, because…",)))
        return out


def compare_elsewhere(
    model: Model,
    results: Results,
    combinations: list[Combination],
    theirs: ForeignResults,
    limits: CompareSettings | None = None,
    wholes: Wholes | None = None,
) -> Elsewhere:
    """Rows by id, else by place, and by case or combination; `limits`: from where on two values differ;
    `wholes`: ours of modes, storeys and walls. What is of the whole building comes first."""
    out = Elsewhere(
        unmatched=[Unmatched("", where, None, why) for where, why in theirs.unread],
        columns=theirs.columns,
        told=theirs.told,
    )
    find = _Finder(model, results)
    by_case: dict[str, list[ForeignRow]] = defaultdict(list)
    for row in theirs.rows:
        by_case[row.case].append(row)
    known = {c.name: c for c in combinations}
    plain: dict[str, list[str]] = defaultdict(list)
    for name in (*results.cases, *known):
        plain[_plain_name(name)].append(name)
    own_wholes = wholes or Wholes()
    first: list[ElsewhereRow] = []
    if MODES in by_case and any(r.table == "modes" for r in by_case[MODES]):
        found_rows, lost = modes_against(own_wholes.modes, [r for r in by_case[MODES] if r.table == "modes"])
        by_case[MODES] = [r for r in by_case[MODES] if r.table != "modes"]
        first, out.unmatched = [*first, *found_rows], [*out.unmatched, *lost]
    for said, rows in by_case.items():
        if not rows:
            continue
        # a name that differs in capitals and spaces alone is that case, where it is one only
        like = plain.get(_plain_name(said), [])
        case = like[0] if said not in results.cases and said not in known and len(like) == 1 else said
        find.count(rows)
        if case in results.cases:
            own = combined(results, Combination(case, "", {case: 1.0}))
        elif case in known and all(n in results.cases for n in known[case].factors):
            own = combined(results, known[case])
        else:
            reason = "there is no such case or combination here"
            out.unmatched += [Unmatched(case, r.id, _at(r), reason) for r in rows]
            continue
        for table in ("storeys", "walls"):
            here = [r for r in rows if r.table == table]
            if here:
                found_rows, lost = (
                    storeys_against(own_wholes.storeys, case, here)
                    if table == "storeys"
                    else walls_against(own_wholes, case, here)
                )
                first += found_rows
                out.unmatched += lost
        for row in rows:
            if row.table in ("storeys", "walls"):
                continue
            found = find.of(row, own)
            if isinstance(found, str):
                out.unmatched.append(Unmatched(case, row.id, _at(row), found))
                continue
            ident, at, ours = found
            out.rows += [
                ElsewhereRow(q, case, ident, at, ours[q], v, row.table) for q, v in row.values.items()
            ]
    out.missing = _missing(out.rows, results)
    out.rows = [*base_sums(out.rows, results), *first, *out.rows]
    out.suspected = suspected(out.rows)
    out.differ = _differ(out.rows, limits or CompareSettings(), out.suspected)
    return out


def _missing(rows: list[ElsewhereRow], results: Results) -> dict[str, int]:
    """By case how many supports of ours have no row in their table of reactions."""
    found: dict[str, set[str]] = defaultdict(set)
    for r in rows:
        if r.table == "reactions":
            found[r.case].add(r.id)
    return {c: n for c, ids in found.items() if (n := len(set(results.support_ids) - ids))}


def _differ(
    rows: list[ElsewhereRow], limits: CompareSettings, suspects: list[Suspicion]
) -> list[ElsewhereRow]:
    """Rows beyond the tolerances: relative to ours, and at least the absolute one for forces, of movements a
    share of the largest there is; of what is under suspicion without the factor or sign."""
    under = {(s.table, s.quantity): s for s in suspects}
    largest: dict[str, float] = {}
    for r in rows:
        largest[r.quantity] = max(largest.get(r.quantity, 0.0), abs(r.ours))
    found = []
    for r in rows:
        share = r.quantity in MOVES or r.table in ("modes", "storeys") and not r.quantity.startswith("shear")
        relative, least = limits.of(r.quantity, SMALL_MOVE * largest[r.quantity] if share else None)
        suspect = under.get((r.table, r.quantity))
        theirs = suspect.undone(r) if suspect is not None else r.theirs
        off = abs(theirs - r.ours)
        if off > max(relative * abs(r.ours), least):
            found.append((-off / max(abs(r.ours), abs(theirs)), r.case, r.id, r))
    rows = [r for *_, r in sorted(found, key=lambda x: x[:3])]
    # a base sum is told where no single support explains it
    told = {(r.case, r.quantity) for r in rows if r.table == "reactions"}
    return [r for r in rows if r.table != "base" or (r.case, r.quantity) not in told]


def _plain_name(name: str) -> str:
    return "".join(name.split()).casefold()


def _at(row: ForeignRow) -> tuple[float, ...] | float | None:
    return row.distance if row.table == "member_forces" else row.at


Found = tuple[str, "tuple[float, ...] | float | None", dict[str, float]]


class _Finder:
    """Nodes, supports and members of our results by id and by place."""

    def __init__(self, model: Model, results: Results) -> None:
        from scipy.spatial import cKDTree

        self.model, self.results = model, results
        self.node = {n: k for k, n in enumerate(results.node_ids)}
        self.support = {n: k for k, n in enumerate(results.support_ids)}
        self.tree = cKDTree(results.xyz) if len(results.xyz) else None
        held = [self.node[n] for n in results.support_ids]
        self.held = np.array(held, np.int64)
        self.held_tree = cKDTree(results.xyz[self.held]) if held else None
        names: dict[str, list[str]] = defaultdict(list)
        for m in model.members.values():
            for name in {m.id, m.name, m.tag} - {""}:
                names[name].append(m.id)
        self.member = {n: ids[0] for n, ids in names.items() if len(ids) == 1} | {i: i for i in model.members}
        self.index = {m: k for k, m in enumerate(results.member_ids)}
        self.count([])

    def count(self, rows: list[ForeignRow]) -> None:
        """The rows of a case at each place of a member: two stand for both sides of a jump."""
        self.there: dict[tuple[str, float], list[ForeignRow]] = defaultdict(list)
        for row in rows:
            if row.table == "member_forces":
                self.there[_spot(row)].append(row)

    def of(self, row: ForeignRow, own: Results) -> Found | str:
        """Id, place and our values, or why there are none."""
        if row.table == "member_forces":
            return self._member(row, own)
        if row.table == "reactions":
            k = self.support.get(row.id)
            if k is not None and self._elsewhere(self.node[row.id], row):
                k = None
            if k is None:
                near = self._near(self.held_tree, row)
                k = None if near is None else int(near)
            if k is None:
                return "there is no support of that id or at that place"
            n = self.node[own.support_ids[k]]
            values = own.reaction[0, k]
            names = FORCES
        else:
            n_ = self.node.get(row.id)
            if n_ is not None and self._elsewhere(n_, row):
                n_ = None
            if n_ is None:
                near = self._near(self.tree, row)
                n_ = None if near is None else int(near)
            if n_ is None:
                return "there is no node of that id or at that place"
            n, values, names = n_, own.displacement[0, n_], MOVES
        if not own.node_done[0][n]:
            return "it was not computed here"
        x, y, z = (float(v) for v in self.results.xyz[n])
        return self.results.node_ids[n], (x, y, z), {q: float(v) for q, v in zip(names, values)}

    def _elsewhere(self, node: int, row: ForeignRow) -> bool:
        """Return whether a row of a node's name says another place: names such as N1 mean nothing between
        programs."""
        return row.at is not None and float(np.linalg.norm(self.results.xyz[node] - row.at)) > PLACE

    @staticmethod
    def _near(tree: cKDTree | None, row: ForeignRow) -> int | None:
        if tree is None or row.at is None:
            return None
        distance, k = tree.query(row.at, distance_upper_bound=PLACE)
        return int(k) if np.isfinite(distance) else None

    def _member(self, row: ForeignRow, own: Results) -> Found | str:
        ident = self.member.get(row.id)
        if ident is None or ident not in self.index:
            return "there is no member of that id or name, or several have that name"
        if not np.atleast_2d(own.member_done)[0][self.index[ident]]:
            return "it was not computed here"
        at = np.flatnonzero(own.station_member == self.index[ident])
        x = own.station_x[at]
        if row.distance is None:
            return "it has no distance along the member"
        if not -1e-3 <= row.distance <= x[-1] + 1e-3:
            return f"it lies at {row.distance:g} m of a member {x[-1]:.3f} m long"
        values = _side_of_jump(x, own.force[0, at], row, self.there[_spot(row)])
        if values is None:
            values = _between(x, own.force[0, at], row.distance)
        return ident, row.distance, {q: float(v) for q, v in zip(COMPONENTS, values)}


def _spot(row: ForeignRow) -> tuple[str, float]:
    return row.id, round(row.distance or 0.0, 6)


def _side_of_jump(x: Array, values: Array, row: ForeignRow, there: list[ForeignRow]) -> Array | None:
    """Where forces jump (a point load) there are values on both sides: those with which most of the row's
    values agree, and of equals the nearest. Where the table has as many rows `there`, each gets one: in their
    order or in the other, whichever agrees better. None where there is no jump."""
    assert row.distance is not None
    here = np.flatnonzero(np.abs(x - row.distance) < 1e-6 * max(float(x[-1]), 1.0))
    if len(here) < 2:
        return None
    if len(here) == len(there):
        straight = [_agreement(values[k], r) for k, r in zip(here, there)]
        back = [_agreement(values[k], r) for k, r in zip(here[::-1], there)]
        order = here if tuple(map(sum, zip(*straight))) >= tuple(map(sum, zip(*back))) else here[::-1]
        return np.asarray(values[order[next(k for k, r in enumerate(there) if r is row)]])
    return np.asarray(values[max(here, key=lambda k: _agreement(values[k], row))])


def _agreement(ours: Array, row: ForeignRow) -> tuple[float, float]:
    """How many of six values agree with a row's, and (less is farther) how near they are."""
    theirs = np.array([row.values.get(q, np.nan) for q in COMPONENTS])
    off, size = np.abs(ours - theirs), np.maximum(np.abs(ours), np.abs(theirs))
    return float(np.nansum(off <= AGREES * size)), -float(np.nansum(off))


def _between(x: Array, values: Array, at: float) -> Array:
    """Values (K, 6) at stations x, at a place: by the parabola through the three nearest stations on one side
    of any jump."""
    k = int(np.abs(x - at).argmin())
    if abs(x[k] - at) < 1e-6 * max(float(x[-1]), 1.0) or len(x) < 3:
        return np.asarray(values[k])
    i = int(np.clip(np.searchsorted(x, at) - 1, 0, len(x) - 2))
    # two stations at one place are a jump: the three are taken on this side of it
    low = i
    while low > 0 and i - low < 1 and x[low] - x[low - 1] > 1e-9:
        low -= 1
    pick = [k for k in range(low, min(low + 3, len(x))) if k <= i + 1 or x[k] - x[k - 1] > 1e-9]
    xs = x[pick]
    if len(pick) < 3 or np.diff(xs).min() < 1e-9:
        t = (at - x[i]) / max(x[i + 1] - x[i], 1e-12)
        return np.asarray(values[i] * (1 - t) + values[i + 1] * t)
    a, b, c = xs
    weights = np.array(
        [
            (at - b) * (at - c) / ((a - b) * (a - c)),
            (at - a) * (at - c) / ((b - a) * (b - c)),
            (at - a) * (at - b) / ((c - a) * (c - b)),
        ]
    )
    return np.asarray(weights @ values[pick])


def suspected(rows: list[ElsewhereRow]) -> list[Suspicion]:
    """Return for each quantity the factor or sign that would make nearly all of it agree where it does not
    agree as it is."""
    groups: dict[tuple[str, str], list[tuple[float, float]]] = defaultdict(list)
    for r in rows:
        if r.table != "base":
            groups[r.table, r.quantity].append((r.ours, r.theirs))
    out = []
    for (table, quantity), pairs in groups.items():
        ours, theirs = np.array(pairs).T
        some = np.abs(ours) > NOTHING * np.abs(ours).max(initial=0.0)
        ours, theirs = ours[some], theirs[some]
        if len(ours) < FEWEST or _agree(ours, theirs) >= NEARLY_ALL:
            continue
        tries: list[tuple[str, float, Callable[[Array], Array]]] = [("sign", -1.0, lambda v: -v)]
        tries += [("factor", f, lambda v, f=f: v / f) for f in FACTORS]  # type: ignore[misc]
        # 10 and 9.81 agree with much the same values: of those the nearest
        best = max(tries, key=lambda t: (_agree(ours, t[2](theirs)), -_off(ours, t[2](theirs))))
        if _agree(ours, best[2](theirs)) >= NEARLY_ALL:
            out.append(Suspicion(quantity, best[0], best[1], table))
            continue
        turned = max(
            (("factor", -f) for f in FACTORS),
            key=lambda t: (_agree(ours, theirs / t[1]), -_off(ours, theirs / t[1])),
        )
        if _agree(ours, theirs / turned[1]) >= NEARLY_ALL:
            out.append(Suspicion(quantity, "factor", turned[1], table))
    return out


def _agree(ours: Array, theirs: Array) -> float:
    """The share of values that agree."""
    size = np.maximum(np.abs(ours), np.abs(theirs))
    return float((np.abs(ours - theirs) <= AGREES * size).mean())


def _off(ours: Array, theirs: Array) -> float:
    """By what share of the larger one values differ, in the middle."""
    size = np.maximum(np.maximum(np.abs(ours), np.abs(theirs)), 1e-300)
    return float(np.median(np.abs(ours - theirs) / size))
