"""A steel office with slabs on beams, as it comes by default: what is seen when, against opening the file and
nothing else."""

from __future__ import annotations

import resource
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np

from rod_tally.demo.writer import IfcWriter

OFFICES = ((8, 11, 8), (16, 18, 17))  # storeys, bays along x and y: 3,800 and 25,600 elements


def write_office(path: Path, storeys: int, nx: int, ny: int) -> None:
    """Columns at 7.2 by 6 m, beams between them, a secondary in each bay, and a slab a bay."""
    w = IfcWriter("office", "IFC4", "MILLIMETRE")
    steel = w.material("S355", YoungModulus=210e9, MassDensity=7850)
    concrete = w.material("C30/37", YoungModulus=33e9, MassDensity=2500)
    column = w.i_profile("HE 300 B", 0.3, 0.3, 0.011, 0.019, 0.027)
    beam = w.i_profile("IPE 400", 0.4, 0.18, 0.0086, 0.0135, 0.021)
    second = w.i_profile("IPE 300", 0.3, 0.15, 0.0071, 0.0107, 0.015)
    for k in range(storeys):
        w.storey(f"L{k}", 3.6 * k)
    w.storey("Roof", 3.6 * storeys)
    for k in range(storeys):
        low, high = 3.6 * k, 3.6 * (k + 1)
        up, z = f"L{k + 1}" if k + 1 < storeys else "Roof", high - 0.2
        for i in range(nx + 1):
            for j in range(ny + 1):
                x, y, at = 7.2 * i, 6.0 * j, f"{k}-{i}-{j}"
                w.member("IfcColumn", f"C{at}", (x, y, low), (x, y, high), column, steel, f"L{k}", (1, 0, 0))
                if i < nx:
                    w.member("IfcBeam", f"X{at}", (x + 0.15, y, z), (x + 7.05, y, z), beam, steel, up)
                if j < ny:
                    w.member("IfcBeam", f"Y{at}", (x, y + 0.15, z), (x, y + 5.85, z), beam, steel, up)
                if i < nx and j < ny:
                    ends = (x + 3.6, y + 0.09, z + 0.05), (x + 3.6, y + 5.91, z + 0.05)
                    w.member("IfcBeam", f"S{at}", *ends, second, steel, up)
                    w.block("IfcSlab", f"F{at}", (x, y, high), (x + 7.2, y + 6.0, high + 0.15), concrete, up)
    w.write(path)


def corrected(model: Any, settings: Any, edit: Any, before: Any, texts: Any) -> tuple[Any, Any]:
    """A correction, and what follows it in the background: the model written, and checked again."""
    from rod_tally.checks import Subject, checked
    from rod_tally.project.codec import pack

    edit.apply(model)
    pack(model, written_before=texts)
    state = model.snapshot()
    return checked(Subject(state, None, settings, before.loads.after(before.model, state)), before=before)[
        1
    ], texts


def office(storeys: int, nx: int, ny: int) -> dict[str, Any]:
    import ifcopenshell

    from rod_tally.compare import compare
    from rod_tally.model import PINNED_END, Settings
    from rod_tally.model.edits import DeleteMembers, SetRelease
    from rod_tally.review.work import (
        add_dynamics,
        check_unrun,
        first_look,
        read_model,
        run_statically,
        side_of,
    )

    out: dict[str, Any] = {"storeys": storeys}
    settings = Settings()

    def timed(name: str, call: Any) -> Any:
        start = time.perf_counter()
        value = call()
        out[name] = time.perf_counter() - start
        return value

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "office.ifc"
        write_office(path, storeys, nx, ny)
        file = timed("open", lambda: ifcopenshell.open(str(path)))
        out["elements"] = len(file.by_type("IfcElement"))
        del file
        model = timed("seen", lambda: read_model(path, settings))
    looked = timed("checked", lambda: check_unrun(first_look(model, settings)))[1]
    static, kept = timed("run", lambda: run_statically(model, settings, before=looked))
    done = timed("modes", lambda: add_dynamics(static, kept))
    out["peak"] = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    timed("compared", lambda: compare(side_of(done), side_of(done), (done.distribution, done.distribution)))
    beam = next(m.id for m in model.members.values() if m.cls == "beam")
    before, texts = corrected(model, settings, SetRelease([beam], False, PINNED_END), looked, {})
    timed("released", lambda: corrected(model, settings, SetRelease([beam], True, PINNED_END), before, texts))
    timed("deleted", lambda: corrected(model, settings, DeleteMembers([beam]), before, texts))
    # the same numbers, bare: ends, displacements, forces and reactions taken off each other
    arrays = [
        model.lines_of(list(model.members.values())),
        done.results.displacement,
        done.results.force,
        done.results.reaction,
    ]
    others = [a.copy() for a in arrays]
    timed("bare difference", lambda: [np.abs(a - b).max(initial=0.0) for a, b in zip(arrays, others)])
    return out
