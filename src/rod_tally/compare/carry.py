"""What was made for the reviewed revision here, by hand or by rule, made again for its successor: each correction and addition
goes to where its target is now, or is named with the reason why it cannot."""

from __future__ import annotations

import copy
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ..model import Finding, Model
from ..model.edits import Edit, EditError, from_record
from ..model.geometry.vectors import Array
from .members import MemberMatch, match_members
from .places import Places
from .surfaces import match_surfaces

MOVED = 1e-3  # m; a target that lies farther from where it was has moved
SINGLE = ("member_id", "target", "first", "second", "to")
SEVERAL = ("members", "surfaces")
VECTORS = ("by", "z_axis", "x_axis", "span")
NAMED = 4
BETWEEN = ("PairParts", "UnpairByHand")  # about the baseline and the one before it


@dataclass(slots=True)
class Carried:
    """One thing that was made for the baseline. `status`: carried, moved (its target did, by `distance` m), partly (some of its
    targets are gone) or gone."""

    what: str
    status: str
    words: str = ""
    distance: float = 0.0
    ids: tuple[str, ...] = ()


@dataclass(slots=True)
class CarriedOver:
    lines: list[Carried] = field(default_factory=list)
    edits: list[Edit] = field(default_factory=list)

    @property
    def finding(self) -> Finding | None:
        """What was carried over, and what could not be placed; None where there was nothing."""
        if not self.lines:
            return None
        placed = [x for x in self.lines if x.status in ("carried", "moved")]
        rest = [x for x in self.lines if x.status not in ("carried", "moved")]
        moved = [x for x in placed if x.status == "moved"]
        text = (
            f"{len(placed)} of {len(self.lines)} corrections and additions of the reviewed revision were carried over"
        )
        if moved:
            text += f", {len(moved)} with a target that moved by up to {max(x.distance for x in moved) * 1000:.0f} mm"
        for x in rest[:NAMED]:
            text += f"; {x.what}: {x.words}"
        if len(rest) > NAMED:
            text += f"; and {len(rest) - NAMED} more"
        ids = tuple(dict.fromkeys(i for x in rest for i in x.ids))
        return Finding("match.carried", "warning" if rest else "note", text + ".", ids, None, ("Accept, because…",))


class Target(Exception):
    """A target that is not in the revision; the message says which."""


def carry_over(base: Model, revised: Model) -> CarriedOver:
    """Make the baseline's corrections and additions again on the revision, in their order. The revision is changed."""
    out = CarriedOver()
    if not base.corrections:
        return out
    members, transform, _ = match_members(base, revised)
    surfaces = match_surfaces(base, revised, transform)
    move = _Mover(base, revised, Places(base, revised, transform), members, surfaces)
    for record in base.corrections:
        if record.get("edit") in BETWEEN:
            continue
        out.lines.append(_carry(record, move, revised, out))
    return out


def _carry(record: dict[str, Any], move: _Mover, revised: Model, out: CarriedOver) -> Carried:
    what = _described(record)
    move.lost, move.lost_ids, move.distance = [], [], 0.0
    made: list[Edit] = []
    for part in move.by_way(record):
        try:
            edit = from_record(move.record(part), revised)
            edit.apply(revised)
            made.append(edit)
        except (Target, EditError) as error:
            move.lost.append(str(error))
    out.edits += made
    if not made:
        return Carried(what, "gone", move.lost[-1], 0.0, tuple(move.lost_ids))
    if move.lost:
        return Carried(what, "partly", "; ".join(move.lost[:NAMED]), 0.0, tuple(move.lost_ids))
    return Carried(what, "moved" if move.distance > MOVED else "carried", "", move.distance)


def _described(record: dict[str, Any]) -> str:
    """The correction in a word or two, from its record alone."""
    words = {
        "SetSupport": "a support", "SetRelease": "a release", "PinBoth": "pinned ends", "SetSection": "a section", "SetMaterial": "a material",
        "MapProfile": "a mapped profile", "MapMaterial": "a mapped material", "JoinEnd": "a joined end", "KeepApart": "an end kept apart",
        "JoinCrossing": "a joined crossing", "MoveNodes": "moved nodes", "DeleteMembers": "deleted parts", "SplitMember": "a split member",
        "MergeMembers": "merged members", "AddCases": "load cases", "AddLoads": "loads", "SetCombinations": "combinations", "AddCuts": "cuts", "AddMembers": "added members", "OwnSection": "a section of one's own", "SetDiaphragm": "rigid floors",
        "SetCase": "a changed load case", "DeleteCases": "deleted load cases", "HoldFoot": "a held wall foot", "SetThickness": "a thickness",
    }  # fmt: skip
    name = str(record.get("edit", "?"))
    values = record.get("values", {})
    case = values.get("case") or values.get("name") or ""
    return words.get(name, name) + (f" of case {case}" if case and isinstance(case, str) else "")


