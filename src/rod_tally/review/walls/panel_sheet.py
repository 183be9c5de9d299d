"""A sheet for each wall panel, a wall within one storey: its cuts at head and foot in every combination, what
governs them and how each number comes about, the forces of its upright joints against their capacity, and the
loads on it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from ...analysis.walls.edges import EdgeForces, WallEdge, edge_forces
from ...analysis.walls.lengths import heights
from ...analysis.walls.stability import Block, Panel, in_row
from ...model import Model, Surface
from ...model.geometry.vectors import Array
from ...model.settings import WallSettings
from ..review import Review
from .wall_joints import capacity_of, factors_of

ROUNDING = 1e-9  # of the largest value; what differs by less is the same
# of a cut: what governs, in words, and which of the values in the combinations it is
GOVERNS: dict[str, tuple[str, bool]] = {
    "n_high": ("most N", True),
    "n_low": ("least N", False),
    "v": ("V", True),
    "m": ("M", True),
    "plastic_length": ("pressed length", False),
    "plastic_pressure": ("pressure", True),
    "tie": ("tie", True),
    "sliding": ("sliding", True),
}


@dataclass(slots=True)
class CutOverCombinations:
    """One level cut of a panel: `n` (compression positive), `v` along the wall and `m` about the middle (K,),
    NaN where not computed, in K combinations; `block` their stability, of arrays (K,); `governing`: by a key
    of GOVERNS the combination's number."""

    panel: Panel
    n: Array
    v: Array
    m: Array
    block: Block
    governing: dict[str, int]

    @property
    def stress(self) -> Array:
        """Mean shear (Pa) over what is pressed, as a rectangle; infinite where nothing is."""
        area = self.block.plastic_length * self.panel.thickness
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.where(area > 0, np.abs(self.v) / area, np.where(np.abs(self.v) > 0, np.inf, 0.0))


@dataclass(slots=True)
class JointOverCombinations:
    """One upright joint of a panel with the walls `others`; `capacity` (N/m) along it, 0 where none is given;
    `governing`: the combination's number and the forces in it, by what is the largest there (shear, tension,
    compression a metre); {} where nothing was computed."""

    edge: WallEdge
    others: list[str]
    capacity: float
    governing: dict[str, tuple[int, EdgeForces]]

    @property
    def length(self) -> float:
        return float(np.linalg.norm(self.edge.line[1] - self.edge.line[0]))

    @property
    def use(self) -> float | None:
        """The share of the capacity that is used; None without one."""
        if self.capacity <= 0 or "shear" not in self.governing:
            return None
        return abs(self.governing["shear"][1].shear) / self.capacity


@dataclass(slots=True)
class PanelSheet:
    """`low` and `high`: heights (m, the model's coordinates) of the panel; `names` of the K combinations (or
    cases: `over` says which); `loads` (N) on all of the wall by case; `remarks`: what is not on the sheet,
    and why."""

    wall: Surface
    storey: str
    low: float
    high: float
    names: list[str]
    over: str
    cuts: list[CutOverCombinations] = field(default_factory=list)
    joints: list[JointOverCombinations] = field(default_factory=list)
    loads: list[tuple[str, Array]] = field(default_factory=list)
    remarks: list[str] = field(default_factory=list)

    @property
    def title(self) -> str:
        return (
            f"{self.wall.name or self.wall.id}, {self.storey}"
            if self.storey
            else self.wall.name or self.wall.id
        )


