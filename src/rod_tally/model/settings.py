"""Settings of a review: TOML in and out; every key has a default, an unknown key is an error that names it."""

from __future__ import annotations

import math
import tomllib
from dataclasses import asdict, dataclass, field, fields, is_dataclass, replace
from pathlib import Path
from typing import Any

import tomli_w

from .catalogue.catalogue import catalogue
from .catalogue.grades import grades


class SettingsError(ValueError):
    """Settings that cannot be used; the message names file, table and key."""


@dataclass(slots=True)
class ChooseSettings:
    """What comes along: empty lists take everything. `only_bearing` leaves out what the source flags as not bearing."""

    classes: list[str] = field(default_factory=list)
    storeys: list[str] = field(default_factory=list)
    groups: list[str] = field(default_factory=list)
    materials: list[str] = field(default_factory=list)
    only_bearing: bool = False


@dataclass(slots=True)
class JoinSettings:
    """Snap distances (m) by kind of join, None as `transfer.snap`; `crossings` 0 leaves crossing members unjoined.

    An end that would go farther than `move_…` across its own line, by the kind of join or by its class, is tied by a rigid
    link instead: an upright stays upright. `levels` and
    `grids`: how far a node goes to a storey's level or a grid line, 0 not at all.
    """

    ends: float | None = None
    members: float | None = None
    surfaces: float | None = None
    crossings: float = 0.0
    move_ends: float = 1.0
    move_members: float = 1.0
    move_surfaces: float = 1.0
    move_columns: float = 0.001
    move_beams: float = 0.5
    move_braces: float = 0.5
    levels: float = 0.0
    grids: float = 0.0


@dataclass(slots=True)
class SupportSettings:
    """How wall bases are held, the springs (N/m, N m/rad) of a column base of kind "spring", and the modulus of
    subgrade reaction (N/m3) under rafts (0: none). 20 MN/m3 is medium dense sand; common practice, no source."""

    walls: str = "pinned"
    springs: list[float] = field(default_factory=lambda: [1e8, 1e8, 1e8, 1e7, 1e7, 1e7])
    subgrade: float = 2e7


@dataclass(slots=True)
class ReleaseSettings:
    """Ends released by rule where the source brings none: steel beams on other beams, braces."""

    secondary: str = "fixed"
    braces: str = "fixed"


@dataclass(slots=True)
class TransferSettings:
    snap: float = 0.025
    search: float = 0.3
    base_support: str = "fixed"
    walls: str = "shell"
    slabs: str = "auto"
    report_move: float = 0.01
    short: float = 0.05
    profiles: dict[str, str] = field(default_factory=dict)  # a profile's name to one of the catalogue
    materials: dict[str, str] = field(default_factory=dict)  # a material's name to a grade
    side: str = "analytical"  # of a source that brings both, the members to go on with
    off_element: float = 0.5  # m; an analytical member farther than this from its element is reported
    orient: bool = True
    choose: ChooseSettings = field(default_factory=ChooseSettings)
    joins: JoinSettings = field(default_factory=JoinSettings)
    supports: SupportSettings = field(default_factory=SupportSettings)
    releases: ReleaseSettings = field(default_factory=ReleaseSettings)

    def snap_of(self, kind: str) -> float:
        """The snap distance (m) of a kind of join: ends, members or surfaces."""
        own = getattr(self.joins, kind)
        return self.snap if own is None else float(own)


@dataclass(slots=True)
class MeshSettings:
    """`size` of elements in m, or "auto": about eight across each panel's span."""

    size: float | str = "auto"


@dataclass(slots=True)
class RunSettings:
    cases: list[str] | None = None
    shear_flexible: bool = True
    stations: int = 11
    diaphragms: list[str] = field(default_factory=list)  # storeys that move in plan as one
    one_way: bool = False  # parts that act in one way only do so: each case by itself, none are added up
    ask_above: float = 120.0  # s expected of a run above which the window asks before it is started


@dataclass(slots=True)
class ModesSettings:
    count: int = 12
    mass: dict[str, float] = field(default_factory=lambda: {"Self-weight": 1.0})
    consistent: bool = True  # mass spread as elements move; false: in lumps at nodes


@dataclass(slots=True)
class CombinationSettings:
    standard: str = "EN 1990"


@dataclass(slots=True)
class CompareSettings:
    relative: float = 0.05
    absolute_force: float = 1000.0


