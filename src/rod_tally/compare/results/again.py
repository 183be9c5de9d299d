"""Who must be looked at again: parts of the revision whose demand is above the one that was accepted, one
number a part."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...analysis.results.results import COMPONENTS, Results
from ...analysis.results.superpose import MemberEnvelope, envelope, of_members
from ...analysis.stress.utilisation import KINDS, has_strength, section_stresses, use_of
from ...model import Combination, Model
from ...model.geometry.vectors import Array
from ...model.settings import CompareSettings
from ..members import MemberMatch
from ..places import Places
from .pairs import ENVELOPE, SURFACE_FORCES, Shared, Side, SurfaceDemand, signs

# components whose sign turns with a member's axes across it
ACROSS = np.array([False, True, True, False, True, True])
# components that ask something else of a part with the other sign; moments do not where the section is alike
# both ways
SIGNED = np.array([True, False, False, False, True, True])
# of slabs and walls: sagging and hogging, tension and compression are not the same; shear and twisting are
SIGNED_SURFACE = np.tile(np.array([True, True, False, True, True, False, False, False]), 2)
WEAKER = ("section", "material", "thickness")


@dataclass(slots=True)
class LookAgain:
    """A part of the revision. `why`: "demand", "resistance" (another section, material or thickness),
    "new" or "not computed" (in one of the two). `ratio` of new to accepted demand (or use of the
    section), None where nothing was accepted; `was` and `is_` (SI) are of the component `quantity` that
    gives it, `by` the combination or case that gives `is_`. `used_before` and `used_after`: share of the
    elastic section (`utilisation.FORMULA`), None where it is not known. `cause`: what adds most to the
    change, "" where that was not asked for."""

    cls: str
    baseline_id: str | None
    revised_id: str
    why: str
    ratio: float | None
    quantity: str = ""
    was: float = 0.0
    is_: float = 0.0
    by: str = ""
    used_before: float | None = None
    used_after: float | None = None
    cause: str = ""


@dataclass(slots=True)
class _Demand:
    """The demand on the members of one side: lowest and highest of each component (M, 6) over combinations,
    and names of what gives them."""

    envelope: MemberEnvelope
    names: list[str]
    row: dict[str, int]
    done: NDArray[np.bool_]

    def of(self, ident: str) -> int | None:
        """Its row where it was computed."""
        k = self.row.get(ident)
        return k if k is not None and self.done[k] else None


def look_again(
    base: Side,
    revised: Side,
    members: list[MemberMatch],
    surfaces: list[MemberMatch],
    shared: Shared,
    demand: SurfaceDemand,
    limits: CompareSettings,
    places: Places,
) -> tuple[list[LookAgain], str]:
    """Parts whose demand rose by more than the tolerances, that are weaker or new, or that were not computed
    on either side; the largest ratio first. And over what the demand was taken, in words; "" where nothing is
    shared.

    The demand of a member is the lowest and the highest value of each component along it over the
    combinations that both have, over the cases that both have where there is no such combination. Tension is
    held against tension and compression against compression, and so are moments of one sign in concrete and
    in what is not known; shear, torsion, and moments in steel, aluminium and timber count by their size. What
    is computed in neither of the two is not listed."""
    if base.results is None or revised.results is None or not (shared.cases or shared.combinations):
        return [], ""
    old, new = (_chosen(s, shared, k) for k, s in enumerate((base, revised)))
    before, after = _demand(base.results, old), _demand(revised.results, new)
    what = "combinations" if shared.combinations else "cases"
    # walls that a run takes as columns have forces like members
    as_columns = [m.revised_id in after.row or m.baseline_id in before.row for m in surfaces]
    columns = [m for m, yes in zip(surfaces, as_columns) if yes]
    surfaces = [m for m, yes in zip(surfaces, as_columns) if not yes]
    _face_alike(before, columns, base.results, revised.results, places)
    out = [
        *_members(before, after, [*members, *columns], limits, revised.model, places.parity < 0),
        *_surfaces(surfaces, demand, limits, what),
    ]
    listed = {x.revised_id for x in out}
    other = [m for m in members if m.baseline_id and m.revised_id and m.revised_id not in listed]
    other = _acting_otherwise(other, base.results, revised.results, shared.cases, limits.relative)
    # of what is listed anyway stresses are asked for where they say how much of a section is used
    wanted = (
        [i for x in out if has_strength(base.model, i := x.baseline_id or "")]
        + [m.baseline_id or "" for m in other],
        [x.revised_id for x in out if has_strength(revised.model, x.revised_id)]
        + [m.revised_id or "" for m in other],
    )
    before_, after_ = (
        section_stresses(s.model, r, c, ids)
        for s, r, c, ids in ((base, base.results, old, wanted[0]), (revised, revised.results, new, wanted[1]))
    )
    for x in out:
        x.used_before = use_of(base.model, x.baseline_id or "", before_)
        x.used_after = use_of(revised.model, x.revised_id, after_)
    out = [x for x in out if x.why != "resistance" or _weaker(x, limits)]
    for m in other:
        found = _together(m, (base.model, before_), (revised.model, after_), limits)
        if found is not None:
            out.append(found)
    out.sort(key=_by_weight)
    return out, f"{len(new)} {what if len(new) != 1 else what[:-1]} that both have"


def _by_weight(x: LookAgain) -> tuple[object, ...]:
    """Return what was never accepted first; then by how much more of its section a part uses, whatever the
    ratio of a single force; then those of which that is not known, by their ratio."""
    more = None if x.used_before is None or x.used_after is None else x.used_after - x.used_before
    known = more is not None and more > 0
    return (
        x.ratio is not None,
        not known,
        -round(more or 0.0, 9) if known else 0.0,
        -(x.ratio or 0.0),
        -abs(x.is_),
        x.revised_id,
    )


def _acting_otherwise(
    rows: list[MemberMatch], old: Results, new: Results, cases: list[tuple[str, str]], relative: float
) -> list[MemberMatch]:
    """Those members of which a force at a station differs by a tenth of the tolerance of its own largest, or
    whose stations are others: of the rest no stress can differ by as much as the tolerance."""
    at_old, at_new = ({m: k for k, m in enumerate(r.member_ids)} for r in (old, new))
    rows = [m for m in rows if m.baseline_id in at_old and m.revised_id in at_new]
    begin = [np.searchsorted(r.station_member, np.arange(len(r.member_ids) + 1)) for r in (old, new)]
    a = np.array([at_old[m.baseline_id] for m in rows], np.int64)  # type: ignore[index]
    b = np.array([at_new[m.revised_id] for m in rows], np.int64)  # type: ignore[index]
    count = begin[0][a + 1] - begin[0][a] if len(rows) else np.zeros(0, np.int64)
    plain = np.array([not m.flipped and not m.changes for m in rows], bool)
    plain &= (count == (begin[1][b + 1] - begin[1][b])) & (count > 0) if len(rows) else plain
    same = np.flatnonzero(plain)
    if not len(same):
        return rows
    first = np.cumsum(count[same]) - count[same]
    step = np.arange(int(count[same].sum())) - np.repeat(first, count[same])
    i = np.repeat(begin[0][a[same]], count[same]) + step
    j = np.repeat(begin[1][b[same]], count[same]) + step
    differs = np.zeros(len(same), bool)
    for x, y in cases:
        f, g = old.force[old.case_index(x), i], new.force[new.case_index(y), j]
        most = np.maximum.reduceat(np.abs(f), first)
        apart = np.maximum.reduceat(np.abs(g - f), first)
        differs |= (apart > 0.1 * relative * most + 1e-9).any(axis=1)
    keep = np.ones(len(rows), bool)
    keep[same] = differs
    return [m for m, k in zip(rows, keep) if k]


def _together(
    m: MemberMatch,
    before: tuple[Model, dict[str, tuple[float, float]]],
    after: tuple[Model, dict[str, tuple[float, float]]],
    limits: CompareSettings,
) -> LookAgain | None:
    """A member whose forces act together now as they did not: none of them is beyond its tolerance, and the
    stress at an edge of its section is."""
    ids = m.baseline_id or "", m.revised_id or ""
    if ids[0] not in before[1] or ids[1] not in after[1]:
        return None
    was, now = before[1][ids[0]], after[1][ids[1]]
    section = after[0].sections.get(after[0].members[ids[1]].section)
    use = use_of(before[0], ids[0], before[1]), use_of(after[0], ids[1], after[1])
    area = section.area if section is not None else 0.0
    relative, absolute = limits.of("n")
    pairs = [(max(-was[0], 0.0), max(-now[0], 0.0), -1.0), (max(was[1], 0.0), max(now[1], 0.0), 1.0)]
    if use[0] is not None and use[1] is not None:
        largest = [max(abs(v[0]), abs(v[1])) for v in (was, now)]
        pairs = [(largest[0], largest[1], 1.0)]
    grown = [
        (b / max(a, 1e-9), a, b, sign)
        for a, b, sign in pairs
        if (b - a) * area > max(absolute, relative * a * area)
    ]
    if not grown:
        return None
    ratio, a, b, sign = max(grown)
    if use[0] is not None and use[1] is not None:
        return LookAgain(m.cls, *ids, "demand", use[1] / max(use[0], 1e-9), "use", use[0], use[1], "", *use)
    return LookAgain(m.cls, *ids, "demand", ratio, "stress", sign * a, sign * b, "")


def _face_alike(
    before: _Demand, columns: list[MemberMatch], old: Results, new: Results, places: Places
) -> None:
    """Give the demand of walls as columns the signs it has about the normals of the revision: which way a
    wall's normal looks depends on how the building lies."""
    if old.plates is None or new.plates is None:
        return
    low, high = before.envelope.low, before.envelope.high
    for m in columns:
        a, b = old.plates.columns.get(m.baseline_id or ""), new.plates.columns.get(m.revised_id or "")
        k = before.of(m.baseline_id or "")
        if a is None or b is None or k is None or a.normal @ places.turned_back(b.normal) >= 0:
            continue
        low[k], high[k] = np.where(ACROSS, -high[k], low[k]), np.where(ACROSS, -low[k], high[k])


