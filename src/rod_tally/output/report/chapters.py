"""The chapters of a report from a review; nothing is computed here that the review does not hold."""

from __future__ import annotations

import hashlib
from collections import Counter
from pathlib import Path

import numpy as np

from ... import __version__
from ...analysis.results.superpose import envelope, of_members
from ...model import Combination, Settings
from ...review.decisions import decision_on
from ...review.readiness import readiness
from ...review.review import Review
from ..sketch import Sketches
from .parts import Cell, Chapter, ReportFinding, Table, titled, value

PICTURES = 40  # drawings of places in one report
FORCE_QUANTITIES = {
    "n",
    "vy",
    "vz",
    "mt",
    "fx",
    "fy",
    "fz",
    "mx",
    "my",
    "mz",
    "nx",
    "ny",
    "nxy",
    "mxy",
    "vx",
    "shear_x",
    "shear_y",
}
SMALLEST_MOVE = 1e-4  # m, rad or s; less is no change to look at
LONG = 400  # rows of a table that a reader goes through; the rest is in the files
FORCES = (("n", "force"), ("vy", "force"), ("vz", "force"), ("mt", "moment"), ("my", "moment"), ("mz", "moment"))
SIX = (("Fx", "force"), ("Fy", "force"), ("Fz", "force"), ("Mx", "moment"), ("My", "moment"), ("Mz", "moment"))
TITLES = {
    "source": "Sources and settings", "taken": "What was taken in", "findings": "Findings", "corrections": "Corrections",
    "loads": "Loads and equilibrium", "modes": "Modes", "storeys": "Storeys", "displacements": "Displacements", "forces": "Governing forces of members",
    "walls": "Walls", "cuts": "Floors and cuts", "changes": "Changes since the reviewed revision", "elsewhere": "Results from elsewhere", "sign": "Sign-off",
}  # fmt: skip


def chapters(review: Review, settings: Settings) -> list[Chapter]:
    """In the order of TITLES, each full, short or left out as the settings say; those without content are left out too."""
    made = {
        "source": _source, "taken": _taken, "findings": _findings, "corrections": _corrections, "loads": _loads, "modes": _modes,
        "storeys": _storeys, "displacements": _displacements, "forces": _forces, "walls": _walls, "cuts": _cuts, "changes": _changes,
        "elsewhere": _elsewhere, "sign": _sign,
    }  # fmt: skip
    out = []
    for key, make in made.items():
        how = settings.report.chapters.get(key, "full")
        if how == "off":
            continue
        chapter = make(review, how == "short")
        if chapter.words or chapter.tables or chapter.findings or chapter.sign:
            out.append(chapter)
    return out


def stamps(review: Review) -> list[str]:
    """What has to stand on every page."""
    undecided = [f for f in review.findings if f.severity == "blocking" and decision_on(f, review.decisions) is None]
    out = []
    if undecided:
        out.append(f"{len(undecided)} blocking finding{'s are' if len(undecided) > 1 else ' is'} not decided")
    if review.stale:
        out.append("results are older than the model")
    return out


def _chapter(key: str) -> Chapter:
    return Chapter(key, TITLES[key])


def _shortened(table: Table, short: bool, where: str) -> Table:
    most = 30 if short else LONG
    if len(table.rows) > most:
        table.note = f"{len(table.rows) - most} more rows are in {where}."
        table.rows = table.rows[:most]
    return table


def fingerprint(path: Path) -> str:
    """SHA-256 of a file, "" where it is not there any more."""
    try:
        with path.open("rb") as f:
            return hashlib.file_digest(f, "sha256").hexdigest()
    except OSError:
        return ""


