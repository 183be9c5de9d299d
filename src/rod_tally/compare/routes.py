"""Two exports of one building by two ways: what each of them has lost on its way, in one finding."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..model import Finding, Member, Model
from .members import MemberMatch

ALIKE = 0.8  # share of parts in their place from which two models are of one building
LOST = 0.2  # share of what the other has that must be missing to be told
FEWEST = 5  # parts; of fewer nothing is said


@dataclass(slots=True)
class Held:
    """The number of one thing that each of the two holds, of `of` that could."""

    what: str
    baseline: int
    revised: int
    of: int

    @property
    def missing(self) -> float:
        """The share that the one with less lacks of what the other has."""
        most = max(self.baseline, self.revised)
        return abs(self.baseline - self.revised) / most if most else 0.0


def held_by_both(base: Model, revised: Model, rows: Sequence[MemberMatch]) -> list[Held]:
    """Return what both hold of the parts that both have, and of loads, combinations and groups."""
    pairs = [
        (base.part(m.baseline_id), revised.part(m.revised_id)) for m in rows if m.baseline_id and m.revised_id
    ]
    both = [(a, b) for a, b in pairs if a is not None and b is not None]
    members = [(a, b) for a, b in both if isinstance(a, Member) and isinstance(b, Member)]

    def count(of: list[tuple[int, int]], what: str) -> Held:
        return Held(what, sum(a for a, _ in of), sum(b for _, b in of), len(of))

    def section(model: Model, m: Member) -> int:
        own = model.sections.get(m.section)
        return int(own is not None and own.usable)

    def stiff(model: Model, name: str) -> int:
        own = model.materials.get(name)
        return int(own is not None and own.E is not None)

    def dense(model: Model, name: str) -> int:
        own = model.materials.get(name)
        return int(own is not None and bool(own.density))

    def released(m: Member) -> int:
        return int(m.release_start.any) + int(m.release_end.any)

    supports = [
        sum(n.support.any for n in x.nodes.values()) + sum(bool(s.supports) for s in x.surfaces.values())
        for x in (base, revised)
    ]
    loads = [sum(c.count + any(c.self_weight) for c in x.cases.values()) for x in (base, revised)]
    return [
        count([(section(base, a), section(revised, b)) for a, b in members], "members with a section"),
        count(
            [(stiff(base, a.material), stiff(revised, b.material)) for a, b in both], "parts with stiffness"
        ),
        count([(dense(base, a.material), dense(revised, b.material)) for a, b in both], "parts with density"),
        count([(released(a), released(b)) for a, b in members], "released ends"),
        Held("supports", supports[0], supports[1], 0),
        Held("load cases", len(base.cases), len(revised.cases), 0),
        Held("loads", loads[0], loads[1], 0),
        Held("combinations", len(base.combinations), len(revised.combinations), 0),
        Held("groups", len(base.groups), len(revised.groups), 0),
    ]


def route_finding(base: Model, revised: Model, rows: Sequence[MemberMatch]) -> Finding | None:
    """Return what one of the two lacks that the other has, where nearly all parts lie in their places and
    they came by different ways (another schema, kind or format); None where they did not, or lack nothing."""
    if _way(base) == _way(revised):
        return None
    known = [m for m in rows if m.baseline_id and m.revised_id]
    if len(known) < FEWEST or len(known) < ALIKE * max(len(rows), 1):
        return None
    held = [h for h in held_by_both(base, revised, rows) if h.missing > LOST]
    if not held:
        return None
    parts = []
    for side, other in (("baseline", "revision"), ("revision", "baseline")):
        own = [
            f"{mine} {h.what} ({theirs} in the {other})"
            for h in held
            for mine, theirs in [(h.baseline, h.revised) if side == "baseline" else (h.revised, h.baseline)]
            if mine < theirs
        ]
        if own:
            parts.append(f"the {side} has {', '.join(own)}")
    text = (
        f"Two exports of one building by two ways ({_way(base)}; {_way(revised)}), with {len(known)} of {len(rows)} parts in their places. "
        f"Lost on the way: {'; '.join(parts)}."
    )
    return Finding("match.routes", "warning", text, (), None, ("Accept, because…",))


def _way(model: Model) -> str:
    return f"{model.kind} {model.schema}".strip()
