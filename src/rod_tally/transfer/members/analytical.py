"""Analytical members of a source: nodes from its point connections, releases and eccentricities as it says
them."""

from __future__ import annotations

import numpy as np

from ...intake.readers import Progress
from ...intake.source import SourceCondition, SourceConnection, SourceCurve, SourceModel, SourcePoint
from ...model import FREE, PINNED_END, LogEntry, Member, Model, Node, Release, Skipped, Support
from ...model.geometry.proximity import Rods
from ...model.geometry.vectors import Array, class_by_slope, closest_on_segment, default_z, local_axes
from ...model.settings import TransferSettings
from ..joining.joins import Cluster, Seat, join
from ..joining.nodes import add_joints, add_nodes, log_moves
from .physical import add_properties

ONE_NODE = "points of the source"  # how the log's entries of merged points begin


def transfer_analytical(
    source: SourceModel, model: Model, settings: TransferSettings, progress: Progress
) -> None:
    """Fill `model` with the analytical members of the source, on its point connections."""
    add_properties(source, model, settings)
    if not source.curves:
        _bare_points(source, model)
        return
    points = {p.id: p for p in source.points}
    lines = np.array([c.line for c in source.curves]) - model.origin
    offsets = np.zeros((len(lines), 2, 3))
    at_end: dict[int, str] = {}
    releases: dict[int, Release] = {}
    inside: list[tuple[int, float, str]] = []
    for k, curve in enumerate(source.curves):
        for connection in curve.connections:
            _connect(k, curve, connection, points, model, lines, offsets, at_end, releases, inside)
        _keep_apart(k, curve, model, lines, offsets, at_end)
    members = [_member(c, lines[k] + offsets[k], releases, k, model) for k, c in enumerate(source.curves)]
    progress("Joining ends", 0.0)
    axes = local_axes(lines[:, 1] - lines[:, 0], np.array([m.z_axis for m in members]))
    rods = Rods(
        lines, np.asarray(axes).reshape(-1, 3, 3), np.zeros((len(lines), 4)), np.zeros(len(lines), bool)
    )
    first: dict[str, int] = {}
    ties = [(first.setdefault(p, e), e) for e, p in sorted(at_end.items())]
    flat = np.zeros(len(lines))
    clusters = join(rods, model.snap, flat.astype(int), flat, ties)
    of_cluster = _name_clusters(clusters, at_end)
    _seat_points(source, model, rods, clusters, of_cluster, at_end, inside)
    for c, names in of_cluster.items():
        clusters[c].point = np.mean([points[i].point - model.origin for i in sorted(names)], axis=0)
        if len(names) > 1:
            _tell_merged(model, [points[i] for i in sorted(names)])
    ids = add_nodes(model, clusters, members, {c: min(n) for c, n in of_cluster.items()})
    for k, m in enumerate(members):
        m.offset_start, m.offset_end = offsets[k]
    add_joints(model, clusters, members, ids, rods.lengths)
    for c, names in of_cluster.items():
        for name in sorted(names):
            condition = points[name].condition
            if condition is not None:
                node = model.nodes[ids[c]]
                node.support = _stronger(node.support, _support(condition))
    for m in members:
        m.storey = model.storey_of(float(model.line(m)[:, 2].min()))
    log_moves(model, members)


def _tell_merged(model: Model, points: list[SourcePoint]) -> None:
    """Say in the log that several points of the source are one node."""
    places = np.array([p.point for p in points]) - model.origin
    far = float(np.linalg.norm(places - places[0], axis=1).max())
    names = ", ".join(sorted(p.name or p.id for p in points))
    message = f"{ONE_NODE} {names}, {far * 1000:.3g} mm apart, are one node"
    x, y, z = places.mean(axis=0).tolist()
    model.log.append(LogEntry("joined", tuple(p.id for p in points), message, far, (x, y, z)))


def _bare_points(source: SourceModel, model: Model) -> None:
    """Nodes of a source that has surfaces alone."""
    for p in source.points:
        support = _support(p.condition) if p.condition is not None else FREE
        model.nodes[p.id] = Node(p.id, p.point - model.origin, support)


def _connect(
    k: int,
    curve: SourceCurve,
    connection: SourceConnection,
    points: dict[str, SourcePoint],
    model: Model,
    lines: Array,
    offsets: Array,
    at_end: dict[int, str],
    releases: dict[int, Release],
    inside: list[tuple[int, float, str]],
) -> None:
    """Assign one connection to an end of member k, or to a place inside it."""
    point = points[connection.point].point - model.origin
    own = point + connection.eccentricity
    line = curve.line - model.origin
    length = float(np.linalg.norm(line[1] - line[0]))
    distance = np.linalg.norm(line - own, axis=1)
    along = float((own - line[0]) @ (line[1] - line[0])) / length
    which = int(distance[1] < distance[0])
    if 2 * k + which in at_end:
        which = 1 - which  # both ends may be as near when a member is shorter than its eccentricities
    if distance.min() > model.snap and model.snap < along < length - model.snap:
        side = closest_on_segment(own[None], line[:1], line[1:])[1][0]
        if side <= model.snap:
            inside.append((k, along, connection.point))
            if connection.condition is not None and not all(connection.condition.stiffness):
                message = f"member {curve.name or curve.id}: a released connection inside its length is taken as fixed"
                model.log.append(LogEntry("skipped", (curve.id,), message))
            return
    end = 2 * k + which
    if end in at_end:
        message = (
            f"member {curve.name or curve.id} has more than two connections at its ends; one is left out"
        )
        model.log.append(LogEntry("skipped", (curve.id,), message))
        return
    at_end[end] = connection.point
    if connection.eccentricity.any():
        # an edge drawn at the point, not at its eccentric place: whichever of the two it is nearer to
        at_point = float(np.linalg.norm(line[which] - point))
        drawn_there = at_point <= model.snap and at_point < float(np.linalg.norm(line[which] - own))
        offsets[k, which] = connection.eccentricity if drawn_there else line[which] - point
    elif distance[which] > model.snap:
        offsets[k, which] = line[which] - point
        message = (
            f"member {curve.name or curve.id} lies {distance[which] * 1000:.0f} mm off the point it is connected to; "
            "tied by a rigid link"
        )
        at = tuple(float(v) for v in line[which])
        model.log.append(
            LogEntry("joined", (curve.id,), message, float(distance[which]), (at[0], at[1], at[2]))
        )
    lines[k, which] = point
    if connection.condition is not None:
        releases[end] = Release(connection.condition.stiffness)


