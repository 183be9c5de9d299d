"""Roles of a correction's values: how each is written down, found again in another model, and said."""

from __future__ import annotations

from collections.abc import Mapping
from enum import Enum


class Role(Enum):
    """`PLAIN` means the same in every model. `PART`, `PARTS`: ids of members and surfaces; `HELD`: of
    these or of nodes; `NODE`, `NODES`: ids of nodes, which are found by place. `PIECE`: a surface, or the
    piece of it that has the place of what stands beside it. `PLACE`, `PLACES`, `RINGS`: points, lists of
    points and lists of those (m, the model's axes); `PLAN`: points in plan; `DIRECTION`: a vector.
    `ABOUT`: an angle about the axes of the correction's members. `ALONG`: metres along the member of the
    correction; `END`: whether it is that member's end. `LOADS`: plain values of loads; `SUPPORT`: a
    support with its axes; `EDGES`: edges of surfaces; `SPECTRUM`: a spectrum with its direction. `RULE`:
    what load cases are made by, with its angle, level and forces. `CASE`, `CASES`: load cases by name;
    `SECTION`, `MATERIAL`: names that must be in the model."""

    PLAIN = "plain"
    PART = "part"
    PARTS = "parts"
    HELD = "held"
    NODE = "node"
    NODES = "nodes"
    PIECE = "piece"
    PLACE = "place"
    PLACES = "places"
    RINGS = "rings"
    PLAN = "plan"
    DIRECTION = "direction"
    ABOUT = "about"
    ALONG = "along"
    END = "end"
    LOADS = "loads"
    SUPPORT = "support"
    EDGES = "edges"
    SPECTRUM = "spectrum"
    RULE = "rule"
    CASE = "case"
    CASES = "cases"
    SECTION = "section"
    MATERIAL = "material"


# by field; of a field that holds records, the roles of theirs (what is not named there is plain)
Roles = Mapping[str, "Role | Mapping[str, Role]"]

BY_PLACE = (Role.NODE, Role.NODES, Role.HELD)
