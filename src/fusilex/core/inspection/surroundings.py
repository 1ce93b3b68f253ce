"""What the board itself says of each joint: where it lies, which way its part is turned, how much copper is near."""

from __future__ import annotations

import math

import numpy as np
import shapely
from numpy.typing import NDArray

from fusilex.core.design.model import Design, Pad, Part

RING_MM, SAMPLES, MUCH, SOME = 2.0, 24, 0.6, 0.25
"""Copper is looked for so far around a pad, at so many places; from these shares on there is much of it, or some."""


def place_on(design: Design, x: float, y: float) -> str:
    """Which ninth of the board a point lies in.

    >>> from types import SimpleNamespace
    >>> place_on(SimpleNamespace(outline=shapely.box(0, 0, 30, 30)), 1, 29)
    'upper left'
    """
    x0, y0, x1, y1 = design.outline.bounds
    across = ("left", "middle", "right")[min(2, max(0, int(3 * (x - x0) / (x1 - x0))))]
    up = ("lower", "middle", "upper")[min(2, max(0, int(3 * (y - y0) / (y1 - y0))))]
    return "middle" if across == up else f"{up} {across}"


def direction(part: Part) -> str:
    """Which way a part lies: turned by no more than half a turn, and a plain 90 or 0 where it has two alike ends."""
    turn = round(part.rotation_deg) % 360
    return f"{turn % 180 if part.polarity == 'none' and len(part.pads) == 2 else turn}°"


def copper_near(design: Design, pads: list[Pad]) -> list[str]:
    """How much copper of its own side lies around each pad: ``much``, ``some`` or ``little``."""
    found = [""] * len(pads)
    turns = np.arange(SAMPLES) * (math.tau / SAMPLES)
    ring = RING_MM * np.column_stack([np.cos(turns), np.sin(turns)])
    for side in ("top", "bottom"):
        own = [n for n, pad in enumerate(pads) if pad.side == side]
        layer = next((x for x in design.layers if x.role == "copper" and x.side == side), None)
        if layer is None or not own:
            continue
        share = _covered(layer.tree, shapely.centroid([pads[n].polygon for n in own]), ring)
        for n, value in zip(own, share.tolist(), strict=True):
            found[n] = "much" if value >= MUCH else "some" if value >= SOME else "little"
    return found


def _covered(tree: shapely.STRtree, middles: NDArray[np.object_], ring: NDArray[np.float64]) -> NDArray[np.float64]:
    """Share of a ring of points about each middle that lies on copper."""
    at = shapely.get_coordinates(middles)[:, None, :] + ring
    points = shapely.points(at.reshape(-1, 2))
    hit = np.zeros(len(points), dtype=bool)
    hit[np.unique(tree.query(points, predicate="within")[0])] = True
    share: NDArray[np.float64] = hit.reshape(len(middles), -1).mean(axis=1)
    return share
