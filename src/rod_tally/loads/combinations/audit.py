"""Combinations that a source brings, held against those that a rule set makes of its cases."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

from ...model import Combination

NEAR = 1e-3  # factors nearer than this are one: sources round them
Key = tuple[tuple[str, int, bool], ...]


@dataclass(slots=True)
class AuditRow:
    """`status`: match; factors (a rule's combination has the same cases with other factors); extra (no rule
    combines these cases); missing (the rules' own, which the source lacks). `twin` is the rules' combination
    for a source's one."""

    status: str
    name: str
    kind: str
    twin: str = ""
    words: str = ""


@dataclass(slots=True)
class Audit:
    rows: list[AuditRow] = field(default_factory=list)
    unused: list[str] = field(default_factory=list)  # cases that no combination of the source holds

    def count(self, status: str) -> int:
        """How many rows have a status."""
        return sum(r.status == status for r in self.rows)


def audit(own: Iterable[Combination], rules: Iterable[Combination], cases: Iterable[str]) -> Audit:
    """Every combination of either side once, the source's first. Kinds are not compared: sources name them as
    they like."""
    own, rules = list(own), list(rules)
    by_key: dict[Key, Combination] = {}
    by_cases: dict[frozenset[str], list[Combination]] = {}
    for c in rules:
        by_key.setdefault(_key(c), c)
        by_cases.setdefault(_cases(c), []).append(c)
    out = Audit()
    met: set[Key] = set()
    for c in own:
        key = _key(c)
        same = by_key.get(key)
        if same is not None:
            met.add(key)
            out.rows.append(AuditRow("match", c.name, c.kind, same.name))
            continue
        near = min(by_cases.get(_cases(c), []), key=lambda r: _off(c, r), default=None)
        if near is None:
            out.rows.append(AuditRow("extra", c.name, c.kind, "", "no rule combines these cases"))
            continue
        differs = [
            f"{v:g} {n} instead of {near.factors.get(n, 0.0):g}"
            for n, v in c.factors.items()
            if abs(v - near.factors.get(n, 0.0)) > NEAR
        ]
        if set(c.roots) != set(near.roots):
            differs.append(
                "summed, not as the root of squares" if near.roots else "as the root of squares, not summed"
            )
        out.rows.append(AuditRow("factors", c.name, c.kind, near.name, "; ".join(differs)))
    out.rows += [AuditRow("missing", c.name, c.kind, "", _text(c)) for k, c in by_key.items() if k not in met]
    held = {n for c in own for n, v in c.factors.items() if v}
    out.unused = [n for n in cases if n not in held]
    return out


def _key(c: Combination) -> Key:
    return tuple(sorted((n, round(v / NEAR), n in c.roots) for n, v in c.factors.items() if abs(v) > NEAR))


def _cases(c: Combination) -> frozenset[str]:
    return frozenset(n for n, v in c.factors.items() if abs(v) > NEAR)


def _off(a: Combination, b: Combination) -> float:
    return sum(abs(v - b.factors.get(n, 0.0)) for n, v in a.factors.items())


def _text(c: Combination) -> str:
    return " + ".join(f"{v:g} {n}" for n, v in c.factors.items()).replace("+ -", "- ")
