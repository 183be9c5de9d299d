"""Corrections a reviewer makes to a model: each says what it did, can be taken back exactly, and made again."""

from .adding import AddGrids, AddMembers, copies, mirror_images, surface_copies
from .again import make_again
from .base import Edit, EditError, from_record, to_record
from .cases import (
    AddCases,
    AddLoads,
    CasesOfCombinations,
    DeleteCases,
    HoldSelfWeight,
    RemoveLoads,
    ScaleCase,
    SetCase,
    SetCombinations,
    SetSpan,
    TellLoad,
)
from .cutting import AddCuts, DeleteCuts, MoveCut
from .edge_supports import SetEdgeSupport
from .grouping import KeepGroup
from .joining import JoinCrossing, JoinEnd, KeepApart
from .load_values import load_values
from .one_way import BOTH, SetGroundLifting, SetLifting, SetOneWay
from .pairing import NEW, PairParts, UnpairByHand
from .properties import (
    HoldFoot,
    MapMaterial,
    MapProfile,
    OwnSection,
    PinBoth,
    SetBedding,
    SetDiaphragm,
    SetMaterial,
    SetMaterialValue,
    SetMeshSize,
    SetOffset,
    SetRelease,
    SetSection,
    SetSupport,
    SetThickness,
)
from .shape import DeleteMembers, MergeMembers, MoveNodes, ReverseMembers, SplitMember, TurnMembers, TurnSurfaces
from .surfaces import AddOpenings, AddSurfaces, CloseOpening

__all__ = [
    "AddGrids",
    "AddOpenings",
    "AddSurfaces",
    "CloseOpening",
    "AddMembers",
    "copies",
    "mirror_images",
    "surface_copies",
    "SetOffset",
    "NEW",
    "OwnSection",
    "SetDiaphragm",
    "SetEdgeSupport",
    "PairParts",
    "UnpairByHand",
    "AddCases",
    "AddCuts",
    "AddLoads",
    "DeleteCases",
    "DeleteCuts",
    "HoldSelfWeight",
    "KeepGroup",
    "BOTH",
    "SetGroundLifting",
    "SetLifting",
    "SetOneWay",
    "CasesOfCombinations",
    "RemoveLoads",
    "ScaleCase",
    "SetCase",
    "SetCombinations",
    "SetSpan",
    "TellLoad",
    "load_values",
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
    "MoveCut",
    "MoveNodes",
    "PinBoth",
    "ReverseMembers",
    "SetBedding",
    "SetMaterial",
    "SetMaterialValue",
    "SetMeshSize",
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
