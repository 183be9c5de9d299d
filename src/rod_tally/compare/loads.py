"""Load cases, loads one by one, and combinations of a revision against those of its baseline."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Callable, Container, Iterator
from dataclasses import dataclass, field, replace

import numpy as np

from ..model import Combination, LoadCase, Model
from ..model.geometry.vectors import Array, local_axes
from .members import MemberMatch
from .places import Places

PLACE = 2e-3  # m; loads this near to each other are in one place
STRAIGHT = 0.9999  # cosine within which two lines are one
VALUE = 1e-6  # share by which a value may differ


@dataclass(slots=True)
class CaseMatch:
    """`was` and `is_` are kinds; totals are six numbers about the baseline's origin, in its axes."""

    name: str
    status: str
    baseline_name: str | None = None
    revised_name: str | None = None
    was: str | None = None
    is_: str | None = None
    baseline_total: list[float] | None = None
    revised_total: list[float] | None = None


@dataclass(slots=True)
class LoadMatch:
    """A load that is not the same on both sides; `on` is the revision's id where it has one, else the
    baseline's."""

    case: str
    status: str
    on: str
    what: str
    was: str | None
    is_: str | None


@dataclass(slots=True)
class CombinationMatch:
    name: str
    status: str
    was: str | None
    is_: str | None
    baseline_name: str | None = None


@dataclass(slots=True)
class Load:
    """One load in plain numbers, in the baseline's ids and axes: `places` (k, 3), `values` (m,), and words of
    `flags`."""

    on: str
    what: str
    flags: str
    places: Array
    values: Array
    shown_on: str
    by: str = "source"

    def in_place_of(self, other: Load) -> bool:
        """Return whether it is of the other's kind and acts where that does, whatever its size."""
        if (self.on, self.what) != (other.on, other.what) or self.places.shape != other.places.shape:
            return False
        return bool(np.abs(self.places - other.places).max(initial=0.0) <= PLACE)

    def same(self, other: Load) -> bool:
        if (self.on, self.what, self.flags) != (other.on, other.what, other.flags):
            return False
        if self.places.shape != other.places.shape or self.values.shape != other.values.shape:
            return False
        if (
            self.values.tobytes() == other.values.tobytes()
            and self.places.tobytes() == other.places.tobytes()
        ):
            return True  # as most are, and quickly said
        size = max(float(np.abs(self.values).max(initial=0.0)), float(np.abs(other.values).max(initial=0.0)))
        return bool(
            np.abs(self.places - other.places).max(initial=0.0) <= PLACE
            and np.abs(self.values - other.values).max(initial=0.0) <= VALUE * size + 1e-9
        )

    @property
    def words(self) -> str:
        values = " ".join(f"{v + 0.0:.6g}" for v in self.values)
        at = "; ".join(" ".join(f"{v + 0.0:.3f}" for v in p) for p in self.places)
        return values + (f" at {at}" if at else "") + (f", {self.flags}" if self.flags else "")


@dataclass(slots=True)
class Names:
    """The baseline's ids of the revision's parts, by its own."""

    part: dict[str, str] = field(default_factory=dict)
    node: dict[str, str] = field(default_factory=dict)
    flipped: set[str] = field(default_factory=set)
    # of merged surfaces of the baseline the one that is paired
    first: dict[str, str] = field(default_factory=dict)
    # how many surfaces of either side a paired one is, by its id
    pieces_old: Counter[str] = field(default_factory=Counter)
    pieces_new: Counter[str] = field(default_factory=Counter)


def names_of(members: list[MemberMatch], surfaces: list[MemberMatch], places: Places) -> Names:
    """From the matches of members and surfaces and the nodes' places."""
    part = {m.revised_id: m.baseline_id for m in (*members, *surfaces) if m.revised_id and m.baseline_id}
    flipped = {m.revised_id for m in members if m.flipped and m.revised_id}
    out = Names(part, dict(places.node_of), flipped)
    whole = {m.revised_id: m.baseline_id for m in surfaces if m.revised_id and m.baseline_id and not m.piece}
    for m in surfaces:
        if not m.piece or m.baseline_id is None or m.revised_id is None:
            continue
        if m.revised_id in whole:  # merged
            first = whole[m.revised_id]
            out.part[m.revised_id] = out.first[m.baseline_id] = first
            out.pieces_old[first] += 1
        else:
            out.pieces_new[m.baseline_id] += 1
    return out


