"""Load cases made from rules: patterns, notional loads, storey forces, spectra; what gives mass;
combinations."""

from __future__ import annotations

from typing import Any

import numpy as np
from PyQt6.QtWidgets import QWidget

from ...analysis.by_rule.rules import cases_by_rule
from ...analysis.dynamics.mass import mass_cases
from ...loads.lateral import (
    ASCE_CT,
    CV,
    EN_CT,
    GROUND_TYPE_1,
    AsceSpectrum,
    AsceVertical,
    DesignSpectrum,
    LateralError,
    vertical_en,
)
from ...loads.wind import EXPOSURE, TERRAIN
from ...model import Model
from ...model.edits import AddCases, CasesOfCombinations, Edit, SetCase
from ...model.geometry.directions import lies_at
from ...model.load_table import TableError, read_curve, read_storey_forces
from ...model.settings import Settings
from ...review.remedies import made_again_all
from ..forms.form import Field, Form
from ..pages.combine_page import CombinePage
from ..session.session import Session
from ..session.state import DeskState
from .load_commands import LoadDesk

WITHOUT, WITH = "left out", "with it"
FACTOR = "factor of "  # before a case's name as the name of a form's field
LUMPED, SPREAD = "in lumps at nodes", "spread as they move (consistent)"
STOREYS_HELP = (
    "Columns: storey, fx, fy (kN), mz (kNm). With an eccentricity two cases are made, off to either side."
)
STOREYS_EXAMPLE = "storey\tfx\tfy\nFirst floor\t85\t0\nRoof\t140\t0"


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
        made = cases_by_rule("patterns", {"case": case.name}, model)
        if not made:
            self.session.said.emit(
                f"{case.name} has no load on slabs of two spans or more, so it has no patterns"
            )
            return
        own = SetCase(case.name, case.name, case.kind, case.category, case.together or case.name)
        self.session.correct_all([own, AddCases(made)])

    def make_again(self) -> None:
        """Make all cases that were made by a rule again by it, where that gives others now."""
        model, review = self.model, self.state.review
        if model is None or review is None:
            return
        if not any(c.by_rule is not None for c in model.cases.values()):
            self.session.said.emit("No load case was made by a rule here")
            return

        def done(edits: list[Edit]) -> None:
            if edits:
                self.session.correct_all(edits)
            else:
                self.session.said.emit("Every rule gives the loads that there are")

        self.session.work_out("Loads by rule", lambda p: made_again_all(model, review.distribution, p), done)

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
        """Ask what the storey forces are, and how far off the centre of mass; then the page to paste them
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
        beside = self._beside()
        heights = {x.name: x.elevation for x in model.storeys}

        def page(v: dict[str, Any]) -> None:
            def make(text: str) -> list[Edit]:
                rows = [
                    {"storey": name, "elevation": heights[name], "force": [fx, fy], "moment": mz}
                    for name, (fx, fy, mz) in read_storey_forces(text, model).items()
                ]
                inputs = {
                    "name": v["name"],
                    "kind": v["kind"],
                    "e": v["e"],
                    "by": "storey table",
                    "angle": 0.0,
                }
                try:
                    cases = cases_by_rule(
                        "storey forces", inputs | beside | {"storeys": rows}, model, review.distribution
                    )
                except LateralError as error:
                    raise TableError(str(error)) from None
                return [AddCases(cases)]

            self._paste("Storey forces from a table", STOREYS_HELP, STOREYS_EXAMPLE, make)

        self.form = Form(self.window, "Storey forces", "At each storey's centre of mass", fields, page)
        self.form.open()

    def _beside(self) -> dict[str, Any]:
        """Return what of the settings goes into rules for storeys."""
        own = self.session.settings
        return {"mass": dict(own.modes.mass), "rigid": list(own.run.diaphragms)}

    def ask_notional(self) -> None:
        model, review = self.model, self.state.review
        if model is None or review is None:
            return
        names = [c.name for c in model.cases.values() if c.kind in ("self-weight", "dead", "live")]
        fields = [Field("share", "Share of the vertical load, 1 in", 200.0, low=5, high=10000, digits=0)]
        fields.append(_angle_field(model))
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
            inputs = {"share": 1 / v["share"], "factors": factors, "name": _free(model, "Notional")}
            inputs["angle"] = np.radians(v["angle"])
            return AddCases(cases_by_rule("notional loads", inputs, model, review.distribution, progress))

        self._ask_long("Notional horizontal loads", "Four cases, along both axes both ways", fields, make)

    def ask_lateral(self, code: str) -> None:
        """Equivalent lateral forces by EN 1998-1 or ASCE 7, along both axes, each with the eccentricity to
        either side."""
        model, review = self.model, self.state.review
        if model is None or review is None:
            return
        common = [
            Field("system", "Structural system", "other", list(EN_CT if code == "EN" else ASCE_CT)),
            Field("e", "Eccentricity, share of the extent", 0.05, low=0, high=0.5),
            _angle_field(model),
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
            inputs = v | self._beside()
            inputs |= {"code": code, "names": [_free(model, "Ex"), _free(model, "Ey")]}
            inputs["angle"] = np.radians(v["angle"])
            return AddCases(cases_by_rule("lateral forces", inputs, model, review.distribution, progress))

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
        common = [
            Field("level", "Level of the ground", base, unit="m"),
            Field("how", "Acts", ways[0], ways),
            _angle_field(model),
        ]
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
            inputs = {k: v[k] for k in ("v", "place", "factor", "level")} | self._beside()
            inputs |= {"code": code, "faces": v["how"] == ways[1], "name": _free(model, "Wind")}
            inputs["angle"] = np.radians(v["angle"])
            return AddCases(cases_by_rule("wind", inputs, model, review.distribution, progress))

        title = "Wind, " + ("EN 1991-1-4" if code == "EN" else "ASCE 7")
        text = "On the upright faces of the box that the model fills, along both axes both ways; roofs, sides and friction are left out."
        self._ask_long(title, text, fields, make)

    def ask_spectrum(self, code: str) -> None:
        """Cases of a response spectrum along x and y."""
        model = self.model
        if model is None:
            return
        rule = Field("rule", "Modes combined by", "CQC", ["CQC", "SRSS"])
        off = Field("off", "Eccentricity, either side", 5.0, unit="% of a storey's width", low=0, high=50)
        turned = _angle_field(model)
        if code == "EN":
            fields = [
                Field("ag", "ag", 1.0, unit="m/s²", low=0.01, high=20),
                Field("ground", "Ground type", "B", list(GROUND_TYPE_1)),
                Field("q", "Behaviour factor q", 1.5, low=1, high=10),
                Field("vertical", "Vertical component", WITHOUT, [WITHOUT, WITH]),
                rule,
                off,
                turned,
            ]
        else:
            fields = [
                Field("sds", "SDS", 0.5, unit="g", low=0.01, high=5), Field("sd1", "SD1", 0.3, unit="g", low=0.01, high=5),
                Field("r", "R", 3.0, low=1, high=12), Field("ie", "Ie", 1.0, low=0.5, high=2),
                Field("vertical", "Vertical component", WITHOUT, [WITHOUT, WITH]),
                Field("ss", "Ss, for it", 1.0, unit="g", low=0.01, high=5),
                Field("site", "Site class, for it", "D", list(CV)),
                rule, off, turned,
            ]  # fmt: skip

        def make(v: dict[str, Any]) -> Edit:
            if code == "EN":
                curve = DesignSpectrum(v["ag"], *GROUND_TYPE_1[v["ground"]], q=v["q"]).curve()
                by = f"EN 1998-1 3.2.2.5, ag {v['ag']:g} m/s², ground {v['ground']}, q {v['q']:g}"
            else:
                curve = AsceSpectrum(v["sds"], v["sd1"], v["r"], v["ie"]).curve()
                by = f"ASCE 7 11.4.6, SDS {v['sds']:g}, SD1 {v['sd1']:g}, R {v['r']:g}"
            made = _spectra(model, curve, v["rule"], by, v["off"] / 100, np.radians(v["angle"]))
            if v["vertical"] == WITH and code == "ASCE":
                upright = AsceVertical(v["sds"], v["ss"], v["site"])
                by = f"ASCE 7 11.9, SDS {v['sds']:g}, Ss {v['ss']:g}, site class {v['site']}, Cv {upright.cv:.3g}"
                made += _spectra(model, upright.curve(), v["rule"], by, 0.0, 0.0, "z")
            elif v["vertical"] == WITH:
                curve = vertical_en(v["ag"], v["q"]).curve()
                by = f"EN 1998-1 3.2.2.5(5), avg {0.9 * v['ag']:g} m/s², q {min(v['q'], 1.5):g}"
                made += _spectra(model, curve, v["rule"], by, 0.0, 0.0, "z")
            return AddCases(made)

        title = "Response spectrum, " + ("EN 1998-1" if code == "EN" else "ASCE 7")
        self._ask(
            title,
            "Cases along both axes, and upright where it is wanted; the next run computes them from the modes",
            fields,
            make,
        )

    def paste_spectrum(self) -> None:
        model = self.model
        if model is not None:
            self._paste(
                "Response spectrum from a table",
                "Columns: period (s), sa (m/s²). Two cases are made, along the building's axes, with an eccentricity of 5 % of each storey's width.",
                "period\tsa\n0\t1.2\n0.2\t3.0\n0.6\t3.0\n2.0\t0.9",
                lambda text: [
                    AddCases(_spectra(model, read_curve(text), "CQC", "pasted curve", 0.05, lies_at(model)))
                ],
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


def _angle_field(model: Model) -> Field:
    """By how much the axes of horizontal loads are turned from x and y, as the building itself is."""
    own = round(float(np.degrees(lies_at(model))), 4)
    return Field("angle", "Axes turned from x and y by", own, unit="°", low=-90, high=90)


def _spectra(
    model: Model,
    curve: list[tuple[float, float]],
    rule: str,
    by: str,
    eccentricity: float,
    angle: float,
    directions: str = "xy",
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
                "angle": angle,
            },
        }
        for d in directions
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
