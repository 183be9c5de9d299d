"""Meshes of slabs and walls: they cover, keep lines, share nodes, and come out well shaped."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.geometry import MultiPoint

from rod_tally.analysis.shells.elements import areas
from rod_tally.meshing import Plates, mesh_plates
from rod_tally.meshing.fill import cut, fill
from rod_tally.model import Model, SurfaceJoint

from .plates import plate_model, rectangle, shell


def area(p: Plates, surface: str) -> float:
    k = p.surfaces.index(surface)
    return float(
        areas(p.points[p.quads[p.quad_of == k]]).sum()
        + areas(p.points[p.triangles[p.triangle_of == k]]).sum()
    )


def tee() -> Model:
    """A slab with a wall under its middle."""
    m = plate_model()
    s = shell(m, "s", rectangle(6, 4, 3.0))
    w = shell(m, "w", [(3, 0, 0), (3, 4, 0), (3, 4, 3), (3, 0, 3)], cls="wall")
    line = np.array([(3, 0, 3), (3, 4, 3)], float)
    s.joints = [SurfaceJoint("surface", "w", line)]
    w.joints = [SurfaceJoint("surface", "s", line)]
    return m


def test_surfaces_that_meet_share_the_nodes_on_their_line() -> None:
    p = mesh_plates(tee(), 0.5)
    shared = np.intersect1d(p.nodes_of("s"), p.nodes_of("w"))
    assert len(shared) == 9 and not p.ties
    assert p.points[shared][:, [0, 2]] == pytest.approx(np.tile([3, 3], (9, 1)))


def test_a_rectangle_is_filled_with_quadrilaterals_alone() -> None:
    p = mesh_plates(tee(), 0.5)
    assert len(p.quads) == 12 * 8 + 8 * 6 and not len(p.triangles)


def test_an_element_size_of_its_own_holds_for_a_surface() -> None:
    m = tee()
    m.surfaces["w"].mesh_size = 0.25
    p = mesh_plates(m, 0.5)
    assert len(np.intersect1d(p.nodes_of("s"), p.nodes_of("w"))) == 17


def test_narrow_strips_beside_openings_are_covered_without_overlap() -> None:
    m = plate_model()
    shell(m, "s", rectangle(6, 4), openings=[[(0.1, 1, 0), (5.9, 1, 0), (5.9, 3.9, 0), (0.1, 3.9, 0)]])
    p = mesh_plates(m, 0.5)
    assert not p.failed and area(p, "s") == pytest.approx(24 - 5.8 * 2.9)


def test_a_surface_without_a_face_is_named_and_the_others_are_meshed() -> None:
    m = tee()
    shell(m, "x", rectangle(1, 1), openings=[[(-1, -1, 0), (2, -1, 0), (2, 2, 0), (-1, 2, 0)]])
    p = mesh_plates(m, 0.5)
    assert set(p.failed) == {"x"} and set(p.surfaces) == {"s", "w"}


@given(
    st.lists(st.tuples(st.floats(0, 10), st.floats(0, 8)), min_size=4, max_size=9),
    st.tuples(st.floats(0.2, 0.8), st.floats(0.2, 0.8), st.floats(0.05, 0.6)),
)
@settings(max_examples=40, deadline=None, derandomize=True)
def test_any_outline_with_an_opening_is_covered_once(
    corners: list[tuple[float, float]], hole: tuple[float, float, float]
) -> None:
    hull = MultiPoint(corners).convex_hull
    if hull.area < 2.0:
        return
    middle = np.array(hull.centroid.coords[0])
    ring = np.array(hull.exterior.coords)[:-1]
    inner = middle + (ring - middle) * hole[2] * 0.9
    m = plate_model()
    flat = [(*p, 0.0) for p in ring]
    shell(m, "s", flat, openings=[[(*p, 0.0) for p in inner]])
    p = mesh_plates(m, 0.5)
    if "s" not in p.failed:
        wanted = m.surfaces["s"].polygon.area
        assert area(p, "s") == pytest.approx(wanted, rel=5e-3)


def test_a_face_that_nothing_fills_is_cut_into_triangles_between_its_corners() -> None:
    points = np.array([(0, 0), (4, 0), (4, 1), (1, 1), (1, 3), (0, 3)], float)
    done = cut(points, [list(range(6))])
    assert len(done.triangles) == 4 and len(done.points) == 6


def test_filling_keeps_lines_and_dots_within_a_face() -> None:
    points = np.array([(0, 0), (2, 0), (2, 2), (0, 2), (0.5, 0.5), (1.5, 0.5), (1.2, 1.4)], float)
    done = fill(points, [[0, 1, 2, 3]], [(4, 5)], [6], 1.0)
    every = [np.roll(e, -k, axis=1)[:, :2] for e in (done.quads, done.triangles) for k in range(e.shape[1])]
    sides = {tuple(sorted(s)) for s in np.concatenate(every).tolist()}
    assert (4, 5) in sides and 6 in np.concatenate([done.quads.ravel(), done.triangles.ravel()])


def test_a_mapped_face_follows_sides_that_bend() -> None:
    """A quarter of a ring, whose long sides are arcs: quadrilaterals alone, inside as round as the border."""
    t = np.linspace(0, np.pi / 2, 13)
    inner, outer = 2.0, 4.0
    ring = [(outer * np.cos(a), outer * np.sin(a)) for a in t]
    ring += [(3.0 * np.cos(np.pi / 2), 3.0 * np.sin(np.pi / 2))]
    ring += [(inner * np.cos(a), inner * np.sin(a)) for a in t[::-1]] + [(3.0, 0.0)]
    points = np.array(ring)
    done = fill(points, [list(range(len(points)))], [], [], 1.0)
    assert done.how == "mapped" and len(done.quads) == 24 and not len(done.triangles)
    assert np.linalg.norm(done.points[len(points) :], axis=1) == pytest.approx(3.0, abs=0.02)


def test_a_surface_of_absurd_size_is_refused_in_words() -> None:
    m = plate_model()
    shell(m, "s", rectangle(1e6, 1e6))
    assert "larger element size" in mesh_plates(m, 0.5).failed["s"]
