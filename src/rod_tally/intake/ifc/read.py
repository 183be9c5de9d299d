"""Reading an IFC file: look at the file first, then storeys, members, connections and loads."""

from __future__ import annotations

import math
import re
import shutil
import statistics
import tempfile
import zipfile
import zlib
from pathlib import Path
from typing import Any

from ...model.entities.log import LogEntry
from ...model.entities.model import Storey
from ..readers import IntakeError, Progress
from ..source import SourceModel
from ..zipped import look_inside
from .context import Openings, bearing_flags, read_grids, read_groups, read_links, true_north
from .damage import UNREADABLE, damaged_products, first_line, for_each, lost_elements
from .geometry.placement import PlacementError, Placements
from .geometry.profiles import Profiles
from .lines import BadLine, look_at_lines
from .materials import Materials
from .physical.elements import MEMBERS, SURFACES, read_physical
from .physical.surfaces import read_surfaces
from .structural.actions import read_actions
from .structural.faces import read_faces
from .structural.members import read_analytical
from .structural.state import brought_results
from .units import Units, assignment

ZIPPED = ".ifczip"
SUFFIXES = (".ifc", ZIPPED)
SCHEMAS = ("IFC2X3", "IFC4", "IFC4X3")
APART = 0.01  # m, how far a storey may lie off its stated height before that is said
ANALYTICAL = ("IfcStructuralCurveMember", "IfcStructuralSurfaceMember")
# the class that an entity whose line cannot be read counts under
CLASSES = {
    k.upper(): v
    for k, v in (
        MEMBERS
        | SURFACES
        | {"IfcBeamStandardCase": "beam", "IfcColumnStandardCase": "column", "IfcMemberStandardCase": "brace"}
        | {"IfcSlabStandardCase": "slab", "IfcWallStandardCase": "wall", "IfcPlateStandardCase": "plate"}
        | {"IfcFooting": "footing", "IfcPile": "pile"}
        | {"IfcStructuralCurveMember": "member", "IfcStructuralSurfaceMember": "surface"}
        | {"IfcStructuralPointConnection": "node", "IfcStructuralCurveAction": "action"}
        | {"IfcStructuralLinearAction": "action", "IfcStructuralPointAction": "action"}
        | {"IfcStructuralPlanarAction": "action", "IfcStructuralSurfaceAction": "action"}
    ).items()
}


def read(path: Path, progress: Progress) -> SourceModel:
    """Everything a review needs of an IFC file, plain or zipped. Raises IntakeError for a file that cannot
    be reviewed at all."""
    if path.suffix.lower() != ZIPPED:
        return _read(path, progress)
    with tempfile.TemporaryDirectory() as folder:
        inner = unzipped(path, Path(folder))
        try:
            source = _read(inner, progress)
        except IntakeError as error:
            raise IntakeError(str(error).replace(str(inner), str(path))) from error
    source.file = str(path)
    return source


def unzipped(path: Path, folder: Path) -> Path:
    """The one IFC file that a zipped one holds, unpacked."""
    try:
        with zipfile.ZipFile(path) as z:
            names = [
                e for e in look_inside(z, path, "a zipped IFC file") if e.filename.lower().endswith(".ifc")
            ]
            if len(names) != 1:
                raise IntakeError(f"{path}: holds {len(names) or 'no'} IFC files; one is read")
            out = folder / "model.ifc"
            with z.open(names[0]) as packed, out.open("wb") as plain:
                shutil.copyfileobj(packed, plain)
            return out
    except (OSError, zipfile.BadZipFile, RuntimeError, NotImplementedError, EOFError, zlib.error) as error:
        words = getattr(error, "strerror", None) or error
        raise IntakeError(f"{path}: is not a zipped IFC file: {words}") from error


