"""Speed and memory of each step as ratios to a bare reference in the same run. `./run bench --help`

Each size runs in a process of its own, so that peaks of memory do not add up. Solve: against a bare
factorisation and solve of the same matrix by the same library, and by SciPy. Reading: against
ifcopenshell.open of the same file."""

from __future__ import annotations

import argparse
import importlib
import json
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

import history
import numpy as np
from office import OFFICES

SIZES = (1000, 5000, 20000)
CASES = 10


def write_frame(path: Path, members: int) -> int:
    """A regular steel frame of about that many members as a physical IFC file; returns how many it has."""
    from rod_tally.demo.writer import IfcWriter

    w = IfcWriter("frame", "IFC4", "MILLIMETRE")
    steel = w.material("S355", YoungModulus=210e9, MassDensity=7850)
    column = w.i_profile("HE 300 B", 0.3, 0.3, 0.011, 0.019, 0.027)
    beam = w.i_profile("IPE 400", 0.4, 0.18, 0.0086, 0.0135, 0.021)
    n = max(2, round((members / 3 / 0.75) ** (1 / 3)))
    storeys = max(1, round(members / (3 * n * n)))
    count = 0
    for s in range(storeys):
        w.storey(f"L{s}", 3.6 * s)
    w.storey("Roof", 3.6 * storeys)
    for s in range(storeys):
        low, high = 3.6 * s, 3.6 * (s + 1)
        upper = f"L{s + 1}" if s + 1 < storeys else "Roof"
        for i in range(n):
            for j in range(n):
                x, y = 7.2 * i, 6.0 * j
                w.member(
                    "IfcColumn", f"C{s}-{i}-{j}", (x, y, low), (x, y, high), column, steel, f"L{s}", (1, 0, 0)
                )
                count += 1
                z = high - 0.2
                if i + 1 < n:
                    w.member(
                        "IfcBeam", f"X{s}-{i}-{j}", (x + 0.15, y, z), (x + 7.05, y, z), beam, steel, upper
                    )
                    count += 1
                if j + 1 < n:
                    w.member(
                        "IfcBeam", f"Y{s}-{i}-{j}", (x, y + 0.15, z), (x, y + 5.85, z), beam, steel, upper
                    )
                    count += 1
    w.write(path)
    return count


TOWERS = ((10, 5, 3), (20, 12, 10))  # storeys, bays either way


def tower(storeys: int, nx: int, ny: int) -> dict[str, Any]:
    """A concrete building with core, slabs and raft: reading, transfer and checks, with peaks of memory."""
    import ifcopenshell

    from rod_tally.checks import Subject, run_checks
    from rod_tally.demo.tower import write_tower
    from rod_tally.intake import read_source
    from rod_tally.model import Settings
    from rod_tally.transfer import transfer

    out: dict[str, Any] = {}
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "tower.ifc"
        out["elements"] = write_tower(path, storeys, nx, ny)
        ifcopenshell.open(str(path))

        def timed(name: str, call: Any) -> Any:
            start = time.perf_counter()
            value = call()
            out[name] = time.perf_counter() - start
            return value

        timed("open", lambda: ifcopenshell.open(str(path)))
        source = timed("read", lambda: read_source(path))
        model = timed("transfer", lambda: transfer(source, Settings().transfer))
        findings = timed("check", lambda: run_checks(Subject(model)))
    out["members"], out["surfaces"] = len(model.members), len(model.surfaces)
    out["joints"] = sum(len(s.joints) for s in model.surfaces.values())
    out["findings above a note"] = sum(f.severity != "note" for f in findings)
    out["peak"] = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    return out


