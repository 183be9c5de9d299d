"""Corrections of what is selected: which form asks for what, and which edit comes of it."""

from __future__ import annotations

from typing import Any

import numpy as np

from ...model import PINNED_END, Release, Support
from ...model.catalogue.catalogue import catalogue, catalogue_name, near_names
from ...model.catalogue.grades import grades
from ...model.edits import (
    DeleteMembers,
    Edit,
    HoldFoot,
    JoinCrossing,
    JoinEnd,
    KeepApart,
    MergeMembers,
    MoveNodes,
    ReverseMembers,
    SetGroundLifting,
    SetLifting,
    SetLimit,
    SetOneWay,
    SetRelease,
    SetStanding,
    SetSupport,
    SetThickness,
    SplitMember,
    TurnMembers,
    TurnSurfaces,
    likely_grade,
)
from ...review.remedies import lowest
from ..forms.asking import selected
from ..forms.form import Field
from ..making.made_of import MadeOf
from .holding import held_nodes


class Corrections(MadeOf):
    """Asks, and hands the edit to the session, which makes it with undo."""

    # -- what is selected ------------------------------------------------------------------------------------

    def nodes(self) -> list[str]:
        return held_nodes(self.model, self.state)

    def _say(self, text: str) -> None:
        self.session.said.emit(text)

    # -- what things are -------------------------------------------------------------------------------------

    def hold(self, support: Support) -> None:
        """Give the selected nodes, feet of members and feet of walls a support."""
        walls = [s for s in self.surfaces() if self.model is not None and self.model.surfaces[s].upright]
        edits: list[Edit] = [HoldFoot(walls, support)] if walls else []
        if self.nodes():
            edits.append(SetSupport(self.nodes(), support))
        self.session.correct_all(edits)

    def pin(self, at_end: bool) -> None:
        """Pin one end of the selected members, or fix it where the picked one is pinned."""
        model, members = self.model, self.members()
        if model is None or not members:
            return
        m = model.members[members[0]]
        now = m.release_end if at_end else m.release_start
        self.session.correct(SetRelease(members, at_end, Release() if now.any else PINNED_END))

    def ask_thickness(self) -> None:
        model = self.model
        if model is None or not self.surfaces():
            return
        now = model.surfaces[self.surfaces()[0]].thickness * 1000
        text = f"{selected(self.surfaces(), 'surface')}."
        fields = [Field("thickness", "thickness", now, unit="mm", low=1.0, high=10000.0, digits=1)]
        self._ask("Thickness", text, fields, lambda v: SetThickness(self.surfaces(), v["thickness"] / 1000))

    def ask_map_material(self) -> None:
        """Map the material of the picked part to a grade, for all that is made of it and for models to
        come."""
        model = self.model
        ids = [*self.members(), *self.surfaces()]
        part = model.part(ids[0]) if model is not None and ids else None
        if model is None or part is None:
            return
        guess = likely_grade(model, part.material)
        kind = grades()[guess].kind if guess else ""
        names = sorted(grades(), key=lambda g: grades()[g].kind != kind)  # its own family first
        text = (
            f"Material {part.material} of this model, and of those to come, is (what the file says of its stiffness and density "
            "stays)"
        )
        fields = [Field("grade", "grade", guess or names[0], names)]
        self._ask(
            "Map a material", text, fields, lambda v: self.session.map_material(part.material, v["grade"])
        )

    def ask_map(self, profile: str) -> None:
        """Map a profile to a section of the catalogue; what its name may be a slip of comes first."""
        near = [n for n in (catalogue_name(profile), *near_names(profile)) if n]
        names = list(dict.fromkeys([*near, *catalogue()]))
        text = f"Profile {profile} of this model, and of those to come, is"
        if near:
            text += f" (its name is near to {', '.join(near[:3])})"
        fields = [Field("name", "section", near[0] if near else "IPE 220", names)]
        self._ask("Map a profile", text, fields, lambda v: self.session.map_profile(profile, v["name"]))

    # -- where things are ------------------------------------------------------------------------------------

    def ask_move(self) -> None:
        if not self.state.chosen("node"):
            self._say("Select nodes first: in the table of nodes, or by their number")
            return
        nodes = self.state.chosen("node")
        fields = [Field(a, f"along {a}", 0.0, unit="mm", digits=1) for a in "xyz"]
        text = f"{selected(nodes, 'node')}."
        self._ask("Move", text, fields, lambda v: MoveNodes(nodes, [v[a] / 1000 for a in "xyz"]))

    def ask_split(self) -> None:
        model, members = self.model, self.members()
        if model is None or len(members) != 1:
            self._say("Pick the member to split")
            return
        length = model.length(model.members[members[0]])
        fields = [Field("at", "from its start", length / 2, unit="m", low=0.0, high=length)]
        self._ask(
            "Split a member",
            f"It is {length:.3f} m long.",
            fields,
            lambda v: SplitMember(members[0], v["at"]),
        )

    def merge(self) -> None:
        if len(self.members()) != 2:
            self._say("Select two members that run on from each other (Ctrl and a click adds one)")
            return
        self.session.correct(MergeMembers(self.members()))

    def join(self, link: bool) -> None:
        """Join the nearer end of the first selected member to the second, moved or tied by a rigid link."""
        model, members = self.model, self.members()
        if model is None or len(members) != 2:
            self._say("Select two members: the one whose end is to be joined, then the one it joins")
            return
        line, other = model.line(model.members[members[0]]), model.line(model.members[members[1]])
        u = (other[1] - other[0]) / np.linalg.norm(other[1] - other[0])
        off = [
            float(
                np.linalg.norm(
                    p - other[0] - u * np.clip((p - other[0]) @ u, 0, np.linalg.norm(other[1] - other[0]))
                )
            )
            for p in line
        ]
        self.session.correct(JoinEnd(members[0], off[1] < off[0], members[1], link))

    def cross(self) -> None:
        if len(self.members()) != 2:
            self._say("Select the two members that cross")
            return
        self.session.correct(JoinCrossing(*self.members()))

    def keep(self, at_end: bool, link: bool) -> None:
        """Refuse the move of an end of the picked member."""
        if len(self.members()) == 1:
            self.session.correct(KeepApart(self.members()[0], at_end, link))

    def reverse(self) -> None:
        if self.members():
            self.session.correct(ReverseMembers(self.members()))

    def ask_turn(self) -> None:
        """Turn local axes: members about their own axis, surfaces by the direction of x or to the other
        side."""
        if self.surfaces() and not self.members():
            fields = [
                Field("x", "local x towards", "as it is", ("as it is", "global x", "global y", "global z")),
                Field("flip", "local z", "as it is", ("as it is", "to the other side")),
            ]
            ways = {"global x": [1.0, 0, 0], "global y": [0, 1.0, 0], "global z": [0, 0, 1.0]}
            text = f"{selected(self.surfaces(), 'surface')}."
            self._ask(
                "Local axes",
                text,
                fields,
                lambda v: TurnSurfaces(self.surfaces(), ways.get(v["x"], []), v["flip"] != "as it is"),
            )
        elif self.members():
            ways = {"global x": [1.0, 0, 0], "global y": [0, 1.0, 0], "global z": [0, 0, 1.0]}
            fields = [
                Field("towards", "local z towards", "by an angle", ("by an angle", *ways)),
                Field("angle", "angle", 90.0, unit="°", low=-360.0, high=360.0, digits=1),
            ]
            text = f"{selected(self.members(), 'member')}."
            self._ask(
                "Local axes",
                text,
                fields,
                lambda v: TurnMembers(
                    self.members(),
                    v["angle"] if v["towards"] not in ways else 0.0,
                    ways.get(v["towards"], []),
                ),
            )

    def delete(self) -> None:
        parts = [*self.members(), *self.surfaces()]
        if parts:
            self.session.correct(DeleteMembers(parts))

    # -- selecting more --------------------------------------------------------------------------------------

    def one_way(self, way: str) -> None:
        """Let the selected members act in one way only, or in both."""
        self.session.correct(SetOneWay(self.members(), way))

    def stand(self, on: bool, sides: bool = False) -> None:
        """Let the selected walls only press on what is below them, or beside them."""
        walls = [i for i in self.surfaces() if self.model is not None and self.model.surfaces[i].upright]
        if not walls:
            self._say("No wall is selected")
            return
        self.session.correct(SetStanding(walls, on, sides))

    def ask_limit(self) -> None:
        """Ask what the selected one-way members bear at most, or the supports and the ground that can lift
        off."""
        model = self.model
        if model is None:
            return
        members = [i for i in self.members() if i in model.one_way]
        ground = [i for i in self.surfaces() if i in model.lifting]
        held = [n for n in self.nodes() if n in model.lifting]
        parts, kept = (members, model.limits) if members else (ground or held, model.bearing)
        if not parts:
            self._say(
                "None of what is selected acts one way: members in tension or compression only, supports or ground that can lift off"
            )
            return
        what, unit = ("member", "kN") if members else ("surface", "kN/m²") if ground else ("support", "kN")
        fields = [Field("limit", "at most", kept.get(parts[0], 0.0) / 1e3, unit=unit, low=0.0, high=1e9)]
        self._ask(
            "What one-way parts bear at most",
            f"{selected(parts, what)}. 0 for no limit; beyond it they give way.",
            fields,
            lambda v: SetLimit(parts, v["limit"] * 1e3, not members),
        )

    def lifting(self, on: bool) -> None:
        """Let the selected supports, those of selected members' lower ends, or the ground under selected
        surfaces, push only."""
        model = self.model
        if model is None:
            return
        grounded = [i for i in self.surfaces() if model.surfaces[i].on_ground or model.surfaces[i].supports]
        if grounded:
            self.session.correct(SetGroundLifting(grounded, on))
            return
        nodes = self.state.chosen("node") or [lowest(model, i) for i in self.members()]
        held = [n for n in dict.fromkeys(nodes) if model.nodes[n].support.stiffness[2]]
        if not held:
            self._say("None of what is selected is held upwards")
            return
        self.session.correct(SetLifting(held, on))

    def select_alike(self, what: str) -> None:
        """Select everything that shares the picked part's class and section, material, storey or line."""
        model, review = self.model, self.state.review
        ids = [*self.members(), *self.surfaces()]
        part = model.part(ids[0]) if model is not None and ids else None
        if model is None or part is None or review is None:
            return
        if what == "line":
            found = next((x for x in review.lines if part.id in x.members and x.kind != "frame"), None)
            alike = list(found.members) if found else [part.id]
        else:

            def key(p: Any) -> Any:
                if what == "section":
                    return getattr(p, "section", None) or round(getattr(p, "thickness", 0.0), 4)
                return getattr(p, what)

            alike = [
                p.id
                for p in model.parts()
                if type(p) is type(part) and p.cls == part.cls and key(p) == key(part)
            ]
        self.state.select([("member" if i in model.members else "surface", i) for i in alike])
        self._say(selected(alike, "part"))
