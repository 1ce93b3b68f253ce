"""A board's apertures and pads stepped over its panel, as they are seen while it is printed."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from msgspec.structs import replace

from fusilex.core.design.model import Pad
from fusilex.core.panel.layout import Panel
from fusilex.core.printing.apertures import Apertures

ON = " on board "
"""Between a part and the number of its board, where a panel has several."""


def plain_ref(name: str) -> str:
    """The part's own reference.

    >>> plain_ref("U1 on board 3"), plain_ref("U1")
    ('U1', 'U1')
    """
    return name.partition(ON)[0]


def stepped(
    apertures: Apertures, pads: Sequence[Pad], panel: Panel, corner: tuple[float, float]
) -> tuple[Apertures, list[Pad]]:
    """Apertures of a side and the pads of the design on every cell of a panel, in the frame (mm) of the panel as it
    lies under the foil: seen from the apertures' side, x to the right. `corner` is the lower-left corner of the board's
    outline in the design.
    """
    below = apertures.side == "bottom"
    there = [n for n, p in enumerate(pads) if p.side == apertures.side or p.drill > 0]
    index = {n: k for k, n in enumerate(there)}
    shapes = np.array([pads[n].polygon for n in there], dtype=object)
    own = np.array([index.get(int(n), -1) for n in apertures.pad], dtype=int)
    made, made_pads, refs, owns = [], list[Pad](), list[str](), []
    for cell in panel.cells:
        turn, shift = panel.place(cell)

        def laid(at: np.ndarray, turn: np.ndarray = turn, shift: np.ndarray = shift) -> np.ndarray:
            moved = (at - corner) @ turn.T + shift
            return np.column_stack([panel.width - moved[:, 0], moved[:, 1]]) if below else moved

        name = f"{ON}{cell + 1}" if panel.count > 1 else ""
        made.append(shapely.transform(apertures.polygons, laid))
        owns.append(np.where(own >= 0, own + len(made_pads), -1))
        refs += [f"{ref}{name}" if ref else "" for ref in apertures.refs]
        for n, shape in zip(there, shapely.transform(shapes, laid) if len(shapes) else [], strict=True):
            net = pads[n].net
            made_pads.append(replace(pads[n], polygon=shape, net=f"{net}{name}" if net else None))
    polygons = np.concatenate(made)
    at = shapely.get_coordinates(shapely.centroid(polygons)).reshape(-1, 2)
    cells = len(panel.cells)
    return (
        replace(
            apertures,
            polygons=polygons,
            refs=tuple(refs),
            pins=apertures.pins * cells,
            x=at[:, 0],
            y=at[:, 1],
            area=np.tile(apertures.area, cells),
            perimeter=np.tile(apertures.perimeter, cells),
            width=np.tile(apertures.width, cells),
            pad=np.concatenate(owns),
        ),
        made_pads,
    )
