"""Overlays of the bare model: joints, sections, materials, supports, releases, local axes."""

from __future__ import annotations

import numpy as np

from ..model.geometry import Array
from .canvas import Canvas, diamond, ring
from .overlays import Sheet, overlay
from .theme import GRAPHITE, INK, KINDS, MUTED, OCHRE, PAPER, PINE, RUST


@overlay("joints", "Joints")
def draw_joints(canvas: Canvas, sheet: Sheet) -> list[str]:
    model = sheet.model
    at = model.members_at()
    nodes = sheet.nodes()
    joined = [n for n in nodes if len(at[n]) > 1]
    loose = [n for n in nodes if len(at[n]) == 1 and not model.nodes[n].support.any]
    for group, template, colour in ((joined, diamond(4.5), INK), (loose, ring(5.5), OCHRE)):
        canvas.symbols(np.array([model.nodes[n].point for n in group]).reshape(-1, 3), template, colour)
    gaps = [f for f in sheet.review.findings if f.code == "join.gap" and f.at and set(f.ids) & set(sheet.ids)]
    points = np.array([f.at for f in gaps]).reshape(-1, 3)
    canvas.symbols(points, ring(11), RUST, 2.2)
    texts = [f"{sheet.units.show(f.numbers['distance'], 'small', 3)} {sheet.units.small[1]} gap" for f in gaps]
    canvas.labels(points + canvas.screen_axes()[0] * canvas.pixel * 16, texts, RUST)
    return [f"◇ joined ({len(joined)})", f"○ loose end ({len(loose)})", f"◯ gap ({len(gaps)})"]


def _by_kind(canvas: Canvas, sheet: Sheet, names: list[str]) -> list[str]:
    """Members coloured by a name, the commonest first; the legend carries the names."""
    count: dict[str, int] = {}
    for n in names:
        count[n] = count.get(n, 0) + 1
    order = sorted(count, key=lambda n: (-count[n], n))
    colour = {n: KINDS[min(k, len(KINDS) - 1)] for k, n in enumerate(order)}
    rgb = np.array([_rgb(colour[n]) for n in names]).reshape(-1, 3)
    canvas.lines(sheet.lines, width=2.6, colours=rgb)
    shown = [f"<font color='{colour[n]}'>▬</font> {n or 'none'} ({count[n]})" for n in order[:6]]
    return shown + ([f"and {len(order) - 6} more"] if len(order) > 6 else [])


def _rgb(colour: str) -> tuple[int, int, int]:
    return int(colour[1:3], 16), int(colour[3:5], 16), int(colour[5:7], 16)


@overlay("sections", "Sections", base="none")
def draw_sections(canvas: Canvas, sheet: Sheet) -> list[str]:
    return _by_kind(canvas, sheet, [sheet.model.members[i].section for i in sheet.ids])


@overlay("materials", "Materials", base="none")
def draw_materials(canvas: Canvas, sheet: Sheet) -> list[str]:
    return _by_kind(canvas, sheet, [sheet.model.members[i].material for i in sheet.ids])


def support_bars(letters: str) -> Array:
    """A bar across each held direction, a bent one across a sprung one; segments in pixels."""
    e = np.eye(3)
    parts: list[Array] = []
    for d in range(3):
        if letters[d] == "F":
            continue
        out = -9.0 * e[d]
        sides = [e[1]] if d == 0 else [e[0]] if d == 1 else [e[0], e[1]]
        if letters[d] == "X":
            parts += [np.array([out - 6.5 * side, out + 6.5 * side]) for side in sides]
            parts.append(np.array([np.zeros(3), out]))
        else:
            zig = [out * t + turn * 4 * sides[0] for t, turn in ((0, 0), (0.4, 1), (0.7, -1), (1.0, 1), (1.3, 0))]
            parts += [np.array([zig[k], zig[k + 1]]) for k in range(4)]
    return np.array(parts).reshape(-1, 2, 3)


def support_arcs(letters: str) -> Array:
    """An arc about each held (or sprung) rotation, below and beside the node; segments in pixels."""
    e = np.eye(3)
    parts: list[Array] = []
    for d, (u, v, first) in enumerate(((e[1], -e[2], 50), (e[0], -e[2], 50), (e[0], e[1], 200))):
        if letters[3 + d] == "F":
            continue
        t = np.radians(np.linspace(first, first + 80, 7))
        p = 16.0 * (np.cos(t)[:, None] * u + np.sin(t)[:, None] * v)
        parts += [np.array([p[k], p[k + 1]]) for k in range(6)]
    return np.array(parts).reshape(-1, 2, 3)


