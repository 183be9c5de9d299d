"""What each switch changes, by a run with its other value."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from ...analysis.run import AnalysisError
from ...intake import SourceModel
from ...model import Model, Settings
from ...model.changes import changed
from ...progress import Progress, silent
from ..review import Review
from .measures import QUANTITIES, Measured, Size, changed_parts, measured
from .switches import NoSwitch, Switch, switches

Run = Callable[[Model, Settings], Review]


@dataclass(slots=True)
class Effect:
    """One switch: sizes by quantity before and after, and the parts that change by more than the tolerances,
    which first. `fault`: why there is no run with it, "" where there is."""

    name: str
    ids: tuple[str, ...]
    was: str
    is_: str
    before: dict[str, Size] = field(default_factory=dict)
    after: dict[str, Size] = field(default_factory=dict)
    parts: list[str] = field(default_factory=list)
    fault: str = ""

    @property
    def weight(self) -> float:
        """The largest change of a size, as a share of what it was."""
        shares = [abs(self.after[q].value - b.value) / b.value for q, b in self.before.items() if b.value > 0]
        return max(shares, default=0.0)


def effects(done: Review, source: SourceModel | None, run: Run, progress: Progress = silent) -> list[Effect]:
    """Of a review that has run, every switch with what a full run with its other value gives, in the order
    they are computed. A switch that changes nothing of the model or the settings is left out."""
    base = measured(done)
    every = list(switches(done, source))
    out: list[Effect] = []
    for k, s in enumerate(every):
        progress(f"{s.name} {s.is_}", k / max(len(every), 1))
        found = _effect(s, done, base, run)
        if found is not None:
            out.append(found)
    return out


def _effect(s: Switch, done: Review, base: Measured, run: Run) -> Effect | None:
    try:
        other = s.make()
    except NoSwitch as why:
        return Effect(s.name, s.ids, s.was, s.is_, base.sizes, fault=str(why))
    if other is None:
        return None
    model, settings = other
    differs = changed(done.model, model)
    same_model = model is done.model or not differs.aspects - {"source", "names"}
    if same_model and settings == done.settings:
        return None
    if same_model and settings.run == done.settings.run and settings.mesh == done.settings.mesh:
        return None  # an option of transfer that this model asks nothing of
    ids = s.ids or tuple(sorted(differs.members | differs.surfaces))
    out = Effect(s.name, ids, s.was, s.is_, base.sizes)
    try:
        own = measured(run(model, settings))
    except AnalysisError as error:
        out.fault = str(error)
        return out
    out.after = own.sizes
    out.parts = changed_parts(base, own, done.settings.compare)
    return out


def rows_of(found: list[Effect]) -> list[tuple[object, ...]]:
    """Rows of `effects.csv`: one a switch and quantity that the model has on either side."""
    out: list[tuple[object, ...]] = []
    for e in found:
        if e.fault:
            continue
        for q in QUANTITIES:
            before, after = e.before[q], e.after[q]
            if before.value > 0 or after.value > 0:
                out.append(
                    (
                        e.name,
                        " ".join(e.ids),
                        e.was,
                        e.is_,
                        q,
                        after.of,
                        after.place,
                        before.value,
                        after.value,
                        len(e.parts),
                    )
                )
    return out
