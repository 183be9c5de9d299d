"""Where the parts, places and directions of the reviewed revision are in its successor."""

from __future__ import annotations

from collections import Counter
from typing import Any

import numpy as np

from ...model import Model
from ..members import MemberMatch
from ..places import Places

NAMED = 4  # targets that are named one by one


class Target(Exception):
    """A target that is not in the revision; the message says which."""


class Parts:
    """Ids, points, vectors and distances of the baseline as those of the revision; what was lost on the way, and what to note."""

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

    def twin(self, ident: str) -> str:
        if ident in self.part:
            self.distance = max(self.distance, self.shift.get(ident, 0.0))
            return self.part[ident]
        if ident in self.known or ident not in (*self.revised.members, *self.revised.surfaces):
            self.lost_ids.append(ident)
            raise Target(f"{self._name(ident)} is not in the revision any more")
        return ident

    def _name(self, ident: str) -> str:
        part = self.base.part(ident) or self.base.removed_members.get(ident) or self.base.removed_surfaces.get(ident)
        return f"{part.cls} {part.name or part.id}" if part is not None else ident

    def vector(self, v: Any) -> Any:
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
