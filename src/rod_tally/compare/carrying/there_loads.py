"""The same of load cases and loads: which of them the revision's source brought itself."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import replace
from typing import Any

import numpy as np

from ...model import LoadCase, Model
from ...model.edits import EditError
from ...model.edits.load_values import LISTS, build_load, times
from ...model.geometry.vectors import Array
from ..loads import VALUE, Load, loads_of
from .moving import Mover
from .parts import Target

SAME_SIZE = 1e-6  # share by which sizes of loads may differ
Record = dict[str, Any]


class There(Exception):
    """Nothing of a correction is left to be done."""


class LoadsThere:
    """Takes out of a record of load cases or loads what need not be done on this revision. `skipped` says
    whether anything was."""

    def __init__(self, base: Model, revised: Model, move: Mover) -> None:
        self.base, self.revised, self.move = base, revised, move
        self.skipped = False
        # records that meet what the source has changed itself, and in words what each side says
        self.asked: list[tuple[Record, str]] = []
        # loads of the revision's source that stand for one that was added here, and those that were added to
        # it, by case
        self._stood: dict[str, list[Load]] = {}
        self._made: dict[str, list[Load]] = {}
        self._otherwise: dict[str, float] = {}  # cases that the source has multiplied by another factor
        self._ahead = self._done_factors()

    def _numbered(self, case: str) -> list[tuple[tuple[str, int], Load]]:
        """Loads of a case of the revision: kind and number, and in plain numbers."""
        own = self.revised.cases[case]
        loads = loads_of(self.revised, replace(own, self_weight=(0.0, 0.0, 0.0), spectrum=None))
        keys = [(kind, k) for kind, (where, _) in LISTS.items() for k in range(len(getattr(own, where)))]
        return list(zip(keys, loads, strict=True))

    def _plain(self, values: dict[str, Any]) -> Load | None:
        """A load of plain values in plain numbers; None for one that cannot be built."""
        probe = LoadCase("")
        try:
            where, load = build_load(values)
        except EditError:
            return None
        getattr(probe, where).append(load)
        return next(iter(loads_of(self.revised, probe)), None)

    def _done_factors(self) -> dict[str, list[float]]:
        """By case the factors that the baseline's was multiplied by, in order, where more loads of the
        revision are as large as those of the baseline are now than as they were before: its source has been
        multiplied already."""
        out: dict[str, list[float]] = {}
        for record in self.base.corrections:
            if record.get("edit") != "ScaleCase":
                continue
            name, factor = str(record["values"]["name"]), float(record["values"]["factor"])
            if name in self.revised.cases and name in self.base.cases:
                out.setdefault(name, []).append(factor)
        for name, factors in list(out.items()):
            now = _vectors(loads_of(self.base, self.base.cases[name]))
            mine = _vectors(loads_of(self.revised, self.revised.cases[name], self.move.places))
            before = now / float(np.prod(factors))
            if _alike(mine, now) <= _alike(mine, before):
                del out[name]
                if not _alike(mine, before) and (share := _multiplied(mine, before)) is not None:
                    self._otherwise[name] = share
        return out

    def _missing(self, case: str, loads: list[dict[str, Any]]) -> list[dict[str, Any]]:
        """Those of loads (of the revision, plain values) that the revision's source did not bring; each of
        its loads counts once. Where it has been multiplied already, so are they."""
        factor = float(np.prod(self._ahead.get(case, [])))
        if factor != 1.0:
            loads = [times(values, factor) for values in loads]
        stood, made = self._stood.setdefault(case, []), self._made.setdefault(case, [])
        known = [own for _, own in self._numbered(case)]
        out, new = [], []
        for values in loads:
            mine = self._plain(values)
            if mine is not None and (theirs := self._other_value(case, mine)) is not None:
                self._ask(case, values, mine, theirs)
                continue
            equal = [
                sum(own.same(mine) for own in other) if mine is not None else 0
                for other in (known, stood, made)
            ]
            if mine is None or equal[0] <= equal[1] + equal[2]:
                out.append(values)
                new += [mine] if mine is not None else []
            else:
                stood.append(mine)
                self.skipped = True
        made += new
        return out

    def _other_value(self, case: str, mine: Load) -> Load | None:
        """A load that the source has new, in the place and of the kind of one that was added here, with
        another value; None for none, or where it is among those of before."""
        if any(own.same(mine) for _, own in self._numbered(case)):
            return None
        old = self.base.cases.get(case)
        before = list(loads_of(self.base, old)) if old is not None else []
        here = replace(self.revised.cases[case], self_weight=(0.0, 0.0, 0.0), spectrum=None)
        for (_, own), turned in zip(self._numbered(case), loads_of(self.revised, here, self.move.places)):
            if not own.in_place_of(mine) or own.by != "source":
                continue
            size = VALUE * float(np.abs(turned.values).max(initial=0.0))
            alike = [x for x in before if x.what == own.what and x.values.shape == own.values.shape]
            if not any(np.abs(x.values - turned.values).max() <= size and x.by == "source" for x in alike):
                return own
        return None

    def _ask(self, case: str, values: dict[str, Any], mine: Load, theirs: Load) -> None:
        record = {"edit": "AddLoads", "values": {"case": case, "loads": [values]}, "places": {}}
        words = (
            f"case {case}, {mine.what} on {mine.shown_on}: {mine.words} was added here, "
            f"the source has {theirs.words} there now"
        )
        self.asked.append((record, words))

    def _add_loads(self, placed: Record) -> list[Record]:
        values = placed["values"]
        if values["case"] in self.revised.cases and values["loads"]:
            values["loads"] = self._missing(values["case"], values["loads"])
            if not values["loads"]:
                if self.asked:
                    return []
                raise There
        return [placed]

    def _add_cases(self, placed: Record) -> list[Record]:
        """Cases that are not there; of those that are, the loads that are not."""
        new, out = [], []
        for case in placed["values"]["cases"]:
            if case["name"] not in self.revised.cases:
                new.append(case)
                continue
            self.skipped = True
            loads = self._missing(case["name"], case.get("loads", []))
            if loads:
                out.append(
                    {"edit": "AddLoads", "values": {"case": case["name"], "loads": loads}, "places": {}}
                )
        if new:
            placed["values"]["cases"] = new
            out.insert(0, placed)
        if not out and not self.asked:
            raise There
        return out

    def _scale(self, record: Record) -> list[Record]:
        name, factor = str(record["values"]["name"]), float(record["values"]["factor"])
        if name in self._otherwise:
            share = self._otherwise[name]
            words = f"case {name}: times {factor:g} here, the source has multiplied its loads by {share:.4g} since"
            self.asked.append((record, words))
            return []
        if self._ahead.get(str(record["values"]["name"])):
            self._ahead[str(record["values"]["name"])].pop(0)
            raise There
        return [record]

    def _which(self, record: Record, case: str, loads: Any) -> list[tuple[str, int] | None]:
        """Kind and number in the revision of loads of the baseline that a record keeps; None for those that
        are not there."""
        if not loads:
            raise Target("which loads it was about was not kept by the release that made it")
        if case not in self.revised.cases:
            raise Target(f"there is no load case {case!r} any more")
        known = self._numbered(case)
        used: set[int] = set()
        out: list[tuple[str, int] | None] = []
        for values in loads:
            try:
                mine = [x for v in self.move.loads([values]) if (x := self._plain(v)) is not None]
            except Target:
                mine = []
            twin = next(
                (n for n, (_, own) in enumerate(known) if n not in used and any(own.same(x) for x in mine)),
                None,
            )
            out.append(None if twin is None else known[twin][0])
            if twin is not None:
                used.add(twin)
        return out

    def _remove_loads(self, record: Record) -> list[Record]:
        found = self._which(record, str(record["values"]["case"]), record.get("loads"))
        which = [[kind, number] for kind, number in (x for x in found if x is not None)]
        self.skipped |= len(which) < len(found)
        if not which:
            raise There
        record["values"]["which"] = which
        return [record]

    def _tell(self, record: Record) -> list[Record]:
        case, loads = str(record["values"]["case"]), record.get("loads") or []
        (found,) = self._which(record, case, loads)
        if found is None:
            (done,) = self._which(record, case, [loads[0] | {"to": record["values"]["to"]}])
            if done is not None:
                raise There
            raise Target("the load that it was about is not there any more")
        record["values"]["number"] = found[1]
        if record["values"]["to"]:
            record["values"]["to"] = self.move.twin(str(record["values"]["to"]))
        return [record]

    def _delete_cases(self, record: Record) -> list[Record]:
        names = [n for n in record["values"]["names"] if n in self.revised.cases]
        self.skipped |= len(names) < len(record["values"]["names"])
        if not names:
            raise There
        record["values"]["names"] = names
        return [record]

    def _set_case(self, record: Record) -> list[Record]:
        """Under its new name already: its kind is still set."""
        old, new = str(record["values"]["name"]), str(record["values"]["new_name"]).strip()
        if old not in self.revised.cases and new in self.revised.cases:
            record["values"]["name"] = new
        return [record]


def _vectors(loads: Iterable[Load]) -> Array:
    """The values of loads (n, 3), wherever they act."""
    found = [x.values.reshape(-1, 3) for x in loads if len(x.values) % 3 == 0]
    return np.concatenate(found) if found else np.zeros((0, 3))


def _alike(mine: Array, other: Array) -> int:
    """How many vectors have an equal among others, each counted once."""
    size = max(float(np.abs(mine).max(initial=0.0)), 1e-9)
    # rounded up not half way, as values are often halves
    a, b = (Counter(map(tuple, np.floor(v / (SAME_SIZE * size) + 0.37).tolist())) for v in (mine, other))
    return sum((a & b).values())


def _multiplied(mine: Array, before: Array) -> float | None:
    """The one factor that the loads of before were multiplied by; None where they were not."""
    if mine.shape != before.shape or not len(mine):
        return None
    a, b = (np.sort(np.linalg.norm(v, axis=1)) for v in (mine, before))
    if not b.min() > 0:
        return None
    share = a / b
    return float(share.mean()) if np.ptp(share) <= 1e-4 * share.mean() else None
