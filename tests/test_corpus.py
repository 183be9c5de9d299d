"""Buildings made at random of bodies, joints and loads of every kind, turned, shifted, in any unit:
volumes are those of the geometry kernel element by element, loads and supports balance, or what is missing
is named."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from rod_tally.analysis import run
from rod_tally.checks import Subject, run_checks
from rod_tally.demo.writer import IfcWriter, Vec
from rod_tally.intake import read_source
from rod_tally.loads import Distribution
from rod_tally.model import Settings
from rod_tally.transfer import transfer

from .analytical_ifc import HELD, AnalyticalWriter
from .bodies import kernel_volumes, model_volumes
from .test_whole_bodies import BODIES

BUILDINGS, AT_ONCE = 300, 5  # of each half bodies and half loads; bodies in one building
UNITS = ("METRE", "MILLIMETRE", "CENTIMETRE", "FOOT", "INCH")
SCHEMAS = ("IFC4", "IFC2X3", "IFC4X3")


class Placed(IfcWriter):
    """A writer that turns and shifts whatever it places."""

    turn, shift = np.eye(3), np.zeros(3)

    def placement(self, origin: Vec, z: Vec | None = None, x: Vec | None = None, to: Any = None) -> Any:
        if not self.turn.any():
            return super().placement(origin, z, x, to)
        z, x = (np.array(v if v is not None else d, float) for v, d in ((z, (0, 0, 1)), (x, (1, 0, 0))))
        return super().placement(
            self.turn @ np.array(origin, float) + self.shift, self.turn @ z, self.turn @ x, to
        )


def turned(angle: float) -> np.ndarray:
    c, s = math.cos(angle), math.sin(angle)
    return np.array([[c, -s, 0], [s, c, 0], [0, 0, 1.0]])


@pytest.mark.parametrize("first", range(0, BUILDINGS // 2, 25))
def test_every_element_has_the_volume_of_its_body(tmp_path: Path, first: int) -> None:
    for seed in range(first, first + 25):
        rng = np.random.default_rng(seed)
        w = Placed("corpus", str(rng.choice(SCHEMAS)), str(rng.choice(UNITS)), str(seed))
        w.storey("Ground", 0.0)
        angle = float(rng.choice([0.0, math.pi / 2, rng.uniform(0, 2 * math.pi)]))
        far = rng.uniform(-3e4, 3e4, 2) if seed % 7 == 0 else rng.uniform(-50, 50, 2)
        for n, k in enumerate(rng.choice(len(BODIES), AT_ONCE, replace=False)):
            w.turn, w.shift = turned(angle), np.array([*(far + turned(angle)[:2, 0] * 14 * n), 0.0])
            BODIES[int(k)](w)
        path = tmp_path / f"{seed}.ifc"
        w.write(path)
        model = transfer(read_source(path), Settings().transfer)
        expected = kernel_volumes(path)
        assert model_volumes(model) == {k: pytest.approx(v, rel=0.01) for k, v in expected.items()}, seed


def frame_with_loads(rng: np.random.Generator) -> tuple[AnalyticalWriter, np.ndarray]:
    """Beams in a row, each fixed at its ends, with loads drawn anyhow; and the force of all of them."""
    length = str(rng.choice(["METRE", "MILLIMETRE", "FOOT"]))
    w = AnalyticalWriter("IFC4", length, str(rng.choice(["NEWTON", "KILONEWTON"])))
    t = turned(float(rng.uniform(0, 2 * math.pi)))
    shift = rng.uniform(-100, 100, 3)
    steel, section = w.material(), w.rectangle()
    w.case("Q")
    whole = np.zeros(3)
    for n in range(int(rng.integers(1, 4))):
        a = np.array([0.0, 6.0 * n, float(rng.uniform(0, 3))])
        b = a + [float(rng.uniform(3, 9)), 0.0, float(rng.uniform(0, 2))]
        place = {k: t @ p + shift for k, p in (("a", a), ("b", b))}
        for k in "ab":
            w.point(f"{n}{k}", place[k].tolist(), [HELD] * 6)
        name = f"beam {n}"
        w.member(name, place["a"].tolist(), place["b"].tolist(), section, steel)
        w.connect(name, f"{n}a")
        w.connect(name, f"{n}b")
        d = b - a
        for _ in range(int(rng.integers(1, 4))):
            q = t @ rng.uniform(-5e3, 5e3, 3)
            kind = int(rng.integers(3))
            if kind == 0:
                w.uniform("Q", name, *q, 0, 0, 0)
                whole += q * np.linalg.norm(d)
            elif kind == 1:  # drawn: askew, overhanging, either way round, sometimes far away
                s = rng.uniform(-0.3, 1.3, 2)
                beside = rng.uniform(-0.2, 0.2, (2, 3)) * (10 if rng.random() < 0.2 else 1)
                ends = [t @ (a + d * x + off) + shift for x, off in zip(s, beside)]
                shape = w.shape(w.f.createIfcEdge(*(w.vertex(p.tolist()) for p in ends)), "Edge")
                q2 = t @ rng.uniform(-5e3, 5e3, 3)
                values = [w.linear(*v, 0, 0, 0) for v in (q, q2)]
                load = w.f.create_entity("IfcStructuralLoadConfiguration", None, values, None)
                w.action(
                    "IfcStructuralCurveAction", "Q", w.members[name], load, Representation=shape, PredefinedType="LINEAR"
                )  # fmt: skip
                whole += (q + q2) / 2 * np.linalg.norm(ends[1] - ends[0])
            else:
                p = t @ (a + d * rng.uniform(-0.2, 1.2) + rng.uniform(-0.4, 0.4, 3)) + shift
                w.on_member("Q", name, p.tolist(), *q, 0, 0, 0)
                whole += q
    return w, whole


@pytest.mark.parametrize("first", range(0, BUILDINGS // 2, 25))
def test_what_is_drawn_acts_or_is_named(tmp_path: Path, first: int) -> None:
    """Force applied and force named as lost are together what was drawn, to a billionth; reactions balance
    it."""
    for seed in range(first, first + 25):
        w, whole = frame_with_loads(np.random.default_rng(1000 + seed))
        model = transfer(read_source(w.write(tmp_path / f"{seed}.ifc")), Settings().transfer)
        results = run(model, Settings().run)
        lost = Distribution(model).case("Q").total("lost") if "Q" in model.cases else np.zeros(3)
        lost = lost + sum((np.array(f) for *_, f in model.cases["Q"].lost), np.zeros(3))
        unread = [s for s in model.skipped if s.cls == "action"]
        named = {i for f in run_checks(Subject(model, results)) if f.code == "load.uncarried" for i in f.ids}
        size = max(float(np.abs(whole).max()), 1e3)
        gone = [i for i, _, f in model.cases["Q"].lost if not any(f)]
        assert {s.id for s in unread} <= named or not unread, seed
        if not gone:  # a load whose force is not known is named, and its sum is not
            assert results.applied["Q"] + lost == pytest.approx(whole, abs=1e-9 * size), seed
        e = next(e for e in results.equilibrium if e.case == "Q")
        assert e.residual < 1e-9, seed
