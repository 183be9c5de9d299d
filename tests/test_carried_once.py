"""Every kind of correction goes to a revision whose source is as it was, and is not made twice on one whose
source took it up."""

from __future__ import annotations

from collections.abc import Callable
from copy import deepcopy
from dataclasses import replace

import numpy as np
import pytest

from rod_tally.compare import compare
from rod_tally.compare.carrying.carry import THERE, CarriedOver, carry_over
from rod_tally.compare.results import Side
from rod_tally.model import (
    PINNED,
    PINNED_END,
    AreaLoad,
    LoadCase,
    MemberLoad,
    Model,
    NodeLoad,
    Settings,
    SpaceLoad,
    Support,
)
from rod_tally.model.edits import (
    AddCases,
    AddGrids,
    AddLoads,
    AddMembers,
    AddOpenings,
    AddSurfaces,
    CloseOpening,
    DeleteCases,
    DeleteMembers,
    MergeMembers,
    MoveNodes,
    OwnMaterial,
    RemoveLoads,
    ReverseMembers,
    ScaleCase,
    SetBedding,
    SetBedZones,
    SetCase,
    SetEdgeSupport,
    SetGroundLifting,
    SetLimit,
    SetMemberBed,
    SetOffset,
    SetOneWay,
    SetRelease,
    SetSection,
    SetSupport,
    SetThickness,
    SplitMember,
    TaperMembers,
    TellLoad,
    TurnMembers,
    TurnSurfaces,
    load_values,
)
from rod_tally.model.edits.base import Edit
from rod_tally.model.edits.edge_supports import edges_of
from rod_tally.model.edits.load_values import LISTS
from rod_tally.transfer import transfer

from .test_panels import room

Q = (0.0, 1e3, -4e3)


def source() -> Model:
    """A room with a column through its slab, with loads that its source brings."""
    m = transfer(room(), Settings().transfer)
    joist, low = named(m, "joist"), named(m, "low")
    case = LoadCase("Q", "live", category="B")
    case.member_loads = [
        MemberLoad(joist, 0.5, 2.0, Q, Q),
        MemberLoad(low, 1.0, 1.0, (2e3, 0, 0), (2e3, 0, 0)),
    ]
    case.node_loads = [NodeLoad(m.members[low].start, (1e3, 0.0, 0.0), (0.0, 5e2, 0.0))]
    case.area_loads = [AreaLoad(named(m, "floor"), ((0.0, 0.0, -3e3),))]
    line = np.array([(1, 1, 3.1), (4, 1, 3.1)], float)
    case.space_loads = [SpaceLoad(line, (0, 0, -1e3), (0, 0, -1e3), named(m, "floor"))]
    m.cases = {
        "Q": case,
        "R": LoadCase("R", "live", node_loads=[NodeLoad(m.members[low].end, (0, 0, -9e3), (0, 0, 0))]),
    }
    return m


def named(m: Model, name: str) -> str:
    return next(p.id for p in m.parts() if p.name == name)


def exported(m: Model, again: bool) -> Model:
    """As a source brings it: no corrections, all loads its own; `again`: under new identities, in another
    order."""
    out = deepcopy(m)
    out.corrections, out.removed_members, out.removed_surfaces = [], {}, {}
    for case in out.cases.values():
        for where, _ in LISTS.values():
            loads = [replace(x, by="source") if hasattr(x, "by") else x for x in getattr(case, where)]
            setattr(case, where, loads[::-1] if again else loads)
    for member in out.members.values():
        if member.moved_by is not None:
            member.source_line, member.moved_by = member.drawn, None
    return out


def up(m: Model) -> list[str]:
    """The node at the column's head, that the joist does not touch."""
    member = m.members[named(m, "high")]
    a, b = m.line(member)
    return [member.end if b[2] > a[2] else member.start]


