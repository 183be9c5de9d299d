"""The first page of a report: the building in one drawing, and what matters in a few lines."""

from __future__ import annotations

import numpy as np

from ...model import Model
from ...model.geometry.vectors import ring_sides
from ...review.decisions import decision_on
from ...review.effects.effect import FIRST, bands
from ...review.expected.expected import expected
from ...review.review import Review
from ...review.tallies.key_figures import key_figures
from ..sketch import PLAIN, RIGHT, UP
from .chapters.effects import NAMES
from .parts import UNITS, value

WIDE, TALL, EDGE = 900.0, 420.0, 12.0  # px
DARK = "#26221d"
KINDS = {"force": "force", "small": "small", "share": "share", "time": "period"}


def drawing(model: Model) -> str:
    """Return the building from the south-west, as an SVG element; "" for nothing to draw."""
    members = model.lines()
    edges = [ring_sides(r) for s in model.surfaces.values() for r in (s.outer, *s.openings)]
    pieces = [(members, DARK, 0.8)]
    if edges:
        pieces.insert(0, (np.concatenate(edges), PLAIN, 0.6))
    every = np.concatenate([p for p, _, _ in pieces]).reshape(-1, 3)
    if not len(every):
        return ""
    flat = np.stack([every @ RIGHT, every @ UP], axis=1)
    low, span = flat.min(axis=0), np.maximum(np.ptp(flat, axis=0), 1e-9)
    scale = min((WIDE - 2 * EDGE) / span[0], (TALL - 2 * EDGE) / span[1])
    tall = span[1] * scale + 2 * EDGE
    out = [f'<svg class="building" viewBox="0 0 {WIDE:.0f} {tall:.0f}" role="img" aria-label="the building">']
    left = (WIDE - span[0] * scale) / 2
    for lines, colour, width in pieces:
        steps = []
        for a, b in lines:
            ends = [
                (left + (p @ RIGHT - low[0]) * scale, tall - EDGE - (p @ UP - low[1]) * scale) for p in (a, b)
            ]
            steps.append("M{:.1f} {:.1f}L{:.1f} {:.1f}".format(*ends[0], *ends[1]))
        out.append(f'<path d="{"".join(steps)}" stroke="{colour}" stroke-width="{width}" fill="none"/>')
    return "".join([*out, "</svg>"])


def summary_lines(review: Review) -> list[tuple[str, str]]:
    """Return what matters first, as headings with a line each."""
    out: list[tuple[str, str]] = []
    figures = []
    for f in key_figures(review):
        if f.kind == "count":
            figures.append(f"{f.value:.0f} {f.name}")
            continue
        kind = KINDS[f.kind]
        text = f"{f.name} {value(f.value, kind).text} {UNITS[kind][0]}".strip()
        figures.append(f"{text} ({f.place})" if f.place else text)
    out.append(("The building", "; ".join(figures) + "."))
    words = []
    for severity in ("blocking", "warning", "note"):
        own = [f for f in review.findings if f.severity == severity]
        left = sum(decision_on(f, review.decisions) is None for f in own)
        words.append(f"{len(own)} {severity}{', ' + str(left) + ' of them open' if own else ''}")
    out.append(("Findings", "; ".join(words) + "."))
    if review.stale:
        out.append(("Results", "none of this model: it has changed since its run."))
    elif review.results.equilibrium:
        worst = max(e.residual for e in review.results.equilibrium)
        cases, combinations = len(review.results.equilibrium), len(review.computed_combinations)
        text = f"{cases} cases, largest residual {worst:.1e}; {combinations} combinations"
        left_out = len(review.results.left_out)
        out.append(("Results", f"{text}; {left_out} parts took no part." if left_out else f"{text}."))
    found = expected(review)
    if found:
        odd = [e for e in found if e.odd]
        first = f", first {odd[0].kind} {odd[0].of}" if odd else ""
        out.append(
            (
                "Expected",
                f"{len(odd)} of {len(found)} values are out of what simple formulas let expect{first}.",
            )
        )
    spans = [
        b for b in bands([e for e in review.effects if not e.fault]) if b[0] in FIRST and b[5] is not None
    ]
    if spans:
        q, size, _, _, high, by = max(spans, key=lambda b: b[4] / b[1] if b[1] > 0 else 0.0)
        assert by is not None
        out.append(
            (
                "Depends on",
                f"{NAMES[q].lower()} rises by {high / size - 1:.0%} with {by.title.lower()}: {by.values[1]}.",
            )
        )
    c = review.comparison
    if c is not None:
        told = [
            f"{c.count(s)} {s}" for s in ("changed", "moved", "resized", "added", "removed") if c.count(s)
        ]
        out.append(("Since the baseline", ", ".join(told) + " parts." if told else "no part differs."))
    return out
