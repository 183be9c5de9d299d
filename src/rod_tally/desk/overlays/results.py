"""Overlays of forces, reactions and change."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ...analysis.results.results import COMPONENTS, Results
from ...compare.members import source_lines
from ...model import Surface
from ...model.geometry.vectors import Array, local_axes, ring_sides
from ..quantities import FORCE_KIND
from ..session.state import VALUES
from ..theme import GRAPHITE, INK, KINDS, OCHRE, PINE
from .loads import draw_arrows
from .registry import Scene, overlay

if TYPE_CHECKING:
    from ..view.canvas import Canvas

WAITING = "the envelope is being worked out"
FEW, MOST_TOLD = 40, 300  # members whose end values are written too; values at most


@overlay("forces", "Forces")
def draw_forces(canvas: Canvas, scene: Scene) -> list[str]:
    if scene.why_old:
        return [scene.why_old]
    r, case, component = scene.review.shown(scene.state.case), scene.state.case, scene.state.component
    if case not in r.cases:
        return [f"{case or 'no case'} was not computed"]
    c, k = r.case_index(case), COMPONENTS.index(component)
    places = member_places(scene, r, component, r.member_done[c])
    if places is None:
        return [f"{case}: nothing shown was computed"]
    value = r.force[c, places.stations, k]
    most = scene.largest("force", float(np.abs(value).max()))
    scale = scene.state.scale * scene.size / 18 / most if most > 0 else 0.0
    head = _diagram(canvas, places, value * scale, PINE)
    kind, unit = FORCE_KIND[component], getattr(scene.units, FORCE_KIND[component])[1]
    ends = [int(value.argmax()), int(value.argmin())]
    texts = [f"{scene.units.show(float(value[e]), kind)} {unit}" for e in ends]
    shown = _labelled_places(scene, r, places, value) if scene.state.label == VALUES else ends
    if shown is ends:
        canvas.callouts(head[ends], texts)
    else:
        canvas.labels(head[shown], [f"{scene.units.show(float(value[e]), kind, 3)}" for e in shown], INK)
    return [
        f"{case}: {component} from {texts[1]} to {texts[0]}",
        "moments on the side in tension, n positive in tension",
    ]


def _labelled_places(scene: Scene, r: Results, places: MemberPlaces, value: Array) -> list[int]:
    """Where values are written beside the diagrams: at the ends and the extremes of the selected members, or
    of the shown ones where they are few; only the extremes of the largest where they are many."""
    chosen = set(scene.state.chosen("member"))
    member = r.station_member[places.stations]
    ids = np.array([r.member_ids[k] in chosen for k in np.unique(member)], bool) if chosen else None
    wanted = np.unique(member) if ids is None or not ids.any() else np.unique(member)[ids]
    out: list[int] = []
    for k in wanted:
        own = np.flatnonzero(member == k)
        marks = {int(own[value[own].argmax()]), int(own[value[own].argmin()])}
        out += sorted(marks | {int(own[0]), int(own[-1])} if len(wanted) <= FEW else marks)
    order = np.argsort(-np.abs(value[out]), kind="stable")[:MOST_TOLD]
    most = float(np.abs(value).max(initial=0.0))
    return [out[int(k)] for k in order if abs(value[out[int(k)]]) > 1e-6 * most]


OTHER = KINDS[5]  # what differs in another way than place and section


@dataclass(slots=True)
class MemberPlaces:
    """Shown stations with the point of the member, or wall as a column, that each is at, and the direction
    its diagram is drawn in."""

    stations: NDArray[np.int64]
    run: NDArray[np.int64]
    foot: Array
    aside: Array


def member_places(scene: Scene, r: Results, component: str, done: NDArray[np.bool_]) -> MemberPlaces | None:
    """Return the places of the shown members, and of the shown walls that were computed as columns, that
    were `done`; the direction is that of a component's diagram. None where there are none."""
    index = {i: n for n, i in enumerate(r.member_ids)}
    there = [k for k, i in enumerate(scene.ids) if i in index]
    here = [index[scene.ids[k]] for k in there]
    begin, axes = scene.lines[there, 0], scene.axes[there]
    walls = {} if r.plates is None else r.plates.columns
    columns = [walls[s.id] for s in scene.surfaces if s.id in walls and s.id in index]
    if columns:
        here += [index[c.surface] for c in columns]
        lines = np.array([r.xyz[c.nodes[[0, -1]]] - scene.model.origin for c in columns])
        own = local_axes(lines[:, 1] - lines[:, 0], np.array([c.normal for c in columns])).reshape(-1, 3, 3)
        begin, axes = np.concatenate([begin, lines[:, 0]]), np.concatenate([axes, own])
    stations = np.flatnonzero(np.isin(r.station_member, here) & done[r.station_member])
    if not len(stations):
        return None
    which = r.station_member[stations]
    start = np.zeros((len(r.member_ids), 3))
    x, aside = start.copy(), start.copy()
    # drawn on the side of tension for moments, and in the plane the force acts in
    side = {"my": axes[:, 2], "mz": -axes[:, 1], "vy": axes[:, 1]}.get(component, axes[:, 2])
    start[here], x[here], aside[here] = begin, axes[:, 0], side
    foot = start[which] + x[which] * r.station_x[stations, None]
    return MemberPlaces(stations, np.flatnonzero(which[1:] == which[:-1]), foot, aside[which])


