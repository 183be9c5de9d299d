"""Corrections that the revision's source brought itself: a correction that was taken up there is not made a
second time.

A modeller who was told of a load that was multiplied already sends the next revision with the right value:
dividing it again, or adding a load, a part or a movement again, would be wrong without a word."""

from __future__ import annotations

import copy
from collections.abc import Callable, Iterable
from dataclasses import replace

import numpy as np
from shapely.geometry import Point, Polygon

from ...model import Member, Model, Surface
from ...model.edits.adding import same_grid
from ...model.edits.surfaces import same_ring
from ...model.geometry.vectors import Array
from ..changes import drawn_line, drawn_outline
from ..members import MemberMatch, source_lines
from ..places import REACH, Places
from .moving import Mover
from .there_loads import LoadsThere, Record, There

SAME_PLACE = 0.05  # m; a part that lies this near to where a deleted one was is that one
SAME_AREA = 0.02  # share of an opening that may still be solid
MOVED_SHARE = 0.1  # of its size by which a part of one identity may have moved and be the same
CELL = 1.0  # m; more than SAME_PLACE
ALIGNED = 1e-3  # difference of unit vectors up to which axes agree


class Already(LoadsThere):
    """Takes out of a record what need not be done on this revision. `skipped` says whether anything was taken
    out."""

    def __init__(self, base: Model, revised: Model, move: Mover, rows: list[MemberMatch]) -> None:
        super().__init__(base, revised, move)
        self._members = set(revised.members)
        self._whole = ""  # the revision's member that is being split
        self._half = ""
        self._halves: set[str] = set()  # the baseline's ids of second halves
        self._removed = _removed_twins(base, revised, move, rows)
        self._at_base, self._at_revised = _Drawn(base), _Drawn(revised)
        # what takes things out of a record, still in the baseline's ids
        self._before: dict[str, Callable[[Record], Record]] = {
            "SplitMember": self._split,
            "AddMembers": self._add,
            "ReverseMembers": self._reverse,
            "TurnMembers": self._turn,
            "TurnSurfaces": self._flip,
            "MoveNodes": self._move,
            "AddSurfaces": self._add_surfaces,
        }
        # what makes records of the revision itself
        self._instead: dict[str, Callable[[Record], list[Record]]] = {
            "DeleteMembers": self._delete,
            "MergeMembers": self._merge,
            "MapProfile": self._map,
            "MapMaterial": self._map,
            "DeleteCases": self._delete_cases,
            "ScaleCase": self._scale,
            "SetCase": self._set_case,
            "RemoveLoads": self._remove_loads,
            "TellLoad": self._tell,
        }
        # what takes things out of a record that is the revision's already
        self._after: dict[str, Callable[[Record], list[Record]]] = {
            "AddLoads": self._add_loads,
            "AddCases": self._add_cases,
            "AddOpenings": self._add_openings,
            "CloseOpening": self._close_opening,
            "AddGrids": self._add_grids,
        }

    def placed(self, record: Record) -> list[Record]:
        """A record of the baseline as those that are still to be made on the revision. Raises There for none,
        Target where what it is about is not there."""
        kind = str(record.get("edit"))
        record = copy.deepcopy(record)
        self.move.begin(record)
        if kind in self._instead:
            return self._instead[kind](record)
        if kind in self._before:
            record = self._before[kind](record)
        placed = self.move.record(record)
        return self._after[kind](placed) if kind in self._after else [placed]

    def _kept(self, ids: list[str], needed: Callable[[str], bool]) -> list[str]:
        """Those of the baseline's ids for which something is to be done. Raises There for none."""
        kept = [i for i in ids if i not in self.move.part or needed(i)]
        self.skipped |= len(kept) < len(ids)
        if ids and not kept:
            raise There
        return kept

    def _delete(self, record: Record) -> list[Record]:
        ids = record["values"]["members"]
        there: list[str] = []
        for ident in ids:
            twin = self._removed.get(ident) or self.move.part.get(ident)
            if twin is None:
                if self.revised.part(ident) is not None and ident not in self.base.members:
                    name = self.move._name(ident)
                    self.move.lost.append(f"another part has the identity of {name} now: it is kept")
                    self.move.lost_ids.append(ident)
                continue
            if not self._one_too_many(ident, twin):
                continue  # of two in one place the source has taken out the other
            there.append(twin)
        self.skipped |= len(there) < len(ids)
        if not there and self.move.lost:
            return []
        if not there:
            raise There
        record["values"]["members"] = there
        return [record]

    def _one_too_many(self, gone: str, twin: str) -> bool:
        """Return whether the revision still has more parts where a deleted one was than the baseline has
        without it."""
        own = self.base.removed_members.get(gone) or self.base.removed_surfaces.get(gone)
        place = _drawn(self.base, own) if own is not None else None
        if own is None or place is None:
            return True
        place = self.move.places.forward(place)

        kept = self._at_base.alike(np.asarray(_drawn(self.base, own)), own.cls)
        now = self._at_revised.alike(place, own.cls)
        return now > kept if kept else True

    def _merge(self, record: Record) -> list[Record]:
        """The revision's own pieces of what is one here, those that a split carried over has just made among
        them."""
        out: list[str] = []
        for ident in record["values"]["members"]:
            twin = self.move.part.get(ident)
            if twin is None:
                continue
            out += self.move.pieces.get(ident, [twin])
            if twin in self.revised.members:
                ends = {self.revised.members[twin].start, self.revised.members[twin].end}
                new = [m for i, m in self.revised.members.items() if i not in self._members]
                out += [
                    m.id
                    for m in new
                    if ends & {m.start, m.end} and m.section == self.revised.members[twin].section
                ]
        record["values"]["members"] = list(dict.fromkeys(out))
        if len(record["values"]["members"]) < 2:
            raise There
        return [record]

    def _split(self, record: Record) -> Record:
        own = str(record["values"]["member_id"])
        self._half = f"{own}+"  # as splitting names it
        while self._half in self._halves:
            self._half += "+"
        self._halves.add(self._half)
        if own in self.move.part and own not in self.move.merged and own in self.base.members:
            now = self.revised.length(self.revised.members[self.move.part[own]])
            before = self.move.lines.get(own)
            whole = np.inf if before is None else float(np.linalg.norm(before[1] - before[0]))
            if abs(now - self.base.length(self.base.members[own])) <= abs(now - whole):
                raise There
        self._whole = self._running(own)
        if self._whole:
            self.move.part[own] = self._whole
        elif own not in self.move.part and self._half in self.move.part:
            raise There  # of the whole only the second half is left, here and there
        return record

    def _running(self, own: str) -> str:
        """The member of the revision that runs where one of the baseline did when it was split; "" for none.
        Later corrections of the baseline may have moved or deleted either half, so that it is paired with
        nothing, or the other half with all of it."""
        if own not in self.move.lines:
            return ""
        place = self.move.places.forward(self.move.lines[own])
        twin = self.move.part.get(own, "")
        for ident in [twin] * (twin in self.revised.members) + list(self.revised.members):
            line = self.revised.line(self.revised.members[ident]) + self.revised.origin
            if min(_off(place, line), _off(place, line[::-1])) <= SAME_PLACE:
                return ident
        return ""

    def made(self, record: Record, before: set[str]) -> None:
        """After a record was made on the revision, which had the members `before`: what is new, and which
        half of a split member is which."""
        self._at_revised.add(self.revised.log[-1].ids)
        own = str(record.get("values", {}).get("member_id", ""))
        if record.get("edit") != "SplitMember":
            return
        new = [i for i in self.revised.members if i not in before]
        if self._whole and len(new) == 1:
            pair = (self._whole, new[0])
            line = self.revised.line(self.revised.members[self._whole])
            back = (self.move.places.forward(self.move.lines[own]) @ (line[1] - line[0]) * [-1, 1]).sum() < 0
            self.move.part[own], self.move.part[self._half] = pair[::-1] if back else pair

    def _add(self, record: Record) -> Record:
        parts = []
        lines = [(i, self.base.line(m)) for i, m in self.base.members.items() if m.source_line is None]
        for part in record["values"]["parts"]:
            line = np.array([part["start"], part["end"]], float)
            same = [i for i, own in lines if min(_off(own, line), _off(own[::-1], line)) <= SAME_PLACE]
            if not any(i in self.move.part for i in same):
                parts.append(part)
        self.skipped |= len(parts) < len(record["values"]["parts"])
        if not parts:
            raise There
        record["values"]["parts"] = parts
        return record

    def _add_surfaces(self, record: Record) -> Record:
        parts = []
        added = [s for s in self.base.surfaces.values() if s.source_outer is None]
        for part in record["values"]["parts"]:
            outline = np.array(part["outline"], float)
            if not any(s.id in self.move.part and same_ring(s.outer, outline) for s in added):
                parts.append(part)
        self.skipped |= len(parts) < len(record["values"]["parts"])
        if not parts:
            raise There
        record["values"]["parts"] = parts
        return record

    def _add_openings(self, record: Record) -> list[Record]:
        """One that lies in an opening of the revision's surface, or where its outline ends, is there
        already."""
        kept = []
        for part in record["values"]["openings"]:
            s = self.revised.surfaces[part["surface"]]
            shape = Polygon(s.flat(np.array(part["outline"], float)))
            if s.polygon.intersection(shape).area > SAME_AREA * shape.area:
                kept.append(part)
        self.skipped |= len(kept) < len(record["values"]["openings"])
        if not kept:
            raise There
        record["values"]["openings"] = kept
        return [record]

    def _add_grids(self, record: Record) -> list[Record]:
        lines = record["values"]["lines"]
        kept = [
            g
            for g in lines
            if not any(same_grid(x, g["name"], np.array(g["points"], float)) for x in self.revised.grids)
        ]
        self.skipped |= len(kept) < len(lines)
        if not kept:
            raise There
        record["values"]["lines"] = kept
        return [record]

    def _close_opening(self, record: Record) -> list[Record]:
        s = self.revised.surfaces[record["values"]["surface_id"]]
        at = Point(s.flat(np.array(record["values"]["at"], float)[None])[0])
        if not any(Polygon(s.flat(o)).distance(at) < SAME_PLACE for o in s.openings):
            raise There
        return [record]

    def _reverse(self, record: Record) -> Record:
        """One of the revision that runs against where the member ran before is turned already; of a record
        that does not keep that, one that runs along the baseline's as it is now."""
        values = record["values"]
        values["members"] = self._kept(
            values["members"], lambda i: self.move.runs_back(i, self.move.part[i]) != (i in self.move.lines)
        )
        return record

    def _turn(self, record: Record) -> Record:
        values = record["values"]
        if not values.get("z_axis"):
            values["members"] = self._kept(values["members"], lambda i: not self._aligned(i))
        return record

    def _aligned(self, ident: str) -> bool:
        a, b = self.base.members[ident], self.revised.members[self.move.part[ident]]
        za, zb = a.axes(self.base.line(a))[2], b.axes(self.revised.line(b))[2]
        return bool(np.abs(self.move.places.turned_back(zb) - za).max() < ALIGNED)

    def _flip(self, record: Record) -> Record:
        values = record["values"]

        def other_side(ident: str) -> bool:
            a, b = self.base.surfaces[ident], self.revised.surfaces[self.move.part[ident]]
            return bool(a.axes[2] @ self.move.places.turned_back(b.axes[2]) < 0)

        if values.get("flip"):
            # an edge direction that is given as well is only brought near, which may be done again
            facing = [i for i in values["surfaces"] if i not in self.move.part or other_side(i)]
            if not values.get("x_axis"):
                values["surfaces"] = self._kept(values["surfaces"], other_side)
            elif not facing:
                values["flip"] = False
        return record

    def _move(self, record: Record) -> Record:
        """A node that lies nearer to where it was moved to than to where it was has been moved already."""
        values, places = record["values"], record.get("places", {})
        by = np.array(self.move.vector(values["by"]), float)
        kept = []
        for node in values["nodes"]:
            twin = self.move.node.get(node)
            if twin is not None and node in places:
                before = self.move.places.forward(np.array(places[node], float))
                now = self.revised.nodes[twin].point + self.revised.origin
                if np.linalg.norm(now - before - by) < np.linalg.norm(now - before):
                    continue
            kept.append(node)
        self.skipped |= len(kept) < len(values["nodes"])
        if not kept:
            raise There
        values["nodes"] = kept
        return record

    def _map(self, record: Record) -> list[Record]:
        """Map a profile or material; of one that the revision has no more nothing needs to be mapped."""
        key, table = (
            ("profile", self.revised.sections)
            if "profile" in record["values"]
            else ("material", self.revised.materials)
        )
        if record["values"][key] not in table:
            raise There
        return [record]


