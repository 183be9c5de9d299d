"""Diagrams of forces along a member, lowest and highest over what was computed, as SVG."""

from __future__ import annotations

from html import escape

import numpy as np

from ...model.geometry.vectors import Array

WIDE, TALL, EDGE, LEFT = 420.0, 74.0, 10.0, 8.0  # px, of one component
INK, MUTED, FILL = "#26221d", "#857b69", "#1d6b66"


def diagram(x: Array, bands: list[tuple[str, str, Array, Array]]) -> str:
    """Return one strip below the other for each component: its name, its unit, and its lowest and highest
    values at places x (m) along the member."""
    tall = TALL * len(bands) + 16
    length = float(x[-1] - x[0]) or 1.0
    across = LEFT + (x - x[0]) / length * (WIDE - 2 * LEFT)
    out = [f'<svg viewBox="0 0 {WIDE:.0f} {tall:.0f}" role="img" aria-label="forces along the member">']
    for k, (name, unit, low, high) in enumerate(bands):
        least, most = min(float(low.min()), 0.0), max(float(high.max()), 0.0)
        span = most - least or 1.0
        top = k * TALL + EDGE

        def down(v: Array, top: float = top, most: float = most, span: float = span) -> Array:
            return np.asarray(top + (most - v) / span * (TALL - 2 * EDGE))

        edge = [*zip(across, down(high)), *zip(across[::-1], down(low)[::-1])]
        zero = float(down(np.zeros(1))[0])
        points = " ".join(f"{a:.1f},{b:.1f}" for a, b in edge)
        out.append(
            f'<polygon points="{points}" fill="{FILL}" fill-opacity="0.22" stroke="{FILL}" stroke-width="1"/>'
        )
        out.append(
            f'<line x1="{LEFT}" y1="{zero:.1f}" x2="{WIDE - LEFT}" y2="{zero:.1f}" stroke="{INK}" stroke-width="0.8"/>'
        )
        words = f"{name} {float(low.min()) + 0.0:.4g} to {float(high.max()) + 0.0:.4g} {unit}"
        out.append(
            f'<text x="{LEFT + 2}" y="{k * TALL + 9:.0f}" font-size="10" fill="{MUTED}">{escape(words)}</text>'
        )
    out.append(
        f'<text x="{WIDE - LEFT}" y="{tall - 3:.0f}" font-size="10" text-anchor="end" fill="{MUTED}">{length:.3g} m</text>'
    )
    return "".join([*out, "</svg>"])
