"""Loads: do they arrive, once, and the right way?"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from ...analysis.results.storeys import StoreyRow
from ...loads import Arrival
from ...loads.beyond import AROUND, ON_EDGES, TRIM, Beyond, beyond
from ...loads.combinations.combine import SCHEMES
from ...loads.combinations.orientation import orientation
from ...model import Finding, LoadCase, Surface
from ...model.member_force import member_force
from ...words import and_more, few
from ..registry import Subject, check, listed, point

GRAVITY_KINDS = ("self-weight", "dead", "live", "snow")
ROUNDING = 1e-9  # of a case
LITTLE = 0.002  # share of a case; less than that lost is only a note


@check("load.empty", "case.untyped")
def find_plain_cases(s: Subject) -> Iterator[Finding]:
    """Cases without loads, and cases nobody gave a kind."""
    for case in s.own_cases:
        if case.empty:
            text = f"Load case {case.name} holds no loads."
            yield Finding("load.empty", "note", text, (case.name,), None, ("Delete it",))
        if case.untyped:
            yield Finding(
                "case.untyped",
                "note",
                f"Load case {case.name} has no kind (dead, live, wind …); no combination can use it.",
                (case.name,),
                None,
                ("Give it a kind",),
            )


@check("load.uncarried")
def find_lost_loads(s: Subject) -> Iterator[Finding]:
    """Loads of a case that reached no part of the model that carries or is computed, with the share lost and
    the place."""
    for case in s.own_cases:
        arrival = s.distribution.case(case.name)
        unread = [i for i, _, _ in case.lost]
        lost = _lost(s, case, arrival)
        if not unread and not lost:
            continue
        whole = _whole(s, case, arrival)
        if not unread and lost <= ROUNDING * max(whole, 1.0):
            continue
        share = min(lost / whole, 1.0) if whole > 0 else 1.0
        gone = [x for x in arrival.shares if x.lost.any()]
        worst = max(gone, key=lambda x: float(np.abs(x.lost).max()), default=None)
        parts = []
        if lost > 0:
            parts.append(
                f"{share:.1%} of load case {case.name} ({lost / 1000:.4g} kN) is not carried: it reached no part that was computed"
            )
        if worst is not None and worst.reason:
            where = f" on {s.name(worst.part)}" if worst.part in s.model.surfaces else ""
            parts[-1:] = [parts[-1] + f" ({worst.reason}{where})"] if parts else [worst.reason]
        if unread:
            verb = "action was" if len(unread) == 1 else "actions were"
            parts.append(f"{len(unread)} {verb} not taken over ({case.lost[0][1].split(': ', 1)[-1]})")
        text = "; ".join(parts) if lost > 0 else f"In load case {case.name}, " + parts[0]
        place = next((p for x in gone for p in x.places), None)
        at = point(place.mean(axis=0)) if place is not None else None
        surfaces = tuple(dict.fromkeys(x.part for x in gone if x.part in s.model.surfaces))
        severity = "warning" if share > LITTLE or unread else "note"
        ways = beyond(s.model, case) if gone else None
        if ways is not None:
            low, high = ways.pressure
            edges = (
                f"{ways.length:.4g} m of the edges there (up to {ways.line / 1000:.3g} kN/m), or on "
                if ways.on_edges
                else ""
            )
            text += (
                f". {ways.lost / 1000:.4g} kN of it lies beyond slabs or over their openings: it can be put on {edges}the rest "
                f"of its own area (up to {high / 1000:.3g} for {low / 1000:.3g} kN/m2), or be left out"
            )
        yield Finding(
            "load.uncarried",
            severity,
            text + ".",
            (case.name, *unread, *surfaces),
            at,
            _ways(ways),
            {"share": share},
        )


def _ways(ways: Beyond | None) -> tuple[str, ...]:
    """Buttons for a load that reaches beyond its slab; those that keep it first."""
    if ways is None:
        return ()
    return (*((ON_EDGES,) if ways.on_edges else ()), AROUND, TRIM, "Accept, because…")


def _lost(s: Subject, case: LoadCase, arrival: Arrival) -> float:
    """How much of a case is not carried, N: sizes of single loads added up, so that opposite ones do not make
    up for each other."""
    lost = sum(float(np.linalg.norm(f)) for _, _, f in case.lost)
    lost += sum(float(np.linalg.norm(share.lost)) for share in arrival.shares)
    out = s.results.left_out if s.results is not None and case.name in s.results.applied else {}
    beside = 0.0
    if out:
        loads = (x for x in case.member_loads if x.member in out)
        beside += sum(float(np.linalg.norm(member_force(s.model, x))) for x in loads)
        factor = float(np.linalg.norm(case.self_weight))
        beside += factor * sum(s.model.weight(m) for i, m in s.model.members.items() if i in out)
    if s.results is not None and case.name in s.results.lost:
        # what arrived on parts that were not computed: at least its sum
        beside = max(beside, float(np.linalg.norm(s.results.lost[case.name])))
    return lost + beside


def _whole(s: Subject, case: LoadCase, arrival: Arrival) -> float:
    """How much load a case has, N, by size as `_lost`."""
    whole = sum(float(np.linalg.norm(f)) for _, _, f in case.lost)
    whole += sum(max(float(np.linalg.norm(x.applied)), float(np.linalg.norm(x.lost))) for x in arrival.shares)
    whole += sum(float(np.linalg.norm(n.force)) for n in case.node_loads)
    whole += sum(float(np.linalg.norm(member_force(s.model, x))) for x in case.member_loads)
    if any(case.self_weight):
        factor = float(np.linalg.norm(case.self_weight))
        whole += factor * sum(s.model.weight(m) for m in s.model.members.values())
    return whole


@check("load.imposed")
def find_imposed_without_effect(s: Subject) -> Iterator[Finding]:
    """Movements of nodes that no support holds in their direction, and temperatures of members that cannot
    expand or are not computed: a case would hold them and nothing would come of it."""
    model, r = s.model, s.results
    computed = set(r.member_ids) if r is not None and not r.empty else None
    for case in model.cases.values():
        loose: list[str] = []
        for moved in case.settlements:
            node = model.nodes.get(moved.node)
            if node is None:
                continue
            held = np.array(node.support.stiffness) > 0
            if node.support.axes is None and (np.array(moved.movement, float)[~held] != 0).any():
                loose.append(moved.node)
        if loose:
            more = and_more(loose, 1)
            text = (
                f"Load case {case.name} moves node {loose[0]}{more} in a direction that no support holds: a movement is imposed "
                "through a support, so this one has no effect."
            )
            at = point(model.nodes[loose[0]].point)
            yield Finding("load.imposed", "warning", text, (case.name, *loose), at, ("Take me there",))
        cold: dict[str, list[str]] = {}
        for warm in case.temperatures:
            member = model.members.get(warm.member)
            if member is None:
                continue
            material = model.materials.get(member.material)
            if material is None or not material.expansion:
                cold.setdefault(
                    f"the thermal expansion of {member.material or 'no material'} is not known", []
                ).append(member.id)
            elif computed is not None and member.id not in computed:
                cold.setdefault("they are not computed", []).append(member.id)
        for reason, ids in cold.items():
            text = (
                f"Load case {case.name}: temperatures of {len(ids)} members have no effect, because {reason}."
            )
            yield Finding(
                "load.imposed", "warning", text, (case.name, *ids), s.middle(ids[0]), ("Take me there",)
            )


@check("load.between")
def find_loads_between_walls(s: Subject) -> Iterator[Finding]:
    """Loads exactly on the joint of two storeys' walls: which of the two takes them."""
    for case in s.own_cases:
        number = -1
        for share in s.distribution.case(case.name).shares:
            number += share.kind in ("line", "point")
            if share.others:
                taker, other = s.name(share.taker), s.name(share.others[0])
                yield Finding(
                    "load.between",
                    "note",
                    f"A {share.kind} load of case {case.name} lies on the joint of two walls: {taker} takes it, not {other}.",
                    (case.name, share.taker, *share.others),
                    s.middle(share.taker),
                    ("Give it to the other wall",),
                    {"number": float(number)},
                )


