"""Load cases made by a rule for a model that is another one now."""

from __future__ import annotations

from collections.abc import Iterator

from ...analysis.by_rule.rules import cases_again, rules_of, same_loads
from ...loads.lateral import LateralError
from ...model import Finding, LoadCase, Model
from ...model.edits import EditError
from ...model.edits.load_values import fill_case
from ...words import and_more
from ..registry import Subject, check, listed

AGAIN = "Make them again by their rule"


@check("case.outdated")
def find_outdated_cases(s: Subject) -> Iterator[Finding]:
    """Cases whose rule would give other loads for the model as it is now."""
    for rule, names in rules_of(s.model):
        cases = list(names.values())
        try:
            made = cases_again(rule, names, s.model, s.distribution)
            fresh = {str(c["rule"]["made"]): _filled(s.model, c) for c in made}
        except (LateralError, EditError) as error:
            text = f"{listed(cases[:4])} cannot be made again by the rule for {rule.kind}: {error}."
            yield Finding("case.outdated", "warning", text, tuple(cases), None, ("Accept, because…",))
            continue
        if set(fresh) == set(names) and all(
            same_loads(s.model.cases[now], fresh[by_rule]) for by_rule, now in names.items()
        ):
            continue
        more = and_more(cases, 4)
        many = len(cases) > 1
        text = (
            f"{', '.join(cases[:4])}{more} {'were' if many else 'was'} made by the rule for {rule.kind}, "
            f"which gives other loads for the model as it is now."
        )
        yield Finding("case.outdated", "warning", text, tuple(cases), None, (AGAIN, "Accept, because…"))


def _filled(model: Model, values: dict[str, object]) -> LoadCase:
    case = LoadCase(str(values["name"]))
    fill_case(model, case, values)
    return case
