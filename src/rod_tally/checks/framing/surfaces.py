"""Slabs and walls: slivers, gaps, openings that miss, thickness that varies, members inside walls,
doubles."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

import numpy as np
from shapely.geometry import LineString, Polygon

from ...model import Finding, Surface
from ...model.catalogue.families import read_name, words_of
from ...model.geometry.panels import ALONG, meeting_pairs
from ...model.geometry.proximity import near_boxes
from ...model.geometry.vectors import clear_distance
from ..registry import Subject, check, mm, point

NARROW = 0.15  # m; a surface or a strip of it narrower than this is a sliver. Common practice, no source.
EDGE = 1e-3  # m; what lies this near to a wall's edge lies on it
SHORT_EDGE = 0.02  # m
ASKED = "Accept, because…"
AS_DRAWN = 0.02  # by which a body's volume may differ from its plate's and still be solid
SHEET = 0.02  # m; a layer of steel thicker than this is a deck with its ribs, not sheet
HALF_FILLED = 0.5  # of a deck's depth is concrete, give or take. Common practice, no source.
# words for slabs with ribs or hollows, in the languages that exports come in. Common practice, no source.
RIBBED = {
    "decking", "composite", "ribbed", "ribs", "waffle", "hollow", "hollowcore", "trapezoidal", "corrugated",
    "verbunddecke", "verbundblech", "trapezblech", "profilblech", "rippendecke", "hohldecke", "hohlkorperdecke", "kassettendecke",
    "collaborant", "collaborante", "colaborante", "nervure", "nervuree", "alveolaire", "alveolar", "grecata", "kanaalplaat",
    "staalplaatbetonvloer", "huldaek", "hulldekke", "haldack",
}  # fmt: skip
# a deck is one with ribs where one of these stands beside it; a parking deck is a slab
DECK, OF_SHEET = "deck", {"metal", "steel", "profiled", "trapezoidal", "composite"}


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


@check("surface.solid", looks_at=("geometry", "materials"))
def find_decks(s: Subject) -> Iterator[Finding]:
    """Slabs that are ribbed or hollow by their names or layers, and count as solid concrete because their bodies
    are drawn so; one finding a type."""
    kinds: dict[tuple[str, tuple[tuple[str, float], ...], float], list[Surface]] = defaultdict(list)
    for x in s.model.surfaces.values():
        material = s.model.materials.get(x.material)
        if x.upright or x.differs or not x.as_drawn or material is None:
            continue
        concrete = material.kind == "concrete" or "concrete" in (read_name(n).family for n, _ in x.built_up)
        if concrete and abs(x.body_share - 1) < AS_DRAWN and (_names_deck(x) or _sheets(x)):
            kinds[x.type_name, x.built_up, round(x.thickness, 6)].append(x)
    for (_, _, thickness), found in kinds.items():
        found.sort(key=lambda x: x.id)
        first, rest = found[0], len(found) - 1
        solid = s.model.materials[first.material]
        who = s.name(first.id) + (f" and {rest} more count" if rest else " counts")
        ribs = min(_sheets(first), thickness) * HALF_FILLED
        weight = sum(s.model.surface_weight(x) for x in found) if solid.kind == "concrete" else 0.0
        less = weight * ribs / thickness if thickness > 0 else 0.0
        price = (
            f" With its ribs half filled {'they' if rest else 'it'} would weigh {less / 1000:.3g} kN ({ribs / thickness:.0%}) less."
            if less > 0
            else ""
        )
        yield Finding(
            "surface.solid",
            "warning",
            f"The {who} as solid {solid.name}, {mm(thickness)} thick as drawn; by its {_told_by(first)} there should be ribs or "
            f"hollows in it. Its weight and stiffness are too large then, and it may span one way.{price} Give the thickness of the "
            "same volume, and the span.",
            tuple(x.id for x in found),
            s.middle(first.id),
            ("Give a thickness", "Accept, because…"),
            {"weight": less},
        )


def _told_by(x: Surface) -> str:
    """Return the words of the source that say how a slab is built up."""
    if x.built_up:
        return "layers " + ", ".join(f"{n} {mm(t)}" if t else n for n, t in x.built_up)
    return f"type {x.type_name}" if x.type_name else "name"


def _names_deck(x: Surface) -> bool:
    """Return whether a name of it or of its layers says that it has ribs or hollows."""
    names = (x.name, x.type_name, *(n for n, _ in x.built_up), x.source_material)
    words = [set(words_of(n)) for n in names if n]
    return any(w & RIBBED or (DECK in w and w & OF_SHEET) for w in words)


def _sheets(x: Surface) -> float:
    """Thickness (m) of its layers of steel, as a deck's ribs are given; 0 for thin sheet."""
    return sum(t for n, t in x.built_up if t > SHEET and read_name(n).family == "steel")


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
