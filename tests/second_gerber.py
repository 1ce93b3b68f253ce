"""A second way from a Gerber file to its area: another parser, and plain unions with round buffers instead of our
grouped polygons.
"""

from __future__ import annotations

import math
import warnings

import shapely
from gerbonara.rs274x import GerberFile
from gerbonara.utils import MM
from shapely.geometry.base import BaseGeometry

from fusilex.formats.layers.drawn import arc_points


def areas_by_the_other(text: str) -> BaseGeometry:
    """The dark area of a file, mm. Raises SyntaxError where the other parser refuses."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        parsed = GerberFile.from_string(text)
    whole: BaseGeometry = shapely.Polygon()
    run: list[BaseGeometry] = []
    dark = True
    for item in parsed.objects:
        if item.polarity_dark != dark:
            whole, run, dark = _add(whole, run, dark), [], item.polarity_dark
        run.append(_shape(item))
    return _add(whole, run, dark)


def _add(whole: BaseGeometry, run: list[BaseGeometry], dark: bool) -> BaseGeometry:
    piece = shapely.union_all(run) if run else shapely.Polygon()
    return whole.union(piece) if dark else whole.difference(piece)


def _shape(item: object) -> BaseGeometry:
    scale = float(item.unit.convert_to(MM, 1.0))  # type: ignore[attr-defined]
    kind = type(item).__name__
    if kind == "Region":
        points = []
        for start, end, (clockwise, centre) in item.iter_segments():  # type: ignore[attr-defined]
            points += [start] if clockwise is None else arc_points(start, end, centre, bool(clockwise), 0.00005)[:-1]
        return (
            shapely.Polygon([(x * scale, y * scale) for x, y in points]).buffer(0)
            if len(points) > 2
            else shapely.Polygon()
        )
    tool = item.aperture  # type: ignore[attr-defined]
    if kind == "Flash":
        return shapely.affinity.translate(_outline(tool), item.x * scale, item.y * scale)  # type: ignore[attr-defined]
    ends = (item.x1 * scale, item.y1 * scale), (item.x2 * scale, item.y2 * scale)  # type: ignore[attr-defined]
    if kind == "Arc":
        centre = (item.x1 + item.cx) * scale, (item.y1 + item.cy) * scale  # type: ignore[attr-defined]
        line = shapely.LineString(arc_points(*ends, centre, bool(item.clockwise), 0.00005))  # type: ignore[attr-defined]
        return line.buffer(tool.equivalent_width(MM) / 2, quad_segs=128)
    if type(tool).__name__ != "CircleAperture":
        return shapely.union_all([shapely.affinity.translate(_outline(tool), *end) for end in ends]).convex_hull
    line = shapely.LineString(ends) if ends[0] != ends[1] else shapely.Point(ends[0])
    return line.buffer(tool.unit.convert_to(MM, tool.diameter) / 2, quad_segs=128)


def _outline(tool: object) -> BaseGeometry:
    shape: BaseGeometry = shapely.Polygon()
    for p in tool._primitives(0, 0, MM, True):  # type: ignore[attr-defined]
        kind = type(p).__name__
        if kind == "Circle":
            piece = shapely.Point(p.x, p.y).buffer(p.r, quad_segs=128)
        elif kind == "Rectangle":
            piece = shapely.box(p.x - p.w / 2, p.y - p.h / 2, p.x + p.w / 2, p.y + p.h / 2)
            piece = shapely.affinity.rotate(piece, math.degrees(p.rotation), origin=(p.x, p.y))
        elif kind == "Line":
            piece = shapely.LineString([(p.x1, p.y1), (p.x2, p.y2)]).buffer(p.width / 2, quad_segs=128)
        else:
            piece = shapely.Polygon([start for start, *_ in p.segments])
        shape = shape.union(piece) if p.polarity_dark else shape.difference(piece)
    return shape
