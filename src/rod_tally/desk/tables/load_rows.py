"""Tables of loads: cases, combinations, what is put on, and the load pages of the tally."""

from __future__ import annotations

import numpy as np

from ...model.geometry.vectors import Array
from ...review import CASE, Review
from ...review.tallies.load_tally import ORIGINS, LoadRow, by_origin, by_storey, load_rows
from ...review.tallies.member_loads import member_diagrams
from ..quantities import UnitSet
from ..session.state import DeskState
from .rows import Pick, Rows

PAGES = ("loads by case", "loads by storey", "loads by origin")
MOST_ROWS = 20_000  # of combinations shown; a spreadsheet takes the rest


def cases(state: DeskState, units: UnitSet) -> Rows:
    f = units.force[1]
    out = Rows(
        [
            "Case",
            "Kind",
            "Category",
            "Never together",
            "Loads",
            f"Put on z, {f}",
            "Arrived z",
            "Shells, walls z",
            "Not carried z",
            "Reaction z",
            "Seen",
            "From",
        ]
    )
    review, revision = state.review, state.revision
    if review is None or revision is None:
        return out
    k = units.force[0]
    for row in load_rows(review):
        case = review.model.cases[row.name]
        seen = f"Loads/{CASE}{row.name}" in revision.looked
        reaction = None if row.reaction is None else float(row.reaction[2]) * k
        out.add(
            [
                row.name,
                row.kind,
                row.category,
                case.together,
                row.loads,
                *(float(v[2]) * k for v in (row.put_on, row.arrived, row.held, row.lost)),
                reaction,
                "|" if seen else "",
                case.by,
            ],
            ("case", row.name),
        )
    return out


def combinations(state: DeskState, units: UnitSet) -> Rows:
    out = Rows(["Combination", "Kind", "Factors", "By"])
    review = state.review
    if review is None:
        return out
    if not review.model.combinations:
        out.note = "made by the settings' rule set; Loads, Combinations… puts them into the model"
    found = review.combinations
    out.note = review.rules_fault or out.note
    for c in found[:MOST_ROWS]:
        text = " + ".join(f"{v:g} {n}" for n, v in c.factors.items() if n not in c.roots).replace("+ -", "- ")
        if c.roots:
            text += " ± root of squares of " + ", ".join(f"{c.factors[n]:g} {n}" for n in c.roots)
        out.add([c.name, c.kind, text, c.rule], ("case", c.name))
    return out


def factors(state: DeskState, units: UnitSet) -> Rows:
    """A grid of combinations by cases, whose factors are changed in place."""
    review = state.review
    if review is None:
        return Rows(["Combination", "Kind"])
    found = review.combinations[:MOST_ROWS]
    cases = [n for n in review.model.cases if not review.model.cases[n].is_combination]
    own = bool(review.model.combinations)
    out = Rows(["Combination", "Kind", *cases], changeable=set(cases) if own else set())
    out.note = review.rules_fault or (
        "" if own else "made by the settings' rule set; Loads, Combinations… puts them into the model"
    )
    for c in found:
        cells = [
            f"± {c.factors[n]:g}" if n in c.roots else f"{c.factors[n]:g}" if n in c.factors else ""
            for n in cases
        ]
        out.add([c.name, c.kind, *cells], ("case", c.name))
    return out


def audited(state: DeskState, units: UnitSet) -> Rows:
    """The model's combinations against those that the rule set makes of its cases."""
    out = Rows(["Against the rules", "Combination", "Kind", "The rules' own", "What differs"])
    review = state.review
    if review is None:
        return out
    found = review.audit
    if isinstance(found, str):
        out.note = found[0].upper() + found[1:]
        return out
    words = {"match": "the same", "factors": "other factors", "extra": "no rule for it", "missing": "missing"}
    counts = ", ".join(f"{found.count(s)} {w}" for s, w in words.items() if found.count(s))
    unused = f"; in none: {', '.join(found.unused[:6])}" if found.unused else ""
    out.note = f"{review.settings.combinations.standard}: {counts}{unused}"
    order = {"factors": 0, "extra": 1, "missing": 2, "match": 3}
    for r in sorted(found.rows, key=lambda r: order[r.status])[:MOST_ROWS]:
        there = ("case", r.name) if r.status != "missing" else None
        out.add([words[r.status], r.name, r.kind, r.twin or None, r.words or None], there)
    return out


