"""Corrections a reviewer makes to a model: each says what it did, can be taken back exactly, and made again."""

from .again import make_again
from .base import Edit, EditError, from_record, to_record
from .joining import JoinCrossing, JoinEnd, KeepApart
from .properties import (
    HoldFoot,
    MapMaterial,
    MapProfile,
    PinBoth,
    SetBedding,
    SetMaterial,
    SetMaterialValue,
    SetRelease,
    SetSection,
    SetSupport,
    SetThickness,
)
from .shape import (
    DeleteMembers,
    MergeMembers,
    MoveNodes,
    ReverseMembers,
    SplitMember,
    TurnMembers,
    TurnSurfaces,
)

__all__ = [
    "DeleteMembers",
    "Edit",
    "EditError",
    "HoldFoot",
    "JoinCrossing",
    "JoinEnd",
    "KeepApart",
    "MapMaterial",
    "MapProfile",
    "MergeMembers",
    "MoveNodes",
    "PinBoth",
    "ReverseMembers",
    "SetBedding",
    "SetMaterial",
    "SetMaterialValue",
    "SetRelease",
    "SetSection",
    "SetSupport",
    "SetThickness",
    "SplitMember",
    "TurnMembers",
    "TurnSurfaces",
    "from_record",
    "make_again",
    "to_record",
]