@overlay("supports", "Supports")
def draw_supports(canvas: Canvas, sheet: Sheet) -> list[str]:
    model = sheet.model
    groups: dict[str, list[str]] = {}
    for n in sheet.nodes():
        if model.nodes[n].support.any:
            groups.setdefault(model.nodes[n].support.letters, []).append(n)
    legend = []
    for letters, nodes in sorted(groups.items()):
        points = np.array([model.nodes[n].point for n in nodes])
        axes = np.array([model.nodes[n].support.axes or np.eye(3).tolist() for n in nodes])
        canvas.symbols(points, support_bars(letters), INK, 2.0, "own", axes)
        canvas.symbols(points, support_arcs(letters), GRAPHITE, 1.2, "own", axes)
        legend.append(f"{support_words(letters)} ({len(nodes)})")
    free = [f for f in sheet.review.findings if f.code == "support.base_free" and f.at]
    canvas.symbols(np.array([f.at for f in free]).reshape(-1, 3), ring(10), RUST, 2.2)
    if free:
        legend.append(f"◯ base held by nothing ({len(free)})")
    return legend or ["nothing is held"]


def support_words(letters: str) -> str:
    """A support in words: fixed, pinned, or what is held."""
    known = {"XXXXXX": "fixed", "XXXFFF": "pinned", "FFXFFF": "held upright only", "FFFFFF": "free"}
    if letters in known:
        return known[letters]
    names = ("x", "y", "z", "about x", "about y", "about z")
    held = [n for n, letter in zip(names, letters) if letter == "X"]
    sprung = [n for n, letter in zip(names, letters) if letter == "S"]
    return ", ".join((["held " + " ".join(held)] if held else []) + (["spring " + " ".join(sprung)] if sprung else []))


@overlay("releases", "Releases")
def draw_releases(canvas: Canvas, sheet: Sheet) -> list[str]:
    anchors, axes, texts, total = [], [], [], 0
    for i, line, own in zip(sheet.ids, sheet.lines, sheet.axes):
        m = sheet.model.members[i]
        for release, p, sign in ((m.release_start, line[0], 1.0), (m.release_end, line[1], -1.0)):
            if release.any:
                anchors.append(p)
                axes.append(own * np.array([sign, 1, 1])[:, None])
                freed = [n for n, letter in zip(("n", "vy", "vz", "mt", "my", "mz"), release.letters) if letter != "F"]
                texts.append(" ".join(freed))
                total += 1
    points, own_axes = np.array(anchors).reshape(-1, 3), np.array(axes).reshape(-1, 3, 3)
    gap = np.array([[[11, 0, 0], [19, 0, 0]]], float)
    ticks = np.array(
        [[[11, -5, 0], [11, 5, 0]], [[19, -5, 0], [19, 5, 0]], [[11, 0, -5], [11, 0, 5]], [[19, 0, -5], [19, 0, 5]]],
        float,
    )
    canvas.symbols(points, gap, PAPER, 6.0, "own", own_axes)
    canvas.symbols(points, ticks, INK, 1.6, "own", own_axes)
    if 0 < total <= 60:
        canvas.labels(points + own_axes[:, 0] * canvas.pixel * 24, texts, MUTED, 10)
    return [f"¦ ¦ break: released end ({total})"] if total else ["every end is fixed to its node"]


@overlay("axes", "Local axes", base="pale")
def draw_axes(canvas: Canvas, sheet: Sheet) -> list[str]:
    if not len(sheet.lines):
        return []
    middle = sheet.lines.mean(axis=1)
    for d, (size, colour) in enumerate(((26, INK), (17, OCHRE), (17, PINE))):
        stroke = np.zeros((1, 2, 3))
        stroke[0, 1, d] = size
        canvas.symbols(middle, stroke, colour, 2.0, "own", sheet.axes)
    return ["long: x", f"<font color='{OCHRE}'>▬</font> y", f"<font color='{PINE}'>▬</font> z"]
