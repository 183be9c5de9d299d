"""Tables of the review: findings, tally, what transfer did."""

from __future__ import annotations

import numpy as np

from ...review import Review
from ...review.decisions import Look
from ...review.effects.effect import FIRST, LITTLE, effect_words, of_finding
from ...review.expected.expected import expected
from ...review.expected.row import BEAM, PERIOD
from ...review.readiness import readiness
from ...review.tallies.takeoff import takeoff
from ...review.titles import title_of
from ..quantities import METRIC, UnitSet
from ..session.state import DeskState
from ..theme import SEVERITY_MARK
from .load_rows import PAGES, load_page
from .rows import Pick, Rows, shown


def findings(state: DeskState, units: UnitSet) -> Rows:
    revision = state.revision
    effects = [] if revision is None or revision.stale else revision.review.effects
    priced = ["If mended"] if effects else []
    out = Rows(["", "Finding", "Where", "Remarks", *priced, "Decision", "Code"])
    if revision is None:
        return out
    model = revision.review.model
    for f in revision.review.findings:
        where = ""
        pick: Pick = None
        for ident in f.ids:
            if ident in model.members:
                member = model.members[ident]
                where = ", ".join(p for p in (member.storey, member.name) if p)
                pick = ("member", ident)
                break
            if ident in model.surfaces:
                surface = model.surfaces[ident]
                where = ", ".join(p for p in (surface.storey, surface.name) if p)
                pick = ("surface", ident)
                break
            if ident in model.nodes:
                where, pick = ident, ("node", ident)
                break
        status, reason = revision.decided(f)
        shown = status + (f": {reason}" if reason else "")
        answers = revision.answers_to(f)
        if answers:
            shown += f" · {len(answers)} answer{'s' if len(answers) > 1 else ''}: {answers[-1].text or answers[-1].status}"
        mended = [effect_words(of_finding(effects, f.code, f.ids), units.small)] if effects else []
        out.add(
            [SEVERITY_MARK[f.severity], title_of(f), where, units.words(f.message), *mended, shown, f.code],
            pick,
            "; ".join(f.actions),
        )
    return out


EFFECTS_NOTE = "Run, Effects of guesses… fills this table: each guess, default and finding the other way, by a run of its own"
MANY = 5000  # members; of more it takes longer than one would wait for
BAR = 12  # strokes of the largest


def effects(state: DeskState, units: UnitSet) -> Rows:
    """Return what each guess, default and finding does to the answer, the largest first."""
    small, force = units.small, units.force
    factor = {"use": 100.0, "displacement": small[0], "drift_x": small[0], "drift_y": small[0], "reaction": force[0], "period": 1.0}  # fmt: skip
    heads = {"use": "Use of the section, %", "displacement": f"Largest displacement, {small[1]}", "drift_x": f"Drift x, {small[1]}", "drift_y": f"Drift y, {small[1]}", "reaction": f"Largest reaction, {force[1]}", "period": "Period, s"}  # fmt: skip
    out = Rows(
        [
            "What",
            "As it is",
            "Otherwise",
            "On the use of sections",
            "Parts changed",
            *(heads[q] for q in FIRST),
            "Remarks",
        ]
    )
    review = state.review
    if review is None:
        return out
    found = sorted(review.effects, key=lambda e: e.rank)
    out.note = "" if found else EFFECTS_NOTE
    most = max((-e.rank[0] for e in found), default=0.0)
    at = {(f.code, f.ids): k for k, f in enumerate(review.findings)}
    for e in found:
        cells: list[object] = [e.title, *e.values, "▮" * round(-BAR * e.rank[0] / most) if most else "", len(e.parts)]  # fmt: skip
        for q in FIRST:
            before, after = e.before[q].value, e.after[q].value if q in e.after else 0.0
            same = abs(after - before) <= 1e-9 * max(before, after)
            cells.append(None if e.fault or same else f"{before * factor[q]:.4g} to {after * factor[q]:.4g}")
        pick: Pick = ("finding", str(at[e.code, e.ids])) if (e.code, e.ids) in at else None
        out.add([*cells, e.fault], pick, e.fault, e.parts or e.ids)
    if found:
        out.note = (
            f"{sum(e.weight <= LITTLE and not e.fault for e in found)} of {len(found)} change no size by more than "
            f"{LITTLE:.0%}; a row shows the parts that change, that of a finding its buttons as well"
        )
    return out


def expectations(state: DeskState, units: UnitSet) -> Rows:
    """Return what simple formulas let one expect, beside what came, the farthest off first."""
    out = Rows(["", "What", "Of", "Case", "Formula", "Expected", "Came", "Ratio", "Likely reason"])
    review = state.review
    if review is None:
        return out
    if len(review.model.members) > MANY and not review.has_once("expected"):
        out.note = "Run, Expected values works it out"
        return out
    found = expected(review)
    kinds = {BEAM: units.moment, PERIOD: (1.0, "s")}
    for e in found:
        factor, unit = kinds.get(e.kind, units.force)
        values = [e.words if v is None else f"{v * factor + 0.0:.4g} {unit}" for v in (e.value, e.came)]
        pick: Pick = None
        if e.ids:
            pick = ("member" if e.ids[0] in review.model.members else "surface", e.ids[0])
        ratio = None if e.ratio is None else round(e.ratio, 3)
        out.add(["▲" if e.odd else "", e.kind, e.of, e.case, e.formula, *values, ratio, e.reason], pick)
    odd = sum(e.odd for e in found)
    out.note = (
        f"{odd} of {len(found)} are out of what is usual: where to look, not what is right"
        if found
        else "nothing that a simple formula speaks of"
    )
    return out


