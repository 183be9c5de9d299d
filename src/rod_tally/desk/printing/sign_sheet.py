"""The sheet of the step Close-out: what a signature stands for, on one page in the middle of the window."""

from __future__ import annotations

from collections import Counter
from html import escape
from pathlib import Path

from PyQt6.QtWidgets import QTextBrowser, QWidget

from ...review.decisions import Look
from ...review.readiness import readiness
from ...review.titles import title_of
from ..session.state import DeskState, Revision
from ..theme import INK, MOSS, MUTED, OCHRE, RUST, SEVERITY_COLOUR, SEVERITY_MARK, SHEET

EFFECTS = 5  # named
MOST = 12  # findings listed


class SignSheet(QTextBrowser):
    """Shown in place of the view while the step is Close-out and no other overlay is asked for."""

    def __init__(self, state: DeskState, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.state = state
        self.setAccessibleName("Close-out sheet")
        self.setOpenLinks(False)
        self.setStyleSheet(f"QTextBrowser {{ background: {SHEET}; border: none; }}")
        page = self.document()
        assert page is not None
        page.setDocumentMargin(24)
        for signal in (state.revision_changed, state.decided, state.step_changed):
            signal.connect(self.fill)
        self.fill()

    @property
    def wanted(self) -> bool:
        """Return whether it belongs on the screen."""
        state = self.state
        return (
            state.review is not None
            and state.step.name == "Close-out"
            and state.overlay == state.step.overlay
        )

    def fill(self) -> None:
        """Write the sheet anew, where it is wanted."""
        revision = self.state.revision
        if revision is not None and self.wanted:
            self.setHtml(sheet(revision))


COLOUR = {"■": RUST, "▲": OCHRE, "✓": MOSS}


def sheet(revision: Revision) -> str:
    """The sheet as HTML: what was read, what was found and decided, what is open, what the results are of,
    and the place to sign."""
    review, model = revision.review, revision.review.model
    looks = [revision.looks.get(item, Look(item)) for item in sorted(revision.looked)]
    rows = readiness(review, looks, lambda f: revision.decision(f) != "open", named=False)
    missing = [r for r in rows if not r.good]
    out = [
        f"<h2 style='color:{INK}'>{escape(revision.name)}: {'ready to sign' if not missing else 'not ready to sign'}</h2>"
    ]
    out.append(_heading("What was read"))
    units = f"lengths in {model.units.get('length', 'unknown units').lower()}"
    skipped = f"; {len(model.skipped)} elements excluded, listed in the tally" if model.skipped else ""
    out.append(
        f"<p>{escape(Path(model.source_file).name)}, {escape(model.kind)} {escape(model.schema)}, {escape(units)}: "
        f"{len(model.members)} members, {len(model.surfaces)} slabs and walls, {len(model.cases)} load cases{skipped}. "
        f"{_many(len(model.corrections), 'correction')} made here.</p>"
    )
    out.append(_heading("What a signature needs"))
    cells = [
        f"<tr><td style='color:{COLOUR[r.mark]}'>{r.mark}&nbsp;</td>"
        f"<td><b>{escape(r.what)}</b>&nbsp;&nbsp;</td><td>{escape(r.words)}</td></tr>"
        for r in rows
    ]
    out.append(f"<table cellspacing='4'>{''.join(cells)}</table>")
    out += _findings(revision)
    out.append(_heading("What the results are of"))
    out.append(f"<p>{escape(_basis(revision))}</p>")
    out += _effects(revision)
    out.append(_heading("Signature"))
    who = revision.review.settings.report.reviewer
    line = "&nbsp;" * 40
    out.append(
        f"<p>Reviewed by {escape(who) or line} &nbsp;&nbsp; Date {'_' * 16} &nbsp;&nbsp; Signed {'_' * 26}</p>"
        f"<p style='color:{MUTED}'>File, Save report… writes this with all chapters; File, Report contents… chooses them.</p>"
    )
    return "".join(out)


def _findings(revision: Revision) -> list[str]:
    """How many were found and decided on, and those that are open, blocking ones first."""
    findings = revision.review.findings
    decided = [f for f in findings if revision.decision(f) != "open"]
    open_ = [f for f in findings if revision.decision(f) == "open" and f.severity != "note"]
    how = Counter(revision.decision(f) for f in decided)
    words = ", ".join(f"{n} {what}" for what, n in sorted(how.items())) or "none decided on"
    notes = sum(f.severity == "note" for f in findings)
    out = [
        _heading("What was found"),
        f"<p>{_many(len(findings), 'finding')}, {notes} of them notes: {words}.</p>",
    ]
    reasons = [
        (f, revision.decided(f)[1]) for f in decided if f.severity != "note" and revision.decided(f)[1]
    ]
    out += [f"<p>✓ {escape(title_of(f))}: {escape(reason)}</p>" for f, reason in reasons[:MOST]]
    if open_:
        out.append(_heading(f"Open: {len(open_)}"))
        for f in open_[:MOST]:
            mark, colour = SEVERITY_MARK[f.severity], SEVERITY_COLOUR[f.severity]
            out.append(
                f"<p><span style='color:{colour}'>{mark} <b>{escape(title_of(f))}</b></span>: {escape(f.message)}</p>"
            )
        if len(open_) > MOST:
            out.append(f"<p style='color:{OCHRE}'>and {len(open_) - MOST} more, in the table below.</p>")
    return out


def _basis(revision: Revision) -> str:
    """Return what the results depend on: run, settings that are not the usual ones, parts without results."""
    review = revision.review
    if review.why_old:
        return f"{review.why_old[:1].upper()}{review.why_old[1:]}."
    run, left = review.settings.run, review.results.left_out
    parts = [
        revision.run_name or "the last run",
        f"{len(review.results.cases)} cases, {len(review.combinations)} combinations",
        "with shear deformation" if run.shear_flexible else "without shear deformation",
        "tension- and compression-only parts act one way" if run.one_way else "linear",
    ]
    if left:
        parts.append(f"{_many(len(left), 'part')} excluded from the run")
    guesses = Counter(e.kind for e in review.model.log)
    told = [f"{n} {kind}" for kind, n in guesses.most_common() if kind not in ("corrected",)]
    if told:
        parts.append("entries of the transfer log: " + ", ".join(told))
    return "; ".join(parts) + "."


def _effects(revision: Revision) -> list[str]:
    """The guesses, defaults and findings that change the answer most."""
    review = revision.review
    out = [_heading("What the answer depends on")]
    found = sorted((e for e in review.effects if not e.fault), key=lambda e: e.rank)
    if review.stale or not found:
        return [
            *out,
            "<p>Not tried: Run, Effects of guesses… takes each guess and default the other way.</p>",
        ]
    little = sum(e.nothing for e in found)
    out.append(
        f"<p>{len(found)} guesses, defaults and findings tried, {little} without effect. The largest:</p>"
    )
    for e in [e for e in found if not e.nothing][:EFFECTS]:
        before, after = (s["use"].value for s in (e.before, e.after))
        used = f"use of sections {before:.0%} to {after:.0%}, " if before > 0 else ""
        was, other = e.values
        words = f"{was} to {other}: {used}{_many(len(e.parts), 'part')} beyond the tolerances"
        out.append(f"<p><b>{escape(e.title)}</b>, {escape(words)}</p>")
    return out


def _heading(text: str) -> str:
    return f"<h3 style='color:{INK}; margin-top:14px; margin-bottom:2px'>{escape(text)}</h3>"


def _many(count: int, what: str) -> str:
    return f"{count} {what}" + ("" if count == 1 else "s")