def panel_sheets(review: Review, only: str = "") -> tuple[list[PanelSheet], list[str]]:
    """The sheets of all wall panels that the run computed, or of the wall of that id, storey by storey; and
    walls without one, with the reason."""
    if review.stale:  # results that are not those of the model
        return [], _without(review, set(), only)
    model, walls = review.model, review.wall_forces
    combinations = [c.name for c in review.computed_combinations]
    all_names = combinations or list(review.results.cases)
    names = [n for n in all_names if not review.without_sign(n)]
    over = "combinations" if combinations else "load cases"
    values = [review.wall_values(n) for n in names]
    six = np.array([v[0] for v in values if v is not None]).reshape(len(names), len(walls.rows), 6)
    done = np.array([v[1] for v in values if v is not None], bool).reshape(len(names), len(walls.rows))
    sums = {c.name: c for c in review.computed_combinations}
    factors = np.array([factors_of(walls.cases, sums.get(n, n)) for n in names])
    sheets: dict[tuple[str, str], PanelSheet] = {}
    loads = _loads(review)
    for panel in review.wall_panels:
        if only and panel.ident != only:
            continue
        key = panel.ident, panel.storey
        if key not in sheets:
            s = model.surfaces[panel.ident]
            sheets[key] = PanelSheet(s, panel.storey, *_levels(model, s, panel.storey), names, over)
            sheets[key].loads = loads.get(s.id, [])
            if left := len(all_names) - len(names):
                sheets[key].remarks.append(
                    f"{left} {over} hold a response to a spectrum: sizes without sign, of which no cut has a stability"
                )
        own = np.where(done[:, panel.row, None], six[:, panel.row], np.nan)
        sheets[key].cuts.append(_cut(panel, own, review.settings.walls))
    for edge in walls.edges:
        sheet = sheets.get((edge.ident, edge.storey))
        if sheet is not None:
            sheet.joints.append(_joint(review, edge, factors))
    for sheet in sheets.values():
        _remark(review, sheet)
    order = {s: k for k, s in enumerate(model.surfaces)}
    found = sorted(sheets.values(), key=lambda x: (x.low, order[x.wall.id]))
    return found, _without(review, {x.wall.id for x in found}, only)


def _cut(panel: Panel, values: Array, settings: WallSettings) -> CutOverCombinations:
    block = in_row(panel, values, settings)
    out = CutOverCombinations(panel, -values[:, 0], values[:, 1], values[:, 4], block, {})
    of = {"n_high": out.n, "n_low": out.n, "v": np.abs(out.v), "m": np.abs(out.m)}
    for key, (_, more) in GOVERNS.items():
        own = of.get(key)
        if own is None:
            if panel.why_not:
                continue
            own = np.asarray(getattr(block, key))
        if np.isnan(own).all():
            continue
        k = _worst(own if more else -own, list(out.governing.values()))
        if key != "tie" or own[k] > 0:
            out.governing[key] = k
    return out


def _worst(values: Array, rather: list[int]) -> int:
    """The number of the largest value, NaN left out; of several that differ by rounding one of `rather`, else
    the first."""
    most = float(np.nanmax(values))
    near = values == most if np.isinf(most) else values >= most - ROUNDING * abs(most)
    same = np.flatnonzero(near)
    return next((k for k in rather if k in same), int(same[0]))


def _joint(review: Review, edge: WallEdge, factors: Array) -> JointOverCombinations:
    """`factors` (K, C) of the cases in the combinations, all of which have a sign."""
    surfaces = review.model.surfaces
    out = JointOverCombinations(
        edge,
        [surfaces[i].name or i for i in edge.others if i in surfaces],
        capacity_of(review.model, edge, review.settings),
        {},
    )
    known = ~((factors != 0) & ~edge.done).any(axis=1)
    if not len(edge.heights) or not known.any():
        return out
    signless = np.zeros(factors.shape[1], bool)
    shear = np.abs(np.einsum("kc,cn->kn", factors, edge.a_metre[:, :, 0])).max(axis=1)
    across = np.einsum("kc,cn->kn", factors, edge.a_metre[:, :, 1])
    for name, sizes in (
        ("shear", shear),
        ("tension", across.max(axis=1)),
        ("compression", -across.min(axis=1)),
    ):
        k = _worst(np.where(known, sizes, np.nan), [at for at, _ in out.governing.values()])
        forces = edge_forces(edge, factors[k], signless)
        if forces is not None and sizes[k] > 0:
            out.governing[name] = k, forces
    return out


def _levels(model: Model, s: Surface, storey: str) -> tuple[float, float]:
    """The heights between which a wall stands in a storey."""
    found = [(low, high) for name, low, high in heights(model, s) if name == storey]
    return found[0] if found else (float(s.outer[:, 2].min()), float(s.outer[:, 2].max()))


def _loads(review: Review) -> dict[str, list[tuple[str, Array]]]:
    """Sums (3,) of the loads on each surface by case."""
    out: dict[str, list[tuple[str, Array]]] = {}
    for case in review.results.cases:
        own: dict[str, Array] = {}
        for h in review.distribution.case(case).held:
            own[h.surface] = own.get(h.surface, np.zeros(3)) + h.force
        for ident, force in own.items():
            out.setdefault(ident, []).append((case, force))
    return out