EDITS: dict[str, Callable[[Model], list[Edit]]] = {
    "loads": lambda m: [
        AddLoads(
            "Q",
            [
                load_values(MemberLoad(named(m, "joist"), 0.2, 1.0, Q, Q)),
                load_values(NodeLoad(up(m)[0], Q, (0, 0, 0))),
            ],
        )
    ],
    "case": lambda m: [
        AddCases(
            [
                {
                    "name": "S",
                    "kind": "snow",
                    "loads": [load_values(AreaLoad(named(m, "floor"), ((0, 0, -1e3),)))],
                }
            ]
        )
    ],
    "factor": lambda m: [ScaleCase("Q", 1 / 1.5)],
    "sign": lambda m: [ScaleCase("Q", -1.0)],
    "loads, then a factor": lambda m: [
        AddLoads("Q", [load_values(NodeLoad(up(m)[0], Q, (0, 0, 0)))]),
        ScaleCase("Q", 0.5),
    ],
    "two factors": lambda m: [ScaleCase("Q", 0.5), ScaleCase("Q", 3.0)],
    "removed": lambda m: [RemoveLoads("Q", [["member", 1], ["area", 0]])],
    "taker": lambda m: [TellLoad("Q", 0, "")],
    "no case": lambda m: [DeleteCases(["R"])],
    "renamed": lambda m: [SetCase("R", "Roof", "snow")],
    "support": lambda m: [SetSupport(up(m), PINNED)],
    "roller": lambda m: [SetSupport(up(m), Support.of("uy uz=3e6"))],
    "edges": lambda m: [
        SetEdgeSupport(
            [
                {"surface": named(m, "floor"), "line": e.tolist()}
                for e in edges_of(m.surfaces[named(m, "floor")])[:2]
            ],
            Support.of("uz=2e7"),
        )
    ],
    "ground that pushes": lambda m: [
        SetBedding([named(m, "floor")], 2e7),
        SetGroundLifting([named(m, "floor")]),
    ],
    "a pressure at most": lambda m: [
        SetBedding([named(m, "floor")], 2e7),
        SetGroundLifting([named(m, "floor")]),
        SetLimit([named(m, "floor")], 2e5, True),
    ],
    "a zone of the ground": lambda m: [
        SetBedding([named(m, "floor")], 2e7),
        SetBedZones([{"surface": named(m, "floor"), "outline": _within(m, 0.2), "modulus": 1e7}]),
    ],
    "a force at most": lambda m: [
        SetOneWay([named(m, "joist")], "tension"),
        SetLimit([named(m, "joist")], 2e5),
    ],
    "ground under a member": lambda m: [SetMemberBed([named(m, "joist")], 2e7, 0.4)],
    "edge": lambda m: [
        SetEdgeSupport(
            [{"surface": named(m, "floor"), "line": edges_of(m.surfaces[named(m, "floor")])[0].tolist()}],
            PINNED,
        )
    ],
    "release": lambda m: [SetRelease([named(m, "joist")], True, PINNED_END)],
    "section": lambda m: [SetSection([named(m, "joist")], "IPE 240")],
    "material": lambda m: [
        OwnMaterial([named(m, "joist"), named(m, "floor")], "mine", "timber", {"E": 11e9, "density": 420.0})
    ],
    "taper": lambda m: [
        SetSection([named(m, "joist")], "IPE 240"),
        TaperMembers([named(m, "joist")], "IPE 400"),
    ],
    "thickness": lambda m: [SetThickness([named(m, "floor")], 0.3)],
    "moved": lambda m: [MoveNodes(up(m), [0.0, 0.4, 0.1])],
    "moved a little": lambda m: [MoveNodes(up(m), [0.01, 0.0, 0.0])],
    "end for end": lambda m: [ReverseMembers([named(m, "joist"), named(m, "high")])],
    "offset": lambda m: [SetOffset([named(m, "joist")], True, [0.0, 0.1, -0.2])],
    "turned": lambda m: [TurnMembers([named(m, "high")], 90.0)],
    "other side": lambda m: [TurnSurfaces([named(m, "floor")], flip=True)],
    "deleted": lambda m: [DeleteMembers([named(m, "high")])],
    "added": lambda m: [
        AddMembers(
            [
                {
                    "start": [1.0, 1.0, 3.1],
                    "end": [1.0, 1.0, 5.0],
                    "section": m.members[named(m, "high")].section,
                    "material": m.members[named(m, "high")].material,
                }
            ]
        )
    ],
    "slab": lambda m: [
        AddSurfaces(
            [
                {
                    "outline": [[9, 9, 3], [12, 9, 3], [12, 11, 3], [9, 11, 3]],
                    "thickness": 0.2,
                    "name": "Landing",
                    "material": m.surfaces[named(m, "floor")].material,
                    "openings": [[[9.5, 9.5, 3], [10, 9.5, 3], [10, 10, 3]]],
                }
            ]
        )
    ],
    "grids": lambda m: [
        AddGrids(
            [
                {"name": "A", "points": [[0, 0], [0, 9]], "family": "u"},
                {"name": "1", "points": [[0, 0], [9, 0]], "family": "v"},
            ]
        )
    ],
    "opening": lambda m: [AddOpenings([{"surface": named(m, "floor"), "outline": _within(m, 0.2)}])],
    "opening, closed": lambda m: [
        AddOpenings([{"surface": named(m, "floor"), "outline": _within(m, 0.2)}]),
        AddOpenings([{"surface": named(m, "floor"), "outline": _within(m, 0.6)}]),
        CloseOpening(named(m, "floor"), _within(m, 0.6)[0]),
    ],
    "split": lambda m: [SplitMember(named(m, "high"), 1.2)],
    "split, a half deleted": lambda m: [SplitMember(named(m, "high"), 1.2), DeleteMembers([_other_half(m)])],
    "split, the first half deleted": lambda m: [
        SplitMember(named(m, "high"), 1.2),
        DeleteMembers([named(m, "high")]),
    ],
    "split, a half moved": lambda m: [SplitMember(named(m, "high"), 1.2), MoveNodes(up(m), [0.0, 0.6, 0.2])],
    "split, a half of another section": lambda m: [
        SplitMember(named(m, "high"), 1.2),
        SetSection([_other_half(m)], "HE 300 B"),
    ],
    "split twice, a third deleted": lambda m: [
        SplitMember(named(m, "high"), 1.2),
        SplitMember(named(m, "high"), 0.6),
        DeleteMembers([_other_half(m) + "+"]),
    ],
    "split and merged": lambda m: [
        SplitMember(named(m, "high"), 1.2),
        MergeMembers([named(m, "high"), _other_half(m)]),
    ],
}


