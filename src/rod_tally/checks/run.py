"""Running every check on a subject. A check that fails is itself a finding; the others run."""

from __future__ import annotations

import logging
from collections.abc import Mapping

import numpy as np

from ..model import Finding
from ..progress import Progress, silent
from .alike import gather
from .registry import Check, Subject, checks

log = logging.getLogger(__name__)


def run_checks(
    subject: Subject,
    progress: Progress = silent,
    known: Mapping[Check, list[Finding]] | None = None,
    keep: dict[Check, list[Finding]] | None = None,
) -> list[Finding]:
    """Findings of every check, blocking first, in an order that does not depend on the order of the model.

    `known`: what checks found of the same model and results before, which are not run again. `keep` takes what those found that asked a
    `WatchedSubject` for nothing of `DYNAMIC`.
    """
    findings: list[Finding] = []
    functions: dict[Check, list[str]] = {}
    for code, function in checks().items():
        functions.setdefault(function, []).append(code)
    for k, (function, codes) in enumerate(functions.items()):
        progress("Checking", k / len(functions))
        if known is not None and function in known:
            findings += known[function]
            continue
        subject.asked.clear()
        found = _findings_of(function, codes, subject)
        if keep is not None and not subject.asked:
            keep[function] = found
        findings += found
    return sorted(gather(findings, subject), key=lambda f: f.order)


def _findings_of(function: Check, codes: list[str], subject: Subject) -> list[Finding]:
    """What one check finds, up to where it fails; its failing then is the last finding."""
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
                "check.failed",
                "warning",
                f"The check for {', '.join(codes)} failed ({type(error).__name__}: {error}): what it looks at was not looked at.",
                tuple(codes),
                None,
                ("Accept, because…",),
            )
        )
    return found
