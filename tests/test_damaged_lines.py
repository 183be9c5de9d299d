"""Lines that cannot be read: each is reported with its number, the rest of the file is read, nothing
moves."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import ifcopenshell
import pytest

from rod_tally.demo.writer import IfcWriter
from rod_tally.intake import read_source
from rod_tally.intake.ifc.lines import look_at_lines
from rod_tally.model import Settings
from rod_tally.output.ifc import write_ifc
from rod_tally.review import review
from rod_tally.transfer import transfer

from .analytical_ifc import portal

SCHEMA = ifcopenshell.ifcopenshell_wrapper.schema_by_name("IFC4")


def columns(path: Path, n: int = 8) -> list[str]:
    w = IfcWriter("row", "IFC4", "MILLIMETRE")
    w.storey("Ground", 0.0)
    steel, i = (
        w.material("S355", YoungModulus=210e9, MassDensity=7850),
        w.i_profile("IPE", 0.3, 0.15, 0.007, 0.011, 0.015),
    )
    for k in range(n):
        w.member("IfcColumn", f"K{k}", (5 * k, 0, 0), (5 * k, 0, 4), i, steel, "Ground")
    w.write(path)
    return path.read_text().split("\n")


def nth(lines: list[str], kind: str, n: int) -> int:
    return [k for k, line in enumerate(lines) if f"={kind}(" in line][n]


Change = Callable[[str], str]
HARM: dict[str, tuple[str, Change]] = {
    "quotation mark": ("IFCCOLUMN", lambda x: x.replace("'K1'", "'K1")),
    "bracket": ("IFCCOLUMN", lambda x: x.replace("(", "", 1)),
    "double comma": ("IFCCOLUMN", lambda x: x.replace(",", ",,", 1)),
    "no end": ("IFCCOLUMN", lambda x: x[:-1]),
    "cut": ("IFCCOLUMN", lambda x: x[: len(x) // 2]),
    "no such entity": ("IFCCOLUMN", lambda x: x.replace("IFCCOLUMN", "IFCCOLUM")),
    "number twice": ("IFCCOLUMN", lambda x: re.sub(r"^#\d+", "#1", x)),
    "refers to nothing": ("IFCLOCALPLACEMENT", lambda x: x[:6] + re.sub(r"#\d+\)", "#99999)", x[6:])),
    "placed on nothing": ("IFCCOLUMN", lambda x: x[:5] + re.sub(r"#\d+,#", "#99999,#", x[5:], count=1)),
    "few values": ("IFCCOLUMN", lambda x: x.replace(",$);", ");")),
    "not a number": ("IFCCARTESIANPOINT", lambda x: x.replace("5000.", "NAN")),
    "no number at all": ("IFCCARTESIANPOINT", lambda x: x.replace("5000.", "1.#IND")),
    "axis of nothing": ("IFCAXIS2PLACEMENT3D", lambda x: x.replace(re.search(r"#\d+,", x[5:])[0], "#99999,")),  # type: ignore[index]
}


@pytest.mark.parametrize("harm", HARM)
def test_one_bad_line_costs_its_column_and_is_told_with_its_number(tmp_path: Path, harm: str) -> None:
    kind, change = HARM[harm]
    lines = columns(tmp_path / "a.ifc")
    if kind == "IFCCOLUMN":
        at = nth(lines, kind, 1)
    elif kind == "IFCCARTESIANPOINT":
        at = next(k for k, line in enumerate(lines) if "(5000.," in line)
    else:
        at = max(k for k in range(nth(lines, "IFCCOLUMN", 1)) if f"={kind}(" in lines[k])
    changed = change(lines[at])
    assert changed != lines[at]
    lines[at] = changed
    path = tmp_path / "b.ifc"
    path.write_text("\n".join(lines))
    s = read_source(path)
    assert s.counts["column"] == 8 or harm in ("no such entity", "number twice")
    places = sorted(round(float(e.line[0, 0]), 6) for e in s.elements)
    assert places == [0.0, 10.0, 15.0, 20.0, 25.0, 30.0, 35.0]
    done = review(transfer(s, Settings().transfer), Settings())
    unread = [f for f in done.findings if f.code == "source.unread"]
    assert unread and all(f.severity == "warning" for f in unread)
    assert any(re.search(rf"line {at + 1}\b", f.message, re.I) for f in unread), [f.message for f in unread]


def test_all_that_follows_a_syntax_error_is_read(tmp_path: Path) -> None:
    """Statements on one line, a comment, an odd string: found again at the next statement."""
    lines = columns(tmp_path / "a.ifc", 4)
    at = nth(lines, "IFCCOLUMN", 1)
    text = "\n".join([*lines[:at], "/* a note; #5=IFCX( */", "#7777=IFCLABEL('it''s;", *lines[at:]])
    path = tmp_path / "b.ifc"
    path.write_text(text)
    s = read_source(path)
    assert len(s.elements) == 4
    assert [k.reason.split(":")[0] for k in s.skipped] == [f"line {at + 2} of the file (#7777, IFCLABEL)"]


def test_a_support_whose_condition_cannot_be_read_is_told(tmp_path: Path) -> None:
    portal().write(tmp_path / "a.ifc")
    text = (tmp_path / "a.ifc").read_text()
    line = next(x for x in text.split("\n") if "IFCBOUNDARYNODECONDITION(" in x)
    path = tmp_path / "b.ifc"
    path.write_text(text.replace(line, line.replace("(", "(,", 1)))
    s = read_source(path)
    assert any("AppliedCondition" in k.reason for k in s.skipped)


def test_a_lost_load_value_is_told(tmp_path: Path) -> None:
    portal().write(tmp_path / "a.ifc")
    text = (tmp_path / "a.ifc").read_text()
    line = next(x for x in text.split("\n") if "IFCSTRUCTURALLOADLINEARFORCE(" in x)
    path = tmp_path / "b.ifc"
    path.write_text(text.replace(line, re.sub(r"-\d+\.\d*(E[+-]?\d+)?", "NAN", line, count=1)))
    s = read_source(path)
    assert any(k.cls == "action" and "no value" in k.reason for k in s.skipped)
    model = transfer(s, Settings().transfer)
    codes = [f.code for f in review(model, Settings()).findings]
    assert codes.count("source.unread") == 2  # the line, and the action that has no value now


@pytest.mark.parametrize("unit", ["METRE", "FOOT"])
def test_whole_files_have_no_bad_line(tmp_path: Path, unit: str) -> None:
    w = IfcWriter("it's; a #5 = test", "IFC4", unit)
    w.storey("Ground (level '0')", 0.0)
    steel, i = w.material("S 355; \u00e9"), w.i_profile("IPE", 0.3, 0.15, 0.007, 0.011, 0.015)
    w.member("IfcColumn", "K#1=IFCWALL(';", (0, 0, 0), (0, 0, 4), i, steel, "Ground (level '0')")
    w.write(tmp_path / "a.ifc")
    write_ifc(transfer(read_source(tmp_path / "a.ifc"), Settings().transfer), tmp_path / "b.ifc")
    for name in "ab":
        assert look_at_lines((tmp_path / f"{name}.ifc").read_bytes(), SCHEMA).bad == []
