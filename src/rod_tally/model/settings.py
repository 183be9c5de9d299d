"""Settings of a review: TOML in and out; every key has a default, an unknown key is an error that names
it."""

from __future__ import annotations

import tomllib
from pathlib import Path
from typing import Annotated, Any, Literal, get_args

import tomli_w
from msgspec import Meta, field

from .catalogue.catalogue import catalogue
from .catalogue.grades import grades
from .validated import Table, convert, plain

FACTORS = (-1000.0, 1000.0)  # of mass and of cuts
# what makes results meaningless for a part of the model: these stay blocking whatever the settings say
ALWAYS_BLOCKING = ("support", "stability", "release.unstable", "join.island", "equilibrium")

# A number with its least and largest value; m unless the name says otherwise.
Snap = Annotated[float, Meta(ge=0.0, le=1.0)]
Move = Annotated[float, Meta(ge=0.0, le=10.0)]
Reach = Annotated[float, Meta(ge=0.0, le=5.0)]
Far = Annotated[float, Meta(ge=0.0, le=100.0)]
Spring = Annotated[float, Meta(gt=0.0, lt=1e18)]
Large = Annotated[float, Meta(ge=0.0, le=1e12)]
Factor = Annotated[float, Meta(ge=FACTORS[0], le=FACTORS[1])]
Coordinate = Annotated[float, Meta(ge=-1e9, le=1e9)]
Place = Annotated[list[Coordinate], Meta(min_length=2, max_length=2)]
Share = Annotated[float, Meta(ge=0.0, le=10.0)]
# of members, surfaces, supports, nodes, storeys and modes, as the comparison names them
Quantity = Literal[
    "n",
    "vy",
    "vz",
    "mt",
    "my",
    "mz",
    "nx",
    "ny",
    "nxy",
    "mx",
    "mxy",
    "vx",
    "fx",
    "fy",
    "fz",
    "ux",
    "uy",
    "uz",
    "rx",
    "ry",
    "rz",
    "shear_x",
    "shear_y",
    "drift_x",
    "drift_y",
    "period",
]
Name = Annotated[str, Meta(min_length=1)]
Hold = Literal["fixed", "pinned"]
Chapter = Literal[
    "source",
    "taken",
    "findings",
    "corrections",
    "loads",
    "modes",
    "storeys",
    "displacements",
    "forces",
    "walls",
    "cuts",
    "expected",
    "effects",
    "changes",
    "elsewhere",
    "views",
    "sign",
]
Detail = Literal["full", "short", "off"]
CHAPTERS: tuple[Chapter, ...] = get_args(Chapter)


class SettingsError(ValueError):
    """Settings that cannot be used; the message names file, table and key."""


class ChooseSettings(Table):
    """The parts that come along: empty lists take everything. `only_bearing` leaves out what the source flags
    as not bearing, where it flags anything as bearing."""

    classes: list[str] = field(default_factory=list)
    storeys: list[str] = field(default_factory=list)
    groups: list[str] = field(default_factory=list)
    materials: list[str] = field(default_factory=list)
    only_bearing: bool = True


class JoinSettings(Table):
    """Snap distances (m) by kind of join, None as `transfer.snap`; `crossings` 0 leaves crossing members
    unjoined.

    An end that would go farther than `move_…` across its own line, by the kind of join or by its class, is
    tied by a rigid link instead: an upright stays upright. `levels` and `grids`: how far a node goes to a
    storey's level or a grid line, 0 not at all."""

    ends: Snap | None = None
    members: Snap | None = None
    surfaces: Snap | None = None
    crossings: Snap = 0.0
    move_ends: Move = 1.0
    move_members: Move = 1.0
    move_surfaces: Move = 1.0
    move_columns: Move = 0.001
    move_beams: Move = 0.5
    move_braces: Move = 0.5
    levels: Reach = 0.0
    grids: Reach = 0.0


class SupportSettings(Table):
    """The supports of wall bases, the springs (N/m, N m/rad) of a column base of kind "spring", and the
    modulus of subgrade reaction (N/m3) under rafts (0: none). 20 MN/m3 is medium dense sand; common practice,
    no source."""

    walls: Literal["fixed", "pinned", "none"] = "pinned"
    springs: Annotated[list[Spring], Meta(min_length=6, max_length=6)] = field(
        default_factory=lambda: [1e8, 1e8, 1e8, 1e7, 1e7, 1e7]
    )
    subgrade: Large = 2e7


class ReleaseSettings(Table):
    """Ends released by rule where the source brings none: steel beams on other beams, braces."""

    secondary: Hold = "fixed"
    braces: Hold = "fixed"


