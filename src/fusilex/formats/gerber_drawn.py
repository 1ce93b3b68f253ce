"""What a Gerber file draws, before it becomes polygons."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

FLASH, LINE, ARC, REGION = range(4)
MOST_OBJECTS = 400_000
ARC_ERROR_MM = 0.002
Point = tuple[float, float]


@dataclass(frozen=True, eq=False)
class Drawn:
    """The objects of one file in drawing order, mm.

    One entry an object: kind (n), aperture (n; an index, -1 for regions), dark (n), attribute (n; an index), start and end
    (n, 2, 2). `arcs` gives centre and “clockwise” of arcs by object; `corners` (k, 2) are those of the regions, `owners` (k)
    their objects.
    """

    apertures: list[Any]
    attributes: list[dict[str, tuple[str, ...]]]
    kinds: NDArray[np.int_]
    aperture: NDArray[np.int_]
    dark: NDArray[np.bool_]
    attribute: NDArray[np.int_]
    ends: NDArray[np.float64]
    arcs: dict[int, tuple[Point, bool]]
    corners: NDArray[np.float64]
    owners: NDArray[np.int_]


def arc_points(start: Point, end: Point, centre: Point, clockwise: bool, error: float) -> list[Point]:
    """Points along an arc, ends included, within `error` of it, all in one unit. Equal ends mean a full circle."""
    radius = math.dist(start, centre)
    first = math.atan2(start[1] - centre[1], start[0] - centre[0])
    last = math.atan2(end[1] - centre[1], end[0] - centre[0])
    sweep = (first - last if clockwise else last - first) % (2 * math.pi)
    if math.dist(start, end) < 1e-3 * error or sweep < 1e-9:
        sweep = 2 * math.pi
    step = 2 * math.acos(max(0.0, 1 - error / max(radius, 2 * error)))
    n = min(720, max(2, math.ceil(sweep / step)))
    sign = -1 if clockwise else 1
    angles = (first + sign * np.linspace(0, sweep, n + 1)).tolist()
    points = [(centre[0] + radius * math.cos(a), centre[1] + radius * math.sin(a)) for a in angles]
    return [start, *points[1:-1], end]
