"""Brings the record of a correction of the reviewed revision to its successor: each value by what it stands
for."""

from __future__ import annotations

import copy
from typing import Any

import numpy as np
from shapely.geometry import Point, Polygon

from ...model import Support, Surface
from ...model.edits.edge_supports import ON_EDGE, edge_distance, edges_of, onto_edge
from ...model.geometry.vectors import Array
from ..places import REACH
from .loads import LoadMover
from .parts import NAMED, Target

SINGLE = ("member_id", "target", "first", "second", "to")
SEVERAL = ("members", "surfaces")
VECTORS = ("by", "z_axis", "x_axis", "span")


class Mover(LoadMover):
    """Brings records of the baseline to the revision: ids, nodes, vectors, places, and places along
    members."""

    def by_way(self, record: dict[str, Any]) -> list[dict[str, Any]]:
        """A correction of one end of several members as two, where some of them run the other way now; at an
        end that is inside of a merged member now, or another piece's, as one of its own."""
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
        turned = [m for m in members if self.runs_back(str(m), self.part.get(str(m), str(m)))]
        straight = [m for m in members if m not in turned]
        ways = [
            (ids, end) for ids, end in ((straight, values["at_end"]), (turned, not values["at_end"])) if ids
        ]
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
                values[key] = self.twin(str(values[key]))
        for key in SEVERAL:
            if isinstance(values.get(key), list) and values[key]:
                values[key] = self._several(values[key])
        if own and "at_end" in values and self.runs_back(str(own), self.part.get(str(own), str(own))):
            values["at_end"] = not values["at_end"]
        if "distance" in values and (own in self.base.members or own in self.lines):
            values["distance"] = self._along(str(own), str(values["member_id"]), float(values["distance"]))
        for key in VECTORS:
            if values.get(key):
                values[key] = self.vector(values[key])
        if values.get("support"):
            values["support"] = self._support(values["support"])
        if record.get("edit") == "SetEdgeSupport":
            values["edges"] = self._edges(values["edges"])
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
                part["z_axis"] = self.vector(part["z_axis"])
        if record.get("edit") in ("AddSurfaces", "AddOpenings", "CloseOpening"):
            self._outlines(values)
        for line in values.get("lines", ()) if record.get("edit") == "AddGrids" else ():
            line["points"] = [p[:2] for p in self.points([[*p, 0.0] for p in line["points"]])]
        for cut in values.get("cuts", ()):
            cut["line"] = self.points(cut["line"])
            cut["surfaces"] = [self.part[s] for s in cut.get("surfaces", ()) if s in self.part]
        out["places"] = {n: self._node_place(n, p) for n, p in record.get("places", {}).items()}
        return out

    def _outlines(self, values: dict[str, Any]) -> None:
        """Outlines of surfaces and openings; an opening on the piece of its surface that has the place
        now."""
        for part in values.get("parts", ()):
            part["outline"] = self.points(part["outline"])
            part["openings"] = [self.points(o) for o in part.get("openings") or ()]
        for part in values.get("openings", ()):
            part["outline"] = self.points(part["outline"])
            part["surface"] = self._piece_at(str(part["surface"]), np.array(part["outline"]).mean(axis=0))
        if "surface_id" in values:
            values["at"] = self.points(values["at"])[0]
            values["surface_id"] = self._piece_at(str(values["surface_id"]), np.array(values["at"]))

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
        turned = axes @ self.places.rotation.T
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
