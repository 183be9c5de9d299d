"""The table of what a revision changed."""

from __future__ import annotations

from collections.abc import Container

from ...analysis.stress.utilisation import FORMULA
from ...compare import MemberMatch
from ...compare.causes import ORDERS
from ...compare.in_words import in_words
from ...compare.results import ENVELOPE
from ...compare.results.again_groups import grouped, worse_by
from ...model import Member, Surface
from ...model.geometry.grids import place_on_grids
from ..quantities import FORCE_KIND, UnitSet
from ..session.state import DeskState
from .rows import Pick, Rows

WHY = {
    "demand": "more demand",
    "resistance": "another section, material or thickness",
    "new": "new in this revision",
    "not computed": "not computed in one of the two",
}
FOLDED = 4  # supports, cases, loads or combinations of one change that have a row each
MOST_RATIO = 1000.0  # a larger ratio says only that there was next to nothing before


def changes(state: DeskState, units: UnitSet) -> Rows:
    """One row a part that is not the same, in words; then supports, cases, loads and combinations."""
    out = Rows(["Change", "Class", "Part", "Storey", "Grid", "What changed", "Part before"])
    full = every_change(state, units)
    review, comparison = state.review, state.comparison
    if review is None or comparison is None:
        out.note = full.note
        return out
    base = state.baseline.review.model if state.baseline else None
    first = 0
    for row in full.rows:  # levels and grid lines stand first
        if row[1] not in ("storey", "grid"):
            break
        first += 1
        out.add([row[0], row[1], row[3] or row[2], None, None, _was_is(row[9], row[10]), row[2]])
    for m in comparison.parts:
        if m.status == "same":
            continue
        now = m.revised_id is not None
        model = review.model if now else base
        part = model.part(m.revised_id or m.baseline_id or "") if model is not None else None
        old = base.part(m.baseline_id) if base is not None and m.baseline_id else None
        name = (part.name or part.id) if part is not None else m.revised_id or m.baseline_id
        before = (old.name or old.id) if old is not None else None
        where: list[object] = [None, None]
        if part is not None and model is not None:
            at = model.line(part).mean(axis=0) if isinstance(part, Member) else part.outer.mean(axis=0)
            where = [part.storey, place_on_grids(model, at[:2])]
        words = in_words(m) or m.revised_section or m.baseline_section
        pick: Pick = None
        if now:
            pick = ("member" if isinstance(part, Member) else "surface", m.revised_id or "")
        out.add([m.status, m.cls, name, *where, words, before if before != name else None], pick)
    rest: dict[tuple[object, object], list[list[object]]] = {}
    for row in full.rows[first:]:
        kind = str(row[0]).partition(" ")[0]
        if kind in ("support", "case", "load", "combination"):
            rest.setdefault((row[0], row[1]), []).append(row)
    for (change, cls), own in rest.items():
        named = [str(row[3] or row[2]) for row in own]
        if len(own) > FOLDED:  # what differs of each stands among every attribute
            shown = f"{', '.join(dict.fromkeys(named[:FOLDED]))} and {len(own) - FOLDED} more"
            out.add([change, cls, f"{len(own)} of them", None, None, shown, None])
            continue
        for row, name in zip(own, named):
            words = " ".join(str(v) for v in (row[8], _was_is(row[9], row[10])) if v)
            out.add([change, cls, name, None, None, words, None])
    same = comparison.count("same")
    out.note = (
        f"{full.note}; {same} parts are the same; the table turns to every attribute" if full.note else ""
    )
    return out


def _was_is(was: object, now: object) -> str:
    return (
        f"{was if was not in (None, '') else 'none'} to {now if now not in (None, '') else 'none'}"
        if was or now
        else ""
    )


