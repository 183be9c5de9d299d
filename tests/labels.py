"""All labels of the window: commands, overlays, tables, steps, findings."""

from __future__ import annotations

import re

from rod_tally.desk.commands.registry import COMMANDS
from rod_tally.desk.overlays.registry import overlays
from rod_tally.desk.tables.registry import ASPECTS, TABLES
from rod_tally.review.steps import STEPS
from rod_tally.review.titles import TITLES


def labels() -> list[str]:
    """Each once, in the order of the window."""
    out = [c.title for c in COMMANDS] + [c.menu for c in COMMANDS]
    out += [o.title for o in overlays().values()]
    out += [title for title, _ in TABLES.values()] + [a for own in ASPECTS.values() for a in own]
    out += [s.name for s in STEPS] + [i.title for s in STEPS for i in s.items]
    return list(dict.fromkeys([*out, *TITLES.values()]))


def words(text: str) -> set[str]:
    """The words of a text, in small letters; names of codes and numbers are none."""
    return {w.lower() for w in re.findall(r"[A-Za-z]+", text) if len(w) > 1}
