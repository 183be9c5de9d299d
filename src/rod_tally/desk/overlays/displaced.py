"""Overlays of what moves: the displaced shape by component, shapes of modes, motions without resistance."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ...analysis.frame.shape import Shapes, free_shapes
from ...analysis.results.results import Results
from ...model.geometry.vectors import Array
from ..session.state import MOVEMENTS, VALUES
from ..theme import GRAPHITE, INK, RUST, blend
from ..view.symbols import ring
from .registry import Scene, overlay
from .surfaces import BANDS, ramp

if TYPE_CHECKING:
    from ..view.canvas import Canvas

SIZE = MOVEMENTS[0]
MOST_VALUES = 300  # values of nodes that are written at most


@overlay("displaced", "Displaced shape", base="pale")
def draw_displaced(canvas: Canvas, scene: Scene) -> list[str]:
    """The moved shape coloured by one component of the movement, or by its size."""
    if scene.why_old:
        return [scene.why_old]
    r, case = scene.review.shown(scene.state.case), scene.state.case
    if case not in r.cases or not r.node_done[r.case_index(case)].any():
        return [f"{case or 'no case'} was not computed"]
    if scene.review.shapes_waiting(case):
        return ["the displaced shape is being worked out"]
    shapes = scene.review.shapes(case)
    assert shapes is not None
    wanted = set(scene.ids)
    shown = np.isin(shapes.member, [k for k, i in enumerate(r.member_ids) if i in wanted])
    c = r.case_index(case)
    points, u = shapes.points[shown], shapes.displacement[shown]
    moved = np.linalg.norm(r.displacement[c][:, :3], axis=1).max(initial=0.0)
    most = max(
        float(np.linalg.norm(u, axis=2).max(initial=0.0)), float(moved) if r.plates is not None else 0.0
    )
    most = scene.largest("movement", most)
    scale = scene.state.scale * (scene.state.times or (scene.size / 25 / most if most > 0 else 1.0))
    by = scene.state.movement
    along, at_nodes = _along_members(shapes, r, c, by)[shown], _of(r.displacement[c], by)
    nodes = _nodes_of(scene, r, shapes.ends[shown] if shapes.ends is not None else None)
    values = np.concatenate([along.ravel(), at_nodes[nodes]])
    if not len(values):
        return [f"{case}: nothing shown was computed"]
    limits = _limits(scene, values, by)
    # a size has no sign: one colour, deeper the more it moves
    colours = [blend(-(k + 1) / BANDS) for k in range(BANDS)] if by == SIZE else ramp()
    canvas.moving(points, u * scale, INK, 2.6, along, limits, colours)
    _move_plates(canvas, scene, r, r.displacement[c], scale, at_nodes, limits, colours)
    kind = "angle" if by[0] == "r" else "small"
    factor, unit = (1e3, "mrad") if kind == "angle" else scene.units.small
    low, high = (f"{v * factor:.4g}" for v in limits)
    blocks = "".join(f"<font color='{colour}'>■</font>" for colour in colours)
    legend = [
        f"{case}: {'size of the displacement' if by == SIZE else by}, {unit}",
        f"{low} {blocks} {high}",
        f"drawn {scale:.0f} times; pale: undisplaced",
    ]
    if by[0] == "r":
        legend.append("between nodes in a straight line")
    moved_to = (points + u * scale).reshape(-1, 3)
    moved_nodes = r.xyz[nodes] - scene.model.origin + r.displacement[c][nodes, :3] * scale
    every = np.concatenate([moved_to, moved_nodes])
    ends = [int(values.argmax())] if by == SIZE else list({int(values.argmin()), int(values.argmax())})
    canvas.symbols(every[ends], ring(7), INK, 2.0)
    canvas.callouts(every[ends], [f"{values[k] * factor:.4g} {unit}" for k in ends])
    if scene.state.label == VALUES and len(nodes):
        named = nodes if r.plates is None else nodes[nodes < r.plates.named]
        order = named[np.argsort(-np.abs(at_nodes[named]), kind="stable")][:MOST_VALUES]
        canvas.labels(
            r.xyz[order] - scene.model.origin + r.displacement[c][order, :3] * scale,
            [f"{at_nodes[n] * factor:.3g}" for n in order],
            INK,
            10,
        )
        if len(named) > MOST_VALUES:
            legend.append(f"values at the {MOST_VALUES} nodes of {len(named)} that move most")
    largest = scene.review.largest_displacement(case)
    if largest is not None:
        text = f"{scene.units.show(largest.size, 'small', 3)} {scene.units.small[1]}"
        part = scene.model.members.get(largest.ident) or scene.model.surfaces.get(largest.ident)
        where = largest.ident if part is None else f"{part.cls} {part.name or part.id}"
        legend.append(f"largest of the building: {text} at {where}")
    return legend


def _of(u: Array, by: str) -> Array:
    """Return one component of movements (…, 6), or the size of the displacement."""
    if by == SIZE:
        return np.asarray(np.linalg.norm(u[..., :3], axis=-1))
    return np.asarray(u[..., MOVEMENTS.index(by) - 1])


def _along_members(shapes: Shapes, r: Results, c: int, by: str) -> Array:
    """(P, n) along the pieces; rotations are known at nodes alone."""
    if by == SIZE or by[0] == "u" or shapes.ends is None:
        three = np.pad(shapes.displacement, ((0, 0), (0, 0), (0, 3)))
        return _of(three, by)
    share = np.linspace(0.0, 1.0, shapes.points.shape[1])
    at = _of(r.displacement[c], by)[shapes.ends]
    return np.asarray(at[:, :1] * (1 - share) + at[:, 1:] * share)


def _nodes_of(scene: Scene, r: Results, ends: NDArray[np.int64] | None) -> NDArray[np.int64]:
    """Numbers of the run's nodes on what is shown."""
    found = [np.zeros(0, np.int64)] if ends is None else [ends.ravel()]
    if r.plates is not None:
        ids = set(scene.state.shown_surfaces())
        found += [r.plates.nodes_of(s) for s in r.plates.surfaces if s in ids]
    return np.unique(np.concatenate(found))


