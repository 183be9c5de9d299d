"""Parts of the source not taken over, and parts moved on the way."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterator

import numpy as np

from ...model import Finding, Skipped
from ...transfer.choose import NOT_BEARING
from ..registry import Subject, check, listed, mm, point

ECCENTRIC = 0.05  # m; less of an eccentricity is not missed
TAKE_IN = "Take them in as well"
FRAMING = ("beam", "column", "brace", "member")
# what a model is wrong without, so that leaving it out is a warning and is reported one by one
NEEDED = (
    *FRAMING,
    "slab",
    "wall",
    "plate",
    "roof",
    "surface",
    "footing",
    "node",
    "support",
    "opening",
    "line",
    "action",
)


@check("source.unread")
def find_unread(s: Subject) -> Iterator[Finding]:
    """Yield what a model is wrong without one by one, with its reason; what was left out on purpose by
    class and reason."""
    groups: dict[tuple[str, str], list[Skipped]] = defaultdict(list)
    for skipped in s.model.skipped:
        if skipped.reason.startswith("deleted"):
            continue  # the reviewer's own doing
        if skipped.cls in NEEDED and not skipped.by_choice and not skipped.reason.startswith("it is a"):
            yield Finding(
                "source.unread",
                "blocking" if skipped.blocking else "warning",
                _unread_words(skipped),
                (skipped.id,),
                None,
                ("Accept, because…",),
            )
        else:
            groups[skipped.cls, skipped.reason].append(skipped)
    yield from _left_out(s)
    for (cls, reason), items in sorted(groups.items()):
        one = len(items) == 1
        what = f"{cls} {items[0].name or items[0].id} was" if one else f"{len(items)} of class {cls} were"
        yield Finding(
            "source.unread",
            "note",
            f"{what[0].upper()}{what[1:]} not transferred: {reason}.",
            tuple(sorted(i.id for i in items)),
            None,
            (TAKE_IN, "Accept, because…") if reason == NOT_BEARING else (),
        )


def _left_out(s: Subject) -> Iterator[Finding]:
    """Yield what the log says was left out and no element of the source stands for: a connection, a
    relation, a value."""
    told = {k.id for k in s.model.skipped}
    lines = " ".join(k.name for k in s.model.skipped if k.cls == "line")
    for entry in s.model.log:
        if entry.kind != "skipped" or not entry.ids or told.issuperset(entry.ids):
            continue
        if any(re.search(rf"{re.escape(i)}\b", lines) for i in entry.ids if i.startswith("#")):
            continue  # its line is reported as one that cannot be read
        words = f"{entry.message[0].upper()}{entry.message[1:]}."
        ids = tuple(i for i in entry.ids if not i.startswith("#"))
        yield Finding("source.unread", "warning", words, ids, None, ("Accept, because…",))


def _unread_words(skipped: Skipped) -> str:
    name = f"{skipped.ifc_class or skipped.cls} {skipped.name or skipped.id}".strip()
    if skipped.cls == "line":
        return f"{skipped.reason[0].upper()}{skipped.reason[1:]}; {name} is not read, or not whole."
    if skipped.cls == "action":
        return f"{skipped.reason[0].upper()}{skipped.reason[1:]}; {name} was not transferred."
    return f"{name} was not transferred: {skipped.reason}."


@check("source.results", looks_at=())
def find_results(s: Subject) -> Iterator[Finding]:
    """Yield what results the source brings, and whether they are of the model that it holds."""
    for entry in s.model.log:
        if entry.kind in ("results", "other results"):
            own = entry.kind == "results"
            yield Finding(
                "source.results",
                "note" if own else "warning",
                f"{entry.message[0].upper()}{entry.message[1:]}. The results here are computed anew.",
                (),
                None,
                () if own else ("Accept, because…",),
            )


@check("source.surfaces", looks_at=("geometry", "materials", "loads", "supports"))
def find_surfaces(s: Subject) -> Iterator[Finding]:
    """Surfaces that hand their loads on have no stiffness in a run: what that leaves out is said, in
    numbers."""
    idle = [x for x in s.model.surfaces.values() if x.id not in s.computed]
    if not idle:
        return
    count: dict[str, int] = defaultdict(int)
    for surface in idle:
        count[surface.cls] += 1
    hang = sorted(i for part, held in s.held_components if not held for i in part)
    whole = {i for part, held in s.whole_parts if held for i in part}
    hang = [i for i in hang if i in whole]
    words = listed([f"{n} {cls}{'s' if n != 1 else ''}" for cls, n in sorted(count.items())])
    weight = sum(s.model.surface_weight(x) for x in idle)
    own = [n for n, c in s.model.cases.items() if any(c.self_weight)]
    ids = {x.id for x in idle}
    held = s.distribution.case(own[0]).held if own else []
    stays = abs(sum(float(h.force[2]) for h in held if h.surface in ids))
    yield Finding(
        "source.surfaces",
        "note",
        f"{words} hand their loads on to beams, columns and walls; their own stiffness takes no part in a run. Of their "
        f"weight of {weight / 1000:.4g} kN, {stays / 1000:.4g} kN stays on walls and slabs on the ground, which are not "
        "computed" + (f"; {len(hang)} members that only surfaces hold are not either." if hang else "."),
        tuple(sorted(ids)),
        None,
        (),
        {"weight": weight, "stays": stays},
    )


def _linked(s: Subject, limit: float) -> Iterator[Finding]:
    """Ends of analytical members that stay where they are, tied by a rigid link to the point they are
    connected to."""
    for entry in s.model.log:
        if s.model.physical or entry.kind != "joined" or entry.distance <= limit:
            continue
        m = s.model.members.get(entry.ids[0])
        if m is not None and max(np.linalg.norm(m.offset_start), np.linalg.norm(m.offset_end)) > limit:
            yield Finding(
                "source.moved",
                "warning" if entry.distance > s.model.search else "note",
                f"{entry.message[0].upper()}{entry.message[1:]}.",
                entry.ids,
                point(np.array(entry.at)) if entry.at else None,
                ("Accept, because…",),
                {"distance": entry.distance},
            )


@check("source.moved", looks_at=("geometry",))
def find_moved(s: Subject) -> Iterator[Finding]:
    """Ends that transfer moved: each one for an analytical source; for a physical one those moved across
    their own line, gathered by what met what (an end taken along its own line to the axis it meets is the
    ordinary case)."""
    limit = s.settings.transfer.report_move
    yield from _linked(s, limit)
    groups: dict[tuple[str, str], list[tuple[float, str, int]]] = defaultdict(list)
    members = list(s.model.members.items())
    known = np.array([m.source_line is not None for _, m in members], bool)
    lines = s.model.lines()
    lines[known] -= np.concatenate(
        [m.source_line for _, m in members if m.source_line is not None] or [np.zeros((0, 3))]
    ).reshape(-1, 2, 3)
    lines[~known] = 0.0
    if s.model.physical:  # along its own line an end may go as far as it must
        own = s.rods.axes[:, 0][:, None]
        lines -= np.einsum("nki,nki->nk", lines, np.broadcast_to(own, lines.shape))[:, :, None] * own
    far = np.linalg.norm(lines, axis=2)
    at, every = s.members_at, s.model.members
    for k, which in np.argwhere(far > limit).tolist():
        ident, m = members[k]
        assert m.source_line is not None
        distance, node = float(far[k, which]), m.end if which else m.start
        if s.model.physical:
            met = {every[i].cls for i in at[node] if i != ident}
            groups[m.cls, listed(sorted(met))].append((distance, ident, which))
            continue
        yield Finding(
            "source.moved",
            "note",
            f"The {'end' if which else 'start'} of the {s.name(ident)} was moved by {mm(distance)} to node {node}.",
            (ident,),
            point(m.source_line[which]),
            ("Accept, because…",),
            {"distance": distance},
        )
    with_slab = {
        j.other: x.plain_axes[2]
        for x in s.model.surfaces.values()
        if x.way == "shell" and not x.upright
        for j in x.joints
        if j.kind == "member"
    }
    number = {ident: k for k, (ident, _) in enumerate(members)}
    for (cls, others), moved in sorted(groups.items()):
        far, ident, which = max(moved)
        off = [(abs(float(lines[number[i], e] @ with_slab[i])), i) for _, i, e in moved if i in with_slab]
        composite = sorted(x for x in off if x[0] > ECCENTRIC)  # towards the slab; along it nothing is lost
        lost = (
            f" Of {len({i for _, i in composite})} that lie under a slab computed with them the eccentricity is lost, up to "
            f"{mm(composite[-1][0])}: they bend by themselves, not with the slab as a flange."
            if composite
            else ""
        )
        ends = "1 end of a" if len(moved) == 1 else f"{len(moved)} ends of"
        line0 = s.model.members[ident].source_line
        assert line0 is not None
        yield Finding(
            "source.moved",
            "warning" if lost else "note",
            f"{ends} {cls}{'' if len(moved) == 1 else 's'} brought across their own line onto the {others} they meet, "
            f"by up to {mm(far)} ({s.name(ident)}).{lost}",
            tuple(sorted({i for _, i, _ in moved})),
            point(line0[which]),
            ("Accept, because…",),
            {"distance": far},
        )
