"""What can be worked out when a layer is missing: said to be derived wherever it is used."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from shapely import Polygon

from fusilex.core.board.model import Hole, Layer
from fusilex.core.board.roles import SMALLEST_LEAD_HOLE

HULL_MARGIN_MM = 0.5
LARGEST_PASTED_MM = 12.0
"""Mask windows larger than this (mm, either way) are bare copper areas, not pads to print."""


SHOWN_SHARE = 0.35
"""A window that shows less copper than this is the clear ring of a fiducial."""


def derived(role: str, side: str | None, polygons: np.ndarray, flashed: bool = True) -> Layer:
    """A layer of polygons that no file drew."""
    n = len(polygons)
    return Layer(role, side, polygons, np.full(n, flashed, dtype=bool), (None,) * n, (None,) * n, (None,) * n)


def paste_from_mask(mask: Layer, holes: tuple[Hole, ...], copper: Layer | None = None) -> Layer:
    """Openings to print: mask windows without a lead's hole in them, cut to the copper pad beneath.

    Windows without copper, round fiducials (a disc far larger in the mask than in copper) and huge bare areas get no paste.
    """
    windows = mask.polygons[~shapely.is_empty(mask.polygons)]
    keep = np.ones(len(windows), dtype=bool)
    leads = [h for h in holes if h.diameter >= SMALLEST_LEAD_HOLE]
    if leads:
        points = shapely.points([[h.x, h.y] for h in leads])
        keep[np.unique(shapely.STRtree(windows).query(points, predicate="intersects")[1])] = False
    boxes = shapely.bounds(windows)
    keep &= np.maximum(boxes[:, 2] - boxes[:, 0], boxes[:, 3] - boxes[:, 1]) <= LARGEST_PASTED_MM
    windows = windows[keep]
    if copper is None or not len(copper) or not len(windows):
        return derived("paste", mask.side, windows)
    pads = copper.polygons[copper.flashed] if copper.flashed.any() else copper.polygons
    window, pad = shapely.STRtree(pads).query(windows, predicate="intersects")
    cut = shapely.intersection(windows[window], pads[pad])
    area = shapely.area(cut)
    order = np.lexsort((area, window))
    largest = order[np.flatnonzero(np.diff(window[order], append=-1))]  # of each window, the pad it shows most of
    shown = largest[area[largest] > SHOWN_SHARE * shapely.area(windows[window[largest]])]
    return derived(
        "paste", mask.side, np.array([p for p in shapely.get_parts(cut[shown]) if isinstance(p, Polygon)], dtype=object)
    )


def hull_outline(layers: Sequence[Layer]) -> Polygon | None:
    """Board area when no outline was drawn: the box round all copper, a little wider. None without copper."""
    shapes = [x.polygons for x in layers if x.role == "copper" and len(x)]
    if not shapes:
        return None
    x0, y0, x1, y1 = shapely.total_bounds(np.concatenate(shapes))
    return shapely.box(x0 - HULL_MARGIN_MM, y0 - HULL_MARGIN_MM, x1 + HULL_MARGIN_MM, y1 + HULL_MARGIN_MM)
