"""Storeys and slabs that a case leaves bare though it loads their likes."""

from __future__ import annotations

import pytest

from rod_tally.model import AreaLoad, Finding, LoadCase, Model, NodeLoad, Settings
from rod_tally.review.work import review

from .physical_models import block, model
from .test_panels import plate


def tower(storeys: int = 4) -> Model:
    """Frames of 6 x 5 m with a slab on each, in as many storeys."""
    s = block(1, storeys)
    for k in range(1, storeys + 1):
        plate(s, "slab", f"S{k}", (0, 0, 4.0 * k), (6, 5, 4.0 * k + 0.2))
    m = model(s)
    m.cases.pop("Self-weight", None)
    return m


def bare(m: Model) -> list[Finding]:
    return [f for f in review(m, Settings()).findings if f.code == "case.bare"]


def loaded(m: Model, kind: str, levels: set[int]) -> Model:
    """A case on these storeys, counted from 1: forces on the heads of columns, sideways for wind."""
    force = (5e3, 1e3, 0.0) if kind in ("wind", "seismic") else (0.0, 0.0, -5e3)
    loads = [
        NodeLoad(n, force) for n, x in m.nodes.items() if round(x.point[2] / 4) in levels and x.point[2] > 1
    ]
    m.cases["Q"] = LoadCase("Q", kind, node_loads=loads)
    return m


@pytest.mark.parametrize(
    "kind, levels, names",
    [
        ("wind", {1, 2, 3}, "L4"),  # the storey that was added
        ("wind", {1, 2, 4}, "L3"),
        ("wind", {1, 2, 3, 4}, ""),
        ("wind", {1, 2}, ""),  # as many bare as loaded: meant so
        ("dead", {1, 2, 3}, ""),  # a roof has another build-up
        ("dead", {1, 2, 4}, "L3"),
        ("seismic", {1, 2, 3}, "L4"),
        ("live", {1, 2, 3}, ""),  # a roof
        ("live", {1, 2, 4}, "L3"),
        ("temperature", {1, 2, 4}, ""),
    ],
)
def test_a_storey_without_the_load_of_the_others(kind: str, levels: set[int], names: str) -> None:
    found = bare(loaded(tower(), kind, levels))
    assert [f.ids for f in found] == ([("Q",)] if names else [])
    assert not names or f"leaves {names} without any" in found[0].message


def test_what_another_case_of_the_kind_loads_is_not_bare() -> None:
    """Parking on one storey and offices on the others, rooms and corridors of one storey; a push along x and
    one along y are no such pair."""
    m = loaded(tower(), "dead", {1, 2, 4})
    m.cases["P"] = LoadCase("P", "dead", node_loads=loaded(tower(), "dead", {3}).cases["Q"].node_loads)
    assert not bare(m)
    m = loaded(tower(), "wind", {1, 2, 3})
    m.cases["P"] = LoadCase("P", "wind", node_loads=loaded(tower(), "wind", {4}).cases["Q"].node_loads)
    assert [f.ids for f in bare(m)] == [("Q",)]


def test_alternatives_are_meant_to_leave_out() -> None:
    m = loaded(tower(), "dead", {1, 2, 4})
    m.cases["Q"].together = "Spans"
    assert not bare(m)


@pytest.mark.parametrize("pieces, left, told", [(4, 1, True), (3, 1, True), (2, 1, False), (3, 0, False)])
def test_a_slab_of_a_loaded_storey(pieces: int, left: int, told: bool) -> None:
    """Slabs side by side on one storey, of which `left` have no pressure of their own."""
    s = block(1, 1)
    for k in range(pieces):
        plate(s, "slab", f"S{k}", (6 * k / pieces, 0, 4.0), (6 * (k + 1) / pieces, 5, 4.2))
    m = model(s)
    m.cases.pop("Self-weight", None)
    load = ((0.0, 0.0, -2e3),)
    m.cases["Q"] = LoadCase("Q", "live", area_loads=[AreaLoad(f"S{k}", load) for k in range(pieces - left)])
    found = bare(m)
    assert bool(found) == told
    assert not told or found[0].ids == ("Q", f"S{pieces - 1}")
