"""A run: the parts that can be computed, all chosen cases in one factorisation, forces from equilibrium."""

from __future__ import annotations

import numpy as np

from ..loads import Distribution
from ..meshing import Fills, mesh_plates
from ..model import Model
from ..model.geometry.vectors import Array
from ..model.settings import MeshSettings, RunSettings
from ..progress import Progress, silent
from .frame.elements import condense_loads, to_ends
from .frame.imposed import imposed_movements, thermal_ends
from .frame.loading import Loading, end_loads, left_out_force, loading
from .frame.mesh import Mesh, mesh
from .results.recover import described, done_in, results_of
from .results.results import Results
from .solve.flexibility import Flexibility
from .solve.near import Near
from .solve.one_way import Settling, one_way_parts
from .solve.parts import NOT_CHOSEN, parts
from .solve.second_order import second_order
from .solve.system import System, assemble, solve


class AnalysisError(Exception):
    """A run that was asked for something that does not exist; the message names it."""


def run(
    model: Model,
    settings: RunSettings,
    progress: Progress = silent,
    solver: str | None = None,
    distribution: Distribution | None = None,
    only: set[str] | None = None,
    meshing: MeshSettings | None = None,
) -> Results:
    """`run_and_keep` without what it keeps."""
    results, flexible = run_and_keep(model, settings, progress, solver, distribution, only, meshing)
    if flexible is not None:
        flexible.close()
    return results


def run_and_keep(
    model: Model,
    settings: RunSettings,
    progress: Progress = silent,
    solver: str | None = None,
    distribution: Distribution | None = None,
    only: set[str] | None = None,
    meshing: MeshSettings | None = None,
    filled: Fills | None = None,
    near: Near | None = None,
) -> tuple[Results, Flexibility | None]:
    """Linear static results of every chosen case, of every part of the model that can be computed.

    A member without usable section or material, a surface that cannot be meshed, and a part that touches no
    support, is left out and named in `left_out`. A case that sets a motion without resistance going is not
    computed in the part that moves. Raises AnalysisError for a case or a storey that is not in the model.
    `progress` may raise to cancel; nothing is left behind. `only`: the members and surfaces that take part, a
    group or a stage of construction; None for all.

    `filled`: faces of slabs and walls that earlier runs filled with elements; `near`: the stiffness of a run
    that differs little, with its factors.

    With it the stiffness and its factors, for modes and other uses, to be closed; None where something moves
    freely or was left out of a case."""
    names = list(model.cases) if settings.cases is None else list(settings.cases)
    for name in names:
        if name not in model.cases:
            raise AnalysisError(
                f"there is no load case {name!r}; the model has {', '.join(model.cases) or 'none'}"
            )
    if settings.p_delta and settings.one_way:
        raise AnalysisError(
            "run.p_delta and run.one_way cannot both be true: second-order effects are not computed with parts that act one way"
        )
    storeys = [s.name for s in model.storeys]
    for name in settings.diaphragms:
        if name not in storeys:
            raise AnalysisError(
                f"there is no storey {name!r} for a diaphragm; the model has {', '.join(storeys) or 'none'}"
            )
    standing, leaning = (model.standing, model.leaning) if settings.one_way else ((), ())
    meshing = meshing or MeshSettings()
    whole = meshing.columns == "section"
    plates = mesh_plates(
        model, meshing.size, only, lambda t, s: progress(t, 0.1 * s), standing, leaning, whole, filled
    )
    progress("Cutting members into pieces", 0.1)
    taking = parts(model, plates if plates.surfaces or plates.failed or plates.columns else None, only)
    m = mesh(model, taking.members, settings.shear_flexible, taking.plates)
    system, condensed = assemble(model, m, settings.diaphragms, progress)
    loads = []
    distribution = distribution or Distribution(model)
    one_way = one_way_parts(model, m, taking.plates) if settings.one_way else None
    fixed = np.zeros((len(names), len(m.length), 12))
    warmed = np.zeros_like(fixed)
    for c, name in enumerate(names):
        progress(f"Loads of {name}", 0.2 + 0.2 * c / max(len(names), 1))
        case = model.cases[name]
        loads.append(loading(m, case, distribution.case(name)))
        loads[c].missed += left_out_force(model, m, case, distribution.case(name), only)
        warmed[c] = thermal_ends(model, m, case)
        fixed[c] = end_loads(m, loads[c]) + warmed[c]
    condensed_loads = condense_loads(fixed, condensed.steps)
    right = _right_hand_side(m, loads, condensed_loads, system)
    progress("Factorising", 0.4)
    moved = imposed_movements(model, m, [model.cases[n] for n in names])
    right = right + moved * system.springs[:, None]
    by_hold = _by_hold(system, moved)
    free, right_of_loads = np.zeros_like(right), right
    if system.floors and warmed.any():
        # a floor expands with what is warmed: it is rigid in its plane against loads alone
        heat = _right_hand_side(m, [], condense_loads(warmed, condensed.steps), system)
        expanded = _without_floors(model, m, heat, solver)
        if expanded is not None:
            free, right_of_loads = expanded, right - heat
    known = near.factor(m.node_ids, system) if near is not None else None
    found = solve(m, system, right_of_loads - system.full @ by_hold, solver, progress, known)
    u, motions = found.u + by_hold + free, found.motions
    settled = None
    if one_way is not None:

        def further(more: Array, by: Array) -> tuple[Array, bool]:
            own = _by_hold(system, by)
            if found.factor is not None:
                return Flexibility(m, system, condensed, found.factor).moved_by(
                    more - system.full @ own
                ) + own, False
            again = solve(m, system, more - system.full @ own, solver)
            return again.u + own, bool(again.excited.any())

        progress("Tension/compression-only", 0.7)
        settled = Settling(m, system, condensed, one_way, further).settle(
            names, right, moved, u, condensed_loads
        )
        right, moved, u = settled.right, settled.moved, settled.u
    failed = settled.failed if settled is not None else []
    extra: Array | None = None
    more_ends: Array | None = None
    sums = [c for c, n in enumerate(names) if model.cases[n].is_combination] if settings.p_delta else []
    if sums and found.factor is not None:
        u, extra, more_ends, past = second_order(
            model, m, system, condensed, found.factor, condensed_loads, right, by_hold, u, sums, progress
        )
        right = right + extra
        failed = [*failed, *(names[c] for c in past)]
    progress("Forces along members", 0.8)
    done, node_done = done_in(m, system.live, taking.part, motions, found.excited, len(names))
    for name in failed:
        done[names.index(name)], node_done[names.index(name)] = False, False
    results = results_of(
        model,
        m,
        system,
        names,
        u,
        condensed,
        condensed_loads,
        loads,
        settings.stations,
        done,
        node_done,
        right,
        moved,
        extra,
        more_ends,
    )
    if settled is not None:
        results.slack, results.yielded, results.lifted = settled.slack, settled.yielded, settled.lifted
    results.unsettled = failed
    results.second_order = [names[c] for c in sums if names[c] not in failed] if extra is not None else []
    results.left_out = taking.left_out
    if only is not None:
        results.left_out |= {i: NOT_CHOSEN for i in model.surfaces if i not in only}
    results.more_motions = found.more
    results.motions = [described(m, shape, local) for shape, local in motions]
    results.loose = {m.member_ids[m.member[p]]: dofs for p, dofs in condensed.loose.items()}
    progress("Done", 1.0)
    if found.factor is not None and (results.empty or results.motions or not results.member_done.all()):
        found.factor.close()
        found.factor = None
    return results, None if found.factor is None else Flexibility(m, system, condensed, found.factor)


