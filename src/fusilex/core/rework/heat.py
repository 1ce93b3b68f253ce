"""Neighbours inside the heat of a hot-air nozzle."""

from __future__ import annotations

import shapely
from msgspec import Struct
from shapely.geometry import Point

from fusilex.core.design.model import Design, Part

NOZZLE_RADIUS_MM, SPREAD_MM = 2.5, 3.0
LIGHT_MG = 3.0


class Neighbour(Struct, frozen=True):
    """A part whose pads the heat reaches; `blown` when it is light enough to be blown away."""

    ref: str
    distance: float
    blown: bool


def heat_radius(part: Part, nozzle: float = NOZZLE_RADIUS_MM, spread: float = SPREAD_MM) -> float:
    """Radius (mm) in which solder may melt: the nozzle, or the part itself where larger, plus the spread of the
    heat.
    """
    return max(nozzle, max(part.package.size_x, part.package.size_y) / 2) + spread


def neighbours(design: Design, part: Part, radius: float | None = None) -> list[Neighbour]:
    """Other parts of the same side with a pad inside the heat radius, nearest first."""
    reach = radius if radius is not None else heat_radius(part)
    centre = Point(part.x, part.y)
    found = []
    for other in design.parts:
        if other.ref == part.ref or other.side != part.side or not other.populated or not other.pads:
            continue
        distance = float(min(shapely.distance(centre, p.polygon) for p in other.pads))
        if distance < reach:
            found.append(Neighbour(other.ref, distance, other.package.mass_mg < LIGHT_MG))
    return sorted(found, key=lambda n: n.distance)
