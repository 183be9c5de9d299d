"""Load cases of the sail loft, as a reviewer would put them in: invented, with the usual faults in revision
A."""

from __future__ import annotations

from typing import Any

from ..model import Model
from ..model.edits import AddCases, AddLoads, Edit


def demo_loads(model: Model, faults: bool) -> list[Edit]:
    """Cases and loads for a revision of the loft; with faults one imposed load is multiplied already, one
    lies above the stair opening, and one case is there twice."""
    slabs = {s.name: s.id for s in model.surfaces.values() if not s.upright}
    floors = [i for n, i in slabs.items() if not n.startswith("Roof")]
    roof = [i for n, i in slabs.items() if n.startswith("Roof")]

    def on(ids: list[str], kn: float) -> list[dict[str, Any]]:
        return [{"on": "area", "surface": i, "values": [[0.0, 0.0, -1000.0 * kn]]} for i in ids]

    cases: list[dict[str, Any]] = [
        {"name": "Finishes", "kind": "dead", "loads": on(floors, 1.25) + on(roof, 0.75)},
        {
            "name": "Sail floors",
            "kind": "live",
            "category": "C",
            "loads": on(floors, 7.125 if faults else 5.0),
        },
        {"name": "Snow", "kind": "snow", "loads": on(roof, 1.0)},
        {"name": "Wind y", "kind": "wind", "loads": _gable(model)},
    ]
    edits: list[Edit] = [AddCases(cases)]
    level = sorted(s.elevation for s in model.storeys)
    if faults and floors and len(level) > 1:
        outer = model.surfaces[floors[0]].outer
        low, high = outer.min(axis=0), outer.max(axis=0)
        z = float(outer[0, 2])
        bales = [
            [low[0] + 1, low[1] + 1, z],
            [high[0] + 1, low[1] + 1, z],
            [high[0] + 1, high[1] - 1, z],
            [low[0] + 1, high[1] - 1, z],
        ]
        outline = [[float(v) for v in p] for p in bales]
        sails = {
            "on": "area",
            "surface": "",
            "values": [[0.0, 0.0, -500.0]],
            "outline": outline,
            "name": "sail bales",
        }
        edits.append(
            AddCases(
                [{"name": "Bales", "kind": "live", "category": "C", "together": "bales", "loads": [sails]}]
            )
        )
        edits.append(AddCases([{"name": "Snow, again", "kind": "snow", "loads": on(roof, 1.0)}]))
    middle = next((s for s in floors if s), None)
    if middle is not None:
        outer = model.surfaces[middle].outer
        low, high, z = outer.min(axis=0), outer.max(axis=0), float(outer[0, 2])
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
