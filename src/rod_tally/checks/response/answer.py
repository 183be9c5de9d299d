"""Does the building answer as the loads ask? Results that show a wrong model, each with its numbers."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ...analysis.dynamics.mass import mass_cases
from ...analysis.results.storeys import StoreyRow
from ...loads.lateral import EN_CT, LateralError, period_asce, period_en
from ...model import Finding
from ..registry import Subject, check, listed, mm, point

GRAVITY = ("self-weight", "dead", "live")  # what every storey adds to
# a lower column carries at least this share of what the one above it does. Common practice, no source.
LESS = 0.9
LEAST_AXIAL = 1000.0  # N
SIDEWAYS = 0.05  # share of a case's load that must be horizontal for it to push the building sideways
# Storey drift over storey height that is reported. EN 1998-1 4.4.3.2 allows 0.005 to 0.010 under the damage
# limitation action; wind and notional loads: 1/300, common practice, no source.
DRIFT = {"seismic": 0.01, "wind": 1 / 300, "notional": 1 / 300}
WANTED_MASS = 0.9  # EN 1998-1 4.3.3.3.1(3), ASCE 7-16 12.9.1.1
# of the longest and the shortest formula period; beyond these the first period is reported
LONG, SHORT = (
    3.0,
    0.25,
)
EQUAL = 0.005  # share by which a response and a static base shear may differ and count as one


def _walls(s: Subject) -> str:
    """Return what to add where walls that take no part in the run may be the reason; "" without such."""
    plates = s.results.plates if s.results is not None else None
    taking = {*plates.surfaces, *plates.columns} if plates is not None else set()
    idle = any(x.upright and x.id not in taking for x in s.model.surfaces.values())
    return "; some of its walls take no part in the run" if idle else ""


@check("response.axial")
def find_light_columns(s: Subject) -> Iterator[Finding]:
    """Columns that carry less under gravity than the column on top of them."""
    r = s.results
    if r is None or r.empty:
        return
    stacks = [x.members for x in s.lines if x.kind == "stack" and len(x.members) > 1]
    index = {m: k for k, m in enumerate(r.member_ids)}
    for c, case in enumerate(r.cases):
        if s.model.cases[case].kind not in GRAVITY:
            continue
        low, _ = r.extremes(c)
        odd: list[tuple[float, str, str]] = []
        for stack in stacks:
            for lower, upper in zip(stack, stack[1:]):
                if lower not in index or upper not in index:
                    continue
                a, b = index[lower], index[upper]
                if not (r.member_done[c, a] and r.member_done[c, b]):
                    continue
                below, above = -float(low[a, 0]), -float(low[b, 0])
                if above > LEAST_AXIAL and below < LESS * above:
                    odd.append((above - below, lower, upper))
        if not odd:
            continue
        by, lower, upper = max(odd)
        above = -float(low[index[upper], 0])
        more = f"; {len(odd) - 1} more such places" if len(odd) > 1 else ""
        yield Finding(
            "response.axial",
            "warning",
            f"Load case {case}: {s.name(lower)} carries {(above - by) / 1000:.4g} kN and {s.name(upper)} on top of it "
            f"{above / 1000:.4g} kN: the load leaves the stack between them{more}.",
            tuple(dict.fromkeys(i for _, p, q in sorted(odd, reverse=True) for i in (p, q))),
            s.middle(lower),
            ("Take me there",),
            {"by": by},
        )


@check("response.direction")
def find_odd_directions(s: Subject) -> Iterator[Finding]:
    """Cases that push the building one way while it moves the other."""
    r = s.results
    if r is None or r.empty:
        return
    for c, case in enumerate(r.cases):
        applied = r.applied.get(case)
        if applied is None or not r.node_done[c].any():
            continue
        size = float(np.abs(applied).max())
        push = applied[:2]
        if size == 0 or np.linalg.norm(push) < SIDEWAYS * size:
            continue
        way = push / np.linalg.norm(push)
        moved = r.displacement[c][r.node_done[c]][:, :2] @ way
        if moved.sum() < 0 and -moved.min() > moved.max():
            yield Finding(
                "response.direction",
                "warning",
                f"Load case {case} pushes along ({way[0]:.2g}, {way[1]:.2g}) and the building moves the other way, by up to "
                f"{mm(float(-moved.min()))}.",
                (case,),
                None,
                (),
                {"displacement": float(moved.min())},
            )


@check("response.drift")
def find_large_drift(s: Subject) -> Iterator[Finding]:
    """Storeys whose drift under sideways load passes what is usual."""
    rows: dict[str, list[StoreyRow]] = {}
    for row in s.storeys:
        rows.setdefault(row.case, []).append(row)
    for case, storeys in rows.items():
        limit = DRIFT.get(s.model.cases[case].kind if case in s.model.cases else "")
        if limit is None:
            continue
        odd = []
        for below, row in zip(storeys, storeys[1:]):
            height = row.elevation - below.elevation
            if row.drift_x is None or row.drift_y is None or height <= 0:
                continue
            drift = max(abs(row.drift_x), abs(row.drift_y))
            if drift > limit * height:
                odd.append((drift / height, row.storey, drift, height))
        if odd:
            ratio, storey, drift, height = max(odd)
            others = f" ({len(odd)} storeys are beyond it)" if len(odd) > 1 else ""
            yield Finding(
                "response.drift",
                "note" if _walls(s) else "warning",
                f"Load case {case}: storey {storey} drifts {mm(drift)}, 1/{1 / ratio:.0f} of its {height:.2f} m; "
                f"1/{1 / limit:.0f} is usual at most{others}{_walls(s)}.",
                (case,),
                None,
                (),
                {"ratio": ratio},
            )


@check("response.mass")
def find_missing_mass(s: Subject) -> Iterator[Finding]:
    """Modes that move less than nine tenths of the mass in a horizontal direction, or upright where a spectrum
    acts so."""
    if not s.modes:
        return
    moved = {"x": sum(m.mass_x for m in s.modes), "y": sum(m.mass_y for m in s.modes)}
    if any(c.spectrum is not None and c.spectrum.direction == "z" for c in s.model.cases.values()):
        moved["z"] = sum(m.mass_z for m in s.modes)
    little = {d: v for d, v in moved.items() if v < WANTED_MASS}
    if not little:
        return
    parts = listed([f"{v:.0%} in {d}" for d, v in little.items()])
    first = max(s.modes[0].mass_x, s.modes[0].mass_y)
    why = "; the first mode moves hardly any: parts vibrate on their own" if first < 0.02 else ""
    yield Finding(
        "response.mass",
        "note",
        f"{len(s.modes)} modes move {parts} of the mass; {WANTED_MASS:.0%} is wanted: more modes{why}.",
        tuple(mass_cases(s.model, s.settings.modes.mass)),
        None,
        (),
        {k: float(v) for k, v in little.items()},
    )


@check("response.period")
def find_odd_period(s: Subject) -> Iterator[Finding]:
    """A first period far from what the building's height lets expect (EN 1998-1 4.3.3.2.2, ASCE 7-16
    12.8.2)."""
    if not s.modes or len(s.model.storeys) < 2:
        return
    z = [x.elevation for x in s.model.storeys]
    height = max(z) - min(z)
    try:
        usual = [period_en(height, k) for k in EN_CT] + [period_asce(height, k) for k in EN_CT]
    except LateralError:
        return
    main = max(s.modes, key=lambda m: max(m.mass_x, m.mass_y))
    if SHORT * min(usual) <= main.period <= LONG * max(usual):
        return
    way = "longer" if main.period > max(usual) else "shorter"
    yield Finding(
        "response.period",
        "note",
        f"The main period is {main.period:.3g} s (mode {main.mode}), far {way} than the {min(usual):.2g} to {max(usual):.2g} s that "
        f"formulas give for {height:.1f} m: stiffness, mass or supports are not those of such a building{_walls(s)}.",
        (),
        None,
        (),
        {"period": main.period},
    )


@check("response.torsion")
def find_eccentric_storeys(s: Subject) -> Iterator[Finding]:
    """Storeys whose mass lies far from their centre of stiffness, or that turn more easily than they shift
    (EN 1998-1 4.2.3.2(6))."""
    odd = [c for c in s.centres if c.turns]
    if not odd:
        return
    worst = max(
        odd,
        key=lambda c: max(
            c.eccentricity[0] / max(c.radius_x, 1e-6), c.eccentricity[1] / max(c.radius_y, 1e-6)
        ),
    )
    off_x, off_y = worst.eccentricity
    others = f"; {len(odd) - 1} more storey{'s' if len(odd) > 2 else ''}" if len(odd) > 1 else ""
    yield Finding(
        "response.torsion",
        "note",
        f"Storey {worst.name} turns under horizontal forces: its mass lies {off_x:.2f} m in x and {off_y:.2f} m in y from its centre of "
        f"stiffness (0.3 of the torsional radii is {0.3 * worst.radius_x:.2f} and {0.3 * worst.radius_y:.2f} m), its radius of gyration is "
        f"{worst.gyration:.2f} m against torsional radii of {worst.radius_x:.2f} and {worst.radius_y:.2f} m{others}{_walls(s)}.",
        (),
        point(np.array([worst.stiff_x, worst.stiff_y, worst.elevation]) - s.model.origin),
        (),
        {"eccentricity": max(off_x, off_y)},
    )


@check("response.base_shear")
def compare_base_shears(s: Subject) -> Iterator[Finding]:
    """The base shear by spectrum against that of static seismic cases in its direction, and the factor
    between them."""
    r = s.results
    if r is None:
        return
    for name, case in s.model.cases.items():
        if case.spectrum is None or name not in r.applied or case.spectrum.direction == "z":
            continue
        way = np.array(case.spectrum.way)
        modal = r.modal.get(name)
        shear = float(np.abs(way) @ r.applied[name][:3]) if modal is None else modal.shear(way)
        if shear <= 0:
            text = f"Case {name} has no response: no modes were found, or they have no mass along {case.spectrum.along}."
            yield Finding("response.base_shear", "warning", text, (name,), None)
            continue
        static = {
            n: push
            for n, c in s.model.cases.items()
            if c.kind == "seismic" and c.spectrum is None and n in r.applied
            if (push := abs(float(r.applied[n][:3] @ way))) > 1.0
        }
        most = max(static, key=lambda n: static[n], default="")
        text = f"Case {name}: base shear {shear / 1000:.4g} kN by spectrum"
        if case.spectrum.eccentricity:
            text += f" (and turning of storeys by {100 * case.spectrum.eccentricity:g} % of their width)"
        numbers: dict[str, float] = {"shear": shear}
        actions: tuple[str, ...] = ()
        if most:
            factor = static[most] / shear
            text += (
                f", {static[most] / 1000:.4g} kN in the static case {most}: factor {factor:.3g} between them"
            )
            numbers |= {"factor": factor}
            if abs(factor - 1) > EQUAL:
                actions = (f"Multiply it by {factor:.3g}",)
        yield Finding(
            "response.base_shear",
            "note",
            text + ".",
            (name, *([most] if most else [])),
            None,
            actions,
            numbers,
        )
