"""The command line and its files, as the contract has them."""

from __future__ import annotations

import contextlib
import csv
import json
import math
import os
import subprocess
import sys
from pathlib import Path

import pytest

from rod_tally.cli import main

from .analytical_ifc import AnalyticalWriter, portal

HEADERS = {
    "nodes.csv": "node,x,y,z,support",
    "members.csv": "member,id,class,start_node,end_node,section,material,release_start,release_end",
    "displacements.csv": "case,node,x,y,z,ux,uy,uz,rx,ry,rz",
    "reactions.csv": "case,node,x,y,z,fx,fy,fz,mx,my,mz",
    "member_forces.csv": "case,member,id,distance,n,vy,vz,mt,my,mz",
    "surfaces.csv": "surface,id,class,thickness,material,area,elements",
    "surface_forces.csv": "case,surface,id,x,y,z,nx,ny,nxy,mx,my,mxy,vx,vy",
    "surface_axes.csv": "surface,x_axis,y_axis,z_axis",
    "combinations.csv": "combination,kind,case,factor",
    "storeys.csv": "case,storey,elevation,fx,fy,fz,shear_x,shear_y,drift_x,drift_y,mass,mass_x,mass_y",
    "wall_forces.csv": "case,storey,part,wall,ids,x,y,z,n,v_in,v_out,t,m_in,m_out",
    "cuts.csv": "case,cut,storey,x,y,z,n,v,v_out,m,m_out,t,n_members,v_members,m_members",
    "buckling.csv": "combination,mode,factor",
    "stability.csv": "combination,storey,direction,index,alpha_cr",
    "envelopes.csv": "set,of,id,place,quantity,low,low_by,low_with,high,high_by,high_with",
}


def rows(path: Path) -> list[dict[str, str]]:
    with path.open(encoding="utf-8", newline="") as f:
        return list(csv.DictReader(f))


@pytest.fixture(scope="module")
def reviewed(tmp_path_factory: pytest.TempPathFactory) -> tuple[int, Path]:
    """Revision B of the demo against revision A."""
    from .conftest import DATA

    out = tmp_path_factory.mktemp("out")
    status = main(
        [
            "review",
            str(DATA / "tern-quay-b.ifc"),
            "--out",
            str(out),
            "--against",
            str(DATA / "tern-quay-a.ifc"),
        ]
    )
    return status, out


def test_exit_status_says_whether_something_blocks(
    reviewed: tuple[int, Path], loft_a: Path, tmp_path: Path
) -> None:
    assert reviewed[0] == 0
    assert main(["review", str(loft_a), "--out", str(tmp_path / "a")]) == 1


def test_all_files_are_there_with_their_columns(reviewed: tuple[int, Path]) -> None:
    _, out = reviewed
    assert {p.name for p in out.iterdir()} == {*HEADERS, "findings.csv", "review.json"}
    for name, header in HEADERS.items():
        assert (out / name).read_text(encoding="utf-8").splitlines()[0] == header