@check("combination.orientation")
def find_orientation(s: Subject) -> Iterator[Finding]:
    """How the building's frames lie, and so how seismic directions are to be combined."""
    names = [c.name for c in s.own_cases if c.kind == "seismic"]
    if not names:
        return
    o = orientation(s.model)
    yield Finding(
        "combination.orientation",
        "note",
        f"{o.why[0].upper()}{o.why[1:]}: seismic directions are combined as {SCHEMES[o.scheme]}.",
        tuple(names),
        None,
        ("Make combinations…",),
    )


@check("combination.unused")
def find_unused_cases(s: Subject) -> Iterator[Finding]:
    """Cases that none of the combinations that the source brings holds."""
    sums = {n for n, c in s.model.cases.items() if c.is_combination}
    held = {n for c in s.model.combinations for n, v in c.factors.items() if v}
    # a combination that is a case of its own does not say any more what it is made of
    if held and not held <= sums:
        names = [c.name for c in s.own_cases if c.name not in held and not c.empty]
        yield from unused(names, len(s.model.combinations))


def unused(names: Sequence[str], count: int) -> Iterator[Finding]:
    """That these cases are in none of so many combinations; nothing for no cases."""
    if not names:
        return
    one = len(names) == 1
    shown = few(names, 8)
    text = (
        f"Load case{'' if one else 's'} {shown} {'is' if one else 'are'} in none of the {count} combinations."
    )
    actions = ("Make combinations…", "Accept, because…")
    yield Finding("combination.unused", "warning", text, tuple(names), None, actions)


