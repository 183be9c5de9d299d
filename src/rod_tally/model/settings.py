"""Settings of a review: TOML in and out; every key has a default, an unknown key is an error that names it."""

from __future__ import annotations

import tomllib
from dataclasses import asdict, dataclass, field, fields
from pathlib import Path
from typing import Any

import tomli_w

from .catalogue import catalogue


class SettingsError(ValueError):
    """Settings that cannot be used; the message names file, table and key."""


@dataclass(slots=True)
class TransferSettings:
    snap: float = 0.025
    search: float = 0.3
    base_support: str = "fixed"
    walls: str = "shell"
    slabs: str = "shell"
    report_move: float = 0.01
    short: float = 0.05
    profiles: dict[str, str] = field(default_factory=dict)  # a profile's name to one of the catalogue


@dataclass(slots=True)
class MeshSettings:
    size: float = 0.5


@dataclass(slots=True)
class RunSettings:
    cases: list[str] | None = None
    shear_flexible: bool = True
    stations: int = 11


@dataclass(slots=True)
class ModesSettings:
    count: int = 12
    mass: dict[str, float] = field(default_factory=lambda: {"Self-weight": 1.0})


@dataclass(slots=True)
class CombinationSettings:
    standard: str = "EN 1990"


@dataclass(slots=True)
class CompareSettings:
    relative: float = 0.05
    absolute_force: float = 1000.0


@dataclass(slots=True)
class Settings:
    transfer: TransferSettings = field(default_factory=TransferSettings)
    mesh: MeshSettings = field(default_factory=MeshSettings)
    run: RunSettings = field(default_factory=RunSettings)
    modes: ModesSettings = field(default_factory=ModesSettings)
    combinations: CombinationSettings = field(default_factory=CombinationSettings)
    compare: CompareSettings = field(default_factory=CompareSettings)

    @classmethod
    def from_dict(cls, data: dict[str, Any], where: str = "settings") -> Settings:
        """Raises SettingsError for a table or key that is not known, or a value of the wrong kind or range."""
        settings = cls()
        tables = {f.name for f in fields(cls)}
        for table, values in data.items():
            if table not in tables:
                raise SettingsError(f"{where}: unknown table [{table}]; known are {', '.join(sorted(tables))}")
            if not isinstance(values, dict):
                raise SettingsError(f"{where}: {table} must be a table, [{table}]")
            part = getattr(settings, table)
            known = {f.name for f in fields(part)}
            for key, value in values.items():
                if key not in known:
                    raise SettingsError(f"{where}: unknown key {table}.{key}; known are {', '.join(sorted(known))}")
                setattr(part, key, _checked(where, f"{table}.{key}", getattr(part, key), value))
        return settings

    @classmethod
    def read(cls, path: Path) -> Settings:
        """Settings of a TOML file; SettingsError when it cannot be read."""
        try:
            data = tomllib.loads(path.read_text(encoding="utf-8"))
        except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError) as error:
            raise SettingsError(f"{path}: settings cannot be read: {error}") from error
        return cls.from_dict(data, str(path))

    def to_dict(self) -> dict[str, Any]:
        return {
            table: {key: value for key, value in values.items() if value is not None}
            for table, values in asdict(self).items()
        }

    def to_toml(self) -> str:
        return tomli_w.dumps(self.to_dict())


_CHOICES = {
    "transfer.base_support": ("fixed", "pinned"),
    "transfer.walls": ("shell", "column"),
    "transfer.slabs": ("shell", "two-way", "one-way"),
}
_AT_LEAST = {"run.stations": 3, "modes.count": 0}


def _checked(where: str, key: str, default: Any, value: Any) -> Any:
    if key in _CHOICES and value not in _CHOICES[key]:
        raise SettingsError(f"{where}: {key} is {value!r}; it must be one of {', '.join(_CHOICES[key])}")
    if key == "run.cases":
        if not isinstance(value, list) or not all(isinstance(v, str) for v in value):
            raise SettingsError(f"{where}: {key} must be a list of case names")
        return value
    if isinstance(default, bool):
        good = isinstance(value, bool)
    elif isinstance(default, float):
        good = isinstance(value, (int, float)) and not isinstance(value, bool) and 0 <= value < 1e12
    elif isinstance(default, int):
        good = isinstance(value, int) and not isinstance(value, bool) and value >= _AT_LEAST[key]
    elif key == "transfer.profiles":
        good = isinstance(value, dict) and all(isinstance(v, str) for v in value.values())
        unknown = [v for v in value.values() if v not in catalogue()] if good else []
        if unknown:
            raise SettingsError(f"{where}: {key} maps to {unknown[0]!r}, which is not in the catalogue")
    elif isinstance(default, dict):
        good = isinstance(value, dict) and all(isinstance(v, (int, float)) for v in value.values())
    else:
        good = isinstance(value, str)
    if not good:
        raise SettingsError(f"{where}: {key} is {value!r}; expected something like {default!r}")
    return float(value) if isinstance(default, float) else value