class TransferSettings(Table):
    snap: Snap = 0.025
    search: Reach = 0.3
    base_support: Literal["fixed", "pinned", "roller", "spring"] = "fixed"
    walls: Literal["shell", "column"] = "shell"
    slabs: Literal["auto", "shell", "two-way", "one-way"] = "auto"
    report_move: Move = 0.01
    short: Move = 0.05
    profiles: dict[str, str] = field(default_factory=dict)  # a profile's name to one of the catalogue
    materials: dict[str, str] = field(default_factory=dict)  # a material's name to a grade
    side: Literal["analytical", "physical"] = (
        "analytical"  # of a source that brings both, the members to go on with
    )
    off_element: Far = 0.5  # m; an analytical member farther than this from its element is reported
    orient: bool = True
    choose: ChooseSettings = field(default_factory=ChooseSettings)
    joins: JoinSettings = field(default_factory=JoinSettings)
    supports: SupportSettings = field(default_factory=SupportSettings)
    releases: ReleaseSettings = field(default_factory=ReleaseSettings)

    def snap_of(self, kind: str) -> float:
        """The snap distance (m) of a kind of join: ends, members or surfaces."""
        own = getattr(self.joins, kind)
        return self.snap if own is None else float(own)

    def __post_init__(self) -> None:
        for key, known, what in (
            ("profiles", catalogue, "is not in the catalogue"),
            ("materials", grades, "is no grade of the catalogue"),
        ):
            for name in getattr(self, key).values():
                if name not in known():
                    raise ValueError(f"transfer.{key} maps to {name!r}, which {what}")


class MeshSettings(Table):
    """`size` of elements in m, or "auto": about eight across each panel's span. `columns` hold slabs that lie
    on them at a node, or over their whole section, rigidly."""

    size: Annotated[float, Meta(ge=0.02, le=50.0)] | Literal["auto"] = "auto"
    columns: Literal["node", "section"] = "node"


class RunSettings(Table):
    cases: list[str] | None = None
    shear_flexible: bool = True
    stations: Annotated[int, Meta(ge=3, le=1001)] = 11
    diaphragms: list[str] = field(default_factory=list)  # storeys that move in plan as one
    p_delta: bool = False  # combinations with second-order effects, each by itself; cases stay linear
    one_way: bool = False  # parts that act in one way only do so: each case by itself, none are added up
    ask_above: Annotated[float, Meta(ge=0.0, le=1e7)] = (
        120.0  # s expected of a run above which the window asks before it is started
    )


class ModesSettings(Table):
    count: Annotated[int, Meta(ge=0, le=10_000)] = 12
    mass: dict[str, Factor] = field(default_factory=lambda: {"Self-weight": 1.0})
    consistent: bool = True  # mass spread as elements move; false: in lumps at nodes


class BucklingSettings(Table):
    """`count`: factors of each combination by which its loads can grow until something buckles; 0 for
    none."""

    count: Annotated[int, Meta(ge=0, le=100)] = 0


class CombinationSettings(Table):
    standard: str = "EN 1990"


class Tolerance(Table):
    """From where on a value of one quantity has changed: a share of what it was, and at least so much (SI);
    None as for all."""

    relative: Share | None = None
    absolute: Large | None = None


class CompareSettings(Table):
    """`relative` and `absolute_force` (N; moments N m) hold for every quantity that `tolerance` does not
    name."""

    relative: Share = 0.05
    absolute_force: Large = 1000.0
    tolerance: dict[Quantity, Tolerance] = field(default_factory=dict)

    def of(self, quantity: str, usual: float | None = None) -> tuple[float, float]:
        """Relative and absolute tolerance of a quantity; `usual`: the absolute one where nothing is said of
        it."""
        own = self.tolerance.get(quantity)  # type: ignore[call-overload]
        relative = self.relative if own is None or own.relative is None else own.relative
        absolute = self.absolute_force if usual is None else usual
        return float(relative), float(absolute if own is None or own.absolute is None else own.absolute)


class OutputSettings(Table):
    """`combinations`: tables of displacements, reactions and forces hold combinations too."""

    combinations: bool = False


class ReportSettings(Table):
    """The text of the title page, the extent of each chapter (full, short or off), and the version of BCF
    files."""

    project: str = ""
    firm: str = ""
    reviewer: str = ""
    bcf: Literal["2.1", "3.0"] = "2.1"
    chapters: dict[Chapter, Detail] = field(default_factory=dict)


class WallSettings(Table):
    """For the stability of walls: `friction` between wall and joint (EN 1992-1-1 6.2.5(2): 0.6 for smooth
    joints), `tie_edge` (m) from the wall's edge to its tie, `pressure` (Pa) allowed; 0: the strength of the
    material over 1.5. `joint_shear` (N/m): what an upright joint between walls can carry along it; 0: not
    given, and not compared."""

    friction: Annotated[float, Meta(ge=0.01, le=10.0)] = 0.6
    tie_edge: Reach = 0.25
    pressure: Annotated[float, Meta(ge=0.0, le=1e10)] = 0.0
    joint_shear: Large = 0.0