class _Mover:
    """Brings records of the baseline to the revision: ids, nodes, vectors, places, and places along members."""

    def __init__(
        self, base: Model, revised: Model, places: Places, members: list[MemberMatch], surfaces: list[MemberMatch]
    ) -> None:
        self.base, self.revised, self.places = base, revised, places
        both = [*members, *surfaces]
        self.part = {m.baseline_id: m.revised_id for m in both if m.baseline_id and m.revised_id}
        self.shift = {m.baseline_id: m.shift for m in both if m.baseline_id}
        self.flipped = {m.baseline_id for m in members if m.flipped}
        self.known = {*base.members, *base.surfaces, *base.removed_members, *base.removed_surfaces}
        self.node = {b: a for a, b in places.node_of.items()}
        self.lost: list[str] = []
        self.lost_ids: list[str] = []
        self.distance = 0.0

    def by_way(self, record: dict[str, Any]) -> list[dict[str, Any]]:
        """A correction of one end of several members as two, where some of them run the other way now."""
        values = record.get("values", {})
        members = values.get("members")
        if "at_end" not in values or not isinstance(members, list):
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
            values["loads"] = self._loads(values["loads"])
        for case in values.get("cases", ()):
            if "loads" in case:
                case["loads"] = self._loads(case["loads"])
        for part in values.get("parts", ()) if record.get("edit") == "AddMembers" else ():
            part["start"], part["end"] = self._points([part["start"], part["end"]])
            if part.get("z_axis") is not None:
                part["z_axis"] = self._vector(part["z_axis"])
        for cut in values.get("cuts", ()):
            cut["line"] = self._points(cut["line"])
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
        kept = []
        for ident in idents:
            try:
                kept.append(self._part(ident))
            except Target as error:
                self.lost.append(str(error))
        if not kept:
            raise Target("; ".join(self.lost[:NAMED]))
        return kept

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

    def _points(self, points: Any) -> list[list[float]]:
        there = self.places.forward(np.array(points, float).reshape(-1, 3) + self.base.origin) - self.revised.origin
        return np.asarray(there).tolist()

    def _along(self, own: str, twin: str, distance: float) -> float:
        """A distance along a member of the baseline as one along its twin; it may lie beyond the twin's ends."""
        line = self.base.line(self.base.members[own]) + self.base.origin
        new = self.revised.line(self.revised.members[twin]) + self.revised.origin
        u = (line[1] - line[0]) / np.linalg.norm(line[1] - line[0])
        v = (new[1] - new[0]) / np.linalg.norm(new[1] - new[0])
        return float((self.places.forward(line[0] + u * distance) - new[0]) @ v)

    def _loads(self, loads: list[dict[str, Any]]) -> list[dict[str, Any]]:
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
                load[key] = self._points(load[key])
        if kind in ("member", "temperature"):
            own = str(load["member"])
            load["member"] = self._part(own)
            if kind == "temperature":
                if own in self.flipped:
                    load["grad_y"] = -load.get("grad_y", 0.0)
                return [load]
            return self._on_member(load, own)
        if kind == "area" and load.get("surface"):
            load["surface"] = self._part(str(load["surface"]))
        if kind == "space" and load.get("to"):
            load["to"] = self._part(str(load["to"]))
        return [load]

    def _on_member(self, load: dict[str, Any], own: str) -> list[dict[str, Any]]:
        """A load along a member where it is now; what lies beyond its end is named with its force."""
        twin = str(load["member"])
        length = self.revised.length(self.revised.members[twin])
        a, b = (self._along(own, twin, float(load[k])) for k in ("a", "b"))
        qa, qb = np.array(load["qa"], float), np.array(load["qb"], float)
        if load.get("local") and own in self.flipped:
            qa, qb = qa * (-1, -1, 1), qb * (-1, -1, 1)
        if a > b:
            a, b, qa, qb = b, a, qb, qa
        limit = 1e-3
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


def _force(load: dict[str, Any]) -> str:
    """How much a load is, in words."""
    if "force" in load:
        return f"{np.linalg.norm(load['force']) / 1000:.4g} kN"
    if load.get("on") == "member":
        qa, qb = np.array(load["qa"], float), np.array(load["qb"], float)
        size = float(load["b"]) - float(load["a"])
        return f"{np.linalg.norm(qa if size == 0 else (qa + qb) / 2 * size) / 1000:.4g} kN"
    return f"a {load.get('on', '')} load"