def one(members: int) -> dict[str, Any]:
    """Times in s, peak memory in MB after each step."""
    import ifcopenshell

    from rod_tally.analysis import run
    from rod_tally.analysis.frame.mesh import mesh
    from rod_tally.analysis.solve import factor
    from rod_tally.analysis.solve.system import assemble
    from rod_tally.checks import Subject, run_checks
    from rod_tally.compare import Side, compare
    from rod_tally.intake import read_source
    from rod_tally.model import LoadCase, MemberLoad, Settings
    from rod_tally.output.write import write_review
    from rod_tally.review.review import Review
    from rod_tally.review.tallies.tally import tally
    from rod_tally.transfer import transfer

    settings = Settings()
    out: dict[str, Any] = {}
    peaks: dict[str, float] = {}

    def timed(name: str, call: Any) -> Any:
        start = time.perf_counter()
        value = call()
        out[name] = time.perf_counter() - start
        peaks[name] = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        return value

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "frame.ifc"
        subprocess.run(
            [sys.executable, __file__, "--write", str(members), str(path)],
            check=True,
            stdout=subprocess.DEVNULL,
        )
        ifcopenshell.open(str(path))  # warm: the library and the file cache
        file = timed("open (bare)", lambda: ifcopenshell.open(str(path)))
        del file
        source = timed("read", lambda: read_source(path))
        model = timed("transfer", lambda: transfer(source, settings.transfer))
        for k in range(CASES - 1):
            loads = [
                MemberLoad(m.id, 0, model.length(m), (0, 0, -1000.0 * (k + 1)), (0, 0, -1000.0 * (k + 1)))
                for m in model.members.values()
                if m.cls == "beam"
            ]
            model.cases[f"Q{k}"] = LoadCase(f"Q{k}", "live", member_loads=loads)
        results = timed("run", lambda: run(model, settings.run))
        findings = timed("check", lambda: run_checks(Subject(model, results, settings)))
        timed("compare", lambda: compare(Side(model, results, []), Side(model, results, [])))
        review = Review(model, settings, results, findings, tally(model))
        timed("write", lambda: write_review(review, Path(folder) / "out"))
        m = mesh(model, results.member_ids)
        system, _ = assemble(model, m, [])
        k = system.k
        right = np.random.default_rng(0).standard_normal((k.shape[0], CASES))
        parts = run_solve_only(m, system, k, right, timed)
        for solver in ("pardiso", "scipy"):
            if solver == "pardiso" and factor.pypardiso is None:
                continue

            def bare(solver: str = solver) -> None:
                f = factor.Factor(k, solver)
                f.solve(right)
                f.close()

            timed(f"bare {solver}", bare)
    out["members"], out["unknowns"] = len(model.members), int(k.shape[0])
    out["residual"] = max(e.residual for e in results.equilibrium)
    out["findings above a note"] = sum(f.severity != "note" for f in findings)
    out["peaks"] = peaks
    out["solver"] = parts
    return out


def run_solve_only(m: Any, system: Any, k: Any, right: np.ndarray, timed: Any) -> str:
    """Our solve as a run does it (mechanism search and refinement included), of the same matrix."""
    from rod_tally.analysis.solve import factor
    from rod_tally.analysis.solve.system import solve

    full = np.zeros((system.full.shape[0], right.shape[1]))
    full[system.free] = right
    for solver in ("pardiso", "scipy"):
        if solver == "scipy" or factor.pypardiso is not None:
            timed(f"solve {solver}", lambda s=solver: solve(m, system, full, s))
    return "pardiso" if factor.pypardiso is not None else "scipy"


def main() -> None:
    p = argparse.ArgumentParser(
        prog="run bench", description="Speed and memory against bare references in the same run."
    )
    p.add_argument(
        "sizes", type=int, nargs="*", help=f"members of the frames instead of {', '.join(map(str, SIZES))}"
    )
    p.add_argument("--only", choices=PARTS, nargs="+", default=PARTS, help="these parts alone")
    p.add_argument("--json", type=Path, metavar="FILE", help="all numbers as JSON too")
    p.add_argument(
        "--write", nargs=2, metavar=("MEMBERS", "FILE"), help="write the frame that is measured, and end"
    )
    p.add_argument("--keep", metavar="RELEASE", help="keep the figures beside the bench, under this name")
    p.add_argument("--part", nargs="+", help=argparse.SUPPRESS)  # one measurement in a process of its own
    given = p.parse_args()
    if given.write:
        write_frame(Path(given.write[1]), int(given.write[0]))
        return
    if given.part:
        print(json.dumps(measured(given.part[0], [int(v) for v in given.part[1:]])))
        return
    found: dict[str, Any] = {}
    for part in given.only if not given.sizes else ["frames"]:
        found[part] = REPORTS[part](given.sizes or list(SIZES)) if part == "frames" else REPORTS[part]()
    now = history.figures(found)
    grown = history.worse(now)
    print(
        "\n"
        + (
            "\n".join(["worse by more than 15 % than when it was last kept:", *(f"  {w}" for w in grown)])
            if grown
            else "nothing is worse by more than 15 % than when it was last kept"
        )
    )
    if given.keep:
        history.keep(given.keep, now)
        print(f"{len(now)} figures are kept as those of {given.keep} in {history.FIGURES}")
    if given.json:
        given.json.write_text(json.dumps(found, indent=1) + "\n", encoding="utf-8")


