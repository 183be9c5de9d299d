"""Physical members to centre lines that meet."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ...intake.readers import Progress
from ...intake.source import SourceElement, SourceModel
from ...model import LogEntry, Member, Model, Skipped
from ...model.catalogue.catalogue import catalogue_name, catalogue_section
from ...model.edits import Edit
from ...model.geometry.panels import Panels, touching_ends
from ...model.geometry.tying import bodies_of
from ...model.geometry.vectors import Array, default_z, local_axes, sagitta
from ...model.settings import TransferSettings
from ..early import make_early
from ..joining.joins import follow, join, merged
from ..joining.member_surface_joints import (
    measure_joints,
    nodes_on_surfaces,
    pass_surfaces,
    place_on_surfaces,
    record_joints,
    ties_of,
)
from ..joining.nodes import add_joints, add_nodes, log_moves
from ..joining.snaps import snap_to_building, tie_far_ends
from .bodies import body_share, settle
from .materials import material_of
from .orientation import orient
from .releases import release_by_rule
from .sections import Offsets, cardinal_offset, sections_of
from .supports import lay_on_ground, support_bases, support_walls

RANK = {"column": 3, "beam": 2, "brace": 1}


def transfer_physical(
    source: SourceModel,
    model: Model,
    settings: TransferSettings,
    progress: Progress,
    made: Sequence[Edit] = (),
) -> None:
    """Fill `model` with the physical members of the source, joined and supported, after what of `made` says
    what they are made of."""
    add_properties(source, model, settings)
    make_early(model, made, "properties")
    offsets = {key: at for key, (_, at) in sections_of(source.profiles).items()}
    members: list[Member] = []
    lines: list[Array] = []
    taken: set[str] = set()
    settled = [settle(e, model) for e in source.elements]
    elements, shares = _with_chords(settled, model)
    for e, line, z_axis in zip(elements, *_centre_lines(elements, model, offsets)):
        if line is None:
            model.skipped.append(Skipped(e.cls, e.id, "it has no length", e.name, e.ifc_class))
            continue
        ident = e.id
        while ident in taken:
            ident += "'"
        if ident != e.id:
            model.log.append(
                LogEntry("guessed", (ident,), f"two elements carry the id {e.id}; the second is {ident}")
            )
        taken.add(ident)
        if e.how in ("measured", "clipped"):
            message = (
                f"{e.cls} {e.name or ident}: axis measured on its body ({e.how}), misfit {abs(e.misfit):.1%}"
            )
            model.log.append(LogEntry("guessed", (ident,), message))
        elif e.how == "axis":
            message = f"{e.cls} {e.name or ident}: no body; its axis is taken, local z up"
            model.log.append(LogEntry("guessed", (ident,), message))
        share, differs = shares[e.id]
        members.append(
            Member(
                ident,
                e.name,
                e.cls,
                "",
                "",
                e.profile,
                e.material,
                z_axis,
                e.storey,
                source_line=line,
                source_section=e.profile,
                source_material=e.material,
                tag=e.tag,
                element=ident.rsplit("/", 1)[0] if e.how == "chord" else e.whole,
                bearing=e.bearing,
                read_from=e.how if e.how in ("measured", "clipped") else "",
                ends=e.ends,
                body_share=share,
                differs=differs,
            )
        )
        lines.append(line)
    model.members = {m.id: m for m in members}
    make_early(model, made, "members")
    members, model.members = list(model.members.values()), {}
    if not members:
        lay_on_ground(source, model, settings)
        support_walls(source, model, settings, progress)
        return
    if settings.orient:
        orient(members, lines, model)
    for m in members:
        section = model.sections.get(m.section)
        if section is not None and section.usable:
            m.joined_as = section.width, section.depth
    progress("Joining ends", 0.0)
    rods = bodies_of(members, np.array(lines), model.sections)
    rank = np.array([RANK[m.cls] for m in members])
    area = np.array([model.sections[m.section].area if m.section in model.sections else 0.0 for m in members])
    panels = Panels(list(model.surfaces.values()))
    touches = touching_ends(rods, panels, settings.snap_of("surfaces"))
    progress("Joining ends", 0.2)
    clusters = join(
        rods,
        settings.snap_of("ends"),
        rank,
        area,
        ties_of(touches, rods),
        settings.snap_of("members"),
        settings.joins.crossings,
    )
    place_on_surfaces(clusters, touches, panels, members)
    snap_to_building(model, clusters, settings.joins)
    follow(clusters, rods, rank, area)
    clusters = merged(clusters)
    passed = pass_surfaces(clusters, rods, panels, members, settings.snap_of("surfaces"))
    ids = add_nodes(model, clusters, members, {})
    record_joints(model, clusters, ids, touches, panels, rods, members, settings.snap_of("surfaces"), passed)
    tie_far_ends(model, clusters, ids, members, nodes_on_surfaces(model), settings.joins)
    add_joints(model, clusters, members, ids, rods.lengths)
    measure_joints(model)
    for m in members:
        m.storey = m.storey or model.storey_of(float(min(model.line(m)[:, 2])))
    for m, line in zip(members, lines):
        m.length_share = float(np.linalg.norm(line[1] - line[0])) / max(model.length(m), 1e-9)
    log_moves(model, members)
    progress("Supports and releases", 0.8)
    lay_on_ground(source, model, settings)
    support_bases(source, model, rods, members, settings)
    support_walls(source, model, settings, progress)
    release_by_rule(model, settings.releases)


def _with_chords(
    settled: list[tuple[SourceElement, str]], model: Model
) -> tuple[list[SourceElement], dict[str, tuple[float, str]]]:
    """Curved elements as their chords, each a member of its own that knows what it is a chord of; and by
    id what the weight of the section is multiplied by for that of the body, and how the two differ in
    words."""
    out: list[SourceElement] = []
    shares: dict[str, tuple[float, str]] = {}
    for e, words in settled:
        path = e.line if e.path is None else e.path
        share, more = body_share(e, model, float(np.linalg.norm(np.diff(path, axis=0), axis=1).sum()))
        shares[e.id] = share, "; ".join(w for w in (words, more) if w)
        if e.path is None:
            out.append(e)
            continue
        steps = np.diff(e.path, axis=0)
        keep = np.linalg.norm(steps, axis=1) > 1e-6
        lines = [np.array([a, b]) for a, b, good in zip(e.path, e.path[1:], keep) if good]
        for k, line in enumerate(lines, 1):
            shares[f"{e.id}/{k}"] = share, shares[e.id][1] if k == 1 else ""
            z = e.z_axis
            if abs(float(z @ (line[1] - line[0]))) > 0.9 * float(
                np.linalg.norm(z) * np.linalg.norm(line[1] - line[0])
            ):
                z = default_z(line[1] - line[0])
            out.append(
                replace(
                    e,
                    id=f"{e.id}/{k}",
                    name=f"{e.name or e.id}/{k}",
                    line=line,
                    z_axis=z,
                    path=None,
                    how="chord",
                )
            )
        message = f"{e.cls} {e.name or e.id} is curved: {len(lines)} chords, each at most {sagitta(e.path) * 1000:.1f} mm off it"
        model.log.append(LogEntry("guessed", (e.id,), message))
    return out, shares


def _centre_lines(
    elements: list[SourceElement], model: Model, offsets: dict[str, Offsets]
) -> tuple[list[Array | None], Array]:
    """Lines through the centroids, local coordinates (None for one of no length), and local z of each
    element."""
    n = len(elements)
    lines = np.array([e.line for e in elements]).reshape(-1, 2, 3) - model.origin
    x = lines[:, 1] - lines[:, 0]
    length = np.linalg.norm(x, axis=1)
    good = np.isfinite(lines).all(axis=(1, 2)) & (length >= 1e-6)
    x[~good] = (1.0, 0.0, 0.0)
    z = np.array([e.z_axis for e in elements]).reshape(-1, 3)
    for bare in np.flatnonzero(~z.any(axis=1)):
        z[bare] = default_z(x[bare])
    axes = local_axes(x, z).reshape(-1, 3, 3)
    shift = np.zeros((n, 2, 2))  # at start and end
    for k, e in enumerate(elements):
        section = model.sections.get(e.profile)
        if e.how == "axis" and section is not None:
            shift[k] = cardinal_offset(section, e.cardinal)
        else:
            shift[k] = offsets.get(e.profile, ((0.0, 0.0), (0.0, 0.0)))
    lines = lines + axes[:, 1][:, None] * shift[:, :, :1] + axes[:, 2][:, None] * shift[:, :, 1:]
    return [lines[k] if good[k] else None for k in range(n)], axes[:, 2]


def add_properties(source: SourceModel, model: Model, settings: TransferSettings) -> None:
    """Sections and materials of the source into the model, with what was assumed in the log.

    A profile that nothing can be read of is taken as what the settings map it to, else as the rolled section
    it is named after, if any."""
    for key, (section, _) in sections_of(source.profiles).items():
        profile = source.profiles[key]
        if not section.usable:
            mapped = settings.profiles.get(profile.name)
            name = mapped or catalogue_name(profile.name)
            if name is not None:
                how = "mapped by the settings" if mapped else "by its name"
                section = catalogue_section(name, profile.name, how)
                # a guess of ours, that a check reports; a mapping is the reviewer's own choice
                if mapped is None:
                    section = replace(
                        section, reason=f"no shape could be read of it; {name} was taken by its name"
                    )
                message = f"profile {profile.name}: nothing could be read of it; {name} taken {how}"
                model.log.append(LogEntry("guessed", (profile.name,), message))
        model.sections[key] = section
    for key, material in source.materials.items():
        model.materials[key] = material_of(material, model.log, settings.materials.get(material.name))
