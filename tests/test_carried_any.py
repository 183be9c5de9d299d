"""Random corrections on random revisions: what was meant is there once, or a line says why not."""

from __future__ import annotations

import contextlib
from collections import Counter
from typing import Any

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from rod_tally.compare.carrying.carry import PLACED, carry_over
from rod_tally.intake import SourceModel
from rod_tally.loads import Distribution
from rod_tally.loads.totals import case_total
from rod_tally.model import PINNED_END, LoadCase, MemberLoad, Model
from rod_tally.model.edits import (
    AddLoads,
    AddMembers,
    DeleteMembers,
    Edit,
    EditError,
    ScaleCase,
    SetLimit,
    SetOneWay,
    SetRelease,
    SetSupport,
    SetThickness,
    TurnMembers,
    load_values,
)
from rod_tally.model.entities.structure import Support
from rod_tally.model.geometry.directions import turn
from rod_tally.model.geometry.vectors import Array

from .physical_models import add, model
from .test_carried_by_meaning import STILL
from .test_carried_by_meaning import building as frame_on_raft
from .test_floors_hold import moved_surfaces

MIRROR = np.diag([-1.0, 1.0, 1.0])
BEAMS, COLUMNS = ("B0", "B1", "B2", "B3"), ("K0", "K1", "K2", "K3")
TOLD = ("gone", "partly", "asked", "kept")
Spec = tuple[str, str, int]  # kind of correction, name of its part, a choice

SPECS = st.one_of(
    st.tuples(st.sampled_from(["release", "load", "delete"]), st.sampled_from(BEAMS), st.integers(0, 1)),
    st.tuples(st.sampled_from(["support", "turn"]), st.sampled_from(COLUMNS), st.integers(0, 1)),
    st.tuples(st.sampled_from(["one way", "limit"]), st.just("D"), st.integers(0, 1)),
    st.tuples(st.just("thickness"), st.just("raft"), st.integers(0, 1)),
    st.tuples(st.just("factor"), st.just("Q"), st.integers(0, 1)),
    st.tuples(st.just("brace"), st.sampled_from(BEAMS), st.integers(0, 1)),
)
CHANGES = st.fixed_dictionaries(
    {
        "identities": st.booleans(),
        "exchanged": st.none() | st.tuples(st.sampled_from(BEAMS), st.sampled_from([*BEAMS, "D"])),
        "turned": st.sampled_from([0.0, 90.0, 180.0, 37.0]),
        "mirrored": st.booleans(),
        "shifted": st.booleans(),
        "backwards": st.none() | st.sampled_from(BEAMS),
        "gone": st.none() | st.sampled_from([*BEAMS, "D"]),
        "order": st.booleans(),
        "took up": st.sets(st.integers(0, 3), max_size=2),
    }
)


def ident(m: Model, name: str) -> str:
    found = [p.id for p in m.parts() if p.name == name]
    if not found:
        raise EditError(f"{name} is not there")
    return found[0]


def building() -> SourceModel:
    """The frame with an annex beside it, so that it is no mirror image of its own."""
    s = frame_on_raft()
    for k, (x, y) in enumerate(((12, 2), (3, 10))):
        add(s, "column", f"A{k}", (x, y, 0), (x, y, 4.0), z=(1, 0, 0))
    add(s, "beam", "AB", (8, 0, 3.8), (12, 2, 3.8))
    return s


def backwards(m: Model, member: str, way: Array) -> bool:
    """Whether a member runs against x, else y, of the building's own axes."""
    d = np.diff(m.line(m.members[member]), axis=0)[0] @ way
    return bool((d[0] if abs(d[0]) > 1e-6 else d[1]) < 0)


FACTORS = (2.0, -1.0)


def made(spec: Spec, m: Model, way: Array = STILL, times: float = 1.0) -> Edit:
    """A correction of a spec on a model: parts by their names, which go with their places. `way` (3, 3)
    brings directions of the building to those of the model; a load is so many `times` as large."""
    kind, name, k = spec
    if kind == "factor":
        return ScaleCase("Q", FACTORS[k])
    if kind == "brace":
        k0 = BEAMS.index(name)  # beams run from column to column, which are never gone
        tops = [max(m.line(m.members[ident(m, f"K{j % 4}")]), key=lambda p: p[2]) for j in (k0, k0 + 1)]
        other = tops[0] + [0.0, 0.0, -2.0]
        points = {"start": other.tolist(), "end": tops[1].tolist()}
        return AddMembers([points | {"section": "S", "material": "M", "cls": "brace", "name": f"new {name}"}])
    own = ident(m, name)
    if kind == "release":
        return SetRelease([own], bool(k) != backwards(m, own, way), PINNED_END)
    if kind == "load":
        at = 2.0
        if backwards(m, own, way):
            at = m.length(m.members[own]) - at
        force = (0.0, 0.0, -3e3 * times)
        return AddLoads("Q", [load_values(MemberLoad(own, at, at, force, force))])
    if kind == "delete":
        return DeleteMembers([own])
    if kind == "support":
        line = m.line(m.members[own])
        top = (m.members[own].start, m.members[own].end)[int(line[1, 2] > line[0, 2])]
        return SetSupport([top], Support.of(("ux uy uz", "uz")[k]))
    if kind == "turn":
        z = way @ np.array([0.6, 0.8, 0.0] if k else [0.0, 1.0, 0.0])
        return TurnMembers([own], 0.0, z.tolist())
    if kind == "one way":
        return SetOneWay([own], ("tension", "compression")[k])
    if kind == "limit":
        return SetLimit([own], (9e4, 5e4)[k])
    return SetThickness([own], (0.6, 0.25)[k])


