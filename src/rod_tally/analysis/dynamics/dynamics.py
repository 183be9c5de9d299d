"""Results that the stiffness of a run gives beside its cases: modes, responses to spectra, centres of
storeys, with one factorisation."""

from __future__ import annotations

from dataclasses import dataclass, field

from ...loads import Distribution
from ...model import Model, Settings
from ...progress import Progress, silent
from ..results.centres import StoreyCentre, storey_centres
from ..results.results import Results
from ..solve.flexibility import Flexibility, flexibility
from .modes import Mode, modes
from .spectrum import fill_spectra


@dataclass(slots=True)
class Dynamics:
    """Modes, slowest first, and storeys' centres, lowest first; empty where nothing could be found."""

    modes: list[Mode] = field(default_factory=list)
    centres: list[StoreyCentre] = field(default_factory=list)


def dynamics(
    model: Model,
    results: Results,
    settings: Settings,
    distribution: Distribution,
    progress: Progress = silent,
    own: Flexibility | None = None,
) -> Dynamics:
    """Find modes and centres of what a run computed; put the response of spectra into `results`. Nothing
    where something moves freely.

    `own`: the run's stiffness and factors where they were kept; closed here.
    """
    try:
        if own is None and (settings.modes.count > 0 or model.storeys):
            own = flexibility(model, results, settings, progress)
        found = modes(model, results, settings, progress, distribution, own) if own is not None else []
        fill_spectra(model, results, found, settings, distribution, progress, own)
        progress("Centres of storeys", 0.95)
        return Dynamics(found, storey_centres(model, own, settings, distribution))
    finally:
        if own is not None:
            own.close()
