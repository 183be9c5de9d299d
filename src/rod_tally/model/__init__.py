"""The analytical model: plain values that every other room reads. No file formats, no interface, no solver.

SI throughout: metre, newton, radian, kilogram, second. Right-handed axes, Z up.
"""

from .finding import Finding
from .grid import GridLine
from .loads import (
    AreaLoad,
    Combination,
    LoadCase,
    MemberLoad,
    NodeLoad,
    Settlement,
    SpaceLoad,
    Spectrum,
    TemperatureLoad,
)
from .log import LogEntry, Skipped
from .material import Material
from .model import Counterpart, Model, Storey
from .section import Section
from .settings import Settings, SettingsError
from .structure import FIXED, FREE, Joint, Member, Node, Release, Support
from .surface import LineSupport, Surface, SurfaceJoint

__all__ = [
    "FIXED",
    "FREE",
    "AreaLoad",
    "Combination",
    "Counterpart",
    "Finding",
    "GridLine",
    "Joint",
    "LineSupport",
    "LoadCase",
    "LogEntry",
    "Material",
    "Member",
    "MemberLoad",
    "Model",
    "Node",
    "NodeLoad",
    "Release",
    "Section",
    "Settings",
    "SettingsError",
    "Settlement",
    "Skipped",
    "SpaceLoad",
    "Spectrum",
    "Storey",
    "Support",
    "Surface",
    "SurfaceJoint",
    "TemperatureLoad",
]
