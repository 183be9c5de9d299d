"""Causes of a result's change since the reviewed revision: the models in between are solved as the two
were."""

from __future__ import annotations

from msgspec.structs import replace

from ..analysis.dynamics.dynamics import dynamics
from ..analysis.results.storeys import storey_rows
from ..analysis.run import run_and_keep
from ..compare import Side
from ..compare.causes import Causes, split_changes
from ..compare.results import ENVELOPE, ResultChange
from ..compare.results.again import LookAgain
from ..loads import Distribution
from ..model import Model
from ..progress import Progress, silent
from .review import Review
from .work import side_of


def causes_of(base: Review, revised: Review, of: ResultChange, progress: Progress = silent) -> Causes:
    """The causes of a row of the comparison's results. Raises ValueError where the comparison or a run is
    old."""
    return _split(base, revised, [of], progress)[0]


def causes_of_again(base: Review, revised: Review, progress: Progress = silent) -> int:
    """Find the main cause of each part to look at again whose demand rose: of its value that is listed, else
    of its force that changed most. Each models in between is solved once for all. How many were found."""
    comparison = revised.comparison
    if comparison is None:
        return 0
    by_part: dict[str, list[ResultChange]] = {}
    for r in comparison.results:
        if r.case == ENVELOPE and r.baseline_id is not None and r.revised_id is not None:
            by_part.setdefault(r.revised_id, []).append(r)
    chosen: list[tuple[LookAgain, ResultChange]] = []
    for x in comparison.again:
        rows = [r for r in by_part.get(x.revised_id, ()) if r.baseline_id == x.baseline_id]
        own = [r for r in rows if r.quantity == x.quantity] or rows
        limits = revised.settings.compare
        moved = [(abs(r.change) / max(limits.of(r.quantity)[1], 1e-9), r) for r in own if r.change]
        if x.why in ("demand", "resistance") and moved:
            chosen.append((x, max(moved, key=lambda m: m[0])[1]))
    if not chosen:
        return 0
    found = _split(base, revised, [r for _, r in chosen], progress)
    for (x, r), causes in zip(chosen, found):
        same = [c for c in causes.causes if c.mean * r.change > 0]
        main = max(same, key=lambda c: abs(c.mean), default=None)
        x.cause = "" if main is None else ", ".join(main.names)
    return len(chosen)


def _split(base: Review, revised: Review, rows: list[ResultChange], progress: Progress) -> list[Causes]:
    if revised.comparison is None or base.stale or revised.stale:
        raise ValueError("causes need a comparison of two runs that are up to date: run both again (F5)")
    settings = revised.settings

    def solve(model: Model, cases: list[str] | None) -> Side:
        spectra = any(model.cases[n].spectrum is not None for n in cases or model.cases)
        loads = Distribution(model)
        own = replace(settings, run=replace(settings.run, cases=cases))
        results, kept = run_and_keep(model, own.run, silent, None, loads, None, own.mesh)
        if cases is None or spectra:
            found = dynamics(model, results, own, loads, silent, kept)
            return Side(
                model, results, [], storey_rows(model, results, loads, settings.modes.mass), found.modes
            )
        if kept is not None:
            kept.close()
        side = Side(model, results, [], storey_rows(model, results, loads, settings.modes.mass))
        if (
            results.plates is not None
            and not results.plates.empty
            and any(r.quantity not in ("shear_x", "shear_y") for r in rows)
        ):
            side.fields = Review(model, own, results, [], []).fields
        return side

    return split_changes(side_of(base), side_of(revised), revised.comparison, rows, solve, progress)
