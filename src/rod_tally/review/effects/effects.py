"""What each switch changes, by a run with its other value."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from ...analysis.run import AnalysisError
from ...intake import SourceModel
from ...model import Model, Settings
from ...model.changes import changed
from ...progress import Progress, silent
from ..review import Review
from .effect import MEND, TITLES, Effect
from .measures import QUANTITIES, Measured, changed_parts, measured
from .switches import NoSwitch, Switch, switches

Run = Callable[[Model, Settings], Review]


def effects(
    done: Review,
    source: SourceModel | None,
    run: Run,
    progress: Progress = silent,
    known: Sequence[Effect] = (),
    each: Callable[[Effect], object] = lambda _: None,
) -> list[Effect]:
    """Return, of a review that has run, every switch with what a full run with its other value gives, in
    the order they are computed. A switch that changes nothing of the model or the settings is left out.

    `known`: of the same review, what an earlier call found before it was stopped; `each` gets every one as
    soon as it is there."""
    base = measured(done)
    every = list(switches(done, source))
    before = {_key(e): e for e in known}
    out: list[Effect] = []
    for k, s in enumerate(every):
        found = before.get(_key(s))
        if found is None:
            progress(f"{TITLES.get(s.name, s.name)}: {s.is_}", k / max(len(every), 1))
            found = _effect(s, done, base, run)
        if found is not None:
            out.append(found)
            each(found)
    return out


def _key(x: Switch | Effect) -> tuple[object, ...]:
    """Return what tells a switch: a finding by its parts, for several have one code."""
    return x.name, x.was, x.is_, x.ids if x.name.startswith(MEND) else ()


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
