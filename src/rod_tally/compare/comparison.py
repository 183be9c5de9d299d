"""The whole comparison of two revisions: levels, members, surfaces, supports, cases, loads, combinations,
results."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ..loads import Distribution
from ..loads.totals import case_total
from ..model import Finding, Model
from ..model.settings import CompareSettings
from ..words import and_more, few
from .align import Transform
from .changes import APART, ENDS_OF_MODELS, mixed_kinds
from .levels import GridMatch, LevelMatch, match_grids, match_levels
from .loads import CaseMatch, CombinationMatch, LoadMatch, match_cases, match_combinations, names_of
from .members import MemberMatch, match_members
from .places import Places
from .results import ResultChange, Shared, Side, compare_results, shared_of
from .results.again import LookAgain, look_again
from .results.again_groups import again_finding
from .routes import route_finding
from .stacks import continued_stacks
from .supports import SupportMatch, match_supports
from .surfaces import match_surfaces

BY_IDENTITY = (
    " Most of its parts also lie where others were before: their identities say that it moved, and are followed; parts can be "
    "paired by their places instead, or one by one by hand."
)
BY_PLACE, BY_IDENTITIES = "Pair by places instead", "Follow the identities again"
IN_A_MIRROR = (
    " Parts are paired across the mirror. Loads are compared as the mirror turns them: one that acts along the same direction in "
    "both counts as changed."
)
NAMED = 4  # names that a message gives before it counts the rest


RIVALS = 4  # candidates that a finding offers


@dataclass(slots=True)
class Comparison:
    """The differences between two revisions. Rows of members and surfaces hold every one of either side
    once."""

    transform: Transform | None = None
    levels: list[LevelMatch] = field(default_factory=list)
    grids: list[GridMatch] = field(default_factory=list)
    members: list[MemberMatch] = field(default_factory=list)
    surfaces: list[MemberMatch] = field(default_factory=list)
    supports: list[SupportMatch] = field(default_factory=list)
    shared: Shared = field(default_factory=Shared)
    cases: list[CaseMatch] = field(default_factory=list)
    loads: list[LoadMatch] = field(default_factory=list)
    combinations: list[CombinationMatch] = field(default_factory=list)
    results: list[ResultChange] = field(default_factory=list)
    again: list[LookAgain] = field(default_factory=list)
    again_over: str = ""  # what demand was taken over
    findings: list[Finding] = field(default_factory=list)

    @property
    def parts(self) -> list[MemberMatch]:
        """Members, then surfaces."""
        return [*self.members, *self.surfaces]

    def count(self, status: str) -> int:
        """How many members and surfaces have a status."""
        return sum(m.status == status for m in self.parts)


def compare(
    base: Side,
    revised: Side,
    loads: tuple[Distribution, Distribution] | None = None,
    limits: CompareSettings | None = None,
) -> Comparison:
    """Hold a revision against its baseline; neither is changed. Without runs the results stay empty.

    `loads`: where the loads of either side go, where that is known already. `limits`: from where on a larger
    demand counts."""
    old, new = base.model, revised.model
    members, transform, ambiguous = match_members(old, new)
    surfaces = match_surfaces(old, new, transform)
    places = Places(old, new, transform)
    out = Comparison(
        transform, match_levels(old, new, transform), match_grids(old, new, transform), members, surfaces
    )
    out.supports = match_supports(old, new, places, surfaces)
    da, db = loads or (Distribution(old), Distribution(new))
    totals = (
        {n: case_total(old, da, c) for n, c in old.cases.items()},
        {n: places.six_back(case_total(new, db, c)) for n, c in new.cases.items()},
    )
    out.cases, out.loads, pair = match_cases(old, new, places, names_of(members, surfaces, places), totals)
    out.combinations, same = match_combinations(base.combinations, revised.combinations, pair)
    out.shared = shared_of(base, revised, pair, same)
    out.results, short, demand = compare_results(base, revised, places, members, surfaces, out.shared)
    limits = limits or CompareSettings()
    out.again, out.again_over = look_again(
        base, revised, members, surfaces, out.shared, demand, limits, places
    )
    out.findings = _findings(out, old, new, ambiguous, short)
    return out


def _findings(
    out: Comparison, base: Model, revised: Model, ambiguous: list[tuple[str, list[str]]], short: bool
) -> list[Finding]:
    found: list[Finding] = []
    if out.transform is not None:
        shift, angle = np.round(out.transform.shift, 3) + 0.0, out.transform.angle
        turned = f"turned by {np.degrees(angle):.4g} degrees" if abs(angle) > 1e-9 else ""
        image = "a mirror image of the baseline, its x turned round" if out.transform.mirrored else ""
        still = not (turned or image)
        shifted = "shifted by ({:.3f}, {:.3f}, {:.3f}) m".format(*shift) if shift.any() or still else ""
        words = ", ".join(x for x in (image, " and ".join(x for x in (turned, shifted) if x)) if x)
        found.append(
            Finding(
                "match.transform",
                "warning" if image else "note",
                f"The whole revision is {words}; it is compared in the baseline's axes."
                + (BY_IDENTITY if out.transform.by else "")
                + (IN_A_MIRROR if image else ""),
                (),
                None,
                (*((BY_PLACE,) if out.transform.by else ()), *(("Accept, because…",) if image else ())),
            )
        )
    if revised.pair_by:
        found.append(
            Finding(
                "match.transform",
                "note",
                "Parts are paired by their places alone, as was chosen: identities that moved together are not followed.",
                (),
                None,
                (BY_IDENTITIES,),
            )
        )
    if mixed_kinds(base, revised):
        found.append(
            Finding(
                "match.kinds",
                "note",
                f"A physical model is compared with an analytical one: parts are paired as they are joined, up to {APART * 1000:.0f} mm beside "
                f"each other; ends of members count as changed from {ENDS_OF_MODELS * 1000:.0f} mm along them, outlines from {APART * 1000:.0f} mm.",
            )
        )
    lost = route_finding(base, revised, out.parts)
    if lost is not None:
        found.append(lost)
    found += _piece_findings(out, base, revised)
    grids = [f"{g.name} {g.status}" for g in out.grids if g.status != "same"]
    if grids:
        more = and_more(grids, 12)
        found.append(Finding("match.grids", "note", f"Grid lines differ: {', '.join(grids[:12])}{more}."))
    found += _load_findings(out)
    if short:
        found.append(
            Finding(
                "match.results",
                "note",
                "Results case by case would be too many to list; the envelope over shared cases and combinations is listed.",
            )
        )
    called = {x.revised_id: _called(revised, x.revised_id) for x in out.again}
    again = again_finding(out.again, out.again_over, called, revised)
    if again is not None:
        found.append(again)
    found += continued_stacks(revised, out.members)
    taken = {m.revised_id: m.baseline_id or "" for m in out.members if m.revised_id is not None}
    for ident, rivals in ambiguous:
        found.append(
            Finding(
                "match.ambiguous",
                "warning",
                f"The {_called(revised, ident)} of the revision could be any of {', '.join(_called(base, r) for r in rivals)} of the "
                f"baseline; {_called(base, taken.get(ident, rivals[0]))} was taken.",
                (ident, *rivals),
                None,
                (
                    *(f"Pair it with {k}: {_called(base, r)}" for k, r in enumerate(rivals[:RIVALS], 1)),
                    "It is new",
                    "Accept, because…",
                ),
            )
        )
    return found


def _piece_findings(out: Comparison, base: Model, revised: Model) -> list[Finding]:
    """One note for all members and surfaces that were split, and one for all that pieces were merged into."""
    split: dict[str, list[str]] = {}
    merged: dict[str, list[str]] = {}
    for row in out.parts:
        if row.baseline_id and row.revised_id:
            split.setdefault(row.baseline_id, []).append(row.revised_id)
            merged.setdefault(row.revised_id, []).append(row.baseline_id)
    found = []
    for wholes, whole_in, pieces_in, where in (
        (split, base, revised, ("baseline", "revision")),
        (merged, revised, base, ("revision", "baseline")),
    ):
        several = {i: pieces for i, pieces in wholes.items() if len(pieces) > 1}
        if not several:
            continue
        shown = [
            f"{_called(whole_in, i)} ({', '.join(_called(pieces_in, p) for p in pieces[:NAMED])})"
            for i, pieces in list(several.items())[:NAMED]
        ]
        more = and_more(several, NAMED)
        what = "part" if len(several) == 1 else "parts"
        text = f"{len(several)} {what} of the {where[0]} {'is' if len(several) == 1 else 'are'} in pieces in the {where[1]}: "
        ids = tuple(dict.fromkeys(x for i, pieces in several.items() for x in (i, *pieces)))
        found.append(Finding("match.split", "note", f"{text}{', '.join(shown)}{more}.", ids))
    return found


def _called(model: Model, ident: str) -> str:
    """Class and name of a part, its id where it has no name."""
    part = model.part(ident)
    return f"{part.cls} {part.name or part.id}" if part is not None else ident


def _load_findings(out: Comparison) -> list[Finding]:
    """That cases, loads or combinations are not the same, so that results are compared only where they
    are."""
    parts = []
    ids: list[str] = []
    for what, rows in (("cases", out.cases), ("combinations", out.combinations)):
        for status in ("added", "removed", "changed", *(("renamed",) if what == "combinations" else ())):
            names = [r.name for r in rows if r.status == status]
            if names:
                parts.append(f"{what} {status}: {_named(names)}")
                ids += names[:50] if what == "cases" else []
    if out.loads:
        parts.append(f"{len(out.loads)} loads differ")
    if not parts:
        return []
    text = (
        f"The two revisions do not have the same loads ({'; '.join(parts)}). Results are compared only for the "
        f"{len(out.shared.cases)} cases and {len(out.shared.combinations)} combinations that both have."
    )
    return [Finding("match.loads", "warning", text, tuple(dict.fromkeys(ids)), None, ("Accept, because…",))]


def _named(names: list[str]) -> str:
    return few(names, NAMED)
