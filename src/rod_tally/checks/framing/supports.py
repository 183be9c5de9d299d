"""Supports of the model: enough, where they belong, and none too many."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ...model import Finding, Model, SurfaceJoint
from ...model.geometry.vectors import Array
from ..registry import Subject, check, point

LITTLE = 0.01  # of all reactions; a support that takes less is none to speak of
ABOVE = 1.0  # m
NEARLY_ALL = 0.9  # of the nodes above the base, held
FEWEST = 4  # nodes above the base below which that says nothing


@check("support.none")
def find_no_support(s: Subject) -> Iterator[Finding]:
    """A model that nothing holds."""
    surfaces = s.model.surfaces.values()
    held = any(n.support.any for n in s.model.nodes.values()) or any(
        x.supports or x.on_ground for x in surfaces
    )
    if (s.ids or s.model.surfaces) and not held:
        yield Finding(
            "support.none",
            "blocking",
            "The model has no support; nothing can be computed.",
            (),
            None,
            ("Support all column bases",),
        )


@check("support.base_free", looks_at=("geometry", "supports"))
def find_free_bases(s: Subject) -> Iterator[Finding]:
    """Columns whose lowest point neither a support nor a member that does not itself rise from there holds;
    walls whose foot stands on nothing."""
    surfaces = s.model.surfaces.values()
    if not any(n.support.any for n in s.model.nodes.values()) and not any(
        x.supports or x.on_ground for x in surfaces
    ):
        return
    yield from _free_walls(s)
    seen: set[str] = set()
    for ident, m in s.model.members.items():
        if m.cls != "column":
            continue
        a, b = s.model.line(m)
        node = m.start if a[2] <= b[2] else m.end
        if node in seen or s.model.nodes[node].support.any or s.tied.get(node):
            continue
        z = min(a[2], b[2])
        if any(_holds(s, i, z) for i in s.members_at[node] if i != ident):
            continue
        seen.add(node)
        yield Finding(
            "support.base_free",
            "blocking",
            f"The {s.name(ident)} has no base support: no support, footing or member below.",
            (ident,),
            point(s.model.nodes[node].point),
            ("Support it", "Accept, because…"),
        )


def _free_walls(s: Subject) -> Iterator[Finding]:
    for x in s.model.surfaces.values():
        if not x.upright or x.supports or x.on_ground:
            continue
        low = float(x.outer[:, 2].min())
        below = [j for j in x.joints if float(j.line[:, 2].min()) <= low + 0.3 and _carries(s, j, low)]
        if not below:
            yield Finding(
                "support.base_free",
                "blocking" if s.model.physical else "warning",
                f"The {s.name(x.id)} has no base support: no support, footing, slab or wall below.",
                (x.id,),
                point(x.outer[int(x.outer[:, 2].argmin())]),
                ("Support it", "Accept, because…"),
            )


def _carries(s: Subject, joint: SurfaceJoint, low: float) -> bool:
    """Return whether what is tied to a wall at its foot carries it: a slab, a wall below or beside, a beam
    or column."""
    other = s.model.surfaces.get(joint.other)
    if other is not None:
        level = abs(float(joint.line[1, 2] - joint.line[0, 2])) < 0.3 if len(joint.line) > 1 else True
        return level or bool(other.outer[:, 2].min() < low - 0.3)
    return joint.other in s.model.members


def _holds(s: Subject, member: str, z: float) -> bool:
    """Return whether a member at a base comes from below, or runs level through it to somewhere else."""
    line = s.model.line(s.model.members[member])
    return bool(line[:, 2].min() < z - 0.05 or line[:, 2].max() < z + 0.05 * np.ptp(line, axis=0).max())


@check("support.inside")
def find_supports_inside(s: Subject) -> Iterator[Finding]:
    """Supports inside slabs that lie on the ground, and supports above the base, that take upright load:
    with what they take."""
    r = s.results
    if r is None or r.empty or not len(r.cases):
        return
    bedded = {j.node: x.id for x in s.model.surfaces.values() if x.on_ground for j in x.joints if j.node}
    held = [n for n, x in s.model.nodes.items() if x.support.stiffness[2] > 0]
    if not held:
        return
    base = min(float(s.model.nodes[n].point[2]) for n in held)
    lower = {n for part, _ in s.held_components for i in part for n in s.nodes_of(i)}
    held_by: dict[str, list[int]] = {}  # supports by the slab that they are inside; "" those above the base
    for k, node in enumerate(r.support_ids):
        if node in bedded:
            held_by.setdefault(bedded[node], []).append(k)
        elif node in lower and float(s.model.nodes[node].point[2]) > base + ABOVE and _hangs_above(s, node):
            held_by.setdefault("", []).append(k)
    whole = np.abs(r.reaction[:, :, 2]).sum(axis=1)
    for slab, supports in sorted(held_by.items()):
        takes = r.reaction[:, supports, 2]
        c = int(np.abs(takes.sum(axis=1)).argmax())  # of one case, so that they act together
        items = [
            (abs(float(t)), float(t), r.support_ids[k])
            for t, k in zip(takes[c], supports)
            if abs(t) > LITTLE * whole[c]
        ]
        if not items:
            continue
        items.sort(reverse=True)
        total, (_, most, node), case = sum(t for _, t, _ in items), items[0], r.cases[c]
        many = f"{len(items)} support{'' if len(items) == 1 else 's'}"
        where = f"inside the {s.name(slab)}, which lies on the ground," if slab else "above the base"
        rest = (
            "what stands on the slab hangs on them instead of pressing on the ground"
            if slab
            else "what is above and below may be meant to carry by itself"
        )
        yield Finding(
            "support.inside",
            "warning",
            f"{many} {where} take{'s' if len(items) == 1 else ''} {total / 1000:.4g} kN upright in {case}, {most / 1000:.4g} kN at node "
            f"{node}: {rest}.",
            (*((slab,) if slab else ()), *(n for _, _, n in items)),
            point(s.model.nodes[node].point),
            ("Take these supports away", "Accept, because…"),
            {"takes": total},
        )


@check("support.everywhere", looks_at=("geometry", "supports"))
def find_supports_everywhere(s: Subject) -> Iterator[Finding]:
    """Nearly all nodes that columns lead up to held in place: what is put on them goes straight into their
    supports, and members carry next to nothing. Common practice, no source: an export that fixes every
    node."""
    nodes = s.model.nodes
    used = [n for n in nodes if s.members_at.get(n)]
    held = [n for n in used if all(k == np.inf for k in nodes[n].support.stiffness[:3])]
    if not held:
        return
    base = min(float(nodes[n].point[2]) for n in held)
    # where something comes up to; beams that lie on supports at each level are held as they should be
    above = [n for n in used if float(nodes[n].point[2]) > base + ABOVE and _hangs_above(s, n)]
    among = set(held)
    there = [n for n in above if n in among]
    if len(above) < FEWEST or len(there) < NEARLY_ALL * len(above):
        return
    first = min(there, key=lambda n: (float(nodes[n].point[2]), n))
    yield Finding(
        "support.everywhere",
        "warning",
        f"{len(there)} of the {len(above)} nodes at heads of columns above the base are held in x, y and z: loads go straight into these supports, and "
        "members carry next to nothing.",
        tuple(there),
        point(nodes[first].point),
        ("Take these supports away", "Accept, because…"),
    )


def _hangs_above(s: Subject, node: str) -> bool:
    """Return whether something comes up to a node from below: it is no foot."""
    z = float(s.model.nodes[node].point[2])
    return any(
        float(s.model.line(s.model.members[i])[:, 2].min()) < z - ABOVE for i in s.members_at.get(node, ())
    )


def rigid_motions(model: Model, nodes: set[str]) -> Array:
    """Rigid motions (k, 6) that the supports of these nodes leave free: translation of the mean point, then
    rotation.

    (0, 6) when they hold everything. Rotations are scaled to the size of the part, so that a support 1 mm off
    an axis does not count as holding it."""
    points = np.array([model.nodes[n].point for n in nodes])
    middle = points.mean(axis=0)
    size = max(float(np.ptp(points, axis=0).max()), 1e-3)
    rows = []
    for n in nodes:
        support = model.nodes[n].support
        if not support.any:
            continue
        axes = np.array(support.axes) if support.axes is not None else np.eye(3)
        r = (model.nodes[n].point - middle) / size
        for d, stiffness in enumerate(support.stiffness):
            if not stiffness:
                continue
            direction = axes[d % 3]
            rows.append(
                np.concatenate([direction, np.cross(r, direction)] if d < 3 else [np.zeros(3), direction])
            )
    if not rows:
        return np.eye(6)
    _, values, vectors = np.linalg.svd(np.array(rows))
    rank = int((values > 1e-6 * max(values[0], 1e-12)).sum())
    free = vectors[rank:].copy()
    free[:, 3:] /= size
    return _tidy(free, size)


def _tidy(free: Array, size: float) -> Array:
    """The same space by motions along and about the global axes where it holds them."""
    if not len(free):
        return free
    scaled = free * np.array([1, 1, 1, size, size, size])
    q, _ = np.linalg.qr(scaled.T)
    out: list[Array] = []
    for d in range(6):
        e = np.eye(6)[d]
        if np.linalg.norm(q @ (q.T @ e) - e) < 1e-6:
            out.append(e)
    if len(out) < len(free):
        for v in scaled:
            rest = v - sum(((v @ o) * o for o in out), np.zeros(6))
            if np.linalg.norm(rest) > 1e-3 * np.linalg.norm(v) and len(out) < len(free):
                out.append(rest / np.linalg.norm(rest))
    return np.array(out) / np.array([1, 1, 1, size, size, size])


def in_words(motion: Array) -> str:
    """A rigid motion (6,) as a person says it: slide along x, turn about y, or both."""
    t, r = motion[:3], motion[3:]
    parts = []
    if np.linalg.norm(r) > 1e-9:
        parts.append(f"turn about {axis_in_words(r)}")
    if np.linalg.norm(t) > 1e-6 * max(1.0, float(np.linalg.norm(r))):
        parts.append(f"slide along {axis_in_words(t)}")
    return " while it may ".join(parts) or "move"


def axis_in_words(v: Array) -> str:
    u = v / np.linalg.norm(v)
    k = int(np.abs(u).argmax())
    if abs(u[k]) > 0.999:
        return "xyz"[k]
    u = np.round(u * np.sign(u[k]), 2) + 0.0  # no -0.00, which would be another text for the same axis
    return f"({u[0]:.2f}, {u[1]:.2f}, {u[2]:.2f})"


def unstable_parts(s: Subject) -> list[tuple[set[str], Array]]:
    """Parts that have supports but can move as rigid bodies, each with its free motions."""
    out = []
    for part, held in s.held_components:
        if held and not part & s.held_by_surfaces:
            motions = rigid_motions(s.model, {n for i in part for n in s.nodes_of(i)})
            if len(motions):
                out.append((part, motions))
    return out


@check("support.unstable", looks_at=("geometry", "supports"))
def find_unstable_supports(s: Subject) -> Iterator[Finding]:
    """Parts whose supports cannot stop them moving as one body.

    Of a part that slabs and walls hold as well which take no part in the run it is only a note; where such as
    do take part are held, the run itself shows what moves."""
    for part, motions in unstable_parts(s):
        on = sorted(
            {i for m in part for n in s.nodes_of(m) for i in s.tied.get(n, ()) if i not in s.computed}
        )
        ids = tuple(sorted(part))
        whole = (
            "The model" if len(s.components) == 1 else f"The part with {s.name(ids[0])} ({len(ids)} members)"
        )
        words = ", and ".join(in_words(m) for m in motions)
        nodes = sorted(
            {n for i in part for n in s.nodes_of(i) if s.model.nodes[n].support.any},
        )
        yield Finding(
            "support.unstable",
            "note" if on else "blocking",
            f"{whole} is held at {len(nodes)} node{'s' if len(nodes) != 1 else ''}, and can still {words}"
            + (f"; {s.name(on[0])} and others that hold it too take no part in a run." if on else "."),
            ids,
            point(s.model.nodes[nodes[0]].point),
            ("Hold it in that direction",),
        )
