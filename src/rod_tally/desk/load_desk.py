"""Commands on load cases and loads: what they ask for, and the edits they make, all with undo."""

from __future__ import annotations

from typing import Any

import numpy as np
from PyQt6.QtWidgets import QWidget

from ..analysis.lateral import LateralError, levels, notional_cases, storey_cases
from ..analysis.modes import mass_cases
from ..loads.lateral import (
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
from ..loads.patterns import patterns
from ..model import LoadCase, Model
from ..model.edits import (
    AddCases,
    AddLoads,
    DeleteCases,
    Edit,
    HoldSelfWeight,
    RemoveLoads,
    ScaleCase,
    SetCase,
    SetSpan,
)
from ..model.load_table import TableError, read_cases, read_curve, read_loads, read_storey_forces
from ..model.loads import CATEGORIES, KINDS
from .combine_page import CombinePage
from .forms import Field, Form
from .paste import PastePage
from .session import Session
from .state import DeskState

DIRECTIONS = {
    "down": (0, 0, -1.0),
    "up": (0, 0, 1.0),
    "+x": (1.0, 0, 0),
    "-x": (-1.0, 0, 0),
    "+y": (0, 1.0, 0),
    "-y": (0, -1.0, 0),
}
LOADS_HELP = (
    "The first row names the columns, in any order: case, kind (node, member, surface, area, cladding, line, point, "
    "temperature, settlement), on (id or name), a, b (m), fx, fy, fz, fx2 …, mx …, axes, projected, outline (x y z; x y z), "
    "uniform, grad y, grad z, span. Forces are in kN unless a title says otherwise: fz [N]."
)
LOADS_EXAMPLE = "case\tkind\ton\ta\tb\tfz\nLive\tmember\tB12\t0\t6.0\t-4.5\nLive\tsurface\tLoft floor\t\t\t-3.0"
CASES_HELP = f"Columns: case, kind ({', '.join(KINDS)}), category (A to H), together, self-weight (yes or no)."
CASES_EXAMPLE = "case\tkind\tcategory\tself-weight\nDead\tdead\t\tyes\nOffices\tlive\tB\t"
STOREYS_HELP = "Columns: storey, fx, fy (kN), mz (kNm). One case is made, or two with the eccentricity to either side."
STOREYS_EXAMPLE = "storey\tfx\tfy\nLevel 1\t120\t0\nLevel 2\t240\t0"


class LoadDesk:
    """Asks, and hands the edit to the session, which makes it with undo."""

    def __init__(self, window: QWidget, session: Session, state: DeskState) -> None:
        self.window, self.session, self.state = window, session, state
        self.form: Form | None = None
        self.page: PastePage | None = None
        self.combine_page: CombinePage | None = None

    @property
    def model(self) -> Model | None:
        return self.state.review.model if self.state.review else None

    @property
    def case(self) -> LoadCase | None:
        """The case that is shown."""
        return self.model.cases.get(self.state.case) if self.model is not None else None

    def _ask(self, title: str, text: str, fields: list[Field], make: Any, long: bool = False) -> None:
        """A form whose values `make` turns into an edit: in the background when that may take `long`."""

        def done(values: dict[str, Any]) -> None:
            if long:
                self.session.work_out(title, lambda progress: make(values, progress))
                return
            edit = make(values)
            if edit is not None:
                self.session.correct(edit)

        self.form = Form(self.window, title, text, fields, done)
        self.form.open()

    def _take(self, edits: list[Edit]) -> None:
        self.session.correct_all(edits)

    # -- cases -------------------------------------------------------------------------------------------------------

    def _case_fields(self, case: LoadCase | None) -> list[Field]:
        names = ["", *KINDS]
        together = sorted({c.together for c in self.model.cases.values() if c.together}) if self.model else []
        return [
            Field("name", "Name", case.name if case else "", [case.name if case else ""], True),
            Field("kind", "Kind", case.kind if case else "live", names),
            Field("category", "Category of an imposed load", case.category if case else "", ["", *CATEGORIES]),
            Field("together", "Never together with others of", case.together if case else "", ["", *together], True),
        ]

    def ask_weight(self) -> None:
        model = self.model
        if model is not None:
            names = list(model.cases)
            self._ask("Self-weight", "Which case holds it, once", [Field("case", "Case", self.state.case, names)],
                      lambda v: HoldSelfWeight(v["case"]))  # fmt: skip

    def ask_new(self) -> None:
        self._ask(
            "New load case", "A case without loads; put them in by selection or from a table.", self._case_fields(None),
            lambda v: AddCases([v]),
        )  # fmt: skip

    def ask_change(self) -> None:
        case = self.case
        if case is not None:
            self._ask(
                f"Load case {case.name}", "Cases of one name in the last line are alternatives: patterns, directions.",
                self._case_fields(case),
                lambda v: SetCase(case.name, v["name"], v["kind"], v["category"], v["together"]),
            )  # fmt: skip

    def delete(self) -> None:
        if self.case is not None:
            self.session.correct(DeleteCases([self.case.name]))

    def turn(self) -> None:
        if self.case is not None:
            self.session.correct(ScaleCase(self.case.name, -1.0))

    def ask_scale(self) -> None:
        case = self.case
        if case is not None:
            self._ask(
                f"Multiply {case.name}", "1/1.5 = 0.6667 takes a partial factor of 1.5 off.",
                [Field("factor", "Factor", 1.0, low=-1000, high=1000, digits=4)],
                lambda v: ScaleCase(case.name, v["factor"]),
            )  # fmt: skip

    def hold_weight(self) -> None:
        if self.case is not None:
            self.session.correct(HoldSelfWeight(self.case.name))

    # -- loads -------------------------------------------------------------------------------------------------------

    def ask_load(self) -> None:
        """A load on what is selected: nodes, members, surfaces."""
        model = self.model
        if model is None or not model.cases:
            return
        nodes, members, surfaces = (self.state.chosen(k) for k in ("node", "member", "surface"))
        units = {"node": "kN", "member": "kN/m", "surface": "kN/m²"}
        kind = "surface" if surfaces else "member" if members else "node"
        count = len(surfaces or members or nodes)
        if not count:
            self.session.said.emit("Select nodes, members or slabs first")
            return
        fields = [
            Field("case", "Case", self.state.case, list(model.cases)),
            Field("size", "Value", 1.0, unit=units[kind], low=-1e6, high=1e6),
            Field("way", "Direction", "down", list(DIRECTIONS)),
        ]
        if kind != "node":
            fields.append(Field("axes", "Axes", "global", ["global", "global, projected", "local"]))

        def make(v: dict[str, Any]) -> Edit:
            q = [v["size"] * 1e3 * d for d in DIRECTIONS[v["way"]]]
            plain = {"local": v.get("axes") == "local", "projected": v.get("axes") == "global, projected"}
            loads: list[dict[str, Any]]
            if kind == "node":
                loads = [{"on": "node", "node": n, "force": q} for n in nodes]
            elif kind == "member":
                loads = [
                    {"on": "member", "member": i, "a": 0.0, "b": model.length(model.members[i]), "qa": q, "qb": q}
                    | plain
                    for i in members
                ]
            else:
                loads = [{"on": "area", "surface": i, "values": [q]} | plain for i in surfaces]
            return AddLoads(v["case"], loads)

        self._ask("Load", f"On {count} selected {kind}{'s' if count > 1 else ''}", fields, make)

    def ask_temperature(self) -> None:
        model, members = self.model, self.state.chosen("member")
        if model is None or not members or not model.cases:
            return
        self._ask(
            "Temperature", f"Of {len(members)} selected members",
            [
                Field("case", "Case", self.state.case, list(model.cases)),
                Field("uniform", "Warmer by", 20.0, unit="K", low=-500, high=1500),
                Field("grad_z", "and more towards local z by", 0.0, unit="K/m", low=-1e4, high=1e4),
                Field("grad_y", "and more towards local y by", 0.0, unit="K/m", low=-1e4, high=1e4),
            ],
            lambda v: AddLoads(
                v["case"],
                [{"on": "temperature", "member": i} | {k: v[k] for k in ("uniform", "grad_y", "grad_z")} for i in members],
            ),
        )  # fmt: skip

    def ask_settlement(self) -> None:
        model, nodes = self.model, self.state.chosen("node")
        if model is None or not nodes or not model.cases:
            return
        self._ask(
            "Settlement", f"Of {len(nodes)} selected supports",
            [
                Field("case", "Case", self.state.case, list(model.cases)),
                *(Field(k, f"Along {k}", -10.0 if k == "z" else 0.0, unit="mm", low=-1e4, high=1e4) for k in "xyz"),
            ],
            lambda v: AddLoads(
                v["case"],
                [{"on": "settlement", "node": n, "movement": [*(v[k] / 1000 for k in "xyz"), 0.0, 0.0, 0.0]} for n in nodes],
            ),
        )  # fmt: skip

    def remove_loads(self) -> None:
        """Take every load of the shown case on what is selected out of it."""
        case = self.case
        if case is None:
            return
        picked = {i for k in ("node", "member", "surface") for i in self.state.chosen(k)}
        which: list[list[Any]] = []
        for kind, loads, name in (
            ("node", case.node_loads, "node"), ("member", case.member_loads, "member"), ("area", case.area_loads, "surface"),
            ("temperature", case.temperatures, "member"), ("settlement", case.settlements, "node"),
        ):  # fmt: skip
            which += [[kind, k] for k, x in enumerate(loads) if getattr(x, name) in picked]
        if which:
            self.session.correct(RemoveLoads(case.name, which))
        else:
            self.session.said.emit(f"{case.name} has no load on what is selected")

    def ask_span(self) -> None:
        slabs = self.state.chosen("surface")
        if not slabs:
            return
        ways = ["two-way", "one-way, the shorter way", "one-way, along x", "one-way, along y"]

        def make(v: dict[str, Any]) -> Edit:
            span = {"x": [1.0, 0.0, 0.0], "y": [0.0, 1.0, 0.0]}.get(v["way"][-1]) if "along" in v["way"] else None
            return SetSpan(slabs, "two-way" if v["way"] == "two-way" else "one-way", span)

        self._ask(
            "Span",
            f"How {len(slabs)} selected slabs hand their loads on",
            [Field("way", "Carries", ways[0], ways)],
            make,
        )

    # -- tables ------------------------------------------------------------------------------------------------------

    def _paste(self, title: str, help_: str, example: str, make: Any) -> None:
        self.page = PastePage(self.window, title, help_, example, make, self._take)
        self.page.show()

    def paste_cases(self) -> None:
        self._paste("Load cases from a table", CASES_HELP, CASES_EXAMPLE, lambda text: [AddCases(read_cases(text))])

    def paste_loads(self) -> None:
        model = self.model
        if model is not None:
            self._paste(
                "Loads from a table", LOADS_HELP, LOADS_EXAMPLE,
                lambda text: [AddLoads(case, loads) for case, loads in read_loads(text, model).items()],
            )  # fmt: skip

    def paste_storeys(self) -> None:
        model, review = self.model, self.state.review
        if model is None or review is None:
            return
        mass = mass_cases(model, self.session.settings.modes.mass)

        def make(text: str) -> list[Edit]:
            forces = read_storey_forces(text, model)
            try:
                found = levels(model, mass, review.distribution)
                direction = (
                    "x" if sum(abs(f[0]) for f in forces.values()) >= sum(abs(f[1]) for f in forces.values()) else "y"
                )
                name = _free(model, f"Storey forces {direction}")
                return [AddCases(storey_cases(name, "wind", found, forces, 0.0, "storey table"))]
            except LateralError as error:
                raise TableError(str(error)) from None

        self._paste("Storey forces from a table", STOREYS_HELP, STOREYS_EXAMPLE, make)

    # -- made from rules ---------------------------------------------------------------------------------------------

    def make_patterns(self) -> None:
        """Patterns of the shown imposed case."""
        model, case = self.model, self.case
        if model is None or case is None:
            return
        made = patterns(model, case)
        if not made:
            self.session.said.emit(f"{case.name} has no load on slabs of two spans or more, so it has no patterns")
            return
        own = SetCase(case.name, case.name, case.kind, case.category, case.together or case.name)
        self.session.correct_all([own, AddCases(made)])

    def ask_notional(self) -> None:
        model, review = self.model, self.state.review
        if model is None or review is None:
            return
        names = [c.name for c in model.cases.values() if c.kind in ("self-weight", "dead", "live")]
        fields = [Field("share", "Share of the vertical load, 1 in", 200.0, low=5, high=10000, digits=0)]
        fields += [Field(n, f"Factor of {n}", 1.0, low=0, high=10, digits=2) for n in names[:8]]

        def make(v: dict[str, Any], progress: Any) -> Edit:
            factors = {n: v[n] for n in names[:8] if v[n] > 0}
            made = notional_cases(
                model, 1 / v["share"], factors, review.distribution, _free(model, "Notional"), progress
            )
            return AddCases(made)

        self._ask("Notional horizontal loads", "Four cases, along x and y both ways", fields, make, True)

    def ask_lateral(self, code: str) -> None:
        """Equivalent lateral forces by EN 1998-1 or ASCE 7, along x and y, each with the eccentricity to either side."""
        model, review = self.model, self.state.review
        if model is None or review is None:
            return
        common = [
            Field("system", "Structural system", "other", list(EN_CT if code == "EN" else ASCE_CT)),
            Field("e", "Eccentricity, share of the extent", 0.05, low=0, high=0.5),
        ]
        if code == "EN":
            fields = [
                Field("ag", "ag", 1.0, unit="m/s²", low=0.01, high=20), Field("ground", "Ground type", "B", list(GROUND_TYPE_1)),
                Field("q", "Behaviour factor q", 1.5, low=1, high=10), *common,
            ]  # fmt: skip
        else:
            fields = [
                Field("sds", "SDS", 0.5, unit="g", low=0.01, high=5), Field("sd1", "SD1", 0.3, unit="g", low=0.01, high=5),
                Field("r", "R", 3.0, low=1, high=12), Field("ie", "Ie", 1.0, low=0.5, high=2), *common,
            ]  # fmt: skip

        def make(v: dict[str, Any], progress: Any) -> Edit:
            progress("Mass of the storeys", 0.2)
            found = levels(model, mass_cases(model, self.session.settings.modes.mass), review.distribution)
            carried = [x for x in found if x.height > 0 and x.nodes]
            mass, height = np.array([x.mass for x in carried]), np.array([x.height for x in carried])
            if not len(carried):
                raise LateralError("no storey above the base has nodes at its level")
            if code == "EN":
                period = period_en(float(height.max()), v["system"])
                spectrum = DesignSpectrum(v["ag"], *GROUND_TYPE_1[v["ground"]], q=v["q"])
                shear = base_shear_en(spectrum, period, float(mass.sum()), len(carried))
                share = share_en(mass, height)
            else:
                period = period_asce(float(height.max()), v["system"])
                shear = base_shear_asce(v["sds"], v["sd1"], v["r"], v["ie"], period, float(mass.sum()) * 9.80665)
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
        masses = ", ".join(f"{f:g} {n}" for n, f in mass_cases(model, self.session.settings.modes.mass).items())
        self._ask(title, f"Mass from {masses}; at each storey's centre of mass", fields, make, True)

    def ask_spectrum(self, code: str) -> None:
        """Cases of a response spectrum along x and y."""
        model = self.model
        if model is None:
            return
        rule = Field("rule", "Modes combined by", "CQC", ["CQC", "SRSS"])
        if code == "EN":
            fields = [
                Field("ag", "ag", 1.0, unit="m/s²", low=0.01, high=20), Field("ground", "Ground type", "B", list(GROUND_TYPE_1)),
                Field("q", "Behaviour factor q", 1.5, low=1, high=10), rule,
            ]  # fmt: skip
        else:
            fields = [
                Field("sds", "SDS", 0.5, unit="g", low=0.01, high=5), Field("sd1", "SD1", 0.3, unit="g", low=0.01, high=5),
                Field("r", "R", 3.0, low=1, high=12), Field("ie", "Ie", 1.0, low=0.5, high=2), rule,
            ]  # fmt: skip

        def make(v: dict[str, Any]) -> Edit:
            if code == "EN":
                curve = DesignSpectrum(v["ag"], *GROUND_TYPE_1[v["ground"]], q=v["q"]).curve()
                by = f"EN 1998-1 3.2.2.5, ag {v['ag']:g} m/s², ground {v['ground']}, q {v['q']:g}"
            else:
                curve = AsceSpectrum(v["sds"], v["sd1"], v["r"], v["ie"]).curve()
                by = f"ASCE 7 11.4.6, SDS {v['sds']:g}, SD1 {v['sd1']:g}, R {v['r']:g}"
            return AddCases(_spectra(model, curve, v["rule"], by))

        title = "Response spectrum, " + ("EN 1998-1" if code == "EN" else "ASCE 7")
        self._ask(title, "Two cases, along x and y; the next run computes them from the modes", fields, make)

    def paste_spectrum(self) -> None:
        model = self.model
        if model is not None:
            self._paste(
                "Response spectrum from a table", "Columns: period (s), sa (m/s²). Two cases are made, along x and y.",
                "period\tsa\n0\t1.2\n0.2\t3.0\n0.6\t3.0\n2.0\t0.9",
                lambda text: [AddCases(_spectra(model, read_curve(text), "CQC", "pasted curve"))],
            )  # fmt: skip

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
        fields = [Field(n, n, now.get(n, 0.0), low=0, high=10, digits=2) for n in names[:12]]
        fields.append(Field("*", "How many modes", float(self.session.settings.modes.count), low=0, high=500, digits=0))

        def make(v: dict[str, Any]) -> None:
            self.session.settings.modes.count = int(v.pop("*"))
            self.session.settings.modes.mass = {n: f for n, f in v.items() if f > 0}
            self.session.said.emit("Kept; it counts from the next run (F5)")

        self._ask("Mass and modes", "Factors of the cases whose downward loads are mass", fields, make)

    def combine(self) -> None:
        if self.combine_page is None:
            self.combine_page = CombinePage(self.window, self.session, self.state)
        self.combine_page.fill()
        self.combine_page.show()
        self.combine_page.raise_()


def _spectra(model: Model, curve: list[tuple[float, float]], rule: str, by: str) -> list[dict[str, Any]]:
    return [
        {"name": _free(model, f"Spectrum {d}"), "kind": "seismic", "by": by,
         "spectrum": {"direction": d, "curve": [list(p) for p in curve], "rule": rule}}
        for d in "xy"
    ]  # fmt: skip


def _free(model: Model, name: str) -> str:
    """The name, with a number where cases of it are there already."""
    taken = {n for n in model.cases if n == name or n.startswith((f"{name} +", f"{name} -"))}
    k = 2
    while taken:
        following = f"{name} {k}"
        taken = {n for n in model.cases if n == following or n.startswith((f"{following} +", f"{following} -"))}
        k += 1
        if not taken:
            return following
    return name
