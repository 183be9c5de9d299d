"""Cuts with everything that crosses: shells, members and rigid floors against statics, and settings that ask
for them."""

from __future__ import annotations

import csv
from pathlib import Path

import numpy as np
import pytest

from rod_tally.model import (
    FIXED,
    LineSupport,
    LoadCase,
    Member,
    Model,
    Node,
    Section,
    Settings,
    SpaceLoad,
    Support,
    SurfaceJoint,
)
from rod_tally.model.settings import SettingsError
from rod_tally.output.write import write_review
from rod_tally.review import Review, review

from .test_cuts import Q, floor_on_end_walls

W, L = Q * 4, 12.0


def with_edge_beams(m: Model) -> Model:
    """Two beams along the long edges, tied to the floor."""
    m.sections["beam"] = Section("beam", "plain", area=0.12, iy=1e-3, iz=1e-3, j=1e-3)
    for k, y in enumerate((0.0, 4.0)):
        ends = [f"a{k}", f"b{k}"]
        for n, x in zip(ends, (0.0, L)):
            m.nodes[n] = Node(n, np.array([x, y, 3.0]))
        m.members[f"beam {k}"] = Member(
            f"beam {k}", f"beam {k}", "beam", *ends, "beam", "plate", np.array([0, 0, 1.0])
        )
        m.surfaces["s"].joints.append(
            SurfaceJoint("member", f"beam {k}", np.array([(0, y, 3.0), (L, y, 3.0)]))
        )
    return m


def done(m: Model, cuts: list[dict[str, object]], size: float = 0.45) -> Review:
    options = Settings.from_dict({"cuts": cuts, "mesh": {"size": size}, "modes": {"count": 0}})
    return review(m, options)


def across(x: float, **more: object) -> dict[str, object]:
    return {"name": f"x{x:g}", "storey": "First", "from": [x, 4.0], "to": [x, 0.0], **more}


@pytest.mark.parametrize("beams", [False, True])
def test_shear_and_moment_of_a_simple_floor(beams: bool) -> None:
    """What reactions and load leave on the left of a cut, at places that no row of nodes lies on, with and
    without edge beams (statics): to rounding; V = w (L / 2 - x) and M = w x (L - x) / 2."""
    m = floor_on_end_walls()
    if beams:
        with_edge_beams(m)
    places = [1.37, 3.1, 4.93, 6.0, 8.81]
    for held in m.surfaces["s"].supports[:2]:
        held.support = Support.of("uy uz")
    r = done(m, [across(x) for x in places])
    found = r.cut_forces("q")
    index = [r.results.node_ids.index(n) for n in r.results.support_ids]
    at, given = r.results.xyz[index], r.results.reaction[0]
    near = at[:, 0] < 1.0
    for x in places:
        f = found[f"x{x:g}"]
        assert not isinstance(f, str)
        shear = given[near, 1].sum() + W * x
        arms = at[near] - (x, 2.0, 3.0)
        moment = (np.cross(arms, given[near, :3]) + given[near, 3:]).sum(axis=0)[2] - W * x * x / 2
        # the left of a cut that runs towards -y is farther along x
        assert f.v == pytest.approx(shear, rel=1e-6, abs=1e-3), x
        assert f.m == pytest.approx(-moment, rel=1e-6, abs=1e-3), x
        assert abs(f.v) == pytest.approx(abs(W * (L / 2 - x)), abs=0.002 * W * L / 2), x
        assert abs(f.m) == pytest.approx(W * x * (L - x) / 2, rel=0.01), x
        assert f.n == pytest.approx(0.0, abs=20.0)
        if beams:
            assert 0.05 < f.m_members / f.m < 0.9
        else:
            assert (f.n_members, f.v_members, f.m_members) == (0, 0, 0)
    # between two cuts: dV is the load
    v = [found[f"x{x:g}"].v for x in places]  # type: ignore[union-attr]
    assert np.abs(np.diff(v)) == pytest.approx(W * np.diff(places), rel=1e-5)


def test_the_point_of_moments_and_the_factor() -> None:
    m = floor_on_end_walls()
    found = done(m, [across(3.0, name="a"), across(3.0, name="b", about=[0.0, 2.0], factor=2.0)]).cut_forces(
        "q"
    )
    a, b = found["a"], found["b"]
    assert not isinstance(a, str) and not isinstance(b, str)
    assert b.v == pytest.approx(2 * a.v)
    # about a point 3 m off across the cut the shear turns over that arm: v acts along -y
    assert b.m == pytest.approx(2 * (a.m - 3.0 * a.v), rel=1e-6)


def test_the_tables_hold_cuts_with_their_cases(tmp_path: Path) -> None:
    r = done(
        with_edge_beams(floor_on_end_walls()), [across(3.0), across(4.0, name="nowhere", storey="No such")]
    )
    write_review(r, tmp_path)
    rows = list(csv.DictReader((tmp_path / "cuts.csv").open()))
    assert {x["cut"] for x in rows} == {"x3"} and rows[0]["case"] == "q" and float(rows[0]["z"]) == 3.0
    assert any(f.code == "cut.unplaced" and "No such" in f.message for f in r.findings)


@pytest.mark.parametrize(
    "wrong, why",
    [
        ({"name": "a"}, "missing"),
        (across(1.0, angle=3), "unknown key"),
        (across(1.0, about=[1.0]), "2 numbers"),
        (across(1.0, factor="x"), "factor"),
    ],
)
def test_a_cut_that_cannot_be_read_is_an_error_that_names_the_key(wrong: dict[str, object], why: str) -> None:
    with pytest.raises(SettingsError, match=why):
        Settings.from_dict({"cuts": [wrong]})
    with pytest.raises(SettingsError, match="two of the cuts"):
        Settings.from_dict({"cuts": [across(1.0), across(1.0)]})


