"""Gerber layers (X1 and X2) into polygons.

gerbonara parses; the polygons are made here, grouped by aperture and vectorised, because real copper layers hold zero-length
strokes by the dozen and thousands of equal flashes. Dark and clear objects are composed in drawing order.
"""

from __future__ import annotations

import math
import warnings
from collections import defaultdict
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import Polygon
from shapely.geometry import LineString, Point, box
from shapely.geometry.base import BaseGeometry

from fusilex.core.board.model import Layer, Placement
from fusilex.core.problems import BadInput

ARC_ERROR_MM = 0.002
QUAD_SEGS = 24
MOST_OBJECTS = 400_000


@dataclass(frozen=True, eq=False)
class GerberImage:
    """A parsed layer before its role is settled: polygons (n) and per-object attributes, plus the file's attributes."""

    attributes: dict[str, tuple[str, ...]]
    layer: Layer


def read_gerber(data: bytes, name: str, role: str = "other", side: str | None = None) -> GerberImage:
    """Read one Gerber file. Raises `BadInput` when it is truncated, malformed or beyond all size."""
    from gerbonara.utils import MM

    parsed = _parse(data, name)
    try:
        layer = _polygons(parsed.objects, MM, role, side)
    except (ValueError, TypeError, ArithmeticError, shapely.errors.ShapelyError) as error:
        raise BadInput(name, "shapes that can be drawn", str(error)[:160]) from error
    return GerberImage(dict(parsed.file_attrs or {}), layer)


def read_components(data: bytes, name: str, side: str | None) -> tuple[Placement, ...]:
    """Placements of a component layer (Gerber X2: one flash with a ``.C`` attribute a part). Raises `BadInput`."""
    from gerbonara.utils import MM

    found: dict[str, Placement] = {}
    for item in _parse(data, name).objects:
        attributes = _attributes(item)
        ref = attributes.get(".C", ("",))[0]
        if not ref or ref in found or not hasattr(item, "x"):
            continue
        x, y = (float(item.unit.convert_to(MM, v)) for v in (item.x, item.y))
        try:
            turn = float(attributes.get(".CRot", ("0",))[0]) % 360
        except ValueError as error:
            raise BadInput(name, "a turn in degrees", f"“{attributes['.CRot'][0][:24]}”", f"part {ref}") from error
        body = attributes.get(".CPgN", attributes.get(".CFtp", ("",)))[0]
        fit = attributes.get(".CMnt", ("",))[0] != "Fiducial"
        found[ref] = Placement(ref, x, y, turn, side or "top", body, attributes.get(".CVal", ("",))[0], 0, fit)
    return tuple(found.values())


def _parse(data: bytes, name: str) -> Any:
    from gerbonara.rs274x import GerberFile

    text = data.decode("utf-8", errors="replace")
    ending = text.rstrip()[-40:]
    if "M02*" not in ending and "M00*" not in ending:
        line = text.count("\n") + 1
        raise BadInput(
            name, "the end mark M02* of a whole Gerber file", f"an end after “{ending[-24:].strip()}”", f"line {line}"
        )
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            parsed = GerberFile.from_string(text, filename=name)
    except Exception as error:  # the parser raises whatever its tables happen to raise
        raise BadInput(name, "Gerber statements", str(error).split(": ", 1)[-1][:160], _place(str(error))) from error
    if len(parsed.objects) > MOST_OBJECTS:
        raise BadInput(name, f"at most {MOST_OBJECTS} drawn objects", f"{len(parsed.objects)}")
    return parsed


def _place(message: str) -> str:
    parts = message.split(":")
    return (
        f"line {parts[1].split()[0]}"
        if len(parts) > 1 and parts[1].split()[:1] and parts[1].split()[0].isdigit()
        else ""
    )