def _diagram(canvas: Canvas, p: MemberPlaces, height: Array, colour: str, opacity: float = 0.18) -> Array:
    """Heights (m, signed) beside the members; returns the tops (n, 3)."""
    head = p.foot + p.aside * height[:, None]
    run = p.run
    canvas.quads(np.stack([p.foot[run], p.foot[run + 1], head[run + 1], head[run]], axis=1), colour, opacity)
    canvas.lines(np.stack([head[run], head[run + 1]], axis=1), colour, 1.8)
    return head


@overlay("envelope", "Envelope")
def draw_envelope(canvas: Canvas, scene: Scene) -> list[str]:
    """The lowest and the highest of a force over all combinations, and which combination gives the
    extremes."""
    if scene.why_old:
        return [scene.why_old]
    if scene.review.envelopes.waiting:
        return [WAITING]
    which, component = scene.state.envelope_of, scene.state.component
    found = scene.review.envelopes.members(which)
    if found is None:
        return [
            f"no {which} combination was computed; give the cases a kind, or make combinations".replace(
                "  ", " "
            )
        ]
    over, r, k = found[0], scene.review.results, COMPONENTS.index(component)
    places = member_places(scene, r, component, np.atleast_1d(r.member_done.any(axis=0)))
    if places is None:
        return ["nothing shown was computed"]
    low, high = over.low[places.stations, k], over.high[places.stations, k]
    most = scene.largest("envelope", float(max(np.abs(low).max(), np.abs(high).max())))
    scale = scene.state.scale * scene.size / 18 / most if most > 0 else 0.0
    kind, unit = FORCE_KIND[component], getattr(scene.units, FORCE_KIND[component])[1]
    called: list[tuple[Array, str]] = []
    legend = [
        f"{component} over {len(over.combinations)} {which + ' combinations' if which else 'combinations of every kind'}"
    ]
    for values, by, at, colour, word in (
        (high, over.high_by, int(high.argmax()), PINE, "highest"),
        (low, over.low_by, int(low.argmin()), OCHRE, "lowest"),
    ):
        head = _diagram(canvas, places, values * scale, colour, 0.12)
        name = over.combinations[int(by[places.stations[at], k])].name
        text = f"{scene.units.show(float(values[at]), kind)} {unit}"
        called.append((head[at], f"{text} ({name})"))
        legend.append(f"<font color='{colour}'>▬</font> {word} {text} by {name}")
    canvas.callouts(np.array([place for place, _ in called]), [text for _, text in called])
    return legend


