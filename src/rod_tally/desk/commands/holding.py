"""Supports and releases direction by direction: free, held, or a spring of its own stiffness."""

from __future__ import annotations

from collections.abc import Callable
from math import inf, isinf
from typing import Any

import numpy as np
from PyQt6.QtWidgets import QComboBox, QWidget
from shapely.geometry import MultiPoint, Polygon

from ...model import PINNED_END, Model, Release, Support
from ...model.edits import (
    Edit,
    PinBoth,
    SetBedding,
    SetBedZones,
    SetEdgeSupport,
    SetMemberBed,
    SetRelease,
    SetSupport,
)
from ...model.edits.edge_supports import edges_of
from ...model.entities.structure import COMPONENTS, DIRECTIONS, SUPPORT_WORDS
from ...review.remedies import lowest
from ..forms.asking import Asking, selected
from ..forms.form import Field, Form
from ..session.state import DeskState

FREE_WORD, HELD_WORD, SPRING_WORD = "free", "held", "spring"
CHOSEN = "as chosen below"
MEANING = {
    "ux": "along x (ux)",
    "uy": "along y (uy)",
    "uz": "along z (uz)",
    "rx": "about x (rx)",
    "ry": "about y (ry)",
    "rz": "about z (rz)",
    "n": "axial (n)",
    "vy": "shear (vy)",
    "vz": "shear (vz)",
    "mt": "torsion (mt)",
    "my": "bending (my)",
    "mz": "bending (mz)",
}
READY = SUPPORT_WORDS | {CHOSEN: None}
FEET, ALL = "at the foot", "all edges"
ENDS = {
    "fixed": "",
    "pinned in bending": "my mz",
    "pinned about y": "my",
    "pinned about z": "mz",
    "pinned, and free to twist": "mt my mz",
    "free to slide along": "n",
    CHOSEN: None,
}


def held_nodes(model: Model | None, state: DeskState) -> list[str]:
    """The selected nodes, and the lower ends of selected members."""
    low = [lowest(model, m) for m in state.chosen("member")] if model is not None else []
    return list(dict.fromkeys([*state.chosen("node"), *low]))


