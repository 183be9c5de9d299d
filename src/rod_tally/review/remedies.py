"""Remedies behind the buttons of a finding: corrections that mend it, a decision, or a look."""

from __future__ import annotations

import numpy as np

from ..analysis.by_rule.rules import rules_of
from ..checks.alike import part_action
from ..checks.framing.joins import ON_GROUND
from ..checks.framing.overlaps import REST, REST_LOOSE
from ..checks.framing.source import TAKE_IN
from ..checks.loading.by_rule import AGAIN
from ..compare.carrying.by_rule import made_again
from ..compare.comparison import BY_IDENTITIES, BY_PLACE
from ..loads import Distribution
from ..loads.beyond import AROUND, ON_EDGES, TRIM, beyond
from ..model import FIXED, FREE, PINNED, Finding, Model, Release
from ..model.catalogue.grade_names import standard_of
from ..model.edits import (
    NEW,
    AddLoads,
    DeleteCases,
    DeleteMembers,
    Edit,
    HoldFoot,
    HoldSelfWeight,
    JoinCrossing,
    JoinEnd,
    MapMaterial,
    PairBy,
    PairParts,
    RemoveLoads,
    RestOn,
    ReverseMembers,
    ScaleCase,
    SetBedding,
    SetMeshSize,
    SetRelease,
    SetSupport,
    TellLoad,
    TieParts,
    TurnMembers,
)
from ..model.geometry.lines import lines_of
from ..model.settings import SupportSettings
from ..progress import Progress, silent

ACCEPT, REOPEN, GO = "Accept, because…", "reopen", "Take me there"
SHOWN_FIRST = (REST, REST_LOOSE)  # what these do to many parts at once is shown before it is done
FINER = "Set a smaller element size"
USUAL_SIZE, SMALLEST_SIZE = 0.5, 0.05  # m
MAP = "Map the profile to a known one"
FORMS = {
    "Give a section": "section",
    "Give a material": "material",
    "Give a thickness": "thickness",
    "Give its elastic modulus": "map_material",
    "Give its density": "map_material",
    "Map it to a grade": "map_material",
    "Give it a kind": "case",
    "Choose the case that holds it…": "weight",
    "Make combinations…": "combine",
}


def can_do(model: Model, finding: Finding, action: str) -> bool:
    """Return whether a button for this action would do something."""
    return (
        action in (ACCEPT, GO, MAP, TAKE_IN, AGAIN)
        or action in FORMS
        or bool(edits_for(model, finding, action))
    )


def edits_for(model: Model, finding: Finding | None, action: str, picked: str = "") -> list[Edit]:
    """The corrections an action stands for: one, or one for each part of findings that are gathered; [] for
    none."""
    if action == AGAIN and finding is not None:
        return made_again_all(model, Distribution(model), silent, set(finding.ids))
    if action in (TRIM, ON_EDGES, AROUND) and finding is not None:
        return [e for f in finding.parts or (finding,) for e in _beyond_slabs(model, f, action)]
    if finding is None or not finding.parts:
        edit = edit_for(model, finding, action, picked)
        return [] if edit is None else [edit]
    out = []
    for part in finding.parts:
        own = part_action(finding, part, action)
        edit = edit_for(model, part, own) if own is not None else None
        if edit is not None:
            out.append(edit)
    return out


def made_again_all(
    model: Model, loads: Distribution, progress: Progress = silent, only: set[str] | None = None
) -> list[Edit]:
    """The cases that were made by a rule (`only`: of those, these) made again by it, one correction a rule,
    where it gives others now. It takes seconds on a large model."""
    out: list[Edit] = []
    for rule, names in rules_of(model):
        if only is None or only & set(names.values()):
            _, edit = made_again(model, model, rule, names, loads, progress)
            out += [edit] if edit is not None else []
    return out


def _beyond_slabs(model: Model, finding: Finding, action: str) -> list[Edit]:
    """Put other loads in place of those of a case that reach beyond their slabs."""
    case = next((model.cases[i] for i in finding.ids if i in model.cases), None)
    ways = beyond(model, case) if case is not None else None
    if case is None or ways is None or (action == ON_EDGES and not ways.on_edges):
        return []
    loads = ways.around if action == AROUND else ways.trimmed + (ways.on_edges if action == ON_EDGES else [])
    return [RemoveLoads(case.name, [["area", n] for n in ways.numbers]), AddLoads(case.name, loads)]