def measured(part: str, values: list[int]) -> dict[str, Any]:
    """One measurement, here."""
    if part == "one":
        return one(*values)
    if part == "tower":
        return tower(*values)
    module = importlib.import_module(part)
    done: dict[str, Any] = getattr(module, part)(*values)
    return {"peak": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024} | done


def apart(part: str, *values: int) -> dict[str, Any]:
    """One measurement in a process of its own, so that peaks of memory do not add up."""
    command = [sys.executable, __file__, "--part", part, *(str(v) for v in values)]
    done = subprocess.run(command, check=True, capture_output=True, text=True).stdout
    out: dict[str, Any] = json.loads(done.splitlines()[-1])
    return out


def report_frames(sizes: list[int]) -> list[dict[str, Any]]:
    last: dict[str, Any] | None = None
    found = []
    for size in sizes:
        r = apart("one", size)
        found.append(r)
        print(
            f"\n{r['members']} members, {r['unknowns']} unknowns, {CASES} cases, solver {r['solver']}, "
            f"largest residual {r['residual']:.1e}, {r['findings above a note']} findings above a note"
        )
        for step in ("read", "transfer", "run", "check", "compare", "write"):
            growth = ""
            if last:
                power = np.log(r[step] / last[step]) / np.log(r["members"] / last["members"])
                growth = f"   grows as n^{power:.2f}"
            print(f"  {step:10} {r[step]:8.2f} s   peak {r['peaks'][step]:6.0f} MB{growth}")
        print(
            f"  reading / ifcopenshell.open           {r['read'] / r['open (bare)']:.2f}   (goal: at most 4)"
        )
        for s in ("pardiso", "scipy"):
            if f"solve {s}" in r:
                ratio = r[f"solve {s}"] / r[f"bare {s}"]
                print(f"  solve / bare {s:8} ({r[f'bare {s}']:.2f} s)      {ratio:.2f}   (goal: at most 1.5)")
        last = r
    return found


def report_office() -> list[dict[str, Any]]:
    found = []
    for shape in OFFICES:
        r = apart("office", *shape)
        found.append(r)
        whole = r["seen"] + r["checked"] + r["run"] + r["modes"]
        print(
            f"\nsteel office, {r['elements']} elements, slabs on beams, all at its defaults, peak {r['peak']:.0f} MB"
        )
        print(
            f"  seen {r['seen']:.1f} s, checked {r['checked']:.1f} s later, run {r['run']:.1f} s, modes {r['modes']:.1f} s, "
            f"compared with itself {r['compared']:.1f} s"
        )
        print(
            f"  review / ifcopenshell.open ({r['open']:.2f} s)    {whole / r['open']:.0f}   (goal: 60, then 20)"
        )
        print(
            f"  checked again and kept after a release {r['released']:.1f} s, after a member less {r['deleted']:.1f} s "
            f"(all checks {r['checked']:.1f} s)"
        )
        print(
            f"  comparison / bare differences ({r['bare difference'] * 1e3:.0f} ms)   {r['compared'] / r['bare difference']:.0f}"
        )
    return found


def report_tower() -> list[dict[str, Any]]:
    found = []
    for shape in TOWERS:
        r = apart("tower", *shape)
        found.append(r)
        print(
            f"\nconcrete, {shape[0]} storeys: {r['elements']} elements, {r['members']} members, {r['surfaces']} surfaces, "
            f"{r['joints']} ties, {r['findings above a note']} findings above a note, peak {r['peak']:.0f} MB"
        )
        print(f"  read {r['read']:.2f} s, transfer {r['transfer']:.2f} s, check {r['check']:.2f} s")
        print(f"  reading / ifcopenshell.open           {r['read'] / r['open']:.2f}   (goal: at most 4)")
    return found


