"""Parts, places and directions of the reviewed revision found in its successor."""

from __future__ import annotations

from collections import Counter
from typing import Any

import numpy as np

from ...model import Model
from ...model.geometry.vectors import Array
from ..members import MemberMatch
from ..places import Places

NAMED = 4  # targets that are named one by one


class Target(Exception):
    """A target that is not in the revision; the message says which."""


class Parts:
    """Ids, points, vectors and distances of the baseline as those of the revision; what was lost on the way,
    and what to note."""

    def __init__(
        self,
        base: Model,
        revised: Model,
        places: Places,
        members: list[MemberMatch],
        surfaces: list[MemberMatch],
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
        self.known = {*base.members, *base.surfaces, *base.removed_members, *base.removed_surfaces}
        self.node = {b: a for a, b in places.node_of.items()}
        self.lines: dict[
            str, Array
        ] = {}  # where members ran when the correction was made, source coordinates
        self.spots: dict[str, Array] = {}  # and where the nodes were that loads were put on
        self.lost: list[str] = []
        self.lost_ids: list[str] = []
        self.notes: list[str] = []  # what was placed in another way than it was
        self.distance = 0.0

    def twin(self, ident: str) -> str:
        if ident in self.part:
            self.distance = max(self.distance, self.shift.get(ident, 0.0))
            return self.part[ident]
        if ident in self.known or ident not in (*self.revised.members, *self.revised.surfaces):
            self.lost_ids.append(ident)
            raise Target(f"{self._name(ident)} is not in the revision any more")
        return ident

    def _name(self, ident: str) -> str:
        part = (
            self.base.part(ident)
            or self.base.removed_members.get(ident)
            or self.base.removed_surfaces.get(ident)
        )
        return f"{part.cls} {part.name or part.id}" if part is not None else ident

    def vector(self, v: Any) -> Any:
        if self.places.transform is None:
            return v
        return [float(x) for x in self.places.rotation @ np.array(v, float)]

    def couple(self, v: Any) -> Any:
        """A moment or a rotation."""
        return [self.places.parity * x for x in self.vector(v)]

    def points(self, points: Any) -> list[list[float]]:
        there = (
            self.places.forward(np.array(points, float).reshape(-1, 3) + self.base.origin)
            - self.revised.origin
        )
        return np.asarray(there).tolist()

    def begin(self, record: dict[str, Any]) -> None:
        """Take up a record: where its members ran when it was made."""
        self.lines = {i: np.array(line, float) for i, line in record.get("lines", {}).items()}
        self.spots = {n: np.array(p, float) for n, p in record.get("nodes", {}).items()}

    def node_twin(self, node: str) -> str | None:
        """The revision's node for one of the baseline's: the one that lies there, else where the node was
        when the correction was made."""
        twin = self.node.get(node)
        if twin is not None or node not in self.spots or not self.revised.nodes:
            return twin
        ids = list(self.revised.nodes)
        at = np.array([n.point for n in self.revised.nodes.values()]) + self.revised.origin
        off = np.linalg.norm(at - self.places.forward(self.spots[node]), axis=1)
        return ids[int(off.argmin())] if off.min() <= self.revised.snap else None

    def line_of(self, own: str) -> Array:
        """Where a member of the baseline ran (2, 3) when the correction was made, as far as its record says;
        the source's coordinates."""
        if own in self.lines:
            return self.lines[own]
        return np.asarray(self.base.line(self.base.members[own]) + self.base.origin)

    def runs_back(self, own: str, twin: str) -> bool:
        """Return whether the twin runs the other way round than the member did."""
        if twin not in self.revised.members or (own not in self.lines and own not in self.base.members):
            return False
        line, new = self.places.forward(self.line_of(own)), self.revised.line(self.revised.members[twin])
        return bool((line[1] - line[0]) @ (new[1] - new[0]) < 0)

    def _along(self, own: str, twin: str, distance: float) -> float:
        """A distance along a member of the baseline as one along its twin; it may lie beyond the twin's
        ends."""
        line = self.line_of(own)
        new = self.revised.line(self.revised.members[twin]) + self.revised.origin
        u = (line[1] - line[0]) / np.linalg.norm(line[1] - line[0])
        v = (new[1] - new[0]) / np.linalg.norm(new[1] - new[0])
        return float((self.places.forward(line[0] + u * distance) - new[0]) @ v)
