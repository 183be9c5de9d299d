"""Loads whose size, sign or likeness is odd: against usual values, partial factors, each other, their
neighbours."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Hashable, Iterator
from typing import Any

import numpy as np

from ...model import AreaLoad, Finding, LoadCase, MemberLoad
from ...model.edits import load_values
from ..registry import Subject, check, listed

# Usual imposed loads, kN/m2, least and most: EN 1991-1-1 tables 6.2 (A to D), 6.4 (E), 6.8 (F, G), 6.10 (H),
# widened to ASCE 7-16 table 4.3-1 where that goes beyond (from memory: offices 2.40, dwellings 1.92, assembly
# 4.79, shops 3.59 to 6.00, stores 6.00 to 11.97, garages 1.92, roofs 0.96 kPa).
USUAL = {
    "A": (1.5, 4.0), "B": (2.0, 3.0), "C": (2.0, 7.5), "D": (3.5, 6.0), "E": (6.0, 12.0), "F": (1.5, 2.5),
    "G": (5.0, 5.0), "H": (0.0, 1.0),
}  # fmt: skip
# The same for other kinds, kN/m2. Common practice, no source.
BY_KIND = {"live": (0.4, 12.0), "dead": (0.1, 10.0), "snow": (0.2, 10.0), "wind": (0.1, 4.0)}
# Partial factors of EN 1990 table A1.2(B) and ASCE 7-16 2.3.1 that a value may have been multiplied by
PARTIAL = {"live": (1.5, 1.6), "dead": (1.35, 1.2), "snow": (1.5, 1.6), "wind": (1.5,)}
# kN/m2 or kN/m; characteristic values are usually given in steps of this. Common practice, no source.
ROUND = 0.25
GIVEN = (
    0.05  # a value in steps of this may well have been given as it is: 0.4 on a roof is not 1.6 times 0.25
)


def intensity(load: AreaLoad) -> float:
    """The largest of its values, kN/m2."""
    return float(np.linalg.norm(np.array(load.values), axis=1).max()) / 1000


@check("load.magnitude")
def find_odd_magnitudes(s: Subject) -> Iterator[Finding]:
    """Pressures beyond what is usual for their kind and category."""
    for case in s.own_cases:
        span = USUAL.get(case.category) if case.kind == "live" else None
        span = span or BY_KIND.get(case.kind)
        if span is None:
            continue
        low, high = span
        odd: dict[float, list[str]] = defaultdict(list)
        for load in case.area_loads:
            q = intensity(load)
            if q > 0 and not low * (1 - 1e-9) <= q <= high * (1 + 1e-9):
                odd[round(q, 6)].append(load.surface)
        for q, surfaces in sorted(odd.items()):
            what = f"category {case.category}" if case.kind == "live" and case.category else case.kind
            usual = f"{low:g} to {high:g}" if high > low else f"{low:g}"
            named = [s.name(i) for i in surfaces if i in s.model.surfaces]
            where = f" on {listed(named[:3])}{' and others' if len(named) > 3 else ''}" if named else ""
            yield Finding(
                "load.magnitude",
                "warning",
                f"Load case {case.name}: {q:g} kN/m2{where}; usual for {what} is {usual} kN/m2.",
                (case.name, *[i for i in surfaces if i]),
                None,
                ("Accept, because…",),
                {"q": q * 1000},
            )


@check("load.factored")
def find_factored(s: Subject) -> Iterator[Finding]:
    """Cases all of whose values become round when a partial factor is taken off, and are not round as they
    are."""
    for case in s.own_cases:
        values = [intensity(a) for a in case.area_loads]
        values += [max(map(abs, (*m.qa, *m.qb))) / 1000 for m in case.member_loads if m.kind == "force"]
        different = sorted({round(v, 9) for v in values if v > 0})
        if not different or all(_is_round(v, GIVEN) for v in different):
            continue
        for factor in PARTIAL.get(case.kind, ()):
            plain = [v / factor for v in different]
            if all(_is_round(v, ROUND) for v in plain):
                example = f"{different[-1]:g} is {factor:g} times {plain[-1]:g}"
                yield Finding(
                    "load.factored",
                    "warning",
                    f"Load case {case.name} looks already multiplied by a partial factor: {example} kN.",
                    (case.name,),
                    None,
                    (f"Divide it by {factor:g}",),
                    {"factor": factor},
                )
                break


def _is_round(value: float, step: float) -> bool:
    return abs(value / step - round(value / step)) < 1e-4 and value >= step / 2


@check("load.same")
def find_doubled_cases(s: Subject) -> Iterator[Finding]:
    """Cases that hold the same loads: one of them twice, most likely."""
    seen: dict[tuple[int, ...], list[tuple[str, list[Hashable]]]] = defaultdict(list)
    for case in s.own_cases:
        if case.count == 0:
            continue
        lists = _lists(case)
        counts = tuple(len(x) for x in lists)
        marks = sorted((_mark(x) for part in lists for x in part), key=repr) if counts in seen else []
        for name, others in seen[counts]:
            first = s.model.cases[name]
            if not others:
                others += sorted((_mark(x) for part in _lists(first) for x in part), key=repr)
            if marks == others and not (first.together and first.together == case.together):
                yield Finding(
                    "load.same",
                    "warning",
                    f"Load cases {name} and {case.name} hold the same {'load' if case.count == 1 else f'{case.count} loads'}.",
                    (name, case.name),
                    None,
                    (f"Delete {case.name}",),
                )
                break
        seen[counts].append((case.name, marks))


def _lists(case: LoadCase) -> tuple[list[Any], ...]:
    return (
        case.node_loads,
        case.member_loads,
        case.area_loads,
        case.space_loads,
        case.temperatures,
        case.settlements,
    )


def _mark(load: Any) -> Hashable:
    """Return what makes a load the same as another: all of it but where it comes from."""
    if isinstance(load, MemberLoad):  # by far the most
        return load.member, load.a, load.b, load.qa, load.qb, load.kind, load.local, load.projected
    return repr(
        sorted((k, repr(v)) for k, v in load_values(load).items() if k not in ("source", "by", "name"))
    )


@check("load.weight_again", looks_at=("geometry", "sections", "materials", "loads"))
def find_weight_as_loads(s: Subject) -> Iterator[Finding]:
    """Members loaded with their own weight beside a case that holds self-weight."""
    holding = [c.name for c in s.own_cases if any(c.self_weight)]
    if not holding:
        return
    members = list(s.model.members.values())
    lines = s.model.lines_of(members)
    lengths = np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1).tolist()
    weights = (
        {m.id: s.model.weight(m) / max(n, 1e-9) for m, n in zip(members, lengths)} if _line_loads(s) else {}
    )
    for case in s.own_cases:
        alike = []
        loaded = 0
        for load in case.member_loads:
            member = s.model.members.get(load.member)
            if member is None or load.a == load.b or load.kind != "force" or load.local:
                continue
            loaded += 1
            own = weights[member.id]
            if own > 0 and load.qa == load.qb and abs(-load.qa[2] - own) <= 0.01 * own:
                alike.append(member.id)
        if len(alike) >= 3 and len(alike) >= 0.8 * loaded:
            yield Finding(
                "load.weight_again",
                "warning",
                f"Load case {case.name} puts on {len(alike)} members what they weigh themselves, which {holding[0]} "
                "holds already: their weight counts twice.",
                (case.name, *alike),
                None,
                (f"Delete {case.name}",),
            )


def _line_loads(s: Subject) -> bool:
    return any(case.member_loads for case in s.own_cases)
