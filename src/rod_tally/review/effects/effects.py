"""Effect of each switch, by a run with its other value, and of the worst two of them together."""

from __future__ import annotations

import multiprocessing
import os
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from copy import copy
from dataclasses import replace

from ...analysis.run import AnalysisError
from ...intake import SourceModel
from ...model import Settings
from ...model.changes import changed
from ...progress import Progress, silent
from ..cache import Cache
from ..review import Review
from .effect import FIRST, MEND, PAIR, TITLES, Effect
from .measures import QUANTITIES, changed_parts, measured
from .quick import Runs
from .switches import NoSwitch, Switch, switches, together

FOR_PAIRS = 3  # switches that raise a size most, and as many that lower it, of which pairs are made
MOST_PAIRS = 24
ALIKE = {"springs": "base", "less_cracked": "cracked"}  # other values of the same thing under other names
THREADS = ("MKL_NUM_THREADS", "OMP_NUM_THREADS")


def effects(
    done: Review,
    source: SourceModel | None,
    progress: Progress = silent,
    known: Sequence[Effect] = (),
    each: Callable[[Effect], object] = lambda _: None,
    jobs: int = 1,
    pairs: bool = True,
) -> list[Effect]:
    """Return every switch of a review that has run with what a full run with its other value gives, in the
    order of the switches, then the pairs of those that do most. A switch that changes nothing of the model or
    the settings is left out.

    `known`: of the same review, what an earlier call found before it was stopped; `each` gets every one as
    soon as it is there; `jobs`: in how many processes."""
    maker = Maker(done, source)
    try:
        return _effects(maker, progress, known, each, jobs, pairs)
    finally:
        maker.close()


def _effects(
    maker: Maker,
    progress: Progress,
    known: Sequence[Effect],
    each: Callable[[Effect], object],
    jobs: int,
    pairs: bool,
) -> list[Effect]:
    before = {key_of(e): e for e in known}
    every = list(range(len(maker.switches)))
    found: dict[int, Effect | None] = {}
    for k, s in enumerate(maker.switches):
        if (old := before.get(key_of(s))) is not None:
            found[k] = old
            each(old)
    todo: list[tuple[int, ...]] = [(k,) for k in every if k not in found]
    with Workers(maker, min(jobs, len(todo))) as workers:
        count = max(len(todo), 1)
        for (k,), effect in workers.of(todo, lambda k, n: progress(maker.words(k), n / count)):
            found[k] = effect
            if effect is not None:
                each(effect)
        singles = {k: e for k in every if (e := found.get(k)) is not None}
        out = list(singles.values())
        wanted = worst_pairs(singles, maker.switches) if pairs else []
        kept = {tuple(key_of(e) for e in p.both): p for p in known if p.both}
        left = []
        for a, b in wanted:
            old = kept.get((key_of(singles[a]), key_of(singles[b])))
            if old is not None:
                out.append(old)
                each(old)
            else:
                left.append((a, b))
        for (a, b), effect in workers.of(
            left, lambda k, n: progress(f"{maker.words(k)} together", n / max(len(left), 1))
        ):
            if effect is None or effect.fault:
                continue
            effect.both = singles[a], singles[b]
            out.append(effect)
            each(effect)
    return out


class Maker:
    """Makes the effects of a review's switches, which are numbered."""

    def __init__(self, done: Review, source: SourceModel | None) -> None:
        self.done, self.source = done, source
        self.switches = list(switches(done, source))
        self.base = measured(done)
        self.runs = Runs(done)

    def close(self) -> None:
        """Give memory back."""
        self.runs.close()

    def words(self, numbers: tuple[int, ...]) -> str:
        """Return what is tried, for the progress."""
        own = [self.switches[k] for k in numbers]
        return " and ".join(f"{TITLES.get(s.name, s.name)}: {s.is_}" for s in own)

    def effect(self, numbers: tuple[int, ...]) -> Effect | None:
        """Return the effect of a switch, or of several together; None where nothing would change."""
        own = [self.switches[k] for k in numbers]
        first = own[0]
        name, was, is_ = (first.name, first.was, first.is_) if len(own) == 1 else (PAIR, "", "")
        named = tuple(dict.fromkeys(i for s in own for i in s.ids))
        done = self.done
        try:
            other = together(own, done.model, done.settings)
        except NoSwitch as why:
            return Effect(name, named, was, is_, self.base.sizes, fault=str(why))
        if other is None:
            return None
        model, settings = other
        differs = changed(done.model, model)
        same_model = model is done.model or not differs.aspects - {"source", "names"}
        if same_model and replace_transfer(settings, done.settings) == done.settings:
            return None  # the same, or an option of transfer that this model asks nothing of
        out = Effect(
            name, named or tuple(sorted(differs.members | differs.surfaces)), was, is_, self.base.sizes
        )
        try:
            own_ = measured(self.runs.run(model, settings))
        except AnalysisError as error:
            out.fault = str(error)
            return out
        out.after = own_.sizes
        out.parts = changed_parts(self.base, own_, done.settings.compare)
        return out


