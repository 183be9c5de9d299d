"""Loads that differ abruptly from those beside them: along a beam, between beams of a line, between slabs."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from ...loads.arrival import Arrival
from ...model import Finding, LoadCase
from ...model.geometry.vectors import Array
from ...model.member_force import member_force
from ..registry import Subject, check, point
from .values import intensity

# ratio of the mean line loads of neighbours in a beam line that needs a reason. Common practice, no source.
JUMP = 2.0
STEP = 1.5  # the same for the line load left and right of a place within a beam
LEAST_JUMP = 2000.0  # N/m
NO_LOAD = 1e-6  # N/m; what rounding leaves of a load that cancels
LEAST_SLAB_JUMP = 1.0  # kN/m2
ONE_PLACE = 0.01  # m; rows of a load that end and begin within it do so at one place
NEAR_END = 0.05  # of a member's length; a step so near to its end changes little in it


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


@check("load.step", looks_at=("geometry", "materials", "loads"))
def find_steps(s: Subject) -> Iterator[Finding]:
    """Places within a beam where the line load that slabs hand on changes abruptly: where a slab, an opening
    or a loaded area ends."""
    found: dict[str, tuple[float, float, float, float, str]] = {}
    for case in s.own_cases:
        if case.is_pattern:
            continue
        for ident, at, before, after in steps(s.distribution.case(case.name)):
            m = s.model.members.get(ident)
            if m is None or m.cls == "column":
                continue
            length = s.model.length(m)
            near = NEAR_END * length + ONE_PLACE
            size = abs(after - before)
            if near < at < length - near and size > found.get(ident, (0.0,))[0]:
                found[ident] = (size, at, before, after, case.name)
    if not found:
        return
    order = sorted(found, key=lambda i: (-round(found[i][0]), i))
    size, at, before, after, name = found[order[0]]
    m = s.model.members[order[0]]
    rest = len(order) - 1
    more = f"; {rest} more member{'s have' if rest > 1 else ' has'} such a step" if rest else ""
    line = s.model.line(m)
    where = line[0] + (line[1] - line[0]) * at / max(s.model.length(m), 1e-9)
    yield Finding(
        "load.step",
        "note",
        f"Load case {name}: what slabs hand to {s.name(m.id)} goes from {before / 1000:.3g} to {after / 1000:.3g} kN/m "
        f"within its span, {at:.2f} m from its start, where a slab, an opening or a loaded area ends{more}.",
        tuple(order),
        point(where),
        ("Take me there",),
        {"by": size},
    )


def steps(arrival: Arrival) -> list[tuple[str, float, float, float]]:
    """Return the steps of the vertical line loads on members: the member's id, the place (m from its start), and
    the sizes of the load before and after it (N/m)."""
    line = arrival.b - arrival.a > 0
    if not line.any():
        return []
    a, b, qa, qb = arrival.a[line], arrival.b[line], arrival.qa[line, 2], arrival.qb[line, 2]
    slope = (qb - qa) / (b - a)
    # a row adds its value and its slope where it begins and takes both away where it ends
    member = np.tile(arrival.member[line], 2)
    at, value, slope = np.append(a, b), np.append(qa, -qb), np.append(slope, -slope)
    order = np.lexsort((at, member))
    member, at, value, slope = member[order], at[order], value[order], slope[order]
    new = np.append(True, (member[1:] != member[:-1]) | (at[1:] - at[:-1] > ONE_PLACE))
    first = np.flatnonzero(new)
    last = np.append(first[1:], len(at)) - 1
    sums = np.cumsum(np.array([value - slope * at, slope]), axis=1)

    def load(upto: NDArray[np.intp], x: Array) -> Array:
        """The size of the load at `x`, by what begins and ends up to there: what is on one member has ended where
        the next begins."""
        q = np.where(upto < 0, 0.0, sums[0, upto] + sums[1, upto] * x)
        return np.abs(np.where(np.abs(q) > NO_LOAD, q, 0.0))

    before, after = load(first - 1, at[first]), load(last, at[last])
    low, high = np.minimum(before, after), np.maximum(before, after)
    stepped = np.flatnonzero((high - low > LEAST_JUMP) & (high > STEP * low * (1 + 1e-9)))
    return [
        (arrival.members[member[first[k]]], float(at[first[k]]), float(before[k]), float(after[k]))
        for k in stepped
    ]


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
