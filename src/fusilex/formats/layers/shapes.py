"""Objects of a Gerber file as polygons: grouped by aperture and vectorised, repeats and blocks written out."""

from __future__ import annotations

import math

import numpy as np
import shapely
from msgspec import Struct
from numpy.typing import NDArray
from shapely import Polygon
from shapely.geometry import LineString
from shapely.geometry.base import BaseGeometry

from fusilex.core.overlay import union_of
from fusilex.core.progress import wanted_still, while_wanted
from fusilex.formats.layers.drawn import (
    ARC,
    ARC_ERROR_MM,
    FLASH,
    LINE,
    MOST_OBJECTS,
    QUAD_SEGS,
    REGION,
    Aperture,
    Drawn,
    Turned,
    arc_corners,
    arc_points,
    outward,
    polygons_in,
    quad_segs,
)

STROKE_SEGS = 10
"""Segments per quarter of a stroke's round ends: they overlap by the thousand where things are painted, and their
errors add up.
"""
MANY_STROKES, AT_ONCE = 120_000, 20_000
MOST_CORNERS, FEW_CORNERS, MOST_CROSSINGS = 500_000, 2_000, 100_000
MOST_ARC_CORNERS, STROKE_CORNERS = 500_000, 8
SAME_AREA = 1e-3
"""Share by which the area of a contour that touches itself may change when it is taken apart."""


class TooMany(Exception):
    """More of something than a layer may have; the sentence says of what."""


class Shapes(Struct, eq=False):
    """Objects written out, in drawing order: shape, dark, flashed, index of attributes and of function (n each)."""

    shape: NDArray[np.object_]
    dark: NDArray[np.bool_]
    flashed: NDArray[np.bool_]
    attribute: NDArray[np.int_]
    function: NDArray[np.int_]

    def take(self, index: NDArray[np.int_]) -> Shapes:
        return Shapes(
            self.shape[index], self.dark[index], self.flashed[index], self.attribute[index], self.function[index]
        )


def written_out(drawn: Drawn) -> tuple[Shapes, tuple[str, ...]]:
    """All objects as polygons, repeats and blocks among them; and what of them is in doubt."""
    shape, crossed = _drawn_shapes(drawn)
    made = Shapes(shape, drawn.dark, drawn.kinds == FLASH, drawn.attribute, drawn.aperture)
    at, turned = drawn.ends[:, 0], drawn.turned
    if drawn.repeats:
        index, offset = _stepped(drawn)
        moved = np.flatnonzero(offset.any(axis=1))
        made = made.take(index)
        made.shape[moved] = _shifted(made.shape[moved], offset[moved])
        at, turned = at[index] + offset, turned[index]
    for code, tool in enumerate(drawn.apertures):
        if (block := tool.block) is None:
            continue
        flashes = np.flatnonzero((made.function == code) & made.flashed)
        if len(flashes):
            inner, doubts = written_out(block)
            crossed += doubts
            if len(made.shape) + len(flashes) * len(inner.shape) > MOST_OBJECTS:
                raise TooMany(f"more than {MOST_OBJECTS} objects in blocks")
            made, at, turned = _with_blocks(drawn, made, inner, flashes, at, turned)
    return made, crossed


def _with_blocks(
    drawn: Drawn,
    made: Shapes,
    inner: Shapes,
    flashes: NDArray[np.int_],
    at: NDArray[np.float64],
    turned: NDArray[np.int_],
) -> tuple[Shapes, NDArray[np.float64], NDArray[np.int_]]:
    """What a block draws in the place of each of its flashes: mirrored, turned and scaled as they are, clear ones
    turned over.
    """
    pieces, order = (
        [made.take(np.delete(np.arange(len(made.shape)), flashes))],
        [np.delete(np.arange(len(made.shape)), flashes)],
    )
    for i in flashes.tolist():
        matrix, shift = drawn.turns[turned[i]].matrix, at[i]
        shape = shapely.transform(inner.shape, lambda p, m=matrix, s=shift: p @ m + s)
        own = inner.attribute > 0  # what the block says of its objects goes before what is said of the flash
        attribute = np.where(own, inner.attribute, made.attribute[i])
        dark = inner.dark if made.dark[i] else ~inner.dark
        pieces.append(Shapes(shape, dark, inner.flashed, attribute, inner.function))
        order.append(np.full(len(inner.shape), i))
    where = np.concatenate(order)
    sorting = np.argsort(where, kind="stable")
    whole = Shapes(*(np.concatenate([getattr(p, f) for p in pieces])[sorting] for f in made.__struct_fields__))
    return whole, at[where[sorting]], turned[where[sorting]]


