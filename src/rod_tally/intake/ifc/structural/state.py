"""The state of the analytical model that an IFC file holds, as a fingerprint for each subject, and which state
the results in the file say they are of.

A fingerprint is made from the statements of the file, not from our model: it does not depend on their order
and numbers, on names that stand for nothing, nor on a later release of this program."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from typing import Any

from ....words import few
from ..damage import ident, text

RUN = "Run"  # the property set of a result group that says what it was computed from
REVISION, SETTINGS, PROGRAM, FINGERPRINT = "Revision", "Settings", "Program", "Fingerprint"
NODES, MEMBERS, SURFACES, MADE_OF, LOADS, UNITS = (
    "nodes and supports",
    "members",
    "slabs and walls",
    "sections and materials",
    "loads",
    "units",
)
UNORDERED = ("Properties", "Units", "RelatedObjects")  # sets, which a program may write in any order
DIGITS = 12  # of a number; a program that writes the file again may round the last ones
SHORT = 16  # hexadecimal digits of a fingerprint


@dataclass(slots=True)
class BroughtResults:
    """Result groups of a file that say the same of the run they come from; `differs`: the subjects in which
    the file's model is another one now, None where nothing says which model they are of."""

    groups: list[str] = field(default_factory=list)
    revision: str = ""
    settings: str = ""
    program: str = ""
    differs: tuple[str, ...] | None = None

    @property
    def words(self) -> str:
        """Return what a reader has to know of these results."""
        n = len(self.groups)
        many = f"{n} cases and combinations" if n > 1 else "one case"
        by = f", computed by {self.program} from {self.revision}" if self.revision else ""
        brought = f"the file brings results of {many}{by}"
        if self.differs is None:
            return f"{brought}; nothing says which state of the model they are of"
        if self.differs:
            return f"{brought}; they are of another state of it: {few(self.differs, len(self.differs))} changed since"
        return f"{brought}; they are of the model as the file holds it"


def brought_results(file: Any) -> list[BroughtResults]:
    """The results of an open file, gathered by what they say of their run; [] for a file without any."""
    groups = file.by_type("IfcStructuralResultGroup")
    if not groups:
        return []
    now = state_of(file)
    out: dict[tuple[str, str, str, str], BroughtResults] = {}
    for group in groups:
        said = _said(group)
        key = (
            said.get(REVISION, ""),
            said.get(SETTINGS, ""),
            said.get(PROGRAM, ""),
            said.get(FINGERPRINT, ""),
        )
        if key not in out:
            differs = _differs(key[3], now) if key[3] else None
            out[key] = BroughtResults([], key[0], key[1], key[2], differs)
        out[key].groups.append(text(group.Name))
    return list(out.values())


def as_text(state: dict[str, str]) -> str:
    """A state as it stands in a file."""
    return "; ".join(f"{subject} {digest}" for subject, digest in state.items())


def _differs(said: str, now: dict[str, str]) -> tuple[str, ...]:
    was = {subject: digest for subject, _, digest in (s.strip().rpartition(" ") for s in said.split(";"))}
    return tuple(k for k in now | was if now.get(k) != was.get(k))


def _said(group: Any) -> dict[str, str]:
    out: dict[str, str] = {}
    for rel in group.IsDefinedBy or ():
        own = rel.RelatingPropertyDefinition if rel.is_a("IfcRelDefinesByProperties") else None
        if own is None or not own.is_a("IfcPropertySet") or own.Name != RUN:
            continue
        for p in own.HasProperties or ():
            if p.is_a("IfcPropertySingleValue") and p.NominalValue is not None:
                out[text(p.Name)] = text(p.NominalValue.wrappedValue)
    return out


