"""Fingerprints: whether a run was made with another model or other settings than those at hand."""

from __future__ import annotations

import hashlib
import json
from math import isinf
from typing import Any

from ..model import Model, Release, Settings, Support
from ..model.changes import changed
from ..model.settings import ModesSettings
from .codec import Before, pack

# fields of members and the like that came after the first release and change no result
UNDECISIVE = frozenset(
    {"element", "bearing", "read_from", "ends", "moved_by", "differs", "joined_as", "by_rule"}
)
# fields of loads and materials that came later: they count where they say something
LATER: dict[str, Any] = {
    "area_loads": [],
    "space_loads": [],
    "temperatures": [],
    "settlements": [],
    "roots": [],
    "spectrum": None,
    "alpha": None,
    "category": "",
    "eccentricity": 0.0,
    "angle": 0.0,
    "together": "",
    "rule": "",
    "by": "source",
    "mesh_size": None,
    "diaphragm": False,
    "end": None,
    "beds": [],
    "body_share": 1.0,
    "length_share": 1.0,
    "area_share": 1.0,
    "depth": None,
}
DECISIVE = ("nodes", "members", "sections", "materials", "cases", "combinations", "origin")
# also in the digests of runs of earlier releases, though no run depends on them
ONCE = ("combinations",)
NO_NUMBER = {("run", "cases"), ("run", "ask_above")}  # settings that no number depends on


def fingerprint(
    model: Model,
    settings: Settings | None = None,
    written_before: Before | None = None,
    once: bool = False,
) -> str:
    """A digest of everything of a model that a run depends on, and of those `settings` that count for some
    models alone: whether members act one way, and the modes that responses to spectra are made of.
    `written_before` as for `pack`; `once`: as earlier releases made it."""
    # named one by one: a field that a later version adds must not make every kept run look old
    parts = {k: getattr(model, k) for k in DECISIVE if once or k not in ONCE}
    if model.surfaces:
        parts["surfaces"] = model.surfaces
    if model.lifting:
        parts["lifting"] = sorted(model.lifting)
    if model.leaning:
        parts["leaning"] = sorted(model.leaning)
    if model.standing:
        parts["standing"] = sorted(model.standing)
    if model.one_way and settings is not None and settings.run.one_way:
        parts["one_way"] = sorted(model.one_way.items())
    if model.limits or model.bearing:
        parts["limits"] = [sorted(model.limits.items()), sorted(model.bearing.items())]
    # runs of earlier releases do not hold their modes
    if any(c.spectrum is not None for c in model.cases.values()):
        parts["spectra"] = "by mode"
        if settings is not None and settings.modes != ModesSettings():
            parts["modes"] = repr(settings.modes)
    return hashlib.sha256(pack(parts, UNDECISIVE, LATER, _first_release, written_before)).hexdigest()


def _first_release(value: Support | Release) -> dict[str, Any]:
    """A support or a release as the first release wrote it, so that the prints of runs kept by it still
    hold."""
    plain, held = ("F", "X") if isinstance(value, Support) else ("R", "F")
    letters = "".join(held if isinf(k) else "S" if k else plain for k in value.stiffness)
    out: dict[str, Any] = {"letters": letters, "springs": [0 if isinf(k) else k for k in value.stiffness]}
    return out | {"axes": value.axes} if isinstance(value, Support) else out


def settings_print(settings: Settings) -> str:
    """A digest of the settings that results depend on."""
    own = settings.to_dict()
    run = {k: own["run"].get(k) for k in ("shear_flexible", "stations", "diaphragms")}
    if run["diaphragms"]:  # earlier releases could take a plane below the level
        run["floors"] = "nearest full plane"
    if own["run"].get("one_way"):  # named where it says something: runs kept before it are as they were
        run["one_way"] = True
    if own["run"].get("p_delta"):
        run["p_delta"] = True
    mesh = dict(own["mesh"])
    if mesh.get("columns") == "node":
        del mesh["columns"]
    return hashlib.sha256(json.dumps([run, mesh], sort_keys=True).encode()).hexdigest()


def other_settings(was: Settings, now: Settings) -> str:
    """Settings of runs, meshes and modes that differ, by their keys and new values; "" for none."""
    out = []
    old, new = was.to_dict(), now.to_dict()
    for table in ("run", "mesh", "modes"):
        for key in sorted(old[table].keys() | new[table].keys()):
            if old[table].get(key) != new[table].get(key) and (table, key) not in NO_NUMBER:
                out.append(f"{table}.{key} is {new[table].get(key, 'as usual')} now")
    return ", ".join(out)


def run_print(model: Model, settings: Settings) -> str:
    """Return what a run is kept with: the digests of its model and of its settings."""
    return _joined(fingerprint(model, settings), settings)


def prints_of(model: Model, settings: Settings) -> set[str]:
    """The prints that a run of this model can have been kept with: earlier releases left out what counts for
    some models alone."""
    own = settings, None
    return {_joined(fingerprint(model, s, once=o), settings) for s in own for o in (False, True)}


def is_old(kept: str, model: Model, settings: Settings) -> bool:
    """Return whether a run of that print was made with another model or other settings. One of an earlier
    release knows its model alone."""
    return _differ(kept, run_print(model, settings)) and _differ(
        kept, _joined(fingerprint(model, settings, once=True), settings)
    )


class Prints:
    """Prints of models that corrections alone change, each worked out once: of a large model one takes
    seconds, and a window asks for it often. Safe for two threads: at worst both work it out."""

    KEPT = 8

    def __init__(self) -> None:
        self._known: list[tuple[Model, tuple[object, ...], str]] = []
        self._written: Before = {}

    def run_print(self, model: Model, settings: Settings, once: bool = False) -> str:
        """As the function of that name; `once` as for `fingerprint`."""
        counts = settings.run.one_way, repr(settings.modes), once
        for was, counted, digest in self._known:
            if counted == counts and not changed(was, model).aspects:
                return _joined(digest, settings)
        state = model.snapshot()
        before = dict(self._written)  # of its own, for another thread may be at it
        digest = fingerprint(state, settings, before, once)
        self._written = before
        self._known = [*self._known[1 - self.KEPT :], (state, counts, digest)]
        return _joined(digest, settings)

    def is_old(self, kept: str, model: Model, settings: Settings) -> bool:
        """As the function of that name."""
        return _differ(kept, self.run_print(model, settings)) and _differ(
            kept, self.run_print(model, settings, once=True)
        )


def _joined(of_model: str, settings: Settings) -> str:
    return f"{of_model}:{settings_print(settings)}"


def _differ(kept: str, now: str) -> bool:
    return now != kept if ":" in kept else now.partition(":")[0] != kept