def _read(path: Path, progress: Progress) -> SourceModel:
    _look(path)
    progress("Opening the file", 0.0)
    file, bad = _open(path)
    units = Units(assignment(file))
    if "LENGTHUNIT" not in units:
        raise IntakeError(
            f"{path}: the file states no unit of length, so nothing in it can be measured; export it with units"
        )
    placements = Placements(units["LENGTHUNIT"])
    placements.damaged, reported = damaged_products(file, bad)
    profiles = Profiles(placements, units)
    lost = lost_elements(bad, CLASSES)
    gone = {s.ifc_class.upper() for s in lost}
    physical = any(file.by_type(k) or k.upper() in gone for k in (*MEMBERS, *SURFACES))
    analytical = any(file.by_type(k) or k.upper() in gone for k in ANALYTICAL)
    if not (physical or analytical):
        raise IntakeError(
            f"{path}: holds no beams, columns, braces, slabs, walls or analytical members; nothing to review"
        )
    kind = "both" if physical and analytical else "analytical" if analytical else "physical"
    source = SourceModel(str(path), file.schema_identifier, kind, units.stated)
    source.skipped += [*lost, *reported]
    profiles.read_values(file, source.log)
    materials = Materials(file, units, source.log)
    storeys = _storeys(file, source, placements)
    bearing = bearing_flags(file, source)
    openings = Openings(file, source.log)
    read_physical(file, source, placements, profiles, materials, storeys, bearing, openings, progress)
    read_surfaces(file, source, placements, profiles, materials, storeys, bearing, openings, progress)
    read_grids(file, source, placements)
    read_groups(file, source)
    source.north = true_north(file)
    if analytical:
        read_analytical(file, source, placements, profiles, materials, units, progress)
        read_faces(file, source, placements, materials, units)
        read_links(file, source)
        _note_results(file, source)
    if analytical or file.by_type("IfcStructuralAction") or file.by_type("IfcStructuralLoadGroup"):
        read_actions(file, source, placements, units)
    materials.report()
    for skipped in lost:
        if skipped.cls not in ("line", "action"):
            source.counts[skipped.cls] = source.counts.get(skipped.cls, 0) + 1
    source.profiles, source.materials = profiles.found, materials.found
    if units.guessed:
        names = ", ".join(sorted(n.removesuffix("UNIT").lower() for n in units.guessed))
        how = "what follows from its units of length, force and mass" if "FORCEUNIT" in units else "SI"
        message = f"the file states no unit for {names}; taken as {how}, or as SI where only that makes a building material"
        source.log.append(LogEntry("guessed", (), message))
    return source


def _note_results(file: Any, source: SourceModel) -> None:
    """Note what results the file brings; they are never taken over."""
    try:
        brought = brought_results(file)
    except UNREADABLE as error:
        message = f"the file brings results, of which state of the model cannot be read: {first_line(error)}"
        source.log.append(LogEntry("other results", (), message))
        return
    for found in brought:
        source.log.append(LogEntry("results" if found.differs == () else "other results", (), found.words))


def _look(path: Path) -> None:
    """Refuse early, and in words, what is not a whole IFC file of a schema that is read."""
    try:
        with path.open("rb") as f:
            head = f.read(65536)
            f.seek(max(path.stat().st_size - 4096, 0))
            tail = f.read()
    except OSError as error:
        raise IntakeError(f"{path}: cannot be read: {error.strerror or error}") from error
    if not head.strip():
        raise IntakeError(f"{path}: is empty")
    if b"ISO-10303-21" not in head[:4096]:
        hint = "; it is a zip archive, unpack it first" if head[:2] == b"PK" else ""
        raise IntakeError(f"{path}: is not an IFC file (it does not begin with ISO-10303-21){hint}")
    schema = re.search(rb"FILE_SCHEMA\s*\(\s*\(\s*'([^']*)'", head)
    if schema is None:
        raise IntakeError(f"{path}: names no IFC schema in its header")
    name = schema[1].decode("ascii", "replace").upper()
    if not name.startswith(SCHEMAS):
        raise IntakeError(f"{path}: is written in {name}; IFC2X3, IFC4 and IFC4X3 are read")
    if b"END-ISO-10303-21" not in tail:
        raise IntakeError(
            f"{path}: is cut off (its last line, END-ISO-10303-21, is missing); ask for it again"
        )