def match_cases(
    base: Model,
    revised: Model,
    places: Places,
    names: Names,
    totals: tuple[dict[str, Array], dict[str, Array]],
) -> tuple[list[CaseMatch], list[LoadMatch], dict[str, str]]:
    """Cases, loads that differ, and the revised name of each baseline case that has one.

    `totals`: six numbers a case on either side, the revised ones brought back already. A case under another
    name with the same loads is renamed."""
    old = {n: list(loads_of(base, c, None, None)) for n, c in base.cases.items()}
    new = {n: list(loads_of(revised, c, places, names)) for n, c in revised.cases.items()}
    for found in old.values():
        for load in found:
            load.on = names.first.get(load.on, load.on)
    old = {n: _whole(_once(found, names.pieces_old)) for n, found in old.items()}
    new = {n: _whole(_once(found, names.pieces_new)) for n, found in new.items()}
    pair = {n: n for n in base.cases if n in revised.cases}
    for n in base.cases:
        if n in pair:
            continue
        free = [m for m in revised.cases if m not in pair.values() and m not in base.cases]
        twin = next((m for m in free if old[n] and not _differences(n, old[n], new[m])), None)
        if twin is not None:
            pair[n] = twin
    cases: list[CaseMatch] = []
    loads: list[LoadMatch] = []
    for n, m in pair.items():
        differ = _differences(m, old[n], new[m])
        loads += differ
        a, b = base.cases[n], revised.cases[m]
        same = a.kind == b.kind and a.category == b.category and not differ
        status = "renamed" if n != m and same else "same" if same else "changed"
        cases.append(CaseMatch(m, status, n, m, a.kind, b.kind, _six(totals[0], n), _six(totals[1], m)))
    for m in revised.cases:
        if m not in pair.values():
            cases.append(
                CaseMatch(m, "added", None, m, None, revised.cases[m].kind, None, _six(totals[1], m))
            )
    for n in base.cases:
        if n not in pair:
            cases.append(CaseMatch(n, "removed", n, None, base.cases[n].kind, None, _six(totals[0], n), None))
    return cases, loads, pair


def _six(totals: dict[str, Array], name: str) -> list[float] | None:
    found = totals.get(name)
    return None if found is None else [float(v) + 0.0 for v in found]


def loads_of(
    model: Model, case: LoadCase, places: Places | None = None, names: Names | None = None
) -> Iterator[Load]:
    """Every load of a case in the baseline's ids and axes (`places` None: the model is the baseline)."""

    def at(points: Array) -> Array:
        points = np.asarray(points, float).reshape(-1, 3) + model.origin
        return points if places is None else places.back(points)

    def turned(v: object) -> Array:
        v = np.asarray(v, float)
        return v if places is None else places.turned_back(v)

    def couple(v: object) -> Array:
        v = np.asarray(v, float)
        return v if places is None else places.couples_back(v)

    image = places is not None and places.parity < 0

    def part(ident: str) -> str:
        return ident if names is None else names.part.get(ident, f"/{ident}")

    def node(ident: str) -> str:
        return ident if names is None else names.node.get(ident, f"/{ident}")

    none = np.zeros((0, 3))
    if any(case.self_weight):
        yield Load("", "self-weight", "", none, turned(case.self_weight), "")
    for n in case.node_loads:
        yield Load(
            node(n.node),
            "node load",
            "",
            none,
            np.concatenate([turned(n.force), couple(n.moment)]),
            n.node,
            n.by,
        )
    flipped = names.flipped if names is not None else ()
    yield from _member_loads(model, case, at, turned, part, flipped, -1.0 if image else 1.0)
    for area in case.area_loads:
        s = model.surfaces.get(area.surface)
        values: Array = np.array(area.values, float).reshape(-1, 3)
        if area.local and s is not None:
            values = values @ s.axes
        flags = ", ".join(
            f for f, on in (("projected", area.projected), ("to members", area.onto == "members")) if on
        )
        where = none if area.outline is None else _ring(at(area.outline))
        if area.at is not None:
            where = np.concatenate([where, at(area.at)])
        yield Load(
            part(area.surface) if area.surface else "",
            "area load",
            flags,
            where,
            turned(values).ravel(),
            area.surface,
            area.by,
        )
    for space in case.space_loads:
        values = turned(np.array([space.qa, space.qb])).ravel()
        to = part(space.to) if space.to else ""
        yield Load(to, "load in space", "", at(space.line), values, space.to, space.by)
    for t in case.temperatures:
        y = -t.grad_y if (names is not None and t.member in names.flipped) != image else t.grad_y
        yield Load(part(t.member), "temperature", "", none, np.array([t.uniform, y, t.grad_z]), t.member)
    for moved in case.settlements:
        move = np.array(moved.movement, float)
        both = np.concatenate([turned(move[:3]), couple(move[3:])])
        yield Load(node(moved.node), "settlement", "", none, both, moved.node)
    if case.spectrum is not None:
        curve = np.array(case.spectrum.curve, float).ravel()
        flags = f"{case.spectrum.along}, {case.spectrum.rule}, damping {case.spectrum.damping:g}"
        if case.spectrum.eccentricity:
            flags += f", eccentricity {case.spectrum.eccentricity:g}"
        yield Load("", "spectrum", flags, none, curve, "")