def every_change(state: DeskState, units: UnitSet) -> Rows:
    """Every attribute that differs of every part, then members whose forces changed beyond the tolerance."""
    out = Rows(
        [
            "Change",
            "Class",
            "Before",
            "After",
            "Shift, mm",
            "Section before",
            "Section after",
            "What",
            "Was",
            "Is",
            "By",
            "Storey",
            "Grid",
        ]
    )
    review, comparison = state.review, state.comparison
    if review is None or comparison is None:
        out.note = "This revision is compared with nothing yet: take in a revision (Ctrl+Shift+O)"
        return out
    base = state.baseline.review.model if state.baseline else None
    out.note = f"against {state.baseline.name}" if state.baseline else ""

    def name(ident: str | None, revised: bool) -> str:
        model = review.model if revised else base
        if ident is None:
            return ""
        m = (model.members.get(ident) or model.surfaces.get(ident)) if model else None
        return (m.name or ident) if m else ident

    def place(m: MemberMatch) -> list[object]:
        """Storey and grid position of a part, in the revision where it is there."""
        now = m.revised_id is not None
        model = review.model if now else base
        part = model.part(m.revised_id or m.baseline_id or "") if model is not None else None
        if part is None or model is None:
            return [None, None]
        at = model.line(part).mean(axis=0) if isinstance(part, Member) else part.outer.mean(axis=0)
        return [part.storey, place_on_grids(model, at[:2])]

    for level in comparison.levels:
        if level.status != "same":
            out.add(
                [f"level {level.status}", "storey", None, f"{level.name} ({level.elevation:.3f} m)"]
                + [None] * 7
            )
    for line in comparison.grids:
        if line.status != "same":
            out.add(
                [f"grid line {line.status}", "grid", line.baseline_name, line.revised_name]
                + [None] * 3
                + ["ends", _shown(line.was), _shown(line.is_), None]
            )
    for m in comparison.parts:
        if m.status != "same":
            pick: Pick = ("member", m.revised_id) if m.revised_id in review.model.members else None
            if m.revised_id in review.model.surfaces:
                pick = ("surface", m.revised_id or "")
            values: list[object] = [m.status, m.cls, name(m.baseline_id, False), name(m.revised_id, True)]
            values += [m.shift * 1000 if m.shift else None, m.baseline_section, m.revised_section]
            out.add([*values, None, None, None, None, *place(m)], pick)
            for x in m.changes:
                if x.what != "section":
                    was, now = (_shown(v) for v in (x.was, x.is_))
                    out.add([*values[:4], None, None, None, x.what, was, now, None, *place(m)], pick)
    for held in comparison.supports:
        if held.status != "same":
            at = ", ".join(f"{v:.2f}" for v in held.at)
            out.add([f"support {held.status}", "support", None, at] + [None] * 4 + [held.was, held.is_, None])
    for case in comparison.cases:
        if case.status != "same":
            names: list[object] = [case.baseline_name, case.revised_name]
            out.add([f"case {case.status}", "load case", *names] + [None] * 4 + [case.was, case.is_, None])
    for load in comparison.loads:
        out.add(
            [f"load {load.status}", load.case, None, load.on]
            + [None] * 3
            + [load.what, load.was, load.is_, None]
        )
    for combination in comparison.combinations:
        if combination.status != "same":
            names = [combination.baseline_name, combination.name]
            row = [f"combination {combination.status}", "combination", *names] + [None] * 4
            out.add([*row, combination.was, combination.is_, None])
    limits = review.settings.compare
    for r in comparison.results:
        relative, least = limits.of(r.quantity)
        if abs(r.change) <= max(least, relative * abs(r.baseline)) or not r.revised_id:
            continue
        if r.quantity not in FORCE_KIND or r.case != ENVELOPE or r.revised_id not in review.model.members:
            continue
        factor = getattr(units, FORCE_KIND[r.quantity])[0]
        worse = "force up" if abs(r.revised) > abs(r.baseline) else "force down"
        values = [
            worse,
            "",
            name(r.baseline_id, False),
            name(r.revised_id, True),
            None,
            None,
            None,
            r.quantity,
        ]
        out.add(
            [*values, r.baseline * factor, r.revised * factor, r.change * factor], ("member", r.revised_id)
        )
    # where it is stands beside what it is
    out.columns = [*out.columns[:4], *out.columns[-2:], *out.columns[4:-2]]
    out.rows = [[*row[:4], *row[-2:], *row[4:-2]] for row in out.rows]
    return out


