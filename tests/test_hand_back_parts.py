"""What a model holds beside its framing comes back from the file: axes of supports, one-way parts, expansion,
grids."""

from __future__ import annotations

from math import inf, pi
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rod_tally.checks import Subject
from rod_tally.checks.framing.source import find_unread
from rod_tally.intake import read_source
from rod_tally.model import LineSupport, Model, Settings, Storey, Support, Surface
from rod_tally.model.entities.grid import GridLine
from rod_tally.model.entities.log import LogEntry, Skipped
from rod_tally.model.entities.structure import along_axes, edge_axes
from rod_tally.output.ifc import write_ifc
from rod_tally.transfer import transfer

from .frames import regular


def again(m: Model, tmp_path: Path) -> Model:
    return transfer(read_source(write_ifc(m, tmp_path / "back.ifc")), Settings().transfer)


def turned(angle: float) -> tuple[tuple[float, float, float], ...]:
    c, s = float(np.cos(angle)), float(np.sin(angle))
    return ((c, s, 0.0), (-s, c, 0.0), (0.0, 0.0, 1.0))


def stiffness_matrix(support: Support) -> np.ndarray:
    """Global (6, 6), held directions as a large number."""
    own = np.eye(3) if support.axes is None else np.array(support.axes)
    k = np.diag([1e12 if v == inf else v for v in support.stiffness])
    turn = np.kron(np.eye(2), own)
    return turn.T @ k @ turn


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.sampled_from([0.0, inf, 1e6, 3e7]), min_size=6, max_size=6),
    st.sampled_from([None, 0.0, 0.3, pi / 2, pi / 4]),
    st.sampled_from([(4.0, 0, 0), (0, 4.0, 0), (3.0, 2.0, 0), (0, 0, 3.0)]),
)
def test_line_supports_come_back_with_their_axes(
    tmp_path_factory: pytest.TempPathFactory,
    stiffness: list[float],
    angle: float | None,
    way: tuple[float, float, float],
) -> None:
    """Whatever holds an edge, in whatever axes: the same matrix of stiffness in global axes."""
    if not any(stiffness):
        return
    a = np.zeros(3)
    b = np.array(way)
    up = np.array([0.0, 0, 3.0]) if way[2] == 0 else np.array([3.0, 0, 0])
    m = Model("wall", "analytical")
    s = Surface("w", "w", "wall", "", np.array([a, b, b + up, a + up]), [], 0.2, "")
    s.supports = [
        LineSupport(np.array([a, b]), Support(tuple(stiffness), turned(angle) if angle is not None else None))
    ]
    m.surfaces["w"] = s
    (back,) = next(iter(again(m, tmp_path_factory.mktemp("line")).surfaces.values())).supports
    assert stiffness_matrix(back.support) == pytest.approx(
        stiffness_matrix(s.supports[0].support), rel=1e-9, abs=1e-3
    )


def test_along_axes_knows_what_couples() -> None:
    eye = np.eye(3)
    quarter, third = np.array(turned(pi / 2)), np.array(turned(pi / 3))
    assert along_axes((inf, 0, 5.0, 0, 2.0, 0), quarter, eye) == (0, inf, 5.0, 2.0, 0, 0)
    assert along_axes((inf, 0, 0, 0, 0, 0), third, eye) is None
    assert along_axes((7.0, 7.0, 0, inf, inf, 0), third, eye) == (7.0, 7.0, 0, inf, inf, 0)
    assert edge_axes(np.array([0.0, 2, 0]), np.array([0.0, 1, 0])) is None
    assert edge_axes(np.array([0.0, 2, 0]), np.array([0.0, 1, 5])) == pytest.approx(
        np.array([(0, 1, 0), (-1, 0, 0), (0, 0, 1)])
    )