def edit_for(model: Model, finding: Finding | None, action: str, picked: str = "") -> Edit | None:
    """The correction an action stands for; None when it is not one (or its members are gone)."""
    if finding is None:
        if picked in model.nodes and action == "Fix this node":
            return SetSupport([picked], FIXED)
        if picked in model.nodes and action == "Free this node":
            return SetSupport([picked], FREE)
        return None
    case = next((i for i in finding.ids if i in model.cases), "")
    if case:
        edit = _of_case(model, finding, action, case)
        if edit is not None:
            return edit
    if finding.code == "match.transform" and action in (BY_PLACE, BY_IDENTITIES):
        return PairBy("place" if action == BY_PLACE else "")
    if finding.code == "match.ambiguous" and finding.ids and model.part(finding.ids[0]) is not None:
        if action == "It is new":
            return PairParts({finding.ids[0]: NEW})
        number = action.removeprefix("Pair it with ").partition(":")[0]
        if action.startswith("Pair it with ") and number.isdigit() and int(number) < len(finding.ids):
            return PairParts({finding.ids[0]: finding.ids[int(number)]})
    ids = [i for i in finding.ids if i in model.members]
    panes = [i for i in finding.ids if i in model.surfaces]
    if action.startswith("Extend it to") and len(ids) == 2 and finding.at is not None:
        line = model.line(model.members[ids[0]])
        at_end = np.linalg.norm(line[1] - finding.at) < np.linalg.norm(line[0] - finding.at)
        return JoinEnd(ids[0], bool(at_end), ids[1])
    if action.startswith("Delete ") and len(ids) + len(panes) == 2:
        name = action.removeprefix("Delete ")
        for ident in (*ids, *panes):
            m = model.members.get(ident) or model.surfaces[ident]
            if name == f"{m.cls} {m.name or m.id}":
                return DeleteMembers([ident])
    if action == FINER and panes:
        now = [model.surfaces[i].mesh_size or USUAL_SIZE for i in panes]
        return SetMeshSize(panes, max(min(now) / 2, SMALLEST_SIZE))
    if action.startswith("Tie ") and finding.code in ("join.gap", "surface.gap") and panes:
        return TieParts(panes[-1], [i for i in finding.ids if i != panes[-1]])
    if action == "Take these supports away":
        nodes = [i for i in finding.ids if i in model.nodes]
        return SetSupport(nodes, FREE) if nodes else None
    if action == ON_GROUND and panes:
        slabs = [i for i in panes if not model.surfaces[i].upright]
        lowest_slab = min(slabs, key=lambda i: float(model.surfaces[i].outer[:, 2].min()), default="")
        return SetBedding([lowest_slab], SupportSettings().subgrade) if lowest_slab else None
    if action == "Support it" and panes:
        feet = [i for i in panes if model.surfaces[i].upright and model.surfaces[i].bottom_edges()]
        return HoldFoot(feet, PINNED) if feet else None
    if action in ("Join them there", "Join them by a rigid link") and len(ids) == 2:
        return JoinCrossing(ids[0], ids[1])
    if action in (REST, REST_LOOSE) and len(ids) == 2:
        return RestOn(ids[0], ids[1], action == REST_LOOSE)
    if action == "Turn them end for end" and ids:
        return ReverseMembers(ids)
    if action == "Turn them like the others" and ids:
        return _like_the_others(model, ids)
    if action == "Take the grade's values" and finding.ids:
        return _to_grade(model, finding)
    if action == "Support it" and ids:
        return SetSupport([lowest(model, ids[0])], FIXED)
    if action == "Support all column bases":
        bases = free_bases(model)
        return SetSupport(bases, FIXED) if bases else None
    if action == "Keep one end fixed in that direction" and ids:
        return SetRelease(ids[:1], True, Release())
    return None


def _of_case(model: Model, finding: Finding, action: str, case: str) -> Edit | None:
    """Return what an action does to a load case."""
    if action == "Turn its sign":
        return ScaleCase(case, -1.0)
    if action == "Delete it":
        return DeleteCases([case])
    if action == "Keep it in one of them":
        return HoldSelfWeight(case)
    if action.startswith("Multiply it by "):
        return ScaleCase(case, finding.numbers["factor"])
    if action.startswith("Divide it by "):
        return ScaleCase(case, 1 / finding.numbers["factor"])
    if action.startswith("Delete ") and action.removeprefix("Delete ") in model.cases:
        return DeleteCases([action.removeprefix("Delete ")])
    if action == "Give it to the other wall":
        return TellLoad(case, int(finding.numbers["number"]), finding.ids[2])
    return None


def _like_the_others(model: Model, ids: list[str]) -> Edit | None:
    """Turn members about their axis to the local z that others of their line and section have."""
    for line in lines_of(model):
        if line.kind in ("stack", "beams") and ids[0] in line.members:
            others = [model.members[i] for i in line.members if i not in ids]
            same = [m for m in others if m.section == model.members[ids[0]].section]
            if same:
                z = same[0].axes(model.line(same[0]))[2]
                return TurnMembers(ids, 0.0, [float(v) for v in z])
    return None


def _to_grade(model: Model, finding: Finding) -> Edit | None:
    part = next((model.members.get(i) or model.surfaces.get(i) for i in finding.ids), None)
    material = model.materials.get(part.material) if part is not None else None
    found = standard_of(material.name) if material is not None else None
    return MapMaterial(part.material, found[0].name) if part is not None and found is not None else None


def lowest(model: Model, member: str) -> str:
    """The node at a member's lower end."""
    m = model.members[member]
    a, b = model.line(m)
    return m.start if a[2] <= b[2] else m.end


def free_bases(model: Model) -> list[str]:
    """Lower nodes of columns that no other member comes down to, in the order of the columns."""
    out: dict[str, None] = {}
    at = model.members_at()
    for m in model.members.values():
        if m.cls == "column":
            node = lowest(model, m.id)
            z = model.nodes[node].point[2]
            if all(model.line(model.members[i])[:, 2].min() >= z - 0.05 for i in at[node]):
                out[node] = None
    return list(out)
