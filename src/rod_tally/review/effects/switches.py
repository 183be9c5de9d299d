"""The guesses, defaults and open choices of a model, each with its other values."""

from __future__ import annotations

import copy
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace

import msgspec
import numpy as np

from ...analysis.cost import coarser_size
from ...intake import SourceModel
from ...meshing.plates import computed_surfaces
from ...model import Model, Settings
from ...model.edits import Edit, EditError
from ...model.entities.loads import Settlement
from ...model.entities.material import STIFFNESS_RANGE
from ...model.settings import TransferSettings
from ..following import NotDecided, decided_again, joins_follow
from ..remedies import edits_for
from ..review import Review
from .effect import MEND

GUESS = "(a guess)"
PERMANENT = ("self-weight", "dead")
EQUAL = 1e-6  # share by which reactions differ that are said to be equal
ACROSS = 1e-3  # m; ends that moved by less across their member carry no moment of their own
# of a concrete's stiffness: EN 1998-1 4.3.1(7); ACI 318-19 table 6.6.3.1.1(a) for columns and uncracked walls
CRACKED = {"cracked": 0.5, "less_cracked": 0.7}
# of the distance to the next support; a relative rotation of 1/500 is acceptable for many structures:
# EN 1997-1 annex H (2), from memory
SETTLES = 1 / 500
QUASI_PERMANENT = 0.3  # psi_2 of dwellings and offices: EN 1990 table A1.1


class NoSwitch(Exception):
    """The other value cannot be tried; the message says why in one line."""


State = tuple[Model, Settings]
Make = Callable[[Model, Settings], State | None]
# in which order several are made: what takes the source in again makes corrections again and nothing else
TAKEN_IN, MENDED, CHANGED, SET = range(4)


@dataclass(slots=True)
class Switch:
    """`make` gives of a model and settings those with the other value, or None where it would be the same. It
    raises NoSwitch. Several are made one on the other by `order`."""

    name: str
    ids: tuple[str, ...]
    was: str
    is_: str
    make: Make
    order: int = CHANGED


def together(switches_: Iterable[Switch], model: Model, settings: Settings) -> State | None:
    """The model and the settings with the other value of several switches; None where one of them changes
    nothing. Raises NoSwitch."""
    state: State | None = (model, settings)
    for s in sorted(switches_, key=lambda s: s.order):
        assert state is not None
        state = s.make(*state)
        if state is None:
            return None
    return state


def switches(done: Review, source: SourceModel | None) -> Iterator[Switch]:
    """Yield the switches of a review; those that transfer decides need its `source`. The likely large ones
    come first: mended findings that block, then bases and joins, then stiffness."""
    model, settings = done.model, done.settings
    yield from _mended(done, source)
    if source is not None and model.physical:
        yield from _of_transfer(model, settings, source)
    yield from _moved_ends(model, settings)
    yield from _of_materials(model, settings)
    yield from _of_ground(model, settings)
    yield from _that_settles(done)
    yield from _of_runs(model, settings)


def _again(source: SourceModel, **options: object) -> Make:
    """The source taken in with other options of transfer, and the corrections made again."""

    def make(model: Model, settings: Settings) -> State | None:
        own = copy.deepcopy(settings)
        for key, value in options.items():
            table, _, name = key.partition("__")
            target = own.transfer if not name else getattr(own.transfer, table)
            setattr(target, name or table, value)
        return _taken(model, own.transfer, source), own

    return make


def _taken(model: Model, settings: TransferSettings, source: SourceModel) -> Model:
    before = model.snapshot()
    before.taken_with = msgspec.to_builtins(settings)
    try:
        out = decided_again(source, before, model.corrections)
    except NotDecided as why:
        raise NoSwitch(str(why)) from None
    if out.missed:
        raise NoSwitch(f"{out.missed[0]} (a correction that cannot be made then)")
    other = out.model
    other.name = model.name
    # cases and combinations that did not come with the source
    other.combinations = other.combinations or list(model.combinations)
    return other