def replace_transfer(settings: Settings, other: Settings) -> Settings:
    """Return settings with the options of transfer of others."""
    out = copy(settings)
    out.transfer = other.transfer
    return out


def key_of(x: Switch | Effect) -> tuple[object, ...]:
    """Return what tells a switch: a finding by its parts, for several have one code."""
    return x.name, x.was, x.is_, x.ids if x.name.startswith(MEND) else ()


def worst_pairs(found: dict[int, Effect], switches_: list[Switch]) -> list[tuple[int, int]]:
    """Return pairs of switches, by number, that may give a size its lowest or its highest value: of those
    that lower it most by themselves any two, and of those that raise it most. Two values of one thing make no
    pair."""
    out: dict[tuple[int, int], None] = {}
    for q in FIRST:
        by = {k: e.shares[q] for k, e in found.items() if not e.fault and q in e.shares}
        for sign in (1.0, -1.0):
            most = sorted((k for k in by if sign * by[k] > 1e-6), key=lambda k: (-sign * by[k], k))[
                :FOR_PAIRS
            ]
            for n, a in enumerate(most):
                for b in most[n + 1 :]:
                    one, two = sorted((a, b))
                    if not _one_thing(switches_[one], switches_[two]):
                        out[one, two] = None
    return list(out)[:MOST_PAIRS]


def _one_thing(a: Switch, b: Switch) -> bool:
    """Return whether two switches give one thing two values: two gaps may both be mended, one slab is not a
    shell and by yield lines."""
    if ALIKE.get(a.name, a.name) != ALIKE.get(b.name, b.name):
        return False
    return a.ids == b.ids if a.name.startswith(MEND) else a.was == b.was


# -- several processes ---------------------------------------------------------------------------------------

_MAKER: Maker | None = None


def _begin(done: Review, source: SourceModel | None) -> None:
    global _MAKER
    _MAKER = Maker(done, source)


def _one(numbers: tuple[int, ...]) -> Effect | None:
    assert _MAKER is not None
    return _MAKER.effect(numbers)


class Workers:
    """Processes that make effects, each with a copy of the review; none for one job, which is done here."""

    def __init__(self, maker: Maker, jobs: int) -> None:
        self.maker = maker
        self.pool: ProcessPoolExecutor | None = None
        if jobs > 1:
            alone = replace(
                maker.done,
                checked=None,
                comparison=None,
                elsewhere=None,
                carried=None,
                effects=[],
                _cache=Cache(),
            )
            self._threads = {name: os.environ.get(name) for name in THREADS}
            os.environ.update(dict.fromkeys(THREADS, "1"))  # the processes share the machine
            self.pool = ProcessPoolExecutor(
                jobs, multiprocessing.get_context("spawn"), _begin, (alone, maker.source)
            )

    def __enter__(self) -> Workers:
        return self

    def __exit__(self, *error: object) -> None:
        if self.pool is not None:
            self.pool.shutdown(wait=False, cancel_futures=True)
            for name, value in self._threads.items():
                if value is None:
                    os.environ.pop(name, None)
                else:
                    os.environ[name] = value

    def of(
        self, numbers: Sequence[tuple[int, ...]], said: Callable[[tuple[int, ...], int], object]
    ) -> Iterator[tuple[tuple[int, ...], Effect | None]]:
        """Yield the effects of switches as they are made; `said` gets what is done next and how many are
        there, and may raise to stop."""
        if self.pool is None:
            for n, k in enumerate(numbers):
                said(k, n)
                yield k, self.maker.effect(k)
            return
        waiting: dict[Future[Effect | None], tuple[int, ...]] = {
            self.pool.submit(_one, k): k for k in numbers
        }
        n = 0
        while waiting:
            said(next(iter(waiting.values())), n)
            for future in wait(waiting, timeout=1.0, return_when=FIRST_COMPLETED).done:
                n += 1
                yield waiting.pop(future), future.result()


def rows_of(found: list[Effect]) -> list[tuple[object, ...]]:
    """Return rows of `effects.csv`: one a switch and quantity that the model has on either side."""
    out: list[tuple[object, ...]] = []
    for e in found:
        if e.fault or e.both:
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
