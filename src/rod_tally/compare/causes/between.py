"""Models between two revisions: one of them with some attributes of the other's, or without the parts that it
has alone."""

from __future__ import annotations

from copy import copy
from dataclasses import replace

import numpy as np

from ...model import Model, Support
from ...model.catalogue.taper import in_axes_of
from ...model.edits import DeleteMembers, EditError
from ...model.edits.load_values import LISTS, load_values, put_load
from ...model.entities.structure import right_handed
from ...model.entities.surface import LineSupport
from ..align import Transform
from ..carrying.moving import Mover, Target
from ..changes import material_change, same_section
from ..loads import CaseMatch
from ..members import MemberMatch
from ..places import Places
from ..supports import support_words

ATTRIBUTES = ("sections", "materials", "releases", "supports", "loads")


def reversed_rows(rows: list[MemberMatch]) -> list[MemberMatch]:
    """The same pairs with the two sides exchanged; what is on one side alone stays away."""
    return [
        replace(m, baseline_id=m.revised_id, revised_id=m.baseline_id)
        for m in rows
        if m.baseline_id is not None and m.revised_id is not None
    ]


def reversed_transform(t: Transform | None) -> Transform | None:
    """From the revision to the baseline."""
    return None if t is None else t.reverse


class Between:
    """Gives a model the attributes of its counterpart. Neither of the two is changed.

    `source` is where attributes come from, `target` what gets them; rows, transform and cases are those of
    the comparison of the source as baseline with the target as revision."""

    def __init__(
        self,
        source: Model,
        target: Model,
        transform: Transform | None,
        members: list[MemberMatch],
        surfaces: list[MemberMatch],
        cases: list[CaseMatch],
    ) -> None:
        self.source, self.target = source, target
        self.members = [
            m for m in members if m.baseline_id in source.members and m.revised_id in target.members
        ]
        self.surfaces = [
            m for m in surfaces if m.baseline_id in source.surfaces and m.revised_id in target.surfaces
        ]
        self.places = Places(source, target, transform)
        self.cases = [c for c in cases if c.baseline_name in source.cases and c.revised_name in target.cases]
        self.paired = {m.revised_id for m in (*self.members, *self.surfaces)}
        self.move = Mover(source, target, self.places, self.members, self.surfaces)

    def with_attributes(self, wanted: set[str]) -> tuple[Model, int]:
        """The target with these of `ATTRIBUTES` as its counterparts in the source have them, and how many
        values that changed. Loads that reach nothing of the target stay away."""
        out = copied(self.target)
        count = 0
        for name, give in (
            ("sections", self._sections),
            ("materials", self._materials),
            ("releases", self._releases),
            ("supports", self._supports),
            ("loads", self._loads),
        ):
            if name in wanted:
                count += give(out)
        return out, count

    def _sections(self, out: Model) -> int:
        count = 0
        for row in self.members:
            was = self.source.members[row.baseline_id or ""].section
            own = out.members[row.revised_id or ""]
            a, b = self.source.sections.get(was), self.target.sections.get(own.section)
            if a is not None:
                a = in_axes_of(a, row.flipped, self.places.parity < 0)
            if not same_section(a, b):
                own.section = ""
                if a is not None:
                    own.section = f"{was} of the other revision"
                    out.sections[own.section] = a
                count += 1
        for row in self.surfaces:
            thickness = self.source.surfaces[row.baseline_id or ""].thickness
            slab = out.surfaces[row.revised_id or ""]
            if abs(slab.thickness - thickness) > 1e-4:
                slab.thickness = thickness
                count += 1
        return count

    def _materials(self, out: Model) -> int:
        count = 0
        for rows, sources, targets in (
            (self.members, self.source.members, out.members),
            (self.surfaces, self.source.surfaces, out.surfaces),
        ):
            for row in rows:
                was = sources[row.baseline_id or ""].material
                own = targets[row.revised_id or ""]
                if material_change(self.source, was, self.target, own.material) is not None:
                    own.material = ""
                    if was in self.source.materials:
                        own.material = f"{was} of the other revision"
                        out.materials[own.material] = self.source.materials[was]
                    count += 1
        return count

    def _releases(self, out: Model) -> int:
        """Take over releases of members that are one on either side: an end of a piece may be inside of the
        whole."""
        pieces = {m.baseline_id for m in self.members if m.piece} | {
            m.revised_id for m in self.members if m.piece
        }
        count = 0
        for row in self.members:
            if row.baseline_id in pieces or row.revised_id in pieces:
                continue
            a, own = self.source.members[row.baseline_id or ""], out.members[row.revised_id or ""]
            ends = (a.release_end, a.release_start) if row.flipped else (a.release_start, a.release_end)
            if ends != (own.release_start, own.release_end):
                own.release_start, own.release_end = ends
                count += 1
        return count

    def _supports(self, out: Model) -> int:
        count = 0
        for target, source in self.places.node_of.items():
            was, node = self.source.nodes[source].support, out.nodes[target]
            if self._words(was) != self._words(node.support, back=True):
                node.support = self._turned(was)
                count += 1
        for row in self.surfaces:
            a, b = self.source.surfaces[row.baseline_id or ""], out.surfaces[row.revised_id or ""]
            lines = [np.array(self.move.points(e.line)) for e in a.supports]
            same = len(lines) == len(b.supports) and all(
                (np.allclose(line, y.line, atol=1e-6) or np.allclose(line[::-1], y.line, atol=1e-6))
                and self._words(x.support) == self._words(y.support, back=True)
                for line, x, y in zip(lines, a.supports, b.supports)
            )
            if not same or a.bedding != b.bedding:
                edges = [LineSupport(line, self._turned(x.support)) for line, x in zip(lines, a.supports)]
                b.supports, b.bedding = edges, a.bedding
                count += 1
        return count

    def _words(self, support: Support, back: bool = False) -> str:
        """Return what is held, in the source's axes; `back`: the support is the target's."""
        return support_words(support, self.places.rotation if back else np.eye(3))

    def _turned(self, support: Support) -> Support:
        if np.abs(self.places.rotation - np.eye(3)).max() < 1e-12 or not support.any:
            return support
        own = np.eye(3) if support.axes is None else np.array(support.axes)
        rows = right_handed(own @ self.places.rotation.T)
        x, y, z = ((float(r[0]), float(r[1]), float(r[2])) for r in rows)
        return Support(support.stiffness, (x, y, z))

    def _loads(self, out: Model) -> int:
        count = 0
        for row in self.cases:
            if row.status in ("same", "renamed"):
                continue
            was, own = (
                self.source.cases[row.baseline_name or ""],
                copy(self.target.cases[row.revised_name or ""]),
            )
            out.cases[own.name] = own
            own.self_weight, own.spectrum = was.self_weight, was.spectrum
            for name, _ in LISTS.values():
                # what lies on parts that the source does not have comes and goes with them
                setattr(own, name, [x for x in getattr(own, name) if self._alone(x)])
                for load in getattr(was, name):
                    try:
                        for values in self.move.loads([load_values(load)]):
                            put_load(out, own, values)
                    except (Target, EditError):
                        continue  # it lies on a part that the target does not have
            own.lost = list(was.lost)
            count += 1
        return count

    def _alone(self, load: object) -> bool:
        """Return whether a load lies on a part or a node of the target that has no counterpart."""
        for key, known in (
            ("member", self.paired),
            ("surface", self.paired),
            ("to", self.paired),
            ("node", self.places.node_of),
        ):
            on = getattr(load, key, "")
            if on:
                return on not in known
        return False


