"""Carrying 500 corrections over to a revision of 20,000 members, beside matching the two alone."""

from __future__ import annotations

import time
from copy import deepcopy
from typing import Any

import numpy as np

CORRECTIONS = 500


def carrying(members: int = 20_000, corrections: int = CORRECTIONS) -> dict[str, Any]:
    """Seconds of matching the members and of carrying over, and how many corrections were carried."""
    from rod_tally.compare.carrying.carry import PLACED, carry_over
    from rod_tally.compare.members import match_members
    from rod_tally.model import PINNED_END, LoadCase, MemberLoad
    from rod_tally.model.edits import AddLoads, DeleteMembers, SetOneWay, SetRelease, SetSupport, TurnMembers
    from rod_tally.model.edits.load_values import load_values
    from rod_tally.model.entities.structure import Support

    base = _frame(members)
    base.cases["Q"] = LoadCase("Q", "live")
    ids = list(base.members)
    step = max(len(ids) // corrections, 1)
    q = (0.0, 0.0, -3e3)
    for k, ident in enumerate(ids[::step][:corrections]):
        m = base.members[ident]
        edits: list[Any] = [
            SetRelease([ident], bool(k % 2), PINNED_END),
            AddLoads("Q", [load_values(MemberLoad(ident, 0.5, 1.5, q, q))]),
            TurnMembers([ident], 0.3),
            SetOneWay([ident], "tension"),
            SetSupport([m.start], Support.of("ux uy")),
            DeleteMembers([ident]),
        ]
        edits[k % len(edits)].apply(base)
    revised = deepcopy(_frame(members))
    revised.cases["Q"] = LoadCase("Q", "live")
    revised.members = {f"r{i}": _renamed(m, f"r{i}") for i, m in reversed(list(revised.members.items()))}
    start = time.perf_counter()
    match_members(base, revised)
    matched = time.perf_counter()
    over = carry_over(base, revised)
    end = time.perf_counter()
    return {
        "members": len(ids),
        "corrections": len(over.lines),
        "carried": sum(x.status in PLACED for x in over.lines),
        "match_s": matched - start,
        "carry_s": end - matched,
        "ratio": (end - matched) / max(matched - start, 1e-9),
    }


def _renamed(member: Any, ident: str) -> Any:
    member.id = ident
    return member


def _frame(members: int) -> Any:
    """A regular frame of about that many members, its columns held at the base."""
    from rod_tally.model import FIXED, Material, Member, Model, Node, Section

    n = max(2, round((members / 3) ** (1 / 3)))
    storeys = max(1, round(members / (3 * n * n)))
    out = Model()
    out.materials["steel"] = Material("steel", "steel", 210e9, 81e9, 0.3, 7850.0)
    out.sections["S"] = Section("S", "values", 0.01, 1e-4, 5e-5, 0.0, 1e-6)
    for s in range(storeys + 1):
        for i in range(n):
            for j in range(n):
                node = out.nodes[f"{s}-{i}-{j}"] = Node(f"{s}-{i}-{j}", np.array([6.0 * i, 5.0 * j, 3.5 * s]))
                if s == 0:
                    node.support = FIXED

    def add(cls: str, a: str, b: str, z: tuple[float, float, float]) -> None:
        ident = f"{cls[0]}{len(out.members)}"
        out.members[ident] = Member(ident, ident, cls, a, b, "S", "steel", np.array(z))

    for s in range(storeys):
        for i in range(n):
            for j in range(n):
                add("column", f"{s}-{i}-{j}", f"{s + 1}-{i}-{j}", (1.0, 0.0, 0.0))
                if i + 1 < n:
                    add("beam", f"{s + 1}-{i}-{j}", f"{s + 1}-{i + 1}-{j}", (0.0, 0.0, 1.0))
                if j + 1 < n:
                    add("beam", f"{s + 1}-{i}-{j}", f"{s + 1}-{i}-{j + 1}", (0.0, 0.0, 1.0))
    return out


if __name__ == "__main__":
    print(carrying())
