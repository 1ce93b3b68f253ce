"""What can be worked out when a layer is missing: said to be derived wherever it is used."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
import shapely
from msgspec import Struct
from shapely import Polygon

from fusilex.core.design.model import Hole, Layer
from fusilex.core.design.roles import SMALLEST_LEAD_HOLE
from fusilex.core.overlay import shared_by, union_of
from fusilex.core.quantities import amount
from fusilex.core.wording import Said, say

HULL_MARGIN_MM = 0.5
LARGEST_PASTED_MM = 12.0
"""Mask windows larger than this (mm, either way) are bare copper areas, not pads to print."""


SHOWN_SHARE = 0.35
"""A round window that shows less copper than this, one disc, is the clear ring of a fiducial."""
SLIVER_SHARE, ROUND = 0.1, 0.9


def derived(role: str, side: str | None, polygons: np.ndarray, flashed: bool = True) -> Layer:
    """A layer of polygons that no file drew."""
    n = len(polygons)
    return Layer(role, side, polygons, np.full(n, flashed, dtype=bool), (None,) * n, (None,) * n, (None,) * n)


class DerivedPaste(Struct, frozen=True):
    """Paste worked out from a mask, and the windows that got none, counted by why."""

    layer: Layer
    without: Mapping[str, int]

    @property
    def says(self) -> Said:
        """How many apertures came of it, and which windows got none."""
        left = tuple(say(why, windows=n, largest=LARGEST) for why, n in self.without.items() if n)
        return (
            say("paste from mask", apertures=len(self.layer))
            if not left
            else say("paste from mask, but", apertures=len(self.layer), left=left)
        )


def paste_from_mask(mask: Layer, holes: tuple[Hole, ...], copper: Layer | None = None) -> DerivedPaste:
    """Apertures to print: mask windows without a lead's hole in them, cut to the copper pads beneath, each pad its own
    aperture.

    Pads are flashed, or where none lies in a window whatever copper shows there, as when pads are painted by strokes.
    Windows without copper, round fiducials (a disc far larger in the mask than in copper) and huge bare areas get no
    paste.
    """
    windows = shapely.get_parts(mask.area)  # what is drawn in strips is one window
    why = np.full(len(windows), "", dtype=object)
    boxes = shapely.bounds(windows)
    why[np.maximum(boxes[:, 2] - boxes[:, 0], boxes[:, 3] - boxes[:, 1]) > LARGEST_PASTED_MM] = _LARGE
    leads = [h for h in holes if h.diameter >= SMALLEST_LEAD_HOLE]
    if leads and len(windows):
        points = shapely.points([[h.x, h.y] for h in leads])
        why[np.unique(shapely.STRtree(windows).query(points, predicate="intersects")[1])] = _LEADS
    found: list[Polygon] = []
    if copper is None or not len(copper):
        found = windows[why == ""].tolist()
    else:
        for i in np.flatnonzero(why == "").tolist():
            pads, why[i] = _pads_in(windows[i], copper)
            found += pads
    polygons = np.empty(len(found), dtype=object)
    polygons[:] = found
    return DerivedPaste(
        derived("paste", mask.side, polygons), {w: int((why == w).sum()) for w in (_LEADS, _BARE, _MARK, _LARGE)}
    )


_LEADS, _BARE, _MARK, _LARGE = "over holes", "without copper", "of fiducials", "too large"
LARGEST = amount(LARGEST_PASTED_MM, "mm")


def _pads_in(window: Polygon, copper: Layer) -> tuple[list[Polygon], str]:
    """The pads that a mask window shows, or why it has none."""
    near = copper.tree.query(window, predicate="intersects")
    flashed = near[copper.flashed[near]]
    pads = _shown(window, copper.polygons[flashed])
    if sum(p.area for p in pads) < SHOWN_SHARE * window.area:
        painted = _shown(window, copper.polygons[near])
        if len(pads) < 2 and sum(p.area for p in painted) >= SHOWN_SHARE * window.area:
            pads = painted
    if not pads:
        return [], _BARE
    if len(pads) == 1 and pads[0].area < SHOWN_SHARE * window.area and _is_round(pads[0]) and _is_round(window):
        return [], _MARK
    return pads, ""


def _shown(window: Polygon, shapes: np.ndarray) -> list[Polygon]:
    """What shows of copper in a window, slivers of tracks and of neighbours left out."""
    if not len(shapes):
        return []
    parts = shapely.get_parts(shared_by(union_of(shapes), window))
    areas = [p for p in parts if isinstance(p, Polygon)]
    largest = max((p.area for p in areas), default=0.0)
    return [p for p in areas if p.area > SLIVER_SHARE * largest]


def _is_round(shape: Polygon) -> bool:
    return bool(4 * np.pi * shape.area / max(shape.length, 1e-9) ** 2 > ROUND)


def hull_outline(layers: Sequence[Layer]) -> Polygon | None:
    """Board area when no outline was drawn: the box round all copper, a little wider. None without copper."""
    shapes = [x.polygons for x in layers if x.role == "copper" and len(x)]
    if not shapes:
        return None
    x0, y0, x1, y1 = shapely.total_bounds(np.concatenate(shapes))
    return shapely.box(x0 - HULL_MARGIN_MM, y0 - HULL_MARGIN_MM, x1 + HULL_MARGIN_MM, y1 + HULL_MARGIN_MM)
