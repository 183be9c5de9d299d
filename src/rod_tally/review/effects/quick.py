"""Runs of a model that differs little from one that has run: what need not be worked out again is not."""

from __future__ import annotations

import numpy as np

from ...analysis.dynamics.dynamics import dynamics
from ...analysis.dynamics.modes import Mode, slowest_mode
from ...analysis.frame.mesh import mesh
from ...analysis.results.storeys import storey_drifts
from ...analysis.run import run_and_keep
from ...analysis.solve.flexibility import flexibility
from ...analysis.solve.near import Near
from ...meshing import Fills
from ...model import Model, Settings
from ...model.geometry.vectors import Array
from ..review import Review
from ..work import make_combinations

NEAR = 2  # modes of the model that has run, to begin with


class Runs:
    """Runs beside one that is there. Panels, faces filled with elements, factors and modes are taken over where
    they are the same or near; of modes only the slowest is found, unless a response to a spectrum needs them
    all; storeys have their drifts alone. Each gives the numbers of a run by itself, to rounding."""

    def __init__(self, done: Review) -> None:
        self.done = done
        self.filled: Fills = {}
        self.stiffness: Near | None = None
        self._begun = False
        shapes = [m.shape for m in done.modes[:NEAR] if m.shape is not None]
        self.near: dict[str, Array] = {}
        if shapes:
            together = np.stack(shapes, axis=2)
            self.near = dict(zip(done.results.node_ids, together))

    def close(self) -> None:
        """Give the factors' memory back."""
        if self.stiffness is not None:
            self.stiffness.close()
            self.stiffness = None

    def _begin(self) -> None:
        """Factorise the stiffness of the run that is there, when the first one beside it is asked for."""
        if not self._begun:
            own = flexibility(self.done.model, self.done.results, self.done.settings)
            self.stiffness, self._begun = None if own is None else Near(own), True

    def run(self, model: Model, settings: Settings) -> Review:
        """Return the run of a later state of the model, with combinations and without checks. Raises
        AnalysisError, RulesError."""
        self._begin()
        loads = self.done.distribution.after(self.done.model, model)
        results, kept = run_and_keep(
            model,
            settings.run,
            distribution=loads,
            meshing=settings.mesh,
            filled=self.filled,
            near=self.stiffness,
        )
        modes: list[Mode] = []
        m = kept.mesh if kept is not None else mesh(model, results.member_ids, plates=results.plates)
        if any(c.spectrum is not None for c in model.cases.values()):
            modes = dynamics(model, results, settings, loads, own=kept).modes
        elif kept is not None:
            modes = slowest_mode(model, kept, settings, loads, self.near)
            kept.close()
        storeys = storey_drifts(model, results, m)
        out = Review(model, settings, results, [], [], modes, storeys)
        out.keep_distribution(loads)
        make_combinations(out)
        return out