def report_floor() -> dict[str, Any]:
    r = apart("floor")
    print(
        f"\nstorey of {r['panels']} panels on {r['members']} beams, {r['cases']} cases, peak {r['peak']:.0f} MB"
    )
    for name in ("even", "uneven"):
        print(
            f"  {name:6} bays: cut {r[f'cut {name}']:.2f} s, yield lines {r[f'lines {name}']:.2f} s, cases "
            f"{r[f'cases {name}']:.2f} s ({r[f'rows {name}']} rows each), cases / bare NumPy products "
            f"{r[f'cases {name}'] / r[f'bare {name}']:.2f}, sum off by {r[f'error {name}']:.1e}"
        )
    return r


def report_shells() -> dict[str, Any]:
    r = apart("shells")
    print(
        f"\nshells and frame: {r['elements']} elements of {r['surfaces']} slabs and walls, {r['members']} members, "
        f"{r['unknowns']} unknowns, 10 cases, largest residual {r['residual']:.1e}, peak {r['peak']:.0f} MB"
    )
    print(
        f"  mesh {r['mesh']:.1f} s, assemble {r['assemble']:.1f} s, solve {r['solve']:.1f} s, whole run {r['run']:.1f} s"
    )
    print(
        f"  solve / bare ({r['bare']:.1f} s)                   {r['solve'] / r['bare']:.2f}   (goal: at most 1.3)"
    )
    print(f"  assembly / whole run                  {r['assemble'] / r['run']:.2f}   (goal: below 0.20)")
    print(f"  recovery of forces set up in {r['fields']:.1f} s, then {r['forces of a case']:.2f} s a case")
    return r


def report_envelopes() -> dict[str, Any]:
    r = apart("envelopes")
    print(
        f"\n{r['combinations']} combinations over {r['members']} members ({r['values']} values): envelope {r['envelope']:.1f} s, "
        f"peak {r['peak']:.0f} MB"
    )
    for name in ("large", "small"):
        goal = "   (goal: below 2)" if name == "large" else ""
        bare = r[f"bare, {name}"]
        print(f"  envelope / products in {name} pieces ({bare:.1f} s)   {r['envelope'] / bare:.2f}{goal}")
    return r


def report_carrying() -> dict[str, Any]:
    r = apart("carrying")
    print(
        f"\n{r['corrections']} corrections carried over to a revision of {r['members']} members under other identities: "
        f"{r['carry_s']:.1f} s ({r['carried']} placed), peak {r['peak']:.0f} MB"
    )
    print(
        f"  carrying / matching the members alone ({r['match_s']:.1f} s)   {r['ratio']:.2f}   (goal: 5 s in all)"
    )
    return r


def report_effects() -> dict[str, Any]:
    r = apart("effects")
    print(
        f"\neffects of {r['tried']} corrections on {r['members']} members, 5 cases: {r['each_s']:.2f} s each, "
        f"peak {r['peak']:.0f} MB"
    )
    print(f"  full run with its modes / effect ({r['full_s']:.2f} s)   {r['ratio']:.1f}   (goal: 10)")
    print(f"  effect / bare factorisation and solve ({r['bare']:.2f} s)   {r['solves']:.1f}   (goal: 0.3)")
    return r


def report_view() -> dict[str, Any]:
    r = apart("view")
    print(f"\nthe view: {r['members']} members and {r['elements']} elements, turned")
    for name in ("sections", "plates", "displaced", "mesh"):
        print(f"  {name:10} drawn in {r[f'draw {name}']:.2f} s, {r[f'fps {name}']:.0f} frames a second")
    return r


REPORTS: dict[str, Any] = {
    "frames": report_frames,
    "office": report_office,
    "tower": report_tower,
    "floor": report_floor,
    "shells": report_shells,
    "envelopes": report_envelopes,
    "carrying": report_carrying,
    "effects": report_effects,
    "view": report_view,
}
PARTS = list(REPORTS)

if __name__ == "__main__":
    main()
