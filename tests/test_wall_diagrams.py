"""Diagrams of walls that are computed as columns."""

from __future__ import annotations

from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

pytest.importorskip("PyQt6")
from rod_tally.desk.overlays.results import member_places  # noqa: E402
from rod_tally.model import LoadCase, SpaceLoad  # noqa: E402
from rod_tally.model.geometry.vectors import Array  # noqa: E402

from .plates import plate_model  # noqa: E402
from .test_wall_columns import computed, wall  # noqa: E402


@pytest.mark.parametrize("turned", [0.0, 0.6, 2.2])
@pytest.mark.parametrize("shown", [True, False])
def test_a_wall_as_a_column_has_its_diagram_along_its_middle(turned: float, shown: bool) -> None:
    """A push along the wall at its head: the moment at its foot is force by height, drawn in the wall's own
    plane from the middle of its foot up; of a wall that is not shown there is none."""
    m = plate_model()
    u = np.array([np.cos(turned), np.sin(turned), 0.0])
    wall(m, "w", (5, 1), (float(5 + 3 * u[0]), float(1 + 3 * u[1])), 0.0, 9.0)
    top = np.array([(5, 1, 9), (5 + 3 * u[0], 1 + 3 * u[1], 9)])
    m.cases["q"] = LoadCase("q", "wind", space_loads=[SpaceLoad(top, tuple(20e3 * u), tuple(20e3 * u))])
    r = computed(m)
    scene: Any = SimpleNamespace(
        ids=[],
        lines=np.zeros((0, 2, 3)),
        axes=np.zeros((0, 3, 3)),
        model=m,
        surfaces=list(m.surfaces.values()) if shown else [],
    )
    places = member_places(scene, r, "mz", r.member_done[0])
    if not shown:
        assert places is None
        return
    assert places is not None
    value: Array = r.force[0, places.stations, 5]
    foot = int(np.abs(value).argmax())
    assert abs(value[foot]) == pytest.approx(60e3 * 9)
    assert places.foot[foot] == pytest.approx([5 + 1.5 * u[0], 1 + 1.5 * u[1], 0.0])
    assert np.abs(places.aside @ u) == pytest.approx(np.ones(len(value)))
    # on the side in tension, which is the one that the push comes from
    assert (places.aside[foot] * value[foot]) @ u < 0