def _without_floors(model: Model, m: Mesh, heat: Array, solver: str | None) -> Array | None:
    """Movements (6N, C) under what warmed members push with, where no floor is rigid in its plane; None
    where what is left without them can move freely."""
    system, _ = assemble(model, m, None)
    some = np.flatnonzero(heat.any(axis=0))
    out = np.zeros_like(heat)
    found = solve(m, system, heat[:, some], solver)
    out[:, some] = found.u
    if found.factor is not None:
        found.factor.close()
    return None if found.motions or found.more else out


def _by_hold(system: System, moved: Array) -> Array:
    """Movements (6N, C) of what holds, of what follows it and of joints that open, from those imposed."""
    held = np.zeros(len(moved), bool)
    held[system.held] = True
    out = np.where(held[:, None], moved, 0.0)
    if system.follow is not None:
        out = np.asarray(system.follow @ out)
    out[system.opening] += moved[system.opening]
    return out


def _right_hand_side(m: Mesh, loads: list[Loading], fixed: Array, system: System) -> Array:
    """(n, C) in the supports' own axes."""
    t = to_ends(m)
    n = 6 * len(m.node_ids)
    out = np.zeros((n, len(fixed)))
    dofs = (m.ends[:, :, None] * 6 + np.arange(6)).reshape(-1, 12)
    for c, ends in enumerate(fixed):
        f = np.einsum("pji,pj->pi", t, ends)
        out[:, c] = np.bincount(dofs.ravel(), f.ravel(), minlength=n) if len(dofs) else 0.0
    for c, load in enumerate(loads):
        out[:, c] += (load.nodal * system.live[:, None]).ravel()
    return np.asarray(system.turn.T @ out) if system.turn is not None else out
