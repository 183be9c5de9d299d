"""Load cases made from rules: patterns, notional loads, storey forces, spectra; what gives mass;
combinations."""

from __future__ import annotations

from typing import Any

import numpy as np
from PyQt6.QtWidgets import QWidget

from ...analysis.dynamics.mass import mass_cases
from ...analysis.results.lateral import LateralError, Level, levels, notional_cases, storey_cases
from ...analysis.results.wind_cases import wind_cases
from ...loads.lateral import (
    ASCE_CT,
    EN_CT,
    GROUND_TYPE_1,
    AsceSpectrum,
    DesignSpectrum,
    base_shear_asce,
    base_shear_en,
    period_asce,
    period_en,
    share_asce,
    share_en,
)
from ...loads.patterns import patterns
from ...loads.wind import EXPOSURE, TERRAIN, WindAsce, WindEn
from ...model import Model
from ...model.edits import AddCases, CasesOfCombinations, Edit, SetCase
from ...model.entities.loads import GRAVITY
from ...model.load_table import TableError, read_curve, read_storey_forces
from ...model.settings import Settings
from ..forms.form import Field, Form
from ..pages.combine_page import CombinePage
from ..session.session import Session
from ..session.state import DeskState
from .load_commands import LoadDesk

FACTOR = "factor of "  # before a case's name as the name of a form's field
LUMPED, SPREAD = "in lumps at nodes", "spread as they move (consistent)"
STOREYS_HELP = (
    "Columns: storey, fx, fy (kN), mz (kNm). With an eccentricity two cases are made, off to either side."
)
STOREYS_EXAMPLE = "storey\tfx\tfy\nLevel 1\t120\t0\nLevel 2\t240\t0"