def _polygons(objects: list[Any], mm: Any, role: str, side: str | None) -> Layer:
    """All objects as polygons; equal apertures share one outline and are moved together."""
    shapes = np.empty(len(objects), dtype=object)
    flashes: dict[Any, list[int]] = defaultdict(list)
    strokes: dict[float, list[int]] = defaultdict(list)
    for index, item in enumerate(objects):
        kind = type(item).__name__
        if kind == "Flash":
            flashes[item.aperture].append(index)
        elif kind == "Region":
            shapes[index] = _region(item, mm)
        elif kind == "Line" and type(item.aperture).__name__ == "CircleAperture":
            strokes[item.aperture.unit.convert_to(mm, item.aperture.diameter)].append(index)
        else:
            shapes[index] = _swept(item, mm)
    for aperture, indices in flashes.items():
        outline = aperture_polygon(aperture, mm)
        at = np.array(
            [
                [objects[i].unit.convert_to(mm, objects[i].x), objects[i].unit.convert_to(mm, objects[i].y)]
                for i in indices
            ]
        )
        shapes[indices] = _moved(outline, at)
    for diameter, indices in strokes.items():
        ends = np.array(
            [[[objects[i].x1, objects[i].y1], [objects[i].x2, objects[i].y2]] for i in indices], dtype=float
        )
        ends *= objects[indices[0]].unit.convert_to(mm, 1.0)
        shapes[indices] = _strokes(ends, diameter)
    return _compose(objects, shapes, role, side)


def _moved(outline: BaseGeometry, at: NDArray[np.float64]) -> NDArray[np.object_]:
    if isinstance(outline, Polygon) and not outline.interiors and not outline.is_empty:
        ring = np.asarray(outline.exterior.coords)
        return np.asarray(shapely.polygons(ring[None, :, :] + at[:, None, :]))
    return np.array([shapely.affinity.translate(outline, x, y) for x, y in at], dtype=object)


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
    if aperture is None:
        raise ValueError("something drawn before an aperture was chosen")
    shape: BaseGeometry = Polygon()
    for primitive in aperture._primitives(0, 0, mm, True):
        kind = type(primitive).__name__
        if kind == "Circle":
            piece: BaseGeometry = Point(primitive.x, primitive.y).buffer(primitive.r, quad_segs=QUAD_SEGS)
        elif kind == "Rectangle":
            w, h = primitive.w / 2, primitive.h / 2
            piece = box(-w, -h, w, h)
            if primitive.rotation:
                piece = shapely.affinity.rotate(piece, primitive.rotation, origin=(0, 0), use_radians=True)
            piece = shapely.affinity.translate(piece, primitive.x, primitive.y)
        elif kind == "Line":
            line = LineString([(primitive.x1, primitive.y1), (primitive.x2, primitive.y2)])
            piece = (line if line.length else Point(primitive.x1, primitive.y1)).buffer(
                primitive.width / 2, quad_segs=QUAD_SEGS
            )
        else:
            piece = _ring(list(primitive.segments))
        shape = shape.union(piece) if primitive.polarity_dark else shape.difference(piece)
    hole = getattr(aperture, "hole_dia", None)
    if hole:
        shape = shape.difference(Point(0, 0).buffer(aperture.unit.convert_to(mm, hole) / 2, quad_segs=QUAD_SEGS))
    return shape


def _region(item: Any, mm: Any) -> BaseGeometry:
    scale = item.unit.convert_to(mm, 1.0)
    segments = [
        (
            (a[0] * scale, a[1] * scale),
            (b[0] * scale, b[1] * scale),
            (arc[0], (arc[1][0] * scale, arc[1][1] * scale) if arc[0] is not None else None),
        )
        for a, b, arc in item.iter_segments()
    ]
    return _ring(segments)


def _ring(segments: list[Any]) -> BaseGeometry:
    points: list[tuple[float, float]] = []
    for start, end, (clockwise, centre) in segments:
        points += [start] if clockwise is None else arc_points(start, end, centre, clockwise)[:-1]
    if len(points) < 3:
        return Polygon()
    polygon = Polygon(points)
    return polygon if polygon.is_valid else shapely.make_valid(polygon)