def again(state: DeskState, units: UnitSet) -> Rows:
    """Parts of the revision that must be looked at again, the largest ratio of new to accepted demand
    first."""
    f, m = units.force[1], units.moment[1]
    out = Rows(
        [
            "Part",
            "Class",
            "Storey",
            "Grid",
            "Why",
            "New over accepted",
            "Of",
            "Accepted",
            "New",
            "By",
            "Section used before, %",
            "Section used now, %",
            "Mostly by",
        ]
    )
    review, comparison = state.review, state.comparison
    if review is None or comparison is None:
        out.note = "This revision is compared with nothing yet: take in a revision (Ctrl+Shift+O)"
        return out
    if not comparison.again_over:
        both = comparison.shared.cases or comparison.shared.combinations
        out.note = (
            "Not worked out for this comparison yet: run it again (F5)"
            if both
            else "No case was computed in both revisions, so that no demand can be compared"
        )
        return out
    for x in comparison.again:
        part = review.model.part(x.revised_id)
        if part is None:
            continue
        factor, unit = unit_of(
            x.quantity, isinstance(part, Surface) and part.id not in review.results.member_ids, units
        )
        at = review.model.line(part).mean(axis=0) if isinstance(part, Member) else part.outer.mean(axis=0)
        where = part.storey, place_on_grids(review.model, at[:2])
        demand: list[object] = [None] * 5
        if x.why == "demand":
            ratio: object = (
                x.ratio if x.ratio is not None and x.ratio < MOST_RATIO else f"over {MOST_RATIO:g}"
            )
            demand = [ratio, f"{x.quantity}, {unit}", x.was * factor, x.is_ * factor, x.by]
        used = [None if u is None else u * 100 for u in (x.used_before, x.used_after)]
        pick: Pick = ("member" if isinstance(part, Member) else "surface", x.revised_id)
        out.add([part.name or part.id, x.cls, *where, WHY[x.why], *demand, *used, x.cause or None], pick)
    limits = review.settings.compare
    out.note = (
        f"Demand over {comparison.again_over}, more than {limits.relative:.0%} and {limits.absolute_force * units.force[0]:g} {f} "
        f"({m}) above what was accepted; section: {FORMULA}"
    )
    return out


def again_groups(state: DeskState, units: UnitSet) -> Rows:
    """Parts to look at again by reason, class and place, with the part of each that comes first."""
    out = Rows(
        ["Parts", "Class", "Where", "Why", "Mostly by", "First", "Worse by", "Share of all, %", "Together, %"]
    )
    review, comparison = state.review, state.comparison
    if review is None or comparison is None or not comparison.again_over:
        out.note = again(state, units).note
        return out
    total, reached = len(comparison.again), 0
    for g in grouped(comparison.again, review.model):
        first = g.parts[0]
        part = review.model.part(first.revised_id)
        reached += len(g.parts)
        worse = worse_by(first) if first.why == "demand" else None
        name = (part.name or part.id) if part is not None else first.revised_id
        pick: Pick = ("surface" if isinstance(part, Surface) else "member", first.revised_id)
        shares = [100 * len(g.parts) / total, 100 * reached / total]
        out.add([len(g.parts), g.cls, g.place, WHY[g.why], g.cause or None, name, worse, *shares], pick)
    if not any(x.cause for x in comparison.again):
        out.note = "Compare, Why have they changed… finds what adds most to each change, and groups by it"
    return out


