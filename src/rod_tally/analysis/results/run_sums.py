"""Sums of cases of several runs of one model, each of a part of it: what stages of construction leave
behind."""

from __future__ import annotations

from collections.abc import Container, Sequence
from dataclasses import dataclass, field

import numpy as np

from ...model.geometry.vectors import Array
from .results import Results

ALIKE = 6  # decimals of a metre to which places along a member agree


@dataclass(slots=True)
class Term:
    """A case of a run, times a factor."""

    run: str
    results: Results
    case: str
    factor: float


@dataclass(slots=True)
class RunSum:
    """`members`: places (k,) along each in m and forces (k, 6) there, those places that all its runs have;
    `nodes` movements (6,); `supports` forces (6,). A run without a part adds nothing to it; `absent` are the
    runs that each member is not in."""

    words: str
    members: dict[str, tuple[Array, Array]] = field(default_factory=dict)
    nodes: dict[str, Array] = field(default_factory=dict)
    supports: dict[str, Array] = field(default_factory=dict)
    absent: dict[str, list[str]] = field(default_factory=dict)


def add_up(terms: Sequence[Term], named: Container[str]) -> RunSum:
    """The sum, of the nodes that `named` holds. Raises ValueError for cases that cannot be added up, with
    which and why."""
    for t in terms:
        r = t.results
        if t.case not in r.cases or t.case in r.unsettled:
            raise ValueError(f"{t.run} has no results of {t.case}")
        if t.case in r.modal:
            raise ValueError(f"{t.case} of {t.run} is a response to a spectrum: its values have no sign")
        if r.slack.get(t.case) or r.yielded.get(t.case):
            raise ValueError(
                f"one-way parts are slack or give way in {t.case} of {t.run}: it cannot be added to others"
            )
    out = RunSum(" + ".join(f"{t.factor:g} x {t.case} ({t.run})" for t in terms))
    forces = [_forces(t) for t in terms]
    for ident in dict.fromkeys(i for own in forces for i in own):
        having = [own[ident] for own in forces if ident in own]
        places = [p for p in having[0] if all(p in own for own in having[1:])]
        out.members[ident] = (
            np.array([x for x, _ in places]),
            np.array([sum(own[p] for own in having) for p in places]).reshape(-1, 6),
        )
        if len(having) < len(terms):
            out.absent[ident] = [t.run for t, own in zip(terms, forces) if ident not in own]
    for t in terms:
        r, c = t.results, t.results.case_index(t.case)
        for k, node in enumerate(r.node_ids):
            if node in named and r.node_done[c, k]:
                out.nodes[node] = out.nodes.get(node, 0.0) + t.factor * r.displacement[c, k]
        for k, node in enumerate(r.support_ids):
            out.supports[node] = out.supports.get(node, 0.0) + t.factor * r.reaction[c, k]
    return out


def _forces(t: Term) -> dict[str, dict[tuple[float, int], Array]]:
    """Forces of a term by member and place; a place where forces jump is there twice, told apart by the
    second number."""
    r, c = t.results, t.results.case_index(t.case)
    begin = np.searchsorted(r.station_member, np.arange(len(r.member_ids) + 1))
    out: dict[str, dict[tuple[float, int], Array]] = {}
    for k, ident in enumerate(r.member_ids):
        if not r.member_done[c, k]:
            continue
        own: dict[tuple[float, int], Array] = {}
        for i in range(int(begin[k]), int(begin[k + 1])):
            x = round(float(r.station_x[i]), ALIKE)
            own[x, 1 if (x, 0) in own else 0] = t.factor * r.force[c, i]
        out[ident] = own
    return out
