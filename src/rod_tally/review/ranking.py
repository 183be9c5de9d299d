"""Findings in order, with the severity that the settings give them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from ..model import Finding, Settings


def ranked(findings: Iterable[Finding], settings: Settings) -> list[Finding]:
    """Blocking ones first. A severity in the settings is for a code, or else for its family; what is blocking
    because results mean nothing cannot be lowered (`ALWAYS_BLOCKING`)."""
    own = settings.findings.severity
    if own:
        findings = [_with(f, own.get(f.code, own.get(f.family, f.severity))) for f in findings]
    return sorted(findings, key=lambda f: f.order)


def _with(finding: Finding, severity: str) -> Finding:
    return finding if finding.severity == severity else replace(finding, severity=severity)
