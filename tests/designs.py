"""Small designs made in memory: two pads a part on one side, for sums that can be done by hand."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
import shapely

from fusilex.core.design.join import join
from fusilex.core.design.model import BomLine, Design, Layer, NetPoint, Placement
from fusilex.core.packages.catalogue import Catalogue


def layer(role: str, side: str | None, polygons: Sequence[shapely.Polygon], flashed: bool = True) -> Layer:
    """A layer of plain shapes without attributes."""
    n = len(polygons)
    made = np.empty(n, dtype=object)
    made[:] = list(polygons)
    return Layer(role, side, made, np.full(n, flashed), (None,) * n, (None,) * n, (None,) * n)


def two_pad_design(
    placements: Sequence[Placement],
    bom: Sequence[BomLine] = (),
    nets: Mapping[tuple[str, str], str] | None = None,
    apart: float = 1.0,
    size: float = 0.5,
    metric: bool = False,
    board: tuple[float, float] = (40.0, 30.0),
) -> Design:
    """Every placement on two square pads along x, `apart` mm between their middles, on a board of the given size."""
    shapes, points = [], []
    for p in placements:
        for pin, dx in (("1", -apart / 2), ("2", apart / 2)):
            shapes.append(shapely.box(p.x + dx - size / 2, p.y - size / 2, p.x + dx + size / 2, p.y + size / 2))
            if nets is not None:
                points.append(NetPoint(nets.get((p.ref, pin)), p.ref, pin, p.x + dx, p.y, p.side))
    layers = (layer("copper", "top", shapes), layer("paste", "top", shapes))
    outline = shapely.box(0, 0, *board)
    design = Design(
        "small", (), layers, (), outline, tuple(placements), tuple(bom), tuple(points), catalogue=Catalogue(metric)
    )
    return join(design)
