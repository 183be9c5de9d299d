"""Brings loads of the reviewed revision to its successor: on nodes, along members, over surfaces, in
space."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from shapely import union_all
from shapely.geometry import Polygon

from ...model import Surface
from ...model.entities.surface import sound
from ...model.geometry.vectors import Array
from .parts import NAMED, Parts, Target

AREA = 1e-6  # m2; less is no area
NEARLY = 0.2  # between the cosines of axes that are turned a little and those of ones that are not
SAME_AREA = 1e-6  # share by which areas may differ


class LoadMover(Parts):
    """Loads as plain values, for the revision; what finds no place is kept in `lost` with its force."""

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
            twin = self.node_twin(str(load["node"]))
            if twin is None:
                raise Target(f"node {load['node']} is not in the revision any more")
            load["node"] = twin
        moments = load.get("kind") == "moment"
        turned = [k for k in ("force", "moment", "qa", "qb") if k in load and not load.get("local")]
        load |= {k: (self.couple if moments or k == "moment" else self.vector)(load[k]) for k in turned}
        if kind == "area" and not load.get("local"):
            load["values"] = [self.vector(v) for v in load["values"]]
        if "movement" in load:
            load["movement"] = [*self.vector(load["movement"][:3]), *self.couple(load["movement"][3:])]
        for key in ("outline", "at", "line"):
            if load.get(key) is not None:
                load[key] = self.points(load[key])
        if kind in ("member", "temperature"):
            own = str(load["member"])
            self.twin(own)
            pieces = self.pieces.get(own, [self.part.get(own, own)])
            if kind == "temperature":
                return [self._warmed(load, own, twin) for twin in pieces]
            return self._on_member(load, own, pieces)
        if kind == "area" and load.get("surface"):
            return self._on_surface(load, str(load["surface"]))
        if kind == "space" and load.get("to"):
            load["to"] = self.twin(str(load["to"]))
        return [load]

    def _warmed(self, load: dict[str, Any], own: str, twin: str) -> dict[str, Any]:
        out = load | {"member": twin}
        if self.runs_back(own, twin) != (self.places.parity < 0):
            out["grad_y"] = -load.get("grad_y", 0.0)
        return out

    def _on_member(self, load: dict[str, Any], own: str, pieces: list[str]) -> list[dict[str, Any]]:
        """A load along a member, or along the pieces that it is now; what lies beyond all of them is named
        with its force."""
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
        if load.get("local"):
            old, new = (m.members[i] for m, i in ((self.base, own), (self.revised, twin)))
            was, now = old.axes(self.line_of(own)), new.axes(self.revised.line(new))
            sign = self.places.parity if load.get("kind") == "moment" else 1.0
            qa, qb = (sign * np.array(self._along_axes(q, was, now)) for q in (qa, qb))
        if a > b:
            a, b, qa, qb = b, a, qb, qa
        limit = 1e-3
        line = self.line_of(own)
        whole = load["a"] <= limit and load["b"] >= float(np.linalg.norm(line[1] - line[0])) - limit
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

    def _on_surface(self, load: dict[str, Any], own: str) -> list[dict[str, Any]]:
        """A pressure on a surface, or on the pieces that it is now, on what of it is there."""
        self.twin(own)
        base = self.base.surfaces.get(own)
        if base is None:
            return [load | {"surface": self.twin(own)}]
        pieces = [self.revised.surfaces[p] for p in self.pieces.get(own, [self.part.get(own, own)])]
        outer = np.array(self.points(base.outer))
        whole = load.get("outline") is None
        out = []
        for s in pieces:
            one = load | {"surface": s.id}
            if load.get("local"):
                one["values"] = [self._along_axes(v, base.axes, s.axes) for v in load["values"]]
            if whole and own not in self.merged:
                out.append(one)
                continue
            given = outer if whole else np.array(load["outline"], float)
            ring = sound(Polygon(s.flat(given)))
            if len(pieces) > 1:
                ring = ring.intersection(sound(Polygon(s.flat(s.outer))))
            for part in getattr(ring, "geoms", [ring]):
                if isinstance(part, Polygon) and part.area > AREA:
                    corners = s.lifted(np.array(part.exterior.coords)[:-1])
                    out.append(one | {"outline": corners.tolist() if len(pieces) > 1 else given.tolist()})
        if not out:
            raise Target(f"{self._name(own)} does not reach it any more")
        if whole:
            self._note_size(load, own, base, pieces)
        else:
            self._note_beside(load, own, base, pieces)
        return out

    def _along_axes(self, value: Sequence[float] | Array, was: Array, now: Array) -> list[float]:
        """A vector in the axes of a part (rows) as one in the axes of its twin, which may run or face the
        other way.

        A twin that is turned a little keeps its load square to it, as it was; one that is turned by more
        keeps the load's direction in the building."""
        matrix = now @ self.places.rotation @ was.T
        plain = np.round(matrix)
        if np.abs(matrix - plain).max() < NEARLY and np.array_equal(plain @ plain.T, np.eye(3)):
            matrix = plain
        return [float(x) for x in matrix @ np.array(value, float)]

    def _note_size(self, load: dict[str, Any], own: str, base: Surface, pieces: list[Surface]) -> None:
        """Say by how much a pressure over all of a surface is more or less now."""
        if own in self.merged:
            return
        more = sum(s.area for s in pieces) - base.area
        if abs(more) > SAME_AREA * base.area:
            size = "larger" if more > 0 else "smaller"
            force = float(np.linalg.norm(np.mean(load["values"], axis=0))) * abs(more) / 1000
            self.notes.append(
                f"over all of {self._name(own)}, which is {size} now: {force:.4g} kN {'more' if more > 0 else 'less'}"
            )

    def _note_beside(self, load: dict[str, Any], own: str, base: Surface, pieces: list[Surface]) -> None:
        """Name what lay on the surface and lies on none of its pieces now."""
        s = pieces[0]
        ring = sound(Polygon(s.flat(np.array(load["outline"], float))))
        before = [np.array(self.points(r)) for r in (base.outer, *base.openings)]
        was = ring.intersection(sound(Polygon(s.flat(before[0]), [s.flat(r) for r in before[1:]])))
        now = union_all([sound(Polygon(s.flat(p.outer), [s.flat(r) for r in p.openings])) for p in pieces])
        beside = float(was.difference(now).area)
        if beside > SAME_AREA * max(was.area, AREA):
            force = float(np.linalg.norm(np.mean(load["values"], axis=0))) * beside / 1000
            self.lost.append(f"{force:.4g} kN lie beside {self._name(own)}")
            self.lost_ids.append(own)


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