class FindingSettings(Table):
    """`severity` of findings by code or family where it differs from the usual: blocking, warning or note."""

    severity: dict[str, Literal["blocking", "warning", "note"]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        for code, severity in self.severity.items():
            if severity != "blocking" and (code in ALWAYS_BLOCKING or code.split(".")[0] in ALWAYS_BLOCKING):
                raise ValueError(
                    f"findings.severity.{code} cannot be lowered: without it results mean nothing"
                )


class CutSettings(Table, rename={"start": "from", "end": "to"}):
    """A cut across a storey's floor between two points in plan, m; `about`: what moments are taken about,
    absent: its middle."""

    name: Name
    storey: Name
    start: Place
    end: Place
    about: Place | None = None
    factor: Factor = 1.0

    @classmethod
    def of(cls, values: Any, where: str) -> CutSettings:
        """From a table of [[cuts]]. Raises SettingsError."""
        try:
            return convert({"cuts": [values]}, Settings).cuts[0]
        except ValueError as error:
            raise SettingsError(f"{where}: {error}") from error

    def to_dict(self) -> dict[str, Any]:
        return plain(self)


class JointSettings(Table):
    """The capacity of the upright joint between two walls, which `walls` names by name or id: `shear` (N/m)
    along it, in `storey`, or in every storey where that is absent. It counts in place of
    `walls.joint_shear`."""

    walls: Annotated[list[Name], Meta(min_length=2, max_length=2)]
    shear: Annotated[float, Meta(gt=0.0, le=1e12)]
    storey: str = ""


class LimitSettings(Table):
    """The size that a value must not exceed: `quantity` of slabs and walls (nx … vy, N/m and N m/m) or of nodes
    (ux, uy, uz, m) over all combinations, or those of a `kind`; or a heading of design results, in its own
    unit."""

    quantity: Name
    most: Annotated[float, Meta(gt=0.0, le=1e15)]
    kind: str = ""


class Settings(Table):
    transfer: TransferSettings = field(default_factory=TransferSettings)
    mesh: MeshSettings = field(default_factory=MeshSettings)
    run: RunSettings = field(default_factory=RunSettings)
    modes: ModesSettings = field(default_factory=ModesSettings)
    buckling: BucklingSettings = field(default_factory=BucklingSettings)
    combinations: CombinationSettings = field(default_factory=CombinationSettings)
    compare: CompareSettings = field(default_factory=CompareSettings)
    output: OutputSettings = field(default_factory=OutputSettings)
    report: ReportSettings = field(default_factory=ReportSettings)
    findings: FindingSettings = field(default_factory=FindingSettings)
    walls: WallSettings = field(default_factory=WallSettings)
    cuts: list[CutSettings] = field(default_factory=list)
    joints: list[JointSettings] = field(default_factory=list)
    limits: list[LimitSettings] = field(default_factory=list)

    def __post_init__(self) -> None:
        names = [c.name for c in self.cuts]
        twice = next((n for n in names if names.count(n) > 1), None)
        if twice is not None:
            raise ValueError(f"two of the cuts are named {twice!r}")

    @classmethod
    def from_dict(cls, data: dict[str, Any], where: str = "settings") -> Settings:
        """Raises SettingsError for a table or key that is not known, or a value of the wrong kind or
        range."""
        try:
            return convert(_with_whole_codes(data), cls)
        except ValueError as error:
            raise SettingsError(f"{where}: {error}") from error

    @classmethod
    def read(cls, path: Path) -> Settings:
        """Settings of a TOML file; SettingsError when it cannot be read."""
        try:
            data = tomllib.loads(path.read_text(encoding="utf-8"))
        except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError) as error:
            raise SettingsError(f"{path}: settings cannot be read: {error}") from error
        return cls.from_dict(data, str(path))

    def to_dict(self) -> dict[str, Any]:
        own = plain(self)
        for name in ("cuts", "joints", "limits"):
            if not own[name]:
                del own[name]
        return own

    def to_toml(self) -> str:
        return tomli_w.dumps(self.to_dict())


def _with_whole_codes(data: dict[str, Any]) -> dict[str, Any]:
    """join.gap without quotation marks is a table in TOML: [findings.severity] with the codes in one
    piece."""
    findings = data.get("findings")
    severity = findings.get("severity") if isinstance(findings, dict) else None
    if not isinstance(findings, dict) or not isinstance(severity, dict):
        return data
    flat = {k: v for k, v in severity.items() if not isinstance(v, dict)}
    flat |= {f"{k}.{c}": v for k, own in severity.items() if isinstance(own, dict) for c, v in own.items()}
    return data | {"findings": findings | {"severity": flat}}
