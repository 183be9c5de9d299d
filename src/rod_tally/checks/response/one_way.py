"""One-way parts in a run: those that are slack, cases that nothing holds then, and that cases cannot be added
up."""

from __future__ import annotations

from collections.abc import Iterator

from ...model import Finding
from ...words import and_more
from ..registry import Subject, check

NAMED = 5  # parts, and cases, that a message names


@check("run.one_way", "run.limit", "run.unsettled", "run.superposition")
def find_slack(s: Subject) -> Iterator[Finding]:
    """Find what is slack in the results of a run in which one-way parts act in one way."""
    r = s.results
    if r is None:
        return
    if r.second_order:
        text = (
            "Results of combinations are not given: cases with second-order effects cannot be added up. Loads, Cases from combinations makes a "
            "load case of each, to be run by itself."
        )
        named = [c for c in s.model.combinations if list(c.factors.values()) != [1.0]]
        if named or not s.model.combinations:
            yield Finding("run.superposition", "warning", text, (), None, ("Accept, because…",))
    if not s.settings.run.one_way:
        return
    for case, slack in r.slack.items():
        worst = max(slack, key=lambda i: slack[i])
        grounds = {i: a for i, a in r.lifted.get(case, {}).items() if i in s.model.surfaces}
        idle = [i for i in slack if i not in grounds]
        said = []
        if idle:
            names = ", ".join(_called(s, i) for i in idle[:NAMED])
            more = and_more(idle, NAMED)
            said.append(
                f"{len(idle)} one-way part{'s bear' if len(idle) > 1 else ' bears'} nothing ({names}{more})"
            )
        for ident, area in list(grounds.items())[:NAMED]:
            whole = s.model.surfaces[ident].polygon.area
            said.append(f"{_called(s, ident)} is off the ground over {area:.3g} of {whole:.3g} m²")
        text = f"Case {case}: {'; '.join(said)}; the largest opening or slack is {slack[worst] * 1000:.3g} mm at {_called(s, worst)}."
        ids = tuple(i for i in slack if i in s.model.members or i in s.model.nodes or i in s.model.surfaces)
        yield Finding("run.one_way", "note", text, (case, *ids), None, (), {"slack": slack[worst]})
    for case, far in r.yielded.items():
        worst = max(far, key=lambda i: far[i])
        names = ", ".join(
            f"{_called(s, i)} by {far[i] * 1000:.3g} mm" for i in sorted(far, key=lambda i: -far[i])[:NAMED]
        )
        more = and_more(far, NAMED)
        text = f"Case {case}: {len(far)} part{'s bear' if len(far) > 1 else ' bears'} the most it can and gives way ({names}{more})."
        if len(far) > 1:
            text = text.replace("the most it can and gives", "the most they can and give")
        ids = tuple(i for i in far if i in s.model.members or i in s.model.nodes or i in s.model.surfaces)
        yield Finding(
            "run.limit",
            "warning",
            text,
            (case, *ids),
            s.middle(worst) if worst in s.model.members else None,
            ("Accept, because…",),
            {"way": far[worst]},
        )
    for case in r.unsettled:
        text = (
            f"Case {case} is not computed: with parts that act in one way only, nothing holds the building under it: supports lift off or "
            "bear the most they can, or braces that are needed go slack."
        )
        yield Finding("run.unsettled", "blocking", text, (case,), None)
    if (r.slack or r.yielded or r.unsettled) and s.model.cases:
        text = (
            "Results of combinations are not given: one-way parts are slack or give way in some cases, so that cases cannot be added up. Loads, Cases from combinations "
            "makes a load case of each, to be run by itself."
        )
        yield Finding(
            "run.superposition",
            "warning",
            text,
            tuple(dict.fromkeys([*r.slack, *r.yielded]))[:NAMED],
            None,
            ("Accept, because…",),
        )


def _called(s: Subject, ident: str) -> str:
    m = s.model.part(ident)
    return f"{m.cls} {m.name or m.id}" if m is not None else f"support at {ident}"