@check("load.no_weight")
def find_no_weight(s: Subject) -> Iterator[Finding]:
    """No case that holds self-weight."""
    if s.model.members and s.model.cases and not any(any(c.self_weight) for c in s.own_cases):
        text = "No load case holds self-weight; it counts only where the source's loads contain it."
        yield Finding(
            "load.no_weight", "note", text, tuple(s.model.cases), None, ("Choose the case that holds it…",)
        )


@check("load.direction")
def find_upward_loads(s: Subject) -> Iterator[Finding]:
    """Gravity loads that act upwards in sum."""
    for case in s.own_cases:
        up = vertical(s, case)
        if up > 0 and up <= ROUNDING * _whole(s, case, s.distribution.case(case.name)):
            up = 0.0  # rounding of a case that acts sideways
        if (case.kind in GRAVITY_KINDS and up > 0) or case.self_weight[2] > 0:
            yield Finding(
                "load.direction",
                "warning",
                f"Load case {case.name} ({case.kind or 'self-weight'}) acts upwards: {up / 1000:.4g} kN in all.",
                (case.name,),
                None,
                ("Turn its sign",),
            )


def vertical(s: Subject, case: LoadCase) -> float:
    """Sum of a case's vertical force, N: from the run where there is one, else of its loads in global
    axes."""
    if s.results is not None and case.name in s.results.applied:
        return float(s.results.applied[case.name][2])
    arrival = s.distribution.case(case.name)
    total = float(arrival.total("applied")[2]) if not any(case.self_weight) else 0.0
    total += sum(f.force[2] for f in case.node_loads)
    for load in case.member_loads:
        if load.kind == "force" and not load.local:
            total += load.qa[2] if load.a == load.b else (load.qa[2] + load.qb[2]) / 2 * (load.b - load.a)
    return total


@check("load.twice")
def find_double_weight(s: Subject) -> Iterator[Finding]:
    """Self-weight in more than one case, or more than once in one."""
    holding = [c for c in s.own_cases if any(c.self_weight)]
    if len(holding) > 1:
        names = ", ".join(c.name for c in holding)
        yield Finding(
            "load.twice",
            "warning",
            f"Self-weight is in {len(holding)} load cases ({names}); used together they count it twice.",
            tuple(c.name for c in holding),
            None,
            ("Keep it in one of them",),
        )
    for case in holding:
        factor = float(np.linalg.norm(case.self_weight))
        if factor > 1.5:
            text = f"Load case {case.name} counts self-weight {factor:g} times."
            yield Finding("load.twice", "warning", text, (case.name,), None)


