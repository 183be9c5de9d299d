"""Ground in zones under slabs: by statics of a rigid block, through IFC, corrections, comparison and the
window."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from rod_tally.analysis import run
from rod_tally.checks import Subject, run_checks
from rod_tally.compare import compare
from rod_tally.compare.results import Side
from rod_tally.desk.overlays.registry import overlays
from rod_tally.desk.window import Window
from rod_tally.intake import read_source
from rod_tally.model import Model, Settings
from rod_tally.model.edits import EditError, SetBedding, SetBedZones, SetGroundLifting, SetLimit, from_record
from rod_tally.model.settings import MeshSettings, RunSettings
from rod_tally.output.ifc import write_ifc
from rod_tally.project.codec import pack
from rod_tally.project.prints import fingerprint
from rod_tally.transfer import transfer

from .desk_help import act, fill, legend, model_of
from .test_lifting_ground import B, K, L, N, footing
from .verification import verified

HALF = [[-L / 2, -B / 2, 0.0], [0.0, -B / 2, 0.0], [0.0, B / 2, 0.0], [-L / 2, B / 2, 0.0]]
MESH = MeshSettings(size=0.25)


def zoned(share: float, e: float = 0.0) -> Model:
    """The rigid footing with its left half on ground `share` as stiff."""
    m = footing(e)
    SetBedZones([{"surface": "s", "outline": HALF, "modulus": share * K}]).apply(m)
    return m


def settled(m: Model, settings: RunSettings | None = None) -> tuple[float, float]:
    """Settlement in the middle, m, and tilt towards +x."""
    r = run(m, settings or RunSettings(), meshing=MESH)
    assert not r.unsettled and r.equilibrium[0].residual < 1e-6  # of a block 6 m thick
    x, w = r.xyz[:, 0], -r.displacement[r.case_index("N"), :, 2]
    tilt, middle = np.polyfit(x, w, 1)
    return float(middle), float(tilt)


@pytest.mark.parametrize("share", [0.5, 0.1, 0.0])
@pytest.mark.parametrize("e", [0.4, 1.2])
def test_a_rigid_block_on_two_halves(share: float, e: float) -> None:
    """w = w0 + t x with the sum of k w and of k w x over both halves equal to N and N e (statics, Winkler's
    ground)."""
    left, right = share * K * B, K * B
    h = L / 2
    a = np.array(
        [
            [(left + right) * h, (right - left) * h**2 / 2],
            [(right - left) * h**2 / 2, (left + right) * h**3 / 3],
        ]
    )
    w0, tilt = np.linalg.solve(a, [N, N * e])
    middle, turned = settled(zoned(share, e))
    source = "statics, Winkler"
    verified(f"Block on two halves, {share:g} of the ground, N at {e:g} m: tilt", source, turned, tilt, 0.02)
    assert middle == pytest.approx(w0, abs=0.02 * (abs(w0) + abs(tilt) * h))


def test_the_last_zone_counts_and_all_can_go() -> None:
    m = zoned(0.1)
    whole = [[x, y, 0.0] for x, y in ((-9, -9), (9, -9), (9, 9), (-9, 9))]
    SetBedZones([{"surface": "s", "outline": whole, "modulus": K}]).apply(m)
    plain = settled(footing(0.0))
    assert settled(m) == pytest.approx(plain, rel=1e-4, abs=1e-7)
    edit = SetBedZones([], ["s"])
    edit.apply(m)
    assert not m.surfaces["s"].beds and settled(m) == pytest.approx(plain, rel=1e-6, abs=1e-7)
    edit.revert(m)
    assert len(m.surfaces["s"].beds) == 2


def test_ground_under_zones_alone_and_ground_that_only_pushes() -> None:
    """Ground under a zone holds the block without any under the rest; what lies on nothing is neither lifted
    nor limited."""
    m = zoned(1.0, -1.5)
    SetBedding(["s"], 0.0).apply(m)
    assert settled(m)[0] == pytest.approx(N / (K * B * L / 2), rel=0.01)
    SetGroundLifting(["s"]).apply(m)
    SetLimit(["s"], 1.2 * N / (B * L / 2), supports=True).apply(m)
    assert settled(m, RunSettings(one_way=True))[0] == pytest.approx(N / (K * B * L / 2), rel=0.01)


@pytest.mark.parametrize(
    ("zone", "words"),
    [
        ({"outline": HALF[:2], "modulus": 1e7}, "three corners"),
        ({"outline": [[50, 0, 0], [51, 0, 0], [51, 1, 0]], "modulus": 1e7}, "covers nothing"),
        ({"outline": HALF, "modulus": -1.0}, "is none"),
        ({"outline": [HALF[0], HALF[2], HALF[1], HALF[3]], "modulus": 1e7}, "covers nothing"),
    ],
)
def test_what_is_no_zone_says_so(zone: dict[str, object], words: str) -> None:
    m = footing(0.0)
    before = pack(m)
    with pytest.raises(EditError, match=words):
        SetBedZones([{"surface": "s", **zone}]).apply(m)
    assert pack(m) == before


def test_through_ifc_compared_and_made_again(tmp_path: Path) -> None:
    m = zoned(0.5, 1.0)
    back = transfer(read_source(write_ifc(m, tmp_path / "z.ifc")), Settings().transfer)
    (s,) = back.surfaces.values()
    assert s.bedding == K and [b.modulus for b in s.beds] == [0.5 * K]
    assert settled(back) == pytest.approx(settled(m), rel=1e-6)
    rows = [x for x in compare(Side(footing(1.0)), Side(m)).supports if x.status != "same"]
    assert [(x.was, x.is_) for x in rows] == [("bed 2e+07", "bed 2e+07, 6 m² on 1e+07")]
    assert fingerprint(m) != fingerprint(footing(1.0))
    made = from_record(m.corrections[-1], m)
    assert isinstance(made, SetBedZones) and made.zones[0]["modulus"] == 0.5 * K
    only = zoned(1.0)
    SetBedding(["s"], 0.0).apply(only)
    (s,) = transfer(read_source(write_ifc(only, tmp_path / "o.ifc")), Settings().transfer).surfaces.values()
    assert s.bedding == 0 and len(s.beds) == 1


def test_in_the_window(tower: Window, qtbot: QtBot) -> None:
    w = tower
    raft = min((s for s in model_of(w).surfaces.values() if not s.upright), key=lambda s: s.outer[0, 2])
    w.state.pick("surface", raft.id)
    act(w, qtbot, "model.bed")
    fill(w, qtbot, w.hold_desk.form, bed=30)
    act(w, qtbot, "model.bed_zone")
    fill(w, qtbot, w.hold_desk.form, bed=10)
    own = model_of(w).surfaces[raft.id]
    assert own.bedding == 30e6 and [b.modulus for b in own.beds] == [10e6]
    assert "supports" in overlays()
    w.state.show_overlay("supports")
    assert "zone on 10" in legend(w, qtbot)
    act(w, qtbot, "model.bed_zone")
    fill(w, qtbot, w.hold_desk.form, bed=0, zones="are taken away")
    assert [b.modulus for b in model_of(w).surfaces[raft.id].beds] == [0.0]


def test_zones_alone_hold_a_model() -> None:
    """Ground of its own under the slab is not needed where zones hold it; without either nothing does."""
    m = zoned(0.5)
    m.surfaces["s"].bedding = 0.0
    held = {f.code for f in run_checks(Subject(m))}
    assert not held & {"support.none", "support.base_free", "join.island", "surface.free"}
    m.surfaces["s"].beds = []
    assert "support.none" in {f.code for f in run_checks(Subject(m))}
