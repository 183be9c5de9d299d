"""The building as the report's own 3D view needs it: lines, shapes, names, values, places of findings."""

from __future__ import annotations

import json
from base64 import b64encode
from functools import lru_cache
from importlib.resources import files
from typing import Any

import numpy as np

from ...analysis.results.results import COMPONENTS
from ...model.geometry.triangles import surface_triangles
from ...model.geometry.vectors import Array
from ...review.effects.measures import measured
from ...review.review import Review
from .parts import Chapter

POINTS = 5  # along each member, of its displaced shape
DRAWN = 0.05  # of the building's size, that the largest displacement is drawn at
SHOWN = (("n", 1e-3, "kN"), ("vz", 1e-3, "kN"), ("my", 1e-3, "kNm"), ("mz", 1e-3, "kNm"))


@lru_cache(maxsize=1)
def scripts() -> tuple[str, str]:
    """Return the library that draws, with its licence, and what draws with it, as text for a page."""
    folder = files("rod_tally.output.report") / "templates"
    library, licence, view = (
        (folder / name).read_text(encoding="utf-8") for name in ("three.js", "three.LICENSE", "view.js")
    )
    return f"/*\n{licence.strip()}\n*/\n{library}".replace("</script", "<\\/script"), view


def scene_json(review: Review, made: list[Chapter]) -> str:
    """Return the scene as JSON that may stand within a page."""
    return json.dumps(scene(review, made), separators=(",", ":")).replace("<", "\\u003c")


def scene(review: Review, made: list[Chapter]) -> dict[str, Any]:
    """Return the scene as plain values; arrays are base64 of 32 bit floats, in m."""
    m = review.model
    ids = list(m.members)
    number = {i: k for k, i in enumerate(ids)}
    lines = m.lines()
    case, moved = _moved(review, ids)
    size = float(np.linalg.norm(np.ptp(lines.reshape(-1, 3), axis=0))) if len(lines) else 1.0
    most = float(np.linalg.norm(moved, axis=2).max(initial=0.0))
    findings = [
        {
            "number": f.number,
            "title": f.title,
            "severity": f.finding.severity,
            "at": [round(float(v), 4) for v in f.finding.at] if f.finding.at else None,
            "members": [number[i] for i in f.finding.ids if i in number],
        }
        for c in made
        for f in c.findings
    ]
    about: dict[int, list[int]] = {}
    for c in made:
        for f in c.findings:
            for i in f.finding.ids:
                if i in number:
                    about.setdefault(number[i], []).append(f.number)
    values = _values(review)
    parts = list(m.members.values())
    every = (w for x in parts for w in (x.cls, x.section, x.material, x.storey))
    words = {w: k for k, w in enumerate(dict.fromkeys(every))}
    return {
        "points": POINTS,
        "lines": _packed(lines),
        "moved": _packed(moved),
        "case": case,
        "scale": DRAWN * size / most if most > 0 else 1.0,
        # by number in `words`, for thousands of members share a few
        "words": list(words),
        "quantities": [[q, unit] for q, _, unit in SHOWN],
        "members": [
            [
                x.name or x.id,
                *(words[w] for w in (x.cls, x.section, x.material, x.storey)),
                values.get(x.id, []),
                about.get(k, []),
            ]
            for k, x in enumerate(parts)
        ],
        "surfaces": [
            {
                "name": s.name or s.id,
                "storey": s.storey,
                "triangles": _packed(np.asarray(surface_triangles(s)).reshape(-1, 3)),
            }
            for s in m.surfaces.values()
        ],
        "storeys": list(dict.fromkeys([*(s.name for s in m.storeys), *(p.storey for p in m.parts())])),
        "findings": findings,
    }


def _packed(values: Array) -> str:
    return b64encode(np.ascontiguousarray(values, "<f4").tobytes()).decode()


def _moved(review: Review, ids: list[str]) -> tuple[str, Array]:
    """Return the case that moves most, and the displacements (n, POINTS, 3) of these members in it."""
    out = np.zeros((len(ids), POINTS, 3))
    r = review.results
    if review.stale or r.empty or not r.node_done.any():
        return "", out
    size = np.linalg.norm(r.displacement[:, :, :3], axis=2).max(axis=1)
    case = r.cases[int(size.argmax())]
    shapes = review.shapes(case)
    if shapes is None:
        return "", out
    index = {i: k for k, i in enumerate(ids)}
    lines = review.model.lines()
    # pieces of one member together: looking for each member's among all takes minutes in a large model
    pieces = np.argsort(shapes.member, kind="stable")
    begin = np.searchsorted(shapes.member[pieces], np.arange(len(r.member_ids) + 1))
    for k, ident in enumerate(r.member_ids):
        own = pieces[begin[k] : begin[k + 1]]
        if ident not in index or not len(own):
            continue
        n = index[ident]
        points, steps = shapes.points[own].reshape(-1, 3), shapes.displacement[own].reshape(-1, 3)
        along = (points - lines[n, 0]) @ (lines[n, 1] - lines[n, 0])
        order = np.argsort(along, kind="stable")
        share = np.linspace(along[order[0]], along[order[-1]], POINTS)
        for d in range(3):
            out[n, :, d] = np.interp(share, along[order], steps[order, d])
    return case, out


def _values(review: Review) -> dict[str, list[float]]:
    """Return for each member the lowest and the highest of its forces over all that was computed, four digits
    of each, in the units of SHOWN."""
    if review.stale or review.results.empty:
        return {}
    found = measured(review)
    out: dict[str, list[float]] = {}
    for k, ident in enumerate(found.members):
        out[ident] = [
            float(f"{v[k, COMPONENTS.index(q)] * factor:.4g}")
            for q, factor, _ in SHOWN
            for v in (found.low, found.high)
        ]
    return out