def test_review_document_has_the_shape_of_the_contract(reviewed: tuple[int, Path]) -> None:
    d = json.loads((reviewed[1] / "review.json").read_text(encoding="utf-8"))
    assert (d["format"], d["version"]) == ("rod-tally-review", 1)
    assert set(d) == {
        "format",
        "version",
        "source",
        "tally",
        "findings",
        "equilibrium",
        "modes",
        "comparison",
        "decisions",
        "corrections",
        "elsewhere",
    }
    assert set(d["source"]) == {"file", "schema", "kind", "units", "storeys"}
    assert d["source"]["units"]["length"] == "MILLIMETRE"
    assert d["source"]["storeys"][0] == {"name": "Quay", "elevation": 0.0}
    for row in d["tally"]:
        assert set(row) == {"class", "source", "model", "skipped"}
    for f in d["findings"]:
        assert set(f) == {"code", "severity", "ids", "at", "message"}
        assert f["severity"] in ("blocking", "warning", "note")
        assert f["at"] is None or len(f["at"]) == 3
    for e in d["equilibrium"]:
        assert set(e) == {"case", "applied", "reaction", "residual"}
        assert len(e["applied"]) == len(e["reaction"]) == 6 and e["residual"] <= 1e-9
    assert d["modes"] and set(d["modes"][0]) == {"mode", "period", "mass_x", "mass_y", "mass_z"}
    c = d["comparison"]
    assert set(c) == {
        "transform",
        "levels",
        "members",
        "surfaces",
        "supports",
        "shared",
        "cases",
        "loads",
        "combinations",
        "results",
    }
    assert set(c["members"][0]) == {
        "status",
        "class",
        "baseline_id",
        "revised_id",
        "shift",
        "baseline_section",
        "revised_section",
        "changes",
    }
    assert set(c["results"][0]) == {
        "quantity",
        "case",
        "baseline_id",
        "revised_id",
        "baseline",
        "revised",
        "change",
    }


def test_no_file_holds_a_nan_or_an_infinity(reviewed: tuple[int, Path]) -> None:
    for path in reviewed[1].glob("*.csv"):
        for row in rows(path):
            for value in row.values():
                with contextlib.suppress(ValueError):
                    assert math.isfinite(float(value))
    json.loads((reviewed[1] / "review.json").read_text(), parse_constant=lambda c: pytest.fail(c))


def test_the_demo_changes_are_all_found(reviewed: tuple[int, Path]) -> None:
    """Braces and the hoist resized, a second hoist with its tie, two joists moved and two gone for a skylight, a
    floor thicker, and a doubled beam gone."""
    d = json.loads((reviewed[1] / "review.json").read_text(encoding="utf-8"))["comparison"]
    count = {
        s: sum(m["status"] == s for m in d["members"])
        for s in ("same", "changed", "moved", "resized", "added", "removed")
    }
    # changed: the beam that ended short and the column that stood in the air
    assert count == {"same": 180, "changed": 2, "moved": 2, "resized": 8, "added": 2, "removed": 3}
    assert len(d["surfaces"]) == 15
    slabs = {s["status"]: [x["what"] for x in s["changes"]] for s in d["surfaces"] if s["status"] != "same"}
    assert slabs == {"changed": ["openings"], "resized": ["place", "thickness"]}
    moved = sorted(round(m["shift"], 4) for m in d["members"] if m["status"] == "moved")
    assert moved == [0.035, 0.045]
    assert {x["status"] for x in d["levels"]} == {"same"}
    assert not {m["baseline_id"] for m in d["members"]} & {m["revised_id"] for m in d["members"]} - {None}


def test_the_demo_faults_are_all_found(loft_a: Path, tmp_path: Path) -> None:
    main(["review", str(loft_a), "--out", str(tmp_path)])
    d = json.loads((tmp_path / "review.json").read_text(encoding="utf-8"))
    above = sorted(f["code"] for f in d["findings"] if f["severity"] != "note")
    # the column without a support hangs on the slab above, which moves
    assert above == [
        "displacement.large",
        "join.duplicate",
        "join.gap",
        "join.loose_end",
        "section.unknown",
        "support.base_free",
    ]
    assert [f["code"] for f in d["findings"]] == [r["code"] for r in rows(tmp_path / "findings.csv")]


