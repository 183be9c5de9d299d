"""Commands on load cases and loads: what they ask for, and the edits they make, all with undo."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QWidget

from ...model import LoadCase
from ...model.edits import (
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
from ...model.entities.loads import CATEGORIES, KINDS
from ...model.load_table import read_cases, read_loads
from ..forms.asking import Asking
from ..forms.form import Field, Form
from ..forms.paste import PastePage
from ..session.session import Session
from ..session.state import DeskState

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
LOADS_EXAMPLE = (
    "case\tkind\ton\ta\tb\tfz\nLive\tmember\tB12\t0\t6.0\t-4.5\nLive\tsurface\tLoft floor\t\t\t-3.0"
)
CASES_HELP = (
    f"Columns: case, kind ({', '.join(KINDS)}), category (A to H), together, self-weight (yes or no)."
)
CASES_EXAMPLE = "case\tkind\tcategory\tself-weight\nDead\tdead\t\tyes\nOffices\tlive\tB\t"


class LoadDesk(Asking):
    """Asks, and hands the edit to the session, which makes it with undo."""

    def __init__(self, window: QWidget, session: Session, state: DeskState) -> None:
        super().__init__(window, session, state)
        self.page: PastePage | None = None

    @property
    def case(self) -> LoadCase | None:
        """The case that is shown."""
        return self.model.cases.get(self.state.case) if self.model is not None else None

    def _ask_long(self, title: str, text: str, fields: list[Field], make: Any) -> None:
        """As `_ask`, where `make` takes long: it works in the background, with progress."""

        def done(values: dict[str, Any]) -> None:
            self.session.work_out(title, lambda progress: make(values, progress))

        self.form = Form(self.window, title, text, fields, done)
        self.form.open()

    def _take(self, edits: list[Edit]) -> None:
        self.session.correct_all(edits)

    # -- cases -----------------------------------------------------------------------------------------------

    def _case_fields(self, case: LoadCase | None) -> list[Field]:
        names = ["", *KINDS]
        together = sorted({c.together for c in self.model.cases.values() if c.together}) if self.model else []
        return [
            Field("name", "Name", case.name if case else "", [case.name if case else ""], True),
            Field("kind", "Kind", case.kind if case else "live", names),
            Field(
                "category", "Category of an imposed load", case.category if case else "", ["", *CATEGORIES]
            ),
            Field(
                "together",
                "Never together with others of",
                case.together if case else "",
                ["", *together],
                True,
            ),
        ]

    def ask_weight(self) -> None:
        model = self.model
        if model is not None:
            names = list(model.cases)
            self._ask(
                "Self-weight",
                "Which case holds it, once",
                [Field("case", "Case", self.state.case, names)],
                lambda v: HoldSelfWeight(v["case"]),
            )

    def ask_new(self) -> None:
        self._ask(
            "New load case",
            "A case without loads; put them in by selection or from a table.",
            self._case_fields(None),
            lambda v: AddCases([v]),
        )

    def ask_change(self) -> None:
        case = self.case
        if case is not None:
            self._ask(
                f"Load case {case.name}",
                "Cases of one name in the last line are alternatives: patterns, directions.",
                self._case_fields(case),
                lambda v: SetCase(case.name, v["name"], v["kind"], v["category"], v["together"]),
            )

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
                f"Multiply {case.name}",
                "1/1.5 = 0.6667 takes a partial factor of 1.5 off.",
                [Field("factor", "Factor", 1.0, low=-1000, high=1000, digits=4)],
                lambda v: ScaleCase(case.name, v["factor"]),
            )

    def hold_weight(self) -> None:
        if self.case is not None:
            self.session.correct(HoldSelfWeight(self.case.name))

    # -- loads -----------------------------------------------------------------------------------------------

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
                    {
                        "on": "member",
                        "member": i,
                        "a": 0.0,
                        "b": model.length(model.members[i]),
                        "qa": q,
                        "qb": q,
                    }
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
            "Temperature",
            f"Of {len(members)} selected members",
            [
                Field("case", "Case", self.state.case, list(model.cases)),
                Field("uniform", "Warmer by", 20.0, unit="K", low=-500, high=1500),
                Field("grad_z", "and more towards local z by", 0.0, unit="K/m", low=-1e4, high=1e4),
                Field("grad_y", "and more towards local y by", 0.0, unit="K/m", low=-1e4, high=1e4),
            ],
            lambda v: AddLoads(
                v["case"],
                [
                    {"on": "temperature", "member": i} | {k: v[k] for k in ("uniform", "grad_y", "grad_z")}
                    for i in members
                ],
            ),
        )

    def ask_settlement(self) -> None:
        model, nodes = self.model, self.state.chosen("node")
        if model is None or not nodes or not model.cases:
            return
        self._ask(
            "Settlement",
            f"Of {len(nodes)} selected supports",
            [
                Field("case", "Case", self.state.case, list(model.cases)),
                *(
                    Field(k, f"Along {k}", -10.0 if k == "z" else 0.0, unit="mm", low=-1e4, high=1e4)
                    for k in "xyz"
                ),
            ],
            lambda v: AddLoads(
                v["case"],
                [
                    {
                        "on": "settlement",
                        "node": n,
                        "movement": [*(v[k] / 1000 for k in "xyz"), 0.0, 0.0, 0.0],
                    }
                    for n in nodes
                ],
            ),
        )

    def remove_loads(self) -> None:
        """Take every load of the shown case on what is selected out of it."""
        case = self.case
        if case is None:
            return
        picked = {i for k in ("node", "member", "surface") for i in self.state.chosen(k)}
        which: list[list[Any]] = []
        for kind, loads, name in (
            ("node", case.node_loads, "node"),
            ("member", case.member_loads, "member"),
            ("area", case.area_loads, "surface"),
            ("temperature", case.temperatures, "member"),
            ("settlement", case.settlements, "node"),
        ):
            which += [[kind, k] for k, x in enumerate(loads) if getattr(x, name) in picked]
        if which:
            self.session.correct(RemoveLoads(case.name, which))
        else:
            self.session.said.emit(f"{case.name} has no load on what is selected")

    def ask_span(self) -> None:
        slabs = self.state.chosen("surface")
        if not slabs:
            return
        ways = [
            "two-way",
            "one-way, the shorter way",
            "one-way, along x",
            "one-way, along y",
            "as a shell in the run",
        ]

        def make(v: dict[str, Any]) -> Edit:
            span = (
                {"x": [1.0, 0.0, 0.0], "y": [0.0, 1.0, 0.0]}.get(v["way"][-1])
                if "along" in v["way"]
                else None
            )
            way = "shell" if "shell" in v["way"] else "two-way" if v["way"] == "two-way" else "one-way"
            return SetSpan(slabs, way, span)

        self._ask(
            "Span",
            f"How {len(slabs)} selected slabs hand their loads on",
            [Field("way", "Carries", ways[0], ways)],
            make,
        )

    # -- tables ----------------------------------------------------------------------------------------------

    def _paste(self, title: str, help_: str, example: str, make: Any) -> None:
        self.page = PastePage(self.window, title, help_, example, make, self._take)
        self.page.show()

    def paste_cases(self) -> None:
        self._paste(
            "Load cases from a table", CASES_HELP, CASES_EXAMPLE, lambda text: [AddCases(read_cases(text))]
        )

    def paste_loads(self) -> None:
        model = self.model
        if model is not None:
            self._paste(
                "Loads from a table",
                LOADS_HELP,
                LOADS_EXAMPLE,
                lambda text: [AddLoads(case, loads) for case, loads in read_loads(text, model).items()],
            )