def state_of(file: Any) -> dict[str, str]:
    """A fingerprint of everything that a run depends on, by subject, of an open file."""
    prints = _Prints()
    found: dict[str, Iterator[str]] = {
        NODES: _items(file, "IfcStructuralConnection", prints),
        MEMBERS: _members(file, prints),
        SURFACES: _items(file, "IfcStructuralSurfaceMember", prints),
        MADE_OF: _made_of(file, prints),
        LOADS: _loads(file, prints),
        UNITS: (prints.of(e) for e in file.by_type("IfcUnitAssignment")),
    }
    out = {}
    for subject, parts in found.items():
        whole = hashlib.sha256()
        for part in sorted(parts):
            whole.update(part.encode())
        out[subject] = whole.hexdigest()[:SHORT]
    return out


def _items(file: Any, kind: str, prints: _Prints) -> Iterator[str]:
    """Rooted entities of a kind, whatever their names are."""
    for entity in file.by_type(kind):
        yield prints.of(entity, skip=("Name",))


def _members(file: Any, prints: _Prints) -> Iterator[str]:
    yield from _items(file, "IfcStructuralCurveMember", prints)
    for rel in file.by_type("IfcRelConnectsStructuralMember"):
        yield prints.of(rel, skip=("GlobalId", "Name", "Description"))


def _made_of(file: Any, prints: _Prints) -> Iterator[str]:
    for rel in file.by_type("IfcRelAssociatesMaterial"):
        parts = [e for e in rel.RelatedObjects or () if e is not None and e.is_a("IfcStructuralItem")]
        yield from (f"{ident(e)} of {prints.value(rel.RelatingMaterial)}" for e in parts)
    for kind in ("IfcMaterialProperties", "IfcProfileProperties"):
        yield from (prints.of(e) for e in file.by_type(kind))


def _loads(file: Any, prints: _Prints) -> Iterator[str]:
    yield from _items(file, "IfcStructuralAction", prints)
    for rel in file.by_type("IfcRelConnectsStructuralActivity"):
        activity, part = rel.RelatedStructuralActivity, rel.RelatingElement
        if activity is not None and part is not None and activity.is_a("IfcStructuralAction"):
            yield f"{ident(activity)} on {ident(part)}"
    for model in file.by_type("IfcStructuralAnalysisModel"):  # the axes that actions are given in
        yield f"in {prints.value(getattr(model, 'SharedPlacement', None))}"
    for group in file.by_type("IfcStructuralLoadGroup"):
        yield prints.of(group)
    for rel in file.by_type("IfcRelAssignsToGroup"):
        group = rel.RelatingGroup
        if group is not None and group.is_a("IfcStructuralLoadGroup"):
            factor = prints.value(getattr(rel, "Factor", None))
            yield from (f"{ident(e)} in {ident(group)} by {factor}" for e in rel.RelatedObjects or ())


class _Prints:
    """Fingerprints of entities, each made once; an entity with a GlobalId stands in another by that."""

    def __init__(self) -> None:
        self._known: dict[int, str] = {}

    def of(self, entity: Any, skip: tuple[str, ...] = ()) -> str:
        """The fingerprint of an entity's attributes, without those of `skip`."""
        # the owner's history says who wrote the file and when
        left = (*skip, "OwnerHistory")
        parts = [entity.is_a()]
        for k, value in enumerate(entity):
            name = entity.attribute_name(k)
            if name not in left:
                parts.append(self.value(value, name in UNORDERED))
        return hashlib.sha256("|".join(parts).encode()).hexdigest()[:SHORT]

    def value(self, value: Any, unordered: bool = False) -> str:
        """An attribute as text."""
        if isinstance(value, float):
            return f"{value + 0.0:.{DIGITS}g}"
        if isinstance(value, (tuple, list)):
            parts: Iterable[str] = (self.value(v) for v in value)
            return f"({','.join(sorted(parts) if unordered else parts)})"
        if not hasattr(value, "is_a"):
            return repr(value)
        if value.is_a("IfcRoot"):
            return ident(value)
        if not value.id():  # a typed value, "IfcLabel('x')"
            return f"{value.is_a()}:{self.value(value.wrappedValue)}"
        if value.id() not in self._known:
            self._known[value.id()] = self.of(value)
        return self._known[value.id()]
