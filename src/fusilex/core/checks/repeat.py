"""The reverse of stepping a panel: the cell that repeats in layers that are panelised already, and its pitch."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import TypeVar

import numpy as np
import shapely
from msgspec.structs import replace
from numpy.typing import NDArray

from fusilex.core.design.model import Design, Layer, NetPoint, Placement
from fusilex.core.overlay import shared_by
from fusilex.core.panel.layout import Panel

T = TypeVar("T", Placement, NetPoint)

COPY = re.compile(r"(.*\d)[_\-.:]([0-9A-Za-z]{1,3})")
"""A reference with the number of its copy behind: ``R1_2``, ``R1-b``."""
SAME_MM = 0.02
LEAST_SHARE = 0.6
SMALLEST_PITCH_MM = 4.0


def find_panel(design: Design) -> Panel | None:
    """Columns, rows and pitch of the cell that repeats in the flashed copper, None when nothing does.

    Pads of equal size and shape vote for the shift from one to the other; shifts that map most pads onto pads are the
    lattice. The cells are taken to lie in the middle of the panel when that cuts no pad; else the
    cuts go through the widest empty strip, counted modulo the pitch. The panel's box is the outline's.
    """
    layer = max(
        (x for x in design.layers if x.role == "copper"), key=lambda x: np.count_nonzero(x.flashed), default=None
    )
    if layer is None or np.count_nonzero(layer.flashed) < 8:
        return None
    boxes = shapely.bounds(layer.polygons[layer.flashed])
    at, size = (boxes[:, :2] + boxes[:, 2:]) / 2, np.round(boxes[:, 2:] - boxes[:, :2], 2)
    x0, y0, x1, y1 = design.outline.bounds
    pitch = [_pitch(at, size, axis, (x1 - x0, y1 - y0)[axis]) for axis in (0, 1)]
    if pitch[0] is None and pitch[1] is None:
        return None
    cuts = [
        _cuts(boxes[:, axis], boxes[:, axis + 2], pitch[axis], low, high)
        for axis, low, high in ((0, x0, x1), (1, y0, y1))
    ]
    if any(not c for c in cuts):
        return None
    (left, columns), (low, rows) = cuts  # type: ignore[misc]
    if columns * rows < 2:
        return None
    px, py = pitch[0] or (x1 - x0), pitch[1] or (y1 - y0)
    w, h = (px if columns > 1 else x1 - x0), (py if rows > 1 else y1 - y0)
    return Panel(columns, rows, px, py, left - x0, low - y0, x1 - x0, y1 - y0, w, h)


def _pitch(at: NDArray[np.float64], size: NDArray[np.float64], axis: int, extent: float) -> float | None:
    """The smallest shift along an axis that lands most pads on pads of their size."""
    along, across = at[:, axis], at[:, 1 - axis]
    votes: list[NDArray[np.float64]] = []
    _, which, counts = np.unique(size, axis=0, return_inverse=True, return_counts=True)
    for kind in np.argsort(counts)[:12]:  # rare sizes tell most
        here = np.flatnonzero(which == kind)[:400]
        step = along[here][None, :] - along[here][:, None]
        level = np.abs(across[here][None, :] - across[here][:, None]) < SAME_MM
        votes.append(step[level & (step > SMALLEST_PITCH_MM)])
    steps = np.round(np.concatenate(votes), 2) if votes else np.empty(0)
    candidates, heard = np.unique(steps, return_counts=True)
    tree = shapely.STRtree(shapely.points(at))
    for step in sorted(candidates[heard >= max(2, 0.3 * heard.max(initial=0))].tolist()):
        expected = 1 - step / extent
        if expected <= 0.05:
            continue
        shifted = at.copy()
        shifted[:, axis] += step
        who, whom = tree.query(shapely.points(shifted), predicate="dwithin", distance=3 * SAME_MM)
        hit = len(np.unique(who[(np.abs(size[who] - size[whom]) < SAME_MM).all(axis=1)]))
        inside = np.count_nonzero(shifted[:, axis] <= along.max() + SAME_MM)
        if inside >= 4 and hit >= LEAST_SHARE * inside and hit >= LEAST_SHARE * len(at) * max(0.2, expected - 0.15):
            return float(step)
    return None


def _cuts(
    low: NDArray[np.float64], high: NDArray[np.float64], pitch: float | None, start: float, stop: float
) -> tuple[float, int] | None:
    """Where the first cell begins along an axis and how many there are: the cut lies in the widest strip no pad
    crosses.
    """
    if pitch is None:
        return start, 1
    bins = 2000
    marks = np.zeros(bins, dtype=bool)
    for a, b in zip(low - start, high - start, strict=True):
        first, last = int(np.floor(a / pitch * bins)), int(np.ceil(b / pitch * bins))
        marks[np.arange(first, min(last, first + bins)) % bins] = True
    if marks.all():
        return None
    fitting = int((stop - start) / pitch + 1e-6)  # cells in the middle of the panel, where that cuts no pad
    middle = start + (stop - start - fitting * pitch) / 2
    if fitting and not marks[round((middle - start) / pitch * bins) % bins] and middle < low.min() + 1e-6:
        return middle, fitting
    shift = int(marks.argmax())
    edges = np.flatnonzero(np.diff(np.concatenate([[True], np.roll(marks, -shift), [True]]).astype(int)))
    gaps = [(edges[i], edges[i + 1]) for i in range(0, len(edges) - 1, 2)]
    a, b = max(gaps, key=lambda g: g[1] - g[0])
    cut = float(((a + b) / 2 + shift) / bins * pitch % pitch + start)
    while cut > low.min():
        cut -= pitch
    return cut, int(np.ceil((high.max() - cut) / pitch - 1e-6))


def one_cell(design: Design, panel: Panel) -> Design:
    """The design of the panel's lower-left cell alone, carrying the panel. Not joined.

    Placements that cover the whole panel are cut to the cell too, and lose the number of their copy; a list of one
    board is kept as it is when it fits the cell.
    """
    ox, oy, *_ = design.outline.bounds
    x0, y0 = ox + panel.first_x, oy + panel.first_y
    cell = shapely.box(x0, y0, x0 + panel.board_w, y0 + panel.board_h)
    layers = tuple(_clipped(x, cell) for x in design.layers if x.role != "outline")
    holes = tuple(h for h in design.holes if cell.covers(shapely.Point(h.x, h.y)))
    return replace(
        design,
        layers=layers,
        holes=holes,
        outline=shapely.box(*cell.bounds),
        placements=_without_copy(_inside(design.placements, cell)),
        netpoints=_inside(design.netpoints, cell),
        panel=panel,
        pads=(),
        parts=(),
    )


def _without_copy(placements: tuple[Placement, ...]) -> tuple[Placement, ...]:
    """References without the number of the copy, where all of a cell carry the same: ``R1_2`` is R1."""
    copies = [COPY.fullmatch(p.ref) for p in placements]
    if len({m[2] if m else None for m in copies}) != 1 or not placements or copies[0] is None:
        return placements
    return tuple(replace(p, ref=m[1]) for p, m in zip(placements, copies, strict=True) if m)


def _clipped(layer: Layer, cell: shapely.Polygon) -> Layer:
    keep = np.flatnonzero(
        shapely.contains_properly(cell, layer.polygons) | shapely.covers(cell, shapely.centroid(layer.polygons))
    )
    inside = shared_by(layer.polygons[keep], cell)
    whole = np.array(
        [g if isinstance(g, shapely.Polygon) else max(shapely.get_parts(g), key=lambda p: p.area) for g in inside],
        dtype=object,
    )
    return replace(layer.only(keep), polygons=whole)


def _inside(items: Sequence[T], cell: shapely.Polygon) -> tuple[T, ...]:
    return tuple(i for i in items if cell.covers(shapely.Point(i.x, i.y)))