def _limits(scene: Scene, values: Array, by: str) -> tuple[float, float]:
    """Return what the bands run between: from nothing to the largest size, or as far below zero as above."""
    most = scene.largest(f"movement {by}", float(np.abs(values).max(initial=0.0)))
    return (0.0, most) if by == SIZE else (-most, most)


@overlay("modes", "Mode shape", base="pale")
def draw_mode(canvas: Canvas, scene: Scene) -> list[str]:
    """One mode's shape; the row of the table of modes chooses it."""
    if scene.why_old:
        return [scene.why_old]
    found = [m for m in scene.review.modes if m.shape is not None]
    if not found:
        return ["no modes were found: something is loose, nothing has mass, or their count is set to 0"]
    mode = next((m for m in found if m.mode == scene.state.mode), found[0])
    assert mode.shape is not None
    r = scene.review.results
    shapes = free_shapes(
        scene.model, r.member_ids, mode.shape, 13, scene.review.settings.run.shear_flexible, r.plates
    )
    wanted = set(scene.ids)
    shown = np.isin(shapes.member, [k for k, i in enumerate(r.member_ids) if i in wanted])
    canvas.moving(
        shapes.points[shown], shapes.displacement[shown] * scene.state.scale * scene.size / 25, INK, 2.0
    )
    _move_plates(canvas, scene, r, mode.shape, scene.state.scale * scene.size / 25)
    shares = ", ".join(f"{d} {v:.1%}" for d, v in zip("xyz", (mode.mass_x, mode.mass_y, mode.mass_z)))
    return [
        f"mode {mode.mode}: period {mode.period:.4g} s, {1 / mode.period:.4g} Hz",
        f"moves {shares} of the mass",
    ]


@overlay("motions", "Mechanisms", base="pale")
def draw_motions(canvas: Canvas, scene: Scene) -> list[str]:
    """A motion without resistance that the run found, as large as can be seen; the command Animate moves it
    to and fro."""
    if scene.why_old:
        return [scene.why_old]
    r = scene.review.results
    if not r.motions:
        return ["nothing moves without resistance"]
    which = (scene.state.mode - 1) % len(r.motions)
    motion = r.motions[which]
    u = np.zeros((len(r.node_ids), 6))
    index = {n: k for k, n in enumerate(r.node_ids)}
    u[[index[n] for n in motion.nodes]] = motion.shape
    size = max(float(np.linalg.norm(u[:, :3], axis=1).max()), float(np.abs(u[:, 3:]).max()), 1e-300)
    u *= scene.state.scale * scene.size / 25 / size
    shapes = free_shapes(scene.model, r.member_ids, u, 13, scene.review.settings.run.shear_flexible, r.plates)
    wanted = set(scene.ids)
    shown = np.isin(shapes.member, [k for k, i in enumerate(r.member_ids) if i in wanted])
    canvas.moving(shapes.points[shown], shapes.displacement[shown], RUST, 2.4)
    _move_plates(canvas, scene, r, u, 1.0)
    at = r.xyz[[index[n] for n in motion.nodes[:40]]] - scene.model.origin
    canvas.symbols(at, ring(6), RUST, 1.8)
    more = f"; mode steps through {len(r.motions)}" if len(r.motions) > 1 else ""
    return [
        f"motion {which + 1} of {len(r.motions)}: {len(motion.nodes)} nodes move{more}",
        "○ the nodes that move most",
    ]


def _move_plates(
    canvas: Canvas,
    scene: Scene,
    r: Results,
    u: Array,
    scale: float,
    values: Array | None = None,
    limits: tuple[float, float] = (0.0, 1.0),
    colours: Sequence[str] = (),
) -> None:
    """Slabs and walls that are shown, with their nodes moved by u (N, 6) times a scale, in bands by `values`
    (N,) where they are given."""
    if r.plates is None:
        return
    ids = set(scene.state.shown_surfaces())
    good = np.array([s in ids for s in r.plates.surfaces], bool)
    if good.any():
        nodes = (r.plates.quads[good[r.plates.quad_of]], r.plates.triangles[good[r.plates.triangle_of]])
        canvas.moving_panes(r.plates.points, u[:, :3] * scale, nodes, GRAPHITE, values, limits, colours)
