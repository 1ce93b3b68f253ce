"""Gerber layers (X1 and X2) into polygons.

The polygons are made here, grouped by aperture and vectorised, because real copper layers hold zero-length strokes by the dozen and
thousands of equal flashes. Dark and clear objects are composed in drawing order.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import GeometryType, Polygon
from shapely.geometry import LineString, box
from shapely.geometry.base import BaseGeometry

from fusilex.core.board.model import Layer, Placement
from fusilex.core.problems import BadInput
from fusilex.formats.gerber_drawn import ARC, ARC_ERROR_MM, FLASH, LINE, REGION, Drawn, Point, arc_points
from fusilex.formats.gerber_stream import read_drawn

QUAD_SEGS = 24
SLIVER_MM2 = 1e-9
"""What is left of a shape by rounding where another was cleared from it."""


def read_gerber(data: bytes, name: str, role: str = "other", side: str | None = None) -> Layer:
    """Read one Gerber file. Raises `BadInput` when it is truncated, malformed or beyond all size."""
    drawn = read_drawn(data, name)
    try:
        return _layer(drawn, role, side)
    except (ValueError, TypeError, AttributeError, ArithmeticError, shapely.errors.ShapelyError) as error:
        raise BadInput(name, "shapes that can be drawn", str(error)[:160]) from error


def read_components(data: bytes, name: str, side: str | None) -> tuple[Placement, ...]:
    """Placements of a component layer (Gerber X2: one flash with a ``.C`` attribute a part). Raises `BadInput`."""
    drawn = read_drawn(data, name)
    found: dict[str, Placement] = {}
    for kind, index, (x, y) in zip(drawn.kinds, drawn.attribute, drawn.ends[:, 1].tolist(), strict=True):
        attributes = drawn.attributes[index]
        ref = attributes.get(".C", ("",))[0]
        if kind != FLASH or not ref or ref in found:
            continue
        try:
            turn = float(attributes.get(".CRot", ("0",))[0]) % 360
        except ValueError as error:
            raise BadInput(name, "a turn in degrees", f"“{attributes['.CRot'][0][:24]}”", f"part {ref}") from error
        body = attributes.get(".CPgN", attributes.get(".CFtp", ("",)))[0]
        fit = attributes.get(".CMnt", ("",))[0] != "Fiducial"
        value = attributes.get(".CVal", ("",))[0]
        found[ref] = Placement(ref, x, y, turn, side or "top", body, value, 0, fit)
    return tuple(found.values())


def _layer(drawn: Drawn, role: str, side: str | None) -> Layer:
    """All objects as polygons; equal apertures share one outline and are moved together."""
    from gerbonara.utils import MM

    kinds, aperture, ends = drawn.kinds, drawn.aperture, drawn.ends
    shapes = np.empty(len(kinds), dtype=object)
    for index in np.unique(aperture[aperture >= 0]).tolist():
        tool = drawn.apertures[index]
        outline = aperture_polygon(tool, MM)
        mine = aperture == index
        flashed = np.flatnonzero(mine & (kinds == FLASH))
        shapes[flashed] = _moved(outline, ends[flashed, 0])
        lines = np.flatnonzero(mine & (kinds == LINE))
        if type(tool).__name__ == "CircleAperture":
            shapes[lines] = _strokes(ends[lines], float(tool.unit.convert_to(MM, tool.diameter)))
        else:
            for i in lines.tolist():
                shapes[i] = shapely.union_all(_moved(outline, ends[i])).convex_hull
        for i in np.flatnonzero(mine & (kinds == ARC)).tolist():
            start, end = ends[i].tolist()
            points = arc_points(start, end, *drawn.arcs[i], ARC_ERROR_MM)
            width = tool.equivalent_width(MM) or 0.0
            shapes[i] = LineString(points).buffer(max(width, 1e-6) / 2, quad_segs=8)
    shapes[kinds == REGION] = _regions(drawn.corners, drawn.owners, np.flatnonzero(kinds == REGION))
    return _compose(drawn, shapes, role, side)


def _moved(outline: BaseGeometry, at: NDArray[np.float64]) -> NDArray[np.object_]:
    if isinstance(outline, Polygon) and not outline.interiors and not outline.is_empty:
        ring = np.asarray(outline.exterior.coords)
        return np.asarray(shapely.polygons(ring[None, :, :] + at[:, None, :]))
    moved = np.empty(len(at), dtype=object)
    moved[:] = [shapely.affinity.translate(outline, x, y) for x, y in at]
    return moved


def _strokes(ends: NDArray[np.float64], diameter: float) -> NDArray[np.object_]:
    """Round-ended strokes (n) from ends (n, 2, 2): half a circle about each end. One of no length is a dot."""
    quarter = _quad_segs(diameter / 2)
    along = ends[:, 1] - ends[:, 0]
    turn = np.arctan2(along[:, 1], along[:, 0])[:, None] + np.linspace(-math.pi / 2, math.pi / 2, 2 * quarter + 1)
    half = max(diameter, 1e-6) / 2 * np.stack([np.cos(turn), np.sin(turn)], axis=2)
    return np.asarray(shapely.polygons(np.concatenate([ends[:, 1:] + half, ends[:, :1] - half], axis=1)))


def _quad_segs(radius: float) -> int:
    """Segments per quarter circle that stay within `ARC_ERROR_MM` of it."""
    if radius <= 2 * ARC_ERROR_MM:
        return 3
    return min(QUAD_SEGS, max(3, math.ceil(math.pi / 4 / math.acos(1 - ARC_ERROR_MM / radius))))


def aperture_polygon(aperture: Any, mm: Any) -> BaseGeometry:
    """Outline of an aperture about its own origin, mm."""
    shape: BaseGeometry = Polygon()
    for primitive in aperture._primitives(0, 0, mm, True):
        kind = type(primitive).__name__
        if kind == "Circle":
            piece: BaseGeometry = _disc(primitive.x, primitive.y, primitive.r)
        elif kind == "Rectangle":
            w, h = primitive.w / 2, primitive.h / 2
            piece = box(-w, -h, w, h)
            if primitive.rotation:
                piece = shapely.affinity.rotate(piece, primitive.rotation, origin=(0, 0), use_radians=True)
            piece = shapely.affinity.translate(piece, primitive.x, primitive.y)
        elif kind == "Line":
            line = LineString([(primitive.x1, primitive.y1), (primitive.x2, primitive.y2)])
            piece = (line if line.length else shapely.Point(primitive.x1, primitive.y1)).buffer(
                primitive.width / 2, quad_segs=QUAD_SEGS
            )
        else:
            piece = _outline(list(primitive.segments))
        shape = shape.union(piece) if primitive.polarity_dark else shape.difference(piece)
    hole = getattr(aperture, "hole_dia", None)
    if hole:
        shape = shape.difference(_disc(0, 0, aperture.unit.convert_to(mm, hole) / 2))
    return shape


def _disc(x: float, y: float, radius: float) -> BaseGeometry:
    """A circle as a polygon of the same area: few corners, and its paste is neither lost nor gained."""
    corners = 4 * _quad_segs(radius)
    step = 2 * math.pi / corners
    return shapely.Point(x, y).buffer(radius * math.sqrt(step / math.sin(step)), quad_segs=corners // 4)


def _regions(corners: NDArray[np.float64], owners: NDArray[np.int_], regions: NDArray[np.int_]) -> NDArray[np.object_]:
    """Filled contours of the numbered regions; one that crosses itself becomes the area it encloses."""
    which = np.searchsorted(regions, owners)
    whole = np.bincount(which, minlength=len(regions)) >= 3
    found = np.full(len(regions), Polygon(), dtype=object)
    if whole.any():
        of_whole = whole[which]
        made = shapely.polygons(shapely.linearrings(corners[of_whole], indices=(np.cumsum(whole) - 1)[which[of_whole]]))
        crossed = ~shapely.is_valid(made)
        made[crossed] = shapely.make_valid(made[crossed])
        found[whole] = made
    return found


def _outline(segments: list[Any]) -> BaseGeometry:
    """A macro's outline or an aperture's edge, arcs among its segments."""
    points: list[Point] = []
    for start, end, (clockwise, centre) in segments:
        points += [start] if clockwise is None else arc_points(start, end, centre, clockwise, ARC_ERROR_MM)[:-1]
    return _regions(np.array(points, dtype=float).reshape(-1, 2), np.zeros(len(points), dtype=int), np.array([0]))[0]


def _compose(drawn: Drawn, shapes: NDArray[np.object_], role: str, side: str | None) -> Layer:
    """Apply clear objects to the dark ones drawn before them; keep the pieces apart, with their attributes."""
    dark, cut = drawn.dark, np.zeros(len(shapes), dtype=bool)
    boxes = shapely.bounds(shapes)
    for start, stop in _clear_runs(dark):
        clear = shapely.disjoint_subset_union_all(shapes[start:stop])
        x0, y0, x1, y1 = clear.bounds if not clear.is_empty else (0.0, 0.0, -1.0, -1.0)
        over = (boxes[:start, 0] <= x1) & (boxes[:start, 2] >= x0) & (boxes[:start, 1] <= y1) & (boxes[:start, 3] >= y0)
        earlier = np.flatnonzero(dark[:start] & over)
        touched = earlier[shapely.intersects(shapes[earlier], clear)]
        shapes[touched] = shapely.difference(shapes[touched], clear)
        cut[touched] = True
    kept = np.flatnonzero(dark)
    pieces, owners = shapes[kept], kept
    if (shapely.get_type_id(pieces) != GeometryType.POLYGON).any():
        pieces, which = shapely.get_parts(pieces, return_index=True)
        owners = kept[which]
    areas = (shapely.get_type_id(pieces) == GeometryType.POLYGON) & (
        shapely.area(pieces) > np.where(cut[owners], SLIVER_MM2, 0.0)
    )
    pieces, owners = pieces[areas], owners[areas]
    nets = [(a[".N"][0] or None) if a.get(".N") else None for a in drawn.attributes]
    pins = [(a[".P"][0], a[".P"][1]) if len(a.get(".P", ())) >= 2 else None for a in drawn.attributes]
    functions = [*(_function(tool) for tool in drawn.apertures), None]  # the last for regions
    stated = drawn.attribute[owners].tolist()
    return Layer(
        role,
        side,
        pieces,
        drawn.kinds[owners] == FLASH,
        tuple([nets[i] for i in stated]),
        tuple([pins[i] for i in stated]),
        tuple([functions[i] for i in drawn.aperture[owners].tolist()]),
    )


def _clear_runs(dark: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """First and last + 1 of each run of clear objects."""
    edges = np.flatnonzero(np.diff(np.concatenate([[True], dark, [True]]).astype(int)))
    return [(int(a), int(b)) for a, b in zip(edges[::2], edges[1::2], strict=True)]


def _function(aperture: Any) -> str | None:
    value = dict(getattr(aperture, "attrs", None) or ()).get(".AperFunction")
    return ",".join(value) if value else None