def test_one_way_parts_expansion_grids_and_groups_come_back(tmp_path: Path) -> None:
    m = regular(1, 2)
    ids = list(m.members)
    m.origin = np.array([1000.0, 2000.0, 5.0])
    m.one_way = {ids[0]: "compression", ids[1]: "tension"}
    supported = [n for n in m.nodes if m.nodes[n].support.any]
    m.lifting = supported[:2]
    for material in m.materials.values():
        material.alpha = 1.3e-5
    m.grids = [
        GridLine("A", np.array([(0.0, -1), (0, 9)]), "u", "main"),
        GridLine("1", np.array([(-1.0, 0), (9, 0)]), "v", "main"),
        GridLine("B", np.array([(6.0, -1), (6, 9)]), "u", "main"),
    ]
    m.groups = {"frame one": sorted(ids[:3]), "gone": []}
    m.north = 0.4
    b = again(m, tmp_path)
    name = {x.id: x.name for x in b.members.values()}
    assert {name[k]: way for k, way in b.one_way.items()} == m.one_way
    places = sorted(tuple(np.round(b.nodes[n].point + b.origin, 6)) for n in b.lifting)
    assert places == sorted(tuple(np.round(m.nodes[n].point + m.origin, 6)) for n in m.lifting)
    assert {x.alpha for x in b.materials.values()} == {1.3e-5}
    assert {g.name: (g.family, g.grid) for g in b.grids} == {
        "A": ("u", "main"),
        "B": ("u", "main"),
        "1": ("v", "main"),
    }
    first = next(g for g in b.grids if g.name == "B")
    assert first.points + b.origin[:2] == pytest.approx(np.array([(6.0, -1), (6, 9)]) + m.origin[:2])
    assert {k: sorted(name[i] for i in v) for k, v in b.groups.items()} == {"frame one": sorted(ids[:3])}
    assert b.north == pytest.approx(0.4)


def changed(path: Path, old: str, new: str) -> list[str]:
    """What intake says is left out once a line of the file reads otherwise."""
    text = path.read_text()
    assert old in text, old
    path.write_text(text.replace(old, new, 1))
    source = read_source(path)
    return [e.message for e in source.log if e.kind == "skipped"] + [s.reason for s in source.skipped]


def raft(tmp_path: Path) -> Path:
    m = Model("raft", "analytical")
    s = Surface(
        "s", "raft", "slab", "", np.array([(0.0, 0, 0), (4, 0, 0), (4, 3, 0), (0, 3, 0)]), [], 0.4, ""
    )
    s.bedding = 2e7
    s.supports = [LineSupport(s.outer[:2], Support.of("ux uy"))]
    m.surfaces["s"] = s
    return write_ifc(m, tmp_path / "raft.ifc")


@pytest.mark.parametrize(
    ("old", "new", "said"),
    [
        (
            "$,IFCBOOLEAN(.F.),IFCBOOLEAN(.F.),IFCMODULUSOFSUB",
            "$,IFCBOOLEAN(.T.),IFCBOOLEAN(.F.),IFCMODULUSOFSUB",
            "held along",
        ),
        (
            "IFCBOOLEAN(.F.),IFCMODULUSOFSUB",
            "IFCMODULUSOFSUBGRADEREACTIONMEASURE(5.E6),IFCMODULUSOFSUB",
            "springs along its plane",
        ),
        ("IFCMODULUSOFSUBGRADEREACTIONMEASURE(2.E+07)", "IFCBOOLEAN(.T.)", "held across"),
        (".SHELL.", ".MEMBRANE_ELEMENT.", "in its plane alone"),
        (".SHELL.", ".BENDING_ELEMENT.", "by bending alone"),
    ],
)
def test_what_is_not_taken_of_a_surface_is_said(tmp_path: Path, old: str, new: str, said: str) -> None:
    assert any(said in m for m in changed(raft(tmp_path), old, new))


