"""Response spectra: modal responses as equivalent static loads, combined by CQC or SRSS, put in the place of
their cases.

With an eccentricity the forces of each storey also turn it, as a static load whose effects are added to
either side (EN 1998-1 4.3.3.3.3, ASCE 7-16 12.9.2.2.2 by way of 12.8.4.2): M = e F, with F the storey's
forces of the modes, combined."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from msgspec import structs
from numpy.typing import NDArray
from scipy import sparse

from ...loads import Distribution
from ...meshing import Plates
from ...model import LoadCase, Model, NodeLoad, Settings
from ...model.geometry.vectors import Array
from ...progress import Progress, silent
from ..results.results import Results
from ..results.signless import ModalResponse, quadratic
from ..results.storeys import at_storeys
from ..run import run
from ..solve.diaphragms import hanging_together, links_of
from ..solve.flexibility import Flexibility, flexibility
from .modes import Mode, mass_matrix


def correlation(periods: Array, damping: float) -> Array:
    """Coefficients (n, n) of the complete quadratic combination for equal damping (Der Kiureghian 1981; EN
    1998-1 4.3.3.3.2(3) asks for it where periods lie close)."""
    r = periods[None] / periods[:, None]
    z = damping
    above, below = 8 * z * z * (1 + r) * r**1.5, (1 - r * r) ** 2 + 4 * z * z * r * (1 + r) ** 2
    # without damping modes of one period still add up, and all others do not
    return np.divide(above, below, out=np.ones_like(r), where=below > 0)


def modal_loads(
    modes: list[Mode], case: LoadCase, mass: sparse.csr_matrix, nodes: list[str]
) -> list[LoadCase]:
    """For each mode a case of the forces M phi Gamma Sa(T) at nodes (Chopra, Dynamics of Structures, 13.7;
    from memory). `mass` (6N, 6N), kg, global."""
    assert case.spectrum is not None
    way = np.array(case.spectrum.way)
    periods, acceleration = np.array(case.spectrum.curve).T
    out = []
    for mode in modes:
        assert mode.shape is not None
        inertia = (mass @ mode.shape.ravel()).reshape(-1, 6)
        gamma = float((inertia[:, :3] @ way).sum() / (inertia * mode.shape).sum())
        force = inertia * gamma * float(np.interp(mode.period, periods, acceleration))
        loads = [
            NodeLoad(
                nodes[i], (float(f[0]), float(f[1]), float(f[2])), (float(f[3]), float(f[4]), float(f[5]))
            )
            for i, f in enumerate(force)
            if f.any()
        ]
        out.append(LoadCase(f"{case.name} / mode {mode.mode}", node_loads=loads))
    return out


def turning_load(
    model: Model,
    case: LoadCase,
    modes: list[LoadCase],
    rho: Array,
    mass: Array,
    xyz: Array,
    nodes: list[str],
    plates: Plates | None = None,
) -> LoadCase:
    """The forces that turn each storey by its eccentricity: in proportion to the mass (N,) of each node and
    its distance from the storey's centre of mass, so that they are in balance but for their moment, e L F.
    `xyz` (N, 3); L is the storey's width across the direction."""
    assert case.spectrum is not None
    way = np.array(case.spectrum.way)
    storey, _ = at_storeys(model, xyz)
    index = {n: k for k, n in enumerate(nodes)}
    forces = np.zeros((len(modes), len(model.storeys)))
    for k, mode in enumerate(modes):
        for load in mode.node_loads:
            forces[k, storey[index[load.node]]] += float(way @ load.force)
    combined = quadratic(forces, rho)
    out = LoadCase(f"{case.name} / turning")
    links = links_of(model, index, plates)
    for s in range(len(model.storeys)):
        here = np.flatnonzero((storey == s) & (mass > 0))
        if len(here) < 2 or combined[s] <= 0:
            continue
        floors = hanging_together(links, here, xyz)
        whole = combined[s] / sum(float(mass[own].sum()) for own in floors)
        for own in floors:
            out.node_loads += _turned_about(case, own, whole * mass[own].sum(), mass, xyz, nodes, way)
    return out


