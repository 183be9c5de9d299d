"""Bringing ends together: which ends share a node, which end sits on which member, and where the node lies.

The rule is one for all sources. An end joins another member when the clear distance between their bodies is
at most the snap distance (bodies of no width make that the distance from the end to the other's axis). It
joins the other's end where its own body reaches that end, and its axis otherwise. Nothing here depends on the
order of members."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ...model.geometry.proximity import EndPairs, Rods, crossing_pairs, end_pairs
from ...model.geometry.vectors import Array, closest_between_lines

ONE_PLACE = 1e-3  # m; nodes nearer than this that hold one member are one
ON_HEAD = 1e-3  # m; an axis farther beyond a column's end lies on its head
PARALLEL_PULL = 1e-4  # how weakly the mean of the ends holds a node against the lines that cross there


@dataclass(slots=True)
class Seat:
    """A place inside a member where ends sit: metres along the member's own source line."""

    member: int
    along: float


@dataclass(slots=True)
class Cluster:
    """Ends that share a node, the members they sit on, and the node's place."""

    ends: list[int] = field(default_factory=list)
    seats: list[Seat] = field(default_factory=list)
    point: Array = field(default_factory=lambda: np.zeros(3))


class _Union:
    """Union-find over ends that refuses to bring both ends of one member together."""

    def __init__(self, n: int) -> None:
        self.parent = list(range(n))
        self.members: list[set[int]] = [{i} for i in range(n)]

    def find(self, i: int) -> int:
        while self.parent[i] != i:
            self.parent[i] = self.parent[self.parent[i]]
            i = self.parent[i]
        return i

    def union(self, i: int, j: int) -> bool:
        i, j = self.find(i), self.find(j)
        if i == j:
            return True
        small, large = sorted((self.members[i], self.members[j]), key=len)
        if any(e ^ 1 in large for e in small):
            return False
        if len(self.members[i]) < len(self.members[j]):
            i, j = j, i
        self.parent[j] = i
        self.members[i] |= self.members[j]
        self.members[j] = set()
        return True