@dataclass(slots=True)
class OutputSettings:
    """`combinations`: tables of displacements, reactions and forces hold combinations too."""

    combinations: bool = False


@dataclass(slots=True)
class ReportSettings:
    """What stands on the title page, how much of each chapter (full, short or off), and the version of BCF files."""

    project: str = ""
    firm: str = ""
    reviewer: str = ""
    bcf: str = "2.1"
    chapters: dict[str, str] = field(default_factory=dict)


@dataclass(slots=True)
class WallSettings:
    """For the stability of walls: `friction` between wall and joint (EN 1992-1-1 6.2.5(2): 0.6 for smooth joints), `tie_edge`
    (m) from the wall's edge to its tie, `pressure` (Pa) allowed; 0: the strength of the material over 1.5. `joint_shear`
    (N/m): what an upright joint between walls can carry along it; 0: not given, and not compared."""

    friction: float = 0.6
    tie_edge: float = 0.25
    pressure: float = 0.0
    joint_shear: float = 0.0


@dataclass(slots=True)
class FindingSettings:
    """`severity` of findings by code or family where it differs from the usual: blocking, warning or note."""

    severity: dict[str, str] = field(default_factory=dict)


@dataclass(slots=True)
class CutSettings:
    """A cut across a storey's floor between two points in plan, m; `about`: what moments are taken about, absent: its middle."""

    name: str
    storey: str
    start: list[float]
    end: list[float]
    about: list[float] | None = None
    factor: float = 1.0

    @classmethod
    def of(cls, values: Any, where: str) -> CutSettings:
        """From a table of [[cuts]]. Raises SettingsError."""
        if not isinstance(values, dict):
            raise SettingsError(f"{where}: must be a table, [[cuts]]")
        known = ("name", "storey", "from", "to", "about", "factor")
        for key in values:
            if key not in known:
                raise SettingsError(f"{where}: unknown key cuts.{key}; known are {', '.join(known)}")
        for key in known[:4]:
            if key not in values:
                raise SettingsError(f"{where}: cuts.{key} is missing")
        for key in ("name", "storey"):
            if not isinstance(values[key], str) or not values[key]:
                raise SettingsError(f"{where}: cuts.{key} is {values[key]!r}; it must be a name")
        for key in ("from", "to", "about"):
            at = values.get(key)
            if (at is not None or key in values) and not (
                isinstance(at, list) and len(at) == 2 and all(_is_number(v) and abs(v) < 1e9 for v in at)
            ):
                raise SettingsError(f"{where}: cuts.{key} is {at!r}; it must be two numbers of metres, in plan")
        factor = values.get("factor", 1.0)
        if not _is_number(factor) or not FACTORS[0] <= factor <= FACTORS[1]:
            raise SettingsError(f"{where}: cuts.factor is {factor!r}; it must be from {FACTORS[0]:g} to {FACTORS[1]:g}")
        return cls(values["name"], values["storey"], values["from"], values["to"], values.get("about"), float(factor))

    def to_dict(self) -> dict[str, Any]:
        out = {"name": self.name, "storey": self.storey, "from": self.start, "to": self.end, "factor": self.factor}
        return out | ({"about": self.about} if self.about is not None else {})


@dataclass(slots=True)
class Settings:
    transfer: TransferSettings = field(default_factory=TransferSettings)
    mesh: MeshSettings = field(default_factory=MeshSettings)
    run: RunSettings = field(default_factory=RunSettings)
    modes: ModesSettings = field(default_factory=ModesSettings)
    combinations: CombinationSettings = field(default_factory=CombinationSettings)
    compare: CompareSettings = field(default_factory=CompareSettings)
    output: OutputSettings = field(default_factory=OutputSettings)
    report: ReportSettings = field(default_factory=ReportSettings)
    findings: FindingSettings = field(default_factory=FindingSettings)
    walls: WallSettings = field(default_factory=WallSettings)
    cuts: list[CutSettings] = field(default_factory=list)

    @classmethod
    def from_dict(cls, data: dict[str, Any], where: str = "settings") -> Settings:
        """Raises SettingsError for a table or key that is not known, or a value of the wrong kind or range."""
        settings = cls()
        tables = {f.name for f in fields(cls)}
        for table, values in data.items():
            if table not in tables:
                raise SettingsError(f"{where}: unknown table [{table}]; known are {', '.join(sorted(tables))}")
            if table == "cuts":
                settings.cuts = _cuts(values, where)
                continue
            if not isinstance(values, dict):
                raise SettingsError(f"{where}: {table} must be a table, [{table}]")
            _fill(getattr(settings, table), values, table, where)
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
        own = _present(asdict(replace(self, cuts=[])))
        del own["cuts"]
        return own | ({"cuts": [c.to_dict() for c in self.cuts]} if self.cuts else {})

    def to_toml(self) -> str:
        return tomli_w.dumps(self.to_dict())


