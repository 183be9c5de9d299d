"""Load cases of the sail loft, as a reviewer would put them in: invented, in revision A with faults."""

from __future__ import annotations

from typing import Any

from ..model import Model
from ..model.edits import AddCases, AddLoads, DeleteCases, Edit, ScaleCase

MATS = "Boat cradles"  # the case whose load reaches past the quay's edge
PAST = 1.5  # m


def demo_loads(model: Model) -> list[Edit]:
    """Cases and loads for revision A: snow that acts upwards, a roofing given in N where kN was meant, and
    cradles that stand past the floor's edge."""
    slabs = {s.name: s.id for s in model.surfaces.values() if not s.upright}
    floors = [i for n, i in slabs.items() if not n.startswith("Roof")]
    roof = [i for n, i in slabs.items() if n.startswith("Roof")]

    def on(ids: list[str], kn: float) -> list[dict[str, Any]]:
        return [{"on": "area", "surface": i, "values": [[0.0, 0.0, -1000.0 * kn]]} for i in ids]

    cases: list[dict[str, Any]] = [
        {"name": "Finishes", "kind": "dead", "loads": on(floors, 1.25)},
        {"name": "Roofing", "kind": "dead", "loads": on(roof, 0.75e-3)},
        {"name": "Sail floors", "kind": "live", "category": "C", "loads": on(floors, 5.0)},
        {"name": "Snow", "kind": "snow", "loads": on(roof, -1.0)},
        {"name": "Wind y", "kind": "wind", "loads": _gable(model)},
    ]
    edits: list[Edit] = [AddCases(cases)]
    if not floors:
        return edits
    outer = model.surfaces[floors[0]].outer
    low, high, z = outer.min(axis=0), outer.max(axis=0), float(outer[0, 2])
    west = [
        [low[0] - PAST, low[1] + 2],
        [low[0] + 4, low[1] + 2],
        [low[0] + 4, high[1] - 2],
        [low[0] - PAST, high[1] - 2],
    ]
    cradles = {
        "on": "area",
        "surface": "",
        "values": [[0.0, 0.0, -2000.0]],
        "outline": [[float(x), float(y), z] for x, y in west],
        "name": "boat cradles",
    }
    edits.append(
        AddCases([{"name": MATS, "kind": "live", "category": "E", "together": "cradles", "loads": [cradles]}])
    )
    y = float(low[1] + (high[1] - low[1]) * 0.4)
    line = [[float(low[0] + 1.5), y, z], [float(low[0] + 9.5), y, z]]
    wall = {
        "on": "space",
        "line": line,
        "qa": [0.0, 0.0, -3000.0],
        "qb": [0.0, 0.0, -3000.0],
        "name": "partition",
    }
    edits.append(AddLoads("Finishes", [wall]))
    return edits


def mended_loads() -> list[Edit]:
    """Return what puts the carried loads right in revision B: the cradles stay on the quay."""
    return [ScaleCase("Snow", -1.0), ScaleCase("Roofing", 1000.0), DeleteCases([MATS])]


def _gable(model: Model) -> list[dict[str, Any]]:
    """Wind on the south face, passed to the bars in its plane."""
    columns = [model.line(m) for m in model.members.values() if m.cls == "column"]
    if not columns:
        return []
    y = min(float(c[:, 1].min()) for c in columns)
    face = [c for c in columns if abs(float(c[:, 1].min()) - y) < 0.1]
    x0, x1 = min(float(c[:, 0].min()) for c in face), max(float(c[:, 0].max()) for c in face)
    z0, z1 = min(float(c[:, 2].min()) for c in face), max(float(c[:, 2].max()) for c in face)
    outline = [[x0, y, z0], [x1, y, z0], [x1, y, z1], [x0, y, z1]]
    return [
        {
            "on": "area",
            "surface": "",
            "values": [[0.0, 800.0, 0.0]],
            "outline": outline,
            "onto": "members",
            "name": "south face",
        }
    ]
