"""A thousand combinations of ten cases over the forces of 20,000 members: the envelope with what governs,
against the bare NumPy products, once as large as one would write them and once in pieces that stay in the
cache."""

from __future__ import annotations

import resource
import time
from types import SimpleNamespace
from typing import Any

import numpy as np

MEMBERS, STATIONS, CASES, COMBINATIONS, LARGE, SMALL = 20_000, 13, 10, 1000, 65_536, 1024


def envelopes() -> dict[str, Any]:
    from rod_tally.analysis.results.superpose import envelope, factors_of
    from rod_tally.model import Combination

    rng = np.random.default_rng(4)
    force = rng.standard_normal((CASES, MEMBERS * STATIONS, 6))
    names = [f"case {c}" for c in range(CASES)]
    results: Any = SimpleNamespace(
        cases=names, force=force, slack={}, yielded={}, unsettled={}, second_order=[]
    )
    combinations = [
        Combination(f"{k}", "strength", dict(zip(names, rng.choice([0.0, 1.0, 1.35, 1.5], CASES).tolist())))
        for k in range(COMBINATIONS)
    ]
    factors, _ = factors_of(results, combinations)
    flat = np.ascontiguousarray(force.reshape(CASES, -1).T)
    out: dict[str, Any] = {"values": len(flat), "combinations": COMBINATIONS, "members": MEMBERS}

    def products(size: int) -> None:
        for s in range(0, len(flat), size):
            flat[s : s + size] @ factors.T

    for name, call in (
        ("bare, large", lambda: products(LARGE)),
        ("bare, small", lambda: products(SMALL)),
        ("envelope", lambda: envelope(results, combinations)),
    ):
        start = time.perf_counter()
        call()
        out[name] = time.perf_counter() - start
    out["peak"] = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    return out
