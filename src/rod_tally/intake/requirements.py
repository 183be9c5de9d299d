"""A model file held against a specification of what it must deliver: the open standard for such
specifications, IDS 1.0, by its own library."""

from __future__ import annotations

import tempfile
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from .readers import IntakeError

# ifctester's names of facets, and the words after "requirement." in the code of a finding
FACETS = {
    "Entity": "class",
    "Attribute": "attribute",
    "Property": "property",
    "Classification": "classification",
    "Material": "material",
    "PartOf": "part_of",
}


@dataclass(slots=True)
class Unmet:
    """A requirement that the file does not meet. `kind` is one of FACETS' words, "missing" for a
    specification that asks for elements of which there are none, "prohibited" for one that allows none;
    `ids` are those of the elements that fail, of `asked` in all; `reason` is that of the first."""

    specification: str
    kind: str
    requirement: str
    ids: tuple[str, ...] = ()
    asked: int = 0
    reason: str = ""
    required: bool = True


@dataclass(slots=True)
class Held:
    """`unmet` requirements; `passed` specifications by name; `other` are for versions of the standard that
    the file is not written in, and were not asked."""

    title: str = ""
    unmet: list[Unmet] = field(default_factory=list)
    passed: list[str] = field(default_factory=list)
    other: list[str] = field(default_factory=list)


def hold_against(model: Path, specification: Path) -> Held:
    """A model file against a specification. Raises IntakeError for a file of either kind that cannot be
    read."""
    import ifcopenshell
    from ifctester import ids

    if not specification.is_file():
        raise IntakeError(f"{specification}: there is no such file")
    try:
        asked = ids.open(str(specification), validate=True)
    except Exception as error:  # of the XML parser, the schema or the library, each its own
        raise IntakeError(f"{specification}: is no specification of IDS 1.0: {_first_line(error)}") from None
    if model.suffix.lower() not in (".ifc", ".ifczip"):
        raise IntakeError(f"{model}: only an IFC file can be held against a specification")
    from .ifc.read import unzipped

    try:
        with tempfile.TemporaryDirectory() as folder:
            inner = unzipped(model, Path(folder)) if model.suffix.lower() == ".ifczip" else model
            file = ifcopenshell.open(str(inner))
    except OSError as error:
        raise IntakeError(f"{model}: cannot be read: {_first_line(error)}") from None
    out = Held(str((asked.info or {}).get("title") or specification.stem))
    for one in asked.specifications:
        one.reset_status()
        if not one.check_ifc_version(file):
            out.other.append(one.name)
            continue
        one.validate(file)
        found = _unmet(one)
        out.unmet += found
        if not found:
            out.passed.append(one.name)
    return out


def _unmet(one: Any) -> list[Unmet]:
    here = [e for e in one.applicable_entities]
    if one.minOccurs != 0 and not here:
        return [Unmet(one.name, "missing", _applies_to(one))]
    if one.maxOccurs == 0:
        return [Unmet(one.name, "prohibited", _applies_to(one), _ids(here), len(here))] if here else []
    out = []
    for facet in one.requirements:
        failed = [f["element"] for f in facet.failures if f.get("element") is not None]
        if facet.failures:
            kind = FACETS.get(type(facet).__name__, type(facet).__name__.lower())
            words = facet.to_string("requirement", one, facet)
            out.append(
                Unmet(
                    one.name,
                    kind,
                    str(words).rstrip("."),
                    _ids(failed),
                    len(here),
                    str(facet.failures[0].get("reason", "")),
                    one.minOccurs != 0,
                )
            )
    return out


def _applies_to(one: Any) -> str:
    return "; ".join(str(f.to_string("applicability")).rstrip(".") for f in one.applicability)


def _ids(elements: list[Any]) -> tuple[str, ...]:
    """Identities of elements; the number in the file of what has none."""
    return tuple(dict.fromkeys(str(getattr(e, "GlobalId", None) or f"#{e.id()}") for e in elements))


def _first_line(error: BaseException) -> str:
    return next((line.strip() for line in str(error).splitlines() if line.strip()), type(error).__name__)