def _stepped(drawn: Drawn) -> tuple[NDArray[np.int_], NDArray[np.float64]]:
    """Objects in drawing order with the repeats written out: which (n), and how far each is moved (n × 2, mm)."""
    index, offset, at = [], [], 0
    for r in drawn.repeats:
        index.append(np.arange(at, r.first))
        offset.append(np.zeros((r.first - at, 2)))
        for column in range(r.columns):
            for row in range(r.rows):
                index.append(np.arange(r.first, r.stop))
                offset.append(np.tile([column * r.step_x, row * r.step_y], (r.stop - r.first, 1)))
        at = r.stop
    index.append(np.arange(at, len(drawn.kinds)))
    offset.append(np.zeros((len(drawn.kinds) - at, 2)))
    return np.concatenate(index), np.concatenate(offset)


def _shifted(shapes: NDArray[np.object_], offset: NDArray[np.float64]) -> NDArray[np.object_]:
    """Shapes (n) moved, each by its own offset (n × 2)."""
    points, owner = shapely.get_coordinates(shapes, return_index=True)
    return np.asarray(shapely.set_coordinates(shapes.copy(), points + offset[owner]))


def _drawn_shapes(drawn: Drawn) -> tuple[NDArray[np.object_], tuple[str, ...]]:
    """Objects as polygons; equal apertures share one outline and are moved together. Flashes of blocks stay empty."""
    kinds, aperture, ends = drawn.kinds, drawn.aperture, drawn.ends
    shapes = np.full(len(kinds), Polygon(), dtype=object)
    few = int(np.count_nonzero(kinds == LINE)) <= MANY_STROKES
    if sum(_corners(drawn, i) for i in while_wanted(drawn.arcs)) > MOST_ARC_CORNERS:
        raise TooMany(f"arcs of more than {MOST_ARC_CORNERS:,} corners together")
    for index, turn in {*zip(aperture.tolist(), drawn.turned.tolist(), strict=True)}:
        if index < 0:
            continue
        tool, turned = drawn.apertures[index], drawn.turns[turn]
        mine = (aperture == index) & (drawn.turned == turn)
        outline = _as_turned(tool.outline, turned)
        flashed = np.flatnonzero(mine & (kinds == FLASH))
        shapes[flashed] = _moved(outline, ends[flashed, 0])
        lines = np.flatnonzero(mine & (kinds == LINE))
        if tool.round_mm is not None:
            shapes[lines] = _strokes(ends[lines], tool.round_mm * turned.scale, few)
        else:
            for i in lines.tolist():
                shapes[i] = shapely.union_all(_moved(outline, ends[i])).convex_hull
        for i in while_wanted(np.flatnonzero(mine & (kinds == ARC)).tolist()):
            shapes[i] = _arc(drawn, i, tool, outline, turned.scale)
    regions = np.flatnonzero(kinds == REGION)
    shapes[regions], crossed = _regions(drawn.corners, drawn.owners, regions)
    return shapes, (f"{crossed} contours that cross themselves",) if crossed else ()


def _as_turned(outline: BaseGeometry, turned: Turned) -> BaseGeometry:
    return outline if turned == Turned() else shapely.transform(outline, lambda p: p @ turned.matrix)


def _corners(drawn: Drawn, i: int) -> int:
    """Corners of an arc, several times as many where each of its chords is a stroke by itself."""
    start, end = map(tuple, drawn.ends[i].tolist())
    round_mm = drawn.apertures[drawn.aperture[i]].round_mm
    return arc_corners(start, end, *drawn.arcs[i], ARC_ERROR_MM) * (1 if round_mm is not None else STROKE_CORNERS)


def _arc(drawn: Drawn, i: int, tool: Aperture, outline: BaseGeometry, scale: float) -> BaseGeometry:
    """The area an aperture covers along an arc."""
    start, end = map(tuple, drawn.ends[i].tolist())
    points = arc_points(start, end, *drawn.arcs[i], ARC_ERROR_MM)
    if tool.round_mm is None:  # from point to point as a straight stroke
        ends = np.stack([points[:-1], points[1:]], axis=1)
        return union_of([shapely.union_all(_moved(outline, pair)).convex_hull for pair in ends])
    line = LineString(points) if len({*points}) > 1 else shapely.Point(start)
    return line.buffer(max(tool.round_mm * scale, 1e-6) / 2, quad_segs=QUAD_SEGS)


