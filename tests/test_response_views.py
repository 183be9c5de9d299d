"""What the views of the response draw: displacements by component, walls over their height, envelopes by kind,
rigid floors."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

pytest.importorskip("PyQt6")
from rod_tally.desk.overlays.registry import Scene, overlays  # noqa: E402
from rod_tally.desk.quantities import METRIC  # noqa: E402
from rod_tally.desk.session.state import MOVEMENTS, DeskState, Revision  # noqa: E402
from rod_tally.model import Combination, LoadCase, Model, NodeLoad, Settings, SpaceLoad, Storey  # noqa: E402
from rod_tally.model.catalogue.own import own_section  # noqa: E402
from rod_tally.model.geometry.vectors import Array  # noqa: E402
from rod_tally.review.review import Review  # noqa: E402
from rod_tally.review.work import run_only  # noqa: E402

from .frames import frame, regular  # noqa: E402
from .plates import plate_model  # noqa: E402
from .test_wall_columns import wall  # noqa: E402


class Drawn:
    """Keeps what is drawn in place of drawing it."""

    pixel = 0.01

    def __init__(self) -> None:
        self.calls: list[tuple[str, tuple[Any, ...]]] = []

    def __getattr__(self, name: str) -> Any:
        return lambda *a, **k: self.calls.append((name, a))

    def of(self, name: str) -> list[tuple[Any, ...]]:
        return [a for n, a in self.calls if n == name]


def shown(review: Review, name: str, **view: object) -> tuple[Drawn, list[str]]:
    state = DeskState()
    state.set_revisions([Revision(1, "A", review)], 0)
    state.show_overlay(name)
    state.set_view(**view)
    m = review.model
    scene = Scene(review, state, list(m.members), m.lines_of(list(m.members.values())), METRIC)
    canvas: Any = Drawn()
    return canvas, overlays()[name].draw(canvas, scene)


def reviewed(m: Model) -> Review:
    done = run_only(m, Settings())
    done.model.combinations = done.model.combinations or []
    return done


def pushed() -> Model:
    m = regular(1, 2)
    node = max(m.nodes, key=lambda n: tuple(m.nodes[n].point[::-1]))
    m.cases["push"] = LoadCase(
        "push", "wind", node_loads=[NodeLoad(node, (30e3, 8e3, -5e3), (1e3, 2e3, 3e3))]
    )
    m.cases["pull"] = LoadCase("pull", "wind", node_loads=[NodeLoad(node, (-10e3, 0, 0))])
    return m


@pytest.mark.parametrize("by", MOVEMENTS)
def test_a_displaced_shape_is_coloured_by_the_component_that_is_asked_for(by: str) -> None:
    """At the ends of every member the colour stands for what the node there does; what lies between is within
    the bands, and the largest and smallest are named."""
    m = pushed()
    done = reviewed(m)
    canvas, legend = shown(done, "displaced", case="push", movement=by)
    r = done.results
    (points, _, _, _, values, limits, colours), *_ = canvas.of("moving")
    u = r.displacement[r.case_index("push")]
    index = {n: k for k, n in enumerate(r.node_ids)}

    def of(row: Array) -> float:
        return float(np.linalg.norm(row[:3])) if by == "size" else float(row[MOVEMENTS.index(by) - 1])

    wanted = {tuple(np.round(m.nodes[n].point, 6)): of(u[k]) for n, k in index.items()}
    ends = [(points[p, e], values[p, e]) for p in range(len(points)) for e in (0, -1)]
    assert len(ends) == 2 * len(m.members)
    for place, value in ends:
        assert value == pytest.approx(wanted[tuple(np.round(place, 6))], abs=1e-12)
    low, high = limits
    assert high == pytest.approx(np.abs(values).max()) and low == (0.0 if by == "size" else -high)
    assert len(colours) == 10 and len(set(colours)) == 10
    assert (by if by != "size" else "size of the displacement") in legend[0]
    told = [t for _, texts, *_ in [*canvas.of("labels"), *canvas.of("callouts")] for t in texts]
    unit, factor = ("mrad", 1e3) if by[0] == "r" else ("mm", 1e3)
    expected = [values.max()] if by == "size" else [values.min(), values.max()]
    for value in expected:
        assert any(t == f"{value * factor:.4g} {unit}" for t in told), (told, value)


def test_values_at_nodes_are_written_where_they_are_asked_for() -> None:
    done = reviewed(pushed())
    few, _ = shown(done, "displaced", case="push", movement="ux", label="none")
    many, _ = shown(done, "displaced", case="push", movement="ux", label="values")
    count = [sum(len(texts) for _, texts, *_ in [*c.of("labels"), *c.of("callouts")]) for c in (few, many)]
    assert count[1] == count[0] + len(done.model.nodes)


def test_an_envelope_is_over_the_kind_that_is_asked_for() -> None:
    m = pushed()
    m.combinations = [
        Combination("s1", "strength", {"push": 1.5}),
        Combination("s2", "strength", {"push": -0.5, "pull": 1.0}),
        Combination("u1", "serviceability", {"push": 1.0}),
    ]
    done = reviewed(m)
    assert done.envelopes.kinds == ["strength", "serviceability"]
    r = done.results
    push, pull = (r.force[r.case_index(n)] for n in ("push", "pull"))
    every = {
        "": [1.5 * push, -0.5 * push + pull, push],
        "strength": [1.5 * push, -0.5 * push + pull],
        "serviceability": [push],
    }
    for kind, forces in every.items():
        found = done.envelopes.members(kind)
        assert found is not None
        assert np.allclose(found[0].low, np.min(forces, axis=0)) and np.allclose(
            found[0].high, np.max(forces, axis=0)
        )
        _, legend = shown(done, "envelope", component="my", envelope_of=kind)
        assert (
            legend[0]
            == f"my over {len(forces)} {kind + ' combinations' if kind else 'combinations of every kind'}"
        )
    _, legend = shown(done, "envelope", envelope_of="seismic")
    assert legend == ["no seismic combination was computed; give the cases a kind, or make combinations"]


@pytest.mark.parametrize("as_column", [False, True])
@pytest.mark.parametrize("turned", [0.0, 2.2])
def test_walls_show_their_forces_whatever_they_are_computed_as(as_column: bool, turned: float) -> None:
    """A push along the head of a wall of two storeys: its moment in plane grows with the depth below, and the
    diagram lies in its plane."""
    m = plate_model()
    u = np.array([np.cos(turned), np.sin(turned), 0.0])
    wall(m, "w", (5, 1), (float(5 + 3 * u[0]), float(1 + 3 * u[1])), 0.0, 6.0)
    m.surfaces["w"].way = "column" if as_column else "shell"
    top = np.array([(5, 1, 6), (5 + 3 * u[0], 1 + 3 * u[1], 6)])
    m.cases["q"] = LoadCase("q", "wind", space_loads=[SpaceLoad(top, tuple(20e3 * u), tuple(20e3 * u))])
    done = reviewed(m)
    canvas, legend = shown(done, "walls", case="q", wall="m_in")
    (corners, *_), *_ = canvas.of("quads")
    foot, head = corners[:, :2].reshape(-1, 3), corners[:, [3, 2]].reshape(-1, 3)
    out = (head - foot) @ u
    assert np.abs(head - foot) == pytest.approx(np.abs(np.outer(out, u)), abs=1e-9)
    depth = 6.0 - foot[:, 2]
    assert np.abs(out) == pytest.approx(np.abs(out).max() * depth / 6.0, abs=0.02 * np.abs(out).max())
    moments = sorted(
        abs(float(t)) for _, texts, *_ in [*canvas.of("labels"), *canvas.of("callouts")] for t in texts
    )
    assert moments[-1] == pytest.approx(60.0 * 6, rel=0.01) and "m_in of walls" in legend[0]


def test_a_wall_that_is_hidden_has_no_forces_shown() -> None:
    m = plate_model()
    wall(m, "w", (5, 1), (8.0, 1.0), 0.0, 6.0)
    m.cases["q"] = LoadCase(
        "q", "wind", space_loads=[SpaceLoad(np.array([(5, 1, 6), (8, 1, 6)]), (1e3, 0, 0), (1e3, 0, 0))]
    )
    done = reviewed(m)
    state = DeskState()
    state.set_revisions([Revision(1, "A", done)], 0)
    state.hide({"wall"})
    assert state.shown_surfaces() == []
    state.hide(set())
    assert state.shown_surfaces() == ["w"]
    assert "not computed" in shown(done, "walls", case="nothing")[1][0]


def test_parts_of_a_hidden_class_are_not_shown_and_the_picture_says_so() -> None:
    done = reviewed(pushed())
    state = DeskState()
    state.set_revisions([Revision(1, "A", done)], 0)
    columns = {i for i, x in done.model.members.items() if x.cls == "column"}
    assert columns and columns != set(done.model.members)
    state.hide({"beam"})
    assert state.shown_members() == columns
    assert "without beams" in state.picture_words()


def test_rigid_floors_show_the_nodes_that_they_hold() -> None:
    m = pushed()
    m.storeys = [Storey("top", max(float(n.point[2]) for n in m.nodes.values()))]
    settings = Settings()
    settings.run.diaphragms = [m.storeys[-1].name]
    done = run_only(m, settings)
    canvas, legend = shown(done, "floors")
    level = m.storeys[-1].elevation - m.origin[2]
    here = [n for n in m.nodes.values() if abs(n.point[2] - level) < 1e-6]
    (spokes, *_), *_ = canvas.of("lines")
    assert len(spokes) == len(here) and np.allclose(spokes[:, 0], np.mean([n.point for n in here], axis=0))
    assert {tuple(np.round(p, 6)) for p in spokes[:, 1]} == {tuple(np.round(n.point, 6)) for n in here}
    assert f"{len(here)} nodes" in legend[0]
    assert "no floor" in shown(reviewed(pushed()), "floors")[1][0]


@pytest.mark.parametrize("stress", ["normal", "shear", "equivalent"])
def test_stress_is_drawn_on_the_bodies_of_members(stress: str) -> None:
    """Of a cantilever of 0.2 by 0.4 m with 10 kN across at its tip and 50 kN along: N/A ± M h/2 / I at the foot,
    tension on the side that is bent open, nothing but N/A at the tip."""
    own = own_section("0.2x0.4", "rectangle", {"width": 0.2, "depth": 0.4})
    m = frame([(0, 0, 0), (5, 0, 0)], [(0, 1)], {0: "fixed"}, section=own)
    m.cases = {"P": LoadCase("P", "live", node_loads=[NodeLoad("n1", (50e3, 0.0, -10e3))])}
    done = reviewed(m)
    canvas, legend = shown(done, "stress", case="P", stress=stress)
    (points, quads, _, values, limits, _), *_ = canvas.of("bands")
    foot, tip = np.abs(points[:, 0]) < 1e-9, np.abs(points[:, 0] - 5.0) < 1e-9
    assert f"{stress} stress on 1 bodies" in legend[0] and quads.max() < len(points)
    assert points[:, 1].max() == pytest.approx(0.1) and points[:, 2].min() == pytest.approx(-0.2)
    axial, bent = 50e3 / 0.08, 50e3 * 0.2 / (0.2 * 0.4**3 / 12)
    if stress == "normal":
        top = points[:, 2] > 0
        assert values[foot & top] == pytest.approx(axial + bent, rel=1e-6)
        assert values[foot & ~top] == pytest.approx(axial - bent, rel=1e-6)
        assert values[tip] == pytest.approx(axial, rel=1e-6)
        assert limits == pytest.approx((-(axial + bent), axial + bent))
    elif stress == "shear":
        assert values.max() == pytest.approx(1.5 * 10e3 / 0.08, rel=0.02) and limits[0] == 0.0
    else:
        assert values[foot].max() == pytest.approx(axial + bent, rel=0.01)
    _, within = shown(done, "stress", case="P", stress=stress, stress_range=(0.0, 1e5))
    assert any("beyond the range" in words for words in within)