def member_sums(state: DeskState, units: UnitSet) -> Rows:
    """Return what each member carries in the shown case, from everything: mean, peak and total of its one
    diagram."""
    f = units.force[1]
    head = [
        "Member",
        "Class",
        "Storey",
        f"Mean z, {f}/m",
        f"Peak, {f}/m",
        "Peak at, m",
        f"Total z, {f}",
        f"Concentrated z, {f}",
    ]
    out = Rows([*head, *(f"{o}, z {f}" for o in ORIGINS)])
    review = state.review
    if review is None:
        return out
    model, name = review.model, state.case
    combination = next((c for c in review.combinations if c.name == name), None)
    if name in model.cases:
        parts = [(model.cases[name], 1.0)]
    elif combination is not None:
        parts = [(model.cases[n], v) for n, v in combination.factors.items() if n in model.cases]
    else:
        out.note = "choose a load case above the view"
        return out
    out.note = f"in {name}: slabs, areas, places, by hand and own weight in one"
    k = units.force[0]
    for ident, d in member_diagrams(review, parts).items():
        m = model.members[ident]
        length = model.length(m)
        place, value = d.peak
        total = float(d.force[2])
        single = float(sum(q[2] for _, q, _ in d.points))
        spread = total - single
        by: list[object] = []
        for origin in ORIGINS:
            z = sum(float(q[2]) for _, q, o in d.points if o == origin)
            if origin in d.start:
                z += float(((d.start[origin] + d.end[origin])[:, 2] / 2 * np.diff(d.x)).sum())
            by.append(z * k if abs(z) > 1e-6 else None)
        row: list[object] = [m.name or m.id, m.cls, m.storey, spread / max(length, 1e-9) * k]
        row += [float(np.linalg.norm(value)) * k, place, total * k, single * k if single else None]
        out.add([*row, *by], ("member", ident))
    return out


def load_page(review: Review, page: str, case: str, units: UnitSet, state_origin: str = "") -> Rows:
    """A page of the tally: put on, arrived, lost and balanced."""
    f, k = units.force[1], units.force[0]
    first = {"loads by case": "Case", "loads by storey": "Storey", "loads by origin": "Origin"}[page]
    out = Rows(
        [
            first,
            *(f"Put on {a}, {f}" for a in "xyz"),
            *(f"Arrived {a}, {f}" for a in "xyz"),
            f"Shells, walls z, {f}",
            f"Not carried z, {f}",
            "Share not carried",
            f"Area × pressure, {f}",
            *(f"Reaction {a}, {f}" for a in "xyz"),
        ]
    )
    if page == "loads by case":
        rows = load_rows(review)
        out.note = "of every case; a row shows the case"
    elif case not in review.model.cases:
        out.note = "choose a load case above the view"
        return out
    else:
        rows = by_storey(review, case) if page == "loads by storey" else by_origin(review, case)
        out.note = f"of case {case}"
        if page == "loads by origin":
            out.note += "; a row shows its loads alone, and again all" + (
                f" · shown: {state_origin}" if state_origin else ""
            )
    total = LoadRow("in all")
    for row in rows:
        kind = {"loads by case": "case", "loads by origin": "origin"}.get(page)
        out.add(_values(row, k), (kind, row.name) if kind else None)
        for name in ("put_on", "arrived", "held", "lost"):
            setattr(total, name, getattr(total, name) + getattr(row, name))
    if page != "loads by case" and rows:
        out.add(_values(total, k))
    return out


def _values(row: LoadRow, k: float) -> list[object]:
    def z(v: Array) -> float | None:
        return float(v[2]) * k if abs(v[2]) > 1e-9 else None

    reaction: list[object] = [None] * 3 if row.reaction is None else [float(v) * k for v in row.reaction]
    share = f"{row.share_lost:.1%}" if row.share_lost > 1e-9 else None
    area = row.pressure_area * k if row.pressure_area else None
    put, arrived = (
        [float(v) * k if abs(v) > 1e-6 else None for v in part] for part in (row.put_on, row.arrived)
    )
    return [row.name, *put, *arrived, z(row.held), z(row.lost), share, area, *reaction]


