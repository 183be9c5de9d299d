"""Brings the record of a correction of the reviewed revision to its successor: each value by what it stands
for."""

from __future__ import annotations

import copy
from collections.abc import Mapping
from typing import Any

import numpy as np
from shapely.geometry import Point, Polygon

from ...model import Support, Surface
from ...model.edits import Edit
from ...model.edits.edge_supports import ON_EDGE, edge_distance, edges_of, onto_edge
from ...model.entities.structure import right_handed
from ...model.geometry.vectors import Array
from ...model.roles import Role
from ..places import REACH
from .loads import LoadMover
from .parts import NAMED, Target

STRAIGHT = 1e-6  # rad; an angle that turned by less is the same
LEAST_ZONE = 1e-4  # m2; less of a zone on a piece of its surface is none


class Mover(LoadMover):
    """Brings records of the baseline to the revision: ids, nodes, vectors, places, and places along
    members."""

    def by_way(self, record: dict[str, Any]) -> list[dict[str, Any]]:
        """A correction of one end of several members as two, where some of them run the other way now; at an
        end that is inside of a merged member now, or another piece's, as one of its own."""
        values = record.get("values", {})
        members = values.get("members")
        kind = Edit.kinds.get(str(record.get("edit")))
        about = [k for k, role in (kind.roles if kind is not None else {}).items() if role is Role.ABOUT]
        if about and isinstance(members, list):
            return self._about_axes(record, members, about[0])
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
        turned = [m for m in members if self.runs_back(str(m), self.part.get(str(m), str(m)))]
        straight = [m for m in members if m not in turned]
        ways = [
            (ids, end) for ids, end in ((straight, values["at_end"]), (turned, not values["at_end"])) if ids
        ]
        return [record | {"values": values | {"members": ids, "at_end": end}} for ids, end in ways]

    def _about_axes(self, record: dict[str, Any], members: list[str], key: str) -> list[dict[str, Any]]:
        """A correction that turns members about their axes: by the opposite angle those that run the other
        way now, or lie in a mirror image."""
        values = record["values"]
        image = self.places.parity < 0
        back = [m for m in members if self.runs_back(str(m), self.part.get(str(m), str(m))) != image]
        ways = [([m for m in members if m not in back], values[key]), (back, -values[key])]
        return [record | {"values": values | {"members": ids, key: angle}} for ids, angle in ways if ids]

    def record(self, record: dict[str, Any]) -> dict[str, Any]:
        """The record for the revision, each value by its role. Raises Target where nothing of what it is
        about is left."""
        out = copy.deepcopy(record)
        values: dict[str, Any] = out.get("values", {})
        kind = Edit.kinds.get(str(record.get("edit")))
        roles = kind.roles if kind is not None else {}
        single = [k for k in values if roles.get(k) is Role.PART and values[k]]
        own = str(values[single[0]]) if single else ""
        ends = [k for k in values if roles.get(k) is Role.END]
        several = next((k for k in values if roles.get(k) is Role.PARTS and values[k]), "")
        one = own or (str(values[several][0]) if ends and several and len(values[several]) == 1 else "")
        out["places"] = {n: self._node_place(n, p) for n, p in record.get("places", {}).items()}
        if ends and (one in self.pieces or one in self.merged):
            twin, values[ends[0]] = self._end(one, bool(values[ends[0]]))
            for key in single:
                values[key] = twin if values[key] == one else self.twin(str(values[key]))
            if several and not own:
                values[several] = [twin]
            return out
        if own and ends and self.runs_back(own, self.part.get(own, own)):
            values[ends[0]] = not values[ends[0]]
        for key in list(values):
            role = roles.get(key, Role.PLAIN)
            if isinstance(role, Mapping):
                values[key] = [one for part in values[key] or () for one in self._part_of(part, role)]
            else:
                values[key] = self._value(values[key], role, values, own)
        return out

    def _value(self, value: Any, role: Role, beside: dict[str, Any], own: str) -> Any:
        """One value of a record for the revision. `beside`: the values that stand beside it, of which those
        before it are the revision's already; `own`: the member that distances are along, in the baseline."""
        if value is None or value == "" or value == []:
            return value
        if role is Role.PART:
            return self.twin(str(value))
        if role is Role.PARTS:
            return self._several(value)
        if role is Role.HELD:
            nodes = [i for i in value if i in self.base.nodes]
            rest = [i for i in value if i not in nodes]
            return nodes + (self._several(rest) if rest else [])
        if role is Role.PIECE:
            place = beside.get("at") or np.array(beside["outline"], float).mean(axis=0)
            return self._piece_at(str(value), np.array(self.points(place)[0]))
        if role in (Role.PLACE, Role.PLACES):
            points = self.points(value)
            return points[0] if role is Role.PLACE else points
        if role is Role.RINGS:
            return [self.points(ring) for ring in value]
        if role is Role.PLAN:
            return [p[:2] for p in self.points([[*p, 0.0] for p in value])]
        if role is Role.DIRECTION:
            return self.vector(value)
        if role is Role.ALONG and (own in self.base.members or own in self.lines):
            return self._along(own, self.part.get(own, own), float(value))
        if role is Role.LOADS:
            return self.loads(value)
        if role is Role.SUPPORT:
            return self._support(value)
        if role is Role.EDGES:
            return self._edges(value)
        if role is Role.SPECTRUM:
            return self._spectrum(value)
        if role is Role.RULE:
            return self._rule(value)
        if role in (Role.SECTION, Role.MATERIAL):
            table = self.revised.sections if role is Role.SECTION else self.revised.materials
            if value not in table:
                raise Target(
                    f"there is no {'profile' if role is Role.SECTION else 'material'} {value!r} any more"
                )
        return value

    def _part_of(self, part: dict[str, Any], roles: Mapping[str, Role]) -> list[dict[str, Any]]:
        """A record inside of a correction for the revision: one, or one for each piece of its surface that it
        reaches; none where its surface is gone, which is then told."""
        out = dict(part)
        pieces = [k for k in part if roles.get(k) is Role.PIECE]
        for key in part:
            role = roles.get(key, Role.PLAIN)
            if role is Role.PARTS:  # what a cut goes through: those that are there
                out[key] = [self.part[i] for i in part[key] or () if i in self.part]
            elif role is not Role.PIECE:
                out[key] = self._value(part[key], role, part, "")
        if not pieces:
            return [out]
        own, ring = str(part[pieces[0]]), np.array(out["outline"], float)
        try:
            self.twin(own)
        except Target as error:
            self.lost.append(str(error))
            return []
        found = [
            s
            for p in self.pieces.get(own, [self.part.get(own, own)])
            if (s := self.revised.surfaces.get(p)) is not None
            and Polygon(s.flat(ring)).buffer(0).intersection(s.polygon).area > LEAST_ZONE
        ]
        if not found:
            return [out | {pieces[0]: self._piece_at(own, ring.mean(axis=0))}]
        return [out | {pieces[0]: s.id} for s in found]

    def _angle(self, angle: float) -> float:
        """An angle about Z (rad) in the revision."""
        way = self.vector([float(np.cos(angle)), float(np.sin(angle)), 0.0])
        turned = float(np.arctan2(way[1], way[0]))
        return angle if abs(turned - angle) < STRAIGHT else turned

    def _spectrum(self, value: dict[str, Any]) -> dict[str, Any]:
        """A spectrum along the axis, or the axes turned by less than 45 degrees, where its own lies now."""
        if value["direction"] == "z" or self.places.transform is None:
            return value
        angle = self._angle(float(value.get("angle", 0.0)))
        quarters = round(angle / (np.pi / 2))
        rest = angle - quarters * np.pi / 2
        direction = value["direction"] if quarters % 2 == 0 else {"x": "y", "y": "x"}[value["direction"]]
        return value | {"direction": direction, "angle": 0.0 if abs(rest) < STRAIGHT else rest}

    def _rule(self, rule: dict[str, Any]) -> dict[str, Any] | None:
        """A rule for load cases with its angle, its level of the ground and its storeys' forces in the
        revision; None in a mirror image, whose axes are none that it could go along."""
        if self.places.parity < 0:
            self.notes.append("mirrored with the building: by its rule it is to be made anew")
            return None
        inputs = dict(rule["inputs"])
        if inputs.get("angle") is not None:
            inputs["angle"] = self._angle(float(inputs["angle"]))
        if "level" in inputs:
            inputs["level"] = self.points([0.0, 0.0, inputs["level"]])[0][2]
        if "storeys" in inputs:
            inputs["storeys"] = [
                row
                | {
                    "elevation": self.points([0.0, 0.0, row["elevation"]])[0][2],
                    "force": self.vector([*row["force"][:2], 0.0])[:2],
                }
                for row in inputs["storeys"]
            ]
        return rule | {"inputs": inputs}

    def _piece_at(self, own: str, place: Array) -> str:
        """The surface that a place (m, in the revision's axes) of one of the baseline's surfaces lies on
        now."""
        twin = self.twin(own)
        pieces = [
            self.revised.surfaces[p] for p in self.pieces.get(own, [twin]) if p in self.revised.surfaces
        ]

        def off(s: Surface) -> float:
            return float(Polygon(s.flat(s.outer)).distance(Point(s.flat(place[None])[0])))

        return min(pieces, key=off).id if pieces else twin

    def _support(self, support: dict[str, Any]) -> dict[str, Any]:
        """A support whose x and y differ, in a building that was turned, in axes that were turned with it."""
        words = str(support.get("held", ""))
        stiffness = Support.of_record(support).stiffness
        if self.places.transform is None or (
            support.get("axes") is None and stiffness[0] == stiffness[1] and stiffness[3] == stiffness[4]
        ):
            return support
        axes = np.eye(3) if support.get("axes") is None else np.array(support["axes"], float)
        turned = right_handed(axes @ self.places.rotation.T)
        if np.abs(turned - np.eye(3)).max() < 1e-9:
            return support | {"axes": None}
        return support | {"held": words, "axes": tuple(tuple(float(v) for v in row) for row in turned)}

    def _edges(self, edges: list[dict[str, Any]]) -> list[dict[str, Any]]:
        """Held edges on the surfaces that are theirs now: of one that was split, on the piece that has the
        edge."""
        kept = []
        for edge in edges:
            own = str(edge["surface"])
            try:
                twin = self.twin(own)
            except Target as error:
                self.lost.append(str(error))
                continue
            line = np.array(self.points(edge["line"]))
            pieces = [p for p in self.pieces.get(own, [twin]) if p in self.revised.surfaces]
            found = [
                (edge_distance(line, e), p, e) for p in pieces for e in edges_of(self.revised.surfaces[p])
            ]
            off, best, there = min(found, key=lambda x: x[0], default=(np.inf, "", line))
            along = [(p, e) for _, p, e in found if edge_distance(e, line) <= ON_EDGE]
            if off <= REACH:
                self.distance = max(self.distance, off)
                kept.append({"surface": best, "line": onto_edge(line, there).tolist()})
            elif along:  # in pieces, each with its own length of it
                kept += [{"surface": p, "line": e.tolist()} for p, e in along]
            else:
                self.lost.append(f"{self._name(own)} has no edge there any more")
                self.lost_ids.append(own)
        if not kept:
            raise Target("; ".join(self.lost[:NAMED]))
        return kept

    def _several(self, idents: list[str]) -> list[str]:
        kept: list[str] = []
        for ident in idents:
            try:
                self.twin(ident)
                kept += [p for p in self.pieces.get(ident, [self.part.get(ident, ident)]) if p not in kept]
            except Target as error:
                self.lost.append(str(error))
        if not kept:
            raise Target("; ".join(self.lost[:NAMED]))
        return kept

    def _end(self, own: str, at_end: bool) -> tuple[str, bool]:
        """The piece, and which end of it, that is where an end of a split or merged member was. Raises
        Target."""
        line = self.line_of(own)
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

    def _node_place(self, node: str, place: list[float]) -> list[float]:
        """Where a node is in the revision: with its members, else where its place would be."""
        twin = self.node.get(node)
        there = self.places.forward(np.array(place, float))
        if twin is not None:
            now = self.revised.nodes[twin].point + self.revised.origin
            self.distance = max(self.distance, float(np.linalg.norm(now - there)))
            return [float(v) for v in now]
        return [float(v) for v in there]
