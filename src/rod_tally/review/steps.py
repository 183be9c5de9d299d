"""The review steps in the order of the work, and which findings belong to which."""

from __future__ import annotations

from dataclasses import dataclass

from ..model import Finding, Model

CASE = "case "


@dataclass(frozen=True, slots=True)
class Item:
    """One thing to look at: its title and the finding codes that belong to it (none: looked at by eye
    alone)."""

    title: str
    codes: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Step:
    """One review step with its items, the overlay and the table that belong to it."""

    name: str
    items: tuple[Item, ...]
    overlay: str
    table: str

    @property
    def of_results(self) -> bool:
        """Return whether its findings are of a run's results."""
        return self.name in ("Run", "Response")

    @property
    def codes(self) -> set[str]:
        return {c for i in self.items for c in i.codes}


STEPS: tuple[Step, ...] = (
    Step(
        "Source",
        (
            Item(
                "Counts agree", ("source.unread", "source.surfaces", "source.counterpart", "source.results")
            ),
            Item("Physical, analytical", ("source.off_element", "source.differs", "source.one_way")),
            Item(
                "Sections read",
                (
                    "section.missing",
                    "section.unknown",
                    "section.measured",
                    "section.differs",
                    "section.shear_centre",
                ),
            ),
            Item(
                "Materials",
                (
                    "material.missing",
                    "material.stiffness",
                    "material.density",
                    "material.differs",
                    "material.family",
                ),
            ),
        ),
        "sections",
        "tally",
    ),
    Step(
        "Framing",
        (
            Item("Ends moved", ("source.moved",)),
            Item("Gaps", ("join.gap", "surface.gap")),
            Item("Duplicates", ("join.duplicate", "surface.duplicate", "join.inside")),
            Item("Loose ends", ("join.loose_end",)),
            Item("Crossings", ("join.crossing",)),
            Item("Short pieces", ("join.short",)),
            Item("Changed sizes", ("join.undecided",)),
            Item("Disconnected parts", ("join.island", "surface.free")),
            Item(
                "Slabs and walls", ("surface.sliver", "surface.opening", "surface.thickness", "surface.solid")
            ),
            Item("Levels and axes", ("storey.level", "axes.odd", "stiffness.contrast")),
        ),
        "joints",
        "findings",
    ),
    Step(
        "Supports",
        (
            Item(
                "Base supports", ("support.none", "support.base_free", "support.inside", "support.everywhere")
            ),
            Item("Overall restraint", ("support.unstable",)),
            Item("Releases", ("release.unstable",)),
        ),
        "supports",
        "nodes",
    ),
    Step(
        "Loads",
        (
            Item("Cases", ("load.empty", "case.untyped", "case.bare", "case.outdated", "load.same")),
            Item("Load transfer", ("load.uncarried", "load.imposed", "load.between")),
            Item("Direction", ("load.direction",)),
            Item("Values", ("load.magnitude", "load.factored", "load.jump", "load.step", "load.slab_jump")),
            Item("Self-weight once", ("load.twice", "load.weight_again", "load.no_weight")),
            Item(
                "Combinations",
                (
                    "combination.orientation",
                    "combination.direction",
                    "combination.many",
                    "combination.unused",
                ),
            ),
        ),
        "loads",
        "loads",
    ),
    Step(
        "Run",
        (
            Item(
                "Slack parts",
                (
                    "run.one_way",
                    "run.limit",
                    "run.unsettled",
                    "run.superposition",
                    "run.linear",
                    "run.buckling",
                    "run.second_order",
                ),
            ),
            Item(
                "Elements",
                (
                    "mesh.failed",
                    "mesh.poor",
                    "mesh.point",
                    "mesh.arm",
                    "mesh.column",
                    "run.diaphragm",
                    "floor.holds",
                    "cut.unplaced",
                ),
            ),
            Item("Mechanisms", ("stability.mechanism",)),
            Item("Balance", ("equilibrium.residual",)),
        ),
        "displaced",
        "reactions",
    ),
    Step(
        "Response",
        (
            Item("Displacements", ("displacement.large", "response.direction", "response.self_weight")),
            Item("Drift", ("response.drift",)),
            Item("Second order", ("response.second_order",)),
            Item("Column forces", ("response.axial",)),
            Item("Modes", ("response.mass", "response.period", "response.base_shear")),
            Item("Symmetry, torsion", ("response.symmetry", "response.uneven", "response.torsion")),
            Item("Forces", ("response.released", "wall.joint")),
            Item("Envelope", ("response.limit",)),
            Item("Reactions", ("response.uplift",)),
        ),
        "forces",
        "forces",
    ),
    Step(
        "Revision",
        (
            Item("Carried over", ("match.carried", "match.changed_under")),
            Item(
                "Matching",
                (
                    "match.ambiguous",
                    "match.transform",
                    "match.stack",
                    "match.split",
                    "match.kinds",
                    "match.routes",
                    "match.grids",
                ),
            ),
            Item("Changes", ("match.loads",)),
            Item("To look at again", ("match.again",)),
            Item("Results", ("match.results", "match.elsewhere")),
        ),
        "change",
        "changes",
    ),
    Step("Close-out", (Item("Decisions"), Item("Report")), "joints", "ready"),
)


def items_of(step: Step, model: Model | None) -> tuple[Item, ...]:
    """Return what is looked at in a step for this model: its items, and in the step Loads every load case."""
    if step.name != "Loads" or model is None:
        return step.items
    return (*step.items, *(Item(f"{CASE}{name}") for name in model.cases))


def step_of(finding: Finding) -> Step:
    """The step a finding belongs to; one of an unknown code (a plug-in's) belongs to the first step of its
    family."""
    for step in STEPS:
        if finding.code in step.codes:
            return step
    for step in STEPS:
        if any(c.split(".")[0] == finding.family for c in step.codes):
            return step
    return STEPS[0]