def copied(model: Model) -> Model:
    """A model whose parts can be given other values without the original seeing it."""
    out = copy(model)
    out.nodes = {k: copy(n) for k, n in model.nodes.items()}
    out.members = {k: copy(m) for k, m in model.members.items()}
    out.surfaces = {k: copy(s) for k, s in model.surfaces.items()}
    out.sections, out.materials, out.cases = dict(model.sections), dict(model.materials), dict(model.cases)
    out.removed_members, out.removed_surfaces = dict(model.removed_members), dict(model.removed_surfaces)
    out.log, out.corrections, out.skipped = list(model.log), list(model.corrections), list(model.skipped)
    return out


def without(model: Model, ids: list[str]) -> Model:
    """A copy of the model without these members and surfaces; their loads go with them."""
    out = copied(model)
    present = [i for i in ids if out.part(i) is not None]
    if present:
        DeleteMembers(present).apply(out)
        for name, case in list(out.cases.items()):
            own = copy(case)
            own.member_loads = [x for x in case.member_loads if x.member in out.members]
            own.temperatures = [x for x in case.temperatures if x.member in out.members]
            own.area_loads = [x for x in case.area_loads if not x.surface or x.surface in out.surfaces]
            own.space_loads = [x for x in case.space_loads if not x.to or out.part(x.to) is not None]
            own.node_loads = [x for x in case.node_loads if x.node in out.nodes]
            own.settlements = [x for x in case.settlements if x.node in out.nodes]
            out.cases[name] = own
    return out