class RuleDesk(LoadDesk):
    """The commands of the load desk, and those that make cases from rules."""

    def __init__(self, window: QWidget, session: Session, state: DeskState) -> None:
        super().__init__(window, session, state)
        self.combine_page: CombinePage | None = None

    def make_patterns(self) -> None:
        """Patterns of the shown imposed case."""
        model, case = self.model, self.case
        if model is None or case is None:
            return
        made = patterns(model, case)
        if not made:
            self.session.said.emit(
                f"{case.name} has no load on slabs of two spans or more, so it has no patterns"
            )
            return
        own = SetCase(case.name, case.name, case.kind, case.category, case.together or case.name)
        self.session.correct_all([own, AddCases(made)])

    def cases_of_combinations(self) -> None:
        """A load case of each combination, in one step."""
        review = self.state.review
        if review is None:
            return
        signless = {n for n, c in review.model.cases.items() if c.spectrum is not None}
        own = [c for c in review.combinations if not c.roots and not signless & set(c.factors)]
        if not own:
            self.session.said.emit("There is no combination of cases with signs")
            return
        left = len(review.combinations) - len(own)
        self.session.correct(CasesOfCombinations([{"name": c.name, "factors": dict(c.factors)} for c in own]))
        self.session.said.emit(
            f"{len(own)} cases made" + (f"; {left} with responses that have no sign left out" if left else "")
        )

    def ask_storeys(self) -> None:
        """What the storey forces are, and how far off the centre of mass; then the page to paste them
        into."""
        model, review = self.model, self.state.review
        if model is None or review is None:
            return
        fields = [
            Field(
                "name",
                "Name of the case",
                _free(model, "Storey forces"),
                [_free(model, "Storey forces")],
                True,
            ),
            Field("kind", "Kind", "wind", ["wind", "seismic", "notional", "accidental"]),
            Field("e", "Eccentricity, share of the extent", 0.0, low=0, high=0.5),
        ]
        mass = mass_cases(model, self.session.settings.modes.mass)

        def page(v: dict[str, Any], found: list[Level]) -> None:
            def make(text: str) -> list[Edit]:
                forces = read_storey_forces(text, model)
                try:
                    cases = storey_cases(v["name"], v["kind"], found, forces, v["e"], "storey table")
                except LateralError as error:
                    raise TableError(str(error)) from None
                return [AddCases(cases)]

            self._paste("Storey forces from a table", STOREYS_HELP, STOREYS_EXAMPLE, make)

        def done(v: dict[str, Any]) -> None:
            self.session.work_out(
                "Mass of the storeys",
                lambda _: levels(model, mass, review.distribution, self.session.settings.run.diaphragms),
                lambda found: page(v, found),
            )

        self.form = Form(self.window, "Storey forces", "At each storey's centre of mass", fields, done)
        self.form.open()

    def ask_notional(self) -> None:
        model, review = self.model, self.state.review
        if model is None or review is None:
            return
        names = [c.name for c in model.cases.values() if c.kind in ("self-weight", "dead", "live")]
        fields = [Field("share", "Share of the vertical load, 1 in", 200.0, low=5, high=10000, digits=0)]
        # a pattern holds loads of its parent once more
        fields += [
            Field(
                f"{FACTOR}{n}",
                f"Factor of {n}",
                0.0 if model.cases[n].is_pattern else 1.0,
                low=0,
                high=10,
                digits=2,
            )
            for n in names
        ]

        def make(v: dict[str, Any], progress: Any) -> Edit:
            factors = {n: v[f"{FACTOR}{n}"] for n in names if v[f"{FACTOR}{n}"] > 0}
            made = notional_cases(
                model, 1 / v["share"], factors, review.distribution, _free(model, "Notional"), progress
            )
            return AddCases(made)

        self._ask_long("Notional horizontal loads", "Four cases, along x and y both ways", fields, make)

    def ask_lateral(self, code: str) -> None:
        """Equivalent lateral forces by EN 1998-1 or ASCE 7, along x and y, each with the eccentricity to
        either side."""
        model, review = self.model, self.state.review
        if model is None or review is None:
            return
        common = [
            Field("system", "Structural system", "other", list(EN_CT if code == "EN" else ASCE_CT)),
            Field("e", "Eccentricity, share of the extent", 0.05, low=0, high=0.5),
        ]
        if code == "EN":
            fields = [
                Field("ag", "ag", 1.0, unit="m/s²", low=0.01, high=20),
                Field("ground", "Ground type", "B", list(GROUND_TYPE_1)),
                Field("q", "Behaviour factor q", 1.5, low=1, high=10),
                *common,
            ]
        else:
            fields = [
                Field("sds", "SDS", 0.5, unit="g", low=0.01, high=5), Field("sd1", "SD1", 0.3, unit="g", low=0.01, high=5),
                Field("r", "R", 3.0, low=1, high=12), Field("ie", "Ie", 1.0, low=0.5, high=2), *common,
            ]  # fmt: skip

        def make(v: dict[str, Any], progress: Any) -> Edit:
            progress("Mass of the storeys", 0.2)
            found = levels(
                model,
                mass_cases(model, self.session.settings.modes.mass),
                review.distribution,
                self.session.settings.run.diaphragms,
            )
            carried = [x for x in found if x.height > 0 and (x.nodes or x.slabs)]
            mass, height = np.array([x.mass for x in carried]), np.array([x.height for x in carried])
            if not len(carried):
                raise LateralError(
                    "no storey above the base has nodes, or slabs that carry as shells, at its level"
                )
            if code == "EN":
                period = period_en(float(height.max()), v["system"])
                spectrum = DesignSpectrum(v["ag"], *GROUND_TYPE_1[v["ground"]], q=v["q"])
                shear = base_shear_en(spectrum, period, float(mass.sum()), len(carried))
                share = share_en(mass, height)
            else:
                period = period_asce(float(height.max()), v["system"])
                shear = base_shear_asce(
                    v["sds"], v["sd1"], v["r"], v["ie"], period, float(mass.sum()) * GRAVITY
                )
                share = share_asce(mass, height, period)
            cases = []
            by = f"{'EN 1998-1 4.3.3.2' if code == 'EN' else 'ASCE 7 12.8'}, T1 {period:.3g} s, base shear {shear / 1000:.4g} kN"
            for axis, tag in ((0, "x"), (1, "y")):
                forces = {x.name: [0.0, 0.0, 0.0] for x in carried}
                for x, f in zip(carried, share * shear):
                    forces[x.name][axis] = float(f)
                cases += storey_cases(_free(model, f"E{tag}"), "seismic", carried, forces, v["e"], by)
            return AddCases(cases)

        title = "Equivalent lateral forces, " + ("EN 1998-1" if code == "EN" else "ASCE 7")
        masses = ", ".join(
            f"{f:g} {n}" for n, f in mass_cases(model, self.session.settings.modes.mass).items()
        )
        self._ask_long(title, f"Mass from {masses}; at each storey's centre of mass", fields, make)

    def ask_wind(self, code: str) -> None:
        """Four cases of wind by EN 1991-1-4 or ASCE 7."""
        model, review = self.model, self.state.review
        if model is None or review is None:
            return
        base = min((s.elevation for s in model.storeys), default=0.0)
        ways = ["as forces at the storeys", "as pressures on the faces"]
        common = [Field("ground", "Level of the ground", base, unit="m"), Field("how", "Acts", ways[0], ways)]
        if code == "EN":
            fields = [
                Field("v", "Basic velocity vb", 26.0, unit="m/s", low=5, high=80),
                Field("place", "Terrain category", "II", list(TERRAIN)),
                Field("factor", "cscd", 1.0, low=0.5, high=2),
                *common,
            ]
        else:
            fields = [
                Field("v", "Basic speed V", 50.0, unit="m/s", low=10, high=120),
                Field("place", "Exposure", "C", list(EXPOSURE)),
                Field("factor", "G", 0.85, low=0.5, high=2),
                *common,
            ]

        def make(v: dict[str, Any], progress: Any) -> Edit:
            progress("Storeys", 0.2)
            faces = v["how"] == ways[1]
            mass = mass_cases(model, self.session.settings.modes.mass)
            found = (
                []
                if faces
                else levels(model, mass, review.distribution, self.session.settings.run.diaphragms)
            )
            wind = (
                WindEn(v["v"], v["place"], v["factor"])
                if code == "EN"
                else WindAsce(v["v"], v["place"], v["factor"])
            )
            return AddCases(wind_cases(model, found, wind, v["ground"], _free(model, "Wind"), faces))

        title = "Wind, " + ("EN 1991-1-4" if code == "EN" else "ASCE 7")
        text = "On the upright faces of the box that the model fills, along x and y both ways; roofs, sides and friction are left out."
        self._ask_long(title, text, fields, make)

    def ask_spectrum(self, code: str) -> None:
        """Cases of a response spectrum along x and y."""
        model = self.model
        if model is None:
            return
        rule = Field("rule", "Modes combined by", "CQC", ["CQC", "SRSS"])
        off = Field("off", "Eccentricity, either side", 5.0, unit="% of a storey's width", low=0, high=50)
        if code == "EN":
            fields = [
                Field("ag", "ag", 1.0, unit="m/s²", low=0.01, high=20),
                Field("ground", "Ground type", "B", list(GROUND_TYPE_1)),
                Field("q", "Behaviour factor q", 1.5, low=1, high=10),
                rule,
                off,
            ]
        else:
            fields = [
                Field("sds", "SDS", 0.5, unit="g", low=0.01, high=5), Field("sd1", "SD1", 0.3, unit="g", low=0.01, high=5),
                Field("r", "R", 3.0, low=1, high=12), Field("ie", "Ie", 1.0, low=0.5, high=2), rule, off,
            ]  # fmt: skip

        def make(v: dict[str, Any]) -> Edit:
            if code == "EN":
                curve = DesignSpectrum(v["ag"], *GROUND_TYPE_1[v["ground"]], q=v["q"]).curve()
                by = f"EN 1998-1 3.2.2.5, ag {v['ag']:g} m/s², ground {v['ground']}, q {v['q']:g}"
            else:
                curve = AsceSpectrum(v["sds"], v["sd1"], v["r"], v["ie"]).curve()
                by = f"ASCE 7 11.4.6, SDS {v['sds']:g}, SD1 {v['sd1']:g}, R {v['r']:g}"
            return AddCases(_spectra(model, curve, v["rule"], by, v["off"] / 100))

        title = "Response spectrum, " + ("EN 1998-1" if code == "EN" else "ASCE 7")
        self._ask(title, "Two cases, along x and y; the next run computes them from the modes", fields, make)

    def paste_spectrum(self) -> None:
        model = self.model
        if model is not None:
            self._paste(
                "Response spectrum from a table",
                "Columns: period (s), sa (m/s²). Two cases are made, along x and y, with an eccentricity of 5 % of each storey's width.",
                "period\tsa\n0\t1.2\n0.2\t3.0\n0.6\t3.0\n2.0\t0.9",
                lambda text: [AddCases(_spectra(model, read_curve(text), "CQC", "pasted curve", 0.05))],
            )

    def ask_mass(self) -> None:
        """Which cases give the mass of modes, storey forces and spectra."""
        model = self.model
        if model is None:
            return
        now = mass_cases(model, self.session.settings.modes.mass)
        names = [
            c.name
            for c in model.cases.values()
            if c.kind not in ("wind", "seismic", "notional", "temperature", "settlement")
        ]
        own = self.session.settings.modes
        fields = [
            Field("count", "How many modes", float(own.count), low=0, high=500, digits=0),
            Field("spread", "Mass of elements", SPREAD if own.consistent else LUMPED, (LUMPED, SPREAD)),
        ]
        fields += [Field(f"{FACTOR}{n}", n, now.get(n, 0.0), low=0, high=10, digits=2) for n in names]

        def make(v: dict[str, Any]) -> None:
            def change(settings: Settings) -> None:
                modes = settings.modes
                modes.count, modes.consistent = int(v["count"]), v["spread"] == SPREAD
                modes.mass = {n: v[f"{FACTOR}{n}"] for n in names if v[f"{FACTOR}{n}"] > 0}

            self.session.change_settings(change)
            self.session.said.emit("Kept in the project; it counts from the next run (F5)")

        self._ask("Mass and modes", "Factors of the cases whose downward loads are mass", fields, make)

    def combine(self) -> None:
        if self.combine_page is None:
            self.combine_page = CombinePage(self.window, self.session, self.state)
        self.combine_page.fill()
        self.combine_page.show()
        self.combine_page.raise_()


def _spectra(
    model: Model, curve: list[tuple[float, float]], rule: str, by: str, eccentricity: float
) -> list[dict[str, Any]]:
    return [
        {
            "name": _free(model, f"Spectrum {d}"),
            "kind": "seismic",
            "by": by,
            "spectrum": {
                "direction": d,
                "curve": [list(p) for p in curve],
                "rule": rule,
                "eccentricity": eccentricity,
            },
        }
        for d in "xy"
    ]


def _free(model: Model, name: str) -> str:
    """The name, with a number where cases of it are there already."""
    taken = {n for n in model.cases if n == name or n.startswith((f"{name} +", f"{name} -"))}
    k = 2
    while taken:
        following = f"{name} {k}"
        taken = {
            n for n in model.cases if n == following or n.startswith((f"{following} +", f"{following} -"))
        }
        k += 1
        if not taken:
            return following
    return name
