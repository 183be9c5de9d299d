"""Physical members to centre lines that meet."""

from __future__ import annotations

import numpy as np

from ..intake.readers import Progress
from ..intake.source import SourceModel
from ..model import LogEntry, Member, Model, Section, Skipped
from ..model.geometry import Array, default_z, local_axes
from ..model.proximity import Rods
from ..model.settings import TransferSettings
from .joins import join
from .materials import material_of
from .nodes import add_joints, add_nodes, log_moves
from .sections import cardinal_offset, section_of
from .supports import support_bases

RANK = {"column": 3, "beam": 2, "brace": 1}


def transfer_physical(source: SourceModel, model: Model, settings: TransferSettings, progress: Progress) -> None:
    """Fill `model` with the physical members of the source, joined and supported."""
    add_properties(source, model)
    offsets = {key: section_of(profile)[1] for key, profile in source.profiles.items()}
    members: list[Member] = []
    lines: list[Array] = []
    taken: set[str] = set()
    for e in source.elements:
        name = e.profile or "no section"
        section = model.sections.get(name)
        cy, cz = offsets.get(e.profile, (0.0, 0.0))
        if e.how == "axis" and section is not None:
            cy, cz = cardinal_offset(section, e.cardinal)
        axes = local_axes(e.line[1] - e.line[0], e.z_axis if np.any(e.z_axis) else default_z(e.line[1] - e.line[0]))
        line = e.line - model.origin + axes[1] * cy + axes[2] * cz
        if not np.isfinite(line).all() or np.linalg.norm(line[1] - line[0]) < 1e-6:
            model.skipped.append(Skipped(e.cls, e.id, "it has no length", e.name, e.ifc_class))
            continue
        ident = e.id
        while ident in taken:
            ident += "'"
        if ident != e.id:
            model.log.append(LogEntry("guessed", (ident,), f"two elements carry the id {e.id}; the second is {ident}"))
        taken.add(ident)
        if e.how in ("measured", "clipped"):
            message = f"{e.cls} {e.name or ident}: axis measured on its body ({e.how}), misfit {abs(e.misfit):.1%}"
            model.log.append(LogEntry("guessed", (ident,), message))
        elif e.how == "axis":
            message = f"{e.cls} {e.name or ident}: no body; its axis is taken, local z up"
            model.log.append(LogEntry("guessed", (ident,), message))
        members.append(
            Member(
                ident, e.name, e.cls, "", "", e.profile, e.material, axes[2], e.storey,
                source_line=line, source_section=e.profile, source_material=e.material, tag=e.tag,
            )
        )  # fmt: skip
        lines.append(line)
    if not members:
        return
    progress("Joining ends", 0.0)
    rods = rods_of(members, np.array(lines), model.sections)
    rank = np.array([RANK[m.cls] for m in members])
    area = np.array([model.sections[m.section].area if m.section in model.sections else 0.0 for m in members])
    clusters = join(rods, settings.snap, rank, area)
    ids = add_nodes(model, clusters, members, {})
    add_joints(model, clusters, members, ids, rods.lengths)
    for m in members:
        m.storey = m.storey or model.storey_of(float(min(model.line(m)[:, 2])))
    log_moves(model, members, physical=True)
    support_bases(source, model, rods, members, settings)


def add_properties(source: SourceModel, model: Model) -> None:
    """Sections and materials of the source into the model, with what was assumed in the log."""
    for key, profile in source.profiles.items():
        section, _ = section_of(profile)
        model.sections[key] = section
    for key, material in source.materials.items():
        model.materials[key] = material_of(material, model.log)


def rods_of(members: list[Member], lines: Array, sections: dict[str, Section]) -> Rods:
    """Members as arrays with their bodies; a member of unknown section has no body, just an axis."""
    none = Section("", "unknown")
    found = [sections.get(m.section, none) for m in members]
    axes = local_axes(lines[:, 1] - lines[:, 0], np.array([m.z_axis for m in members]))
    return Rods(
        lines,
        np.asarray(axes).reshape(-1, 3, 3),
        np.array([s.bounds for s in found]).reshape(-1, 4),
        np.array([s.round for s in found], bool),
    )
