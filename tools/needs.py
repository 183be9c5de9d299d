"""Writes docs/needs.ids: what a file should deliver so that a review has little to guess.

`.venv/bin/python tools/needs.py` from the root of the repository.
"""

from __future__ import annotations

from pathlib import Path

from ifctester import ids
from ifctester.facet import Attribute, Entity, Material, PartOf, Property, Restriction

ROOT = Path(__file__).parent.parent
BEARING = {
    "IFCCOLUMN": "Pset_ColumnCommon",
    "IFCBEAM": "Pset_BeamCommon",
    "IFCMEMBER": "Pset_MemberCommon",
    "IFCSLAB": "Pset_SlabCommon",
    "IFCWALL": "Pset_WallCommon",
}


def main() -> None:
    own = ids.Ids(
        title="What a structural review needs",
        description="Materials, load-bearing flags and storeys of what carries; without them they are guessed.",
        version="1",
    )
    every = Restriction(options={"enumeration": list(BEARING)})
    for name, why, requirement in (
        ("A material for what carries", "Stiffness and weight are taken from it.", Material()),
        ("A storey for what carries", "Storey forces, drifts and masses go by it.", PartOf(name="IFCBUILDINGSTOREY", relation="IFCRELCONTAINEDINSPATIALSTRUCTURE")),
        ("A name for what carries", "Findings and revisions name parts by it.", Attribute(name="Name")),
    ):  # fmt: skip
        s = ids.Specification(name=name, minOccurs=0, instructions=why)
        s.applicability.append(Entity(name=every))
        s.requirements.append(requirement)
        own.specifications.append(s)
    for entity, pset in BEARING.items():
        s = ids.Specification(
            name=f"Whether it bears load: {entity[3:].lower()}s",
            minOccurs=0,
            instructions="Partitions stay out of the model, and what bears is not left out.",
        )
        s.applicability.append(Entity(name=entity))
        s.requirements.append(Property(propertySet=pset, baseName="LoadBearing", dataType="IFCBOOLEAN"))
        own.specifications.append(s)
    if not own.to_xml(str(ROOT / "docs" / "needs.ids")):
        raise SystemExit("the specification is not valid")


if __name__ == "__main__":
    main()
