"""Corrections and additions to load cases: made, named, typed, turned, deleted; which one holds self-weight;
combinations."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ..entities.loads import (
    Combination,
    LoadCase,
)
from ..entities.model import Model
from ..roles import Role
from .base import Edit, EditError, counted, named, there
from .load_values import LISTS, check_case, fill_case, load_values, own_case, put_load, scaled


@dataclass
class AddCases(Edit):
    """Make cases from plain values: name, kind, category, together, self_weight (true or false), loads, by,
    spectrum, and the rule they were made by."""

    words = "load cases"
    roles = {"cases": {"loads": Role.LOADS, "spectrum": Role.SPECTRUM, "rule": Role.RULE}}

    keeps_lines = True

    changes_loads = True

    cases: list[dict[str, Any]]

    def __post_init__(self) -> None:
        self.text = f"Make {counted(self.cases, 'load case')}"

    def change(self, model: Model) -> str:
        for values in self.cases:
            name = str(values.get("name", "")).strip()
            if not name:
                raise EditError("a load case needs a name")
            if name in model.cases:
                raise EditError(f"there is a load case {name!r} already")
            check_case(values.get("kind", ""), values.get("category", ""))
            case = LoadCase(
                name,
                values.get("kind", ""),
                category=values.get("category", ""),
                together=values.get("together", ""),
                by=values.get("by", "by hand"),
            )
            fill_case(model, case, values)
            model.cases[name] = case
        names = [str(v["name"]) for v in self.cases]
        return (
            f"{counted(self.cases, 'load case')} made: {', '.join(names[:5])}{' …' if len(names) > 5 else ''}"
        )

    def ids(self, model: Model) -> tuple[str, ...]:
        return ()


@dataclass
class MakeCasesAgain(Edit):
    """Replace what cases of a rule hold by what the rule gives now: `cases` as for `AddCases`, each with its
    rule. `names`: the cases there are, by the name that the rule gave them. What the rule gives no more is
    taken out with the combinations that need it, what it gives besides is added."""

    words = "load cases made again by their rule"
    roles = {"cases": {"loads": Role.LOADS, "rule": Role.RULE}, "names": Role.PLAIN}

    keeps_lines = True

    changes_loads = True

    cases: list[dict[str, Any]]
    names: dict[str, str]

    def __post_init__(self) -> None:
        self.text = f"Make {counted(self.cases, 'load case')} again"

    def change(self, model: Model) -> str:
        made: dict[str, dict[str, Any]] = {str(c["rule"]["made"]): c for c in self.cases}
        added, gone = [c for m, c in made.items() if m not in self.names], []
        for by_rule, name in self.names.items():
            case = own_case(model, name)
            if by_rule not in made:
                gone.append(name)
                continue
            for where, _ in LISTS.values():
                setattr(case, where, [])
            case.lost, case.by = [], made[by_rule].get("by", case.by)
            fill_case(model, case, made[by_rule])
        words = [f"{counted(list(self.names), 'load case')} made again"]
        if gone:
            words.append(DeleteCases(gone).change(model))
        if added:
            words.append(AddCases(added).change(model))
        return "; ".join(words)

    def ids(self, model: Model) -> tuple[str, ...]:
        return ()


@dataclass
class AddLoads(Edit):
    """Put loads (plain values) into a case."""

    words = "loads"
    roles = {"case": Role.CASE, "loads": Role.LOADS}

    keeps_lines = True

    changes_loads = True

    case: str
    loads: list[dict[str, Any]]

    def __post_init__(self) -> None:
        self.text = f"Put {counted(self.loads, 'load')} into {self.case}"

    def change(self, model: Model) -> str:
        case = own_case(model, self.case)
        case.by_rule = None
        for number, values in enumerate(self.loads, 1):
            try:
                put_load(model, case, values)
            except EditError as error:
                raise EditError(f"load {number}: {error}" if len(self.loads) > 1 else str(error)) from None
        return f"{counted(self.loads, 'load')} put into {self.case}"


@dataclass
class RemoveLoads(Edit):
    """Take loads out of a case: `which` are [kind, number from 0]."""

    words = "removed loads"
    roles = {"case": Role.CASE, "which": Role.PLAIN}

    changes_loads = True

    case: str
    which: list[list[Any]]

    def __post_init__(self) -> None:
        self.text = f"Take {counted(self.which, 'load')} out of {self.case}"

    def about(self, model: Model) -> dict[str, Any]:
        """The loads themselves: their numbers are others in a revision."""
        loads = [x for k, n in self.which if (x := _plain(model, self.case, str(k), int(n))) is not None]
        lines = {
            i: (model.line(model.members[i]) + model.origin).tolist() for i in named(loads, model.members)
        }
        return {"loads": loads, "lines": lines}

    def change(self, model: Model) -> str:
        case = own_case(model, self.case)
        case.by_rule = None
        for kind, number in sorted(((str(k), int(n)) for k, n in self.which), reverse=True):
            where = LISTS[kind][0]
            if not 0 <= number < len(getattr(case, where)):
                raise EditError(f"there is no {kind} load {number + 1} in {self.case}")
            del getattr(case, where)[number]
        return f"{counted(self.which, 'load')} taken out of {self.case}"


def _plain(model: Model, case: str, kind: str, number: int) -> dict[str, Any] | None:
    """A load of a case as plain values; None for one that is not there."""
    own = model.cases.get(case)
    loads = getattr(own, LISTS[kind][0], []) if own is not None and kind in LISTS else []
    return load_values(loads[number]) if 0 <= number < len(loads) else None


@dataclass
class SetCase(Edit):
    """Give a case another name, kind, category, or a name for those it never acts together with."""

    words = "a changed load case"
    roles = {
        "name": Role.CASE,
        "new_name": Role.PLAIN,
        "kind": Role.PLAIN,
        "category": Role.PLAIN,
        "together": Role.PLAIN,
    }

    changes_loads = True

    name: str
    new_name: str
    kind: str = ""
    category: str = ""
    together: str = ""

    def __post_init__(self) -> None:
        self.text = f"Change load case {self.name}"

    def change(self, model: Model) -> str:
        check_case(self.kind, self.category)
        new = self.new_name.strip()
        if not new:
            raise EditError("a load case needs a name")
        if new != self.name and new in model.cases:
            raise EditError(f"there is a load case {new!r} already")
        case = own_case(model, self.name)
        case.name, case.kind, case.category, case.together = new, self.kind, self.category, self.together
        model.cases = {(new if n == self.name else n): c for n, c in model.cases.items()}
        model.combinations = [renamed(c, self.name, new) for c in model.combinations]
        return f"load case {self.name}: {new}, {self.kind or 'no kind'} {self.category}".strip()


def renamed(c: Combination, old: str, new: str) -> Combination:
    """A combination with a case under another name."""
    if old == new or old not in c.factors:
        return c
    factors = {(new if k == old else k): v for k, v in c.factors.items()}
    return Combination(c.name, c.kind, factors, c.rule, [new if r == old else r for r in c.roots])


@dataclass
class DeleteCases(Edit):
    """Take cases out, and the combinations that need them."""

    words = "deleted load cases"
    roles = {"names": Role.CASES}

    changes_loads = True

    names: list[str]

    def __post_init__(self) -> None:
        self.text = f"Delete {counted(self.names, 'load case')}"

    def change(self, model: Model) -> str:
        for name in self.names:
            if name not in model.cases:
                raise EditError(f"there is no load case {name!r}")
            del model.cases[name]
        gone = [c for c in model.combinations if set(c.factors) & set(self.names)]
        model.combinations = [c for c in model.combinations if not set(c.factors) & set(self.names)]
        also = f", and {counted(gone, 'combination')} with them" if gone else ""
        return f"{', '.join(self.names)} taken out{also}"


@dataclass
class ScaleCase(Edit):
    """Multiply everything in a case: -1 turns its sign, 1/1.5 takes a partial factor off."""

    words = "a load case times a factor"
    roles = {"name": Role.CASE, "factor": Role.PLAIN}

    changes_loads = True

    name: str
    factor: float

    def __post_init__(self) -> None:
        self.text = (
            f"Turn the sign of {self.name}"
            if self.factor == -1
            else f"Multiply {self.name} by {self.factor:g}"
        )

    def change(self, model: Model) -> str:
        if not 0 < abs(self.factor) < 1e6:
            raise EditError(f"{self.factor:g} is no factor for a load case")
        f = self.factor
        model.cases[self.name] = scaled(own_case(model, self.name), f)
        return f"load case {self.name} multiplied by {f:g}"


@dataclass
class HoldSelfWeight(Edit):
    """Have one case hold self-weight, once and downwards, and no other."""

    words = "self-weight kept out of a case"
    roles = {"name": Role.CASE}

    name: str

    def __post_init__(self) -> None:
        self.text = f"Self-weight in {self.name}"

    def change(self, model: Model) -> str:
        for name in list(model.cases):
            if name == self.name or any(model.cases[name].self_weight):
                own_case(model, name).self_weight = (0.0, 0.0, -1.0) if name == self.name else (0.0, 0.0, 0.0)
        if self.name not in model.cases:
            raise EditError(f"there is no load case {self.name!r}")
        return f"self-weight is in {self.name} and in no other case"


@dataclass
class TellLoad(Edit):
    """Say which part takes a load that was placed in space ("": let it find one)."""

    words = "what a load is said to be"
    roles = {"case": Role.CASE, "number": Role.PLAIN, "to": Role.PART}

    case: str
    number: int
    to: str

    def __post_init__(self) -> None:
        self.text = f"Say what takes a load of {self.case}"

    def about(self, model: Model) -> dict[str, Any]:
        """The load itself, taken by nobody in particular: its number is another one in a revision."""
        found = _plain(model, self.case, "space", self.number)
        return {} if found is None else {"loads": [found]}

    def change(self, model: Model) -> str:
        if self.to and model.part(self.to) is None:
            raise EditError(f"there is no member or surface {self.to!r}")
        case = own_case(model, self.case)
        if not 0 <= self.number < len(case.space_loads):
            raise EditError(f"there is no load {self.number + 1} placed in space in {self.case}")
        case.space_loads[self.number].to = self.to
        return f"load {self.number + 1} of {self.case} goes to {self.to or 'what it meets'}"


@dataclass
class SetCombinations(Edit):
    """Replace the combinations: plain values name, kind, factors, rule, roots."""

    words = "combinations"
    roles = {"combinations": Role.PLAIN, "rule_set": Role.PLAIN}

    combinations: list[dict[str, Any]]
    rule_set: str = field(default="")

    def __post_init__(self) -> None:
        self.text = f"Make {counted(self.combinations, 'combination')}"

    def change(self, model: Model) -> str:
        made = []
        for c in self.combinations:
            missing = [n for n in c["factors"] if n not in model.cases]
            if missing:
                raise EditError(f"combination {c['name']} needs load case {missing[0]!r}, which is not there")
            made.append(
                Combination(
                    c["name"], c["kind"], dict(c["factors"]), c.get("rule", ""), list(c.get("roots", ()))
                )
            )
        model.combinations = made
        return f"{counted(made, 'combination')}{' by ' + self.rule_set if self.rule_set else ''}"


@dataclass
class SetSpan(Edit):
    """Have slabs carry as shells in a run, or hand their loads on by yield lines ("two-way") or one way,
    along `span` (None: each panel's shorter way)."""

    words = "how slabs hand on their load"
    roles = {"surfaces": Role.PARTS, "way": Role.PLAIN, "span": Role.DIRECTION}

    surfaces: list[str]
    way: str = "two-way"
    span: list[float] | None = None

    def __post_init__(self) -> None:
        self.text = f"{counted(self.surfaces, 'slab')} {self.way}"

    def change(self, model: Model) -> str:
        if self.way not in ("shell", "one-way", "two-way", "column"):
            raise EditError(f"{self.way!r} is neither shell, one-way, two-way nor column")
        for ident in self.surfaces:
            surface = there(model.surfaces, ident)
            if self.way == "column" and not surface.upright:
                raise EditError(f"{surface.name or ident} is no wall, so it cannot stand for a column")
        if self.span is not None and not np.linalg.norm(self.span) > 1e-9:
            raise EditError("a span needs a direction")
        for ident in self.surfaces:
            s = self.surface(model, ident)
            s.way = self.way
            s.span = None if self.span is None else (self.span[0], self.span[1], self.span[2])
        return f"{counted(self.surfaces, 'slab')} carries {self.way}"


@dataclass
class CasesOfCombinations(Edit):
    """Make a load case of each of these combinations (name, factors by case), with all loads of its cases
    times their factors: for runs whose cases cannot be added up. A case of that name made so before is
    replaced."""

    words = "cases of combinations"
    roles = {"combinations": Role.PLAIN}

    changes_loads = True

    combinations: list[dict[str, Any]]

    def __post_init__(self) -> None:
        self.text = f"Make {counted(self.combinations, 'case')} of combinations"

    def change(self, model: Model) -> str:
        for values in self.combinations:
            name = str(values["name"])
            if name in model.cases and not model.cases[name].is_combination:
                raise EditError(f"there is a load case {name!r} already")
            made = LoadCase(name, by=f"combination {name}")
            for case_name, factor in values["factors"].items():
                if case_name not in model.cases:
                    raise EditError(f"there is no load case {case_name!r}, which {name} needs")
                case = scaled(model.cases[case_name], float(factor))
                if case.spectrum is not None:
                    raise EditError(
                        f"{name} holds the response to a spectrum, which has no sign: no case can be made of it"
                    )
                a, b = made.self_weight, case.self_weight
                made.self_weight = (a[0] + b[0], a[1] + b[1], a[2] + b[2])
                for where, _ in LISTS.values():
                    getattr(made, where).extend(getattr(case, where))
                made.lost = [*made.lost, *case.lost]
            model.cases[name] = made
        return f"{counted(self.combinations, 'case')} made of combinations"

    def ids(self, model: Model) -> tuple[str, ...]:
        return ()
