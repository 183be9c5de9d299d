"""The load page of the tally: what of each case was put on, arrived, was lost and is balanced; by storey, by
origin, by member."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ...model import LoadCase
from ...model.geometry.vectors import Array
from ..review import Review
from .forces import direct_force, member_force

NOTHING = 1e-3  # N; sums of less are rounding
ORIGINS = ("self-weight", "slabs", "areas on members", "in space", "members and nodes")


@dataclass(slots=True)
class LoadRow:
    """One case (or one storey of it), forces in N, global: put on, arrived on members and columns, held by
    walls and slabs on the ground, lost; `reaction` of the run, None where it was not computed.
    `pressure_area` (N) is the vertical sum of area times pressure of what was put on areas."""

    name: str
    kind: str = ""
    category: str = ""
    put_on: Array = field(default_factory=lambda: np.zeros(3))
    arrived: Array = field(default_factory=lambda: np.zeros(3))
    held: Array = field(default_factory=lambda: np.zeros(3))
    lost: Array = field(default_factory=lambda: np.zeros(3))
    reaction: Array | None = None
    pressure_area: float = 0.0
    loads: int = 0
    by: str = ""

    @property
    def share_lost(self) -> float:
        """Return the lost share of what was put on, by the largest component."""
        most = float(np.abs(self.put_on).max())
        return float(np.abs(self.lost).max()) / most if most > 0 else 0.0


def load_rows(review: Review) -> list[LoadRow]:
    """One row a case, in the model's order."""
    return [_of_case(review, case) for case in review.model.cases.values()]


def _of_case(review: Review, case: LoadCase) -> LoadRow:
    arrival = review.distribution.case(case.name)
    row = LoadRow(case.name, case.kind, case.category, loads=case.count + any(case.self_weight), by=case.by)
    direct = direct_force(review.model, case)
    row.put_on = direct + arrival.total("applied")
    row.arrived = direct + arrival.total("on_members")
    row.held, row.lost = arrival.total("on_surfaces"), arrival.total("lost")
    row.pressure_area = float(sum(s.applied[2] for s in arrival.shares if s.kind in ("area", "self-weight")))
    results = review.results
    if case.name in results.lost:
        # of what found no computed part, that on slabs and walls left out of the run was held by them
        outside = sum((h.force for h in arrival.held if h.surface in results.left_out), np.zeros(3))
        row.lost = row.lost + results.lost[case.name]
        row.held = row.held - outside
        row.arrived = row.arrived - (results.lost[case.name] - outside)
    found = next((e for e in results.equilibrium if e.case == case.name), None)
    row.reaction = np.array(found.reaction[:3]) if found is not None else None
    return row


def by_storey(review: Review, name: str) -> list[LoadRow]:
    """A case by storey, the highest first: what arrived on members and columns there, and what walls there
    hold."""
    model, case = review.model, review.model.cases[name]
    rows = {s.name: LoadRow(s.name) for s in sorted(model.storeys, key=lambda s: -s.elevation)}
    rows.setdefault("", LoadRow("no storey"))
    arrival = review.distribution.case(name)

    def row(z: float) -> LoadRow:
        return rows[model.storey_of(z)]

    for n in case.node_loads:
        row(float(model.nodes[n.node].point[2])).arrived += n.force
    level = {i: float(model.line(m)[:, 2].mean()) for i, m in model.members.items()}
    for load in case.member_loads:
        if load.member in level:
            row(level[load.member]).arrived += member_force(model, load)
    if any(case.self_weight):
        for i, m in model.members.items():
            row(level[i]).arrived += np.array(case.self_weight) * model.weight(m)
    if len(arrival.member):
        forces = np.zeros((len(arrival.members), 3))
        np.add.at(forces, arrival.member, arrival.forces)
        for ident, f in zip(arrival.members, forces):
            row(level[ident]).arrived += f
    for node, f in zip(arrival.nodes, arrival.node_force):
        row(float(model.nodes[node].point[2])).arrived += f
    for held in arrival.held:
        row(float(held.line[:, 2].mean())).held += held.force
    for share in arrival.shares:
        if share.lost.any():
            z = float(np.concatenate(share.places)[:, 2].mean()) if share.places else 0.0
            row(z).lost += share.lost
    for r in rows.values():
        r.put_on = r.arrived + r.held + r.lost
    return [r for r in rows.values() if np.abs(r.put_on).max() > NOTHING]


def by_origin(review: Review, name: str) -> list[LoadRow]:
    """A case by where its loads come from, those of ORIGINS that it has."""
    model, case = review.model, review.model.cases[name]
    rows = {o: LoadRow(o) for o in ORIGINS}
    for share, load_kind in ((s, s.kind) for s in review.distribution.case(name).shares):
        r = rows[origin_of(load_kind, share.part)]
        r.put_on = r.put_on + share.applied
        r.arrived, r.held, r.lost = (
            r.arrived + share.on_members,
            r.held + share.on_surfaces,
            r.lost + share.lost,
        )
    own = np.array(case.self_weight) * sum(model.weight(m) for m in model.members.values())
    rows["self-weight"].put_on = rows["self-weight"].put_on + own
    rows["self-weight"].arrived = rows["self-weight"].arrived + own
    direct = direct_force(model, case) - own
    rows["members and nodes"].put_on = rows["members and nodes"].arrived = direct
    return [r for r in rows.values() if np.abs(r.put_on).max() > NOTHING]


def origin_of(kind: str, part: str) -> str:
    """Which of ORIGINS a load that was handed on is from: by its kind, and the surface it was put on if
    any."""
    if kind == "area":
        return "slabs" if part else "areas on members"
    return "self-weight" if kind == "self-weight" else "in space"


@dataclass(slots=True)
class MemberShare:
    """One part of a member's load in a case: what it is, where it comes from, its sum (N) and where it lies
    (m)."""

    what: str
    origin: str
    force: Array
    a: float
    b: float


def on_member(review: Review, member: str, name: str) -> list[MemberShare]:
    """All that a case puts on a member, with where each part comes from, in one entry for each origin."""
    model, case = review.model, review.model.cases[name]
    out: list[MemberShare] = []
    m = model.members[member]
    if any(case.self_weight):
        out.append(
            MemberShare("own weight", "", np.array(case.self_weight) * model.weight(m), 0.0, model.length(m))
        )
    for load in case.member_loads:
        if load.member == member:
            what = "point" if load.a == load.b else "line"
            out.append(MemberShare(f"{what} {load.kind}", load.by, member_force(model, load), load.a, load.b))
    arrival = review.distribution.case(name)
    if member in arrival.members:
        mine = np.flatnonzero(arrival.member == arrival.members.index(member))
        forces = arrival.forces
        for k in dict.fromkeys(arrival.share[mine].tolist()):
            rows = mine[arrival.share[mine] == k]
            share = arrival.shares[k]
            part = model.part(share.part)
            origin = (part.name or part.id) if part is not None else share.name or share.kind
            what = "weight of" if share.kind == "self-weight" else f"{share.kind} load on"
            out.append(
                MemberShare(
                    what,
                    origin,
                    forces[rows].sum(axis=0),
                    float(arrival.a[rows].min()),
                    float(arrival.b[rows].max()),
                )
            )
    return out