def join(
    rods: Rods,
    snap: float,
    rank: NDArray[np.int64],
    area: Array,
    ties: list[tuple[int, int]] | None = None,
    inside: float | None = None,
    crossings: float = 0.0,
) -> list[Cluster]:
    """Clusters of ends (2 m for the start of member m, 2 m + 1 for its end), every end in exactly one.

    `snap` is the distance for an end at another's end, `inside` that for an end along another member (None:
    the same). `rank` says whose line a node keeps to (larger wins, e.g. columns), `area` breaks ties; `ties`
    are pairs of ends that are joined whatever their distance. With `crossings` above 0 members that cross
    within it share a node, which is a cluster of seats alone."""
    n = len(rods)
    inside = snap if inside is None else inside
    pairs = end_pairs(rods, max(snap, inside))
    order = np.lexsort((*_keys(rods, pairs), np.round(pairs.clear, 9)))
    pairs = pairs.take(order)
    length = rods.lengths
    zone = pairs.zone + max(snap, inside)
    at_start = pairs.along <= zone
    at_end = pairs.along >= length[pairs.member] - zone
    nearer_end = pairs.along > length[pairs.member] / 2
    union = _Union(2 * n)
    for a, b in ties or ():
        union.union(a, b)
    tees: dict[int, list[tuple[float, float, int]]] = {}
    for k in range(len(pairs.end)):
        e, m = int(pairs.end[k]), int(pairs.member[k])
        if pairs.clear[k] > (snap if at_start[k] or at_end[k] else inside):
            continue
        if at_start[k] or at_end[k]:
            union.union(e, 2 * m + int(nearer_end[k] if at_start[k] and at_end[k] else at_end[k]))
        else:
            tees.setdefault(m, []).append((float(pairs.along[k]), float(zone[k]), e))
    seats = _seats(tees, union)
    clusters: dict[int, Cluster] = {}
    for e in range(2 * n):
        clusters.setdefault(union.find(e), Cluster()).ends.append(e)
    for e, seat in seats:
        cluster = clusters[union.find(e)]
        if all(end // 2 != seat.member for end in cluster.ends):
            cluster.seats.append(seat)
    found = list(clusters.values())
    if crossings > 0:
        found += _crossings(rods, crossings, found)
    for cluster in found:
        _once_a_member(cluster)
    _place(found, rods, rank, area)
    return merged(found)


def merged(clusters: list[Cluster]) -> list[Cluster]:
    """Clusters that lie at one place, of which one holds the end of a member that the other sits on, as one.

    A beam's end that sits on a brace, whose end sits on the beam beside the same column, made two nodes
    there: the beam would hang on the brace alone."""
    end_at = {e: c for c, cluster in enumerate(clusters) for e in cluster.ends}
    into = list(range(len(clusters)))

    def root(c: int) -> int:
        while into[c] != c:
            c = into[c]
        return c

    ends = [set(c.ends) for c in clusters]
    pairs = sorted(
        (tuple(np.round(cluster.point, 6)), c, end_at[e])
        for c, cluster in enumerate(clusters)
        for seat in cluster.seats
        for e in (2 * seat.member, 2 * seat.member + 1)
        if e in end_at
        and end_at[e] != c
        and float(np.abs(clusters[end_at[e]].point - cluster.point).max()) < ONE_PLACE
    )
    for _, a, b in pairs:
        a, b = root(a), root(b)
        if a == b or any(e ^ 1 in ends[b] for e in ends[a]):
            continue
        into[b] = a
        ends[a] |= ends[b]
        clusters[a].ends = sorted(ends[a])
        clusters[a].seats = [*clusters[a].seats, *clusters[b].seats]
        own = {e // 2 for e in clusters[a].ends}
        clusters[a].seats = [s for s in clusters[a].seats if s.member not in own]
        _once_a_member(clusters[a])
    return [c for k, c in enumerate(clusters) if into[k] == k]


def _crossings(rods: Rods, distance: float, clusters: list[Cluster]) -> list[Cluster]:
    """Nodes where members cross and share none yet."""
    members_of = [{e // 2 for e in c.ends} | {s.member for s in c.seats} for c in clusters]
    shared = {frozenset((a, b)) for group in members_of for a in group for b in group if a < b}
    i, j, s, t, _ = crossing_pairs(rods, distance)
    out = []
    for k in range(len(i)):
        a, b = int(i[k]), int(j[k])
        if frozenset((a, b)) not in shared:
            out.append(Cluster([], [Seat(a, float(s[k])), Seat(b, float(t[k]))]))
    return out


def _keys(rods: Rods, pairs: EndPairs) -> tuple[Array, ...]:
    """Coordinates that order pairs of equal distance by geometry, not by the order of the file."""
    p = np.round(rods.lines[pairs.end // 2, pairs.end % 2], 6)
    q = np.round(rods.lines[pairs.member].mean(axis=1), 6)
    return (*p.T, *q.T)


def _seats(tees: dict[int, list[tuple[float, float, int]]], union: _Union) -> list[tuple[int, Seat]]:
    """Ends on one member whose bodies overlap along it sit at one place, the mean of theirs."""
    out = []
    for m, entries in tees.items():
        entries.sort()
        groups: list[list[tuple[float, float, int]]] = []
        for entry in entries:
            if groups:
                last = groups[-1][-1]
                if entry[0] - last[0] <= max(entry[1], last[1]) and union.union(entry[2], last[2]):
                    groups[-1].append(entry)
                    continue
            groups.append([entry])
        for group in groups:
            along = float(np.mean([g[0] for g in group]))
            out.append((group[0][2], Seat(m, along)))
    return out


def _once_a_member(cluster: Cluster) -> None:
    """One seat a member: a cluster that reached a member at several places sits at their mean."""
    places: dict[int, list[float]] = {}
    for seat in cluster.seats:
        places.setdefault(seat.member, []).append(seat.along)
    cluster.seats = [Seat(m, float(np.mean(v))) for m, v in sorted(places.items())]


def _place(clusters: list[Cluster], rods: Rods, rank: NDArray[np.int64], area: Array) -> None:
    """Node places. Members that carry others are placed first, so three passes settle columns, beams,
    secondaries."""
    lines = rods.lines.copy()
    length, ranks, areas = rods.lengths.tolist(), rank.tolist(), np.round(area, 9).tolist()
    for _ in range(4):
        moved = lines.copy()
        for cluster in clusters:
            cluster.point = _point(cluster, rods, lines, length, ranks, areas)
            for e in cluster.ends:
                moved[e // 2, e % 2] = cluster.point
        if np.abs(moved - lines).max(initial=0.0) < 1e-9:
            break
        lines = moved


def follow(clusters: list[Cluster], rods: Rods, rank: NDArray[np.int64], area: Array) -> None:
    """Bring nodes that sit inside members after those members, whose own ends have been moved since they were
    placed."""
    lines = rods.lines.copy()
    length, ranks, areas = rods.lengths.tolist(), rank.tolist(), np.round(area, 9).tolist()
    for _ in range(4):
        for cluster in clusters:
            for e in cluster.ends:
                lines[e // 2, e % 2] = cluster.point
        moved = 0.0
        for cluster in clusters:
            if cluster.seats:
                point = _point(cluster, rods, lines, length, ranks, areas)
                moved = max(moved, float(np.abs(point - cluster.point).max()))
                cluster.point = point
        if moved < 1e-9:
            break


def _on_leading_ends(
    ends: list[int], cluster: Cluster, rods: Rods, lines: Array, rank: list[int], area: list[float]
) -> Array:
    """The place on the axis of what leads at a joint (an upright under a girder) that is nearest to what
    passes there.

    A lesser member that meets the passing one beside it, such as a brace, does not pull it off its axis.
    """
    top = max((rank[e // 2], area[e // 2]) for e in ends)
    best = [e for e in ends if (rank[e // 2], area[e // 2]) == top]
    seat = max(
        cluster.seats,
        key=lambda s: (rank[s.member], area[s.member], *np.round(lines[s.member].mean(axis=0), 6)),
    )
    a, b = lines[seat.member]
    v = (b - a) / np.linalg.norm(b - a)
    points = []
    for e in best:
        p, u = rods.lines[e // 2, e % 2], rods.axes[e // 2, 0]
        s, _, sin2 = closest_between_lines(p[None], u[None], a[None], v[None])
        reach = float(np.abs(rods.bounds[[e // 2, seat.member]]).max()) * 2 + 0.5
        points.append(p + u * float(s[0]) if sin2[0] > 0.01 and abs(float(s[0])) <= reach else p)
    return np.asarray(np.mean(points, axis=0))


def _head(end: int, cluster: Cluster, rods: Rods, rank: list[int], area: list[float]) -> Array:
    """Where what leads at a joint ends; where all the others lie beyond its end, such as beams on the head
    of a column, as far on along its axis as the largest of them: it is brought up to their axis, not they
    down to its end."""
    m = end // 2
    p = rods.lines[m, end % 2]
    out = rods.axes[m, 0] * (1.0 if end % 2 else -1.0)
    beyond = [
        (rank[e // 2], area[e // 2], float((rods.lines[e // 2, e % 2] - p) @ out))
        for e in cluster.ends
        if e != end
    ]
    if not beyond or rank[m] <= max(b[0] for b in beyond) or min(b[2] for b in beyond) <= ON_HEAD:
        return np.asarray(p.copy())
    return np.asarray(p + out * max(beyond)[2])


def _point(
    cluster: Cluster, rods: Rods, lines: Array, length: list[float], rank: list[int], area: list[float]
) -> Array:
    if cluster.seats:
        top = max((rank[s.member], area[s.member]) for s in cluster.seats)
        above = [e for e in cluster.ends if rank[e // 2] > top[0]]
        if above:
            return _on_leading_ends(above, cluster, rods, lines, rank, area)
        points = []
        for s in cluster.seats:
            if (rank[s.member], area[s.member]) == top:
                a, b = lines[s.member]
                points.append(a + (b - a) * s.along / length[s.member])
        return points[0] if len(points) == 1 else np.mean(points, axis=0)
    if len(cluster.ends) == 1:
        e = cluster.ends[0]
        return rods.lines[e // 2, e % 2].copy()
    top = max((rank[e // 2], area[e // 2]) for e in cluster.ends)
    best = [e for e in cluster.ends if (rank[e // 2], area[e // 2]) == top]
    if len(best) == 1:
        return _head(best[0], cluster, rods, rank, area)
    p = np.array([rods.lines[e // 2, e % 2] for e in best])
    mean = p.mean(axis=0)
    if np.abs(p - mean).max() < 1e-12:
        return mean
    u = np.array([rods.axes[e // 2, 0] for e in best])
    normal = np.eye(3) - u[:, :, None] * u[:, None, :]
    left = normal.sum(axis=0) + PARALLEL_PULL * np.eye(3)
    right = np.einsum("nij,nj->i", normal, p) + PARALLEL_PULL * mean
    crossing = np.linalg.solve(left, right)
    reach = np.abs(rods.bounds[[e // 2 for e in best]]).max() * 3 + np.abs(p - mean).max()
    return crossing if np.linalg.norm(crossing - mean) <= reach else mean