def _moved(outline: BaseGeometry, at: NDArray[np.float64]) -> NDArray[np.object_]:
    if isinstance(outline, Polygon) and not outline.interiors and not outline.is_empty:
        ring = np.asarray(outline.exterior.coords)
        return np.asarray(shapely.polygons(ring[None, :, :] + at[:, None, :]))
    moved = np.empty(len(at), dtype=object)
    moved[:] = [shapely.affinity.translate(outline, x, y) for x, y in at]
    return moved


def _strokes(ends: NDArray[np.float64], diameter: float, few: bool = True) -> NDArray[np.object_]:
    """Round-ended strokes (n) from ends (n, 2, 2): half a circle about each end, of its very area. One of no length
    is a dot. Where they are not `few`, their ends have no more corners than they must.
    """
    if len(ends) > AT_ONCE:
        return np.concatenate([_strokes(ends[n : n + AT_ONCE], diameter, few) for n in range(0, len(ends), AT_ONCE)])
    steps, radius = 2 * max(STROKE_SEGS if few else 2, quad_segs(diameter / 2)), max(diameter, 1e-6) / 2
    along = ends[:, 1] - ends[:, 0]
    turn = np.arctan2(along[:, 1], along[:, 0])[:, None] + np.linspace(-math.pi / 2, math.pi / 2, steps + 1)
    reach = np.full(steps + 1, radius * outward(math.pi, steps))
    reach[[0, -1]] = radius  # as wide as the stroke where it begins
    half = reach[:, None] * np.stack([np.cos(turn), np.sin(turn)], axis=2)
    return np.asarray(shapely.polygons(np.concatenate([ends[:, 1:] + half, ends[:, :1] - half], axis=1)))


def _regions(
    corners: NDArray[np.float64], owners: NDArray[np.int_], regions: NDArray[np.int_]
) -> tuple[NDArray[np.object_], int]:
    """Filled contours of the numbered regions, and how many of them enclose another area once they are taken apart.

    A contour that touches itself, as holes are cut into regions, is taken apart without a change of its area; one
    that crosses itself encloses what nobody states, and is counted.
    """
    which = np.searchsorted(regions, owners)
    corners_of = np.bincount(which, minlength=len(regions))
    whole = corners_of >= 3
    if corners_of.max(initial=0) > MOST_CORNERS:
        raise TooMany(f"a contour of {corners_of.max():,} corners, where {MOST_CORNERS:,} are the most")
    found = np.full(len(regions), Polygon(), dtype=object)
    if not whole.any():
        return found, 0
    of_whole = whole[which]
    points, ring = corners[of_whole], (np.cumsum(whole) - 1)[which[of_whole]]
    made = shapely.polygons(shapely.linearrings(points, indices=ring))
    touching = np.flatnonzero(~shapely.is_valid(made))
    crossed = 0
    if len(touching):
        stated = np.abs(_enclosed(points, ring, len(made))[touching])
        for i, area in zip(touching.tolist(), stated.tolist(), strict=True):
            wanted_still()
            check_crossings(made[i])
            pieces = polygons_in(shapely.make_valid(made[i]))
            made[i] = shapely.multipolygons(pieces) if len(pieces) != 1 else pieces[0]
            crossed += abs(made[i].area - area) > max(SAME_AREA * area, ARC_ERROR_MM**2)
    found[whole] = made
    return found, crossed


def check_crossings(contour: Polygon) -> None:
    """Raises `TooMany` for a contour that meets itself too often to be taken apart in any time."""
    ring = np.asarray(contour.exterior.coords)
    if len(ring) < FEW_CORNERS:
        return
    sides = shapely.linestrings(np.stack([ring[:-1], ring[1:]], axis=1))
    tree, met = shapely.STRtree(sides), 0
    for n in range(0, len(sides), 200):  # a scribble is found out among its first sides
        pairs = tree.query(sides[n : n + 200], predicate="intersects").shape[1]
        met += pairs - 3 * min(200, len(sides) - n)  # each meets itself and its two neighbours
        if met > MOST_CROSSINGS:
            raise TooMany(f"a contour that crosses itself more than {MOST_CROSSINGS:,} times")


def _enclosed(points: NDArray[np.float64], ring: NDArray[np.int_], n: int) -> NDArray[np.float64]:
    """Signed area of each of n closed contours (shoelace formula), from their corners in order and which contour each
    is of.
    """
    last = np.append(ring[1:] != ring[:-1], True)
    first = np.flatnonzero(np.append(True, last[:-1]))
    following = np.arange(1, len(points) + 1)
    following[last] = first
    after = points[following]
    origin = points[first][ring]  # near the contour, for the sake of digits
    (x0, y0), (x1, y1) = (points - origin).T, (after - origin).T
    return np.asarray(np.bincount(ring, weights=(x0 * y1 - x1 * y0) / 2, minlength=n), dtype=float)
