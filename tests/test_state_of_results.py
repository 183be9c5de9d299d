"""Results in an IFC file say which state of the model they are of; those of another state are told. They can
be compared with like those of any other source."""

from __future__ import annotations

import json
import random
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import ifcopenshell
import pytest

from rod_tally.cli import main
from rod_tally.intake.ifc.structural.results import read_results
from rod_tally.intake.ifc.structural.state import (
    LOADS,
    MADE_OF,
    MEMBERS,
    NODES,
    SURFACES,
    UNITS,
    brought_results,
    state_of,
)
from rod_tally.intake.result_tables import read_results as tables_of
from rod_tally.model import Combination, LoadCase, NodeLoad, Settings
from rod_tally.output.ifc import write_ifc
from rod_tally.review import review
from rod_tally.review.work import attach_elsewhere, read_model

from .floors import floor


@pytest.fixture(scope="module")
def with_results(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A floor on four columns as a shell, two cases and a combination of them, with all results."""
    m = floor()
    m.surfaces["s"].way = "shell"
    m.cases["live"].self_weight = (0.0, 0.0, -1.0)
    node = next(n.id for n in m.nodes.values() if not n.support.any)
    m.cases["push"] = LoadCase("push", "wind", node_loads=[NodeLoad(node, (5e3, 2e3, 0.0))])
    m.combinations.append(Combination("both", "strength", {"live": 1.35, "push": -1.5}))
    settings = Settings()
    settings.output.combinations = True
    done = review(m, settings)
    return write_ifc(m, tmp_path_factory.mktemp("state") / "with.ifc", done.results, done.fields, done)


def findings(path: Path, out: Path, *more: str) -> list[dict[str, Any]]:
    main(["review", str(path), "--out", str(out), "--quiet", *more])
    found: list[dict[str, Any]] = json.loads((out / "review.json").read_text())["findings"]
    return found


def test_cases_and_combinations_have_their_groups(with_results: Path) -> None:
    live, push, both = read_results(with_results)
    assert [live.case, push.case, both.case] == ["live", "push", "both"]
    for node, six in both.reactions.items():
        assert six == pytest.approx(1.35 * live.reactions[node] - 1.5 * push.reactions[node])
    file = ifcopenshell.open(str(with_results))
    groups = file.by_type("IfcStructuralResultGroup")
    assert [g.ResultForLoadGroup.Name for g in groups] == ["live", "push", "both"]
    (found,) = brought_results(file)
    assert found.differs == () and found.program.startswith("Rod Tally") and "stations" in found.settings


def test_results_of_the_model_at_hand_are_a_note(with_results: Path, tmp_path: Path) -> None:
    (told,) = (f for f in findings(with_results, tmp_path / "o") if f["code"] == "source.results")
    assert told["severity"] == "note" and "3 cases and combinations" in told["message"]


def push_more(file: Any) -> None:
    action = next(
        a
        for a in file.by_type("IfcStructuralPointAction")
        if a.AppliedLoad.is_a("IfcStructuralLoadSingleForce")
    )
    action.AppliedLoad.ForceY += 1.0


def factor(file: Any) -> None:
    file.by_type("IfcRelAssignsToGroupByFactor")[0].Factor = 1.36


def out_of_the_case(file: Any) -> None:
    rel = next(
        r
        for r in file.by_type("IfcRelAssignsToGroup")
        if any(o.is_a("IfcStructuralPointAction") for o in r.RelatedObjects)
    )
    file.remove(rel)


def turn_loads(file: Any) -> None:
    origin = file.create_entity("IfcCartesianPoint", (0.0, 0.0, 0.0))
    x = file.create_entity("IfcDirection", (0.0, 1.0, 0.0))
    axes = file.create_entity("IfcAxis2Placement3D", origin, None, x)
    file.by_type("IfcStructuralAnalysisModel")[0].SharedPlacement = file.create_entity(
        "IfcLocalPlacement", None, axes
    )


def move(file: Any) -> None:
    file.by_type("IfcStructuralPointConnection")[0].Representation.Representations[0].Items[
        0
    ].VertexGeometry.Coordinates = (0.0, 0.0, 1e-6)


def free(file: Any) -> None:
    held = next(n for n in file.by_type("IfcStructuralPointConnection") if n.AppliedCondition)
    held.AppliedCondition.RotationalStiffnessX = file.create_entity("IfcBoolean", False)


def release(file: Any) -> None:
    rel = file.by_type("IfcRelConnectsStructuralMember")[0]
    no, yes = (file.create_entity("IfcBoolean", v) for v in (False, True))
    rel.AppliedCondition = file.create_entity("IfcBoundaryNodeCondition", None, yes, yes, yes, yes, no, yes)


def softer(file: Any) -> None:
    modulus = next(p for p in file.by_type("IfcPropertySingleValue") if p.Name == "YoungModulus")
    modulus.NominalValue = file.create_entity(
        "IfcModulusOfElasticityMeasure", modulus.NominalValue.wrappedValue * 1.001
    )


def thicker(file: Any) -> None:
    file.by_type("IfcStructuralSurfaceMember")[0].Thickness += 0.001


def in_feet(file: Any) -> None:
    next(u for u in file.by_type("IfcSIUnit") if u.UnitType == "LENGTHUNIT").Prefix = "MILLI"


@pytest.mark.parametrize(
    ("change", "subject"),
    [
        (push_more, LOADS),
        (factor, LOADS),
        (out_of_the_case, LOADS),
        (turn_loads, LOADS),
        (move, NODES),
        (free, NODES),
        (release, MEMBERS),
        (softer, MADE_OF),
        (thicker, SURFACES),
        (in_feet, UNITS),
    ],
)
def test_results_of_another_state_are_told(
    with_results: Path, tmp_path: Path, change: Callable[[Any], None], subject: str
) -> None:
    file = ifcopenshell.open(str(with_results))
    change(file)
    (found,) = brought_results(file)
    assert found.differs is not None and subject in found.differs
    assert found.differs == (subject,) or change is in_feet
    assert subject in found.words


def test_the_order_of_the_file_is_no_change(with_results: Path, tmp_path: Path) -> None:
    lines = with_results.read_text().splitlines()
    first, last = lines.index("DATA;") + 1, lines.index("ENDSEC;", lines.index("DATA;"))
    body = lines[first:last]
    random.Random(3).shuffle(body)
    renumbered = [re.sub(r"#(\d+)", lambda m: f"#{int(m[1]) * 7 + 11}", line) for line in body]
    path = tmp_path / "again.ifc"
    path.write_text("\n".join([*lines[:first], *renumbered, *lines[last:]]))
    assert state_of(ifcopenshell.open(str(path))) == state_of(ifcopenshell.open(str(with_results)))
    file = ifcopenshell.open(str(path))
    for n, node in enumerate(file.by_type("IfcStructuralPointConnection")):
        node.Name = f"other {n}"
    (found,) = brought_results(file)
    assert found.differs == ()


def test_results_without_a_fingerprint_are_a_warning(with_results: Path, tmp_path: Path) -> None:
    file = ifcopenshell.open(str(with_results))
    for rel in file.by_type("IfcRelDefinesByProperties"):
        if rel.RelatedObjects[0].is_a("IfcStructuralResultGroup"):
            file.remove(rel)
    path = tmp_path / "bare.ifc"
    file.write(str(path))
    (told,) = (f for f in findings(path, tmp_path / "o") if f["code"] == "source.results")
    assert told["severity"] == "warning" and "nothing says" in told["message"]


@pytest.mark.parametrize(("prefix", "force"), [(None, None), ("MILLI", "KILO")])
def test_they_are_compared_like_any_other(
    with_results: Path, tmp_path: Path, prefix: str | None, force: str | None
) -> None:
    """Its own results agree in every value; in other units too."""
    done = review(read_model(with_results, Settings()), Settings())
    file = ifcopenshell.open(str(with_results))
    if prefix:
        scale_lengths(file, prefix, force)
    path = tmp_path / "theirs.ifc"
    file.write(str(path))
    theirs = tables_of(path)
    assert {r.table for r in theirs.rows} == {"displacements", "reactions", "member_forces"}
    assert [own for _, own in theirs.told] == [prefix is None]
    attach_elsewhere(done, path)
    assert done.elsewhere is not None
    rows, size = done.elsewhere.rows, {}
    for r in rows:
        size[r.quantity] = max(size.get(r.quantity, 0.0), abs(r.ours))
    assert len(rows) > 300 and not done.elsewhere.suspected and not done.elsewhere.differ
    for r in rows:
        assert abs(r.difference) <= 1e-7 * size[r.quantity] + 1e-9, r
    told = [f for f in done.findings if f.code == "match.elsewhere" and "brings results" in f.message]
    assert [f.severity for f in told] == ["note" if prefix is None else "warning"]


def scale_lengths(file: Any, prefix: str, force: str | None) -> None:
    """The answers of a file, and the places of points, in other units."""
    for u in file.by_type("IfcSIUnit"):
        if u.UnitType in ("LENGTHUNIT", "FORCEUNIT"):
            u.Prefix = prefix if u.UnitType == "LENGTHUNIT" else force
    forces = [1e-3] * 3 + [1.0] * 3
    moves = [1e3] * 3 + [1.0] * 3
    for answer in file.by_type("IfcStructuralReaction"):
        load = answer.AppliedLoad
        parts = load.Values if load.is_a("IfcStructuralLoadConfiguration") else [load]
        for part in parts:
            if part.is_a("IfcStructuralLoadPlanarForce"):
                continue
            by = moves if part.is_a("IfcStructuralLoadSingleDisplacement") else forces
            for k in range(6):
                part[k + 1] = part[k + 1] * by[k]
        if answer.is_a("IfcStructuralCurveReaction"):
            load.Locations = [[1e3 * v for v in place] for place in load.Locations]
    for point in {v.VertexGeometry for v in file.by_type("IfcVertexPoint")}:
        point.Coordinates = [1e3 * v for v in point.Coordinates]


def test_a_file_without_results_is_refused_in_words(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path = write_ifc(floor(), tmp_path / "plain.ifc")
    assert main(["review", str(path), "--out", str(tmp_path / "o"), "--quiet", "--elsewhere", str(path)]) == 2
    assert "holds no results" in capsys.readouterr().err


def test_a_damaged_file_is_read_all_the_same(with_results: Path, tmp_path: Path) -> None:
    path = tmp_path / "damaged.ifc"
    text = with_results.read_text()
    assert "IFCRELCONNECTSSTRUCTURALACTIVITY(" in text
    path.write_text(
        re.sub(r"(IFCRELCONNECTSSTRUCTURALACTIVITY\('[^']*',\$,\$,\$,)#\d+", r"\g<1>#999999", text, count=2)
    )
    codes = {f["code"] for f in findings(path, tmp_path / "o")}
    assert "source.results" in codes


def test_results_that_are_damaged_are_refused_in_words(
    with_results: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path = tmp_path / "damaged.ifc"
    text = with_results.read_text()
    path.write_text(
        re.sub(
            r"(IFCSTRUCTURALPOINTREACTION\('[^']*',\$,[^,]*,\$,\$,\$,\$,)#\d+", r"\g<1>#999999", text, count=1
        )
    )
    assert path.read_text() != text
    options = ["--out", str(tmp_path / "o"), "--quiet", "--elsewhere", str(path)]
    assert main(["review", str(with_results), *options]) in (0, 1, 2)
    said = capsys.readouterr().err
    assert "Traceback" not in said and len(said.strip().splitlines()) <= 1


def test_answers_in_another_frame_or_of_another_kind_are_not_compared(
    with_results: Path, tmp_path: Path
) -> None:
    """What another program may write: reactions in a node's own axes, forces in global ones, distributed
    values. They are told, not taken for ours."""
    file = ifcopenshell.open(str(with_results))
    points = file.by_type("IfcStructuralPointReaction")
    curves = file.by_type("IfcStructuralCurveReaction")
    points[0].GlobalOrLocal = "LOCAL_COORDS"
    points[1].AppliedLoad = None
    curves[0].GlobalOrLocal = "GLOBAL_COORDS"
    linear = file.create_entity("IfcStructuralLoadLinearForce", None, *[1.0] * 6)
    curves[1].AppliedLoad.Values = [linear] * len(curves[1].AppliedLoad.Values)
    path = tmp_path / "theirs.ifc"
    file.write(str(path))
    live, whole = read_results(path)[0], read_results(with_results)[0]
    assert sum(live.unread.values()) == 4 and len(live.unread) == 4 and not whole.unread
    assert len(live.members) == len(whole.members) - 2
    assert (
        len(live.reactions) + len(live.displacements) == len(whole.reactions) + len(whole.displacements) - 2
    )
    told = " ".join(why for _, why in tables_of(path).unread)
    assert (
        "axes of its own" in told
        and "not given in the member's axes" in told
        and "no forces at places" in told
    )
