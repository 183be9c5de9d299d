"""The figures of each release, kept in a file beside the bench, and what got worse since the last one.

Only ratios to a bare reference of the same run and peaks of memory are kept: seconds are those of a machine."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

FIGURES = Path(__file__).parent / "figures.json"
WORSE = 0.15  # share by which a figure may grow from one release to the next
STEPS = ("read", "transfer", "run", "check", "compare", "write")


def figures(found: dict[str, Any]) -> dict[str, float]:
    """The figures of what was measured, by part: smaller is better for each."""
    out: dict[str, float] = {}
    for r in found.get("frames", ()):
        name = f"frame of {round(r['members'], -2)}"
        for step in STEPS:
            out[f"{name}: {step} / bare opening"] = r[step] / r["open (bare)"]
            out[f"{name}: {step}, peak MB"] = r["peaks"][step]
        for solver in ("pardiso", "scipy"):
            if f"solve {solver}" in r:
                out[f"{name}: solve / bare {solver}"] = r[f"solve {solver}"] / r[f"bare {solver}"]
    for r in found.get("office", ()):
        name = f"office of {r['elements']}"
        out[f"{name}: review / bare opening"] = (r["seen"] + r["checked"] + r["run"] + r["modes"]) / r["open"]
        out[f"{name}: comparison / bare difference"] = r["compared"] / r["bare difference"]
        out[f"{name}: peak MB"] = r["peak"]
    for r in found.get("tower", ()):
        name = f"concrete building of {r['elements']}"
        out |= {
            f"{name}: {step} / bare opening": r[step] / r["open"] for step in ("read", "transfer", "check")
        }
        out[f"{name}: peak MB"] = r["peak"]
    if r := found.get("floor"):
        out |= {
            f"floor: cases of {n} bays / bare products": r[f"cases {n}"] / r[f"bare {n}"]
            for n in ("even", "uneven")
        }
        out["floor: peak MB"] = r["peak"]
    if r := found.get("shells"):
        out |= {
            "shells: solve / bare": r["solve"] / r["bare"],
            "shells: assembly / run": r["assemble"] / r["run"],
        }
        out["shells: peak MB"] = r["peak"]
    if r := found.get("envelopes"):
        out["envelopes: / products in large pieces"] = r["envelope"] / r["bare, large"]
        out["envelopes: peak MB"] = r["peak"]
    if r := found.get("carrying"):
        out["carrying: / matching the members"] = r["carry_s"] / r["match_s"]
        out["carrying: peak MB"] = r["peak"]
    if r := found.get("effects"):
        out["effects: / full run"] = 1 / r["ratio"]
        out["effects: peak MB"] = r["peak"]
    return out


def releases(path: Path = FIGURES) -> list[dict[str, Any]]:
    """Every release that was kept, the oldest first, each with `name` and `figures`."""
    kept: list[dict[str, Any]] = json.loads(path.read_text(encoding="utf-8")) if path.exists() else []
    return kept


def worse(now: dict[str, float], path: Path = FIGURES) -> list[str]:
    """What is worse by more than WORSE than when it was last kept, the most first, in words."""
    last: dict[str, tuple[float, str]] = {}
    for release in releases(path):
        last |= {k: (v, release["name"]) for k, v in release["figures"].items()}
    found = [(v / last[k][0], k) for k, v in now.items() if k in last and last[k][0] > 0]
    return [
        f"{k}: {now[k]:.3g}, it was {last[k][0]:.3g} in {last[k][1]} ({share - 1:+.0%})"
        for share, k in sorted(found, reverse=True)
        if share > 1 + WORSE
    ]


def keep(name: str, now: dict[str, float], path: Path = FIGURES) -> None:
    """Keep the figures of a release; those of one of the same name are added to."""
    kept = releases(path)
    own = next((r for r in kept if r["name"] == name), None)
    if own is None:
        own = {"name": name, "figures": {}}
        kept.append(own)
    own["figures"] |= {k: round(v, 4) for k, v in now.items()}
    path.write_text(json.dumps(kept, indent=1, ensure_ascii=False) + "\n", encoding="utf-8")