def _source(review: Review, short: bool) -> Chapter:
    out, m = _chapter("source"), review.model
    rows: list[list[Cell | str]] = [
        ["File", Path(m.source_file).name],
        ["SHA-256", fingerprint(Path(m.source_file)) or "the file is not there any more"],
        ["Schema", m.schema],
        ["Kind", m.kind],
        ["Units", ", ".join(f"{k}: {v}".lower() for k, v in m.units.items())],
        ["Rod Tally", __version__],
    ]
    own, plain = review.settings.to_dict(), Settings().to_dict()
    for table, values in own.items():
        for key, v in values.items() if isinstance(values, dict) else ():
            if v != plain.get(table, {}).get(key) and table != "report":
                rows.append([f"Setting {table}.{key}", str(v)])
    out.tables.append(Table("", ["What", "Value"], rows))
    if not short and m.storeys:
        storeys: list[list[Cell | str]] = [
            [s.name, value(s.elevation + float(m.origin[2]), "length")] for s in m.storeys
        ]
        out.tables.append(Table("Storeys of the source", ["Storey", titled("Level", "length")], storeys))
    return out


def _taken(review: Review, short: bool) -> Chapter:
    out = _chapter("taken")
    rows: list[list[Cell | str]] = []
    for row in review.tally:
        reasons = Counter(s.reason for s in row.skipped)
        why = "; ".join(f"{n} {reason}" for reason, n in reasons.most_common(5))
        rows.append([
            row.cls, str(row.source), str(row.model), str(len(row.skipped)), why, value(row.length, "length"), value(row.weight, "force"),
            value(row.area, "area"),
        ])  # fmt: skip
    columns = [
        "Class",
        "In the source",
        "In the model",
        "Skipped",
        "Why",
        titled("Length", "length"),
        titled("Weight", "force"),
        titled("Area", "area"),
    ]
    out.tables.append(Table("", columns, rows))
    moved = Counter(e.kind for e in review.model.log)
    if not short and moved:
        out.words.append("The transfer notes " + ", ".join(f"{n} × {kind}" for kind, n in moved.most_common()) + ".")
    return out


def _findings(review: Review, short: bool) -> Chapter:
    out = _chapter("findings")
    codes = Counter((f.severity, f.code) for f in review.findings)
    decided = Counter((f.severity, f.code) for f in review.findings if decision_on(f, review.decisions) is not None)
    order = ("blocking", "warning", "note")
    rows: list[list[Cell | str]] = [
        [severity, code, str(n), str(decided[severity, code])]
        for (severity, code), n in sorted(codes.items(), key=lambda x: (order.index(x[0][0]), x[0][1]))
    ]
    if not rows:
        out.words.append("There are no findings.")
        return out
    out.tables.append(Table("", ["Severity", "Code", "Found", "Decided"], rows))
    sketches = Sketches(review.model)
    drawn = 0
    for number, f in enumerate(review.findings, 1):
        place = ""
        if f.at is not None:
            place = ", ".join(f"{a + float(b):.3f}" for a, b in zip(f.at, review.model.origin)) + " m"
        picture = ""
        if not short and drawn < PICTURES and f.severity != "note":
            sketch = sketches.of(f.at, f.ids)
            if sketch is not None:
                picture, drawn = sketch.svg(), drawn + 1
        out.findings.append(ReportFinding(number, f, decision_on(f, review.decisions), place, picture))
    return out


def _corrections(review: Review, short: bool) -> Chapter:
    out = _chapter("corrections")
    rows: list[list[Cell | str]] = [
        [str(k), e.message, Cell(_some(e.ids), None, e.ids)]
        for k, e in enumerate((e for e in review.model.log if e.kind == "corrected"), 1)
    ]
    if rows:
        out.tables.append(_shortened(Table("", ["No.", "What was changed", "Parts"], rows), short, "review.json"))
    return out


def _some(ids: tuple[str, ...], most: int = 6) -> str:
    return ", ".join(ids[:most]) + (f" and {len(ids) - most} more" if len(ids) > most else "")