def _weaker(x: LookAgain, limits: CompareSettings) -> bool:
    """Return whether more of its section is used than before, or that is not known."""
    if x.used_before is None or x.used_after is None:
        return True
    x.ratio = x.used_after / x.used_before if x.used_before > 0 else None
    return x.used_after > x.used_before * (1 + limits.relative)


def _chosen(side: Side, shared: Shared, k: int) -> list[Combination]:
    if shared.combinations:
        own = {c.name: c for c in side.combinations}
        return [own[pair[k]] for pair in shared.combinations]
    return [Combination(pair[k], "", {pair[k]: 1.0}) for pair in shared.cases]


def _demand(results: Results, combinations: list[Combination]) -> _Demand:
    found = of_members(results, envelope(results, combinations))
    used = [results.case_index(n) for n in dict.fromkeys(n for c in combinations for n in c.factors)]
    row = {m: k for k, m in enumerate(results.member_ids)}
    return _Demand(
        found, [c.name for c in combinations], row, np.asarray(results.member_done[used].all(axis=0))
    )


def _members(
    before: _Demand,
    after: _Demand,
    rows: list[MemberMatch],
    limits: CompareSettings,
    model: Model,
    image: bool,
) -> list[LookAgain]:
    """One entry of each member of the revision that has to be looked at; a merged member has the demand of
    all its pieces. `image`: the revision is a mirror image."""
    accepted: dict[str, tuple[Array, Array]] = {}
    first: dict[str, MemberMatch] = {}
    lost: set[str] = set()
    for m in rows:
        if m.revised_id is None:
            continue
        first.setdefault(m.revised_id, m)
        if m.baseline_id is None:
            continue
        k = before.of(m.baseline_id)
        if k is None:
            lost.add(m.revised_id)
            continue
        low, high = before.envelope.low[k], before.envelope.high[k]
        turned = signs(m.flipped, image) < 0
        low, high = np.where(turned, -high, low), np.where(turned, -low, high)
        if m.revised_id in accepted:
            low, high = (
                np.minimum(low, accepted[m.revised_id][0]),
                np.maximum(high, accepted[m.revised_id][1]),
            )
        accepted[m.revised_id] = low, high
    out: list[LookAgain] = []
    compared: list[tuple[str, int]] = []
    for ident, m in first.items():
        k = after.of(ident)
        if m.baseline_id is None:
            out.append(LookAgain(m.cls, None, ident, "new", None))
        elif k is None and ident not in accepted:
            # nothing was accepted and nothing is new: the checks of the revision say why it is not computed
            continue
        elif k is None or ident in lost:
            out.append(LookAgain(m.cls, m.baseline_id, ident, "not computed", None))
        else:
            compared.append((ident, k))
    for (ident, k), grown in zip(compared, _grown(accepted, after, compared, limits)):
        m = first[ident]
        found = _worst(m, ident, accepted[ident], after, k, limits, _signed(model, ident)) if grown else None
        if found is not None:
            out.append(found)
        elif any(c.what in WEAKER for c in m.changes):
            out.append(LookAgain(m.cls, m.baseline_id, ident, "resistance", 1.0))
    return out


