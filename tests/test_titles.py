"""Every code that a check or a comparison can give has a title in words."""

from __future__ import annotations

import re
from pathlib import Path

import rod_tally
from rod_tally.review.titles import TITLES, title_of

SOURCE = Path(rod_tally.__file__).parent
CODE = re.compile(r'(?:Finding\(\s*|@check\()"([a-z_]+\.[a-z_]+)"')


def test_every_code_has_a_title_and_every_title_a_code() -> None:
    found = {code for path in SOURCE.rglob("*.py") for code in CODE.findall(path.read_text(encoding="utf-8"))}
    assert len(found) > 40
    assert found <= TITLES.keys()
    assert len(set(TITLES.values())) == len(TITLES)


def test_a_code_of_a_plug_in_reads_as_words() -> None:
    assert title_of("join.kink") == "Join: kink"
