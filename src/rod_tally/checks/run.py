"""Running every check on a subject. A check that fails is itself a finding; the others run."""

from __future__ import annotations

import logging
from dataclasses import dataclass, field

import numpy as np

from ..loads import Distribution
from ..model import Finding, Model
from ..model.changes import changed
from ..progress import Progress, silent
from .alike import gather
from .registry import BESIDE, Check, Made, Subject, checks, looks_at

log = logging.getLogger(__name__)

FAILED = "check.failed"


@dataclass(slots=True)
class Checked:
    """The findings of every check, and what they are of: the model as it was then, what was beside it, where
    its loads went."""

    model: Model
    beside: dict[str, object]
    loads: Distribution
    found: dict[Check, tuple[frozenset[str], list[Finding]]] = field(default_factory=dict)
    made: dict[str, Made] = field(default_factory=dict)

    def differs_from(self, subject: Subject) -> set[str]:
        """Aspects of the model, and names of what is beside it, in which a subject differs from what was
        checked."""
        out = set(changed(self.model, subject.model).aspects)
        return out | {
            name for name, value in _beside(subject).items() if not _alike(self.beside[name], value)
        }


def _beside(subject: Subject) -> dict[str, object]:
    # settings are changed in place: they are kept as they were in words
    return {
        name: subject.settings.to_dict() if name == "settings" else getattr(subject, name) for name in BESIDE
    }


def _alike(a: object, b: object) -> bool:
    if a is b:
        return True
    if isinstance(a, dict):
        return a == b
    return isinstance(a, list) and isinstance(b, list) and not a and not b


def run_checks(subject: Subject, progress: Progress = silent) -> list[Finding]:
    """Findings of every check, blocking first, in an order that does not depend on the order of the model."""
    return checked(subject, progress)[0]


def checked(
    subject: Subject, progress: Progress = silent, before: Checked | None = None
) -> tuple[list[Finding], Checked]:
    """Findings as `run_checks` gives them, and what they are of. Of `before`, an earlier state of the same
    model, those hold that depend on nothing that has changed since; their checks are not made again."""
    differs = {*BESIDE} if before is None else before.differs_from(subject)
    if before is not None:
        subject.made = {
            n: m for n, m in before.made.items() if not (m.looks_at | m.asked) & differs
        } | subject.made
    out = Checked(subject.model.snapshot(), _beside(subject), subject.distribution, made=subject.made)
    findings: list[Finding] = []
    functions: dict[Check, list[str]] = {}
    for code, function in checks().items():
        functions.setdefault(function, []).append(code)
    for k, (function, codes) in enumerate(functions.items()):
        progress("Checking", k / len(functions))
        known = None if before is None else before.found.get(function)
        if known is None or known[0] & differs:
            subject.asked.clear()
            found = _findings_of(function, codes, subject)
            known = looks_at(function) | subject.asked, found
        if all(f.code != FAILED for f in known[1]):
            out.found[function] = known
        findings += known[1]
    return sorted(gather(findings, subject), key=lambda f: f.order), out


def _findings_of(function: Check, codes: list[str], subject: Subject) -> list[Finding]:
    """Return what one check finds, up to where it fails; its failing then is the last finding."""
    found: list[Finding] = []
    try:
        for f in function(subject):
            if f.at is not None and not np.isfinite(f.at).all():
                f.at = None
            found.append(f)
    except (KeyboardInterrupt, MemoryError):
        raise
    except (
        Exception
    ) as error:  # a fault of the check, or a plug-in's: the others still run, and nobody is left guessing
        if type(error).__name__ == "Cancelled":
            raise
        log.exception("check for %s failed", ", ".join(codes))
        found.append(
            Finding(
                FAILED,
                "warning",
                f"The check for {', '.join(codes)} failed ({type(error).__name__}: {error}): what it looks at was not looked at.",
                tuple(codes),
                None,
                ("Accept, because…",),
            )
        )
    return found
