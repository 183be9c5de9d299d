"""Random space frames with rotated sections and releases, held against element matrices of calfem-python.

The reference gives every member end degrees of freedom of its own and ties them to the nodes with Lagrange
multipliers, so it shares neither our element, nor our condensing, nor our assembly.
"""

from __future__ import annotations

from math import inf

import calfem.core as cfc
import numpy as np
import pytest

from rod_tally.analysis import run
from rod_tally.model import FIXED, PINNED_END, LoadCase, Model, NodeLoad, Release
from rod_tally.model.settings import RunSettings

from .frames import PLAIN, E, G, frame

TOL = 1e-6


def reference(m: Model, forces: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Node displacements (n, 6) and local end forces (members, 12) by calfem's elements and multipliers."""
    nodes, members = list(m.nodes), list(m.members.values())
    index = {n: i for i, n in enumerate(nodes)}
    own = 6 * len(nodes)
    size = own + 12 * len(members)
    k = np.zeros((size, size))
    ties = []
    for e, member in enumerate(members):
        line = m.line(member)
        axes = member.axes(line)
        ke = cfc.beam3e(*line.T, axes[2], [E, G, PLAIN.area, PLAIN.iy, PLAIN.iz, PLAIN.j])
        at = own + 12 * e
        k[at : at + 12, at : at + 12] += np.asarray(ke)
        for end, (node, release) in enumerate(
            ((member.start, member.release_start), (member.end, member.release_end))
        ):
            for d, stiffness in enumerate(release.stiffness):
                row = np.zeros(size)
                block = slice(at + 6 * end + 3 * (d // 3), at + 6 * end + 3 * (d // 3) + 3)
                row[block] = axes[d % 3]
                row[6 * index[node] + 3 * (d // 3) : 6 * index[node] + 3 * (d // 3) + 3] = -axes[d % 3]
                if stiffness == inf:
                    ties.append(row)
                else:  # a spring between the member's end and its node
                    k += stiffness * np.outer(row, row)
    for n, node in enumerate(nodes):
        if m.nodes[node].support == FIXED:
            for d in range(6):
                row = np.zeros(size)
                row[6 * n + d] = 1
                ties.append(row)
    c = np.array(ties)
    scale = np.abs(k).max()
    full = np.block([[k, scale * c.T], [scale * c, np.zeros((len(c), len(c)))]])
    f = np.zeros(size + len(c))
    f[:own] = forces.ravel()
    u = np.linalg.lstsq(full, f, rcond=None)[0][:size]
    ends = np.array(
        [
            k_local(m, member) @ to_local(m, member, u[own + 12 * e : own + 12 * e + 12])
            for e, member in enumerate(members)
        ]
    )
    return u[:own].reshape(-1, 6), ends


def to_local(m: Model, member: object, u: np.ndarray) -> np.ndarray:
    axes = member.axes(m.line(member))  # type: ignore[attr-defined]
    return np.concatenate([axes @ u[3 * b : 3 * b + 3] for b in range(4)])


def k_local(m: Model, member: object) -> np.ndarray:
    length = m.length(member)  # type: ignore[arg-type]
    ke = cfc.beam3e(
        np.array([0, length]),
        np.zeros(2),
        np.zeros(2),
        np.array([0, 0, 1]),
        [E, G, PLAIN.area, PLAIN.iy, PLAIN.iz, PLAIN.j],
    )
    return np.asarray(ke)


def random_frame(seed: int) -> tuple[Model, np.ndarray]:
    """Eight nodes in space, thirteen members with sections turned any way, some ends released or sprung."""
    rng = np.random.default_rng(seed)
    points = rng.uniform(0, 8, (8, 3))
    pairs = [(i, i + 1) for i in range(7)] + [(0, 4), (1, 5), (2, 6), (3, 7), (0, 7), (2, 5)]
    m = frame(points.tolist(), pairs, {0: "fixed", 3: "fixed"})
    for k, member in enumerate(m.members.values()):
        member.z_axis = rng.standard_normal(3)
        if k in (8, 10):
            member.release_start, member.release_end = PINNED_END, Release.of("my")
        if k == 9:
            member.release_end = Release.of("n")
        if k == 11:
            member.release_start = Release.of("mt=4e5 my=8e5")
    forces = np.zeros((8, 6))
    forces[4:] = rng.uniform(-1, 1, (4, 6)) * 1e4
    loads = [NodeLoad(f"n{n}", tuple(forces[n, :3]), tuple(forces[n, 3:])) for n in range(8)]
    m.cases["f"] = LoadCase("f", "live", node_loads=loads)
    return m, forces


@pytest.mark.parametrize("seed", range(6))
def test_random_space_frame_agrees_with_the_reference(seed: int) -> None:
    """Displacements and end forces within 1e-6 of their largest; equilibrium to 1e-9."""
    m, forces = random_frame(seed)
    u, ends = reference(m, forces)
    r = run(m, RunSettings())
    assert r.motions == []
    assert np.abs(r.displacement[0] - u).max() <= TOL * np.abs(u).max()
    for e, member in enumerate(m.members):
        at = r.stations_of(member)
        mine = np.concatenate([-r.force[0, at[0]], r.force[0, at[-1]]])
        assert np.abs(mine - ends[e]).max() <= TOL * np.abs(ends).max()
    assert r.equilibrium[0].residual <= 1e-9


def test_released_ends_carry_nothing() -> None:
    m, _ = random_frame(1)
    r = run(m, RunSettings())
    for member in m.members.values():
        at = r.stations_of(member.id)
        for release, row in ((member.release_start, at[0]), (member.release_end, at[-1])):
            for d in range(6):
                if release.released[d]:
                    assert abs(r.force[0, row, d]) <= 1e-7 * np.abs(r.force[0]).max()


@pytest.mark.parametrize("seed", range(3))
def test_frames_turned_and_moved_give_the_same_forces(seed: int) -> None:
    """A rigid motion of model and loads changes no member force."""
    m, _ = random_frame(seed)
    r = run(m, RunSettings())
    a = 0.7 + seed
    turn = np.array([[np.cos(a), -np.sin(a), 0], [np.sin(a), np.cos(a), 0], [0, 0, 1.0]])
    turn = turn @ np.array([[1, 0, 0], [0, np.cos(a), -np.sin(a)], [0, np.sin(a), np.cos(a)]])
    for node in m.nodes.values():
        node.point = turn @ node.point + [100, -50, 20]
    for member in m.members.values():
        member.z_axis = turn @ member.z_axis
    for load in m.cases["f"].node_loads:
        load.force, load.moment = tuple(turn @ load.force), tuple(turn @ load.moment)  # type: ignore[assignment]
    again = run(m, RunSettings())
    assert np.abs(again.force - r.force).max() <= 1e-7 * np.abs(r.force).max()
