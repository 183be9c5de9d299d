"""Files broken in the middle: a review or one line, never a traceback, whatever the damage."""

from __future__ import annotations

import random
import re
from collections.abc import Callable
from pathlib import Path

import pytest

from rod_tally.cli import main
from rod_tally.demo.tower import write_tower
from rod_tally.demo.writer import IfcWriter
from rod_tally.intake import read_source
from rod_tally.model import Settings
from rod_tally.output.ifc import write_ifc
from rod_tally.transfer import transfer

from .analytical_ifc import portal
from .test_hand_back_loads import rich as with_every_load
from .test_sides import Both


def _number(line: str, rng: random.Random) -> str:
    value = rng.choice(["0.", "1.E300", "-1.E308", "1.E-300", "NAN", "-5."])
    return re.sub(r"-?\d+\.\d*", value, line, count=1)


HARM: tuple[Callable[[str, random.Random], str], ...] = (
    lambda line, rng: "",
    lambda line, rng: line[: len(line) // 2],
    lambda line, rng: re.sub(r"#\d+(?=[,)])", f"#{rng.randint(1, 200)}", line, count=1),
    lambda line, rng: re.sub(r"#\d+(?=[,)])", "$", line),
    lambda line, rng: re.sub(r"\(([^()]*)\)", "$", line, count=1),
    lambda line, rng: re.sub(r"'[^']*'", "''", line),
    _number,
)


def sources(tmp_path: Path) -> list[str]:
    w = IfcWriter("simple", "IFC4", "MILLIMETRE")
    w.storey("Ground", 0.0)
    steel, i = w.material("S355", YoungModulus=210e9), w.i_profile("IPE", 0.3, 0.15, 0.007, 0.011, 0.015)
    for k in range(3):
        w.member("IfcColumn", f"K{k}", (6 * k, 0, 0), (6 * k, 0, 4), i, steel, "Ground")
        w.member("IfcBeam", f"B{k}", (6 * k, 0, 4), (6 * k + 6, 0, 4), i, steel, "Ground")
    w.write(tmp_path / "a.ifc")
    portal("IFC4").write(tmp_path / "b.ifc")
    portal("IFC2X3", "MILLIMETRE").write(tmp_path / "c.ifc")
    write_tower(tmp_path / "d.ifc", 1, 2, 2)
    Both("both", "IFC4", "METRE").build().write(tmp_path / "e.ifc")
    write_ifc(transfer(read_source(tmp_path / "d.ifc"), Settings().transfer), tmp_path / "f.ifc")
    write_ifc(with_every_load(), tmp_path / "g.ifc")
    return [(tmp_path / f"{n}.ifc").read_text() for n in "abcdefg"]


@pytest.mark.parametrize("seed", range(8))
def test_random_damage_is_survived(tmp_path: Path, seed: int, capsys: pytest.CaptureFixture[str]) -> None:
    """Ten files a seed, each with one to four broken lines."""
    rng = random.Random(seed)
    texts = sources(tmp_path)
    for _ in range(10):
        lines = rng.choice(texts).split("\n")
        for _ in range(rng.randint(1, 4)):
            at = rng.randrange(8, len(lines) - 3)
            lines[at] = rng.choice(HARM)(lines[at], rng)
        path = tmp_path / "broken.ifc"
        path.write_text("\n".join(lines))
        status = main(["review", str(path), "--out", str(tmp_path / "out")])
        said = capsys.readouterr()
        assert status in (0, 1, 2)
        assert "fault" not in said.err, said.err
        if status == 2:
            assert len(said.err.strip().splitlines()) == 1 and str(path) in said.err


def harmed(tmp_path: Path, change: Callable[[str], str]) -> Path:
    path = tmp_path / "portal.ifc"
    portal().write(path)
    path.write_text(change(path.read_text()))
    return path


def test_a_damaged_relation_costs_itself_and_is_in_the_log(tmp_path: Path) -> None:
    """One activity relation without its action: that load is lost, the rest is read."""
    path = harmed(
        tmp_path, lambda t: re.sub(r"(IFCRELCONNECTSSTRUCTURALACTIVITY\([^)]*,)#\d+\)", r"\1$)", t, count=1)
    )
    s = read_source(path)
    assert len(s.curves) == 3
    assert any("IfcRelConnectsStructuralActivity" in e.message and "damaged" in e.message for e in s.log)
    assert [k.reason for k in s.skipped] == ["load in case Floor: it acts on nothing"]


def test_a_damaged_material_set_leaves_its_members_without(tmp_path: Path) -> None:
    path = harmed(
        tmp_path,
        lambda t: re.sub(
            r"IFCMATERIALPROFILESET\(\$,\$,\(#\d+\)", "IFCMATERIALPROFILESET($,$,()", t, count=1
        ),
    )
    s = read_source(path)
    assert sum(c.material == "" for c in s.curves) == 1


def test_a_unit_without_meaning_is_as_if_it_were_not_stated(tmp_path: Path) -> None:
    path = harmed(
        tmp_path,
        lambda t: re.sub(
            r"IFCDERIVEDUNIT\(\([^)]*\),\.LINEARFORCEUNIT\.", "IFCDERIVEDUNIT((),.LINEARFORCEUNIT.", t
        ),
    )
    s = read_source(path)
    assert s.actions[0].stations[0][1][2] == pytest.approx(-12e3)


def test_a_circular_load_group_ends(tmp_path: Path) -> None:
    import ifcopenshell

    path = harmed(tmp_path, lambda t: t)
    f = ifcopenshell.open(str(path))
    case = f.by_type("IfcStructuralLoadCase")[0]
    f.create_entity("IfcRelAssignsToGroup", GlobalId="0" * 22, RelatedObjects=[case], RelatingGroup=case)
    f.write(str(path))
    assert len(read_source(path).curves) == 3


def test_cases_of_the_settings_that_a_baseline_lacks_are_left_out_there(tmp_path: Path) -> None:
    base = portal()
    del base.cases["Wind"]
    for action in base.f.by_type("IfcStructuralPointAction"):
        base.f.remove(action)
    base.write(tmp_path / "base.ifc")
    portal().write(tmp_path / "new.ifc")
    settings = tmp_path / "s.toml"
    settings.write_text('[run]\ncases = ["Floor", "Wind"]\n')
    out = str(tmp_path / "out")
    arguments = ["review", str(tmp_path / "new.ifc"), "--out", out, "--against", str(tmp_path / "base.ifc")]
    assert main([*arguments, "--settings", str(settings)]) in (0, 1)


NUMBER = re.compile(r"(?<=[(,])-?\d+\.\d*(?:E[+-]?\d+)?(?=[,)])")


@pytest.mark.parametrize("value", ["1.E300", "1.E-300"])
@pytest.mark.filterwarnings("error")
def test_a_number_out_of_all_bounds(tmp_path: Path, value: str, capsys: pytest.CaptureFixture[str]) -> None:
    """In the place of every second number of every kind of entity: reviewed or one line, with no warning of a
    library."""
    lines = sources(tmp_path)[6].split("\n")
    seen: set[tuple[str, int]] = set()
    for k, line in enumerate(lines):
        kind = re.search(r"=(IFC\w+)", line)
        for n, number in enumerate(NUMBER.finditer(line) if kind else ()):
            assert kind is not None
            if (kind[1], n) in seen or n % 2:
                continue
            seen.add((kind[1], n))
            path = tmp_path / "broken.ifc"
            broken = line[: number.start()] + value + line[number.end() :]
            path.write_text("\n".join([*lines[:k], broken, *lines[k + 1 :]]))
            assert main(["review", str(path), "--out", str(tmp_path / "out")]) in (0, 1, 2)
            said = capsys.readouterr()
            assert "fault" not in said.err and "Warning" not in said.err, (broken, said.err)
    assert len(seen) > 20
