"""Why a result changed since the reviewed revision: the models in between are solved as the two were."""

from __future__ import annotations

from msgspec.structs import replace

from ..analysis.dynamics.dynamics import dynamics
from ..analysis.results.storeys import storey_rows
from ..analysis.run import run_and_keep
from ..compare import Side
from ..compare.causes import Causes, split_change
from ..compare.results import ResultChange
from ..loads import Distribution
from ..model import Model
from ..progress import Progress, silent
from .review import Review
from .work import side_of


def causes_of(base: Review, revised: Review, of: ResultChange, progress: Progress = silent) -> Causes:
    """The causes of a row of the comparison's results. Raises ValueError where the comparison or a run is
    old."""
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
            and of.quantity not in ("shear_x", "shear_y")
        ):
            side.fields = Review(model, own, results, [], []).fields
        return side

    return split_change(side_of(base), side_of(revised), revised.comparison, of, solve, progress)
