"""The board's edge from an outline layer."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import Polygon

from fusilex.core.design.model import Layer
from fusilex.core.overlay import union_of, without
from fusilex.core.problems import BadInput

INSIDE = 0.95
"""Share of the copper's pads that lie inside the board's edge."""
GAPS_MM = (0.0, 0.01, 0.05, 0.2)
"""Gaps in a drawn line that still count as closed, tried in this order."""
EDGE_MM, EDGE_LINE_MM = 0.3, 2.0
"""A drawn line at least this long that keeps this close to the edge is the edge once more."""


def board_edge(layer: Layer, name: str, pads: NDArray[np.object_] | None = None) -> tuple[Polygon, int]:
    """Board area: the middle of the drawn line that closes, and how many larger lines that close were left aside.

    Of several the smallest that holds nearly all `pads` (n points) is the board's: frames and title blocks are drawn
    round it. Closed lines within it that hold no pad are cut out. Lines that all but close, by up to `GAPS_MM`,
    close. Without pads the largest. Raises `BadInput` when no line closes, or none that does holds the pads: the
    board is never smaller than they are.
    """
    known = pads is not None and len(pads) > 0
    enclosed, any_closed = 0.0, False
    for gap in GAPS_MM:
        drawn = shapely.get_parts(union_of(shapely.buffer(layer.polygons, gap / 2) if gap else layer.polygons))
        enclosed = max(enclosed, *(Polygon(piece.exterior).area for piece in drawn), 0.0)
        closed = sorted((loop for piece in drawn if (loop := _loop(piece)) is not None), key=lambda p: p.area)
        any_closed |= bool(closed)
        held = [i for i, loop in enumerate(closed) if pads is not None and known and _holds(loop, pads)]
        held = held or [
            i for i, loop in enumerate(closed) if known and _large_enough(loop, pads)
        ]  # of a board that lies elsewhere
        if held or (closed and not known):
            chosen = held[0] if held else len(closed) - 1
            inside = [loop for loop in closed[:chosen] if closed[chosen].contains(loop) and not _holds_any(loop, pads)]
            return _without(closed[chosen], inside), len(closed) - 1 - chosen
    if enclosed < 1.0:
        raise BadInput(name, "an outline that encloses the board", "lines that enclose nothing", "outline layer")
    filled = shapely.get_parts(layer.area)
    if len(layer) == 1 and len(filled) == 1 and _filled(filled[0]):
        return filled[0], 0  # a filled region, holes in it cut out
    raise BadInput(
        name,
        "an outline that closes",
        "lines that close round no pads" if any_closed else "an open line",
        "outline layer",
    )


def _large_enough(loop: Polygon, pads: NDArray[np.object_] | None) -> bool:
    x0, y0, x1, y1 = shapely.total_bounds(pads)
    low_x, low_y, high_x, high_y = loop.bounds
    return bool(high_x - low_x >= x1 - x0 and high_y - low_y >= y1 - y0)


def _without(edge: Polygon, cut: list[Polygon]) -> Polygon:
    """The edge with other closed lines cut out of it."""
    if not cut:
        return edge
    rest = without(edge, union_of(cut))
    return rest if isinstance(rest, Polygon) else max(shapely.get_parts(rest), key=lambda p: p.area)


def _filled(piece: Polygon) -> bool:
    return bool(piece.area > 0.5 * Polygon(piece.exterior).area)


def _holds_any(loop: Polygon, pads: NDArray[np.object_] | None) -> bool:
    shapely.prepare(loop)
    return pads is not None and bool(shapely.covers(loop, pads).any())


def _loop(piece: Polygon) -> Polygon | None:
    """The middle of a drawn line that closes, None for one that does not."""
    whole = Polygon(piece.exterior)
    inner = max((Polygon(ring) for ring in piece.interiors), key=lambda p: p.area, default=None)
    if inner is None or inner.area < 0.5 * whole.area:
        return None
    width = (whole.area - inner.area) / max(1e-9, (whole.length + inner.length) / 2)
    middle = shapely.set_precision(whole.buffer(-width / 2, join_style="mitre"), 1e-4)
    return middle if isinstance(middle, Polygon) else max(shapely.get_parts(middle), key=lambda p: p.area)


def _holds(loop: Polygon, pads: NDArray[np.object_]) -> bool:
    shapely.prepare(loop)
    return not len(pads) or bool(shapely.covers(loop, pads).mean() >= INSIDE)


def without_frames(layer: Layer, edge: Polygon, copper: Layer | None = None) -> tuple[Layer, int]:
    """A layer of apertures or windows without what is drawn along the board's edge or wholly beyond it, and how many
    shapes that is.

    Lines along the edge, frames, targets and titles are for people. A layer stays whole where more than half of it
    would go, or where what is left does not lie on its side's `copper`: then it lies elsewhere.
    """
    if not len(layer):
        return layer, 0
    boxes = shapely.bounds(layer.polygons)
    long = np.maximum(boxes[:, 2] - boxes[:, 0], boxes[:, 3] - boxes[:, 1]) >= EDGE_LINE_MM
    board, along = edge.buffer(1e-3), edge.boundary.buffer(EDGE_MM)
    shapely.prepare(board)
    away = ~shapely.intersects(board, layer.polygons)
    candidates = np.flatnonzero(long & ~layer.flashed & ~away)
    away[candidates] = shapely.covers(along, layer.polygons[candidates])
    if not away.any() or away.mean() > 0.5:
        return layer, 0
    kept = layer.only(np.flatnonzero(~away))
    if copper is not None and len(copper):
        if not _holds(board, shapely.centroid(copper.polygons[copper.flashed])):
            return layer, 0  # the edge lies elsewhere
        on = np.unique(copper.tree.query(shapely.centroid(kept.polygons), predicate="intersects")[0])
        if len(on) < INSIDE * len(kept):
            return layer, 0
    return kept, int(away.sum())
