"""A storey of many panels and cases: cutting, yield lines, and each case's loads onto beams, against bare
NumPy products."""

from __future__ import annotations

import resource
import time
from typing import Any

import numpy as np

from rod_tally.loads import Distribution
from rod_tally.model import AreaLoad, LoadCase, Material, Member, Model, Node, Section, Surface, SurfaceJoint

CASES = 30


def storey(nx: int, ny: int, even: bool) -> Model:
    """A slab on beams along every grid line; uneven bays are all different."""
    rng = np.random.default_rng(7)
    x = np.concatenate([[0.0], np.cumsum(np.full(nx, 6.0) if even else rng.uniform(4, 8, nx))])
    y = np.concatenate([[0.0], np.cumsum(np.full(ny, 5.0) if even else rng.uniform(4, 8, ny))])
    m = Model()
    m.sections["b"] = Section("b", "values", 0.08, 1e-3, 3e-4, 0.0, 7e-4, 0.0, 0.0)
    m.materials["c"] = Material("c", "concrete", 33e9, density=2500.0)
    for i, a in enumerate(x):
        for j, b in enumerate(y):
            m.nodes[f"{i} {j}"] = Node(f"{i} {j}", np.array([a, b, 4.0]))
    outer = np.array([(0, 0, 4.0), (x[-1], 0, 4), (x[-1], y[-1], 4), (0, y[-1], 4)])
    slab = Surface("s", "s", "slab", "", outer, [], 0.25, "c")
    pairs = [(f"{i} {j}", f"{i + 1} {j}") for i in range(nx) for j in range(ny + 1)]
    pairs += [(f"{i} {j}", f"{i} {j + 1}") for i in range(nx + 1) for j in range(ny)]
    for k, (a, b) in enumerate(pairs):
        m.members[f"m{k}"] = Member(f"m{k}", f"m{k}", "beam", a, b, "b", "c", np.array([0, 0, 1.0]))
        line = np.array([m.nodes[a].point, m.nodes[b].point])
        slab.joints.append(SurfaceJoint("member", f"m{k}", line))
    m.surfaces["s"] = slab
    for c in range(CASES):
        m.cases[f"c{c}"] = LoadCase(
            f"c{c}", "live", area_loads=[AreaLoad("s", ((0.0, 0.0, -1000.0 * (c + 1)),))]
        )
    return m


def floor(nx: int = 50, ny: int = 40) -> dict[str, Any]:
    out: dict[str, Any] = {"cases": CASES}
    for name, even in (("even", True), ("uneven", False)):
        m = storey(nx, ny, even)
        out["panels"], out["members"] = nx * ny, len(m.members)
        d = Distribution(m)
        start = time.perf_counter()
        d.floor("s")
        out[f"cut {name}"] = time.perf_counter() - start
        start = time.perf_counter()
        whole = d.whole("s")
        out[f"lines {name}"] = time.perf_counter() - start
        start = time.perf_counter()
        arrivals = [d.case(c) for c in m.cases]
        out[f"cases {name}"] = time.perf_counter() - start
        out[f"rows {name}"] = len(arrivals[0].member)
        start = time.perf_counter()
        for c in range(CASES):
            q = np.array([[0.0, 0.0, -1000.0 * (c + 1)], [0, 0, 0], [0, 0, 0]])
            qa, qb = whole.qa @ q, whole.qb @ q
            (np.where((whole.b > whole.a)[:, None], (qa + qb) / 2 * (whole.b - whole.a)[:, None], qa)).sum(
                axis=0
            )
        out[f"bare {name}"] = time.perf_counter() - start
        wanted = -1000.0 * sum(range(1, CASES + 1)) * m.surfaces["s"].area
        out[f"error {name}"] = abs(sum(a.total("on_members")[2] for a in arrivals) / wanted - 1)
    out["peak"] = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    return out