def loads(state: DeskState, units: UnitSet) -> Rows:
    """Every load as it was put on, a row each."""
    f = units.force[1]
    out = Rows(
        [
            "Case",
            "Kind",
            "On",
            "What",
            "From",
            "To",
            "x",
            "y",
            "z",
            "x at end",
            "y at end",
            "z at end",
            "Axes",
            "By",
        ]
    )
    out.note = f"Forces in {f}, line loads in {f}/m, areas in {f}/m²"
    review = state.review
    if review is None:
        return out
    model, k = review.model, units.force[0]
    none: list[object] = [None] * 3

    def scaled(v: object) -> list[object]:
        return [float(x) * k for x in np.asarray(v, float)]

    for case in model.cases.values():
        head = [case.name, case.kind]
        if any(case.self_weight):
            out.add(
                [*head, "all parts", "self-weight", None, None, *case.self_weight, *none, "global", case.by]
            )
        for item in case.node_loads:
            for what, value in (("force", item.force), ("moment", item.moment)):
                if any(value):
                    pick: Pick = ("node", item.node)
                    out.add(
                        [*head, item.node, what, None, None, *scaled(value), *none, "global", item.by], pick
                    )
        for load in case.member_loads:
            member = model.members.get(load.member)
            name = (member.name or member.id) if member else load.member
            what = f"{'point' if load.a == load.b else 'line'} {load.kind}" + (
                ", projected" if load.projected else ""
            )
            end = none if load.a == load.b else scaled(load.qb)
            reach: list[object] = [load.a, None if load.a == load.b else load.b]
            axes = "local" if load.local else "global"
            out.add(
                [*head, name, what, *reach, *scaled(load.qa), *end, axes, load.by], ("member", load.member)
            )
        for area in case.area_loads:
            surface = model.surfaces.get(area.surface)
            name = (surface.name or surface.id) if surface else area.surface or area.name or "free area"
            what = (
                "area on members"
                if area.onto == "members"
                else "area"
                if area.outline is None
                else "part of the area"
            )
            what += ", projected" if area.projected else ""
            end = scaled(area.values[-1]) if len(area.values) > 1 else none
            pick = ("surface", area.surface) if surface else None
            axes = "local" if area.local else "global"
            out.add([*head, name, what, None, None, *scaled(area.values[0]), *end, axes, area.by], pick)
        for share, placed in zip(
            (s for s in review.distribution.case(case.name).shares if s.kind in ("line", "point")),
            case.space_loads,
        ):
            taker = model.part(share.taker)
            name = (taker.name or taker.id) if taker is not None else share.taker or "nothing there"
            end = scaled(placed.qb) if len(placed.line) == 2 else none
            what = f"{share.kind} in space"
            pick = (
                ("surface" if share.taker in model.surfaces else "member", share.taker)
                if taker is not None
                else None
            )
            out.add([*head, name, what, None, None, *scaled(placed.qa), *end, "global", placed.by], pick)
        for t in case.temperatures:
            member = model.members.get(t.member)
            name = (member.name or member.id) if member else t.member
            values = [t.uniform, t.grad_y, t.grad_z]
            out.add(
                [*head, name, "temperature, K; K/m", None, None, *values, *none, "local", t.by],
                ("member", t.member),
            )
        for s in case.settlements:
            values = [v * 1000 for v in s.movement[:3]]
            out.add(
                [*head, s.node, "settlement, mm", None, None, *values, *none, "global", s.by],
                ("node", s.node),
            )
    return out


def worst_direction(state: DeskState, units: UnitSet) -> Rows:
    """Parts for which the combinations hold less than the earthquake from its worst direction gives."""
    force, moment = units.force, units.moment
    out = Rows(["Part", "Of", "At", "Force", f"Combinations hold, {force[1]} or {moment[1]}", "From the worst direction", "Ratio", "Direction, °"])  # fmt: skip
    review = state.review
    if review is None:
        return out
    for d in review.directions_held:
        part = review.model.part(d.ident)
        factor = moment[0] if d.quantity.startswith("m") or d.quantity == "t" else force[0]
        kind = "member" if d.of == "member" else "node" if d.of == "support" else ""
        name = (part.name or part.id) if part is not None else d.ident
        values = [d.held * factor, d.worst * factor, d.ratio, float(np.degrees(d.angle))]
        out.add([name, d.of, d.place, d.quantity, *values], (kind, d.ident) if kind else None)
    out.note = "|rest| + sqrt(a² + b²) of the seismic cases along both axes, over all combinations, beside their envelope"
    return out
