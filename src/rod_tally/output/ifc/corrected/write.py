"""The source file with the corrected elements in it."""

from __future__ import annotations

import tempfile
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import ifcopenshell
import msgspec
import numpy as np

from ....compare.changes import drawn_outline, same_section
from ....intake import IntakeError
from ....intake.ifc.geometry.placement import Placements
from ....intake.ifc.geometry.profiles import Profiles
from ....intake.ifc.read import ZIPPED, unzipped
from ....intake.ifc.units import Units
from ....model import Member, Model, Section, Surface
from ....model.catalogue.taper import in_axes_of
from ....model.settings import TransferSettings
from ....model.source_file import source_of
from ....progress import Progress, silent
from ....review.following import NotDecided, source_again
from ....transfer import transfer
from ....words import and_more
from ...write import OutputError, write_whole
from .elements import Elements, NotWritten
from .text import Changes

PLACE = 1e-6  # m
VALUES = ("E", "G", "poisson", "density", "strength", "alpha")
NAMED = 6


@dataclass(slots=True)
class Corrected:
    """`sections`, `places`, `materials`: ids of elements that were written with another one; `values`: names
    of materials with another value; `left`: what was not written, and why, in words."""

    path: Path
    sections: list[str] = field(default_factory=list)
    places: list[str] = field(default_factory=list)
    materials: list[str] = field(default_factory=list)
    values: list[str] = field(default_factory=list)
    left: list[str] = field(default_factory=list)

    @property
    def words(self) -> str:
        """Return what was written and what was not."""
        counts = (
            (self.sections, "section", "sections"),
            (self.places, "place", "places"),
            (self.materials, "material", "materials"),
            (self.values, "material's values", "materials' values"),
        )
        done = [f"{len(x)} {one if len(x) == 1 else many}" for x, one, many in counts if x]
        text = (
            f"{self.path}: the source with {', '.join(done)} changed"
            if done
            else f"{self.path}: the source as it is"
        )
        if self.left:
            more = and_more(self.left, NAMED, "; and")
            text += f"; not written: {'; '.join(self.left[:NAMED])}{more}"
        return text


def write_corrected(model: Model, path: Path, progress: Progress = silent) -> Corrected:
    """Write the source file of a model again with the sections, materials and places that were corrected in
    it, in the same elements; all else as it was, byte for byte.

    Raises OutputError where the source is gone, or another file now, or the file cannot be written."""
    source = source_of(model)
    if source.suffix.lower() not in (".ifc", ZIPPED):
        raise OutputError(f"{source.name or 'a model made here'}: there is no IFC file to write again")
    out = Corrected(path)
    with tempfile.TemporaryDirectory() as folder:
        try:
            text = unzipped(source, Path(folder)) if source.suffix.lower() == ZIPPED else source
            data = text.read_bytes()
        except OSError as error:
            raise OutputError(f"{source}: cannot be read: {error.strerror or error}") from None
        except IntakeError as error:
            raise OutputError(str(error)) from None
        if model.corrections:
            try:
                data = _corrected(model, source, text, data, out, progress)
            except (NotDecided, ValueError) as error:
                raise OutputError(f"{source}: {error}") from None

    def fill(to: Path) -> None:
        to.write_bytes(data)

    try:
        write_whole(path, fill)
    except OSError as error:
        raise OutputError(f"{path}: cannot be written: {error.strerror or error}") from error
    return out


def _corrected(
    model: Model, source: Path, text: Path, data: bytes, out: Corrected, progress: Progress
) -> bytes:
    taken = source_again(source, progress)
    plain = transfer(taken, msgspec.convert(model.taken_with, TransferSettings), progress)
    if plain.source_print != model.source_print:
        raise NotDecided(f"{source.name} is another file now than the one that was taken in")
    file = ifcopenshell.open(str(text))
    units = Units((file.by_type("IfcProject") or [None])[0].UnitsInContext)
    placements = Placements(units["LENGTHUNIT"])
    profiles = Profiles(placements, units)
    profiles.read_values(file, [])
    changes = Changes(file)
    work = Elements(changes, placements, profiles, units)
    how = {e.id: e.how for e in taken.elements}
    _materials(model, plain, file, work, out)
    for ident, was in plain.members.items():
        now = model.members.get(ident)
        if now is None:
            out.left.append(f"{_called(was)} was deleted here and is still in it")
            continue
        try:
            _member(was, now, plain, model, file, work, how.get(ident, ""), out)
        except NotWritten as error:
            out.left.append(f"{_called(now)}: {error}")
    for ident, surface in plain.surfaces.items():
        other = model.surfaces.get(ident)
        if other is None:
            out.left.append(f"{_called(surface)} was deleted here and is still in it")
            continue
        if other.thickness != surface.thickness:
            out.left.append(f"{_called(other)}: its thickness")
        if not _one_outline(surface, other):
            out.left.append(f"{_called(other)}: its outline or openings")
        try:
            if _other_material(surface.material, other.material, plain, model):
                _associate(file, ident, other.material, model, work)
                out.materials.append(ident)
        except NotWritten as error:
            out.left.append(f"{_called(other)}: {error}")
    added = [p for p in model.parts() if plain.part(p.id) is None]
    out.left += [f"{_called(p)} was added here" for p in added]
    return changes.applied(data)