def _loads(review: Review, short: bool) -> Chapter:
    out = _chapter("loads")
    rows: list[list[Cell | str]] = []
    for e in review.results.equilibrium:
        case = review.model.cases.get(e.case)
        kind = case.kind if case is not None else ""
        rows.append(
            [
                e.case,
                kind or "not said",
                *(value(float(v), k) for v, (_, k) in zip(e.applied, SIX)),
                f"{e.residual:.1e}",
            ]
        )
    columns = ["Case", "Kind", *(titled(n, k) for n, k in SIX), "Left over"]
    if rows:
        out.words.append(
            "Sums of applied loads about the source's origin; what is left over with the reactions, as a share of the largest."
        )
        out.tables.append(_shortened(Table("", columns, rows), short, "review.json"))
    lost = [n for n in review.model.cases if n not in review.results.cases]
    if lost:
        out.words.append(f"Not computed: {', '.join(lost)}.")
    return out


def _modes(review: Review, short: bool) -> Chapter:
    out = _chapter("modes")
    rows: list[list[Cell | str]] = [
        [str(k.mode), value(k.period, "period"), *(value(v, "share") for v in (k.mass_x, k.mass_y, k.mass_z))]
        for k in review.modes
    ]
    if rows:
        columns = ["Mode", titled("Period", "period"), *(titled(f"Mass {a}", "share") for a in "xyz")]
        out.tables.append(_shortened(Table("", columns, rows), short, "review.json"))
    return out


def _storeys(review: Review, short: bool) -> Chapter:
    out = _chapter("storeys")
    kinds = (
        ("shear_x", "force"), ("shear_y", "force"), ("drift_x", "small"), ("drift_y", "small"), ("fz", "force"), ("mass", "mass"),
    )  # fmt: skip
    rows: list[list[Cell | str]] = [
        [s.case, s.storey, value(s.elevation, "length"), *(value(getattr(s, n), k) for n, k in kinds)]
        for s in review.storeys
    ]
    if rows:
        names = ("Shear x", "Shear y", "Drift x", "Drift y", "Vertical load", "Mass")
        columns = ["Case", "Storey", titled("Level", "length"), *(titled(n, k) for n, (_, k) in zip(names, kinds))]
        out.tables.append(_shortened(Table("", columns, rows), short, "storeys.csv"))
    return out


def _displacements(review: Review, short: bool) -> Chapter:
    out = _chapter("displacements")
    r = review.results
    rows: list[list[Cell | str]] = []
    for c, case in enumerate(r.cases):
        if not r.node_done[c].any():
            continue
        cells: list[Cell | str] = [case]
        for d in range(3):
            u = r.displacement[c, :, d]
            k = int(abs(u).argmax())
            cells += [value(float(u[k]), "small"), r.node_ids[k]]
        rows.append(cells)
    if rows:
        columns = ["Case"]
        for axis in "xyz":
            columns += [titled(f"Largest u{axis}", "small"), "at node"]
        out.tables.append(_shortened(Table("", columns, rows), short, "displacements.csv"))
    return out


def _forces(review: Review, short: bool) -> Chapter:
    out, r = _chapter("forces"), review.results
    used = [c for c in review.computed_combinations if c.kind == "strength"] or review.computed_combinations
    over = f"{len(used)} combinations"
    if not used:
        used = [Combination(c, "", {c: 1.0}) for c in r.cases]
        over = f"{len(used)} load cases"
    if not used or not len(r.station_member):
        return out
    e = envelope(r, used)
    members = of_members(r, e)
    done: list[bool] = np.atleast_1d(r.member_done.any(axis=0)).tolist()
    groups: dict[tuple[str, str], list[int]] = {}
    for k, ident in enumerate(r.member_ids):
        part = review.model.members.get(ident)
        if part is not None and done[k]:
            groups.setdefault((part.cls, part.section), []).append(k)
    out.words.append(
        f"Lowest and highest of each class and section over {over}, with the member, the place along it and what governs."
    )
    rows: list[list[Cell | str]] = []
    for (cls, section), own in sorted(groups.items()):
        for q, (name, kind) in enumerate(FORCES if not short else (FORCES[0], FORCES[4], FORCES[5])):
            q = q if not short else (0, 4, 5)[q]
            for values, at, by, best in (
                (members.low, members.low_x, members.low_by, min), (members.high, members.high_x, members.high_by, max),
            ):  # fmt: skip
                k = best(own, key=lambda i: values[i, q])  # noqa: B023
                if abs(values[k, q]) < 1.0:
                    continue
                part = review.model.members[r.member_ids[k]]
                rows.append([
                    cls, section, titled(name, kind), value(float(values[k, q]), kind), Cell(part.name or part.id, None, (part.id,)),
                    value(float(at[k, q]), "length"), e.combinations[int(by[k, q])].name,
                ])  # fmt: skip
    columns = ["Class", "Section", "Force", "Value", "Member", titled("At", "length"), "Governs"]
    out.tables.append(_shortened(Table("", columns, rows), short, "envelopes.csv"))
    return out