class HoldDesk(Asking):
    """Asks what holds nodes, edges and ends, and hands the correction to the session."""

    def ask_support(self) -> None:
        """Ask what holds the selected nodes and the feet of selected members: six directions, along the
        axes or turned in plan."""
        model, nodes = self.model, held_nodes(self.model, self.state)
        if model is None or not nodes:
            if self.state.chosen("surface"):
                self.ask_edges()
            return
        now = model.nodes[nodes[0]].support
        text = (
            f"{len(nodes)} {'node is' if len(nodes) == 1 else 'nodes are'} selected; now {now.words or 'free'}"
            f"{' in axes of its own' if now.axes else ''}."
        )

        fields = [*ready(READY, now.words), *six(DIRECTIONS, now.stiffness), turn(now)]
        self._ask_six("Support", text, fields, lambda v: SetSupport(nodes, support_of(v)), DIRECTIONS)

    def ask_edges(self) -> None:
        """Ask what holds edges of the selected slabs and walls, a spring being one a metre of edge; or what
        ground a slab lies on."""
        model, ids = self.model, self.state.chosen("surface")
        if model is None or not ids:
            return
        own = model.surfaces[ids[0]]
        choices = [ALL, FEET]
        lines = edges_of(own) if len(ids) == 1 else []
        for k, line in enumerate(lines, 1):
            a, b = line + model.origin
            words = " to ".join(f"({p[0]:.2f}, {p[1]:.2f}, {p[2]:.2f})" for p in (a, b))
            choices.append(f"{k}: {np.linalg.norm(b - a):.2f} m, {words}")
        now = own.supports[0].support if own.supports else Support()
        fields = [
            Field("edge", "which", FEET if own.upright else ALL, choices),
            *ready(READY, now.words),
            *six(DIRECTIONS, now.stiffness, "/m"),
            turn(now),
        ]
        text = f"{selected(ids, 'surface')}; {len(own.supports)} edges of the first are held."

        def made(v: dict[str, Any]) -> Edit | None:
            chosen: list[dict[str, Any]] = []
            for ident in ids:
                s = model.surfaces[ident]
                if v["edge"] == FEET:
                    found = s.bottom_edges()
                elif v["edge"] == ALL:
                    found = edges_of(s)
                else:
                    found = [lines[int(str(v["edge"]).split(":")[0]) - 1]]
                chosen += [{"surface": ident, "line": line.tolist()} for line in found]
            if chosen:
                return SetEdgeSupport(chosen, support_of(v))
            self.session.said.emit("None of the selected surfaces has a level edge at its foot")
            return None

        self._ask_six("Held edges", text, fields, made, DIRECTIONS)

    def ask_bed(self) -> None:
        """The ground that the selected slabs, or else the selected members, lie on."""
        model = self.model
        if model is None:
            return
        slabs = [s for s in self.state.chosen("surface") if not model.surfaces[s].upright]
        members = self.state.chosen("member")
        if not slabs and not members:
            self.session.said.emit("Select slabs or level members first")
            return
        now = model.surfaces[slabs[0]].bedding / 1e6 if slabs else 0.0
        bed = Field("bed", "modulus of subgrade reaction", now or 20.0, unit="MN/m³", low=0.0, high=1e4)
        if slabs:
            text = f"{selected(slabs, 'slab')}. 0 takes their ground away. A tenth of it resists sliding."
            self._ask("Ground under slabs", text, [bed], lambda v: SetBedding(slabs, v["bed"] * 1e6))
            return
        text = (
            f"{selected(members, 'member')}. The ground is springs along them, at nodes of their own; a tenth of it resists "
            "sliding. 0 takes it away. A width of 0 is that of each member's section."
        )
        width = Field("width", "width of contact", 0.0, unit="m", low=0.0, high=20.0)
        self._ask(
            "Ground under members",
            text,
            [bed, width],
            lambda v: SetMemberBed(members, v["bed"] * 1e6, v["width"]),
        )

    def ask_bed_zone(self) -> None:
        """Ground of its own under a part of a slab: a rectangle in plan, or what lies around the selected
        nodes."""
        model = self.model
        slabs = [
            s for s in self.state.chosen("surface") if model is not None and not model.surfaces[s].upright
        ]
        if model is None or not slabs:
            self.session.said.emit("Select a slab first")
            return
        s = model.surfaces[slabs[0]]
        nodes = [n for n in self.state.chosen("node") if n in model.nodes]
        hull = MultiPoint([model.nodes[n].point[:2] for n in nodes]).convex_hull if len(nodes) > 2 else None
        around = np.array(hull.exterior.coords)[:-1] if isinstance(hull, Polygon) else None
        low, high = (around if around is not None else s.outer[:, :2]).min(axis=0), s.outer[:, :2].max(axis=0)
        fields = [
            Field(
                "bed",
                "modulus of subgrade reaction",
                s.bedding / 1e6 or 20.0,
                unit="MN/m³",
                low=0.0,
                high=1e4,
            ),
            Field("zones", "zones that it has", "stay", ("stay", "are taken away")),
        ]
        if around is None:
            middle = (low + high) / 2
            values = (
                ("x0", "from x", low[0]),
                ("y0", "from y", low[1]),
                ("x1", "to x", middle[0]),
                ("y1", "to y", high[1]),
            )
            fields += [Field(k, title, float(v), unit="m") for k, title, v in values]

        def made(v: dict[str, Any]) -> Edit:
            flat = around
            if flat is None:
                flat = np.array(
                    [(v["x0"], v["y0"]), (v["x1"], v["y0"]), (v["x1"], v["y1"]), (v["x0"], v["y1"])]
                )
            z = float(s.outer[:, 2].mean())
            zone = {
                "surface": s.id,
                "outline": [[float(x), float(y), z] for x, y in flat],
                "modulus": v["bed"] * 1e6,
            }
            return SetBedZones([zone], [s.id] if v["zones"] != "stay" else [])

        where = (
            f"The zone lies around the {len(nodes)} selected nodes."
            if around is not None
            else "A rectangle in plan."
        )
        self._ask(
            "Ground under a part of a slab",
            f"{s.name or s.id}. {where} 0: it lies on nothing there.",
            fields,
            made,
        )

    def ask_release(self) -> None:
        """How ends of the selected members are tied to their nodes: six components in local axes."""
        model, members = self.model, self.state.chosen("member")
        if model is None or not members:
            return
        now = model.members[members[0]].release_start
        fields = [
            Field("which", "at", "both ends", ("both ends", "start", "end")),
            *ready(ENDS, now.words),
            *six(COMPONENTS, now.stiffness),
        ]
        text = (
            f"{selected(members, 'member')}; the first one's start is now {now.words + ' released' if now.words else 'fixed'}: "
            "held passes the component on, free releases it."
        )

        def made(v: dict[str, Any]) -> None:
            release = Release(stiffness_of(v))
            if v["which"] == "both ends" and release in (Release(), PINNED_END):
                self.session.correct(PinBoth(members, release.any))
                return
            if v["which"] == "both ends":
                self.session.correct(SetRelease(members, False, release))
            self.session.correct(SetRelease(members, v["which"] != "start", release))

        self._ask_six("Releases", text, fields, made, COMPONENTS)

    def _ask_six(self, title: str, text: str, fields: list[Field], make: Any, six: tuple[str, ...]) -> None:
        """As `_ask`, with six directions that follow what is chosen ready."""
        self._ask(title, text, fields, make)
        assert self.form is not None
        if six == DIRECTIONS:
            follow(self.form, READY, lambda words: Support.of(words).stiffness, six)
        else:
            follow(self.form, ENDS, lambda words: Release.of(words).stiffness, six)