def state(m: Model, own: Array) -> dict[str, Any]:
    """What corrections can have changed, by names and by places in the building's own axes (columns of
    `own`)."""
    out: dict[str, Any] = {"parts": Counter(p.name for p in m.parts())}
    for x in m.members.values():
        line = (m.line(x) + m.origin) @ own
        ends = [(tuple(np.round(p, 4) + 0.0), str(r)) for p, r in zip(line, (x.release_start, x.release_end))]
        z = np.round(x.axes(m.line(x))[2] @ own, 5) + 0.0
        out[x.name] = (
            frozenset(ends) if x.name else 0,
            tuple(np.abs(z)),
            m.one_way.get(x.id),
            m.limits.get(x.id),
        )
    out |= {s.name: (round(s.thickness, 9),) for s in m.surfaces.values()}
    total = case_total(m, Distribution(m), m.cases["Q"]) if m.cases["Q"].count else np.zeros(6)
    # as the place of a force: a moment that a mirror treats like a vector
    moment = np.cross(np.array([0, 0, 1.0]), total[3:])
    out["Q"] = tuple(np.round([total[2], *(own.T @ moment)[:2]], 2).tolist())
    out["held"] = sorted(
        (
            *(np.round((n.point + m.origin) @ own, 3) + 0.0).tolist(),
            n.support.words if n.support.axes is None else "axes",
        )
        for n in m.nodes.values()
        if n.support.any
    )
    return out


def base() -> Model:
    m = model(building())
    m.sections["S"] = next(iter(m.sections.values()))
    m.materials["M"] = next(iter(m.materials.values()))
    own = ident(m, "B1")
    m.cases["Q"] = LoadCase("Q", "live", member_loads=[MemberLoad(own, 0, 5, (0, 0, -4e3), (0, 0, -4e3))])
    return m


def revision(change: dict[str, Any]) -> tuple[Model, Array]:
    s = building()
    way = turn(np.radians(change["turned"])) @ (MIRROR if change["mirrored"] else STILL)
    if change["gone"]:
        s.elements = [e for e in s.elements if e.name != change["gone"]]
    by_name = {e.name: e for e in s.elements}
    if change["exchanged"] and all(n in by_name for n in change["exchanged"]):
        a, b = (by_name[n] for n in change["exchanged"])
        a.id, b.id = b.id, a.id
    if change["backwards"] in by_name:
        e = by_name[change["backwards"]]
        e.line = e.line[::-1].copy()
    if change["identities"]:
        for x in (*s.elements, *s.surfaces):
            x.id = f"other {x.id}"
    if change["order"]:
        s.elements = s.elements[::-1]
    moved_surfaces(s, way, (12.0, -7.0, 0.5) if change["shifted"] else (0.0, 0.0, 0.0))
    m = model(s)
    m.sections["S"] = next(iter(m.sections.values()))
    m.materials["M"] = next(iter(m.materials.values()))
    m.cases["Q"] = LoadCase("Q", "live")
    if change["gone"] != "B1":
        q = (0.0, 0.0, -4e3)
        m.cases["Q"].member_loads = [MemberLoad(ident(m, "B1"), 0, 5, q, q)]
    return m, way


@settings(max_examples=60, deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow])
@given(st.lists(SPECS, min_size=1, max_size=3, unique_by=lambda s: (s[0], s[1])), CHANGES)
def test_what_was_meant_is_there_once_or_a_line_says_why_not(
    specs: list[Spec], change: dict[str, Any]
) -> None:
    m = base()
    kept: list[Spec] = []
    for spec in specs:
        with contextlib.suppress(EditError):
            made(spec, m).apply(m)
            kept.append(spec)
    new, way = revision(change)
    taken = set()
    for k in sorted(change["took up"]):
        if k < len(kept):
            with contextlib.suppress(EditError):
                made(kept[k], new, way).apply(new)
                taken.add(k)
    # the source brings it: it is no correction there
    new.corrections, new.removed_members, new.removed_surfaces = [], {}, {}
    for member in new.members.values():
        if member.moved_by is not None:
            member.source_line, member.moved_by = member.drawn, None
    expected = new.snapshot()
    missed = []
    for k, spec in enumerate(kept):
        if k in taken:
            continue
        # a load that was multiplied here with its case is, where the source multiplies its own
        later = [FACTORS[kept[j][2]] for j in taken if j > k and kept[j][0] == "factor"]
        try:
            made(spec, expected, way, float(np.prod(later))).apply(expected)
        except EditError:
            # what was to be deleted and is gone is as it was meant
            missed += [spec] if spec[0] != "delete" else []
    over = carry_over(m, new)
    told = [x for x in over.lines if x.status in TOLD or (x.words and x.status != "there")]
    is_, meant = state(new, way), state(expected, way)
    otherwise = {k: (is_.get(k), meant.get(k)) for k in is_ | meant if is_.get(k) != meant.get(k)}
    if otherwise or missed:
        assert told, (otherwise, missed, [(x.what, x.status) for x in over.lines])
    for line in over.lines:
        assert line.status in (*PLACED, *TOLD, "there"), line