def _turned_about(
    case: LoadCase,
    own: NDArray[np.int64],
    force: float,
    mass: Array,
    xyz: Array,
    nodes: list[str],
    way: Array,
) -> list[NodeLoad]:
    """The forces that turn one floor by its eccentricity times the force that is its own."""
    assert case.spectrum is not None
    arm = xyz[own, :2] - np.average(xyz[own, :2], axis=0, weights=mass[own])
    polar = float((mass[own] * (arm**2).sum(axis=1)).sum())
    width = float(np.ptp(xyz[own, :2] @ [-way[1], way[0]]))
    if polar <= 0 or width <= 0:
        return []
    share = case.spectrum.eccentricity * width * force / polar * mass[own]
    return [NodeLoad(nodes[i], (float(-f * a[1]), float(f * a[0]), 0.0)) for i, f, a in zip(own, share, arm)]


def fill_spectra(
    model: Model,
    results: Results,
    modes: list[Mode],
    settings: Settings,
    distribution: Distribution,
    progress: Progress = silent,
    flexible: Flexibility | None = None,
) -> None:
    """Put the combined response into the rows of cases that stand for a spectrum; without modes they stay
    zero.

    Displacements, reactions and forces are combined each by itself and so have no sign. `applied` becomes the
    combined base shear; such cases have no equilibrium of their own."""
    cases = [n for n in results.cases if model.cases[n].spectrum is not None]
    shaped = [m for m in modes if m.shape is not None]
    if not cases:
        return
    results.equilibrium = [e for e in results.equilibrium if e.case not in cases]
    if not shaped:
        return
    own = flexible or flexibility(model, results, settings)
    if own is None:
        return
    mass = mass_matrix(model, own, settings, distribution)
    if flexible is None:
        own.close()
    periods = np.array([x.period for x in shaped])
    for name in cases:
        progress(f"Modes under {name}", 0.9)
        case = model.cases[name]
        assert case.spectrum is not None
        modal = modal_loads(shaped, case, mass, results.node_ids)
        rho = (
            correlation(periods, case.spectrum.damping)
            if case.spectrum.rule == "CQC"
            else np.eye(len(periods))
        )
        turning: list[LoadCase] = []
        if case.spectrum.eccentricity > 0 and case.spectrum.direction != "z" and model.storeys:
            along = np.zeros((mass.shape[0] // 6, 6))
            along[:, :3] = case.spectrum.way
            own_mass = (mass @ along.ravel()).reshape(-1, 6)[:, :3] @ np.array(case.spectrum.way)
            load = turning_load(
                model,
                case,
                modal,
                rho,
                own_mass,
                results.xyz - model.origin,
                results.node_ids,
                results.plates,
            )
            turning = [load] if load.node_loads else []
        added = [*modal, *turning]
        extended = replace(model, cases={**model.cases, **{x.name: x for x in added}})
        # the other cases run along so that the stations are the same
        chosen = structs.replace(settings.run, cases=[*results.cases, *(x.name for x in added)])
        taking_part = set(results.member_ids) | set(
            results.plates.surfaces if results.plates is not None else ()
        )
        modal_run = run(
            extended,
            chosen,
            distribution=distribution.beside(extended),
            only=taking_part,
            meshing=settings.mesh,
        )
        rows = [modal_run.cases.index(x.name) for x in modal]
        turned = [modal_run.cases.index(x.name) for x in turning]
        index = {n: k for k, n in enumerate(results.node_ids)}
        forces = np.zeros((len(modal), len(index), 3))
        for k, mode in enumerate(modal):
            for node in mode.node_loads:
                forces[k, index[node.node]] += node.force
        response = ModalResponse(modal_run.displacement[rows], forces, rho, modal_run.displacement[turned])
        results.modal[name] = response
        c = results.case_index(name)
        for kept, parts in (
            (results.displacement, modal_run.displacement),
            (results.reaction, modal_run.reaction),
            (results.force, modal_run.force),
        ):
            kept[c] = response.folded(parts[rows], parts[turned])
        shear = np.array([modal_run.applied[x.name] for x in modal])
        results.applied[name] = quadratic(shear, rho)
