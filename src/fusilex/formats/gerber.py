"""Gerber layers (X1 and X2) into polygons.

The polygons are made here, grouped by aperture and vectorised, because real copper layers hold zero-length strokes by the dozen and
thousands of equal flashes. Dark and clear objects are composed in drawing order.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import Polygon
from shapely.geometry import LineString, box
from shapely.geometry.base import BaseGeometry

from fusilex.core.board.model import Layer, Placement
from fusilex.core.problems import BadInput
from fusilex.formats.gerber_stream import ARC, ARC_ERROR_MM, FLASH, LINE, REGION, Drawn, Point, arc_points, read_drawn

QUAD_SEGS = 24


@dataclass(frozen=True, eq=False)
class GerberImage:
    """A parsed layer before its role is settled: polygons (n) and per-object attributes, plus the file's attributes."""

    attributes: dict[str, tuple[str, ...]]
    layer: Layer


def read_gerber(data: bytes, name: str, role: str = "other", side: str | None = None) -> GerberImage:
    """Read one Gerber file. Raises `BadInput` when it is truncated, malformed or beyond all size."""
    drawn = read_drawn(data, name)
    try:
        layer = _layer(drawn, role, side)
    except (ValueError, TypeError, AttributeError, ArithmeticError, shapely.errors.ShapelyError) as error:
        raise BadInput(name, "shapes that can be drawn", str(error)[:160]) from error
    return GerberImage(drawn.file_attributes, layer)


def read_components(data: bytes, name: str, side: str | None) -> tuple[Placement, ...]:
    """Placements of a component layer (Gerber X2: one flash with a ``.C`` attribute a part). Raises `BadInput`."""
    drawn = read_drawn(data, name)
    found: dict[str, Placement] = {}
    for kind, index, (x, y, _, _) in zip(drawn.kinds, drawn.attribute, drawn.ends, strict=True):
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
        found[ref] = Placement(ref, x * drawn.scale, y * drawn.scale, turn, side or "top", body, value, 0, fit)
    return tuple(found.values())


def _layer(drawn: Drawn, role: str, side: str | None) -> Layer:
    """All objects as polygons; equal apertures share one outline and are moved together."""
    from gerbonara.utils import MM

    shapes = np.empty(len(drawn.kinds), dtype=object)
    kinds, aperture = np.array(drawn.kinds, dtype=int), np.array(drawn.aperture, dtype=int)
    ends = np.array(drawn.ends, dtype=float).reshape(-1, 2, 2) * drawn.scale
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
            centre, clockwise = drawn.arcs[i]
            middle = (centre[0] * drawn.scale, centre[1] * drawn.scale)
            points = arc_points(
                (ends[i, 0, 0], ends[i, 0, 1]), (ends[i, 1, 0], ends[i, 1, 1]), middle, clockwise, ARC_ERROR_MM
            )
            width = tool.equivalent_width(MM) or 0.0
            shapes[i] = LineString(points).buffer(max(width, 1e-6) / 2, quad_segs=8)
    regions = np.flatnonzero(kinds == REGION)
    shapes[regions] = _regions([drawn.contours[i] for i in regions.tolist()], drawn.scale)
    return _compose(drawn, kinds, shapes, role, side)


def _moved(outline: BaseGeometry, at: NDArray[np.float64]) -> NDArray[np.object_]:
    if isinstance(outline, Polygon) and not outline.interiors and not outline.is_empty:
        ring = np.asarray(outline.exterior.coords)
        return np.asarray(shapely.polygons(ring[None, :, :] + at[:, None, :]))
    moved = np.empty(len(at), dtype=object)
    moved[:] = [shapely.affinity.translate(outline, x, y) for x, y in at]
    return moved