def _of_transfer(model: Model, settings: Settings, source: SourceModel) -> Iterator[Switch]:
    t = settings.transfer
    held = tuple(n for n, x in model.nodes.items() if x.support.any)
    if t.base_support in ("fixed", "pinned") and held:
        other = "pinned" if t.base_support == "fixed" else "fixed"
        yield Switch("base", held, t.base_support, other, _again(source, base_support=other), TAKEN_IN)
    if t.base_support != "spring" and held:
        make = _again(source, base_support="spring")
        yield Switch("springs", held, t.base_support, "on springs", make, TAKEN_IN)
    for rule in ("secondary", "braces"):
        now = getattr(t.releases, rule)
        other = "pinned" if now == "fixed" else "fixed"
        yield Switch(
            "releases",
            (),
            f"{rule} {now}",
            f"{rule} {other}",
            _again(source, **{f"releases__{rule}": other}),
            TAKEN_IN,
        )
    slabs = tuple(s.id for s in model.surfaces.values() if not s.upright)
    if slabs:
        for other in ("shell", "two-way"):
            if other != t.slabs:
                yield Switch("slabs", slabs, t.slabs, other, _again(source, slabs=other), TAKEN_IN)
    walls = tuple(s.id for s in model.surfaces.values() if s.upright)
    if walls:
        other = "column" if t.walls == "shell" else "shell"
        yield Switch("walls", walls, t.walls, other, _again(source, walls=other), TAKEN_IN)


def _moved_ends(model: Model, settings: Settings) -> Iterator[Switch]:
    """Ends that transfer brought across their own line: as they are drawn, tied by rigid arms."""
    moved: dict[str, tuple[np.ndarray, np.ndarray]] = {}
    for m in model.members.values():
        drawn = m.drawn
        if drawn is None or m.offset_start.any() or m.offset_end.any():
            continue
        line = model.line(m)
        way = drawn[1] - drawn[0]
        way = way / np.linalg.norm(way)
        off = drawn - line
        across = off - np.outer(off @ way, way)
        if np.linalg.norm(across, axis=1).max() > ACROSS:
            moved[m.id] = across[0], across[1]
    if moved:

        def make(model: Model, settings: Settings) -> State:
            out = model.snapshot()
            for ident, (start, end) in moved.items():
                if ident in out.members:
                    own = out.members[ident]
                    out.members[ident] = replace(own, offset_start=start, offset_end=end)
            return out, settings

        yield Switch("moved_ends", tuple(moved), "on the axis they meet", "as drawn, on rigid arms", make)


def _of_materials(model: Model, settings: Settings) -> Iterator[Switch]:
    def with_stiffness(values: dict[str, float]) -> Make:
        def make(model: Model, settings: Settings) -> State:
            out = model.snapshot()
            for name, e in values.items():
                m = out.materials.get(name)
                if m is None:
                    continue
                g = m.G * e / m.E if m.G and m.E else m.G
                out.materials[name] = replace(m, E=e, G=g)
            return out, settings

        return make

    for name, m in model.materials.items():
        if m.E and m.kind in STIFFNESS_RANGE and GUESS in (m.origin or {}).get("E", ""):
            ids = tuple(p.id for p in model.parts() if p.material == name)
            for e in STIFFNESS_RANGE[m.kind]:
                if ids and e != m.E:
                    yield Switch(
                        "material",
                        ids,
                        f"{name} E {m.E / 1e9:.4g} GPa",
                        f"{name} E {e / 1e9:.4g} GPa",
                        with_stiffness({name: e}),
                    )
    concrete = {n: m.E for n, m in model.materials.items() if m.kind == "concrete" and m.E}
    ids = tuple(p.id for p in model.parts() if p.material in concrete)
    for name, share in CRACKED.items() if ids else ():
        yield Switch(
            name, ids, "1", f"{share:g}", with_stiffness({n: e * share for n, e in concrete.items()})
        )


def _of_ground(model: Model, settings: Settings) -> Iterator[Switch]:
    bedded = tuple(s.id for s in model.surfaces.values() if s.on_ground and (s.bedding or s.beds))
    for factor, word in ((0.5, "half"), (2.0, "double")) if bedded else ():

        def make(model: Model, settings: Settings, factor: float = factor) -> State:
            out = model.snapshot()
            for ident in bedded:
                if ident not in out.surfaces:
                    continue
                s = copy.copy(out.surfaces[ident])
                s.bedding = s.bedding * factor
                s.beds = [replace(b, modulus=b.modulus * factor) for b in s.beds]
                out.surfaces[ident] = s
            return out, settings

        yield Switch("ground", bedded, "as it is", word, make)