def _member_loads(
    model: Model,
    case: LoadCase,
    at: Callable[[Array], Array],
    turned: Callable[[object], Array],
    part: Callable[[str], str],
    flipped: Container[str],
    parity: float,
) -> Iterator[Load]:
    """Loads on members in their order, their places and values worked out at once: there are tens of
    thousands."""
    here = [load for load in case.member_loads if load.member in model.members]
    for load in case.member_loads:
        if load.member not in model.members:
            values = np.array([*load.qa, *load.qb])
            yield Load(part(load.member), "member load", "gone", np.zeros((0, 3)), values, load.member)
    if not here:
        return
    members = [model.members[load.member] for load in here]
    lines = model.lines_of(members)
    way = lines[:, 1] - lines[:, 0]
    u = way / np.linalg.norm(way, axis=1)[:, None]
    a, b, qa, qb = (np.array([getattr(load, k) for load in here], float) for k in ("a", "b", "qa", "qb"))
    local = np.array([load.local for load in here], bool)
    if local.any():
        z = np.array([m.z_axis for m in members], float)[local]
        axes = np.asarray(local_axes(way[local], z)).reshape(-1, 3, 3)
        qa[local], qb[local] = (np.einsum("nji,nj->ni", axes, q[local]) for q in (qa, qb))
    qa, qb = turned(qa), turned(qb)
    moments = np.array([load.kind == "moment" for load in here], bool)
    qa[moments], qb[moments] = qa[moments] * parity, qb[moments] * parity
    ends = at((lines[:, :1] + u[:, None] * np.stack([a, b], axis=1)[:, :, None]).reshape(-1, 3)).reshape(
        -1, 2, 3
    )
    both = np.concatenate([qa, qb], axis=1)
    back = np.concatenate([qb, qa], axis=1)
    for k, load in enumerate(here):
        point = load.a == load.b
        other = load.member in flipped
        places = ends[k, ::-1] if other else ends[k]
        values = qa[k] if point else back[k] if other else both[k]
        what = f"{'point' if point else 'line'} {load.kind}"
        flags = "projected" if load.projected else ""
        where = places[:1] if point else places
        yield Load(part(load.member), what, flags, where, values, load.member, load.by)


def _ring(points: Array) -> Array:
    """An outline (n, 3) from its corner of least x, y, z on, and one way round: exporters start it
    anywhere."""
    begin = int(np.lexsort(np.round(points.T[::-1], 3))[0])
    rolled = np.roll(points, -begin, axis=0)
    a, b = np.round(rolled[1], 3), np.round(rolled[-1], 3)
    return rolled if tuple(a) <= tuple(b) else np.roll(rolled[::-1], 1, axis=0)