def test_tables_hold_together(tmp_path: Path) -> None:
    """Ids of the file, supports and releases as words, forces at both ends and the middle, sums as
    applied."""
    w = portal("IFC4", "MILLIMETRE", "KILONEWTON")
    path = w.write(tmp_path / "portal.ifc")
    assert main(["review", str(path), "--out", str(tmp_path / "out")]) == 0
    out = tmp_path / "out"
    nodes = {r["node"]: r for r in rows(out / "nodes.csv")}
    assert set(nodes) == {p.GlobalId for p in w.points.values()}
    assert nodes[w.points["a"].GlobalId]["support"] == "ux uy uz rx ry rz"
    assert nodes[w.points["b"].GlobalId]["support"] == ""
    members = {r["member"]: r for r in rows(out / "members.csv")}
    assert members["beam"]["id"] == w.members["beam"].GlobalId
    assert (members["beam"]["class"], members["left"]["class"]) == ("beam", "column")
    assert members["beam"]["start_node"] == w.points["b"].GlobalId
    assert members["beam"]["release_start"] == ""
    forces = [r for r in rows(out / "member_forces.csv") if r["case"] == "Floor" and r["member"] == "beam"]
    places = [float(r["distance"]) for r in forces]
    assert {0.0, 3.0, 6.0} <= {round(x, 9) for x in places}
    reactions = [r for r in rows(out / "reactions.csv") if r["case"] == "Floor"]
    assert sum(float(r["fz"]) for r in reactions) == pytest.approx(72e3)
    top = next(
        r
        for r in rows(out / "displacements.csv")
        if r["case"] == "Wind" and r["node"] == w.points["b"].GlobalId
    )
    assert float(top["ux"]) > 1e-4


def test_parts_that_cannot_be_computed_have_no_rows(tmp_path: Path) -> None:
    w = portal()
    w.point("p", (20, 0, 0))
    w.point("q", (24, 0, 0))
    w.member("loose", (20, 0, 0), (24, 0, 0), w.rectangle(), w.material())
    w.connect("loose", "p")
    w.connect("loose", "q")
    assert main(["review", str(w.write(tmp_path / "m.ifc")), "--out", str(tmp_path / "out")]) == 1
    computed = {r["member"] for r in rows(tmp_path / "out" / "member_forces.csv")}
    assert computed == {"left", "beam", "right"}
    assert {r["member"] for r in rows(tmp_path / "out" / "members.csv")} == {"left", "beam", "right", "loose"}


def test_a_model_without_supports_is_reviewed_all_the_same(tmp_path: Path) -> None:
    w = portal()
    for p in w.points.values():
        p.AppliedCondition = None
    assert main(["review", str(w.write(tmp_path / "m.ifc")), "--out", str(tmp_path / "out")]) == 1
    d = json.loads((tmp_path / "out" / "review.json").read_text())
    assert [f["code"] for f in d["findings"] if f["severity"] == "blocking"] == ["support.none"]
    assert d["equilibrium"] == [] and len(rows(tmp_path / "out" / "reactions.csv")) == 0


def test_snap_on_the_command_line(tmp_path: Path) -> None:
    w = AnalyticalWriter()
    steel, section = w.material(), w.rectangle()
    w.point("a", (0, 0, 0), [True] * 6)
    w.point("b", (0, 0, 4))
    w.point("b2", (0.05, 0, 4))
    w.point("c", (2, 0, 4))
    for name, (p, a), (q, b) in (
        ("col", ("a", (0, 0, 0)), ("b", (0, 0, 4))),
        ("beam", ("b2", (0.05, 0, 4)), ("c", (2, 0, 4))),
    ):
        w.member(name, a, b, section, steel)
        w.connect(name, p)
        w.connect(name, q)
    path = str(w.write(tmp_path / "m.ifc"))
    assert main(["review", path, "--out", str(tmp_path / "1")]) == 1
    assert main(["review", path, "--out", str(tmp_path / "2"), "--snap", "0.06"]) == 0


REFUSED = {
    "missing": lambda p: p / "nowhere.ifc",
    "directory": lambda p: p,
    "empty": lambda p: _file(p / "empty.ifc", b""),
    "not ifc": lambda p: _file(p / "text.ifc", b"some words"),
    "cut off": lambda p: _file(
        p / "cut.ifc", b"ISO-10303-21;\nHEADER;\nFILE_SCHEMA(('IFC4'));\nENDSEC;\nDATA;\n#1=IFCWALL("
    ),
    "garbage inside": lambda p: _file(
        p / "bad.ifc",
        b"ISO-10303-21;\nHEADER;\nFILE_SCHEMA(('IFC4'));\nENDSEC;\nDATA;\n#1=NONSENSE(;;;\nENDSEC;\nEND-ISO-10303-21;\n",
    ),
    "not a project": lambda p: _file(p / "x.rodtally", b"not a database at all, but long enough to look at"),
}