def _within(m: Model, at: float) -> list[list[float]]:
    """A small rectangle in the floor, at a share of its sides."""
    s = m.surfaces[named(m, "floor")]
    flat = s.flat(s.outer)
    low, size = flat.min(axis=0), np.ptp(flat, axis=0)
    return s.lifted(
        low + size * np.array([(at, at), (at + 0.1, at), (at + 0.1, at + 0.1), (at, at + 0.1)])
    ).tolist()


def _other_half(m: Model) -> str:
    """Of the split column, by the name that splitting gives."""
    twin = deepcopy(m)
    before = set(twin.members)
    SplitMember(named(twin, "high"), 1.2).apply(twin)
    return next(iter(set(twin.members) - before))


def differences(base: Model, revised: Model) -> list[object]:
    found = compare(Side(base), Side(revised))
    rows: list[object] = [r for r in (*found.parts, *found.supports, *found.cases) if r.status != "same"]
    return rows + list(found.loads)


def corrected(kind: str) -> Model:
    base = source()
    for edit in EDITS[kind](base):
        edit.apply(base)
    return base


def totals(m: Model) -> dict[str, int]:
    return {n: c.count for n, c in m.cases.items()}


@pytest.mark.parametrize("again", [False, True])
@pytest.mark.parametrize("kind", EDITS)
def test_a_source_that_is_as_it_was_is_corrected_again(kind: str, again: bool) -> None:
    base = corrected(kind)
    revised = exported(source(), again)
    over = carry_over(base, revised)
    needed = ("carried", "moved", "there") if kind == "split and merged" else ("carried", "moved")
    assert over.lines and all(x.status in needed for x in over.lines), over.lines
    assert not differences(base, revised)
    assert totals(revised) == totals(base) and len(revised.members) == len(base.members)


@pytest.mark.parametrize("again", [False, True])
@pytest.mark.parametrize("kind", EDITS)
def test_a_source_that_took_it_up_stays_as_it_is(kind: str, again: bool) -> None:
    base = corrected(kind)
    revised = exported(base, again)
    assert not differences(base, revised)
    over = carry_over(base, revised)
    assert all(x.status in ("carried", "moved", "there") for x in over.lines), over.lines
    assert not differences(base, revised), over.lines
    assert totals(revised) == totals(base) and len(revised.members) == len(base.members)


@pytest.mark.parametrize(
    "kinds",
    [
        ("loads", "end for end"),
        ("end for end", "release", "other side"),
        ("loads", "moved"),
        ("two factors", "loads, then a factor"),
        ("loads", "section", "end for end", "loads, then a factor"),
        ("split and merged", "renamed", "moved", "support"),
        ("added", "deleted", "removed", "sign"),
        ("turned", "end for end", "release", "case"),
    ],
)
def test_several_one_after_the_other(kinds: tuple[str, ...]) -> None:
    """Places along members and their ends are those of when each was made: later corrections turn, move and
    cut them."""
    base = source()
    for kind in kinds:
        for edit in EDITS[kind](base):
            edit.apply(base)
    for revised in (exported(source(), True), exported(base, True)):
        over = carry_over(base, revised)
        assert not differences(base, revised), over.lines
        assert totals(revised) == totals(base) and len(revised.members) == len(base.members)


def test_what_was_not_needed_is_said() -> None:
    over: CarriedOver = carry_over(base := corrected("factor"), exported(base, False))
    assert [(x.status, x.words) for x in over.lines] == [("there", THERE)]
    finding = over.finding
    assert finding is not None and finding.severity == "note"
    assert (
        "1 were not needed, as the revision's source has them (a load case times a factor" in finding.message
    )
