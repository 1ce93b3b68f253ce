"""What a Gerber file draws, before it becomes polygons, and the few shapes that everything is made of."""

from __future__ import annotations

import math

import numpy as np
import shapely
from msgspec import Struct, field
from numpy.typing import NDArray
from shapely import GeometryType, Polygon
from shapely.geometry.base import BaseGeometry

FLASH, LINE, ARC, REGION = range(4)
MOST_OBJECTS = 400_000
ARC_ERROR_MM = 0.002
QUAD_SEGS = 24
Point = tuple[float, float]


class Aperture(Struct, frozen=True, eq=False):
    """An aperture about its own origin, mm. `round_mm` is the diameter of a plain circle, else None; `block` what a
    block draws.
    """

    outline: BaseGeometry
    round_mm: float | None = None
    function: str | None = None
    block: Drawn | None = None


class Turned(Struct, frozen=True):
    """How apertures are drawn: mirrored first, then turned counter-clockwise, then scaled."""

    mirror_x: bool = False
    mirror_y: bool = False
    degrees: float = 0.0
    scale: float = 1.0

    @property
    def matrix(self) -> NDArray[np.float64]:
        """2 × 2, for points as rows: p @ matrix."""
        angle = math.radians(self.degrees)
        cos, sin = math.cos(angle), math.sin(angle)
        flip = np.diag([-1.0 if self.mirror_x else 1.0, -1.0 if self.mirror_y else 1.0])
        return np.asarray(self.scale * flip @ np.array([[cos, sin], [-sin, cos]]))


class Repeat(Struct, frozen=True):
    """Objects `first` to `stop` once more at every step: columns × rows, mm apart."""

    first: int
    stop: int
    columns: int
    rows: int
    step_x: float
    step_y: float


class Drawn(Struct, frozen=True, eq=False):
    """The objects of one file, or of one block, in drawing order, mm.

    One entry an object: kind (n), aperture (n; an index, -1 for regions), dark (n), attribute (n; an index), start
    and end (n, 2, 2), turned (n; an index). `arcs` gives centre and “clockwise” of arcs by object; `corners` (k, 2)
    are those of the regions, `owners` (k) their objects. `unread` says what of the file could not be drawn.
    """

    apertures: list[Aperture]
    attributes: list[dict[str, tuple[str, ...]]]
    kinds: NDArray[np.int_]
    aperture: NDArray[np.int_]
    dark: NDArray[np.bool_]
    attribute: NDArray[np.int_]
    ends: NDArray[np.float64]
    arcs: dict[int, tuple[Point, bool]]
    corners: NDArray[np.float64]
    owners: NDArray[np.int_]
    turned: NDArray[np.int_]
    turns: list[Turned] = field(default_factory=lambda: [Turned()])
    repeats: list[Repeat] = field(default_factory=list)
    unread: tuple[str, ...] = ()


def arc_points(start: Point, end: Point, centre: Point, clockwise: bool, error: float) -> list[Point]:
    """Points along an arc, ends included, within `error` of it, all in one unit. Equal ends mean a full circle.

    Points between the ends lie a little outside, so that the polygon to the centre has the sector's very area.
    """
    radius = math.dist(start, centre)
    first, sweep, n = _chords(start, end, centre, clockwise, error)
    sign = -1 if clockwise else 1
    angles = (first + sign * np.linspace(0, sweep, n + 1)).tolist()
    reach = radius * outward(sweep, n)
    points = [(centre[0] + reach * math.cos(a), centre[1] + reach * math.sin(a)) for a in angles]
    return [start, *points[1:-1], end]


def arc_corners(start: Point, end: Point, centre: Point, clockwise: bool, error: float) -> int:
    """How many points `arc_points` gives.

    >>> ends = (1.0, 0.0), (0.0, 1.0), (0.0, 0.0)
    >>> arc_corners(*ends, False, 0.002) == len(arc_points(*ends, False, 0.002))
    True
    """
    return _chords(start, end, centre, clockwise, error)[2] + 1


