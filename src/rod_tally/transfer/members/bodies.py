"""Section of a member's body: the profile of its extrusion, the one its material states, or one measured on
it; and how they differ."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ...intake.source import SourceElement
from ...model import Model, Section

NEAR = 0.02  # share by which a body and its profile may differ before that is said
# of shapes whose fillets bodies of plain facets leave out (IPE 300: 3.6 % of its area)
ROUNDED = {"i": 0.06, "channel": 0.06, "angle": 0.06, "tee": 0.06, "box": 0.06, "circle": 0.06}


@dataclass(slots=True, frozen=True)
class Differing:
    """Sizes (width, depth) and area of two sections, those that are apart."""

    sizes: bool
    area: bool
    turned: bool = False

    @property
    def any(self) -> bool:
        return self.sizes or self.area


def settle(e: SourceElement, model: Model) -> tuple[SourceElement, str]:
    """The element with the section that its body has, and how body and profile differ in words, "" where
    they do not."""
    words = [e.told] if e.told else []
    taken, drawn = model.sections.get(e.profile), model.sections.get(e.drawn)
    stated = model.sections.get(e.stated)
    # what the reviewer has mapped is the reviewer's own word
    mapped = taken is not None and "mapped by" in taken.origin
    if drawn is not None and drawn.usable and e.drawn != e.profile and not mapped:
        if taken is None or not taken.usable:
            e = replace(e, profile=e.drawn)
        else:
            apart = compared(taken, drawn, e.ends is not None)
            if apart.turned:
                e = replace(e, z_axis=e.y_axis, y_axis=-e.z_axis)
            elif apart.any:
                words.append(
                    f"its body is {_size(drawn)}, its profile {taken.name} is {_size(taken)}: the body's is in the model"
                )
                e = replace(e, profile=e.drawn)
    elif taken and stated and taken.usable and stated.usable and compared(taken, stated, False).any:
        words.append(
            f"its body is drawn with {taken.name} ({_size(taken)}), its profile is stated as {stated.name} "
            f"({_size(stated)}): the drawn one is in the model"
        )
    return e, "; ".join(words)


def compared(a: Section, b: Section, tapers: bool) -> Differing:
    """How section b, measured or stated beside it, differs from section a, by more than 2 %."""
    sizes = np.array([[a.width, a.depth], [b.width, b.depth]])
    if not (a.outline and b.outline) or tapers:
        return Differing(False, not tapers and abs(b.area / a.area - 1) > NEAR)
    off = np.abs(sizes[1] / sizes[0] - 1).max() > NEAR
    over = np.abs(sizes[1, ::-1] / sizes[0] - 1).max() > NEAR
    area = abs(b.area / a.area - 1) > ROUNDED.get(a.shape, NEAR)
    return Differing(bool(off), area, bool(off and not over and not area))


def body_share(e: SourceElement, model: Model, length: float) -> tuple[float, str]:
    """Volume of the body over that of the section along its line of `length` (m), and in words where they
    are apart."""
    section = model.sections.get(e.profile)
    if e.volume is None or section is None or not section.usable or length <= 0:
        return 1.0, ""
    prism = section.mean_area * length
    share = e.volume / prism
    if abs(share - 1) <= NEAR:
        return share, ""
    return share, (
        f"its body holds {e.volume:.4g} m³, its section along its axis {prism:.4g} m³ ({share - 1:+.0%}): its weight is the "
        "body's, its stiffness the section's"
    )


def _size(s: Section) -> str:
    size = f"{s.width * 1000:.0f} x {s.depth * 1000:.0f} mm" if s.outline else ""
    return f"{size}{', ' if size else ''}A = {s.area * 1e4:.4g} cm²"