def _cuts(values: Any, where: str) -> list[CutSettings]:
    if not isinstance(values, list):
        raise SettingsError(f"{where}: cuts must be tables, [[cuts]]")
    out = [CutSettings.of(v, where) for v in values]
    for c in out:
        if sum(o.name == c.name for o in out) > 1:
            raise SettingsError(f"{where}: two of the cuts are named {c.name!r}")
    return out


def _present(values: dict[str, Any]) -> dict[str, Any]:
    """The same without absent values, tables last, as TOML requires them."""
    plain = {k: v for k, v in values.items() if v is not None and not isinstance(v, dict)}
    return plain | {k: _present(v) for k, v in values.items() if isinstance(v, dict)}


def _fill(part: Any, values: dict[str, Any], table: str, where: str) -> None:
    known = {f.name for f in fields(part)}
    for key, value in values.items():
        if key not in known:
            raise SettingsError(f"{where}: unknown key {table}.{key}; known are {', '.join(sorted(known))}")
        now = getattr(part, key)
        if is_dataclass(now):
            if not isinstance(value, dict):
                raise SettingsError(f"{where}: {table}.{key} must be a table, [{table}.{key}]")
            _fill(now, value, f"{table}.{key}", where)
        else:
            setattr(part, key, _checked(where, f"{table}.{key}", now, value))


_CHOICES = {
    "report.bcf": ("2.1", "3.0"),
    "transfer.base_support": ("fixed", "pinned", "roller", "spring"),
    "transfer.side": ("analytical", "physical"),
    "transfer.supports.walls": ("fixed", "pinned", "none"),
    "transfer.releases.secondary": ("fixed", "pinned"),
    "transfer.releases.braces": ("fixed", "pinned"),
    "transfer.walls": ("shell", "column"),
    "transfer.slabs": ("auto", "shell", "two-way", "one-way"),
}
# lowest and highest value of each number; every number of the settings has its range here
_RANGES: dict[str, tuple[float, float]] = {
    "transfer.snap": (0.0, 1.0), "transfer.search": (0.0, 5.0), "transfer.report_move": (0.0, 10.0),
    "transfer.short": (0.0, 10.0), "transfer.off_element": (0.0, 100.0),
    "transfer.joins.ends": (0.0, 1.0), "transfer.joins.members": (0.0, 1.0), "transfer.joins.surfaces": (0.0, 1.0),
    "transfer.joins.crossings": (0.0, 1.0), "transfer.joins.move_ends": (0.0, 10.0), "transfer.joins.move_members": (0.0, 10.0),
    "transfer.joins.move_surfaces": (0.0, 10.0), "transfer.joins.move_columns": (0.0, 10.0),
    "transfer.joins.move_beams": (0.0, 10.0), "transfer.joins.move_braces": (0.0, 10.0),
    "transfer.joins.levels": (0.0, 5.0), "transfer.joins.grids": (0.0, 5.0), "transfer.supports.subgrade": (0.0, 1e12),
    "mesh.size": (0.02, 50.0), "run.stations": (3, 1001), "run.ask_above": (0.0, 1e7), "modes.count": (0, 10_000),
    "walls.friction": (0.01, 10.0), "walls.tie_edge": (0.0, 5.0), "walls.pressure": (0.0, 1e10),
    "walls.joint_shear": (0.0, 1e12),
    "compare.relative": (0.0, 10.0), "compare.absolute_force": (0.0, 1e12),
}  # fmt: skip
CHAPTERS = (
    "source", "taken", "findings", "corrections", "loads", "modes", "storeys", "displacements", "forces", "walls", "cuts", "changes",
    "elsewhere", "views", "sign",
)  # fmt: skip
FACTORS = (-1000.0, 1000.0)  # of mass
_OPTIONAL = ("transfer.joins.ends", "transfer.joins.members", "transfer.joins.surfaces")


