"""A review in a few lines of text."""

from __future__ import annotations

from .review import Review


def summary(review: Review) -> str:
    """Counts, balance, findings blocking first, and what the comparison found."""
    m, r = review.model, review.results
    count = {s: sum(f.severity == s for f in review.findings) for s in ("blocking", "warning", "note")}
    lines = [
        f"{m.name or m.source_file}: {m.kind} {m.schema}, {len(m.members)} members, {len(m.nodes)} nodes, "
        f"{sum(n.support.any for n in m.nodes.values())} supports, {len(m.cases)} load cases",
    ]
    if r.equilibrium:
        worst = max(e.residual for e in r.equilibrium)
        lines.append(f"{len(r.equilibrium)} of {len(r.cases)} cases computed, largest residual {worst:.1e}")
    else:
        lines.append("nothing could be computed")
    for f in review.findings:
        if f.severity != "note":
            lines.append(f"  {'■' if f.severity == 'blocking' else '▲'} {f.code}: {f.message}")
    if count["note"]:
        lines.append(f"  ● {count['note']} note{'s' if count['note'] != 1 else ''}")
    c = review.comparison
    if c is not None:
        parts = [
            f"{c.count(s)} {s}"
            for s in ("same", "changed", "moved", "resized", "added", "removed")
            if c.count(s)
        ]
        lines.append("compared with the baseline: " + ", ".join(parts))
    if count["blocking"]:
        lines.append(f"not ready for design: {count['blocking']} blocking")
    else:
        lines.append(f"nothing blocking, {count['warning']} warning{'s' if count['warning'] != 1 else ''}")
    return "\n".join(lines)
