"""A run as it is kept: its arrays packed, and all that gives them their names as one record."""

from __future__ import annotations

import io
import zipfile
import zlib
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from ..analysis.dynamics.dynamics import Dynamics
from ..analysis.dynamics.modes import Mode
from ..analysis.results.centres import StoreyCentre
from ..analysis.results.results import CaseEquilibrium, FoundMotion, Results
from ..analysis.results.signless import ModalResponse
from ..meshing import Plates
from .codec import RecordError, pack, unpack

ARRAYS = (
    "xyz",
    "displacement",
    "reaction",
    "station_member",
    "station_x",
    "force",
    "node_done",
    "member_done",
)
MODAL = ("displacement", "force", "rho", "turning")
SHARED = (
    "cases",
    "node_ids",
    "member_ids",
    "support_ids",
    "equilibrium",
    "motions",
    "left_out",
    "lost",
    "applied",
    "more_motions",
    "loose",
    "plates",
    "slack",
    "yielded",
    "lifted",
    "unsettled",
)


@dataclass(slots=True)
class RunRecord:
    """The content of a run beside its arrays."""

    cases: list[str]
    node_ids: list[str]
    member_ids: list[str]
    support_ids: list[str]
    equilibrium: list[CaseEquilibrium]
    motions: list[FoundMotion]
    left_out: dict[str, str]
    lost: dict[str, np.ndarray]
    applied: dict[str, np.ndarray]
    more_motions: bool
    loose: dict[str, list[int]]
    plates: Plates | None = None
    modes: list[Mode] | None = None
    centres: list[StoreyCentre] | None = None
    slack: dict[str, dict[str, float]] = field(default_factory=dict)
    unsettled: list[str] = field(default_factory=list)
    spectra: list[str] = field(default_factory=list)
    lifted: dict[str, dict[str, float]] = field(default_factory=dict)
    yielded: dict[str, dict[str, float]] = field(default_factory=dict)


def packed(results: Results, dynamics: Dynamics | None) -> tuple[bytes, bytes]:
    """Arrays and record of a run, with its modes and centres where they were found."""
    arrays = io.BytesIO()
    kept: dict[str, Any] = {k: getattr(results, k) for k in ARRAYS}
    kept |= {f"mode {m.mode}": m.shape for m in (dynamics.modes if dynamics else ()) if m.shape is not None}
    for name, modal in results.modal.items():
        kept |= {f"{k} of spectrum {name}": getattr(modal, k) for k in MODAL}
    np.savez_compressed(arrays, **kept)
    record = RunRecord(
        **{k: getattr(results, k) for k in SHARED},
        spectra=list(results.modal),
        modes=None if dynamics is None else [replace(m, shape=None) for m in dynamics.modes],
        centres=None if dynamics is None else dynamics.centres,
    )
    return arrays.getvalue(), pack(record)


def results_of(arrays: bytes, record: bytes) -> Results:
    """The results that were packed. Raises RecordError for what is damaged."""
    known: RunRecord = unpack(RunRecord, record)
    names = {n: [f"{k} of spectrum {n}" for k in MODAL] for n in known.spectra}
    stored = _stored(arrays, (*ARRAYS, *(k for own in names.values() for k in own)))
    modal = {n: ModalResponse(*(stored.pop(k) for k in own)) for n, own in names.items()}
    return Results(**{k: getattr(known, k) for k in SHARED}, **stored, modal=modal)


def dynamics_of(arrays: bytes, record: bytes) -> Dynamics | None:
    """The modes and centres that were packed, None where there were none. Raises RecordError for what is
    damaged."""
    known: RunRecord = unpack(RunRecord, record)
    if known.modes is None or known.centres is None:
        return None
    shapes = _stored(arrays, ())
    for m in known.modes:
        m.shape = shapes.get(f"mode {m.mode}")
    return Dynamics(known.modes, known.centres)


def _stored(arrays: bytes, names: tuple[str, ...]) -> dict[str, Any]:
    """These arrays; all of them where none is named."""
    try:
        with np.load(io.BytesIO(arrays), allow_pickle=False) as stored:
            return {k: stored[k] for k in names or stored.files}
    except (ValueError, KeyError, OSError, zipfile.BadZipFile, EOFError, zlib.error) as error:
        raise RecordError(f"is damaged ({type(error).__name__}); run the model again") from error
