"""Sections welded together of plates. Torsion by the warping function, shear along z by the webs and along y
by the flanges."""

from __future__ import annotations

import shapely

from .shapes import Shape, ShapeError, from_polygon, i_shape, positive


def welded_box(name: str, depth: float, width: float, web: float, flange: float) -> Shape:
    """Two webs between two flanges, all flush; sizes in m. Raises ShapeError where no hollow is left."""
    positive(name, depth=depth, width=width, web=web, flange=flange)
    y, z = width / 2, depth / 2
    if y <= web or z <= flange:
        raise ShapeError(f"profile {name!r}: webs of {web:g} m and flanges of {flange:g} m leave no hollow")
    return from_polygon(
        name,
        "welded box",
        _rectangle(y, z),
        [_rectangle(y - web, z - flange)],
        avy=2 * flange * (width - web),
        avz=2 * web * (depth - flange),
    )


def cross(name: str, depth: float, width: float, web: float, flange: float) -> Shape:
    """An upright plate (depth, web) through a level one (width, flange); sizes in m."""
    positive(name, depth=depth, width=width, web=web, flange=flange)
    if web >= width or flange >= depth:
        raise ShapeError(
            f"profile {name!r}: plates of {web:g} and {flange:g} m are thicker than the cross is wide"
        )
    y, z, w, f = width / 2, depth / 2, web / 2, flange / 2
    quarter = [(y, f), (w, f), (w, z)]
    right = [(a, -b) for a, b in reversed(quarter)] + quarter
    outline = right + [(-a, b) for a, b in reversed(right)]
    return from_polygon(name, "cross", outline, avy=5 / 6 * width * flange, avz=5 / 6 * depth * web)


def i_with_plates(
    name: str,
    depth: float,
    width: float,
    web: float,
    flange: float,
    plate_width: float,
    plate: float,
    fillet: float = 0.0,
    lower_plate: float = 0.0,
) -> Shape:
    """An I with a plate on its top flange, and one of thickness `lower_plate` under the lower flange; sizes
    in m."""
    positive(name, plate_width=plate_width, plate=plate)
    i = i_shape(name, depth, width, web, flange, fillet)[0]
    if plate_width <= web:
        raise ShapeError(f"profile {name!r}: a plate {plate_width:g} m wide is narrower than the web")
    z, y = depth / 2, plate_width / 2
    plates = [shapely.box(-y, z, y, z + plate)]
    if lower_plate > 0:
        plates.append(shapely.box(-y, -z - lower_plate, y, -z))
    whole = shapely.union_all([shapely.Polygon(i.outline), *plates], grid_size=1e-9)
    outline = [
        (float(a), float(b)) for a, b in shapely.get_coordinates(shapely.normalize(whole).exterior)[:-1]
    ]
    share = 5 / 6 * plate_width
    return from_polygon(name, "i with plates", outline, avy=i.avy + share * (plate + lower_plate), avz=i.avz)


def _rectangle(y: float, z: float) -> list[tuple[float, float]]:
    return [(-y, -z), (y, -z), (y, z), (-y, z)]