def test_a_hinge_at_the_edge_of_a_surface_is_said(tmp_path: Path) -> None:
    path = raft(tmp_path)
    text = path.read_text()
    rel = next(x for x in text.split("\n") if "IFCRELCONNECTSSTRUCTURALMEMBER" in x)
    free = "#9999=IFCBOUNDARYEDGECONDITION($,{0},{0},{0},IFCBOOLEAN(.F.),{0},{0});".format("IFCBOOLEAN(.T.)")
    parts = rel.rstrip(");").split(",")
    parts[-4] = "#9999"
    assert any("hinge or spring" in m for m in changed(path, rel, f"{free}\n{','.join(parts)});"))


@pytest.mark.parametrize("curve", ["IFCPOLYLINE((#{0},#9002,#{1}))", "several"])
def test_an_axis_that_is_not_one_straight_line_is_no_member(tmp_path: Path, curve: str) -> None:
    """A kinked polyline as a member's axis, or two edges: left out with the reason, never its chord."""
    path = write_ifc(regular(1, 1), tmp_path / "frame.ifc")
    text = path.read_text()
    edge = next(x for x in text.split("\n") if "=IFCEDGE(" in x)
    shape = next(x for x in text.split("\n") if "'Reference','Edge',(" + edge.split("=")[0] in x)
    if curve == "several":
        other = [x for x in text.split("\n") if "=IFCEDGE(" in x][1]
        new = shape.replace(f"({edge.split('=')[0]})", f"({edge.split('=')[0]},{other.split('=')[0]})")
        said = "several pieces"
    else:
        points = "#9001=IFCCARTESIANPOINT((0.,0.,0.));\n#9002=IFCCARTESIANPOINT((3.,1.,2.));\n#9003=IFCCARTESIANPOINT((6.,0.,0.));"
        new = f"{points}\n#9004={curve.format(9001, 9003)};\n" + shape.replace(edge.split("=")[0], "#9004")
        said = "curved or kinked"
    assert any(said in m for m in changed(path, shape, new))


def test_a_storey_placed_beside_its_stated_height_is_said(tmp_path: Path) -> None:
    m = regular(1, 2)
    m.storeys = [Storey("L0", 10.0), Storey("L1", 13.5), Storey("L2", 17.0)]
    path = write_ifc(m, tmp_path / "frame.ifc")
    level = [x for x in path.read_text().split("\n") if "=IFCBUILDINGSTOREY(" in x]
    found = changed(path, level[1], level[1].replace("13.5", "13.9"))
    assert any("stated at 13.900 m and placed at 13.500 m" in m for m in found)


def test_a_second_representation_of_the_axis_takes_nothing_away(tmp_path: Path) -> None:
    """A member with its edge, and another curve beside it in a representation of its own: the first one
    counts."""
    path = write_ifc(regular(1, 1), tmp_path / "frame.ifc")
    text = path.read_text()
    edge = next(x for x in text.split("\n") if "=IFCEDGE(" in x)
    shape = next(x for x in text.split("\n") if "'Reference','Edge',(" + edge.split("=")[0] in x)
    product = next(
        x for x in text.split("\n") if "=IFCPRODUCTDEFINITIONSHAPE(" in x and f"({shape.split('=')[0]})" in x
    )
    more = "#9001=IFCCARTESIANPOINT((0.,9.,0.));\n#9002=IFCCARTESIANPOINT((3.,9.,2.));\n#9003=IFCPOLYLINE((#9001,#9002));\n"
    more += shape.replace(shape.split("=")[0] + "=", "#9004=").replace(edge.split("=")[0], "#9003") + "\n"
    assert (
        changed(
            path,
            product,
            more + product.replace(f"({shape.split('=')[0]})", f"({shape.split('=')[0]},#9004)"),
        )
        == []
    )


def test_what_is_said_of_several_parts_is_said_though_one_of_them_is_left_out() -> None:
    m = regular(1, 1)
    ids = tuple(m.members)[:3]
    m.log.append(LogEntry("skipped", ids, "3 elements of several materials (a, b): all of it counts as a"))
    m.skipped.append(Skipped("beam", ids[0], "it has no length"))
    found = [f.message for f in find_unread(Subject(m))]
    assert any("3 elements of several materials" in x for x in found)
