"""Commands of the window: when each can be used, and what it needs where it cannot."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

Window = Any  # the main window, which is made from this list
When = Callable[[Window], bool]


@dataclass(frozen=True, slots=True)
class Command:
    """`id` is stable and dotted. `when` says whether it can be used now. `help` is the line shown on
    hovering."""

    id: str
    title: str
    menu: str
    shortcut: str
    call: Callable[[Window], object]
    when: When
    help: str = ""
    separator: bool = False


def always(_w: Window) -> bool:
    return True


def opened(w: Window) -> bool:
    return w.state.review is not None


def idle(w: Window) -> bool:
    return bool(w.session.jobs.free)


def ready(w: Window) -> bool:
    return opened(w) and idle(w)


def picked(w: Window) -> bool:
    return opened(w) and w.state.picked is not None


def has_parts(w: Window) -> bool:
    return opened(w) and bool(w.state.chosen("member") or w.state.chosen("surface"))


def has_members(w: Window) -> bool:
    return opened(w) and bool(w.state.chosen("member"))


def has_surfaces(w: Window) -> bool:
    return opened(w) and bool(w.state.chosen("surface"))


def one_member(w: Window) -> bool:
    return opened(w) and len(w.state.chosen("member")) == 1


def has_case(w: Window) -> bool:
    return opened(w) and bool(w.state.review and w.state.review.model.cases)


def has_finding(w: Window) -> bool:
    return opened(w) and w.state.finding is not None


def plates_shown(w: Window) -> bool:
    return opened(w) and w.state.overlay == "plates"


def colours_shown(w: Window) -> bool:
    return opened(w) and w.state.overlay in ("plates", "stress")


def compared(w: Window) -> bool:
    return w.state.comparison is not None


# What a command needs that cannot be used now, in the order in which it is asked for.
NEEDS: dict[When, str] = {
    has_finding: "a chosen finding",
    has_members: "selected members",
    one_member: "one selected member",
    has_surfaces: "selected slabs or walls",
    has_parts: "selected members, slabs or walls",
    picked: "something selected",
    has_case: "a load case",
    plates_shown: "slab and wall forces on the screen",
    colours_shown: "forces or stresses in colours",
    compared: "a revision that is compared",
}