def _once(loads: list[Load], pieces: Counter[str]) -> list[Load]:
    """A pressure over all pieces of a surface is one over all of it: where each has the same it counts
    once."""

    def key(load: Load) -> tuple[str, str, bytes] | None:
        over_all = load.what == "area load" and pieces[load.on] and not len(load.places)
        return (load.on, load.flags, np.round(load.values, 3).tobytes()) if over_all else None

    count = Counter(k for load in loads if (k := key(load)) is not None)
    left = {k: n // (pieces[k[0]] + 1) if n % (pieces[k[0]] + 1) == 0 else n for k, n in count.items()}
    out: list[Load] = []
    for load in loads:
        k = key(load)
        if k is not None:
            left[k] -= 1
            if left[k] < 0:
                continue
        out.append(load)
    return out


def _whole(loads: list[Load]) -> list[Load]:
    """Line loads on one member that go on where another ends, with the same slope, as one: how a program cuts
    a load says nothing about it."""
    out: list[Load] = []
    lines: dict[tuple[str, str, str], list[Load]] = defaultdict(list)
    for load in loads:
        if load.what.startswith("line ") and len(load.places) == 2:
            lines[load.on, load.what, load.flags].append(load)
        else:
            out.append(load)
    for own in lines.values():
        if len(own) == 1:
            out += own
            continue
        way = own[0].places[1] - own[0].places[0]
        way = way / max(float(np.linalg.norm(way)), 1e-12)
        rest = sorted((_along(load, way) for load in own), key=lambda x: tuple(x.places @ way))
        done: list[Load] = []
        for load in rest:
            k = next((k for k, other in enumerate(done) if _goes_on(other, load)), None)
            if k is None:
                done.append(load)
            else:
                a, b = done[k], load
                half = len(a.values) // 2
                values = np.concatenate([a.values[:half], b.values[half:]])
                places = np.stack([a.places[0], b.places[1]])
                done[k] = Load(a.on, a.what, a.flags, places, values, a.shown_on, a.by)
        out += done
    return out


def _along(load: Load, way: Array) -> Load:
    """A line load drawn along `way`."""
    if (load.places[1] - load.places[0]) @ way >= 0:
        return load
    half = len(load.values) // 2
    values = np.concatenate([load.values[half:], load.values[:half]])
    return replace(load, places=load.places[::-1], values=values)


def _goes_on(a: Load, b: Load) -> bool:
    """Return whether a line load goes on with another where it ends: the same value there, the same slope,
    one line."""
    half = len(a.values) // 2
    if np.abs(a.places[1] - b.places[0]).max() > PLACE:
        return False
    la, lb = (float(np.linalg.norm(x.places[1] - x.places[0])) for x in (a, b))
    if min(la, lb) <= PLACE:
        return False
    straight = (a.places[1] - a.places[0]) @ (b.places[1] - b.places[0]) / (la * lb) > STRAIGHT
    size = max(float(np.abs(a.values).max()), float(np.abs(b.values).max()), 1e-9)
    meets = np.abs(a.values[half:] - b.values[:half]).max() <= VALUE * size
    slopes = (a.values[half:] - a.values[:half]) / la, (b.values[half:] - b.values[:half]) / lb
    return bool(straight and meets and np.abs(slopes[0] - slopes[1]).max() <= VALUE * size / min(la, lb))


def _differences(case: str, old: list[Load], new: list[Load]) -> list[LoadMatch]:
    """Loads of one case that have no equal on the other side; two on one part of one kind are one that
    changed."""
    pool: dict[tuple[str, str, str], list[Load]] = defaultdict(list)
    for load in old:
        pool[load.on, load.what, load.flags].append(load)
    rest: list[Load] = []
    for load in new:
        mine = pool.get((load.on, load.what, load.flags), [])
        twin = next((k for k, other in enumerate(mine) if other.same(load)), None)
        if twin is None:
            rest.append(load)
        else:
            del mine[twin]
    left: dict[tuple[str, str], list[Load]] = defaultdict(list)
    for mine in pool.values():
        for load in mine:
            left[load.on, load.what].append(load)
    out = []
    for load in rest:
        mine = left.get((load.on, load.what), [])
        if mine:
            was = mine.pop(0)
            out.append(LoadMatch(case, "changed", load.shown_on, load.what, was.words, load.words))
        else:
            out.append(LoadMatch(case, "added", load.shown_on, load.what, None, load.words))
    for mine in left.values():
        out += [LoadMatch(case, "removed", was.shown_on, was.what, was.words, None) for was in mine]
    return out


def match_combinations(
    base: list[Combination], revised: list[Combination], pair: dict[str, str]
) -> tuple[list[CombinationMatch], dict[str, str]]:
    """Combinations by what is in them, then by name; and the revised name of each baseline one with the same
    factors."""

    def key(c: Combination, renamed: dict[str, str]) -> tuple[object, ...]:
        factors = frozenset((renamed.get(k, k), round(v, 9)) for k, v in c.factors.items() if v)
        return c.kind, factors, frozenset(renamed.get(r, r) for r in c.roots)

    old: dict[tuple[object, ...], list[Combination]] = defaultdict(list)
    for c in base:
        old[key(c, pair)].append(c)
    by_name = {c.name: c for c in base}
    out: list[CombinationMatch] = []
    same: dict[str, str] = {}
    rest: list[Combination] = []
    for c in revised:
        twins = old.get(key(c, {}), [])
        twin = next((t for t in twins if t.name == c.name), twins[0] if twins else None)
        if twin is None:
            rest.append(c)
            continue
        twins.remove(twin)
        same[twin.name] = c.name
        named = by_name.get(c.name)
        if twin.name == c.name:
            out.append(CombinationMatch(c.name, "same", words_of(twin), words_of(c), twin.name))
        elif named is not None:  # another one had that name
            out.append(CombinationMatch(c.name, "changed", words_of(named), words_of(c), twin.name))
        else:
            out.append(CombinationMatch(c.name, "renamed", twin.name, c.name, twin.name))
    left = {c.name: c for group in old.values() for c in group}
    for c in rest:
        was = left.pop(c.name, None)
        if was is None:
            out.append(CombinationMatch(c.name, "added", None, words_of(c)))
        else:
            out.append(CombinationMatch(c.name, "changed", words_of(was), words_of(c), was.name))
    out += [CombinationMatch(n, "removed", words_of(c), None, n) for n, c in left.items()]
    return out, same


def words_of(c: Combination) -> str:
    """ "1.35 G + 1.5 Q"."""
    plain = " + ".join(f"{v:g} {n}" for n, v in c.factors.items() if n not in c.roots).replace("+ -", "- ")
    root = ", ".join(f"{c.factors[r]:g} {r}" for r in c.roots)
    return " ± ".join(p for p in (plain, f"root of squares of {root}" if root else "") if p)
