"""A concrete building of slabs, walls and columns with some 300,000 unknowns: each step of its run, the solve
against a bare factorisation of the same matrix by the same library."""

from __future__ import annotations

import resource
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np

STOREYS, BAYS, SIZE, CASES = 20, (4, 3), 0.75, 10


def shells() -> dict[str, Any]:
    from rod_tally.analysis.frame.mesh import mesh
    from rod_tally.analysis.run import run
    from rod_tally.analysis.shells.fields import PlateFields
    from rod_tally.analysis.solve import factor
    from rod_tally.analysis.solve.parts import parts
    from rod_tally.analysis.solve.system import assemble, solve
    from rod_tally.demo.tower import write_tower
    from rod_tally.loads import Distribution
    from rod_tally.meshing import mesh_plates
    from rod_tally.model import AreaLoad, LoadCase, Settings
    from rod_tally.review.work import read_model

    settings = Settings()
    settings.mesh.size = SIZE
    with tempfile.TemporaryDirectory() as folder:
        write_tower(Path(folder) / "tower.ifc", STOREYS, *BAYS)
        model = read_model(Path(folder) / "tower.ifc", settings)
    slabs = [s.id for s in model.surfaces.values() if not s.upright]
    for c in range(1, CASES):
        loads = [AreaLoad(i, ((0.0, 0.0, -1000.0 * c),)) for i in slabs]
        model.cases[f"live {c}"] = LoadCase(f"live {c}", "live", area_loads=loads)
    out: dict[str, Any] = {}

    def timed(name: str, call: Any) -> Any:
        start = time.perf_counter()
        value = call()
        out[name] = time.perf_counter() - start
        return value

    plates = timed("mesh", lambda: mesh_plates(model, SIZE))
    taking = parts(model, plates, None)
    m = mesh(model, taking.members, True, taking.plates)
    system, _ = timed("assemble", lambda: assemble(model, m, []))
    rng = np.random.default_rng(1)
    right = np.zeros((system.full.shape[0], CASES))
    right[system.free] = rng.standard_normal((len(system.free), CASES))

    timed("solve", lambda: solve(m, system, right, None))

    def bare() -> None:
        f = factor.Factor(system.k)
        f.solve(right[system.free])
        f.close()

    timed("bare", bare)
    out["unknowns"] = int(system.k.shape[0])

    loads = Distribution(model)
    results = timed("run", lambda: run(model, settings.run, distribution=loads, meshing=settings.mesh))
    fields = timed("fields", lambda: PlateFields(model, results.plates))
    timed("forces of a case", lambda: fields.at_corners(results.displacement[0]))
    out["elements"], out["surfaces"], out["members"] = plates.count, len(plates.surfaces), len(model.members)
    out["residual"] = max(e.residual for e in results.equilibrium)
    out["peak"] = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    return out
