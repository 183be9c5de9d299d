"""Slabs and walls: slivers, gaps, openings that miss, thickness that varies, members inside walls,
doubles."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from shapely.geometry import LineString, Polygon

from ...model import Finding
from ...model.geometry.panels import ALONG, meeting_pairs
from ...model.geometry.proximity import near_boxes
from ...model.geometry.vectors import clear_distance
from ..registry import Subject, check, mm, point

NARROW = 0.15  # m; a surface or a strip of it narrower than this is a sliver. Common practice, no source.
EDGE = 1e-3  # m; what lies this near to a wall's edge lies on it
SHORT_EDGE = 0.02  # m
ASKED = "Accept, because…"


@check("surface.sliver", looks_at=("geometry",))
def find_slivers(s: Subject) -> Iterator[Finding]:
    """Surfaces too narrow for a shell, and outlines with edges too short to be meant."""
    for x in s.model.surfaces.values():
        sides = np.linalg.norm(np.concatenate([x.outer[1:], x.outer[:1]]) - x.outer, axis=1)
        width = 2 * x.area / max(float(sides.sum()), 1e-9)
        if width < NARROW and not x.element:
            text = f"The {s.name(x.id)} is a sliver: {x.area:.3g} m² along {sides.sum() / 2:.3g} m."
        elif sides.min() < SHORT_EDGE:
            text = f"The outline of the {s.name(x.id)} has an edge of {mm(float(sides.min()))}."
        else:
            continue
        k = int(sides.argmin())
        yield Finding(
            "surface.sliver", "warning", text, (x.id,), point(x.outer[k]), (ASKED,), {"width": width}
        )


@check("surface.gap", looks_at=("geometry",))
def find_surface_gaps(s: Subject) -> Iterator[Finding]:
    """A wall that stops short of a slab or another wall, by more than the snap and less than the search
    distance."""
    if not s.model.physical or not s.model.surfaces:
        return
    panels = s.panels
    tied = {(x.id, j.other) for x in s.model.surfaces.values() for j in x.joints}
    held_at: dict[str, set[str]] = {}
    i, j = meeting_pairs(panels, s.model.search)
    clear, near, _ = clear_distance(panels.bodies.take(i), panels.bodies.take(j))
    for k in range(len(i)):
        a, b = panels.surfaces[int(i[k])], panels.surfaces[int(j[k])]
        if clear[k] <= s.model.snap or (a.id, b.id) in tied:
            continue
        if np.linalg.norm(np.cross(panels.axes[i[k], 2], panels.axes[j[k], 2])) < ALONG:
            continue  # side by side, or one above the other: that is no gap of a joint
        own, other = (a, b) if a.upright else (b, a)
        if not own.upright or not _ends_there(s, own.id, other.id, near[k]):
            continue
        held_at.setdefault(own.id, set()).add(other.id)
        yield Finding(
            "surface.gap",
            "warning",
            f"The {s.name(own.id)} stops {mm(float(clear[k]))} before the {s.name(other.id)}.",
            (own.id, other.id),
            point(near[k]),
            (f"Tie it to {s.name(other.id)} ({mm(float(clear[k]))})", ASKED),
            {"distance": float(clear[k])},
        )


def _ends_there(s: Subject, own: str, other: str, at: np.ndarray) -> bool:
    """Return whether nothing else is tied to a wall where it comes near to another surface."""
    for j in s.model.surfaces[own].joints:
        if (
            j.kind == "surface"
            and float(np.linalg.norm(j.line - at, axis=1).min()) < 1.0
            and j.other != other
        ):
            return False
    return True


@check("surface.opening")
def find_missed_openings(s: Subject) -> Iterator[Finding]:
    """Openings that lie outside their slab or wall, do not reach its middle, or divide it."""
    for x in s.model.surfaces.values():
        for message in x.log:
            if message.startswith("an opening"):
                yield Finding(
                    "surface.opening",
                    "warning",
                    f"{s.name(x.id).capitalize()}: {message}.",
                    (x.id,),
                    s.middle(x.id),
                    (ASKED,),
                )


@check("surface.thickness")
def find_varying_thickness(s: Subject) -> Iterator[Finding]:
    """Surfaces whose thickness varies or is not known."""
    for x in s.model.surfaces.values():
        if x.thickness <= 0:
            yield Finding(
                "surface.thickness",
                "warning",
                f"The {s.name(x.id)} has no thickness.",
                (x.id,),
                s.middle(x.id),
                ("Give a thickness",),
            )
        elif x.spread is not None and x.thin_at is not None and x.thick_at is not None:
            o = s.model.origin
            places = [", ".join(f"{v + o[k]:.2f}" for k, v in enumerate(p)) for p in (x.thin_at, x.thick_at)]
            yield Finding(
                "surface.thickness",
                "warning",
                f"The thickness of the {s.name(x.id)} varies from {mm(x.spread[0])} (at {places[0]}) to "
                f"{mm(x.spread[1])} (at {places[1]}); {mm(x.thickness)} is in the model.",
                (x.id,),
                x.thin_at,
                (ASKED,),
                {"least": x.spread[0], "most": x.spread[1]},
            )


@check("surface.free", looks_at=("geometry", "supports"))
def find_free_surfaces(s: Subject) -> Iterator[Finding]:
    """Surfaces that are joined to nothing and held by nothing."""
    for part, held in s.whole_parts:
        ident = next(iter(part))
        if len(part) == 1 and not held and ident in s.model.surfaces:
            text = f"The {s.name(ident)} is joined to nothing and held by nothing."
            yield Finding("surface.free", "warning", text, (ident,), s.middle(ident), ("Support it", ASKED))


@check("join.inside", looks_at=("geometry",))
def find_members_inside(s: Subject) -> Iterator[Finding]:
    """Columns and beams drawn inside a wall or slab along most of their length: material and stiffness count
    twice."""
    for x in s.model.surfaces.values():
        if not x.upright:
            continue
        for j in x.joints:
            m = s.model.members.get(j.other)
            if j.kind != "member" or m is None or j.distance > x.thickness / 2:
                continue
            # what only touches the wall's edge lies in its plane, not in it
            within = x.polygon.buffer(-EDGE).intersection(LineString(x.flat(j.line)))
            along = float(within.length)
            if along < 0.5 * s.model.length(m):
                continue
            yield Finding(
                "join.inside",
                "note",
                f"The {s.name(m.id)} lies inside the {s.name(x.id)} for {mm(along)}: volume and stiffness there count twice.",
                (m.id, x.id),
                s.middle(m.id),
                (ASKED,),
                {"length": along},
            )


@check("surface.duplicate", looks_at=("geometry",))
def find_double_surfaces(s: Subject) -> Iterator[Finding]:
    """Two surfaces in one place: planes alike, and one lies over more than a tenth of the other within its
    thickness."""
    panels = s.panels
    if len(panels) < 2:
        return
    low, high = panels.bodies.boxes()
    i, j = near_boxes((low, high), (low, high), 0.0)
    i, j = i[i < j], j[i < j]
    # of floors side by side the bodies touch and share no volume
    shared = (np.minimum(high[i], high[j]) - np.maximum(low[i], low[j])).min(axis=1) > 1e-6
    i, j = i[shared], j[shared]
    alike = np.linalg.norm(np.cross(panels.axes[i, 2], panels.axes[j, 2]), axis=1) <= 0.02
    for a, b in zip(i[alike].tolist(), j[alike].tolist()):
        one, two = panels.surfaces[a], panels.surfaces[b]
        height = float(np.abs(one.height(two.outer)).max())
        if height > (one.thickness + two.thickness) / 2 - 0.005:
            continue
        over = panels.polygons[a].intersection(Polygon(one.flat(two.outer)).buffer(0)).area
        if over <= 0.1 * min(one.area, two.area):
            continue
        yield Finding(
            "surface.duplicate",
            "blocking",
            f"The {s.name(one.id)} and the {s.name(two.id)} lie in one place over {over:.3g} m²: they count twice.",
            (one.id, two.id),
            s.middle(one.id),
            (f"Delete {s.name(two.id)}", f"Delete {s.name(one.id)}", ASKED),
            {"area": over},
        )
