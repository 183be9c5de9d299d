"""Small drawings of the place of a finding: what stands around it, seen from above at an angle, as SVG and as
PNG."""

from __future__ import annotations

from dataclasses import dataclass
from html import escape
from io import BytesIO
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from ..model import Model
from ..model.geometry.vectors import Array

WIDTH, HEIGHT = 520, 340  # px
NEAR = 5.0  # m; what is drawn around a place
MOST = 400  # lines in one drawing
PAPER, PLAIN, OWN, MARK, INK = "#faf8f1", "#c9c1b1", "#1d6b66", "#a3341f", "#26221d"
# from the south-west, 30 degrees above: rows are right and up of the picture
_A, _E = np.radians(-35.0), np.radians(30.0)
RIGHT = np.array([np.cos(_A), np.sin(_A), 0.0])
UP = np.array([np.sin(_A) * np.sin(_E), -np.cos(_A) * np.sin(_E), np.cos(_E)]) * [-1.0, -1.0, 1.0]
FONT = Path(__file__).parent.parent / "fonts" / "DejaVuSans.ttf"


@dataclass(slots=True)
class Sketch:
    """Lines (k, 2, 2) in px with whether each belongs to the finding; `mark` (2,) its place; `names` with
    their places."""

    lines: Array
    own: list[bool]
    mark: Array
    names: list[tuple[str, float, float]]

    def svg(self) -> str:
        """The drawing as an SVG element."""
        out = [
            f'<svg class="sketch" viewBox="0 0 {WIDTH} {HEIGHT}" role="img" aria-label="the place of the finding">'
        ]
        out.append(f'<rect width="{WIDTH}" height="{HEIGHT}" fill="{PAPER}"/>')
        for ((x0, y0), (x1, y1)), own in zip(self.lines, self.own):
            colour, width = (OWN, 3) if own else (PLAIN, 1.4)
            out.append(
                f'<line x1="{x0:.1f}" y1="{y0:.1f}" x2="{x1:.1f}" y2="{y1:.1f}" stroke="{colour}" stroke-width="{width}"/>'
            )
        x, y = self.mark
        out.append(
            f'<circle cx="{x:.1f}" cy="{y:.1f}" r="11" fill="none" stroke="{MARK}" stroke-width="2.5"/>'
        )
        for name, a, b in self.names:
            out.append(
                f'<text x="{a:.1f}" y="{b:.1f}" font-size="15" fill="{INK}" stroke="{PAPER}" stroke-width="4" paint-order="stroke">{escape(name)}</text>'
            )
        return "".join([*out, "</svg>"])

    def png(self) -> bytes:
        """The drawing as a PNG picture."""
        big = 2
        image = Image.new("RGB", (WIDTH * big, HEIGHT * big), PAPER)
        draw = ImageDraw.Draw(image)
        for line, own in zip(self.lines * big, self.own):
            draw.line([tuple(p) for p in line.tolist()], fill=OWN if own else PLAIN, width=6 if own else 3)
        x, y = (self.mark * big).tolist()
        draw.ellipse((x - 22, y - 22, x + 22, y + 22), outline=MARK, width=5)
        font = ImageFont.truetype(str(FONT), 15 * big)
        for name, a, b in self.names:
            draw.text((a * big, b * big - 30), name, fill=INK, font=font, stroke_width=4, stroke_fill=PAPER)
        out = BytesIO()
        image.resize((WIDTH, HEIGHT), Image.Resampling.LANCZOS).save(out, "PNG")
        return out.getvalue()


class Sketches:
    """The sketches of one model; lines are gathered once."""

    def __init__(self, model: Model) -> None:
        self.model = model
        lines, ids = [], []
        for m in model.members.values():
            lines.append(model.line(m))
            ids.append(m.id)
        for s in model.surfaces.values():
            for ring in (s.outer, *s.openings):
                for a, b in zip(ring, np.roll(ring, -1, axis=0)):
                    lines.append(np.array([a, b]))
                    ids.append(s.id)
        self.lines = np.array(lines).reshape(-1, 2, 3)
        self.ids = np.array(ids, dtype=object)

    def of(self, at: tuple[float, float, float] | None, idents: tuple[str, ...]) -> Sketch | None:
        """Around a place in the model's coordinates; without one around what the finding names; None where
        nothing is known."""
        own = np.isin(self.ids, list(idents))
        if at is None:
            if not own.any():
                return None
            centre = self.lines[own].mean(axis=(0, 1))
        else:
            centre = np.array(at, float)
        if not len(self.lines):
            return None
        a, b = self.lines[:, 0], self.lines[:, 1]
        d = b - a
        t = np.clip(
            np.einsum("ni,ni->n", centre - a, d) / np.maximum(np.einsum("ni,ni->n", d, d), 1e-12), 0, 1
        )
        off = np.linalg.norm(a + d * t[:, None] - centre, axis=1)
        near = np.flatnonzero(off <= NEAR)
        near = near[np.argsort(off[near], kind="stable")][:MOST]
        if not len(near):
            return None
        # cut to what lies near, so that a long beam does not shrink the picture
        length = np.linalg.norm(d[near], axis=1)
        reach = np.minimum(NEAR / np.maximum(length, 1e-9), 1.0)
        low, high = np.clip(t[near] - reach, 0, 1), np.clip(t[near] + reach, 0, 1)
        drawn = (
            np.stack([a[near] + d[near] * low[:, None], a[near] + d[near] * high[:, None]], axis=1) - centre
        )
        flat = np.stack([drawn @ RIGHT, -(drawn @ UP)], axis=-1)
        size = max(
            float(np.abs(flat[..., 0]).max()) / (WIDTH / 2 - 20),
            float(np.abs(flat[..., 1]).max()) / (HEIGHT / 2 - 20),
            1e-9,
        )
        lines = flat / size + (WIDTH / 2, HEIGHT / 2)
        names: list[tuple[str, float, float]] = []
        seen: set[str] = set()
        for k, line in zip(near, lines):
            ident = self.ids[k]
            if own[k] and ident not in seen and len(seen) < 4:
                seen.add(ident)
                part = self.model.part(ident)
                x, y = line.mean(axis=0)
                x, y = float(x) + 8, float(y) - 8
                while any(abs(y - b) < 17 and abs(x - a) < 150 for _, a, b in names):
                    y += 17  # no name over another
                names.append((part.name or part.id if part is not None else ident, x, y))
        return Sketch(lines, own[near].tolist(), np.array([WIDTH / 2, HEIGHT / 2]), names)