def _that_settles(done: Review) -> Iterator[Switch]:
    """The foot of a column that bears most of the permanent load sinks by SETTLES of the distance to the next one,
    in the heaviest case of it (a permanent action: EN 1990 4.1.1(1)). Of equals the first by place."""
    model, r = done.model, done.results
    cases = [n for n in r.cases if n in model.cases and model.cases[n].kind in PERMANENT]
    feet = _feet(model, r.support_ids)
    if not cases or len(feet) < 2:
        return
    at = [r.support_ids.index(n) for n in feet]
    by_case = {n: r.reaction[r.case_index(n), at, 2] for n in cases}
    up = sum(by_case.values(), np.zeros(len(feet)))
    if up.max() <= 0:
        return
    case = max(sorted(cases), key=lambda n: by_case[n].sum().round(3))
    most = [n for n, f in zip(feet, up) if f > up.max() * (1 - EQUAL)]
    node = min(most, key=lambda n: tuple(model.nodes[n].point.round(6)))
    here = model.nodes[node].point
    away = [round(float(np.hypot(*(model.nodes[n].point - here)[:2])), 6) for n in feet]
    next_one = min((d for d in away if d > 1.0), default=0.0)  # m; nearer is the same footing
    if not next_one:
        return
    down = -next_one * SETTLES

    def make(model: Model, settings: Settings) -> State | None:
        if node not in model.nodes or case not in model.cases or not model.nodes[node].support.stiffness[2]:
            return None
        out = model.snapshot()
        own = copy.copy(out.cases[case])
        own.settlements = [*own.settlements, Settlement(node, (0.0, 0.0, down, 0.0, 0.0, 0.0))]
        out.cases[case] = own
        return out, settings

    yield Switch("settlement", (node,), "none", f"{-down * 1e3:.3g} mm in {case}", make)


def _feet(model: Model, held: Iterable[str]) -> list[str]:
    """Nodes held from below on which members stand and no wall or raft."""
    ends = {n for m in model.members.values() for n in (m.start, m.end)}
    faces = {j.node for s in model.surfaces.values() if s.upright or s.on_ground for j in s.joints}
    return [
        n
        for n in held
        if n in ends - faces and model.nodes[n].support.stiffness[2] and model.nodes[n].support.axes is None
    ]


def _of_runs(model: Model, settings: Settings) -> Iterator[Switch]:
    def with_settings(change: Callable[[Settings], None]) -> Make:
        def make(model: Model, settings: Settings) -> State:
            own = copy.deepcopy(settings)
            change(own)
            return model, own

        return make

    live = [n for n, c in model.cases.items() if c.kind == "live" and n not in settings.modes.mass]
    if live and settings.modes.count:
        more = {n: QUASI_PERMANENT for n in live}
        words = ", ".join(settings.modes.mass)
        yield Switch(
            "mass",
            (),
            words,
            f"{words} and {QUASI_PERMANENT:g} of {', '.join(live)}",
            with_settings(lambda s: s.modes.mass.update(more)),
            SET,
        )
    now = settings.run.shear_flexible
    yield Switch(
        "shear_flexible",
        (),
        str(now).lower(),
        str(not now).lower(),
        with_settings(lambda s: setattr(s.run, "shear_flexible", not now)),
        SET,
    )
    shells = tuple(s.id for s in computed_surfaces(model))
    if shells:
        size = settings.mesh.size if settings.mesh.size != "auto" else coarser_size(model, "auto") / 2
        half = max(round(float(size) / 2, 3), 0.02)
        yield Switch(
            "mesh",
            shells,
            str(settings.mesh.size),
            f"{half:g}",
            with_settings(lambda s: setattr(s.mesh, "size", half)),
            SET,
        )
    one_way = tuple(dict.fromkeys([*model.one_way, *model.lifting, *model.standing, *model.leaning]))
    if one_way:
        acts = settings.run.one_way
        yield Switch(
            "one_way",
            one_way,
            str(acts).lower(),
            str(not acts).lower(),
            with_settings(lambda s: setattr(s.run, "one_way", not acts)),
            SET,
        )


def _mended(done: Review, source: SourceModel | None) -> Iterator[Switch]:
    """Each finding with a remedy: as it is, and mended by the first that it offers."""
    for f in done.findings:
        for action in f.actions:
            edits = edits_for(done.model, f, action)
            if edits:
                yield Switch(f"{MEND}{f.code}", f.ids, "as it is", action, _with(edits, source), MENDED)
                break


def _with(edits: list[Edit], source: SourceModel | None) -> Make:
    def make(was: Model, settings: Settings) -> State | None:
        out = was.snapshot()
        made = 0
        for edit in edits:
            try:
                edit.apply(out)
                made += 1
            except EditError:
                continue
        if not made:
            return None
        if source is not None and joins_follow(was, out):
            try:
                again = decided_again(source, was, out.corrections)
            except NotDecided:
                return out, settings
            if not again.missed:
                out = again.model
        return out, settings

    return make
