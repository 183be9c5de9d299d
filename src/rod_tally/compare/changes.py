"""Differences of matched members: every attribute, with what it was and what it is, in the baseline's own
axes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from ..model import Material, Member, Model, Section, Surface
from ..model.catalogue.taper import in_axes_of
from ..model.geometry.vectors import Array, local_axes
from .align import SAME, Transform

ANGLE = 0.5  # degrees; local axes that differ by less are the same
EQUAL = 1e-12  # m, or of a unit vector; nearer than this is the same
VALUE = 1e-3  # share by which a value of a section or a material may differ
OFFSET = 1e-3  # m
ONE_WAY = 0.01  # share of its size by which a section may reach farther to one side
# m; a physical part as it is joined, and the analytical one that a program made of it
APART = 0.3
ENDS_OF_MODELS = 0.6  # m, along members: two half depths of what they meet
MATERIAL_VALUES = ("E", "G", "poisson", "density", "strength", "alpha")


@dataclass(slots=True)
class Change:
    """One attribute: `was` and `is_` are names, words or lists of numbers (SI)."""

    what: str
    was: Any
    is_: Any


def corrected_ids(model: Model) -> set[str]:
    """Members and surfaces that a reviewer's correction changed."""
    return {i for e in model.log if e.kind == "corrected" for i in e.ids}


def mixed_kinds(base: Model, revised: Model) -> bool:
    """Return whether a physical model is held against an analytical one: then the physical one's joined
    axes count, and where ends lie along them, for bodies end at the faces of what they meet."""
    return base.physical != revised.physical


def drawn_line(model: Model, m: Member, joined: bool = False) -> Array:
    """A member's axis (2, 3) as its source draws it, moved as corrections moved it; the source's own
    coordinates. `joined`: as transfer joined it to others."""
    line = model.line(m) if joined or m.drawn is None else m.drawn
    return np.asarray(line + model.origin)


def drawn_outline(s: Surface, joined: bool) -> Array:
    """Its outline as the source draws it: where transfer moved an edge to is not the modeller's doing.
    `joined`: as transfer joined it to others."""
    return s.outer if joined or s.source_outer is None else s.source_outer


class MemberChanges:
    """Compares matched members of two models, the revised one brought into the baseline's axes.

    `lines`: of all members of either, (n, 2, 3) in their order, as drawn, in the baseline's axes."""

    def __init__(
        self, base: Model, revised: Model, transform: Transform | None, lines: tuple[Array, Array]
    ) -> None:
        self.base, self.revised = base, revised
        self.touched = corrected_ids(base) | corrected_ids(revised)
        self.mixed = mixed_kinds(base, revised)
        self.back = transform.matrix if transform is not None else np.eye(3)
        self._image = transform is not None and transform.mirrored
        self._lines = lines
        self._at = {i: k for k, i in enumerate(base.members)}, {i: k for k, i in enumerate(revised.members)}
        # parts share few sections and materials: each pair of them is compared once
        self._sections: dict[tuple[str, str, bool], bool] = {}
        self._materials: dict[tuple[str, str], Change | None] = {}
        self._in_place: set[tuple[int, int]] = set()

    def lying_alike(self, pairs: list[tuple[int, int]]) -> None:
        """Find out at once which of these pairs of members (by number) lie, turn and are offset alike: most
        of them, as a rule. Of the others each is looked at by itself."""
        if not pairs:
            return
        i, j = np.array(pairs, np.int64).T

        def of(model: Model, own: Array, back: Array) -> tuple[Array, Array]:
            every = list(model.members.values())
            parts = [every[k] for k in own]
            z = np.array([m.z_axis for m in parts]) @ back
            return z, np.array([[m.offset_start, m.offset_end] for m in parts]) @ back

        za, oa = of(self.base, i, np.eye(3))
        zb, ob = of(self.revised, j, self.back)
        off = np.abs(self._lines[0][i] - self._lines[1][j]).max(axis=(1, 2))
        off = np.maximum(off, np.maximum(np.abs(za - zb).max(axis=1), np.abs(oa - ob).max(axis=(1, 2))))
        good = off <= EQUAL
        self._in_place = set(zip(i[good].tolist(), j[good].tolist()))

    def _pair(self, a: Member, b: Member) -> tuple[int, int]:
        return self._at[0][a.id], self._at[1][b.id]

    def reversed(self, a: Member, b: Member) -> bool:
        """Return whether the revised member runs the other way round."""
        i, j = self._pair(a, b)
        if (i, j) in self._in_place:
            return False
        old, new = self._lines[0][i], self._lines[1][j]
        return bool((old[1] - old[0]) @ (new[1] - new[0]) < 0)

    def _ends_differ(self, old: Array, new: Array, whole: bool) -> bool:
        if not self.mixed:
            return bool(np.linalg.norm(new - old, axis=1).max() > SAME)
        # where a program made several members of a physical one, their ends say nothing
        along = (new - old) @ ((old[1] - old[0]) / np.linalg.norm(old[1] - old[0]))
        return whole and bool(np.abs(along).max() > ENDS_OF_MODELS)

    def of(self, a: Member, b: Member, whole: bool = True) -> list[Change]:
        """Every attribute of a pair that differs; `whole`: neither is one of several pieces of the other."""
        i, j = self._pair(a, b)
        alike, flipped = (i, j) in self._in_place, self.reversed(a, b)
        old, new = self._lines[0][i], self._lines[1][j]
        if flipped:
            new = new[::-1]
        out: list[Change] = []
        if not alike and self._ends_differ(old, new, whole):
            out.append(Change("ends", numbers(old), numbers(new)))
        if not self._one_section(a, b, flipped):
            out.append(Change("section", a.section or None, b.section or None))
        change = self._of_materials(a, b)
        if change is not None:
            out.append(change)
        if not alike:
            z_old, z_new = own_z(old, a.z_axis), own_z(new, b.z_axis @ self.back)
            if np.degrees(np.arccos(np.clip(z_old @ z_new, -1, 1))) > ANGLE and not self._round(a, b):
                out.append(Change("turn", numbers(z_old), numbers(z_new)))
        ways = [one_way_words(m, x.id) for m, x in ((self.base, a), (self.revised, b))]
        if ways[0] != ways[1] and not self.mixed:
            out.append(Change("one_way", *(w or "both ways" for w in ways)))
        ends = [(a.release_start, b.release_start), (a.release_end, b.release_end)]
        offsets = [(a.offset_start, b.offset_start), (a.offset_end, b.offset_end)]
        if flipped:
            ends = [(a.release_start, b.release_end), (a.release_end, b.release_start)]
            offsets = [(a.offset_start, b.offset_end), (a.offset_end, b.offset_start)]
        for name, (was, now) in zip(("release_start", "release_end"), ends):
            if was != now and was.words != now.words:
                out.append(Change(name, was.words, now.words))
        if alike:
            return out
        analytical = not self.mixed and (
            not self.base.physical or not self.revised.physical or bool({a.id, b.id} & self.touched)
        )
        for name, (before, after) in zip(("offset_start", "offset_end"), offsets):
            brought = after @ self.back
            # offsets that transfer makes of a physical source follow from its ends; they are no change of
            # their own
            if analytical and np.abs(before - brought).max() > OFFSET:
                out.append(Change(name, numbers(before), numbers(brought)))
        return out

    def _one_section(self, a: Member, b: Member, flipped: bool) -> bool:
        key = a.section, b.section, flipped
        if key not in self._sections:
            was, now = self.base.sections.get(a.section), self.revised.sections.get(b.section)
            if now is not None:
                now = in_axes_of(now, flipped, self._image)
            self._sections[key] = same_section(was, now)
        return self._sections[key]

    def _of_materials(self, a: Member, b: Member) -> Change | None:
        key = a.material, b.material
        if key not in self._materials:
            self._materials[key] = material_change(self.base, a.material, self.revised, b.material)
        return self._materials[key]

    def _round(self, a: Member, b: Member) -> bool:
        """Return whether turning makes no difference: a section that is the same whichever way it is
        turned."""
        was, now = self.base.sections.get(a.section), self.revised.sections.get(b.section)
        return was is not None and now is not None and was.round and now.round


