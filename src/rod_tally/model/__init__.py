"""The analytical model: plain values that every other package reads. No file formats, no interface, no
solver.

SI throughout: metre, newton, radian, kilogram, second. Right-handed axes, Z up.
"""

from .entities.finding import Finding
from .entities.grid import GridLine
from .entities.loads import (
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
from .entities.log import LogEntry, Skipped
from .entities.material import Material
from .entities.model import Counterpart, Model, Storey
from .entities.section import Section
from .entities.structure import FIXED, FREE, PINNED, PINNED_END, ROLLER, Joint, Member, Node, Release, Support
from .entities.surface import LineSupport, Surface, SurfaceJoint
from .settings import Settings, SettingsError

__all__ = [
    "FIXED",
    "FREE",
    "PINNED",
    "PINNED_END",
    "ROLLER",
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
