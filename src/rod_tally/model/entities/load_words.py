"""Words for what IFC cannot say of a load case or a combination, as they stand in its description: the
response spectrum that a case stands for, and the cases of a combination that enter by the root of squares."""

from __future__ import annotations

import json

from .loads import Spectrum

SPECTRUM, ROOTS = "spectrum: ", "root of the sum of squares: "
MOST = 1e6  # s, m/s2; no period and no acceleration of a building is beyond it


def spectrum_words(s: Spectrum) -> str:
    """A spectrum as text, "spectrum: x, CQC, damping 0.05, eccentricity 0.0, turned 0.0, curve 0.0 2.5 …", without a
    semicolon; numbers in full, SI."""
    curve = " ".join(f"{float(t)!r} {float(a)!r}" for t, a in s.curve)
    numbers = (
        f"damping {float(s.damping)!r}, eccentricity {float(s.eccentricity)!r}, turned {float(s.angle)!r}"
    )
    return f"{SPECTRUM}{s.direction}, {s.rule}, {numbers}, curve {curve}"


def spectrum_in(description: str) -> Spectrum | None:
    """The spectrum that a description holds; None for one without. Raises ValueError for one that cannot be
    understood."""
    part = next((p.strip() for p in description.split(";") if p.strip().startswith(SPECTRUM)), "")
    if not part:
        return None
    try:
        direction, rule, *rest = (w.strip() for w in part.removeprefix(SPECTRUM).split(","))
        said = dict(w.split(" ", 1) for w in rest)
        values = [float(v) for v in said["curve"].split()]
        curve = list(zip(values[::2], values[1::2], strict=True))
        damping, eccentricity, turned = (float(said[k]) for k in ("damping", "eccentricity", "turned"))
    except (KeyError, ValueError) as error:
        raise ValueError(f"{part[:80]!r} is no response spectrum") from error
    rising = all(a[0] < b[0] for a, b in zip(curve, curve[1:]))
    usual = all(0 <= v < MOST for v in values) and 0 <= damping < 1 and abs(eccentricity) < 1
    if direction not in ("x", "y", "z") or rule not in ("CQC", "SRSS") or not (curve and rising and usual):
        raise ValueError(f"{part[:80]!r} is no response spectrum")
    return Spectrum(direction, curve, damping, rule, eccentricity, turned)


def roots_words(roots: list[str]) -> str | None:
    """Cases that enter a combination by the root of squares, as text; None for none."""
    return ROOTS + json.dumps(roots, ensure_ascii=False) if roots else None


def roots_in(description: str) -> list[str]:
    """The cases that a combination's description names so; [] for one that names none. Raises ValueError for
    a list that cannot be understood."""
    if not description.startswith(ROOTS):
        return []
    found = json.loads(description.removeprefix(ROOTS))
    if not isinstance(found, list) or not all(isinstance(n, str) for n in found):
        raise ValueError(f"{description[:80]!r} is no list of load cases")
    return found
