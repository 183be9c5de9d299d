"""Brings a correction of the reviewed revision to its successor: ids, nodes, vectors, places and loads along members."""

from __future__ import annotations

import copy
from collections import Counter
from typing import Any

import numpy as np

from ...model import Model
from ...model.geometry.vectors import Array
from ..members import MemberMatch
from ..places import REACH, Places

NAMED = 4  # targets that are named one by one
SINGLE = ("member_id", "target", "first", "second", "to")
SEVERAL = ("members", "surfaces")
VECTORS = ("by", "z_axis", "x_axis", "span")


class Target(Exception):
    """A target that is not in the revision; the message says which."""


class Mover:
    """Brings records of the baseline to the revision: ids, nodes, vectors, places, and places along members."""

    def __init__(
        self, base: Model, revised: Model, places: Places, members: list[MemberMatch], surfaces: list[MemberMatch]
    ) -> None:
        self.base, self.revised, self.places = base, revised, places
        both = [*members, *surfaces]
        self.part: dict[str, str] = {}
        self.pieces: dict[str, list[str]] = {}  # of members that are several in the revision
        for m in both:
            if m.baseline_id and m.revised_id:
                first = self.part.setdefault(m.baseline_id, m.revised_id)
                if first != m.revised_id:
                    self.pieces.setdefault(m.baseline_id, [first]).append(m.revised_id)
        counts = Counter(self.part.values())
        self.merged = {m for m in self.part if counts[self.part[m]] > 1}
        self.shift = {m.baseline_id: m.shift for m in both if m.baseline_id}
        self.flipped = {m.baseline_id for m in members if m.flipped}
        # rows of their own for each piece of a split member
        self.flipped_pair = {(m.baseline_id, m.revised_id) for m in members if m.flipped}
        self.known = {*base.members, *base.surfaces, *base.removed_members, *base.removed_surfaces}
        self.node = {b: a for a, b in places.node_of.items()}
        self.lost: list[str] = []
        self.lost_ids: list[str] = []
        self.notes: list[str] = []  # what was placed in another way than it was
        self.distance = 0.0

    def by_way(self, record: dict[str, Any]) -> list[dict[str, Any]]:
        """A correction of one end of several members as two, where some of them run the other way now; at an end that is
        inside of a merged member now, or another piece's, as one of its own."""
        values = record.get("values", {})
        members = values.get("members")
        if "at_end" not in values or not isinstance(members, list):
            return [record]
        own = [m for m in members if m in self.pieces or m in self.merged]
        if own and len(members) > 1:
            rest = [m for m in members if m not in own]
            alone = [[m] for m in own] + ([rest] if rest else [])
            parts = [record | {"values": values | {"members": ids}} for ids in alone]
            return [way for part in parts for way in self.by_way(part)]
        if own:
            return [record]
        turned = [m for m in members if m in self.flipped]
        straight = [m for m in members if m not in self.flipped]
        ways = [(ids, end) for ids, end in ((straight, values["at_end"]), (turned, not values["at_end"])) if ids]
        return [record | {"values": values | {"members": ids, "at_end": end}} for ids, end in ways]

    def record(self, record: dict[str, Any]) -> dict[str, Any]:
        """The record for the revision. Raises Target where nothing of what it is about is left."""
        out = copy.deepcopy(record)
        values: dict[str, Any] = out.get("values", {})
        own = next((values[k] for k in SINGLE if values.get(k)), "")
        several = values.get("members")
        at_end = "at_end" in values
        one = own or (several[0] if at_end and isinstance(several, list) and len(several) == 1 else "")
        if at_end and (one in self.pieces or one in self.merged):
            twin, values["at_end"] = self._end(str(one), bool(values["at_end"]))
            for key in SINGLE:
                if values.get(key) == one:
                    values[key] = twin
            if isinstance(several, list):
                values["members"] = [twin]
            out["places"] = {n: self._node_place(n, p) for n, p in record.get("places", {}).items()}
            return out
        for key in SINGLE:
            if values.get(key):
                values[key] = self._part(str(values[key]))
        for key in SEVERAL:
            if isinstance(values.get(key), list) and values[key]:
                values[key] = self._several(values[key])
        if own in self.flipped and "at_end" in values:
            values["at_end"] = not values["at_end"]
        if "distance" in values and own in self.base.members:
            values["distance"] = self._along(str(own), str(values["member_id"]), float(values["distance"]))
        for key in VECTORS:
            if values.get(key):
                values[key] = self._vector(values[key])
        for key in ("profile", "material"):
            table = self.revised.sections if key == "profile" else self.revised.materials
            if (
                record.get("edit") in ("MapProfile", "MapMaterial", "SetMaterialValue")
                and key in values
                and values[key] not in table
            ):
                raise Target(f"there is no {key} {values[key]!r} any more")
        if "loads" in values:
            values["loads"] = self.loads(values["loads"])
        for case in values.get("cases", ()):
            if "loads" in case:
                case["loads"] = self.loads(case["loads"])
        for part in values.get("parts", ()) if record.get("edit") == "AddMembers" else ():
            part["start"], part["end"] = self.points([part["start"], part["end"]])
            if part.get("z_axis") is not None:
                part["z_axis"] = self._vector(part["z_axis"])
        for cut in values.get("cuts", ()):
            cut["line"] = self.points(cut["line"])
            cut["surfaces"] = [self.part[s] for s in cut.get("surfaces", ()) if s in self.part]
        out["places"] = {n: self._node_place(n, p) for n, p in record.get("places", {}).items()}
        return out

    def _part(self, ident: str) -> str:
        if ident in self.part:
            self.distance = max(self.distance, self.shift.get(ident, 0.0))
            return self.part[ident]
        if ident in self.known or ident not in (*self.revised.members, *self.revised.surfaces):
            self.lost_ids.append(ident)
            raise Target(f"{self._name(ident)} is not in the revision any more")
        return ident

    def _several(self, idents: list[str]) -> list[str]:
        kept: list[str] = []
        for ident in idents:
            try:
                self._part(ident)
                kept += [p for p in self.pieces.get(ident, [self.part.get(ident, ident)]) if p not in kept]
            except Target as error:
                self.lost.append(str(error))
        if not kept:
            raise Target("; ".join(self.lost[:NAMED]))
        return kept

    def _end(self, own: str, at_end: bool) -> tuple[str, bool]:
        """The piece, and which end of it, that is where an end of a split or merged member was. Raises Target."""
        line = self.base.line(self.base.members[own]) + self.base.origin
        point = self.places.forward(line[int(at_end)])
        found = []
        for twin in self.pieces.get(own, [self.part[own]]):
            ends = self.revised.line(self.revised.members[twin]) + self.revised.origin
            found += [(float(np.linalg.norm(p - point)), twin, bool(k)) for k, p in enumerate(ends)]
        distance, twin, end = min(found)
        if distance > REACH:
            self.lost_ids.append(own)
            raise Target(f"the end of {self._name(own)} lies inside of another member now")
        self.distance = max(self.distance, distance)
        return twin, end

    def _name(self, ident: str) -> str:
        part = self.base.part(ident) or self.base.removed_members.get(ident) or self.base.removed_surfaces.get(ident)
        return f"{part.cls} {part.name or part.id}" if part is not None else ident

    def _node_place(self, node: str, place: list[float]) -> list[float]:
        """Where a node is in the revision: with its members, else where its place would be."""
        twin = self.node.get(node)
        there = self.places.forward(np.array(place, float))
        if twin is not None:
            now = self.revised.nodes[twin].point + self.revised.origin
            self.distance = max(self.distance, float(np.linalg.norm(now - there)))
            return [float(v) for v in now]
        return [float(v) for v in there]

    def _vector(self, v: Any) -> Any:
        if self.places.transform is None:
            return v
        return [float(x) for x in self.places.rotation @ np.array(v, float)]

    def points(self, points: Any) -> list[list[float]]:
        there = self.places.forward(np.array(points, float).reshape(-1, 3) + self.base.origin) - self.revised.origin
        return np.asarray(there).tolist()

    def _along(self, own: str, twin: str, distance: float) -> float:
        """A distance along a member of the baseline as one along its twin; it may lie beyond the twin's ends."""
        line = self.base.line(self.base.members[own]) + self.base.origin
        new = self.revised.line(self.revised.members[twin]) + self.revised.origin
        u = (line[1] - line[0]) / np.linalg.norm(line[1] - line[0])
        v = (new[1] - new[0]) / np.linalg.norm(new[1] - new[0])
        return float((self.places.forward(line[0] + u * distance) - new[0]) @ v)

    def loads(self, loads: list[dict[str, Any]]) -> list[dict[str, Any]]:
        out = []
        for load in loads:
            try:
                out += self._load(dict(load))
            except Target as error:
                self.lost.append(f"{_force(load)} not placed, {error}")
        if loads and not out:
            raise Target("; ".join(self.lost[:NAMED]))
        return out

    def _load(self, load: dict[str, Any]) -> list[dict[str, Any]]:
        kind = load.get("on")
        if kind in ("node", "settlement"):
            twin = self.node.get(load["node"])
            if twin is None:
                raise Target(f"node {load['node']} is not in the revision any more")
            load["node"] = twin
        turned = [k for k in ("force", "moment", "qa", "qb") if k in load and not load.get("local")]
        load |= {k: self._vector(load[k]) for k in turned}
        if kind == "area" and not load.get("local"):
            load["values"] = [self._vector(v) for v in load["values"]]
        if "movement" in load:
            load["movement"] = [*self._vector(load["movement"][:3]), *self._vector(load["movement"][3:])]
        for key in ("outline", "at", "line"):
            if load.get(key) is not None:
                load[key] = self.points(load[key])
        if kind in ("member", "temperature"):
            own = str(load["member"])
            self._part(own)
            pieces = self.pieces.get(own, [self.part.get(own, own)])
            if kind == "temperature":
                return [self._warmed(load, own, twin) for twin in pieces]
            return self._on_member(load, own, pieces)
        if kind == "area" and load.get("surface"):
            load["surface"] = self._part(str(load["surface"]))
        if kind == "space" and load.get("to"):
            load["to"] = self._part(str(load["to"]))
        return [load]

    def _warmed(self, load: dict[str, Any], own: str, twin: str) -> dict[str, Any]:
        out = load | {"member": twin}
        if (own, twin) in self.flipped_pair:
            out["grad_y"] = -load.get("grad_y", 0.0)
        return out

    def _on_member(self, load: dict[str, Any], own: str, pieces: list[str]) -> list[dict[str, Any]]:
        """A load along a member, or along the pieces that it is now; what lies beyond all of them is named with its force."""
        if len(pieces) == 1:
            return self._on_piece(dict(load), own, pieces[0])
        out: list[dict[str, Any]] = []
        before, ids = list(self.lost), list(self.lost_ids)
        for twin in pieces:
            try:
                out += self._on_piece(dict(load), own, twin)
            except Target:
                continue
            if load["a"] == load["b"]:
                break  # a point load where two pieces meet goes to one of them
        self.lost, self.lost_ids = before, ids
        carried, all_of_it = sum(_size(x) for x in out), _size(load)
        if not out:
            raise Target(f"none of the {len(pieces)} members that {self._name(own)} is now reaches it")
        if all_of_it - carried > 1e-6 * all_of_it:
            self.lost.append(
                f"{(all_of_it - carried) / 1000:.4g} kN lie beside the {len(pieces)} members that {self._name(own)} is now"
            )
            self.lost_ids.append(own)
        return out

    def _on_piece(self, load: dict[str, Any], own: str, twin: str) -> list[dict[str, Any]]:
        load["member"] = twin
        length = self.revised.length(self.revised.members[twin])
        a, b = (self._along(own, twin, float(load[k])) for k in ("a", "b"))
        qa, qb = np.array(load["qa"], float), np.array(load["qb"], float)
        if load.get("local") and (own, twin) in self.flipped_pair:
            qa, qb = qa * (-1, -1, 1), qb * (-1, -1, 1)
        if a > b:
            a, b, qa, qb = b, a, qb, qa
        limit = 1e-3
        whole = load["a"] <= limit and load["b"] >= self.base.length(self.base.members[own]) - limit
        if whole and own not in self.pieces and own not in self.merged and (a > limit or b < length - limit):
            # a load over all of a member that is longer now stays one over all of it
            more = (max(a, 0.0) + max(length - b, 0.0)) * float(np.linalg.norm((qa + qb) / 2)) / 1000
            self.notes.append(f"over all of {self._name(own)}, which is longer now: {more:.4g} kN more")
            a, b = min(a, 0.0), max(b, length)
        if load["a"] == load["b"]:
            if not -limit <= a <= length + limit:
                raise Target(f"{self._name(own)} ends {max(-a, a - length) * 1000:.0f} mm before it")
            load["a"] = load["b"] = min(max(a, 0.0), length)
            load["qa"] = load["qb"] = qa.tolist()
            return [load]
        low, high = max(a, 0.0), min(b, length)
        if high - low <= limit:
            raise Target(f"{self._name(own)} does not reach it any more")

        def at(x: float) -> Array:
            return np.asarray(qa + (qb - qa) * (x - a) / (b - a))

        for x0, x1 in ((a, low), (high, b)):
            if x1 - x0 > limit:
                force = np.linalg.norm((at(x0) + at(x1)) / 2 * (x1 - x0)) / 1000
                self.lost.append(f"{force:.4g} kN lie beyond the end of {self._name(own)}")
                self.lost_ids.append(own)
        load["a"], load["b"], load["qa"], load["qb"] = low, high, at(low).tolist(), at(high).tolist()
        return [load]


def _size(load: dict[str, Any]) -> float:
    """How much a load along a member is, N; of a moment in N m."""
    qa, qb = np.array(load["qa"], float), np.array(load["qb"], float)
    length = float(load["b"]) - float(load["a"])
    return float(np.linalg.norm(qa if length == 0 else (qa + qb) / 2 * length))


def _force(load: dict[str, Any]) -> str:
    """How much a load is, in words."""
    if "force" in load:
        return f"{np.linalg.norm(load['force']) / 1000:.4g} kN"
    if load.get("on") == "member":
        return f"{_size(load) / 1000:.4g} kN"
    return f"a {load.get('on', '')} load"