def ready(state: DeskState, units: UnitSet) -> Rows:
    """Return whether the review can be signed, and why not."""
    out = Rows(["", "What", "Remarks"])
    revision = state.revision
    if revision is None:
        return out
    review = revision.review
    looks = [revision.looks.get(item, Look(item)) for item in sorted(revision.looked)]
    rows = readiness(review, looks, lambda f: revision.decision(f) != "open")
    missing = [r.what for r in rows if not r.good]
    out.note = "ready to be signed" if not missing else f"not ready: {', '.join(missing)}"
    for r in rows:
        out.add([r.mark, r.what, r.words])
    return out


def tally(state: DeskState, units: UnitSet) -> Rows:
    """The tally: classes counted and measured, then each case's load applied against its reactions."""
    f = units.force[1]
    out = Rows(
        [
            "What",
            "Source",
            "Model",
            "Difference",
            "Length, source",
            "Length, model",
            "Area, m²",
            "Volume, source, m³",
            "Volume, model, m³",
            f"Weight, {f}",
            "Why",
        ]
    )
    review = state.review
    if review is None:
        return out
    if state.tally_by in PAGES:
        return load_page(review, state.tally_by, state.case, units, state.origin)
    if state.tally_by != "overview":
        return take_off(review, state.tally_by, units)
    made_of: dict[str, list[str]] = {}
    for part in review.model.parts():
        made_of.setdefault(part.cls, []).append(part.id)
    for row in review.tally:
        why = ""
        if row.skipped:
            first = row.skipped[0].reason
            why = f"{len(row.skipped)} skipped: {first}"
        elif not row.agrees and row.source == 0:
            why = "made by transfer"
        elif not row.agrees:
            why = "see the findings and the log"
        if row.cls == "load_case" and row.model > row.source:
            why = "self-weight is added"
        out.add(
            [
                row.cls.replace("_", " "),
                row.source or None,
                row.model or None,
                (row.model - row.source) if row.source and not row.agrees else None,
                shown(row.source_length, units, "length"),
                shown(row.length, units, "length"),
                row.area,
                row.source_volume,
                row.volume,
                shown(row.weight, units, "force"),
                why,
            ],
            makers=made_of.get(row.cls, ()),
        )
    results = review.results
    for e in results.equilibrium:
        lost = results.lost.get(e.case, np.zeros(3))
        vertical = float(e.applied[2] + lost[2])
        out.add(
            [
                f"load of {e.case}, vertical",
                shown(vertical, units, "force"),
                shown(float(e.applied[2]), units, "force"),
                shown(float(-lost[2]), units, "force") if abs(lost[2]) > 1e-6 else None,
                *[None] * 5,
                shown(float(-e.reaction[2]), units, "force"),
                f"last: reactions; residual {e.residual:.1e}",
            ]
        )
    return out


def take_off(review: Review, by: str, units: UnitSet) -> Rows:
    """The take-off by class, section, material or storey: source, model, difference."""
    length, force = units.length[1], units.force[1]
    out = Rows([by.capitalize(), "Source", "Model", "Difference"])
    for what, unit in (("Length", length), ("Area", "m²"), ("Volume", "m³"), ("Weight", force)):
        out.columns += [f"{what}, source, {unit}", f"{what}, model", "difference"]
    out.note = "A row shows what makes it; View, Show everything brings the rest back"
    for row in takeoff(review.model, by):
        values: list[object] = [row.key, row.source, row.model, row.model - row.source or None]
        for what, kind in (("length", "length"), ("area", ""), ("volume", ""), ("weight", "force")):
            factor = getattr(units, kind)[0] if kind else 1.0
            source, model = getattr(row, f"source_{what}"), getattr(row, what)
            change = (model or 0.0) - (source or 0.0)
            shown = change * factor if abs(change) > 1e-6 * max(abs(source or 0.0), 1e-3) else None
            values += [_times(source, factor), _times(model, factor), shown]
        out.add(values, makers=row.ids)
    return out


def _times(value: float | None, factor: float) -> float | None:
    return None if value is None else value * factor


def log_rows(review: Review | None, units: UnitSet = METRIC) -> Rows:
    """The transfer log."""
    factor, unit = units.small
    out = Rows(["Kind", "What happened", f"By, {unit}"])
    for entry in review.model.log if review else ():
        first = entry.ids[0] if entry.ids else ""
        pick: Pick = None
        if review and first in review.model.members:
            pick = ("member", first)
        elif review and first in review.model.surfaces:
            pick = ("surface", first)
        out.add(
            [entry.kind, units.words(entry.message), entry.distance * factor if entry.distance else None],
            pick,
        )
    return out