SIDEWAYS = ("wind", "seismic", "notional")
# Of these the highest storey, which is a roof, may well have none. Common practice, no source.
NOT_ON_ROOFS = ("dead", "live", "snow")
BARE = 1e-6  # share of the largest storey's load below which a storey has none
LIKES = 2  # storeys, or slabs of one storey, that are loaded for each that is not


@check("case.bare")
def find_bare_storeys(s: Subject) -> Iterator[Finding]:
    """Storeys that a case leaves without load though it loads most of the others, and slabs of a storey
    likewise; of cases that are alternatives of each other none."""
    for case in s.own_cases:
        if case.together or not case.kind:
            continue
        yield from _bare_storeys(s, case)
        yield from _bare_slabs(s, case)


def _bare_storeys(s: Subject, case: LoadCase) -> Iterator[Finding]:
    rows = sorted((r for r in s.storeys if r.case == case.name), key=lambda r: r.elevation)
    ways = ("fx", "fy") if case.kind in SIDEWAYS else ("fz",)
    if case.kind not in (*SIDEWAYS, "live", "dead", "snow"):
        return
    sizes = [float(np.hypot(*(getattr(r, w) for w in ways))) if len(ways) > 1 else abs(r.fz) for r in rows]
    most = max(sizes, default=0.0)
    loaded = [k for k, size in enumerate(sizes) if size > BARE * most]
    if most <= 0 or len(loaded) < LIKES:
        return
    last = len(rows) - (1 if case.kind in NOT_ON_ROOFS else 0)
    # what a storey without mass could carry says nothing: it has no floor
    bare = [
        r.storey
        for k, r in enumerate(rows[:last])
        if k > loaded[0]
        and k not in loaded
        and r.mass > BARE * max(x.mass for x in rows)
        and not (case.kind not in SIDEWAYS and _in_another(s, case, r))
    ]
    if bare and len(bare) * LIKES <= len(loaded):
        verb = "is" if len(bare) == 1 else "are"
        yield Finding(
            "case.bare",
            "warning",
            f"Load case {case.name} loads {len(loaded)} storeys and leaves {listed(bare)} without any: {verb} "
            f"{'it' if len(bare) == 1 else 'they'} newer than the case?",
            (case.name,),
            None,
            ("Accept, because…",),
            {"count": float(len(bare))},
        )


def _in_another(s: Subject, case: LoadCase, row: StoreyRow) -> bool:
    """Return whether another case of the kind loads a storey: parking below and offices above are two
    cases."""
    kinds = {c.name: c.kind for c in s.own_cases if c.name != case.name}
    return any(
        r.storey == row.storey and kinds.get(r.case) == case.kind and abs(r.fz) > 0.0 for r in s.storeys
    )


def _bare_slabs(s: Subject, case: LoadCase) -> Iterator[Finding]:
    """Slabs of a storey without a pressure of their own where most of it, by area, has one."""
    if case.kind in SIDEWAYS or not case.area_loads or any(not x.surface for x in case.area_loads):
        return
    loaded = {x.surface for x in case.area_loads}
    # corridors and rooms of one storey are loaded by a case each
    elsewhere = {
        x.surface for c in s.own_cases if c.kind == case.kind and c.name != case.name for x in c.area_loads
    }
    by_storey: dict[str, list[Surface]] = {}
    for x in s.model.surfaces.values():
        if not x.upright and not x.on_ground:
            by_storey.setdefault(x.storey, []).append(x)
    bare: list[Surface] = []
    for slabs in by_storey.values():
        rest = [x for x in slabs if x.id not in loaded | elsewhere]
        if rest and sum(x.area for x in rest) * LIKES <= sum(x.area for x in slabs if x.id in loaded):
            bare += rest
    if bare:
        names = listed([s.name(x.id) for x in bare[:4]]) + and_more(bare, 4)
        area = sum(x.area for x in bare)
        yield Finding(
            "case.bare",
            "warning",
            f"Load case {case.name} leaves {names} ({area:.4g} m²) without load, though it loads most of their storey.",
            (case.name, *(x.id for x in bare)),
            s.middle(bare[0].id),
            ("Accept, because…",),
            {"area": area},
        )
