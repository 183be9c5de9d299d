"""Buildings put together at random, taken in twice: the second time turned, in another order and under other
names. Nodes, joints, supports, loads and results are the same."""

from __future__ import annotations

import numpy as np
import pytest

from rod_tally.compare import compare
from rod_tally.intake import SourceModel
from rod_tally.intake.source import Prism, SourceFooting
from rod_tally.loads import Distribution
from rod_tally.model import Model, Settings
from rod_tally.review.work import run_only, side_of

from .physical_models import add, model, moved, source
from .test_panels import plate

SHIFT = np.array((13.0, -4.0, 0.0))
TURN = np.array([[np.cos(0.61), -np.sin(0.61), 0], [np.sin(0.61), np.cos(0.61), 0], [0, 0, 1]])


def building(seed: int) -> SourceModel:
    """Up to three storeys and bays: columns a little off their lines, beams short of them, beams on beams,
    braces, slabs above, between or below beams, walls."""
    r = np.random.default_rng(seed)
    xs = np.concatenate([[0], np.cumsum(r.choice([4.8, 5.4, 6.0, 7.2, 3.3], r.integers(1, 4)))])
    ys = np.concatenate([[0], np.cumsum(r.choice([4.5, 5.0, 6.3], r.integers(1, 4)))])
    zs = np.concatenate([[0], np.cumsum(r.choice([3.0, 3.3, 4.0], r.integers(1, 4)))])
    s = source(list(zs))
    below = r.choice([0.0, -0.2, -0.4])
    for k, (z0, z1) in enumerate(zip(zs, zs[1:])):
        z = z1 - 0.2 + below
        for i, x in enumerate(xs):
            for j, y in enumerate(ys):
                off = r.choice([0, 0, 0, 0.05, -0.08])
                name = f"{k}-{i}-{j}"
                top = z1 + r.choice([0, 0, -0.2])
                add(s, "column", f"K{name}", (x + off, y, z0), (x + off, y, top), z=(1, 0, 0))
                short = r.choice([0, 0, 0.01, 0.02, 0.06])
                if i < len(xs) - 1 and r.random() < 0.9:
                    add(s, "beam", f"X{name}", (x + 0.15, y, z), (xs[i + 1] - 0.15 - short, y, z))
                if j < len(ys) - 1 and r.random() < 0.9:
                    add(s, "beam", f"Y{name}", (x, y + 0.15, z), (x, ys[j + 1] - 0.15, z))
                if i < len(xs) - 1 and j < len(ys) - 1 and r.random() < 0.4:
                    at = x + r.choice([0.3, 0.5, 0.4]) * (xs[i + 1] - x)
                    add(s, "beam", f"S{name}", (at, y + 0.1, z), (at, ys[j + 1] - 0.1, z))
                if i < len(xs) - 1 and r.random() < 0.15:
                    add(s, "brace", f"D{name}", (x, y, z0), (xs[i + 1], y, z1 - r.choice([0, 0.2, 0.4])))
                if k == 0:
                    low, high = np.array([x - 0.5, y - 0.5, -0.4]), np.array([x + 0.5, y + 0.5, 0.0])
                    s.footings.append(SourceFooting(f"F{name}", f"F{name}", low, high, "L0"))
        if r.random() < 0.8:
            bottom = z1 + r.choice([0, -0.2])
            corner = xs[-1] + 0.15, ys[-1] + 0.15
            plate(s, "slab", f"P{k}", (-0.15, -0.15, bottom), (*corner, z1 + 0.2))
        if k == 0:
            bay, wall = int(r.integers(0, len(xs) - 1)), r.random()
        if wall < 0.6:
            plate(s, "wall", f"W{k}", (xs[bay] + 0.2, 1.0, z0), (xs[bay + 1] - 0.2, 1.2, z1))
        if wall < 0.3:
            plate(s, "wall", f"V{k}", (xs[bay] + 0.2, 1.2, z0), (xs[bay] + 0.4, 3.4, z1))
    return s


