"""Sections of one's own: a shape with its sizes, or plain values."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace

from ..entities.section import Section
from .built_up import cross, i_with_plates, welded_box
from .shapes import Shape, ShapeError, angle, box, channel, circle, i_shape, rectangle, tee

# what each shape needs, m; those after the bar may be left out. Plain values are in m2 and m4
SHAPES: dict[str, tuple[tuple[str, ...], tuple[str, ...]]] = {
    "rectangle": (("width", "depth"), ()),
    "box": (("width", "depth", "wall"), ()),
    "circle": (("diameter",), ()),
    "tube": (("diameter", "wall"), ()),
    "i": (("depth", "width", "web", "flange"), ("fillet", "top_width", "top_flange")),
    "tee": (("depth", "width", "web", "flange"), ("fillet",)),
    "channel": (("depth", "width", "web", "flange"), ("fillet",)),
    "angle": (("depth", "width", "thickness"), ("fillet",)),
    "welded box": (("depth", "width", "web", "flange"), ()),
    "cross": (("depth", "width", "web", "flange"), ()),
    "i with plates": (("depth", "width", "web", "flange", "plate_width", "plate"), ("fillet", "lower_plate")),
    "values": (("area", "iy", "iz", "j"), ("avy", "avz")),
}

MAKERS: dict[str, Callable[..., Shape]] = {
    "rectangle": rectangle,
    "box": box,
    "i": i_shape,
    "tee": tee,
    "channel": channel,
    "angle": angle,
    "welded box": welded_box,
    "cross": cross,
    "i with plates": i_with_plates,
}


def own_section(name: str, shape: str, sizes: Mapping[str, float]) -> Section:
    """A section by its shape and sizes. Raises ShapeError for a shape that is not known, a size that is
    missing, too much or not positive, and for sizes that make no section."""
    if shape not in SHAPES:
        raise ShapeError(f"section {name!r}: {shape!r} is no shape; known are {', '.join(SHAPES)}")
    needed, more = SHAPES[shape]
    given = {k: float(v) for k, v in sizes.items()}
    for key in given:
        if key not in (*needed, *more):
            raise ShapeError(
                f"section {name!r}: a {shape} has no {key}; it has {', '.join((*needed, *more))}"
            )
    for key in needed:
        if key not in given:
            raise ShapeError(f"section {name!r}: {key} is missing")
    for key, value in given.items():
        if not 0 < value < 1e3 and not (key in more and value == 0):
            raise ShapeError(f"section {name!r}: {key} is {value:g}; it must be positive")
    given = {k: v for k, v in given.items() if v or k in needed}
    if shape == "values":
        made = Section(name, "values", **given)  # type: ignore[arg-type]
    elif shape in ("circle", "tube"):
        made = circle(name, given["diameter"] / 2, given.get("wall"))[0]
    else:
        made = MAKERS[shape](name, **given)[0]
    return replace(made, name=name, origin="a section of one's own")
