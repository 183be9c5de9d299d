"""Changes of a part in a line of words."""

from __future__ import annotations

import numpy as np

from ..model.geometry.vectors import Array
from .changes import Change
from .members import MemberMatch

TOLD = 0.5e-3  # m; ends that moved by less are in their place
NAMES = {
    "release_start": "release at the start",
    "release_end": "release at the end",
    "offset_start": "offset at the start",
    "offset_end": "offset at the end",
    "turn": "local axes",
    "one_way": "tension or compression only",
}


def in_words(m: MemberMatch) -> str:
    """Such as "raised 30 mm, end shortened 60 mm, IPE 300 to IPE 360"; "" for a part that is the same, is new
    or is gone."""
    out = []
    ends = next((c for c in m.changes if c.what == "ends"), None)
    moved = _ends(ends) if ends is not None else []
    if m.shift > TOLD and not moved:
        moved = [f"moved {_mm(m.shift)}"]
    out += moved
    if m.baseline_section and m.revised_section and m.baseline_section != m.revised_section:
        out.append(f"{m.baseline_section} to {m.revised_section}")
    for c in m.changes:
        if c.what == "ends" or (c.what == "section" and m.baseline_section != m.revised_section):
            continue
        out.append(_of(c))
    return ", ".join(out)


def _of(c: Change) -> str:
    name = NAMES.get(c.what, c.what.replace("_", " "))
    if c.what == "thickness" and isinstance(c.was, int | float) and isinstance(c.is_, int | float):
        return f"thickness {c.was * 1000:.4g} to {c.is_ * 1000:.4g} mm"
    plain = [x for x in (c.was, c.is_) if isinstance(x, str | int | float) or x is None]
    if len(plain) == 2 and all(len(str(x)) < 40 for x in plain):
        return f"{name} {_value(c.was)} to {_value(c.is_)}"
    return f"other {name}" if c.what in ("outline", "openings", "turn") else f"{name} changed"


def _value(x: object) -> str:
    return "none" if x in (None, "") else f"{x:.4g}" if isinstance(x, float) else str(x)


def _ends(c: Change) -> list[str]:
    """Return what the ends did: both by one step, or each along the axis, up and aside. [] for none."""
    was, now = (np.array(v, float).reshape(-1, 3) for v in (c.was, c.is_))
    if was.shape != (2, 3) or now.shape != (2, 3):
        return ["other ends"]
    steps = now - was
    if np.abs(steps[0] - steps[1]).max() <= TOLD:
        return _aside(steps[0], "")
    axis = was[1] - was[0]
    length = float(np.linalg.norm(axis))
    if length < TOLD:
        return ["other ends"]
    axis = axis / length
    along = steps @ axis
    rest = steps - np.outer(along, axis)
    together = float(np.abs(rest[0] - rest[1]).max()) <= TOLD
    out = _aside(rest.mean(axis=0), "") if together else []
    for k, name in enumerate(("start", "end")):
        longer = along[k] * (1 if k else -1)
        if abs(longer) > TOLD:
            out.append(f"{name} {'extended' if longer > 0 else 'shortened'} {_mm(abs(longer))}")
        if not together:
            out += _aside(rest[k], f"{name} ")
    return out


def _aside(step: Array, of: str) -> list[str]:
    """A step in words, what is upright of it apart."""
    out = []
    if abs(step[2]) > TOLD:
        out.append(f"{of}{'raised' if step[2] > 0 else 'lowered'} {_mm(abs(step[2]))}")
    flat = float(np.hypot(step[0], step[1]))
    if flat > TOLD:
        out.append(f"{of}moved {_mm(flat)}")
    return out


def _mm(length: float) -> str:
    return f"{length * 1000:.4g} mm" if length < 10 else f"{length:.4g} m"