def of_components(limits: CompareSettings) -> tuple[Array, Array]:
    """Relative and absolute tolerances (6,) of a member's forces and moments."""
    both = np.array([limits.of(c) for c in COMPONENTS])
    return both[:, 0], both[:, 1]


def _grown(
    accepted: dict[str, tuple[Array, Array]],
    after: _Demand,
    compared: list[tuple[str, int]],
    limits: CompareSettings,
) -> NDArray[np.bool_]:
    """Return whether any component of each member grew on either side: all at once, for most have not."""
    if not compared:
        return np.zeros(0, bool)
    k = np.array([k for _, k in compared])
    low, high = (np.array([accepted[i][side] for i, _ in compared]) for side in (0, 1))
    out = np.zeros(len(k), bool)
    for was, now in ((-low, -after.envelope.low[k]), (high, after.envelope.high[k])):
        was = np.maximum(was, 0.0)
        relative, absolute = of_components(limits)
        out |= (now - was > np.maximum(absolute, relative * was)).any(axis=1)
    return out


def _signed(model: Model, ident: str) -> NDArray[np.bool_]:
    """Return for each component whether its sign matters in a member."""
    own = model.members.get(ident)
    material = model.materials.get(own.material) if own is not None else None
    plain = material is not None and material.kind in KINDS
    return SIGNED & np.array([True, True, True, True, not plain, not plain])


