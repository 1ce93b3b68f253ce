"""Which side parts are on when nobody says so: a part stands in the middle of its pads."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
import shapely
from numpy.typing import NDArray

from fusilex.core.design.model import Layer

TWIN_MM = 0.1
"""How far a pad may be from where its twin says it is."""
CLEAR_LEAD = 0.3
"""So much more of the parts must have their pads on the other side before that is believed against a file's name."""


def top_lead(at: NDArray[np.float64], top: Layer | None, bottom: Layer | None) -> float:
    """Share of places (n × 2, mm) in the middle of pads of the top, less the share in the middle of pads of the bottom.

    About 1 for parts of the top, about -1 for parts of the bottom, 0 where nothing tells.
    """
    return in_the_middle(at, top) - in_the_middle(at, bottom)


def in_the_middle(at: NDArray[np.float64], layer: Layer | None) -> float:
    """Share of places whose nearest pad has a twin on the other side of the place."""
    if layer is None or not len(at):
        return 0.0
    pads = shapely.centroid(layer.polygons[layer.flashed] if layer.flashed.any() else layer.polygons)
    tree = shapely.STRtree(pads)
    nearest = shapely.get_coordinates(pads[tree.nearest(shapely.points(at))])
    twins, _ = tree.query(shapely.points(2 * at - nearest), predicate="dwithin", distance=TWIN_MM)
    return len(np.unique(twins)) / len(at)


def told_by(usual: str, lead: float) -> str:
    """The side of parts that are usually on one: that, unless clearly more of them have pads on the other."""
    return usual if abs(lead) < CLEAR_LEAD else "top" if lead > 0 else "bottom"


def sides_of_words(leads: Mapping[str, float], taken: set[str]) -> dict[str, str]:
    """The side that each unknown word names, from its parts' `top_lead`; `taken` are the sides that other words name.

    Two words are the two sides, and one word beside a known side is the other.
    """
    if len(leads) == 1 and len(taken) == 1:
        return dict.fromkeys(leads, "bottom" if "top" in taken else "top")
    low, *_, high = sorted(leads.values()) if len(leads) == 2 and not taken else (0.0, 0.0)
    middle = (low + high) / 2
    return {word: "top" if lead > middle else "bottom" for word, lead in leads.items() if lead != middle}
