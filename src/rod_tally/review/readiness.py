"""Readiness of a review for its signature: what blocks, what is old, what nobody has looked at."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from ..model import Finding
from ..words import and_more
from .decisions import Look, decision_on
from .review import Review
from .steps import CASE, STEPS, items_of


@dataclass(slots=True)
class Readiness:
    """One thing that a signature needs: whether it is there, and in words what is missing or was done; `open`:
    a signature does not need it, but whoever signs should know that it is not done."""

    what: str
    good: bool
    words: str
    step: str = ""
    open: bool = False

    @property
    def mark(self) -> str:
        """Return the mark of its row: missing, open or there."""
        return "■" if not self.good else "▲" if self.open else "✓"


def readiness(
    review: Review,
    looks: Iterable[Look],
    decided: Callable[[Finding], bool] | None = None,
    named: bool = True,
) -> list[Readiness]:
    """Return what a signature needs: a run of the model as it is, no blocking finding open, every step
    looked at. `decided`: whether a finding is decided on; by the review's own decisions unless given.
    `named`: open findings with their words, not only how many there are."""

    def closed(finding: Finding) -> bool:
        return decided(finding) if decided is not None else decision_on(finding, review.decisions) is not None

    out = [_run(review)]
    for title, severity in (("Blocking findings", "blocking"), ("Warnings", "warning")):
        own = [f for f in review.findings if f.severity == severity]
        still = [f for f in own if not closed(f)]
        words = f"{len(own) - len(still)} of {len(own)} decided on" if own else "none"
        if still:
            words += f"; open: {_few([f.message for f in still])}" if named else f"; {len(still)} open"
        out.append(Readiness(title, not still or severity != "blocking", words, open=bool(still)))
    untyped = [c.name for c in review.model.cases.values() if c.untyped]
    if untyped:
        out.append(
            Readiness("Load cases", False, f"{_few(untyped)} without a kind: in no combination", "Loads")
        )
    left_out = review.results.left_out if not review.stale else {}
    if left_out:
        out.append(
            Readiness(
                "Computed",
                True,
                f"{len(left_out)} part{'s' if len(left_out) > 1 else ''} excluded from the run",
                "Run",
                open=True,
            )
        )
    seen = {look.item: look for look in looks}
    for step in STEPS:
        items = [i.title for i in items_of(step, review.model)]
        if step.name == "Revision" and review.comparison is None:
            continue
        missing = [t.removeprefix(CASE) for t in items if f"{step.name}/{t}" not in seen]
        there = [seen[f"{step.name}/{t}"] for t in items if f"{step.name}/{t}" in seen]
        who = ", ".join(sorted({look.by for look in there if look.by}))
        last = max((look.when for look in there), default="")[:16].replace("T", " ")
        words = (
            f"{len(there)} of {len(items)} looked at"
            + (f" by {who}" if who else "")
            + (f", last {last}" if last else "")
        )
        if missing:
            words += f"; not yet: {_few(missing)}"
        out.append(Readiness(f"Step {step.name}", not missing, words, step.name))
    return out


def _run(review: Review) -> Readiness:
    if review.why_old:
        return Readiness("Run", False, review.why_old, "Run")
    if review.waiting:
        return Readiness("Run", False, f"still being worked out: {review.waiting}", "Run")
    if review.results.empty:
        return Readiness("Run", False, "nothing could be computed", "Run")
    done = [e for e in review.results.equilibrium]
    worst = max((e.residual for e in done), default=0.0)
    return Readiness(
        "Run",
        True,
        f"{len(done)} of {len(review.results.cases)} cases in balance, residual {worst:.1e}",
        "Run",
    )


def _few(words: list[str]) -> str:
    more = and_more(words, 4)
    return ", ".join(w.rstrip(".") for w in words[:4]) + more
