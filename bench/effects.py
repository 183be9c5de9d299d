"""What each of many corrections does to a frame of 5,000 members in five cases, beside full runs and bare
factorisations of the same matrix."""

from __future__ import annotations

import time
from dataclasses import replace
from typing import Any

import numpy as np
from carrying import _frame

CASES = 5  # with self-weight
FULL = 3  # full runs that are timed


def effects(members: int = 5000, tried: int = 20) -> dict[str, Any]:
    """Return seconds of one effect, of one full run with what an effect needs of it, of one bare solve, and
    the peak of memory in MB."""
    from rod_tally.analysis.frame.mesh import mesh
    from rod_tally.analysis.solve.factor import Factor
    from rod_tally.analysis.solve.system import assemble
    from rod_tally.model import PINNED_END, LoadCase, MemberLoad, Settings, Storey
    from rod_tally.review.effects.measures import changed_parts, measured
    from rod_tally.review.effects.quick import Runs
    from rod_tally.review.work import run_with_combinations

    model, settings = _frame(members), Settings()
    model.cases["Self-weight"] = LoadCase("Self-weight", "self-weight", self_weight=(0.0, 0.0, -1.0))
    kinds = ("dead", "live", "snow", "wind")
    ids = [i for i, m in model.members.items() if m.cls == "beam"]
    for k, kind in enumerate(kinds):
        q = (1e3, 0.0, 0.0) if kind == "wind" else (0.0, 0.0, -5e3)
        loads = [MemberLoad(i, 0.0, model.length(model.members[i]), q, q) for i in ids[k::3]]
        model.cases[f"Q{k}"] = LoadCase(f"Q{k}", kind, member_loads=loads)

    def other(k: int) -> Any:
        out = model.snapshot()
        ident = ids[(37 * k) % len(ids)]
        out.members[ident] = replace(out.members[ident], release_end=PINNED_END)
        return out

    model.storeys = [Storey(f"L{z:g}", z) for z in sorted({float(n.point[2]) for n in model.nodes.values()})]
    done = run_with_combinations(model, settings)
    base = measured(done)
    start = time.perf_counter()
    for k in range(FULL):
        full = measured(run_with_combinations(other(k), settings))
        changed_parts(base, full, settings.compare)
    full_s = (time.perf_counter() - start) / FULL
    runs = Runs(done)
    start = time.perf_counter()
    for k in range(tried):
        own = measured(runs.run(other(k), settings))
        changed_parts(base, own, settings.compare)
    each_s = (time.perf_counter() - start) / tried
    m = mesh(model, list(model.members))
    k_free = assemble(model, m, [])[0].k
    right = np.ones((k_free.shape[0], CASES))
    start = time.perf_counter()
    factor = Factor(k_free)
    factor.solve(right)
    bare = time.perf_counter() - start
    factor.close()
    return {
        "members": len(model.members),
        "tried": tried,
        "each_s": each_s,
        "full_s": full_s,
        "bare": bare,
        "ratio": full_s / each_s,
        "solves": each_s / bare,
    }
