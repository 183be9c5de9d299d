"""Parts of the bench that stand for something of the program run with it, at a small size."""

from __future__ import annotations

import sys
from pathlib import Path

import pytest

sys.path.insert(0, str(Path(__file__).parent.parent / "bench"))
import bench  # noqa: E402
import carrying  # noqa: E402
import effects  # noqa: E402
import envelopes  # noqa: E402
import history  # noqa: E402
import office  # noqa: E402


def test_envelopes_are_measured(monkeypatch: pytest.MonkeyPatch) -> None:
    for name, size in (("MEMBERS", 20), ("STATIONS", 3), ("CASES", 4), ("COMBINATIONS", 6)):
        monkeypatch.setattr(envelopes, name, size)
    found = envelopes.envelopes()
    assert found["values"] == 20 * 3 * 6 and {"bare, large", "bare, small", "envelope"} <= set(found)


def test_the_office_is_measured() -> None:
    found = office.office(1, 2, 2)
    assert found["elements"] > 10 and {"seen", "checked", "run", "modes", "released", "deleted"} <= set(found)


def test_a_part_is_reported_as_it_is_measured(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    """The report of a part asks for nothing that its measurement does not give."""
    monkeypatch.setattr(bench, "apart", lambda part, *_: bench.measured(part, [120, 12]))
    found = bench.report_carrying()
    assert found["peak"] > 10 and "peak" in capsys.readouterr().out


def test_carrying_over_is_measured() -> None:
    found = carrying.carrying(120, 12)
    assert found["corrections"] == 12 and found["carried"] >= 11 and found["ratio"] > 0


def test_effects_are_measured() -> None:
    found = effects.effects(120, 3)
    assert found["tried"] == 3 and found["ratio"] > 0 and found["solves"] > 0


def test_figures_are_kept_and_what_got_worse_is_marked(tmp_path: Path) -> None:
    """By more than 15 %, against when each was last kept: not every release measures every part."""
    path = tmp_path / "figures.json"
    found = {"carrying": {"carry_s": 6.0, "match_s": 2.0, "peak": 100.0}}
    one = history.figures(found)
    assert one == {"carrying: / matching the members": 3.0, "carrying: peak MB": 100.0}
    assert history.worse(one, path) == []
    history.keep("1.0", one, path)
    history.keep("1.1", {"carrying: peak MB": 200.0}, path)
    assert history.worse({"carrying: / matching the members": 3.44, "carrying: peak MB": 229.0}, path) == []
    (words,) = history.worse({"carrying: / matching the members": 3.46, "carrying: peak MB": 199.0}, path)
    assert words == "carrying: / matching the members: 3.46, it was 3 in 1.0 (+15%)"
    (words,) = history.worse({"carrying: peak MB": 300.0, "new: ratio": 9.0}, path)
    assert "200 in 1.1 (+50%)" in words
    history.keep("1.1", {"new: ratio": 1.0}, path)
    assert [r["name"] for r in history.releases(path)] == ["1.0", "1.1"]
    assert set(history.releases(path)[1]["figures"]) == {"carrying: peak MB", "new: ratio"}


def test_figures_of_every_part_can_be_told() -> None:
    """Each part of the bench that has a bare reference has figures, with the names that its report uses."""
    steps = {s: 2.0 for s in history.STEPS}
    found = {
        "frames": [
            {
                "members": 1003,
                "open (bare)": 1.0,
                "peaks": steps,
                "solve scipy": 3.0,
                "bare scipy": 2.0,
                **steps,
            }
        ],
        "office": [office.office(1, 2, 2) | {"peak": 10.0}],
        "tower": [{"elements": 9, "open": 1.0, "read": 3.0, "transfer": 1.0, "check": 1.0, "peak": 5.0}],
        "floor": {"cases even": 2.0, "bare even": 1.0, "cases uneven": 3.0, "bare uneven": 1.0, "peak": 1.0},
        "shells": {"solve": 2.0, "bare": 1.0, "assemble": 1.0, "run": 4.0, "peak": 1.0},
        "envelopes": {"envelope": 2.0, "bare, large": 1.0, "peak": 1.0},
        "carrying": {"carry_s": 2.0, "match_s": 1.0, "peak": 1.0},
        "effects": {"ratio": 4.0, "peak": 1.0},
    }
    now = history.figures(found)
    assert now["frame of 1000: read / bare opening"] == 2.0 and now["shells: assembly / run"] == 0.25
    assert {k.split(":")[0].split(" of ")[0] for k in now} == {
        "frame", "office", "concrete building", "floor", "shells", "envelopes", "carrying", "effects",
    }  # fmt: skip