def _one_outline(was: Surface, now: Surface) -> bool:
    """Return whether a surface is drawn as it was, with its openings."""
    pairs = [(drawn_outline(was, False), drawn_outline(now, False)), *zip(was.openings, now.openings)]
    same = all(a.shape == b.shape and np.abs(a - b).max() <= PLACE for a, b in pairs)
    return same and len(was.openings) == len(now.openings)


def _member(
    was: Member,
    now: Member,
    plain: Model,
    model: Model,
    file: Any,
    work: Elements,
    how: str,
    out: Corrected,
) -> None:
    old, new = was.drawn, now.drawn
    if old is None or new is None:
        return
    a, b = plain.sections.get(was.section), model.sections.get(now.section)
    z = now.z_axis
    # one that was turned round is the same in the file
    back = bool((old[1] - old[0]) @ (new[1] - new[0]) < 0)
    if back:
        new = new[::-1]
        b = in_axes_of(b, True, False) if b is not None else None
    resized = b is not None and (a is None or not same_section(a, b))
    moved = bool(np.abs(new - old).max() > PLACE)
    turned = bool(np.abs(_across(z, new) - _across(was.z_axis, old)).max() > PLACE)
    material = _other_material(was.material, now.material, plain, model)
    if not (resized or moved or turned or material):
        return
    if now.element:
        raise NotWritten("it is a chord of a curved element")
    if now.source_line is not None and was.source_line is not None:
        ends = now.source_line[::-1] if back else now.source_line
        if np.abs(ends - was.source_line).max() > PLACE:
            raise NotWritten("it was split or merged here")
    element = _entity(file, now.id)
    profile: Any = None
    if turned and how == "axis":
        raise NotWritten("it has no body that could be turned")
    if resized or moved or turned:
        line, stays = new + model.origin, not (moved or turned)
        profile = _shape(element, line, z, (a, b if resized else None), how, stays, work)
        if resized:
            out.sections.append(now.id)
        if moved or turned:
            work.axis(element, new + model.origin)
            out.places.append(now.id)
    if material or (resized and profile is not None):
        entity = work.material(now.material, model.materials[now.material]) if material else None
        work.associate(element, entity, profile if resized else None)
        if material:
            out.materials.append(now.id)


def _shape(
    element: Any,
    line: Any,
    z: Any,
    sections: tuple[Section | None, Section | None],
    how: str,
    stays: bool,
    work: Elements,
) -> Any:
    """Write an element's body; returns its profile. `sections`: as it was, and another one if it has one
    now."""
    wanted = sections[1] or sections[0]
    if how not in ("extrusion", "axis"):
        raise NotWritten("its body is no plain extrusion that could be changed")
    if wanted is None or wanted.end is not None:
        raise NotWritten("its section tapers or is not known")
    if how == "axis":
        return None if sections[1] is None else work.profile(wanted)[0]
    entity, source = work.profile(wanted)
    work.body(element, line, z, entity, source, stays)
    return entity


def _materials(model: Model, plain: Model, file: Any, work: Elements, out: Corrected) -> None:
    """Values of materials that the file has."""
    for name, now in model.materials.items():
        was = plain.materials.get(name)
        keys = [] if was is None else [k for k in VALUES if getattr(was, k) != getattr(now, k)]
        if not keys or was is None:
            continue
        own = [e for e in file.by_type("IfcMaterial") if (e.Name or "").strip() == was.name]
        try:
            if len(own) != 1:
                raise NotWritten("the file has no single material of that name")
            work.values(own[0], now, keys)
            out.values.append(name)
        except NotWritten as error:
            out.left.append(f"values of material {name}: {error}")


def _other_material(was: str, now: str, plain: Model, model: Model) -> bool:
    return was != now and now in model.materials


def _associate(file: Any, ident: str, material: str, model: Model, work: Elements) -> None:
    work.associate(_entity(file, ident), work.material(material, model.materials[material]), None)


def _entity(file: Any, ident: str) -> Any:
    try:
        return file.by_guid(ident)
    except RuntimeError:
        raise NotWritten("the file has no element of that identity") from None


def _across(z: Any, line: Any) -> Any:
    """The local z of a member on a line."""
    x = (line[1] - line[0]) / np.linalg.norm(line[1] - line[0])
    across = z - (z @ x) * x
    return across / np.linalg.norm(across)


def _called(part: Any) -> str:
    return f"{part.cls} {part.name or part.id}"
