"""Loads stay where they are when a correction moves what carries them, or the log says what did not."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from copy import copy
from dataclasses import dataclass, field

import numpy as np

from ..entities.loads import LoadCase, MemberLoad, Vector
from ..entities.model import Model
from ..entities.structure import Member, Node
from ..geometry.vectors import Array
from ..journal import Journal
from ..member_force import member_force, member_pieces

ALMOST = 1e-6  # m
REPORTED = 1e-3  # m; a load that moves by less is in its place


@dataclass(slots=True)
class Kept:
    """The outcome of keeping loads in place: by case the force (N) that now lies beyond its member, and the
    farthest (m) that a load had to go with its member, because that was moved aside or ends before it."""

    beyond: dict[str, Array] = field(default_factory=dict)
    moved: dict[str, float] = field(default_factory=dict)

    @property
    def words(self) -> str:
        """For the log; "" where every load stayed."""
        parts = [
            f"{np.linalg.norm(f) / 1000:.4g} kN of case {name} now lie beyond their member and are not carried"
            for name, f in self.beyond.items()
        ]
        parts += [
            f"loads of case {name} moved by up to {d * 1000:.0f} mm with their member"
            for name, d in self.moved.items()
        ]
        return "; ".join(parts)


def line_before(nodes: Mapping[str, Node], m: Member) -> Array:
    """A member's axis (2, 3) with the nodes as they were."""
    return np.array([nodes[m.start].point + m.offset_start, nodes[m.end].point + m.offset_end])


def touched(before: Journal, model: Model, others: Iterable[str]) -> list[str]:
    """Members that are there before and now, and are `others`, or lie between nodes that were moved."""
    own = {i for i in others if i in before.members and i in model.members}
    shared = [n for n in before.others("nodes", model) if n in before.nodes and n in model.nodes]
    ends = {n for n in shared if np.any(before.nodes[n].point != model.nodes[n].point)}
    if ends:
        own |= {
            i for i, m in model.members.items() if (m.start in ends or m.end in ends) and i in before.members
        }
    return list(filter(own.__contains__, model.members)) if len(own) > 1 else list(own)


def keep_loads(
    model: Model,
    nodes: Mapping[str, Node],
    members: Mapping[str, Member],
    changed_ids: Iterable[str],
    search: float,
) -> Kept:
    """Put the loads of members whose axis changed back to where they were in space.

    `nodes` and `members` are the model's as they were, `changed_ids` what `touched` gives. What then lies
    beyond the member is entered in its case as not carried, but for a concentrated load within `search` (m)
    of the end, which goes there."""
    changed: dict[str, tuple[Array, Array]] = {}
    for ident in changed_ids:
        was, own = members[ident], model.members[ident]
        old, new = line_before(nodes, was), model.line(own)
        if np.abs(old - new).max() > 1e-9:
            changed[ident] = old, new
    out = Kept()
    if not changed:
        return out
    for name, case in list(model.cases.items()):
        if any(load.member in changed for load in case.member_loads):
            model.cases[name] = _kept_case(model, case, changed, search, out)
    return out


def _kept_case(
    model: Model, case: LoadCase, changed: dict[str, tuple[Array, Array]], search: float, out: Kept
) -> LoadCase:
    own = copy(case)
    own.member_loads, own.lost = [], list(case.lost)
    for load in case.member_loads:
        if load.member not in changed:
            own.member_loads.append(load)
            continue
        old, new = changed[load.member]
        length = float(np.linalg.norm(new[1] - new[0]))
        u = (new[1] - new[0]) / length
        v = (old[1] - old[0]) / max(float(np.linalg.norm(old[1] - old[0])), 1e-12)
        a, b = (float((old[0] + v * d - new[0]) @ u) for d in (load.a, load.b))
        placed = copy(load)
        if load.a == load.b:
            placed.a = placed.b = min(max(a, 0.0), length)
            off = abs(placed.a - a)
            if off > search:
                _beyond(model, own, load, member_force(model, placed), out)
                continue
            _moved(case.name, old[0] + v * load.a, new[0] + u * placed.a, out)
            own.member_loads.append(placed)
            continue
        if b - a < ALMOST:
            _beyond(model, own, load, member_force(model, load), out)
            continue
        low, high = max(a, 0.0), min(b, length)
        qa, qb = np.array(load.qa), np.array(load.qb)

        def at(x: float, qa: Array = qa, qb: Array = qb, a: float = a, b: float = b) -> Vector:
            q = qa + (qb - qa) * (x - a) / (b - a)
            return float(q[0]), float(q[1]), float(q[2])

        placed.a, placed.b, placed.qa, placed.qb = a, b, load.qa, load.qb
        whole = member_force(model, placed)
        if high - low < ALMOST:
            _beyond(model, own, load, whole, out)
            continue
        placed = copy(placed)
        placed.a, placed.b, placed.qa, placed.qb = low, high, at(low), at(high)
        own.member_loads.append(placed)
        for x in (low, high):
            _moved(
                case.name, old[0] + v * (load.a + (x - a) / (b - a) * (load.b - load.a)), new[0] + u * x, out
            )
        if (b - a) - (high - low) > ALMOST:
            _beyond(model, own, load, whole - member_force(model, placed), out)
    return own


def _moved(case: str, was: Array, now: Array, out: Kept) -> None:
    off = float(np.linalg.norm(now - was))
    if off > REPORTED:
        out.moved[case] = max(off, out.moved.get(case, 0.0))


def _beyond(model: Model, case: LoadCase, load: MemberLoad, force: Array, out: Kept) -> None:
    m = model.members[load.member]
    reason = f"load in case {case.name}: it lies beyond the corrected end of {m.cls} {m.name or m.id}"
    case.lost.append(
        (load.source or load.member, reason, (float(force[0]), float(force[1]), float(force[2])))
    )
    out.beyond[case.name] = out.beyond.get(case.name, np.zeros(3)) + force


def case_totals(model: Model, cases: Mapping[str, LoadCase]) -> dict[str, Array]:
    """Force (N) of the loads on nodes and members of each case, with what is not carried of them."""
    out = {}
    for name, case in cases.items():
        total = member_pieces(model, case.member_loads)[1].sum(axis=0)
        for n in case.node_loads:
            total += n.force
        for _, _, force in case.lost:
            total += force
        out[name] = total
    return out