@overlay("reactions", "Reactions")
def draw_reactions(canvas: Canvas, scene: Scene) -> list[str]:
    if scene.why_old:
        return [scene.why_old]
    r, case = scene.review.shown(scene.state.case), scene.state.case
    if case not in r.cases:
        return [f"{case or 'no case'} was not computed"]
    c = r.case_index(case)
    nodes = set(scene.nodes())
    points, texts = [], []
    most = scene.largest("reaction", float(np.abs(r.reaction[c, :, :3]).max(initial=0.0))) or 1.0
    tails: list[tuple[Array, Array, float]] = []
    place = dict(zip(r.node_ids, r.xyz - scene.model.origin))
    edges = _held_by(scene, r)
    for s, n in enumerate(r.support_ids):
        if n in nodes or n in edges:
            p = place[n]
            tails += [
                (p, np.eye(3)[d] * f, abs(f))
                for d, f in enumerate(r.reaction[c, s, :3])
                if abs(f) > 1e-3 * most
            ]
            points.append(p)
            texts.append(scene.units.show(float(r.reaction[c, s, 2]), "force"))
    draw_arrows(canvas, tails, most)
    if len(points) <= 80:
        canvas.labels(np.array(points).reshape(-1, 3), texts, INK)
    total = r.reaction[c, :, :3].sum(axis=0)
    shown = ", ".join(f"{a} {scene.units.show(float(v), 'force')}" for a, v in zip("xyz", total))
    return [f"{case}: upward reaction at each support in {scene.units.force[1]}; in all {shown}"]


def _held_by(scene: Scene, r: Results) -> set[str]:
    """Supported nodes of the mesh on surfaces that are shown."""
    if r.plates is None:
        return set()
    shown = [s for s in r.plates.surfaces if s in set(scene.state.shown_surfaces())]
    nodes = {int(n) for s in shown for n in r.plates.nodes_of(s)}
    return {r.node_ids[n] for n in nodes if n >= r.plates.named}


def _outline(s: Surface) -> Array:
    """Edges (k, 2, 3) of a surface and its openings."""
    rings = [s.outer, *s.openings]
    return np.concatenate([ring_sides(r) for r in rings])


@overlay("change", "Change", base="pale")
def draw_change(canvas: Canvas, scene: Scene) -> list[str]:
    comparison, baseline = scene.review.comparison, scene.state.baseline
    if comparison is None or baseline is None:
        return ["this revision is compared with nothing; take in another one"]
    line_of = dict(zip(scene.ids, scene.lines))
    old_model = baseline.review.model
    old = dict(zip(old_model.members, source_lines(old_model)))
    origin = scene.model.origin
    old_outlines = {i: _outline(s) + old_model.origin for i, s in old_model.surfaces.items()}
    outlines = {
        i: _outline(scene.model.surfaces[i])
        for i in scene.state.shown_surfaces()
        if i in scene.model.surfaces
    }
    groups: dict[str, list[Array]] = {"added": [], "removed": [], "moved": [], "resized": [], "changed": []}
    count = dict.fromkeys(groups, 0)
    for m in comparison.parts:
        found: Array | None = None
        if m.status == "removed" and m.baseline_id is not None:
            found = old[m.baseline_id][None] if m.baseline_id in old else old_outlines.get(m.baseline_id)
            if found is not None:
                found = (
                    found if comparison.transform is None else comparison.transform.apply(found)
                ) - origin
        elif m.status in groups and m.revised_id is not None:
            found = line_of[m.revised_id][None] if m.revised_id in line_of else outlines.get(m.revised_id)
        if found is not None:
            groups[m.status].extend(found)
            count[m.status] += 1
    dash = scene.size / 90
    lines = {k: np.array(v).reshape(-1, 2, 3) for k, v in groups.items()}
    canvas.lines(lines["added"], PINE, 4.0)
    canvas.dashes(lines["removed"], dash, GRAPHITE, 2.6, (1, 1))
    canvas.dashes(lines["moved"], dash / 2, OCHRE, 3.4, (4, 1, 1, 1))
    canvas.dashes(lines["changed"], dash / 2, OTHER, 3.4, (5, 1))
    side = canvas.screen_axes()[0] * canvas.pixel * 2.2
    canvas.lines(np.concatenate([lines["resized"] - side, lines["resized"] + side]), INK, 1.6)
    return [
        f"<font color='{PINE}'><b>▬▬</b></font> added ({count['added']})",
        f"<font color='{GRAPHITE}'>╌╌</font> removed ({count['removed']})",
        f"<font color='{OCHRE}'>▬ ▪</font> moved ({count['moved']})",
        f"═ resized ({count['resized']})",
        f"<font color='{OTHER}'>▬ ▬</font> changed otherwise ({count['changed']})",
        "pale: the same",
    ]