def why(state: DeskState, units: UnitSet) -> Rows:
    """The change of values, split into causes; the latest asked for first."""
    out = Rows(
        ["Of", "Part", "Case", "Cause", "Adds, in the first order", "In the second order", "On average", "%"]
    )
    review = state.review
    if review is None or not review.causes:
        out.note = "Pick a part or a node, then Compare, Why has it changed…"
        return out
    for found in review.causes:
        r = found.of
        part = review.model.part(r.revised_id or "")
        factor, unit = unit_of(r.quantity, isinstance(part, Surface), units)
        name = (part.name or part.id) if part is not None else r.revised_id or "all supports"
        head: list[object] = [f"{r.quantity}, {unit}", name, r.case]
        kind = "member" if isinstance(part, Member) else "surface" if part is not None else "node"
        known = part is not None or r.revised_id in review.model.nodes
        pick: Pick = (kind, r.revised_id) if known and r.revised_id else None
        was, now, change = (v * factor for v in (r.baseline, r.revised, r.change))
        out.add(
            [
                *head,
                f"in all, from {was:.4g} to {now:.4g}",
                change,
                change,
                change,
                100.0 if change else None,
            ],
            pick,
        )
        for c in found.causes:
            share = 100 * c.mean / r.change if r.change else None
            out.add(
                [*head, ", ".join(c.names), c.first * factor, c.second * factor, c.mean * factor, share], pick
            )
    out.note = ORDERS
    return out


def unit_of(quantity: str, a_metre: bool, units: UnitSet) -> tuple[float, str]:
    """Factor from SI and unit of a result; `a_metre`: of a slab or wall."""
    if a_metre:
        factor, unit = units.moment if quantity in ("mx", "my", "mxy") else units.force
        return factor / units.length[0], f"{unit}/{units.length[1]}"
    if quantity == "period":
        return 1.0, "s"
    if quantity == "use":
        return 100.0, "% of its elastic section"
    if quantity == "stress":
        return 1e-6, "N/mm²"
    if quantity in ("ux", "uy", "uz", "drift_x", "drift_y"):
        return units.small
    if quantity in ("rx", "ry", "rz"):
        return 1e3, "mrad"
    return units.moment if quantity in ("mt", "mx", "my", "mz") else units.force


WHERE = {
    "carried": "as it was",
    "moved": "with its target",
    "again": "made again by its rule",
    "kept": "kept as it was",
    "partly": "a part of it",
    "gone": "nowhere",
    "asked": "your choice: the source has changed it too",
    "there": "not needed: the source has it",
    "left": "left out by choice",
}


def carried(state: DeskState, units: UnitSet) -> Rows:
    """Return what was made for the reviewed revision, and where it went."""
    out = Rows(["What was made", "Where it went", "Its target moved by, mm", "What could not be placed"])
    review = state.review
    if review is None or review.carried is None or not review.carried.lines:
        before = "" if state.baseline is None else f" for {state.baseline.name}"
        out.note = f"Nothing was made{before} that had to be carried over, or it was taken back"
        return out
    count = {s: sum(line.status == s for line in review.carried.lines) for s in WHERE}
    out.note = ", ".join(f"{n} {WHERE[s]}" for s, n in count.items() if n)
    out.note += ". Compare → Carried-over corrections… leaves lines out"
    model = review.model
    kinds: dict[str, Container[str]] = {
        "member": model.members,
        "surface": model.surfaces,
        "node": model.nodes,
    }
    for line in review.carried.lines:
        pick: Pick = next(
            ((k, i) for i in line.targets or line.ids for k, there in kinds.items() if i in there), None
        )
        moved = line.distance * 1000 if line.distance > 1e-3 else None
        out.add([line.what, WHERE.get(line.status, line.status), moved, line.words or None], pick)
    return out


def _shown(value: object) -> str:
    """A value of a change as a cell has it."""
    if isinstance(value, list):
        return " ".join(f"{v:.3f}" if isinstance(v, float) else _shown(v) for v in value)
    return "" if value is None else f"{value:g}" if isinstance(value, float) else str(value)