def _off(a: Array, b: Array) -> float:
    return float(np.linalg.norm(a - b, axis=1).max())


def _apart(a: Array, b: Array) -> float:
    """How far two lines or outlines are apart at most, m, whichever way round each is drawn; infinite for
    such of other numbers of corners."""
    if a.shape != b.shape:
        return float(np.inf)
    return min(_off(a, np.roll(way, k, axis=0)) for way in (b, b[::-1]) for k in range(len(b)))


def _removed_twins(base: Model, revised: Model, move: Mover, rows: list[MemberMatch]) -> dict[str, str]:
    """Parts of the revision that are ones which were deleted from the baseline: what has no other partner,
    and lies there."""
    free = [r.revised_id for r in rows if r.status == "added" and r.revised_id]
    out: dict[str, str] = {}
    every: list[Member | Surface] = [*base.removed_members.values(), *base.removed_surfaces.values()]
    for gone in every:
        same = revised.part(gone.id)
        own = _drawn(base, gone)
        if own is None:
            if same is not None and same.cls == gone.cls:
                out[gone.id] = gone.id
            continue
        place = move.places.forward(own)
        if same is not None and same.cls == gone.cls:
            other = _drawn(revised, same)
            size = float(np.linalg.norm(np.ptp(place, axis=0)))
            if other is not None and _apart(other, place) <= max(REACH, MOVED_SHARE * size):
                out[gone.id] = gone.id
                continue
        best: tuple[float, str] | None = None
        for ident in free:
            part = revised.part(ident)
            if part is None or part.cls != gone.cls or ident in out.values():
                continue
            other = _drawn(revised, part)
            if other is None or other.shape != place.shape:
                continue
            off = _apart(place, other)
            if off <= SAME_PLACE and (best is None or (off, ident) < best):
                best = off, ident
        if best is not None:
            out[gone.id] = best[1]
    return out


