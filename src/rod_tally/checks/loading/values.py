"""Loads whose size, sign or likeness is odd: against usual values, partial factors, each other, their
neighbours."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Hashable, Iterator
from typing import Any

import numpy as np

from ...model import AreaLoad, Finding, LoadCase, MemberLoad
from ...model.edits import load_values
from ...model.member_force import member_force
from ..registry import Subject, check, listed, point

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
# ratio of mean line loads of neighbours in a beam line that needs a reason. Common practice, no source.
JUMP = 2.0
LEAST_JUMP = 2000.0  # N/m
NO_LOAD = 1e-6  # N/m; what rounding leaves of a load that cancels
LEAST_SLAB_JUMP = 1.0  # kN/m2


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


@check("load.jump", looks_at=("geometry", "materials", "loads"))
def find_jumps(s: Subject) -> Iterator[Finding]:
    """Neighbours in a beam line whose mean loads differ abruptly, with the reason where one is seen."""
    if not s.model.surfaces:
        return
    beams = [line.members for line in s.lines if line.kind == "beams" and len(line.members) > 1]
    beside = _panels_beside(s)
    found: dict[tuple[str, str], list[tuple[float, str, str, str]]] = defaultdict(list)
    for case in s.own_cases:
        if case.is_pattern:
            continue  # its parent case has been looked at; in a pattern neighbours differ by intention
        mean = _mean_loads(s, case)
        if not mean:
            continue
        for line in beams:
            for a, b in zip(line, line[1:]):
                if a not in s.model.members or b not in s.model.members:
                    continue
                qa, qb = mean.get(a, 0.0), mean.get(b, 0.0)
                if abs(qa - qb) > LEAST_JUMP and max(qa, qb) > JUMP * min(qa, qb):
                    reason = _reason(beside.get(a, (0, False, False)), beside.get(b, (0, False, False)))
                    words = f"{s.name(a)} carries {qa / 1000:.3g} kN/m and its neighbour {s.name(b)} {qb / 1000:.3g} kN/m"
                    # a reason that lies in the slab is the same for every case: said once
                    found[reason, "" if reason else case.name].append((abs(qa - qb), words, a, b))
    for (reason, name), jumps in found.items():
        by, words, a, _ = max(jumps)
        places = len({frozenset(x[2:]) for x in jumps})
        more = f", and {places - 1} more such places" if places > 1 else ""
        why = f": {reason}" if reason else ", and no reason is seen"
        ids = tuple(dict.fromkeys(i for x in sorted(jumps, reverse=True) for i in x[2:]))
        where = f"Load case {name}: " if name else ""
        text = f"{where}{words} in the mean{why}{more}."
        yield Finding(
            "load.jump",
            "note" if reason else "warning",
            text[0].upper() + text[1:],
            ids,
            point(s.model.line(s.model.members[a]).mean(axis=0)),
            ("Take me there",),
            {"by": by},
        )


def _mean_loads(s: Subject, case: LoadCase) -> dict[str, float]:
    """Mean vertical load (N/m) on each member from slabs and of what was put on it; {} where slabs hand
    nothing on."""
    arrival = s.distribution.case(case.name)
    if not len(arrival.member):
        return {}
    force: dict[str, float] = defaultdict(float)
    for ident, f in zip(
        arrival.members, np.bincount(arrival.member, arrival.forces[:, 2], minlength=len(arrival.members))
    ):
        force[ident] += float(f)
    for load in case.member_loads:
        force[load.member] += float(member_force(s.model, load)[2])
    out = {}
    for ident, f in force.items():
        m = s.model.members.get(ident)
        if m is not None:
            mean = abs(f) / max(s.model.length(m), 1e-9)
            out[ident] = mean if mean > NO_LOAD else 0.0
    return out


@check("load.slab_jump", looks_at=("geometry", "loads"))
def find_slab_jumps(s: Subject) -> Iterator[Finding]:
    """Slabs side by side whose pressures in a case differ abruptly."""
    slabs = {i: x for i, x in s.model.surfaces.items() if not x.upright}
    pairs = {
        frozenset((i, j.other))
        for i, x in slabs.items()
        for j in x.joints
        if j.kind == "surface" and j.other in slabs and x.whole != slabs[j.other].whole
    }
    if not pairs:
        return
    for case in s.own_cases:
        total: dict[str, float] = defaultdict(float)
        for load in case.area_loads:
            if load.surface in slabs and load.outline is None:
                total[load.surface] += intensity(load)
        odd = []
        for a, b in (sorted(p) for p in pairs):
            small, large = sorted((total.get(a, 0.0), total.get(b, 0.0)))
            if large - small >= LEAST_SLAB_JUMP and large > JUMP * small:
                odd.append((large - small, a, b))
        if odd:
            _, a, b = max(odd)
            more = f"; {len(odd) - 1} more such pairs" if len(odd) > 1 else ""
            yield Finding(
                "load.slab_jump",
                "note",
                f"Load case {case.name}: {s.name(a)} carries {total.get(a, 0.0):.3g} kN/m2 and {s.name(b)} beside it "
                f"{total.get(b, 0.0):.3g} kN/m2{more}.",
                tuple(dict.fromkeys(i for _, p, q in sorted(odd, reverse=True) for i in (p, q))),
                s.middle(a),
                ("Take me there",),
            )


def _panels_beside(s: Subject) -> dict[str, tuple[int, bool, bool]]:
    """For each member: how many panels hang on it, whether one has an opening, whether one has a free
    edge."""
    out: dict[str, tuple[int, bool, bool]] = {}
    for floor in s.distribution.floors():
        for panel in floor.panels:
            free = bool((panel.carrier < 0).any())
            opening = bool(panel.polygon.interiors) or _at_opening(floor.outline.interiors, panel.polygon)
            for k in {int(c) for c in panel.carrier if c >= 0}:
                carrier = floor.carriers[k]
                if carrier.kind == "member":
                    count, o, f = out.get(carrier.id, (0, False, False))
                    out[carrier.id] = (count + 1, o or opening, f or free)
    return out


def _at_opening(rings: object, polygon: object) -> bool:
    return any(polygon.distance(r) < 1e-6 for r in rings)  # type: ignore[attr-defined]


def _reason(a: tuple[int, bool, bool], b: tuple[int, bool, bool]) -> str:
    if a[1] != b[1]:
        return "an opening lies beside one of them"
    if a[2] != b[2]:
        return "a free edge or a cantilever of the slab lies beside one of them"
    if a[0] != b[0]:
        return f"{a[0]} panels hang on one and {b[0]} on the other"
    return ""