def _walls(review: Review, short: bool) -> Chapter:
    out, w = _chapter("walls"), review.wall_forces
    if not w.rows:
        return out
    combinations = [c for c in review.computed_combinations if not c.roots]
    strength = [c for c in combinations if c.kind == "strength"] or combinations
    used = strength or [Combination(c, "", {c: 1.0}) for c in w.cases]
    e = envelope(review.results, used, w.values)
    out.words.append(
        f"Resultants at the bottom of each storey over {len(used)} {'combinations' if combinations else 'load cases'}: n positive in tension."
    )
    names = (("n", 0, "force"), ("v in", 1, "force"), ("m in", 4, "moment"))
    computed: list[bool] = np.atleast_1d(w.done.all(axis=0)).tolist()
    walls = list(dict.fromkeys((r.wall, r.ids) for r in w.rows))
    for wall, ids in walls[: 5 if short else 120]:
        rows: list[list[Cell | str]] = []
        for k, row in enumerate(w.rows):
            if (row.wall, row.ids) != (wall, ids) or row.part != "bottom" or not computed[k]:
                continue
            cells: list[Cell | str] = [row.storey]
            for _, q, kind in names:
                cells += [value(float(e.low[k, q]), kind), value(float(e.high[k, q]), kind)]
            cells.append(e.combinations[int(e.low_by[k, 0])].name)
            rows.append(cells)
        if rows:
            columns = ["Storey"]
            for name, _, kind in names:
                columns += [f"{titled(name, kind)} low", "high"]
            out.tables.append(Table(wall, [*columns, "Lowest n by"], rows))
    if len(walls) > len(out.tables):
        out.words.append(f"{len(walls) - len(out.tables)} more walls are in wall_forces.csv.")
    return out


def _cuts(review: Review, short: bool) -> Chapter:
    out = _chapter("cuts")
    kinds = (
        ("n", "force"), ("v", "force"), ("m", "moment"), ("n_members", "force"), ("v_members", "force"), ("m_members", "moment"),
    )  # fmt: skip
    rows: list[list[Cell | str]] = []
    for case in review.results.cases if review.cuts else ():
        for name, f in review.cut_forces(case).items():
            if isinstance(f, str):
                rows.append([case, name, f, *[""] * 5])
            else:
                rows.append([case, name, *(value(getattr(f, n), k) for n, k in kinds)])
    if rows:
        names = ("n", "v", "m", "n of members", "v of members", "m of members")
        columns = ["Case", "Cut", *(titled(n, k) for n, (_, k) in zip(names, kinds))]
        out.tables.append(_shortened(Table("", columns, rows), short, "cuts.csv"))
    return out


