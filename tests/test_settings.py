"""Settings: every key has a default, an unknown one is named, what is written reads back."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from msgspec import inspect

from rod_tally.model import Settings, SettingsError


def read(tmp_path: Path, text: str) -> Settings:
    path = tmp_path / "settings.toml"
    path.write_text(text, encoding="utf-8")
    return Settings.read(path)


CONTRACT = """
[transfer]
snap = 0.025
search = 0.3
base_support = "fixed"
walls = "shell"
slabs = "auto"
[mesh]
size = "auto"
[run]
cases = ["Self-weight"]
shear_flexible = true
[modes]
count = 12
mass = { "Self-weight" = 1.0 }
[combinations]
standard = "EN 1990"
[compare]
relative = 0.05
absolute_force = 1000.0
"""


def test_the_contract_is_read_as_it_stands(tmp_path: Path) -> None:
    s = read(tmp_path, CONTRACT)
    default = Settings()
    default.run.cases = ["Self-weight"]
    assert s == default


def test_an_empty_file_is_all_defaults(tmp_path: Path) -> None:
    assert read(tmp_path, "") == Settings()


def test_what_is_written_reads_back(tmp_path: Path) -> None:
    s = Settings()
    s.transfer.snap, s.run.cases, s.modes.mass = 0.04, ["A", "B"], {"A": 1.0, "B": 0.3}
    assert read(tmp_path, s.to_toml()) == s


def test_whole_numbers_do_for_lengths(tmp_path: Path) -> None:
    assert read(tmp_path, "[transfer]\nsearch = 1\n").transfer.search == 1.0


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("[transfer]\nsnapp = 1", "transfer.snapp"),
        ("[transfr]\nsnap = 1", r"\[transfr\]"),
        ("[transfer]\nsnap = 'far'", "transfer.snap"),
        ("[transfer]\nsnap = -1", "transfer.snap"),
        ("[transfer]\nsnap = nan", "transfer.snap"),
        ("[transfer]\nbase_support = 'glued'", "fixed, pinned"),
        ("[run]\ncases = 'all'", "list of names"),
        ("[run]\nshear_flexible = 1", "run.shear_flexible"),
        ("[run]\nstations = 2", "run.stations"),
        ("[modes]\nmass = { a = 'b' }", "modes.mass"),
        ("[transfer.profiles]\nX = 'IPE 301'", "IPE 301"),
        ("[transfer.profiles]\nX = 3", "transfer.profiles"),
        ("transfer = 3", "must be a table"),
        ("[transfer\n", "cannot be read"),
    ],
)
def test_errors_name_the_key(tmp_path: Path, text: str, words: str) -> None:
    with pytest.raises(SettingsError, match=words):
        read(tmp_path, text)


def test_a_missing_file_is_an_error(tmp_path: Path) -> None:
    with pytest.raises(SettingsError, match="cannot be read"):
        Settings.read(tmp_path / "none.toml")


@pytest.mark.parametrize(
    "text, names",
    [
        ("[mesh]\nsize = 0\n", "mesh.size is 0; it must be a number from 0.02 to 50 or auto"),
        ("[mesh]\nsize = -1.0\n", "mesh.size"),
        ("[transfer]\nsnap = -0.1\n", "transfer.snap"),
        ("[transfer]\nsnap = nan\n", "transfer.snap"),
        ("[transfer.joins]\nmove_columns = 1e9\n", "transfer.joins.move_columns"),
        ("[run]\nstations = 2\n", "run.stations"),
        ("[modes]\ncount = -1\n", "modes.count"),
        ("[modes]\nmass = { G = inf }\n", "modes.mass"),
        ("[compare]\nrelative = -0.1\n", "compare.relative"),
    ],
)
def test_a_number_out_of_range_is_named_with_its_range(tmp_path: Path, text: str, names: str) -> None:
    with pytest.raises(SettingsError, match=names):
        read(tmp_path, text)


def test_every_number_of_the_settings_has_a_range() -> None:
    def numbers(info: Any, at: str) -> Iterator[tuple[str, Any]]:
        if isinstance(info, inspect.StructType):
            for f in info.fields:
                yield from numbers(f.type, f"{at}.{f.encode_name}".lstrip("."))
        elif isinstance(info, inspect.UnionType):
            for one in info.types:
                yield from numbers(one, at)
        elif isinstance(info, inspect.ListType):
            yield from numbers(info.item_type, at)
        elif isinstance(info, inspect.DictType):
            yield from numbers(info.value_type, at)
        elif isinstance(info, inspect.FloatType | inspect.IntType):
            yield at, info

    found = list(numbers(inspect.type_info(Settings), ""))
    assert len(found) > 30
    for name, info in found:
        assert info.ge is not None or info.gt is not None, name
        assert info.le is not None or info.lt is not None, name


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ('[[cuts]]\nname = "a"\nstorey = "L"\nfrom = [0.0, 1.0]', "cuts.1..to is missing"),
        ('[[cuts]]\nname = "a"\nstorey = "L"\nfrom = [0.0]\nto = [1, 2]', "cuts.1..from is .*2 numbers"),
        (
            '[[cuts]]\nname = ""\nstorey = "L"\nfrom = [0, 1]\nto = [1, 2]',
            "cuts.1..name is ''; it must be a name",
        ),
        ("cuts = 3", "cuts is 3; it must be tables, \\[\\[cuts\\]\\]"),
        ("[transfer.supports]\nsprings = [1, 2]", "transfer.supports.springs .* 6 numbers"),
        (
            "[transfer.supports]\nsprings = [1, 2, 3, 4, 5, 0]",
            "transfer.supports.springs.6. is 0; it must be a number",
        ),
        (
            "[report]\nchapters = { walls = 'long' }",
            "report.chapters.walls is 'long'; it must be one of full, off, short",
        ),
        (
            "[report]\nchapters = { wall = 'full' }",
            "report.chapters.wall is 'wall'; it must be one of changes",
        ),
        (
            "[modes]\nmass = { G = 1e9 }",
            "modes.mass.G is 1000000000.0; it must be a number from -1000 to 1000",
        ),
        (
            "[findings]\nseverity = { join.gap = 'loud' }",
            "findings.severity.join.gap is 'loud'; it must be one of blocking",
        ),
        ("[findings]\nseverity = { support.none = 'note' }", "support.none cannot be lowered"),
        ("[run]\nshear_flexible = 1", "run.shear_flexible is 1; it must be true or false"),
        ("[run]\nstations = 4.5", "run.stations is 4.5; it must be a whole number from 3 to 1001"),
        ("[transfer]\nsnap = true", "transfer.snap is True; it must be a number from 0 to 1"),
    ],
)
def test_what_it_must_be_is_said(tmp_path: Path, text: str, words: str) -> None:
    with pytest.raises(SettingsError, match=words):
        read(tmp_path, text)