def ready(kinds: dict[str, str | None], now: str) -> list[Field]:
    """The usual ones by name; what is there now is shown by its name, or as chosen."""
    name = next((k for k, words in kinds.items() if words == now), CHOSEN)
    return [Field("ready", "kind", name, list(kinds))]


def six(names: tuple[str, ...], stiffness: tuple[float, ...], per: str = "") -> list[Field]:
    """A row a direction: free, held or a spring, and its stiffness."""
    out = []
    for k, (name, value) in enumerate(zip(names, stiffness)):
        word = HELD_WORD if isinf(value) else SPRING_WORD if value else FREE_WORD
        unit = (f"kN/m{per}" if k < 3 else f"kNm/rad{per}").replace("/m/m", "/m²")
        size = value / 1000 if value and not isinf(value) else 1e4
        out += [
            Field(name, MEANING[name], word, (FREE_WORD, HELD_WORD, SPRING_WORD)),
            Field(
                f"{name} spring",
                f"stiffness, {name}",
                size,
                unit=unit,
                low=0.0,
                high=1e12,
                digits=1,
                beside=True,
            ),
        ]
    return out


def follow(
    form: Form, kinds: dict[str, str | None], of: Callable[[str], tuple[float, ...]], names: tuple[str, ...]
) -> None:
    """The kind sets the six, one of the six makes the kind one as chosen, and only springs have a
    stiffness."""
    kind = form.widgets["ready"]
    assert isinstance(kind, QComboBox)

    def set_six(name: str) -> None:
        words = kinds[name]
        if words is not None:
            for direction, k in zip(names, of(words)):
                box = form.widgets[direction]
                assert isinstance(box, QComboBox)
                box.setCurrentText(HELD_WORD if isinf(k) else FREE_WORD)
            kind.setCurrentText(name)

    kind.currentTextChanged.connect(set_six)
    for direction in names:
        box, size = form.widgets[direction], form.widgets[f"{direction} spring"]
        assert isinstance(box, QComboBox)

        def chosen(word: str, size: QWidget = size) -> None:
            size.setEnabled(word == SPRING_WORD)
            kind.setCurrentText(CHOSEN)

        size.setEnabled(box.currentText() == SPRING_WORD)
        box.currentTextChanged.connect(chosen)


def turn(now: Support) -> Field:
    """By how much the support's x and y are turned in plan."""
    angle = 0.0 if now.axes is None else float(np.degrees(np.arctan2(now.axes[0][1], now.axes[0][0])))
    return Field("turn", "turned in plan", angle, unit="°", low=-360.0, high=360.0, digits=2)


def stiffness_of(v: dict[str, Any]) -> tuple[float, ...]:
    """The six of a form, N/m and N m/rad: 0 free, infinite held."""
    names: tuple[str, ...] = DIRECTIONS if DIRECTIONS[0] in v else COMPONENTS
    kinds = {FREE_WORD: lambda _: 0.0, HELD_WORD: lambda _: inf, SPRING_WORD: lambda k: k * 1000}
    return tuple(float(kinds[v[n]](v[f"{n} spring"])) for n in names)


def support_of(v: dict[str, Any]) -> Support:
    """The support of a form, with axes of its own where it is turned and that makes a difference."""
    found = Support(stiffness_of(v))
    k = found.stiffness
    if not v["turn"] or (k[0] == k[1] and k[3] == k[4]):
        return found
    c, s = float(np.cos(np.radians(v["turn"]))), float(np.sin(np.radians(v["turn"])))
    return Support(k, ((c, s, 0.0), (-s, c, 0.0), (0.0, 0.0, 1.0)))