def _worst(
    m: MemberMatch,
    ident: str,
    accepted: tuple[Array, Array],
    after: _Demand,
    k: int,
    limits: CompareSettings,
    signed: NDArray[np.bool_],
) -> LookAgain | None:
    """The component with the largest ratio among those beyond the tolerances; None where there is none."""
    e = after.envelope
    was = np.concatenate([np.maximum(-accepted[0], 0.0), np.maximum(accepted[1], 0.0)])
    now = np.concatenate([np.maximum(-e.low[k], 0.0), np.maximum(e.high[k], 0.0)])
    both = np.tile(signed, 2)
    was = np.where(both, was, np.maximum(was, np.roll(was, 6)))
    largest_now = np.where(both, now, np.maximum(now, np.roll(now, 6)))
    # of a component whose sign does not matter, the side that gives it is named
    now = np.where(both | (now == largest_now), now, 0.0)
    relative, absolute = (np.tile(v, 2) for v in of_components(limits))
    beyond = now - was > np.maximum(absolute, relative * was)
    if not beyond.any():
        return None
    floor = np.maximum(absolute, 1e-9)
    ratio = np.where(beyond, now / np.maximum(was, floor), 0.0)
    at = int(ratio.argmax())
    sign = -1.0 if at < 6 else 1.0
    by = (e.low_by if at < 6 else e.high_by)[k, at % 6]
    return LookAgain(
        m.cls,
        m.baseline_id,
        ident,
        "demand",
        float(ratio[at]),
        COMPONENTS[at % 6],
        sign * float(was[at]) + 0.0,
        sign * float(now[at]),
        after.names[int(by)],
    )


def _surfaces(
    rows: list[MemberMatch], demand: SurfaceDemand, limits: CompareSettings, what: str
) -> list[LookAgain]:
    """Slabs and walls by their forces and moments a metre, each piece of a split one by its own: tension
    against tension, sagging against sagging; shear and twisting by their size. Those without shells have
    none."""
    out: list[LookAgain] = []
    tolerances = np.array([limits.of(q) for q in SURFACE_FORCES])
    relative, absolute = np.tile(tolerances[:, 0], 2), np.tile(tolerances[:, 1], 2)
    by = f"{ENVELOPE} of {what} and cases" if what == "combinations" else ENVELOPE
    told: set[str] = set()
    for m in rows:
        ident = m.revised_id
        if ident is None or ident in told:
            continue
        if m.baseline_id is None:
            out.append(LookAgain(m.cls, None, ident, "new", None))
            continue
        found = demand.of(m.baseline_id, ident)
        if found is not None:
            was, now = (
                np.concatenate([np.maximum(-low, 0.0), np.maximum(high, 0.0)])
                for low, high in (found[:2], found[2:])
            )
            was = np.where(SIGNED_SURFACE, was, np.maximum(was, np.roll(was, 8)))
            beyond = now - was > np.maximum(absolute, relative * was)
            if beyond.any():
                ratio = np.where(beyond, now / np.maximum(was, np.maximum(absolute, 1e-9)), 0.0)
                at = int(ratio.argmax())
                sign = -1.0 if at < 8 else 1.0
                values = sign * float(was[at]) + 0.0, sign * float(now[at])
                quantity = SURFACE_FORCES[at % 8]
                out.append(
                    LookAgain(m.cls, m.baseline_id, ident, "demand", float(ratio[at]), quantity, *values, by)
                )
                told.add(ident)
                continue
        if any(c.what in WEAKER for c in m.changes):
            out.append(LookAgain(m.cls, m.baseline_id, ident, "resistance", 1.0))
            told.add(ident)
    return out
