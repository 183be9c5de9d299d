"""Releases by rule, for a source that brings none: secondary steel beams and braces pinned."""

from __future__ import annotations

from dataclasses import replace

from ...model import PINNED_END, LogEntry, Model
from ...model.settings import ReleaseSettings


def release_by_rule(model: Model, rules: ReleaseSettings) -> None:
    """Pin the ends of steel beams that sit on another beam, and both ends of braces, as the rules say.

    Concrete stays continuous.
    """
    pinned: list[str] = []
    # every member that passes there, so that it does not matter in which order the file names them
    carried = {j.node for m in model.members.values() if m.cls == "beam" for j in m.joints}
    for m in model.members.values():
        material = model.materials.get(m.material)
        if rules.braces == "pinned" and m.cls == "brace" and not m.joints:
            m.release_start, m.release_end = PINNED_END, PINNED_END
            pinned.append(m.id)
        elif (
            rules.secondary == "pinned"
            and m.cls == "beam"
            and (material is None or material.kind in ("steel", ""))
        ):
            for end, node in ((0, m.start), (1, m.end)):
                if node not in carried or model.nodes[node].support.any:
                    continue
                if end:
                    m.release_end = replace(PINNED_END)
                else:
                    m.release_start = replace(PINNED_END)
                pinned.append(m.id)
    if pinned:
        message = f"{len(set(pinned))} members pinned by rule (secondary beams on beams, braces)"
        model.log.append(LogEntry("guessed", tuple(sorted(set(pinned))), message))
