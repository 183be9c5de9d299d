"""`review.json` as a plain dictionary."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..compare import Comparison, MemberMatch
from ..compare.elsewhere import Elsewhere
from ..model import Finding
from ..review.effects.effect import Effect, bands
from ..review.review import Review

FORMAT, VERSION = "rod-tally-review", 1


def document(review: Review) -> dict[str, Any]:
    """The review as the contract has it; every number is finite, absent ones are None."""
    m = review.model
    return {
        "format": FORMAT,
        "version": VERSION,
        "source": {
            "file": m.source_file,
            "schema": m.schema,
            "kind": m.kind,
            "units": m.units,
            "storeys": [
                {"name": s.name, "elevation": s.elevation + float(m.origin[2])}
                for s in m.storeys
                if not s.derived
            ],
        },
        "tally": [
            {
                "class": row.cls,
                "source": row.source,
                "model": row.model,
                "skipped": [{"id": s.id, "reason": s.reason} for s in row.skipped],
            }
            for row in review.tally
        ],
        "findings": [finding(f, m.origin) for f in review.findings],
        "equilibrium": [
            {
                "case": e.case,
                "applied": e.applied.tolist(),
                "reaction": e.reaction.tolist(),
                "residual": e.residual,
            }
            for e in review.results.equilibrium
        ],
        "modes": [
            {"mode": k.mode, "period": k.period, "mass_x": k.mass_x, "mass_y": k.mass_y, "mass_z": k.mass_z}
            for k in review.modes
        ],
        "decisions": [
            {
                "code": d.code,
                "ids": list(d.ids),
                "decision": d.decision,
                "reason": d.reason,
                "by": d.by,
                "when": d.when,
            }
            for d in review.decisions
            if d.decision != "open"
        ],
        "corrections": [{"what": e.message, "ids": list(e.ids)} for e in m.log if e.kind == "corrected"],
        "comparison": None if review.comparison is None else comparison(review.comparison),
        "elsewhere": None if review.elsewhere is None else elsewhere(review.elsewhere),
        **(
            {"effects": [effect(e) for e in review.effects], "bands": ranges(review)}
            if review.effects
            else {}
        ),
    }


def ranges(review: Review) -> list[dict[str, Any]]:
    """Return between which values each governing size lies, over all switches and pairs of them."""

    def by(e: Effect | None) -> list[dict[str, str]] | None:
        return None if e is None else [{"switch": x.name, "is": x.is_} for x in e.both or (e,)]

    return [
        {
            "quantity": q,
            "as_it_is": size,
            "lowest": low,
            "lowest_by": by(lowest),
            "highest": high,
            "highest_by": by(highest),
        }
        for q, size, low, lowest, high, highest in bands(review.effects)
    ]


def effect(e: Effect) -> dict[str, Any]:
    """Return what one switch does; `sizes` by quantity, none where there is no run with it."""
    return {
        "switch": e.name,
        **({"both": [{"switch": x.name, "was": x.was, "is": x.is_} for x in e.both]} if e.both else {}),
        "ids": list(e.ids),
        "was": e.was,
        "is": e.is_,
        "fault": e.fault or None,
        "parts": list(e.parts),
        "sizes": {
            q: {"before": b.value, "after": e.after[q].value, "of": e.after[q].of, "place": e.after[q].place}
            for q, b in e.before.items()
            if q in e.after and max(b.value, e.after[q].value) > 0
        },
    }


def elsewhere(e: Elsewhere) -> dict[str, Any]:
    """Results from elsewhere against ours."""

    def at(place: tuple[float, ...] | float | None) -> list[float] | float | None:
        return list(place) if isinstance(place, tuple) else place

    return {
        "rows": [
            {
                "quantity": r.quantity,
                "case": r.case,
                "id": r.id,
                "at": at(r.at),
                "ours": r.ours,
                "theirs": r.theirs,
                "difference": r.difference,
            }
            for r in e.rows
        ],
        "unmatched": [{"case": u.case, "id": u.id, "at": at(u.at), "reason": u.reason} for u in e.unmatched],
        "suspected": [{"quantity": s.quantity, "kind": s.kind, "value": s.value} for s in e.suspected],
    }


def finding(f: Finding, origin: np.ndarray) -> dict[str, Any]:
    return {
        "code": f.code,
        "severity": f.severity,
        "ids": list(f.ids),
        "at": None if f.at is None else [float(a + b) for a, b in zip(f.at, origin)],
        "message": f.message,
    }


def comparison(c: Comparison) -> dict[str, Any]:
    return {
        "transform": None
        if c.transform is None
        else {"angle": c.transform.angle, "shift": list(c.transform.shift), "mirrored": c.transform.mirrored},
        "levels": [{"elevation": x.elevation, "name": x.name, "status": x.status} for x in c.levels],
        "members": [matched(m) for m in c.members],
        "surfaces": [matched(m) for m in c.surfaces],
        "supports": [{"status": x.status, "at": list(x.at), "was": x.was, "is": x.is_} for x in c.supports],
        "shared": {
            "cases": [b for _, b in c.shared.cases],
            "combinations": [b for _, b in c.shared.combinations],
        },
        "cases": [
            {
                "name": x.name,
                "status": x.status,
                "baseline_name": x.baseline_name,
                "revised_name": x.revised_name,
                "was": x.was,
                "is": x.is_,
                "baseline_total": x.baseline_total,
                "revised_total": x.revised_total,
            }
            for x in c.cases
        ],
        "loads": [
            {"case": x.case, "status": x.status, "on": x.on, "what": x.what, "was": x.was, "is": x.is_}
            for x in c.loads
        ],
        "combinations": [
            {"name": x.name, "status": x.status, "was": x.was, "is": x.is_} for x in c.combinations
        ],
        "results": [
            {
                "quantity": r.quantity,
                "case": r.case,
                "baseline_id": r.baseline_id,
                "revised_id": r.revised_id,
                "baseline": r.baseline,
                "revised": r.revised,
                "change": r.change,
            }
            for r in c.results
        ],
    }


def matched(m: MemberMatch) -> dict[str, Any]:
    """A row of a member or surface."""
    return {
        "status": m.status,
        "class": m.cls,
        "baseline_id": m.baseline_id,
        "revised_id": m.revised_id,
        "shift": m.shift,
        "baseline_section": m.baseline_section,
        "revised_section": m.revised_section,
        "changes": [{"what": x.what, "was": x.was, "is": x.is_} for x in m.changes],
    }
