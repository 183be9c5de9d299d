"""Stability of walls that carry no tension, cut by cut: eccentricity, compressed length, pressure, tie,
sliding.

A wall's cut of length L and thickness t carries N (compression positive) at the eccentricity e = M / N from
its middle.

Elastic, without tension (a textbook block on a base that cannot pull; from memory, as in EN 1992-1-1 12.6 and
EN 1996-1-1): within the kernel, |e| <= L/6, all of L is compressed and the pressure is N/(tL) (1 + 6|e|/L) at
most; beyond it 3 (L/2 - |e|) is compressed and the pressure is 2N / (3t (L/2 - |e|)); from |e| = L/2 on the
wall tips about its edge.

Plastic: a rectangle of L - 2|e|, with the pressure N / (t (L - 2|e|)).

Tie: what must be anchored in the edge that lifts, `tie_edge` from it, so that the pressure on the other side
stays at the allowed one f in a rectangle of x: T + N = f t x and moments about the middle. None where the
plastic rectangle alone stays within f. A wall that is pulled all along has a tie in either edge; the larger
is given."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from shapely.geometry import LineString

from ...model import Model, Surface
from ...model.geometry.vectors import Array
from ...model.settings import WallSettings
from .forces import WallForces
from .lengths import wall_directions

PARTIAL = 1.5  # on the strength of concrete, EN 1992-1-1 table 2.1N
BLUNT = 1e-3  # m; pieces shorter than this are none
NOTHING = 1e-6  # N; a smaller compression is none


@dataclass(slots=True)
class Block:
    """Quantities of a wall as arrays of any shape: lengths in m, pressures in Pa, forces in N. NaN where
    there is none, such as the eccentricity of a cut without compression; `tie` is 0 where none is needed,
    infinite where none can hold."""

    eccentricity: Array
    elastic_length: Array
    elastic_pressure: Array
    plastic_length: Array
    plastic_pressure: Array
    tie: Array
    sliding: Array


def block(
    n: Array, v: Array, m: Array, length: float, thickness: float, f: float, settings: WallSettings
) -> Block:
    """Return the stress block of cuts with N (compression positive, N), V (N) and M about the middle (N m);
    `f` (Pa) the allowed pressure."""
    n, v, m = (np.asarray(x, float) for x in np.broadcast_arrays(n, v, m))
    half, t = length / 2, thickness
    pressed = n > NOTHING
    safe = np.where(pressed, n, 1.0)
    e = np.where(pressed, m / safe, np.nan)
    off = np.abs(np.where(pressed, e, length))
    inside = off <= length / 6
    stands = off < half
    room = np.where(stands, half - off, np.nan)
    elastic = np.where(inside, length, np.where(stands, 3 * room, 0.0))
    p_elastic = np.where(
        inside, n / (t * length) * (1 + 6 * off / length), np.where(stands, 2 * n / (3 * t * room), np.nan)
    )
    plastic = np.where(stands, 2 * room, 0.0)
    p_plastic = np.where(stands, n / (t * 2 * room), np.nan)
    needs = ~stands | (p_plastic > f)
    arm = length - settings.tie_edge
    if np.isfinite(f):
        # f t x - N at the tie, f t x on the other side: x from the moments about the tie
        root = arm**2 - 2 * (n * (half - settings.tie_edge) + np.abs(m)) / (f * t)
        x = arm - np.sqrt(np.maximum(root, 0.0))
        wanted = np.where(root >= 0, np.maximum(f * t * x - n, 0.0), np.inf)
    else:  # pressed in the very edge
        wanted = np.maximum((np.abs(m) - n * half) / arm, 0.0)
        x = wanted + n
    # pulled all along: a tie in either edge
    wanted = np.where(x < 0, -n / 2 + np.abs(m) / (length - 2 * settings.tie_edge), wanted)
    tie = np.where(needs, wanted, 0.0)
    with np.errstate(divide="ignore", invalid="ignore"):
        sliding = np.where(
            np.abs(v) > 0, np.where(pressed, np.abs(v) / (settings.friction * safe), np.inf), 0.0
        )
    return Block(e, elastic, p_elastic, plastic, p_plastic, tie, sliding)


@dataclass(slots=True)
class Panel:
    """A wall between two storeys at one of its cuts: `row` of the wall forces, solid `length` and `thickness`
    (m), the allowed pressure `f` (Pa), infinite where nobody said. `why_not` says why the formulas do not
    hold there, "" where they do; `note` what they lack."""

    row: int
    wall: str
    ident: str
    storey: str
    part: str
    length: float
    thickness: float
    f: float
    why_not: str = ""
    note: str = ""


def panels(model: Model, forces: WallForces, settings: WallSettings) -> list[Panel]:
    """Cuts of single walls, with the conditions that the formulas ask for looked at first."""
    out = []
    for k, row in enumerate(forces.rows):
        if len(row.ids) != 1 or row.ids[0] not in model.surfaces:
            continue
        s = model.surfaces[row.ids[0]]
        length, pieces = solid_at(s, float(row.place[2] - model.origin[2]), row.part == "bottom")
        f, note = _pressure(model, s, settings)
        why = ""
        if pieces != 1:
            why = "an opening lies on the cut" if pieces > 1 else "nothing of the wall lies on the cut"
        elif s.spread is not None and s.spread[1] - s.spread[0] > BLUNT:
            why = "its thickness varies"
        out.append(Panel(k, row.wall, s.id, row.storey, row.part, length, s.thickness, f, why, note))
    return out


def solid_at(s: Surface, z: float, up: bool) -> tuple[float, int]:
    """Length of a wall (m) on a level just above (`up`) or below a height, openings left out, and in how many
    pieces."""
    along, _ = wall_directions(s)
    flat = s.flat(s.outer)
    heights = s.outer[:, 2]
    z = float(np.clip(z + (0.01 if up else -0.01), heights.min() + BLUNT, heights.max() - BLUNT))
    middle = s.outer.mean(axis=0)
    reach = float(np.linalg.norm(flat.max(axis=0) - flat.min(axis=0))) + 1.0
    normal = s.plain_axes[2]
    # along a level line of the wall's own plane
    level = np.cross(normal, [0.0, 0.0, 1.0])
    level = level / np.linalg.norm(level)
    climb = np.cross(level, normal)
    climb = climb if climb[2] > 0 else -climb
    at = middle + climb * ((z - middle[2]) / climb[2])
    line = LineString(s.flat(np.array([at - level * reach, at + level * reach])))
    cut = line.intersection(s.polygon)
    pieces = [p for p in getattr(cut, "geoms", [cut]) if p.length > BLUNT]
    return float(sum(p.length for p in pieces)), len(pieces)


def _pressure(model: Model, s: Surface, settings: WallSettings) -> tuple[float, str]:
    if settings.pressure > 0:
        return settings.pressure, ""
    material = model.materials.get(s.material)
    strength = material.strength if material is not None else None
    if not strength:
        return float("inf"), "the strength of its material is not known: give walls.pressure"
    return strength / PARTIAL, ""


def in_row(panel: Panel, values: Array, settings: WallSettings) -> Block:
    """Return the stress blocks of one cut in any number of cases: `values` (C, 6) as WallForces has them."""
    return block(-values[:, 0], values[:, 1], values[:, 4], panel.length, panel.thickness, panel.f, settings)