def _drawn(model: Model, part: Member | Surface) -> Array | None:
    """A part as it is drawn (n, 3), in the source's coordinates; None for a deleted one that no source
    drew."""
    if isinstance(part, Surface):
        return np.asarray(drawn_outline(part, False)) + model.origin
    if part.drawn is None and (part.start not in model.nodes or part.end not in model.nodes):
        return None
    return np.asarray(drawn_line(model, part, False))


class _Drawn:
    """The parts of a model by where they are drawn, which corrections do not change."""

    def __init__(self, model: Model) -> None:
        self.model = model
        # where each part is drawn; empty until it is first asked for
        self._known: dict[str, Array | None] = {}
        self._cells: dict[tuple[int, ...], list[str]] = {}

    def add(self, ids: Iterable[str]) -> None:
        """Take in those of these parts that are new."""
        if self._known:
            self._take_in(ids)

    def _take_in(self, ids: Iterable[str]) -> None:
        for ident in ids:
            part = self.model.part(ident)
            if part is None or ident in self._known:
                continue
            line = self._known[ident] = _drawn(self.model, part)
            if line is not None:
                self._cells.setdefault(_cell(line.mean(axis=0)), []).append(ident)

    def alike(self, place: Array, cls: str) -> int:
        """How many parts of a class are drawn at a place (n, 3), whichever way round."""
        if not self._known:
            lines = source_lines(self.model)  # all at once: there are tens of thousands
            cells = np.floor(lines.mean(axis=1) / CELL).astype(int).tolist()
            for ident, line, cell in zip(self.model.members, lines, cells):
                self._known[ident] = line
                self._cells.setdefault(tuple(cell), []).append(ident)
            self._take_in(self.model.surfaces)
        middle = np.array(_cell(place.mean(axis=0)))
        near = [
            i
            for step in np.ndindex(3, 3, 3)
            for i in self._cells.get(tuple((middle + step - 1).tolist()), ())
        ]
        count = 0
        for ident in near:
            there = self.model.part(ident)
            if there is not None and there.cls == cls:
                line = self._known[ident]
                count += line is not None and line.shape == place.shape and _apart(line, place) <= SAME_PLACE
        return count


def _cell(point: Array) -> tuple[int, ...]:
    """The cell of a grid that a point lies in; places that are the same lie in one or in neighbours."""
    return tuple(np.floor(point / CELL).astype(int).tolist())


def moved_here(base: Model, revised: Model, rows: list[MemberMatch], places: Places) -> list[MemberMatch]:
    """Further pairs: members that corrections moved out of their place here, with what the revision's source
    still has where they were drawn."""
    free = {r.revised_id: revised.members[r.revised_id] for r in rows if r.status == "added" and r.revised_id}
    out = []
    for row in rows:
        own = base.members.get(row.baseline_id or "") if row.status == "removed" else None
        if own is None or own.source_line is None or own.moved_by is None:
            continue
        place = places.forward(np.asarray(own.source_line) + base.origin)
        for ident, part in free.items():
            other = np.asarray(drawn_line(revised, part))
            if part.cls == own.cls and min(_off(place, other), _off(place, other[::-1])) <= SAME_PLACE:
                out.append(replace(row, status="moved", revised_id=ident))
                del free[ident]
                break
    return out
