"""The resultant of a load on a member."""

from __future__ import annotations

import numpy as np

from .entities.loads import MemberLoad
from .entities.model import Model
from .geometry.vectors import Array


def member_force(model: Model, load: MemberLoad) -> Array:
    """Resultant of a load on a member (N, global); zero for moments, and where the member is gone."""
    member = model.members.get(load.member)
    if member is None or load.kind != "force":
        return np.zeros(3)
    qa, qb = np.array(load.qa), np.array(load.qb)
    line = model.line(member)
    axes = member.axes(line)
    if load.projected:
        x = np.array([1.0, 0, 0]) if load.local else axes[0]
        sizes = [float(np.linalg.norm(q)) for q in (qa, qb)]
        qa, qb = (q * np.sqrt(max(1 - (float(q @ x) / n) ** 2, 0.0)) if n > 0 else q for q, n in zip((qa, qb), sizes))
    size = load.b - load.a
    force = qa if size == 0 else (qa + qb) / 2 * size
    return np.asarray(axes.T @ force if load.local else force)
