"""Effect of one guess, default or finding on the answer of a building."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field, fields
from typing import Any

from ..titles import title_of

MEND = "mend:"
PAIR = "pair"
TITLES = {
    "base": "Column bases",
    "releases": "End releases",
    "moved_ends": "Moved ends",
    "slabs": "Slabs",
    "walls": "Walls",
    "material": "Guessed stiffness",
    "springs": "Column bases on springs",
    "cracked": "Stiffness of concrete",
    "less_cracked": "Stiffness of concrete",
    "mass": "Mass",
    "settlement": "Settlement",
    "shear_flexible": "Shear deformation",
    "mesh": "Element size",
    "one_way": "One-way parts",
    "ground": "Stiffness of the ground",
}
WORDS = {
    "shear_flexible": {"true": "counted", "false": "left out"},
    "one_way": {"true": "act one way", "false": "act both ways"},
}
# what a designer asks first; the rest is in the table
FIRST = ("use", "displacement", "drift_x", "drift_y", "reaction", "period")
LITTLE = 0.01  # share by which a size changes that is said to be nothing


@dataclass(slots=True)
class Size:
    """The largest size of a quantity (SI), of what and where along it or in space; 0 where there is none."""

    value: float = 0.0
    of: str = ""
    place: str = ""


@dataclass(slots=True)
class Effect:
    """One switch: sizes by quantity before and after, and the parts that change by more than the tolerances,
    which first. `fault`: why there is no run with it, "" where there is."""

    name: str
    ids: tuple[str, ...]
    was: str
    is_: str
    before: dict[str, Size] = field(default_factory=dict)
    after: dict[str, Size] = field(default_factory=dict)
    parts: list[str] = field(default_factory=list)
    fault: str = ""
    both: tuple[Effect, ...] = ()  # of a pair its two

    @property
    def weight(self) -> float:
        """The largest change of a size, as a share of what it was."""
        return max((abs(s) for s in self.shares.values()), default=0.0)

    @property
    def rank(self) -> tuple[float, float, float]:
        """For sorting, the largest first: by what more or less of a section is used, then by reactions, then
        by all sizes."""
        shares = self.shares
        return -abs(shares.get("use", 0.0)), -abs(shares.get("reaction", 0.0)), -self.weight

    @property
    def shares(self) -> dict[str, float]:
        """By quantity the change of its size, as a share of what it was."""
        return {
            q: (self.after[q].value - b.value) / b.value
            for q, b in self.before.items()
            if b.value > 0 and q in self.after
        }

    @property
    def title(self) -> str:
        """Return what is switched, in words."""
        if self.both:
            return " and ".join(dict.fromkeys(e.title for e in self.both))
        if self.name.startswith(MEND):
            return title_of(self.name.removeprefix(MEND))
        return TITLES.get(self.name, self.name)

    @property
    def values(self) -> tuple[str, str]:
        """As it is and otherwise, in words."""
        if self.both:
            was, is_ = zip(*(e.values for e in self.both))
            return "; ".join(was), "; ".join(is_)
        words = WORDS.get(self.name, {})
        return words.get(self.was, self.was), words.get(self.is_, self.is_)

    @property
    def nothing(self) -> bool:
        """Return whether it changes next to nothing."""
        return not self.fault and self.weight <= LITTLE and not self.parts

    @property
    def code(self) -> str:
        """The code of the finding that is mended; "" for a guess or a default."""
        return self.name.removeprefix(MEND) if self.name.startswith(MEND) else ""


def effect_records(found: list[Effect]) -> list[dict[str, Any]]:
    """Return effects as plain values; a pair names its two by their numbers in the list."""
    number = {id(e): k for k, e in enumerate(found)}
    out = []
    for e in found:
        both = [number[id(x)] for x in e.both if id(x) in number]
        if len(both) != len(e.both):
            continue  # one of the two is not kept
        plain = {f.name: getattr(e, f.name) for f in fields(e) if f.name not in ("both", "before", "after")}
        sizes = {k: {q: asdict(s) for q, s in getattr(e, k).items()} for k in ("before", "after")}
        out.append({**plain, **sizes, "ids": list(e.ids), "both": both})
    return out


def effects_of_records(records: list[dict[str, Any]]) -> list[Effect]:
    """Return the effects of `effect_records`. Raises what plain values of another kind raise."""
    out: list[Effect] = []
    for r in records:
        values = dict(r)
        for k in ("before", "after"):
            values[k] = {str(q): Size(**s) for q, s in values[k].items()}
        values["ids"], both = tuple(values["ids"]), values.pop("both")
        out.append(Effect(**values))
        out[-1].both = tuple(out[k] for k in both)
    return out


def of_finding(found: list[Effect], code: str, ids: tuple[str, ...]) -> Effect | None:
    """The effect of mending a finding; None where it was not tried."""
    return next((e for e in found if e.code == code and e.ids == ids), None)


def effect_words(e: Effect | None, small: tuple[float, str]) -> str:
    """Return what mending a finding does, `small` the factor and name of the unit of displacements; ""
    where it was not tried."""
    if e is None or e.fault:
        return ""
    if e.nothing:
        return f"no size changes by more than {max(e.weight, 0.001):.1%}, no part beyond the tolerances"
    before, after = e.before["displacement"].value, e.after["displacement"].value
    words = f"largest displacement {before * small[0]:.4g} to {after * small[0]:.4g} {small[1]}"
    return f"{words}, {len(e.parts)} part{'s' if len(e.parts) != 1 else ''} beyond the tolerances"


def bands(found: list[Effect]) -> list[tuple[str, float, float, Effect | None, float, Effect | None]]:
    """By quantity the size as it is, the lowest over all switches and pairs with the one that gives it, and
    the highest; None where that is as it is."""
    computed = [e for e in found if not e.fault]
    out = []
    for q, size in computed[0].before.items() if computed else ():
        low = min(computed, key=lambda e: e.after[q].value)
        high = max(computed, key=lambda e: e.after[q].value)
        least, most = low.after[q].value, high.after[q].value
        if max(size.value, most) > 0:
            out.append(
                (
                    q,
                    size.value,
                    min(least, size.value),
                    low if least < size.value else None,
                    max(most, size.value),
                    high if most > size.value else None,
                )
            )
    return out