def test_cuts_are_written_to_settings_as_they_are_read() -> None:
    s = Settings.from_dict(
        {"cuts": [across(1.0, about=[2.0, 3.0]), across(2.0)], "output": {"combinations": True}}
    )
    import tomllib

    again = Settings.from_dict(tomllib.loads(s.to_toml()))
    assert again == s


def test_through_a_floor_that_is_rigid_in_plan() -> None:
    """One storey of columns and beams under uneven forces: what crosses is what loads and supports leave on
    one side (statics)."""
    from rod_tally.model import LoadCase, NodeLoad

    from .physical_models import block, model

    m = model(block(3, 1))
    level = max(m.storeys, key=lambda s: s.elevation).name
    tops = [n for n in m.nodes.values() if n.point[2] > 3.0]
    rng = np.random.default_rng(3)
    m.cases["W"] = LoadCase(
        "W", "wind", node_loads=[NodeLoad(n.id, tuple(rng.normal(0, 1e4, 3)), (0, 0, 0)) for n in tops]
    )
    low, high = (np.min([n.point[:2] for n in tops], axis=0), np.max([n.point[:2] for n in tops], axis=0))
    x = float(low[0] + (high[0] - low[0]) * 0.4)
    cut = {
        "name": "c",
        "storey": level,
        "from": [x, float(high[1]) + 1],
        "to": [x, float(low[1]) - 1],
        "about": [x, 0.0],
    }
    r = review(m, Settings.from_dict({"cuts": [cut], "run": {"diaphragms": [level]}, "modes": {"count": 0}}))
    f = r.cut_forces("W")["c"]
    assert not isinstance(f, str)
    loads = [(m.nodes[x.node].point + m.origin, np.array(x.force)) for x in m.cases["W"].node_loads]
    index = [r.results.node_ids.index(n) for n in r.results.support_ids]
    c = r.results.case_index("W")
    loads += [(r.results.xyz[i], v[:3]) for i, v in zip(index, r.results.reaction[c])]
    turns = [(r.results.xyz[i], v[3:]) for i, v in zip(index, r.results.reaction[c])]
    point = np.array([x, 0.0, float(r.cuts[0].line[0, 2] + m.origin[2])])
    force = sum((v for p, v in loads if p[0] > x), np.zeros(3))
    moment = sum((np.cross(p - point, v) for p, v in loads if p[0] > x), np.zeros(3)) + sum(
        (v for p, v in turns if p[0] > x), np.zeros(3)
    )
    # the left is what lies farther along x; the cut runs along -y
    assert [f.n, f.v, f.m] == pytest.approx([force[0], -force[1], moment[2]], rel=1e-6, abs=1e-3)
    assert f.vz == pytest.approx(force[2], rel=1e-6, abs=1e-3)
    assert abs(f.n_members - f.n) > 1e2  # the floor itself carries a part
    part = Settings.from_dict(
        {
            "cuts": [cut | {"to": [x, float(high[1]) - 2]}],
            "run": {"diaphragms": [level]},
            "modes": {"count": 0},
        }
    )
    why = review(m, part).cut_forces("W")["c"]
    assert isinstance(why, str) and "a part only" in why


def test_lines_and_points_of_load_count_on_the_side_they_lie_on() -> None:
    """A floor held along one edge alone: what passes a cut is all that lies beyond it, to rounding, wherever
    rows of nodes are (statics)."""
    m = floor_on_end_walls()
    m.surfaces["s"].supports = [LineSupport(np.array([(0, 0, 3), (0, 4, 3)], float), FIXED)]
    line = np.array([(1.3, 0.7, 3.0), (10.9, 3.2, 3.0)])
    qa, qb = np.array([2e3, 5e3, 0.0]), np.array([-1e3, 9e3, 0.0])
    points = [
        (np.array([6.05, 1.1, 3.0]), np.array([4e3, -7e3, 0.0])),
        (np.array([8.0, 3.3, 3.0]), np.array([1e3, 2e4, 0.0])),
    ]
    loads = [SpaceLoad(line, tuple(qa), tuple(qb))]
    loads += [SpaceLoad(p[None], tuple(f), (0.0, 0.0, 0.0)) for p, f in points]
    m.cases["q"] = LoadCase("q", "wind", space_loads=loads)
    places = [1.37, 3.1, 4.93, 6.0, 6.1, 8.81, 10.5]
    r = done(m, [across(x, about=[x, 2.0]) for x in places])
    found = r.cut_forces("q")
    d = line[1] - line[0]
    for x in places:
        f = found[f"x{x:g}"]
        assert not isinstance(f, str)
        start = min(max((x - line[0, 0]) / d[0], 0.0), 1.0)
        gauss, weight = np.polynomial.legendre.leggauss(3)
        parts = [
            (line[0] + d * t, (qa + (qb - qa) * t) * (w / 2 * (1 - start) * np.linalg.norm(d)))
            for t, w in zip(start + (1 - start) * (gauss + 1) / 2, weight)
        ] + [(p, q) for p, q in points if p[0] > x]
        force = sum((q for _, q in parts), np.zeros(3))
        moment = sum((np.cross(p - (x, 2.0, 3.0), q) for p, q in parts), np.zeros(3))
        # the cut runs against y: across it is +x, what lies beyond gives the rest its loads
        assert (f.n, -f.v, f.m) == pytest.approx((force[0], force[1], moment[2]), rel=1e-6, abs=1e-3), x