def _strokes(ends: NDArray[np.float64], diameter: float) -> NDArray[np.object_]:
    """Round-ended strokes; a stroke of no length is a dot."""
    lines = np.empty(len(ends), dtype=object)
    dot = np.hypot(*(ends[:, 0] - ends[:, 1]).T) < 1e-9
    lines[dot] = shapely.points(ends[dot, 0])
    lines[~dot] = shapely.linestrings(ends[~dot])
    return np.asarray(shapely.buffer(lines, max(diameter, 1e-6) / 2, quad_segs=_quad_segs(diameter / 2)))


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
            piece: BaseGeometry = shapely.Point(primitive.x, primitive.y).buffer(primitive.r, quad_segs=QUAD_SEGS)
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
        shape = shape.difference(
            shapely.Point(0, 0).buffer(aperture.unit.convert_to(mm, hole) / 2, quad_segs=QUAD_SEGS)
        )
    return shape


def _regions(contours: list[list[Point]], scale: float) -> NDArray[np.object_]:
    """Filled contours, mm; one that crosses itself becomes the area it encloses."""
    found = np.full(len(contours), Polygon(), dtype=object)
    whole = [i for i, corners in enumerate(contours) if len(corners) >= 3]
    if whole:
        owner = np.repeat(np.arange(len(whole)), [len(contours[i]) for i in whole])
        coordinates = np.concatenate([np.array(contours[i], dtype=float) for i in whole]) * scale
        made = shapely.polygons(shapely.linearrings(coordinates, indices=owner))
        crossed = ~shapely.is_valid(made)
        made[crossed] = shapely.make_valid(made[crossed])
        found[whole] = made
    return found


def _outline(segments: list[Any]) -> BaseGeometry:
    """A macro's outline or an aperture's edge, arcs among its segments."""
    points: list[Point] = []
    for start, end, (clockwise, centre) in segments:
        points += [start] if clockwise is None else arc_points(start, end, centre, clockwise, ARC_ERROR_MM)[:-1]
    return _regions([points], 1.0)[0]


def _compose(drawn: Drawn, kinds: NDArray[np.int_], shapes: NDArray[np.object_], role: str, side: str | None) -> Layer:
    """Apply clear objects to the dark ones drawn before them; keep the pieces apart, with their attributes."""
    dark = np.array(drawn.dark, dtype=bool)
    boxes = shapely.bounds(shapes)
    for start, stop in _clear_runs(dark):
        clear = shapely.union_all(shapes[start:stop])
        x0, y0, x1, y1 = clear.bounds if not clear.is_empty else (0.0, 0.0, -1.0, -1.0)
        over = (boxes[:start, 0] <= x1) & (boxes[:start, 2] >= x0) & (boxes[:start, 1] <= y1) & (boxes[:start, 3] >= y0)
        earlier = np.flatnonzero(dark[:start] & over)
        touched = earlier[shapely.intersects(shapes[earlier], clear)]
        shapes[touched] = shapely.difference(shapes[touched], clear)
    kept = np.flatnonzero(dark)
    pieces, which = shapely.get_parts(shapes[kept], return_index=True)
    areas = (shapely.get_type_id(pieces) == 3) & ~shapely.is_empty(pieces)
    pieces, owners = pieces[areas], kept[which[areas]]
    attributes = [drawn.attributes[drawn.attribute[i]] for i in owners.tolist()]
    functions = [_function(tool) for tool in drawn.apertures]
    tools = [drawn.aperture[i] for i in owners.tolist()]
    return Layer(
        role,
        side,
        pieces,
        kinds[owners] == FLASH,
        tuple((a[".N"][0] or None) if a.get(".N") else None for a in attributes),
        tuple((a[".P"][0], a[".P"][1]) if len(a.get(".P", ())) >= 2 else None for a in attributes),
        tuple(functions[t] if t >= 0 else None for t in tools),
    )


def _clear_runs(dark: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """First and last + 1 of each run of clear objects."""
    edges = np.flatnonzero(np.diff(np.concatenate([[True], dark, [True]]).astype(int)))
    return [(int(a), int(b)) for a, b in zip(edges[::2], edges[1::2], strict=True)]


def _function(aperture: Any) -> str | None:
    value = dict(getattr(aperture, "attrs", None) or ()).get(".AperFunction")
    return ",".join(value) if value else None
