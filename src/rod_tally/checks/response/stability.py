"""Mechanisms inside the model, and nodes that releases leave free."""

from __future__ import annotations

from collections.abc import Iterator
from math import inf

import numpy as np

from ...analysis.frame.elements import condense, stiffness
from ...analysis.frame.mesh import Mesh
from ...analysis.results.results import FoundMotion
from ...model import Finding, Release
from ...words import and_more, few
from ..framing.supports import axis_in_words, unstable_parts
from ..registry import Subject, check, point

LOOSE_WORDS = {
    0: "slide along its own axis",
    1: "slide sideways (local y)",
    2: "slide sideways (local z)",
    3: "spin about its own axis",
    4: "turn about its local y",
    5: "turn about its local z",
}


def loose_directions(start: Release, end: Release) -> list[int]:
    """Directions (0 to 5) in which a pair of releases leaves the member itself free between its two nodes."""
    one, three = np.ones(1), np.zeros((1, 2, 3))
    tied = np.array([start.stiffness + end.stiffness])
    released = tied < inf
    spring = np.where(released & (tied > 0), 1.0, 0.0)
    unit = Mesh(
        ["a", "b"], ["m"], np.array([[0.0, 0, 0], [1, 0, 0]]), np.zeros(1, int), np.array([[0, 1]]), three,
        np.zeros(1), one, np.eye(3)[None], one, one, one, one, 0 * one, 0 * one, 0 * one, released, spring, one, one,
        np.zeros(1, int),
    )  # fmt: skip
    loose = condense(stiffness(unit), released, spring).loose.get(0, [])
    return sorted({d % 6 for d in loose})


@check("release.unstable")
def find_unstable_releases(s: Subject) -> Iterator[Finding]:
    """Members that spin or slide between their nodes, and nodes that every member lets go."""
    known: dict[tuple[Release, Release], list[int]] = {}
    for ident, m in s.model.members.items():
        if m.pin_joined or not (m.release_start.any and m.release_end.any):
            continue
        pair = (m.release_start, m.release_end)
        if pair not in known:
            known[pair] = loose_directions(*pair)
        if known[pair]:
            words = ", and to ".join(LOOSE_WORDS[d] for d in known[pair])
            yield Finding(
                "release.unstable",
                "blocking",
                f"The releases at the two ends of the {s.name(ident)} leave it free to {words}.",
                (ident,),
                s.middle(ident),
                ("Keep one end fixed in that direction",),
            )
    for motion in s.results.motions if s.results is not None else ():
        if not motion.local or np.abs(motion.shape[0, 3:]).max() < np.abs(motion.shape[0, :3]).max():
            continue
        node = motion.nodes[0]
        at = s.members_at[node]
        if all(_bar(s, i) for i in at):
            continue  # a node of a truss: nothing turns it, and nothing needs to
        yield Finding(
            "release.unstable",
            "blocking",
            f"Node {node} is free to spin about {axis_in_words(motion.shape[0, 3:])}: every member that ends there "
            "is released in that direction.",
            tuple(sorted(at)),
            point(s.model.nodes[node].point),
            ("Fix one of the ends at this node",),
        )


def _bar(s: Subject, member: str) -> bool:
    m = s.model.members[member]
    pinned = all(max(r.stiffness[4:]) < inf for r in (m.release_start, m.release_end))
    return m.pin_joined or (pinned and not m.joints)


@check("stability.mechanism")
def find_mechanisms(s: Subject) -> Iterator[Finding]:
    """Motions inside the model that meet no resistance: which nodes, which way."""
    if s.results is None:
        return
    rigid = set().union(*(part for part, _ in unstable_parts(s))) if s.results.motions else set()
    for motion in s.results.motions:
        turning = np.abs(motion.shape[0, 3:]).max() >= np.abs(motion.shape[0, :3]).max()
        if motion.local and turning:
            continue  # release.unstable reports it
        members = {i for n in motion.nodes for i in s.members_at.get(n, ())}
        if members and members <= rigid:
            continue  # support.unstable reports it
        if np.abs(motion.shape[:, :3]).max() < 1e-9 and all(_bar(s, i) for i in members):
            continue  # nodes of a truss turning with their bars: nothing turns them, and nothing needs to
        yield _mechanism(s, motion, members)
    if s.results.more_motions:
        yield Finding(
            "stability.mechanism",
            "blocking",
            "More motions without resistance were found than can be told apart; nothing of the model was computed.",
            (),
            None,
            ("Look at releases and supports first",),
        )


def _mechanism(s: Subject, motion: FoundMotion, members: set[str]) -> Finding:
    first = motion.shape[0]
    translation = np.abs(first[:3]).max() >= 0.5 * np.abs(first[3:]).max()
    way = f"along {axis_in_words(first[:3])}" if translation else f"about {axis_in_words(first[3:])}"
    verb = "move" if translation else "turn"
    assert s.results is not None
    known = [n for n in motion.nodes if n in s.model.nodes]
    panes = {s.results.surface_at(n) for n in motion.nodes[:200] if n not in s.model.nodes} - {None}
    moving = known or [s.name(i) for i in sorted(x for x in panes if x)]
    shown = few(moving, 5)
    what = "Node" if known else "The"
    nodes = f"{what}{'s' if known and len(moving) > 1 else ''} {shown} can {verb}" + (
        " together" if len(moving) > 1 else ""
    )
    parts = sorted(members) + sorted(x for x in panes if x)
    through = ", ".join(s.name(i) for i in parts[:3])
    more = and_more(parts, 3)
    # what a slab or wall holds is no mechanism of the model, only of the run that leaves them out
    on = any(x not in s.computed for n in known for x in s.tied.get(n, ()))
    return Finding(
        "stability.mechanism",
        "note" if on else "blocking",
        f"{nodes} without resistance, {moving[0] if known else 'it'} {way}; members there: {through}{more}"
        + ("; the slabs and walls tied there take no part in a run." if on else "."),
        tuple(parts),
        point(s.results.xyz[s.results.node_ids.index(motion.nodes[0])] - s.model.origin),
        ("Look at the releases of these members", "Brace or hold it in that direction"),
    )