def arc_points(
    start: tuple[float, float], end: tuple[float, float], centre: tuple[float, float], clockwise: bool
) -> list[tuple[float, float]]:
    """Points along an arc, ends included, within `ARC_ERROR_MM` of it. Equal ends mean a full circle."""
    radius = math.dist(start, centre)
    first = math.atan2(start[1] - centre[1], start[0] - centre[0])
    last = math.atan2(end[1] - centre[1], end[0] - centre[0])
    sweep = (first - last if clockwise else last - first) % (2 * math.pi)
    if math.dist(start, end) < 1e-9 or sweep < 1e-9:
        sweep = 2 * math.pi
    step = 2 * math.acos(max(0.0, 1 - ARC_ERROR_MM / max(radius, 2 * ARC_ERROR_MM)))
    n = min(720, max(2, math.ceil(sweep / step)))
    sign = -1 if clockwise else 1
    angles = first + sign * np.linspace(0, sweep, n + 1)
    points = [(centre[0] + radius * math.cos(a), centre[1] + radius * math.sin(a)) for a in angles]
    return [start, *points[1:-1], end]


def _swept(item: Any, mm: Any) -> BaseGeometry:
    """Arcs, and lines drawn with a shape that is not round."""
    item = item.converted(mm)
    if type(item).__name__ == "Arc":
        centre = (item.x1 + item.cx, item.y1 + item.cy)
        points = arc_points((item.x1, item.y1), (item.x2, item.y2), centre, item.clockwise)
        width = item.aperture.equivalent_width(mm) if item.aperture else 0.0
        return LineString(points).buffer(max(width, 1e-6) / 2, quad_segs=8)
    outline = aperture_polygon(item.aperture, mm)
    ends = [shapely.affinity.translate(outline, x, y) for x, y in ((item.x1, item.y1), (item.x2, item.y2))]
    return shapely.union_all(ends).convex_hull


def _compose(objects: list[Any], shapes: NDArray[np.object_], role: str, side: str | None) -> Layer:
    """Apply clear objects to the dark ones drawn before them; keep the pieces apart, with their attributes."""
    dark = np.array([bool(o.polarity_dark) for o in objects], dtype=bool)
    start = 0
    while start < len(objects):
        stop = start
        while stop < len(objects) and dark[stop] == dark[start]:
            stop += 1
        if not dark[start]:
            earlier = np.flatnonzero(dark[:start])
            clear = shapely.union_all(shapes[start:stop])
            touched = earlier[shapely.intersects(shapes[earlier], clear)]
            shapes[touched] = shapely.difference(shapes[touched], clear)
        start = stop
    pieces: list[Polygon] = []
    owners: list[int] = []
    for index in np.flatnonzero(dark):
        whole = shapes[index]
        for piece in (whole,) if isinstance(whole, Polygon) else shapely.get_parts(whole):
            if isinstance(piece, Polygon) and not piece.is_empty:
                pieces.append(piece)
                owners.append(int(index))
    polygons = np.empty(len(pieces), dtype=object)
    polygons[:] = pieces
    attributes = [_attributes(objects[i]) for i in owners]
    return Layer(
        role,
        side,
        polygons,
        np.array([type(objects[i]).__name__ == "Flash" for i in owners], dtype=bool),
        tuple((a[".N"][0] or None) if ".N" in a else None for a in attributes),
        tuple((a[".P"][0], a[".P"][1]) if len(a.get(".P", ())) >= 2 else None for a in attributes),
        tuple(_function(objects[i]) for i in owners),
    )


def _function(item: Any) -> str | None:
    attributes = dict(getattr(getattr(item, "aperture", None), "attrs", None) or ())
    value = attributes.get(".AperFunction")
    return ",".join(value) if value else None


def _attributes(item: Any) -> dict[str, tuple[str, ...]]:
    """Object attributes of one drawn object; the parser keeps none for regions."""
    found = getattr(item, "attrs", None)
    return found if isinstance(found, dict) else {}
