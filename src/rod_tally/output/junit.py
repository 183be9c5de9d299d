"""Findings as test results in JUnit's XML, which build servers show: a suite a step of the review, a case a
kind of finding."""

from __future__ import annotations

import xml.etree.ElementTree as ET
from pathlib import Path

from ..review.decisions import decision_on
from ..review.review import Review
from ..review.steps import STEPS, step_of
from ..review.titles import title_of
from .write import OutputError, write_whole

SHOWN = 50  # findings of one kind that are written out


def write_junit(review: Review, path: Path) -> Path:
    """A kind of finding fails while one of it is blocking and not decided on; warnings and decided ones are
    written as what the case said. Kinds of which nothing was found pass. Raises OutputError."""
    root = ET.Element("testsuites", name=f"Rod Tally: {review.model.name or review.model.source_file}")
    totals = [0, 0]
    for step in STEPS:
        found = [f for f in review.findings if step_of(f) is step]
        codes = list(dict.fromkeys([*(c for i in step.items for c in i.codes), *(f.code for f in found)]))
        if not codes:
            continue
        suite = ET.SubElement(root, "testsuite", name=step.name)
        failures = 0
        for code in codes:
            case = ET.SubElement(suite, "testcase", classname=step.name, name=f"{title_of(code)} ({code})")
            own = [f for f in found if f.code == code]
            still = [f for f in own if f.severity == "blocking" and decision_on(f, review.decisions) is None]
            if still:
                failures += 1
                failure = ET.SubElement(case, "failure", message=_clean(still[0].message), type="blocking")
                failure.text = _listed([f.message for f in still])
            other = [f"{f.severity}: {f.message}" for f in own if f not in still]
            if other:
                ET.SubElement(case, "system-out").text = _listed(other)
        suite.set("tests", str(len(codes)))
        suite.set("failures", str(failures))
        totals[0] += len(codes)
        totals[1] += failures
    root.set("tests", str(totals[0]))
    root.set("failures", str(totals[1]))
    ET.indent(root)
    try:
        write_whole(path, lambda p: ET.ElementTree(root).write(p, encoding="utf-8", xml_declaration=True))
    except OSError as error:
        raise OutputError(f"{path}: cannot be written to: {error.strerror or error}") from error
    return path


def _listed(messages: list[str]) -> str:
    more = [f"and {len(messages) - SHOWN} more"] if len(messages) > SHOWN else []
    return _clean("\n".join([*messages[:SHOWN], *more]))


def _clean(text: str) -> str:
    """Without characters that XML cannot hold, which names in a source may bring."""
    return "".join(c if c in "\t\n\r" or ord(c) >= 32 and c not in "\ufffe\uffff" else "?" for c in text)
