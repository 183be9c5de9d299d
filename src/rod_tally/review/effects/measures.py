"""The governing sizes of a run, and which parts of it differ from those of another."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ...analysis.results.results import COMPONENTS
from ...analysis.results.superpose import envelope, factors_of, of_members
from ...analysis.stress.utilisation import utilisations
from ...compare.results.again import of_components
from ...model import Combination
from ...model.geometry.vectors import Array
from ...model.settings import CompareSettings
from ..review import Review
from .effect import Size

QUANTITIES = ("displacement", "drift_x", "drift_y", "period", "use", "reaction", *COMPONENTS)


@dataclass(slots=True)
class Measured:
    """`sizes` by quantity; `low` and `high` (M, 6) of the `members` over all that was computed."""

    sizes: dict[str, Size] = field(default_factory=dict)
    members: list[str] = field(default_factory=list)
    low: Array = field(default_factory=lambda: np.zeros((0, 6)))
    high: Array = field(default_factory=lambda: np.zeros((0, 6)))


def measured(done: Review) -> Measured:
    """Over every case and combination that was computed; periods are the longest, drifts those of storeys."""
    r = done.results
    out = Measured({q: Size() for q in QUANTITIES})
    every = [
        *(Combination(c, "", {c: 1.0}) for c in r.cases),
        *(c for c in done.computed_combinations if all(n in r.cases for n in c.factors)),
    ]
    if r.empty or not every:
        return out
    over = of_members(r, envelope(r, every))
    done_members = np.atleast_1d(r.member_done.any(axis=0))
    out.members = [i for i, done_ in zip(r.member_ids, done_members.tolist()) if done_]
    out.low, out.high = over.low[done_members], over.high[done_members]
    for q, name in enumerate(COMPONENTS):
        size = np.where(done_members, np.maximum(-over.low[:, q], over.high[:, q]), 0.0)
        if len(size) and size.max() > 0:
            k = int(size.argmax())
            x = over.low_x if -over.low[k, q] >= over.high[k, q] else over.high_x
            out.sizes[name] = Size(float(size[k]), r.member_ids[k], _number(float(x[k, q])))
    index = {n: k for k, n in enumerate(r.node_ids)}
    held = r.xyz[[index[n] for n in r.support_ids]] if r.support_ids else np.zeros((0, 3))
    plain, roots = factors_of(r, every)
    for one, root in zip(plain, roots):
        for quantity, values, ids, xyz in (
            ("displacement", r.displacement[:, :, :3], r.node_ids, r.xyz),
            ("reaction", r.reaction[:, :, :3], r.support_ids, held),
        ):
            vectors = np.tensordot(one, values, axes=1)
            if root.any():
                vectors = vectors + np.sqrt(np.tensordot(root**2, values**2, axes=1))
            _largest(out, quantity, vectors, ids, xyz)
    _drifts(out, done, every)
    if done.modes:
        mode = max(done.modes, key=lambda m: m.period)
        out.sizes["period"] = Size(mode.period, f"mode {mode.mode}")
    used = utilisations(done.model, r, every, done.model.members)
    if used:
        ident = max(used, key=lambda i: (used[i], i))
        out.sizes["use"] = Size(used[ident], ident)
    return out


def _largest(out: Measured, quantity: str, vectors: Array, ids: list[str], xyz: Array) -> None:
    if not len(vectors):
        return
    size = np.linalg.norm(vectors, axis=1)
    k = int(size.argmax())
    if size[k] > out.sizes[quantity].value:
        place = " ".join(_number(float(v)) for v in xyz[k])
        out.sizes[quantity] = Size(float(size[k]), ids[k], place)


def _drifts(out: Measured, done: Review, every: list[Combination]) -> None:
    names = list(dict.fromkeys((s.storey, s.elevation) for s in done.storeys))
    by = {(s.case, s.storey, s.elevation): s for s in done.storeys}
    for c in every:
        for name in names:
            rows = [(by.get((case, *name)), f, case in c.roots) for case, f in c.factors.items()]
            for q in ("drift_x", "drift_y"):
                values = [(getattr(s, q) if s is not None else None, f, root) for s, f, root in rows]
                if any(v is None for v, _, _ in values):
                    continue
                plain = abs(sum((v or 0.0) * f for v, f, root in values if not root))
                root = sum(((v or 0.0) * f) ** 2 for v, f, root in values if root) ** 0.5
                if plain + root > out.sizes[q].value:
                    out.sizes[q] = Size(plain + root, name[0], _number(float(name[1])))


def _number(value: float) -> str:
    return repr(round(value, 9) + 0.0).removesuffix(".0")


def changed_parts(before: Measured, after: Measured, limits: CompareSettings) -> list[str]:
    """Members of which the lowest or the highest value of a component differs by more than the tolerances, or
    that only one of the two has; the one that changes most, as a share of the tolerance, first."""
    relative, absolute = of_components(limits)
    now = {i: k for k, i in enumerate(after.members)}
    both = [(k, now[i]) for k, i in enumerate(before.members) if i in now]
    one, two = np.array(both, np.int64).reshape(-1, 2).T
    share = np.zeros(len(both))
    for was, is_ in ((before.low[one], after.low[two]), (before.high[one], after.high[two])):
        allowed = np.maximum(np.maximum(absolute, relative * np.abs(was)), 1e-12)
        share = np.maximum(share, (np.abs(is_ - was) / allowed).max(axis=1, initial=0.0))
    out = [(-float(share[n]), before.members[one[n]]) for n in np.flatnonzero(share > 1.0)]
    out += [(-np.inf, i) for i in set(before.members) ^ set(after.members)]
    return [ident for _, ident in sorted(out)]