def _chords(start: Point, end: Point, centre: Point, clockwise: bool, error: float) -> tuple[float, float, int]:
    """The angle an arc begins at, its sweep (rad), and how many chords stay within `error` of it."""
    radius = math.dist(start, centre)
    first = math.atan2(start[1] - centre[1], start[0] - centre[0])
    last = math.atan2(end[1] - centre[1], end[0] - centre[0])
    sweep = (first - last if clockwise else last - first) % (2 * math.pi)
    if math.dist(start, end) < 1e-3 * error or sweep < 1e-9:
        sweep = 2 * math.pi
    step = 2 * math.acos(max(0.0, 1 - error / max(radius, 2 * error)))
    return first, sweep, min(720, max(2, math.ceil(sweep / step)))


def outward(sweep: float, n: int) -> float:
    """How far out, in radii, the inner corners of an arc of n ≥ 2 chords lie, ends on the arc, for it to have the
    sector's area.

    ½ sin(sweep/n) (2k + (n − 2) k²) = ½ sweep; of this quadratic in k the positive root.

    >>> n, sweep = 6, 3.0
    >>> k = outward(sweep, n)
    >>> abs(math.sin(sweep / n) * (2 * k + (n - 2) * k * k) - sweep) < 1e-12
    True
    """
    whole = sweep / math.sin(sweep / n)
    return whole / 2 if n == 2 else (-1 + math.sqrt(1 + (n - 2) * whole)) / (n - 2)


def quarter_centre(start: Point, end: Point, offset: Point, clockwise: bool) -> Point:
    """The centre of an arc within one quadrant: of the four that unsigned offsets allow the one whose arc is a
    quarter turn at most and whose ends lie equally far.
    """
    tried = [(start[0] + sx * abs(offset[0]), start[1] + sy * abs(offset[1])) for sx in (1, -1) for sy in (1, -1)]

    def fault(centre: Point) -> tuple[bool, float]:
        first = math.atan2(start[1] - centre[1], start[0] - centre[0])
        last = math.atan2(end[1] - centre[1], end[0] - centre[0])
        sweep = (first - last if clockwise else last - first) % (2 * math.pi)
        return sweep > math.pi / 2 + 0.01, abs(math.dist(start, centre) - math.dist(end, centre))

    return min(tried, key=fault)


def quad_segs(radius: float) -> int:
    """Segments per quarter circle that stay within `ARC_ERROR_MM` of it."""
    if radius <= 2 * ARC_ERROR_MM:
        return 3
    return min(QUAD_SEGS, max(3, math.ceil(math.pi / 4 / math.acos(1 - ARC_ERROR_MM / radius))))


def disc(x: float, y: float, radius: float) -> BaseGeometry:
    """A circle as a polygon of the same area: few corners, and its paste is neither lost nor gained. Empty without a
    radius.
    """
    if radius <= 0:
        return Polygon()
    corners = 4 * quad_segs(radius)
    step = 2 * math.pi / corners
    return shapely.Point(x, y).buffer(radius * math.sqrt(step / math.sin(step)), quad_segs=corners // 4)


def simple(points: NDArray[np.float64]) -> BaseGeometry:
    """A closed contour (n × 2) as the area it encloses; one that touches or crosses itself as all its pieces
    together.
    """
    if len(points) < 3:
        return Polygon()
    made = Polygon(points)
    return made if made.is_valid else shapely.multipolygons(polygons_in(shapely.make_valid(made)))


def polygons_in(shapes: BaseGeometry | NDArray[np.object_]) -> NDArray[np.object_]:
    """All polygons of shapes, however deep they lie in collections."""
    parts = np.atleast_1d(np.asarray(shapes, dtype=object))
    while (shapely.get_type_id(parts) > GeometryType.POLYGON).any():
        parts = shapely.get_parts(parts)
    return np.asarray(parts[(shapely.get_type_id(parts) == GeometryType.POLYGON) & ~shapely.is_empty(parts)])