def again(seed: int) -> SourceModel:
    """The same building turned, shifted, in another order and under other names."""
    r = np.random.default_rng(seed + 7)
    s = building(seed)
    s = moved(s, TURN, SHIFT, list(r.permutation(len(s.elements))))
    for p in s.surfaces:
        assert p.body is not None
        p.body = Prism(p.body.outer @ TURN.T + SHIFT, [], TURN @ p.body.vector)
    s.surfaces = [s.surfaces[k] for k in r.permutation(len(s.surfaces))]
    for f in s.footings:
        middle, half = (f.lower + f.upper) / 2 @ TURN.T + SHIFT, (f.upper - f.lower) / 2
        f.lower, f.upper = middle - half, middle + half
    for k, n in enumerate(r.permutation(len(s.elements))):
        s.elements[k].id = f"e{n}"
    for k, n in enumerate(r.permutation(len(s.surfaces))):
        s.surfaces[k].id = f"s{n}"
    return s


def described(m: Model, back: bool) -> dict[str, list[object]]:
    """Every part by name: its places, what it is joined to and how, in the axes of the first."""

    def there(points: np.ndarray) -> np.ndarray:
        points = np.asarray(points) + m.origin
        return np.round((points - SHIFT) @ TURN if back else points, 3) + 0.0

    out: dict[str, list[object]] = {}
    for x in m.members.values():
        stops = np.array([m.nodes[n].point for n in (x.start, *(j.node for j in x.joints), x.end)])
        held = [m.nodes[n].support.words for n in (x.start, x.end)]
        ways = [(there(stops).tolist(), held), (there(stops)[::-1].tolist(), held[::-1])]
        out[x.name] = [min(ways), sorted((str(x.release_start), str(x.release_end)))]
    for s in m.surfaces.values():
        joints = [
            (
                j.kind,
                getattr(m.part(j.other), "name", ""),
                sorted(there(j.line).tolist()),
                round(j.distance, 3),
            )
            for j in s.joints
        ]
        out[s.name] = [round(s.area, 6), sorted(joints), s.way]
    return out


def close(a: object, b: object) -> bool:
    if isinstance(a, float) and isinstance(b, float):
        return abs(a - b) < 2e-3
    if isinstance(a, list | tuple) and isinstance(b, list | tuple):
        return len(a) == len(b) and all(close(x, y) for x, y in zip(a, b))
    return a == b


@pytest.mark.parametrize("seed", range(40))
def test_nodes_and_joints_do_not_depend_on_how_a_building_lies_or_is_written(seed: int) -> None:
    one, two = described(model(building(seed)), False), described(model(again(seed)), True)
    assert one.keys() == two.keys()
    for name, found in one.items():
        assert close(found, two[name]), (name, found, two[name])


@pytest.mark.parametrize(("seed", "walls"), [(1, "shell"), (4, "shell"), (11, "column")])
def test_results_do_not_either(seed: int, walls: str) -> None:
    settings = Settings()
    settings.modes.count, settings.mesh.size = 1, 1.0
    models = [model(s, walls=walls) for s in (building(seed), again(seed))]
    for m in models:
        for share in Distribution(m).case("Self-weight").shares:
            assert np.abs(share.lost).max() <= 1e-6 * np.abs(share.applied).max()
    found = compare(*(side_of(run_only(m, settings, lambda *_: None)) for m in models))
    assert {x.status for x in (*found.parts, *found.supports)} == {"same"}
    size: dict[str, float] = {}
    for r in found.results:
        size[r.quantity] = max(size.get(r.quantity, 0.0), abs(r.baseline))
    for r in found.results:
        assert r.revised == pytest.approx(r.baseline, rel=2e-3, abs=1e-3 * size[r.quantity] + 1e-9), r
    assert not [x for x in found.again if x.why == "demand"]