def _file(path: Path, content: bytes) -> Path:
    path.write_bytes(content)
    return path


@pytest.mark.parametrize("name", REFUSED)
def test_what_cannot_be_reviewed_is_one_line_and_status_2(tmp_path: Path, name: str) -> None:
    """No traceback, no partial output, the file named."""
    path = REFUSED[name](tmp_path)
    done = subprocess.run(
        [sys.executable, "-m", "rod_tally.cli", "review", str(path), "--out", str(tmp_path / "out")],
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 2
    lines = [line for line in done.stderr.splitlines() if line.strip()]
    assert len(lines) == 1 and str(path) in lines[0]
    assert "Traceback" not in done.stderr and done.stdout == ""
    assert not (tmp_path / "out").exists()


@pytest.mark.skipif(os.geteuid() == 0, reason="root reads everything")
def test_no_permission(tmp_path: Path) -> None:
    path = _file(tmp_path / "secret.ifc", b"x")
    path.chmod(0)
    assert main(["review", str(path), "--out", str(tmp_path / "out")]) == 2


def test_an_output_that_is_a_file_is_refused(
    tmp_path: Path, loft_b: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    taken = _file(tmp_path / "taken", b"mine")
    assert main(["review", str(loft_b), "--out", str(taken)]) == 2
    assert "cannot be written" in capsys.readouterr().err
    assert taken.read_bytes() == b"mine"


def test_a_failure_while_writing_leaves_whole_files_or_none(tmp_path: Path) -> None:
    from rod_tally.output.write import write_whole

    target = tmp_path / "table.csv"
    target.write_text("before")

    def fail(path: Path) -> None:
        path.write_text("half")
        raise RuntimeError("out of paper")

    with pytest.raises(RuntimeError):
        write_whole(target, fail)
    assert target.read_text() == "before"
    assert [p.name for p in tmp_path.iterdir()] == ["table.csv"]


def test_settings_file_and_its_errors(
    tmp_path: Path, loft_b: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    good = tmp_path / "good.toml"
    good.write_text('[transfer]\nbase_support = "pinned"\n[run]\nstations = 3\n')
    assert main(["review", str(loft_b), "--out", str(tmp_path / "o"), "--settings", str(good)]) == 0
    assert {r["support"] for r in rows(tmp_path / "o" / "nodes.csv")} == {"", "ux uy uz"}
    bad = tmp_path / "bad.toml"
    bad.write_text("[transfer]\nsnapp = 0.1\n")
    assert main(["review", str(loft_b), "--out", str(tmp_path / "p"), "--settings", str(bad)]) == 2
    assert "transfer.snapp" in capsys.readouterr().err
    assert not (tmp_path / "p").exists()


def test_source_files_are_only_read(loft_b: Path, tmp_path: Path) -> None:
    before = (loft_b.read_bytes(), loft_b.stat().st_mtime_ns)
    main(["review", str(loft_b), "--out", str(tmp_path / "o")])
    assert (loft_b.read_bytes(), loft_b.stat().st_mtime_ns) == before


def test_storeys_table_sums_to_the_load(reviewed: tuple[int, Path]) -> None:
    table = rows(reviewed[1] / "storeys.csv")
    d = json.loads((reviewed[1] / "review.json").read_text())
    applied = d["equilibrium"][0]["applied"]
    assert sum(float(r["fz"]) for r in table) == pytest.approx(applied[2], rel=1e-9)
    assert sum(float(r["mass"]) for r in table) * 9.80665 == pytest.approx(-applied[2], rel=1e-9)
