"""That a linear run leaves out what matters."""

from __future__ import annotations

from collections.abc import Sequence

from ...analysis.stability.storey_index import LIMIT, StoreyIndex
from ...checks.registry import listed
from ...model import Finding
from ...words import and_more

NAMED = 4
ROUNDING = 1e-9  # an index of just the limit is not beyond it


def second_order_findings(found: Sequence[StoreyIndex]) -> list[Finding]:
    """One finding for all storeys whose index is beyond the limit in a combination, the worst named."""
    worst: dict[tuple[str, str], StoreyIndex] = {}
    for x in found:
        key = x.storey, x.direction
        if x.index > LIMIT * (1 + ROUNDING) and (key not in worst or x.index > worst[key].index):
            worst[key] = x
    if not worst:
        return []
    rows = sorted(worst.values(), key=lambda x: (-round(x.index, 9), x.elevation, x.direction))
    first = rows[0]
    named = listed([f"{x.storey} along {x.direction} ({x.index:.3g})" for x in rows[:NAMED]])
    more = and_more(rows, NAMED)
    return [
        Finding(
            "response.second_order",
            "warning",
            f"Second-order effects matter and the run is linear: the stability index P d / (V h) is beyond {LIMIT:g} in {named}{more}; "
            f"at worst in {first.combination}, where {first.vertical / 1e3:.4g} kN stand above a shear of {first.shear / 1e3:.4g} kN and a "
            f"drift of {first.drift * 1e3:.3g} mm in {first.height:.3g} m: alpha_cr {first.alpha_cr:.3g}. EN 1998-1 4.4.2.2, EN 1993-1-1 5.2.1, ASCE 7 12.8.7.",
            (),
            None,
            ("Accept, because…",),
            {"index": first.index, "alpha_cr": first.alpha_cr},
        )
    ]