def _open(path: Path) -> tuple[Any, list[BadLine]]:
    """The parsed file, and its lines that cannot be used as they stand."""
    import ifcopenshell

    try:
        data = path.read_bytes()
        schema = re.search(rb"FILE_SCHEMA\s*\(\s*\(\s*'([^']*)'", data[:65536])
        name = schema[1].decode("ascii", "replace").upper() if schema else "IFC4"
        lines = look_at_lines(data, _schema(name))
        del data
        if lines.clean is not None:
            file = ifcopenshell.file.from_string(lines.clean)
            file.by_type("IfcProject")  # where nothing could be parsed at all this raises
            return file, lines.bad
        return ifcopenshell.open(str(path)), lines.bad
    except MemoryError:
        raise
    except Exception as error:  # the library raises many kinds, and none that says more than its text
        first = (str(error).strip().splitlines() or ["no reason given"])[0]
        raise IntakeError(f"{path}: cannot be parsed as IFC: {first}") from error


def _schema(name: str) -> Any:
    """The library's definition of a schema, or of the one that its name begins with."""
    from ifcopenshell import ifcopenshell_wrapper as wrapper

    for known in (name, next(s for s in reversed(SCHEMAS) if name.startswith(s))):
        try:
            return wrapper.schema_by_name(known)
        except RuntimeError:
            continue
    return wrapper.schema_by_name("IFC4X3_ADD2")


def _tell_apart(storeys: list[tuple[str, float, float]], source: SourceModel) -> None:
    """Storeys (name, stated, placed, m) that are placed at another height than is stated, beyond the shift (a
    site's, a building's) that most of them have."""
    if not storeys:
        return
    off = [placed - said for _, said, placed in storeys]
    shift = 0.0 if any(abs(d) <= APART for d in off) else statistics.median_low(off)
    for name, said, placed in storeys:
        if abs(placed - said - shift) > APART and abs(placed - said) > APART:
            message = f"storey {name} is stated at {said:.3f} m and placed at {placed:.3f} m; it is taken where it is placed"
            source.log.append(LogEntry("skipped", (name,), message))


def _with_heights(names: dict[int, str], heights: dict[int, float]) -> dict[int, str]:
    """Storeys' names by entity; those of one name at several heights, as in a file of two buildings, with
    their height."""
    of: dict[str, set[str]] = {}
    shown = {i: f"{z:+.2f}" for i, z in heights.items()}
    for i, name in names.items():
        of.setdefault(name, set()).add(shown[i])
    return {i: f"{name} ({shown[i]})" if len(of[name]) > 1 else name for i, name in names.items()}


def _storeys(file: Any, source: SourceModel, placements: Placements) -> dict[int, str]:
    """Storeys into `source`, lowest first; returns the storey name of each contained element by entity id."""
    names: dict[int, str] = {}
    heights: dict[int, float] = {}
    apart: list[tuple[str, float, float]] = []

    def keep(entity: Any) -> None:
        elevation = entity.Elevation
        z = float(elevation) * placements.scale if elevation is not None else None
        try:
            placements.sound(entity)
            placed = placements.rigid_local(entity.ObjectPlacement)[11]
        except PlacementError:
            placed = None
        if z is None or (placed is not None and abs(placed) > 1e-9 and abs(placed - z) > 1e-6):
            # members are placed relative to the storey's placement, so that is where they are
            z = placed if placed is not None else 0.0
        if math.isfinite(z):
            name = (entity.Name or getattr(entity, "LongName", None) or f"#{entity.id()}").strip()
            names[entity.id()] = name
            heights[entity.id()] = z
            said = float(elevation) * placements.scale if elevation is not None else 0.0
            if elevation is not None and placed is not None and (abs(placed) > 1e-9 or abs(said) < 1e-9):
                apart.append((name, said, placed))

    for_each(file, "IfcBuildingStorey", keep, source.log)
    names = _with_heights(names, heights)
    source.storeys = [Storey(names[i], z) for i, z in heights.items()]
    source.storeys.sort(key=lambda s: (s.elevation, s.name))
    _tell_apart(apart, source)
    of: dict[int, str] = {}

    def contain(rel: Any) -> None:
        name = names.get(rel.RelatingStructure.id()) if rel.RelatingStructure else None
        if name is not None:
            for item in rel.RelatedElements or ():
                of[item.id()] = name

    def gather(rel: Any) -> None:
        whole = rel.RelatingObject
        if whole is not None and whole.id() in of:
            for part in rel.RelatedObjects or ():
                of.setdefault(part.id(), of[whole.id()])

    for_each(file, "IfcRelContainedInSpatialStructure", contain, source.log)
    for_each(file, "IfcRelAggregates", gather, source.log)
    return of