# what makes results meaningless for a part of the model: these stay blocking whatever the settings say
ALWAYS_BLOCKING = ("support", "stability", "release.unstable", "join.island", "equilibrium")


def _check_severity(where: str, key: str, code: str, severity: object) -> None:
    if severity not in ("blocking", "warning", "note"):
        raise SettingsError(f"{where}: {key} is {severity!r}; it must be blocking, warning or note")
    if severity != "blocking" and (code in ALWAYS_BLOCKING or code.split(".")[0] in ALWAYS_BLOCKING):
        raise SettingsError(f"{where}: {key} cannot be lowered: without it results mean nothing")


def _checked(where: str, key: str, default: Any, value: Any) -> Any:
    if key in _CHOICES and value not in _CHOICES[key]:
        raise SettingsError(f"{where}: {key} is {value!r}; it must be one of {', '.join(_CHOICES[key])}")
    if key == "run.cases":
        if not isinstance(value, list) or not all(isinstance(v, str) for v in value):
            raise SettingsError(f"{where}: {key} must be a list of case names")
        return value
    if key == "mesh.size" and value == "auto":
        return value
    if key == "mesh.size" and not _is_number(value):
        raise SettingsError(f'{where}: {key} is {value!r}; it must be "auto" or a number of metres')
    if isinstance(default, bool):
        good = isinstance(value, bool)
    elif key == "mesh.size":
        good = True
    elif key == "transfer.supports.springs":
        good = isinstance(value, list) and len(value) == 6 and all(_is_number(v) and 0 < v < 1e18 for v in value)
    elif isinstance(default, list):
        good = isinstance(value, list) and all(isinstance(v, str) for v in value)
    elif isinstance(default, float) or key in _OPTIONAL:
        good = _is_number(value)
    elif isinstance(default, int):
        good = isinstance(value, int) and not isinstance(value, bool)
    elif key == "transfer.profiles":
        good = isinstance(value, dict) and all(isinstance(v, str) for v in value.values())
        unknown = [v for v in value.values() if v not in catalogue()] if good else []
        if unknown:
            raise SettingsError(f"{where}: {key} maps to {unknown[0]!r}, which is not in the catalogue")
    elif key == "findings.severity":
        good = isinstance(value, dict)
        if not good:
            raise SettingsError(
                f'{where}: {key} is {value!r}; it must be a table of codes, such as "join.gap" = "blocking"'
            )
        # join.gap without quotation marks is a table in TOML
        flat = {k: v for k, v in value.items() if not isinstance(v, dict)}
        value = flat | {f"{k}.{c}": v for k, own in value.items() if isinstance(own, dict) for c, v in own.items()}
        for code, how in value.items():
            _check_severity(where, f"{key}.{code}", code, how)
    elif key == "report.chapters":
        good = isinstance(value, dict)
        for chapter, how in value.items() if good else ():
            if chapter not in CHAPTERS or how not in ("full", "short", "off"):
                raise SettingsError(
                    f"{where}: {key}.{chapter} is {how!r}; chapters are {', '.join(CHAPTERS)}, each full, short or off"
                )
    elif key == "transfer.materials":
        good = isinstance(value, dict) and all(isinstance(v, str) for v in value.values())
        unknown = [v for v in value.values() if v not in grades()] if good else []
        if unknown:
            raise SettingsError(f"{where}: {key} maps to {unknown[0]!r}, which is no grade of the catalogue")
    elif isinstance(default, dict):
        good = isinstance(value, dict) and all(_is_number(v) for v in value.values())
        wrong = [k for k, v in value.items() if not FACTORS[0] <= v <= FACTORS[1]] if good else []
        if wrong:
            raise SettingsError(
                f"{where}: {key}.{wrong[0]} is {value[wrong[0]]!r}; it must be from {FACTORS[0]:g} to {FACTORS[1]:g}"
            )
    else:
        good = isinstance(value, str)
    if not good:
        raise SettingsError(f"{where}: {key} is {value!r}; expected something like {default!r}")
    if key in _RANGES and value is not None:
        low, high = _RANGES[key]
        if not low <= value <= high:
            raise SettingsError(f"{where}: {key} is {value!r}; it must be from {low:g} to {high:g}")
    return float(value) if isinstance(default, float) or key in _OPTIONAL or key == "mesh.size" else value


def _is_number(value: Any) -> bool:
    return isinstance(value, (int, float)) and not isinstance(value, bool) and math.isfinite(value)
