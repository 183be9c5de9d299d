"""A stand-in for another program's result tables of the demo building: its own headings and units, and two
errors planted."""

from __future__ import annotations

import csv
from collections.abc import Iterable, Sequence
from pathlib import Path

from ..review import Review

FOLDER = "results from elsewhere"
EVERY = 4  # members that the other program gives
WRONG = 1.3  # what one moment is multiplied by


def write_elsewhere(done: Review, folder: Path) -> Path:
    """Reactions whose vertical forces are in N below a heading that says kN, and member forces with one wrong
    moment."""
    out = folder / FOLDER
    out.mkdir(exist_ok=True)
    r, origin = done.results, done.model.origin
    index = {n: k for k, n in enumerate(r.node_ids)}
    reactions = []
    for c, case in enumerate(r.cases):
        for s, node in enumerate(r.support_ids):
            if node in done.model.nodes and r.node_done[c, index[node]]:
                at = (r.xyz[index[node]] + origin) * 1e3
                fx, fy, fz = r.reaction[c, s, :3]
                reactions.append(
                    [case.upper(), f"J{s + 1}", *(f"{v:.1f}" for v in at), fx / 1e3, fy / 1e3, fz]
                )
    _write(
        out / "Reactions.csv",
        ["Load case", "Joint", "X (mm)", "Y (mm)", "Z (mm)", "Fx (kN)", "Fy (kN)", "Fz (kN)"],
        reactions,
    )
    forces = []
    for c, case in enumerate(r.cases):
        for k in range(0, len(r.member_ids), EVERY):
            at = r.stations_of(r.member_ids[k])
            if not len(at) or not r.member_done[c, k]:
                continue
            for s in (at[0], at[len(at) // 2], at[-1]):
                n, vy, vz, mt, my, mz = r.force[c, s] / 1e3
                forces.append(
                    [case.upper(), r.member_ids[k], r.station_x[s] * 1e3, n, vy, vz, mt, my, mz, ""]
                )
    largest = max(range(len(forces)), key=lambda i: abs(float(forces[i][7])))
    forces[largest][7] = float(forces[largest][7]) * WRONG
    head = [
        "Load case",
        "Global id",
        "Distance (mm)",
        "N (kN)",
        "Vy (kN)",
        "Vz (kN)",
        "Mt (kNm)",
        "My (kNm)",
        "Mz (kNm)",
        "Remark",
    ]
    _write(out / "Member forces.csv", head, forces)
    return out


def _write(path: Path, head: Sequence[str], rows: Iterable[Sequence[object]]) -> None:
    with path.open("w", encoding="utf-8", newline="") as f:
        out = csv.writer(f)
        out.writerow(head)
        out.writerows([[f"{v:.9g}" if isinstance(v, float) else v for v in row] for row in rows])
