"""Load cases that the reviewed revision has by a rule, made again by it for the model that follows."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from ...analysis.by_rule.rules import cases_again, rules_of, same_loads, storey_sums
from ...loads import Distribution
from ...loads.lateral import LateralError
from ...model import LoadCase, Model
from ...model.edits import EditError, MakeCasesAgain
from ...model.entities.loads import CaseRule
from ...model.geometry.vectors import Array
from ...progress import Progress, silent
from .carry import Carried, CarriedOver

SHOWN = 6  # storeys of a case, told
STEP = 1e-3  # share of the largest storey's force by which one must differ to be told


def make_loads_again(base: Model, revised: Model, carried: CarriedOver, progress: Progress = silent) -> None:
    """Make what cases of the revision were made by again on it, and add that to what was carried over, each
    rule as a line of its own that can be left out. Cases changed by hand since are kept, and named. The
    revision is changed."""
    ruled = [x for x in base.corrections if x.get("edit") == "AddCases"]
    own = {
        (c["rule"]["kind"], c["rule"]["made"]) for x in ruled for c in x["values"]["cases"] if c.get("rule")
    }
    if not own:
        return
    _tell_changed(base, carried, own)
    loads = Distribution(revised)
    for rule, names in rules_of(revised):
        line, edit = made_again(base, revised, rule, names, loads, progress)
        if line is None:
            continue
        made = []
        if edit is not None:
            try:
                edit.apply(revised)
            except EditError as error:
                line = replace(line, status="gone", words=str(error))
            else:
                made.append(edit)
                _settled(carried, names)
                loads = Distribution(revised)
        carried.lines.append(line)
        carried.edits += made
        carried.plan.append((line, list(made)))


def made_again(
    base: Model,
    model: Model,
    rule: CaseRule,
    names: dict[str, str],
    loads: Distribution,
    progress: Progress = silent,
) -> tuple[Carried | None, MakeCasesAgain | None]:
    """The cases of a rule made again for a model, with the old forces (as `base` has them) beside the new
    ones by storey in words; (None, None) where they are the same."""
    what = f"{rule.kind} {', '.join(list(names.values())[:4])}{' …' if len(names) > 4 else ''}"
    try:
        made = cases_again(rule, names, model, loads, progress)
    except LateralError as error:
        return Carried(what, "kept", f"could not be made again: {error}"), None
    edit = MakeCasesAgain(made, dict(names))
    trial = model.snapshot()
    try:
        edit.apply(trial)
    except EditError as error:
        return Carried(what, "kept", f"could not be made again: {error}"), None
    made_now = {*names.values(), *(m["name"] for m in made)}
    cases = [c for c in trial.cases if c in made_now]
    if all(n in model.cases and same_loads(model.cases[n], trial.cases[n]) for n in cases) and all(
        n in trial.cases for n in names.values()
    ):
        return None, None
    words = _beside(base, trial, names, cases)
    return Carried(what, "again", words), MakeCasesAgain(made, dict(names))


def _beside(base: Model, now: Model, names: dict[str, str], cases: list[str]) -> str:
    """Old beside new by storey of the case that differs most, and in all."""
    old_loads, new_loads = Distribution(base), Distribution(now)
    best: tuple[float, str] = (-1.0, "")
    for name in cases:
        new = storey_sums(now, now.cases[name], new_loads)
        old = storey_sums(base, base.cases[name], old_loads) if name in base.cases else {}
        way = _way(now.cases[name])
        rows = {s: (way(old.get(s)), way(new.get(s))) for s in [*new, *(s for s in old if s not in new)]}
        most = max((max(a, b) for a, b in rows.values()), default=0.0)
        told = {s: r for s, r in rows.items() if abs(r[0] - r[1]) > STEP * most}
        step = sum(abs(a - b) for a, b in told.values())
        if told and step > best[0] * (1 + 1e-9):
            parts = [f"{s} {a / 1000:.4g} to {b / 1000:.4g} kN" for s, (a, b) in list(told.items())[:SHOWN]]
            more = [f"and {len(told) - SHOWN} more storeys"] if len(told) > SHOWN else []
            total = (sum(a for a, _ in rows.values()), sum(b for _, b in rows.values()))
            text = f"{name}: {', '.join([*parts, *more])}; in all {total[0] / 1000:.4g} to {total[1] / 1000:.4g} kN"
            best = step, text
    gone = [n for n in names.values() if n not in now.cases]
    added = [n for n in cases if n not in names.values()]
    words = [best[1] or "the same by storey, shared by its nodes and slabs as they are now"]
    if added:
        words.append(f"new {', '.join(added)}")
    if gone:
        words.append(f"not any more {', '.join(gone)}")
    return "; ".join(words)


def _way(case: LoadCase) -> Any:
    """Return what of a storey's force is told: the size of that along which the case acts."""
    flat = case.kind in ("wind", "seismic", "notional", "accidental")

    def size(force: Array | None) -> float:
        if force is None:
            return 0.0
        return float(np.hypot(force[0], force[1])) if flat else abs(float(force[2]))

    return size


def _tell_changed(base: Model, carried: CarriedOver, own: set[tuple[str, str]]) -> None:
    """Say of cases that were made by a rule and changed by hand since that they are as they were left."""
    left = {(rule.kind, made) for rule, names in rules_of(base) for made in names}
    changed = sorted(made for kind, made in own if (kind, made) not in left and made in base.cases)
    if changed:
        what = f"load cases {', '.join(changed[:4])}{' …' if len(changed) > 4 else ''}"
        words = "changed by hand since they were made by their rule: kept as they are, not made again"
        carried.lines.append(Carried(what, "kept", words))
        carried.plan.append((carried.lines[-1], []))


def _settled(carried: CarriedOver, names: dict[str, str]) -> None:
    """Drop what could not be placed of cases that were made again afterwards: it is no loss."""
    for k, (line, edits) in enumerate(carried.plan):
        made = [str(c["name"]) for e in edits for c in getattr(e, "cases", ())]
        if line.status == "partly" and made and set(made) <= {*names, *names.values()}:
            settled = replace(line, status="carried", words="", ids=())
            carried.lines[carried.lines.index(line)] = settled
            carried.plan[k] = settled, edits