def own_z(line: Array, z: Array) -> Array:
    """The local z (3,) of a member on a line whose z is as near to `z` as it can be."""
    return np.asarray(local_axes(line[1] - line[0], z))[2]


def numbers(values: Array) -> list[float]:
    """A flat list without minus zero."""
    return [float(v) + 0.0 for v in np.asarray(values, float).ravel()]


def one_way_words(model: Model, member: str) -> str:
    """Which way a member acts and what it bears at most; "" for both ways."""
    limit = model.limits.get(member)
    return model.one_way.get(member, "") + (f", at most {limit / 1e3:.6g} kN" if limit else "")


def same_section(a: Section | None, b: Section | None) -> bool:
    """By values where both have them, within a thousandth (names are no proof); by name otherwise."""
    if a is None or b is None:
        return a is b
    if not (a.usable and b.usable):
        return a.usable == b.usable and a.name == b.name
    if (a.end is None) != (b.end is None) or (a.end is not None and not same_section(a.end, b.end)):
        return False
    if a is b:
        return True
    alike = all(
        abs(getattr(a, k) - getattr(b, k)) <= VALUE * max(abs(getattr(a, k)), abs(getattr(b, k)))
        for k in ("area", "iy", "iz", "j", "avy", "avz")
    )
    # the same values can be those of an angle or a tee that lies the other way round
    return alike and abs(a.iyz - b.iyz) <= ONE_WAY * (a.iy * a.iz) ** 0.5 and _lies_alike(a, b)


def _lies_alike(a: Section, b: Section) -> bool:
    """Return whether the outlines of two sections of one size reach as far to each side of the centroid;
    True where either has none."""
    if not (a.outline and b.outline):
        return True
    size = max(a.width, a.depth, b.width, b.depth)
    return all(abs(x - y) <= ONE_WAY * size for x, y in zip(a.bounds, b.bounds))


def material_change(base: Model, was: str, revised: Model, now: str) -> Change | None:
    """A material that has another name, or another value under its name; None where nothing differs."""
    a, b = base.materials.get(was), revised.materials.get(now)
    if a is None or b is None:
        return None if (a is None) == (b is None) else Change("material", was or None, now or None)
    differ = [k for k in MATERIAL_VALUES if not _near(getattr(a, k), getattr(b, k))]
    if not differ:
        # the same values under another name are another grade only where the names differ beyond a copy's
        # number
        return None if _plain(a.name) == _plain(b.name) else Change("material", a.name, b.name)
    return Change("material", _told(a, differ), _told(b, differ))


def _plain(name: str) -> str:
    head, _, tail = name.rpartition(" (")
    return head if head and tail.rstrip(")").isdigit() else name


def _told(m: Material, keys: list[str]) -> str:
    values = ", ".join(
        f"{k} {'none' if getattr(m, k) is None else format(getattr(m, k), '.6g')}" for k in keys
    )
    return f"{m.name} ({values})"


def _near(a: float | None, b: float | None) -> bool:
    if a is None or b is None:
        return a is b
    return abs(a - b) <= VALUE * max(abs(a), abs(b))
