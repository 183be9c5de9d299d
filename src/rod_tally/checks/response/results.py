"""Checks on the results: balance, and sizes that say something is loose."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ...analysis.frame.shape import Largest, MemberShapes, largest
from ...analysis.results.results import COMPONENTS, Results
from ...model import Finding
from ..registry import Subject, check, mm, point

BALANCE = 1e-6  # a solve in doubles balances to 1e-9; beyond this something is wrong
SHARE = 1 / 100  # of the longest span or the height. Common practice, no source.
# of the longest span under self-weight, as EN 1992-1-1 7.4.1(4) allows under quasi-permanent loads
SAG = 1 / 250
# of the height, by which columns and walls may shorten besides. Common practice, no source.
SHORTENING = 1 / 1000
STIFF = 1e-7  # of the span: less is no building. Common practice, no source.
ALONG = 2000  # members up to which all cases are looked at between nodes, not only self-weight
NONE = 1e-6  # share of a member's largest force that a released end may show by rounding
ROUNDING = 1e-9  # share of the case's largest force that is rounding, in whatever member


@check("equilibrium.residual")
def find_residuals(s: Subject) -> Iterator[Finding]:
    """Cases whose reactions do not balance their loads."""
    for e in s.results.equilibrium if s.results is not None else ():
        if e.residual > BALANCE:
            yield Finding(
                "equilibrium.residual",
                "blocking",
                f"Load case {e.case}: reactions do not balance the loads, residual {e.residual:.2g}.",
                (e.case,),
                None,
                (),
                {"residual": e.residual},
            )


@check("displacement.large")
def find_large_displacements(s: Subject) -> Iterator[Finding]:
    """Displacements larger than a hundredth of the longest span or of the height, whichever is more."""
    r = s.results
    if r is None or r.empty:
        return
    span = _span(s)
    size = max(span, float(np.ptp(r.xyz[:, 2])))
    for c, case in enumerate(r.cases):
        most = _largest(s, r, c, len(r.member_ids) <= ALONG)
        if most is None or most.size <= SHARE * size:
            continue
        yield Finding(
            "displacement.large",
            "warning",
            f"Load case {case}: {_named(s, most)} moves {mm(most.size)}, more than a hundredth of {size:.1f} m.",
            (most.ident,),
            point(most.place),
            ("Take me there",),
            {"displacement": most.size},
        )


def _span(s: Subject) -> float:
    """The longest member, or the longest of the shorter sides of slabs and walls, m."""
    sides = [float(np.ptp(x.flat(x.outer), axis=0).min()) for x in s.model.surfaces.values()]
    return max(float(s.rods.lengths.max(initial=0.0)), *sides, 0.0)


def _largest(s: Subject, r: Results, case: int, along: bool) -> Largest | None:
    """Return the largest displacement of a case; `along` members too."""
    shapes = None
    if along and r.member_done[case].any() and s.model.cases[r.cases[case]].spectrum is None:
        shapes = s.once("shapes", lambda: _shapes(s)).of(r.cases[case], 5)
    return largest(r, case, s.model.origin, shapes)


def _shapes(s: Subject) -> MemberShapes:
    assert s.results is not None
    return MemberShapes(s.model, s.results, s.settings.run.shear_flexible, s.distribution)


def _named(s: Subject, most: Largest) -> str:
    if most.kind == "node":
        return f"node {most.ident}"
    return (
        f"a place on the {s.name(most.ident)}"
        if most.kind == "surface"
        else f"{s.name(most.ident)} between its ends"
    )


@check("response.self_weight")
def find_odd_sag(s: Subject) -> Iterator[Finding]:
    """A displacement under self-weight that is not that of a building: too large for its spans, or next to
    nothing."""
    r = s.results
    if r is None or r.empty:
        return
    span = _span(s)
    for c, case in enumerate(r.cases):
        load = s.model.cases[case]
        most = _largest(s, r, c, True) if any(load.self_weight) else None
        if most is None or span <= 0:
            continue
        u = most.size
        height = float(np.ptp(r.xyz[:, 2]))
        usual = SAG * span + SHORTENING * height
        # beyond that it is displacement.large
        if STIFF * span <= u <= usual or u > SHARE * max(span, height):
            continue
        what = (
            f"moves {mm(u)}, more than 1/{1 / SAG:.0f} of the longest span of {span:.1f} m and 1/{1 / SHORTENING:.0f} of the height "
            "together: something is softer than it should be"
            if u > usual
            else f"moves {u * 1e6:.2g} µm at most: loads are missing, or stiffness is far too large"
        )
        yield Finding(
            "response.self_weight",
            "note",
            f"Load case {case}: {_named(s, most)} {what}.",
            (most.ident,),
            point(most.place),
            ("Take me there",),
            {"displacement": u},
        )


@check("response.released")
def find_loaded_releases(s: Subject) -> Iterator[Finding]:
    """Released ends that carry what they are released from: results that are not of this model, or a
    fault."""
    r = s.results
    if r is None or not len(r.member_ids):
        return
    begin = np.searchsorted(r.station_member, np.arange(len(r.member_ids)))
    stop = np.searchsorted(r.station_member, np.arange(len(r.member_ids)), "right") - 1
    released = np.zeros((2, len(r.member_ids), 6), bool)
    for k, ident in enumerate(r.member_ids):
        m = s.model.members.get(ident)
        for e, release in enumerate((m.release_start, m.release_end) if m is not None else ()):
            if release.any:
                released[e, k] = release.released
    if not released.any():
        return
    length = np.maximum(r.station_x[stop] - r.station_x[begin], 1e-9)
    for c, case in enumerate(r.cases):
        low, high = r.extremes(c)
        every = np.maximum(np.abs(low), np.abs(high))
        force = every[:, :3].max(axis=1)
        size = np.column_stack(
            [
                np.repeat(force[:, None], 3, 1),
                np.repeat((force * length + every[:, 3:].max(axis=1))[:, None], 3, 1),
            ]
        )
        # zero is zero by the size of the forces in the building, not in a member that carries nothing
        size = np.maximum(size * NONE, size.max(axis=0) * ROUNDING)
        ends = np.abs(np.stack([r.force[c, begin], r.force[c, stop]]))
        # the first station has a load on the very start behind it, and so shows it
        index = {ident: k for k, ident in enumerate(r.member_ids)}
        for load in s.model.cases[case].member_loads:
            if load.a == load.b and load.a < 1e-9 and load.member in index:
                ends[0, index[load.member]] = 0.0
        odd = np.argwhere(released & (ends > size) & r.member_done[c][:, None])
        if len(odd):
            e, k, d = odd[int(np.argmax(ends[tuple(odd.T)]))]
            member, side = r.member_ids[int(k)], "end" if e else "start"
            value = f"{ends[e, k, d] / 1000:.4g} {'kN' if d < 3 else 'kNm'}"
            yield Finding(
                "response.released",
                "warning",
                f"Load case {case}: the {side} of {s.name(member)} is released in {COMPONENTS[int(d)]} and carries {value}; {len(odd)} such "
                "places. The results are not those of this model: run it again.",
                tuple(dict.fromkeys(r.member_ids[int(i)] for _, i, _ in odd)),
                s.middle(member),
                ("Take me there",),
            )
