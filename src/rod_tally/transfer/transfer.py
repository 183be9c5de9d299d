"""Entry of this package: a source model in, an analytical model with its log out."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import replace

import msgspec
import numpy as np

from ..intake.readers import Progress, silent
from ..intake.source import SourceModel
from ..model import LogEntry, Model, Skipped, Storey
from ..model.edits import Edit
from ..model.geometry.vectors import Array
from ..model.settings import TransferSettings
from .choose import choose
from .counterparts import counterparts
from .early import make_early
from .levels import one_a_height, storeys_by_level
from .loads import transfer_loads
from .members.analytical import transfer_analytical
from .members.physical import transfer_physical
from .surfaces.analytical_surfaces import transfer_faces
from .surfaces.mid_surfaces import transfer_surfaces
from .surfaces.panels import join_surfaces
from .surfaces.ways import decide_ways

FAR = 10_000.0  # m; beyond this a double keeps less than a micrometre through a solve


def transfer(
    source: SourceModel,
    settings: TransferSettings,
    progress: Progress = silent,
    made: Sequence[Edit] = (),
) -> Model:
    """The analytical model of a source. With both kinds of members in the file the analytical ones are taken.

    What of `made` says what parts are made of counts as if the source said it: it is made before anything is
    joined. It is not recorded: who wants it among the model's corrections makes it again on what this gives.

    Never raises for what the source holds: what cannot be taken over is in `model.skipped` with its reason.
    """
    progress("Making centre lines", 0.0)
    source = one_a_height(choose(source, settings.choose))
    origin = local_origin(source)
    model = Model(
        kind=source.kind,
        schema=source.schema,
        units=dict(source.units),
        source_file=source.file,
        origin=origin,
        storeys=[Storey(s.name, s.elevation - float(origin[2])) for s in source.storeys],
        skipped=list(source.skipped),
        log=list(source.log),
        source_counts=dict(source.counts),
        snap=settings.snap,
        search=max(settings.search, settings.snap),
        taken_with=msgspec.to_builtins(settings),
        source_print=print_of(source),
    )
    if origin.any():
        shown = ", ".join(f"{v:.0f}" for v in origin)
        message = f"the source lies far from its origin; {shown} m was taken off its coordinates, results are given back in the source's own"
        model.log.append(LogEntry("shifted", (), message, float(np.linalg.norm(origin))))
    model.grids = [replace(g, points=g.points - origin[:2]) for g in source.grids]
    model.groups, model.north, model.one_way = dict(source.groups), source.north, dict(source.one_way)
    model.lifting, model.limits, model.bearing = (
        list(source.lifting),
        dict(source.limits),
        dict(source.bearing),
    )
    physical = source.kind == "physical" or (source.kind == "both" and settings.side == "physical")
    if source.kind == "both":
        model.side = "physical" if physical else "analytical"
        _leave_one_side(source, model, physical)
    if physical:
        transfer_surfaces(source, model)
        make_early(model, made, "surfaces")
        progress("Joining surfaces", 0.0)
        for s in model.surfaces.values():
            s.joined_as = s.thickness
        join_surfaces(model, settings)
        for s in model.surfaces.values():
            s.area_share = s.source_area / max(s.area, 1e-12)
        transfer_physical(source, model, settings, progress, made)
    else:
        transfer_analytical(source, model, settings, progress)
        transfer_faces(source, model)
        storeys_by_level(model)
    if source.kind == "both":
        model.counterparts = counterparts(source, model)
    set_by_hand = {f.id for f in source.faces if f.way}
    for s in model.surfaces.values():
        if s.id not in set_by_hand:
            s.way = (
                settings.walls
                if s.upright
                else "shell"
                if s.on_ground or settings.slabs == "auto"
                else settings.slabs
            )
    if settings.slabs == "auto":
        decide_ways(model, set_by_hand)
    transfer_loads(source, model)
    return model


def _leave_one_side(source: SourceModel, model: Model, physical: bool) -> None:
    """List the side of a source with both that is not gone on with."""
    if physical:
        reason = "the physical members were chosen to go on with"
        model.skipped += [
            Skipped("member", c.id, reason, c.name, "IfcStructuralCurveMember", True) for c in source.curves
        ]
        model.skipped += [
            Skipped("surface", f.id, reason, f.name, "IfcStructuralSurfaceMember", True) for f in source.faces
        ]
        count = len(source.curves) + len(source.faces)
        model.log.append(LogEntry("skipped", (), f"{count} analytical members: {reason}"))
    else:
        reason = "the file also holds analytical members, and those are the model"
        model.skipped += [Skipped(e.cls, e.id, reason, e.name, e.ifc_class, True) for e in source.elements]
        model.skipped += [Skipped(s.cls, s.id, reason, s.name, s.ifc_class, True) for s in source.surfaces]
        count = len(source.elements) + len(source.surfaces)
        model.log.append(LogEntry("skipped", (), f"{count} physical members and surfaces: {reason}"))


def local_origin(source: SourceModel) -> Array:
    """Return what to take off all coordinates (m, whole metres): the lowest corner when the source lies far
    away, else zero."""
    lines = [e.line for e in source.elements] + [c.line for c in source.curves]
    lines += [s.body.outer for s in source.surfaces if s.body is not None]
    lines += [sheet.outer for s in source.surfaces for sheet in s.sheets] + [f.outer for f in source.faces]
    if not lines:
        return np.zeros(3)
    points = np.concatenate(lines)
    middle = np.median(points, axis=0)
    return np.where(np.abs(middle) > FAR, np.floor(np.median(points, axis=0) / 10) * 10, 0.0)


def print_of(source: SourceModel) -> str:
    """A digest of the parts of a source and where they lie, whatever their order."""
    parts = [(e.id, e.profile, e.material, e.line.tobytes()) for e in source.elements]
    parts += [(c.id, c.profile, c.material, c.line.tobytes()) for c in source.curves]
    parts += [(s.id, "", s.material, s.body.outer.tobytes() if s.body else b"") for s in source.surfaces]
    parts += [(f.id, "", f.material, f.outer.tobytes()) for f in source.faces]
    digest = hashlib.sha256()
    for *words, place in sorted(parts):
        digest.update("\n".join(map(str, words)).encode() + place)
    return digest.hexdigest()[:16]
