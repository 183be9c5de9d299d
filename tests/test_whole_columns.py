"""Columns that hold flat slabs over their whole section: against the theory of plates, whatever the
elements."""

from __future__ import annotations

import numpy as np
import pytest

from rod_tally.analysis import Results, run
from rod_tally.model import LineSupport, LoadCase, Member, Model, Node, NodeLoad, Settings, Support
from rod_tally.model.catalogue.shapes import circle, rectangle
from rod_tally.model.entities.surface import SurfaceJoint
from rod_tally.model.settings import MeshSettings, RunSettings
from rod_tally.project.prints import settings_print
from rod_tally.review import review

from .plates import NU, E, plate_model, pressure, shell
from .verification import verified

Q, T = 10e3, 0.2


def mushroom(outer: float, inner: float, square: bool = False, at: tuple[float, float] = (0.0, 0.0)) -> Model:
    """A round slab on one column in its middle, as good as rigid, that stands fast."""
    m = plate_model()
    around = np.linspace(0, 2 * np.pi, 49)[:-1]
    shell(m, "slab", [(outer * np.cos(a), outer * np.sin(a), 0.0) for a in around], T)
    section = rectangle("column", 2 * inner, 2 * inner)[0] if square else circle("column", inner)[0]
    m.sections["column"] = section
    m.nodes |= {
        "foot": Node("foot", np.array([*at, -0.1]), Support.of("ux uy uz rx ry rz")),
        "head": Node("head", np.array([*at, 0.0])),
    }
    m.members["c"] = Member("c", "c", "column", "foot", "head", "column", "plate", np.array([1.0, 0, 0]))
    m.surfaces["slab"].joints.append(SurfaceJoint("end", "c", np.array([[*at, 0.0]]), 0.0, "head"))
    pressure(m, "slab", Q)
    return m


def rim(outer: float, inner: float) -> float:
    """Deflection at the free rim of a ring clamped at its inner edge under q: w = q r^4 / 64 D + A r^2 + B ln
    r + C + F r^2 ln r (Timoshenko and Woinowsky-Krieger, Theory of Plates and Shells, art. 17), with w = w' =
    0 inside, and no moment and no shear outside."""
    d = E * T**3 / (12 * (1 - NU**2))

    def row(r: float, which: str) -> np.ndarray:  # of A, B, C, F and the part of q
        ln = np.log(r)
        w = [r**2, ln, 1.0, r**2 * ln, Q * r**4 / (64 * d)]
        w1 = [2 * r, 1 / r, 0.0, 2 * r * ln + r, Q * r**3 / (16 * d)]
        w2 = [2.0, -1 / r**2, 0.0, 2 * ln + 3, 3 * Q * r**2 / (16 * d)]
        shear = [0.0, 0.0, 0.0, 4 / r, Q * r / (2 * d)]  # of (w'' + w' / r)'
        return np.array(
            {"w": w, "slope": w1, "moment": np.array(w2) + NU / r * np.array(w1), "shear": shear}[which]
        )

    rows = np.array([row(inner, "w"), row(inner, "slope"), row(outer, "moment"), row(outer, "shear")])
    found = np.linalg.solve(rows[:, :4], -rows[:, 4])
    return float(row(outer, "w") @ [*found, 1.0])


def sag(r: Results) -> float:
    return float(-r.displacement[0, :, 2].min())


@pytest.mark.parametrize("size", [0.8, 0.4, 0.2])
def test_a_round_slab_on_one_column(size: float) -> None:
    outer, inner = 3.0, 0.5
    r = run(
        mushroom(outer, inner),
        RunSettings(shear_flexible=False),
        meshing=MeshSettings(size=size, columns="section"),
    )
    wanted = rim(outer, inner)
    if size == 0.2:
        source = "Timoshenko and Woinowsky-Krieger, art. 17 (from memory)"
        verified(
            "Round slab on one column held over its section: sag of the rim, m", source, sag(r), wanted, 0.04
        )
    assert sag(r) == pytest.approx(wanted, rel=0.08)
    assert r.reaction[0, :, 2].sum() == pytest.approx(Q * m_area(outer), rel=1e-6)


def m_area(outer: float) -> float:
    return 48 / 2 * outer**2 * np.sin(2 * np.pi / 48)


def test_the_size_of_elements_hardly_counts() -> None:
    """How far a slab that is clamped all around lets a column turn: held at a node it turns the more the
    finer the elements are."""

    def turn(size: float, way: str) -> float:
        m = mushroom(3.0, 0.25, square=True)
        m.nodes["foot"].support = Support.of("")
        around = m.surfaces["slab"].outer
        m.surfaces["slab"].supports = [
            LineSupport(np.array([a, b]), Support.of("ux uy uz rx ry rz"))
            for a, b in zip(around, np.roll(around, -1, axis=0))
        ]
        m.cases["q"] = LoadCase("q", "wind", node_loads=[NodeLoad("head", (0, 0, 0), (0, 1e4, 0))])
        r = run(m, RunSettings(), meshing=MeshSettings(size=size, columns=way))
        return float(r.displacement[0, r.node_ids.index("head"), 4])

    node, section = ([turn(h, way) for h in (0.6, 0.1)] for way in ("node", "section"))
    assert section[1] / section[0] == pytest.approx(1.0, abs=0.12) and node[1] / node[0] > 1.3
    assert section[1] < node[1]


@pytest.mark.parametrize("at", [(2.85, 0.0), (2.7, 0.0), (2.5, 1.4), (2.98, 0.0)])
def test_columns_at_the_edge_of_a_slab(at: tuple[float, float]) -> None:
    """Flush with it, beside it by a little, and half beyond it: meshed without slivers, and in balance."""
    m = mushroom(3.0, 0.15, square=True, at=at)
    m.nodes["far"] = Node("far", np.array([-1.5, 0.0, 0.0]), Support.of("ux uy uz"))
    m.surfaces["slab"].joints.append(SurfaceJoint("end", "", np.array([[-1.5, 0.0, 0.0]]), 0.0, "far"))
    settings = Settings.from_dict({"mesh": {"size": 0.5, "columns": "section"}, "modes": {"count": 1}})
    done = review(m, settings)
    assert not done.results.left_out and done.results.equilibrium[0].residual < 1e-9
    assert not {"mesh.poor", "mesh.failed", "mesh.arm", "mesh.point"} & {f.code for f in done.findings}


def test_it_is_said_where_columns_hold_at_points() -> None:
    m = mushroom(3.0, 0.25)
    (f,) = [f for f in review(m, Settings()).findings if f.code == "mesh.point"]
    assert f.ids == ("c",) and f.severity == "note"
    m.nodes["tip"] = Node("tip", np.array([1.5, 0.0, 0.0]))
    m.members["b"] = Member("b", "b", "beam", "head", "tip", "column", "plate", np.array([0.0, 0, 1]))
    # a beam holds the slab there
    assert not [f for f in review(m, Settings()).findings if f.code == "mesh.point"]
    del m.members["b"]
    plain, whole = Settings(), Settings.from_dict({"mesh": {"columns": "section"}})
    assert settings_print(plain) != settings_print(whole)
    m.cases["side"] = LoadCase("side", "wind", node_loads=[NodeLoad("head", (1e3, 0, 0))])
    assert not [f for f in review(m, whole).findings if f.code == "mesh.point"]