def _keep_apart(
    k: int, curve: SourceCurve, model: Model, lines: Array, offsets: Array, at_end: dict[int, str]
) -> None:
    """Where both ends of member k are connected at one place, disconnect the end that lies farther from
    it."""
    if float(np.linalg.norm(lines[k, 1] - lines[k, 0])) > 1e-6:
        return
    own = curve.line - model.origin
    end = int(np.linalg.norm(own[1] - lines[k, 1]) > np.linalg.norm(own[0] - lines[k, 0]))
    lines[k, end], offsets[k, end] = own[end], 0.0
    point = at_end.pop(2 * k + end, "")
    message = (
        f"member {curve.name or curve.id}: both ends are connected at one place; its {('start', 'end')[end]}, "
        f"which lies elsewhere, is not connected to point {point}"
    )
    model.log.append(LogEntry("skipped", (curve.id,), message))


def _member(curve: SourceCurve, line: Array, releases: dict[int, Release], k: int, model: Model) -> Member:
    x = line[1] - line[0]
    z = curve.z_axis if curve.z_axis is not None and np.any(curve.z_axis) else default_z(x)
    start, end = releases.get(2 * k, Release()), releases.get(2 * k + 1, Release())
    if curve.pin_joined:
        start, end = (r if r.any else PINNED_END for r in (start, end))
    return Member(
        curve.id,
        curve.name,
        curve.cls or class_by_slope(x),
        "",
        "",
        curve.profile,
        curve.material,
        z,
        release_start=start,
        release_end=end,
        source_line=curve.line - model.origin,
        source_section=curve.profile,
        source_material=curve.material,
        pin_joined=curve.pin_joined,
        tag=curve.tag,
        length_share=curve.weight_share,
    )


def _support(c: SourceCondition) -> Support:
    return Support(c.stiffness, c.axes) if any(c.stiffness) else FREE


def _stronger(a: Support, b: Support) -> Support:
    """Two supports on one node: each direction as the stronger of the two holds it."""
    if not a.any:
        return b
    if not b.any:
        return a
    return Support(tuple(p + q for p, q in zip(a.stiffness, b.stiffness)), a.axes or b.axes)


def _name_clusters(clusters: list[Cluster], at_end: dict[int, str]) -> dict[int, set[str]]:
    names: dict[int, set[str]] = {}
    for c, cluster in enumerate(clusters):
        for e in cluster.ends:
            if e in at_end:
                names.setdefault(c, set()).add(at_end[e])
    return names


def _seat_points(
    source: SourceModel,
    model: Model,
    rods: Rods,
    clusters: list[Cluster],
    of_cluster: dict[int, set[str]],
    at_end: dict[int, str],
    inside: list[tuple[int, float, str]],
) -> None:
    """Points that no end is tied to: onto a node, onto a member, or out with a reason."""
    cluster_of = {p: c for c, names in of_cluster.items() for p in names}
    for k, along, name in inside:
        if name not in cluster_of:
            clusters.append(Cluster())
            cluster_of[name] = len(clusters) - 1
            of_cluster[len(clusters) - 1] = {name}
        cluster = clusters[cluster_of[name]]
        if all(s.member != k for s in cluster.seats):
            cluster.seats.append(Seat(k, along))
    rest = [p for p in source.points if p.id not in cluster_of]
    if not rest:
        return
    places = np.array([c.point for c in clusters])
    tied = {name for f in source.faces for name in f.points}
    for p in rest:
        point = p.point - model.origin
        near = np.linalg.norm(places - point, axis=1)
        c = int(near.argmin())
        if near[c] <= model.snap:
            of_cluster.setdefault(c, set()).add(p.id)
            continue
        t, d = closest_on_segment(np.broadcast_to(point, (len(rods), 3)), rods.lines[:, 0], rods.lines[:, 1])
        m = int(d.argmin())
        if d[m] <= model.snap:
            clusters.append(Cluster([], [Seat(m, float(t[m]))], point))
            of_cluster[len(clusters) - 1] = {p.id}
        elif p.id in tied:
            clusters.append(Cluster([], [], point))
            of_cluster[len(clusters) - 1] = {p.id}
        else:
            reason = "no member ends at it or passes it"
            model.skipped.append(Skipped("node", p.id, reason, p.name, "IfcStructuralPointConnection"))