def _remark(review: Review, sheet: PanelSheet) -> None:
    for cut in sheet.cuts:
        words = "; ".join(w for w in (cut.panel.why_not, cut.panel.note) if w)
        if words:
            sheet.remarks.append(f"at its {'foot' if cut.panel.part == 'bottom' else 'head'}: {words}")
    way = sheet.wall.way
    if not sheet.joints:
        joined = any(j.kind == "surface" and np.ptp(j.line[:, 2]) > 0.1 for j in sheet.wall.joints)
        if joined and way == "column":
            sheet.remarks.append("it is computed as a column: its upright joints have no forces")
        elif not joined:
            sheet.remarks.append("no wall is joined to it at an upright edge")
    elif any(j.capacity <= 0 for j in sheet.joints):
        sheet.remarks.append(
            "no capacity is given for some of its joints: [[joints]] or walls.joint_shear in the settings"
        )
    if sheet.wall.id in {*review.model.standing, *review.model.leaning} and review.settings.run.one_way:
        sheet.remarks.append("its foot or its joints only press in this run")


def _without(review: Review, have: set[str], only: str) -> list[str]:
    out = []
    for s in review.model.surfaces.values():
        upright = abs(float(s.plain_axes[2][2])) < 0.5
        if upright and s.id not in have and only in ("", s.id):
            why = review.why_old or "the run does not compute it"
            out.append(f"{s.name or s.id}: {why}")
    return out


Shown = Callable[[float], str]


def workings(
    cut: CutOverCombinations, k: int, settings: WallSettings, force: Shown, moment: Shown
) -> list[str]:
    """How each number of a cut comes about in one combination, a line each; `force` and `moment` show values
    with their unit."""
    p, b = cut.panel, cut.block
    n, v, m = float(cut.n[k]), float(cut.v[k]), float(cut.m[k])
    length, t = p.length, p.thickness
    if p.why_not or np.isnan(n):
        return []
    x, pressure, tie = float(b.plastic_length[k]), float(b.plastic_pressure[k]), float(b.tie[k])
    if np.isnan(b.eccentricity[k]):
        lines = [f"N = {force(n)}: no compression, so nothing of L = {length:.3f} m is pressed"]
    else:
        e = abs(float(b.eccentricity[k]))
        kernel = length / 6
        lines = [
            f"e = M / N = {moment(abs(m))} / {force(n)} = {e:.3f} m; L / 6 = {kernel:.3f} m, L / 2 = {length / 2:.3f} m"
        ]
        elastic, peak = float(b.elastic_length[k]), float(b.elastic_pressure[k])
        if e <= kernel:
            lines.append(
                f"elastic: e within L / 6, all of L = {length:.3f} m is pressed; N / (t L) (1 + 6 e / L) = {peak / 1e6:.3f} MPa"
            )
        elif elastic > 0:
            lines.append(
                f"elastic: 3 (L / 2 − e) = {elastic:.3f} m is pressed; 2 N / (3 t (L / 2 − e)) = {peak / 1e6:.3f} MPa"
            )
        else:
            lines.append("elastic: e reaches L / 2, the wall tips about its edge")
        if x > 0:
            allowed = f", allowed {p.f / 1e6:.3g} MPa" if np.isfinite(p.f) else ""
            lines.append(
                f"plastic: L − 2 e = {x:.3f} m is pressed; N / (t (L − 2 e)) = {pressure / 1e6:.3f} MPa{allowed}"
            )
    if np.isinf(tie):
        lines.append("tie: none holds it, for the pressure on the other side stays above the allowed one")
    elif tie > 0:
        lines.append(
            f"tie: {force(tie)} at {settings.tie_edge:g} m from the edge that lifts, from N and M about it"
            + (f" with f t x on the other side, f = {p.f / 1e6:.3g} MPa" if np.isfinite(p.f) else "")
        )
    else:
        lines.append("tie: none needed")
    sliding = float(b.sliding[k])
    if np.isinf(sliding):
        lines.append("sliding: nothing presses the cut, so no friction holds the shear")
    elif n > 0:
        lines.append(
            f"sliding: V / (μ N) = {force(abs(v))} / ({settings.friction:g} · {force(n)}) = {sliding:.3f}"
        )
    stress = float(cut.stress[k])
    if np.isfinite(stress) and x > 0:
        lines.append(
            f"shear on what is pressed: V / (t (L − 2 e)) = {force(abs(v))} / ({t:.3f} m · {x:.3f} m) = {stress / 1e6:.3f} MPa"
        )
    return lines