def _changes(review: Review, short: bool) -> Chapter:
    out, c = _chapter("changes"), review.comparison
    if c is None:
        return out
    count = Counter(m.status for m in c.parts)
    out.words.append("Members and surfaces: " + ", ".join(f"{n} {s}" for s, n in count.most_common()) + ".")
    rows: list[list[Cell | str]] = []
    for m in c.parts:
        if m.status == "same":
            continue
        ident = m.revised_id or m.baseline_id or ""
        part = review.model.part(ident)
        what = "; ".join(f"{x.what}: {_plain(x.was)} → {_plain(x.is_)}" for x in m.changes)
        name = part.name or ident if part is not None else ident
        rows.append([m.status, m.cls, Cell(name, None, (ident,)), value(m.shift, "small") if m.shift else "", what])
    if rows:
        columns = ["Status", "Class", "Part", titled("Shift", "small"), "What differs, was → is"]
        out.tables.append(_shortened(Table("Members and surfaces", columns, rows), short, "review.json"))
    loads: list[list[Cell | str]] = [
        [x.status, x.case, str(x.on), x.what or "", f"{_plain(x.was)} → {_plain(x.is_)}"] for x in c.loads
    ]
    if loads:
        out.tables.append(
            _shortened(Table("Loads", ["Status", "Case", "On", "What", "Was → is"], loads), short, "review.json")
        )
    limits = review.settings.compare
    grown = [
        (abs(x.change) / max(abs(x.baseline), abs(x.revised)), x)
        for x in c.results
        if abs(x.change) > (limits.absolute_force if x.quantity in FORCE_QUANTITIES else SMALLEST_MOVE)
    ]
    grown = sorted((g for g in grown if g[0] > limits.relative), key=lambda g: (-g[0], -abs(g[1].change)))
    again: list[list[Cell | str]] = [
        [
            x.quantity, x.case, Cell(x.revised_id or "all supports", None, (x.revised_id,) if x.revised_id else ()),
            Cell(f"{x.baseline:.5g}", x.baseline), Cell(f"{x.revised:.5g}", x.revised), f"{share:.0%}",
        ]
        for share, x in grown
    ]  # fmt: skip
    if again:
        columns = ["Quantity", "Case", "Part", "Was, SI", "Is, SI", "Of the larger"]
        title = f"To look at again: {len(again)} results that changed by more than {limits.relative:.0%}, most first"
        out.tables.append(_shortened(Table(title, columns, again), short, "review.json"))
    return out


def _plain(v: object) -> str:
    if isinstance(v, (list, tuple)):
        return "(" + ", ".join(_plain(x) for x in v) + ")" if len(v) < 8 else f"{len(v)} values"
    return f"{v:.5g}" if isinstance(v, float) else "none" if v is None else str(v)


def _elsewhere(review: Review, short: bool) -> Chapter:
    out, e = _chapter("elsewhere"), review.elsewhere
    if e is None:
        return out
    out.words.append(f"{len(e.rows)} values compared, {len(e.unmatched)} rows matched nothing.")
    out.words += [
        f"{s.quantity}: a {s.kind} of {s.value:.6g} would make nearly all agree; it was not applied."
        for s in e.suspected
    ]
    worst = sorted(e.rows, key=lambda r: -abs(r.difference) / max(abs(r.ours), abs(r.theirs), 1e-30))
    rows: list[list[Cell | str]] = [
        [r.quantity, r.case, r.id, f"{r.ours:.5g}", f"{r.theirs:.5g}", f"{r.difference:.5g}"]
        for r in worst[: 30 if short else 200]
    ]
    if rows:
        out.tables.append(
            Table("Largest differences, SI", ["Quantity", "Case", "At", "Ours", "Theirs", "Difference"], rows)
        )
    return out


def _sign(review: Review, short: bool) -> Chapter:
    out = _chapter("sign")
    count = Counter(f.severity for f in review.findings)
    undecided = sum(decision_on(f, review.decisions) is None for f in review.findings)
    out.words.append(
        f"{count['blocking']} blocking findings, {count['warning']} warnings, {count['note']} notes; {undecided} of them not decided."
    )
    if stamps(review):
        out.words.append(f"Not ready for design: {'; '.join(stamps(review))}.")
    rows: list[list[Cell | str]] = [
        [r.what, "yes" if r.good else "no", r.words] for r in readiness(review, review.looks, named=False)
    ]
    out.tables.append(Table("What a signature needs", ["What", "There", "In words"], rows))
    if review.looks and not short:
        looked: list[list[Cell | str]] = [
            [x.item.replace("/", ": "), x.by, x.when[:16].replace("T", " ")] for x in review.looks
        ]
        out.tables.append(Table("Looked at", ["What", "By", "When (UTC)"], looked))
    out.sign = True
    return out
