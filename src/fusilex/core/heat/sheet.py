"""A panel as a heat-spreading sheet: cells that hold heat and pass it on by their copper, and bodies that lag behind.

Heat is even through the thickness (the Biot number of a 1.6 mm board in an oven is about 0.1); along the sheet it flows
by k = Σ tᵢkᵢ / Σ tᵢ over laminate and foils (handbooks of board design; foils count by their share of each cell).
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np
import shapely
from msgspec import Struct
from msgspec.structs import replace
from numpy.typing import NDArray

from fusilex.core.design.model import Design, Part
from fusilex.core.heat.matter import (
    BODY_W_PER_M2K,
    COPPER_J_PER_M3K,
    COPPER_W_PER_MK,
    FOIL_M,
    LAMINATE_J_PER_M3K,
    LAMINATE_W_PER_MK,
    PART_J_PER_KGK,
)
from fusilex.core.panel.layout import Panel
from fusilex.core.placing.points import on_board

Floats = NDArray[np.float64]
Ints = NDArray[np.int_]

CELL_MM, COARSE_MM, THICK_MM, SAMPLES = 1.5, 7.5, 1.6, 3
"""Cells where joints are predicted, and where many runs are made: fits, plans, and how sure they are."""
LUMP_MG, LEAST_LAG_S = 30.0, 1.5
"""Bodies of this mass and more are lumps of their own; lighter ones are as warm as the board."""


class Lumps(Struct, frozen=True, eq=False):
    """m bodies: names such as (ref, cell from 0), heat (J/K), conductance to the board (W/K), the area that they show
    (m²), and the share of each of n cells in what they stand on (m × n, rows sum to 1).
    """

    names: tuple[tuple[str, int], ...]
    heat: Floats
    contact: Floats
    area: Floats
    stands: Floats

    def __len__(self) -> int:
        return len(self.names)


class Sheet(Struct, frozen=True, eq=False):
    """n cells of a grid of `size` (mm): which (rows × columns, −1 where no board is), their middles (n × 2, mm, panel),
    heat (J/K), the area that they show above and below, each with its half of the `edge` (m²), and conductances (W/K)
    between `pairs` of them (k × 2).
    """

    size: Floats
    grid: Ints
    xy: Floats
    heat: Floats
    above: Floats
    below: Floats
    edge: Floats
    pairs: Ints
    conductance: Floats
    lumps: Lumps

    def __len__(self) -> int:
        return len(self.heat)

    def at(self, xy: Floats) -> Ints:
        """The nearest cell to each place (k × 2, mm, panel)."""
        away = ((np.atleast_2d(xy)[:, None] - self.xy[None]) ** 2).sum(axis=2)
        return np.asarray(away.argmin(axis=1))


def between_cells(sheet: Sheet, xy: Floats) -> tuple[Ints, Floats]:
    """The four cells around each place (k × 4) and their weights, straight between their middles; cells that are not
    there give theirs to the others.
    """
    rows, columns = sheet.grid.shape
    at = np.atleast_2d(xy) / sheet.size - 0.5
    column, row = (np.clip(np.floor(at[:, k]).astype(int), 0, max(n - 2, 0)) for k, n in ((0, columns), (1, rows)))
    u, v = np.clip(at[:, 0] - column, 0, 1), np.clip(at[:, 1] - row, 0, 1)
    right, up = np.minimum(column + 1, columns - 1), np.minimum(row + 1, rows - 1)
    cells = np.stack([sheet.grid[r, c] for r in (row, up) for c in (column, right)], axis=1)
    weights = np.stack([(1 - u) * (1 - v), u * (1 - v), (1 - u) * v, u * v], axis=1) * (cells >= 0)
    bare = weights.sum(axis=1) < 1e-9
    if bare.any():
        cells[bare, 0], weights[bare, 0] = sheet.at(np.atleast_2d(xy)[bare]), 1.0
    return np.maximum(cells, 0), weights / weights.sum(axis=1, keepdims=True)


def plain_sheet(width_mm: float, height_mm: float, share: float = 0.5, cell_mm: float = CELL_MM) -> Sheet:
    """A bare board with the same share of copper on two layers everywhere."""
    columns, rows = max(1, round(width_mm / cell_mm)), max(1, round(height_mm / cell_mm))
    size = (width_mm / columns, height_mm / rows)
    cover = np.ones((rows, columns))
    return _built(size, cover, np.full((2, rows, columns), share), THICK_MM, [], [], np.empty((0, 2)))


def sheet_of(
    design: Design,
    panel: Panel,
    parts: Sequence[Part],
    cells: Iterable[int] | None = None,
    cell_mm: float = CELL_MM,
    thick_mm: float = THICK_MM,
) -> Sheet:
    """The sheet of a panel with these parts on each board (of some cells, or all)."""
    columns, rows = max(1, round(panel.width / cell_mm)), max(1, round(panel.height / cell_mm))
    size = (panel.width / columns, panel.height / rows)
    step = (np.arange(SAMPLES) + 0.5) / SAMPLES
    xs = (np.arange(columns)[:, None] + step).ravel() * size[0]
    ys = (np.arange(rows)[:, None] + step).ravel() * size[1]
    grid_x, grid_y = np.meshgrid(xs, ys)
    places = np.column_stack([grid_x.ravel(), grid_y.ravel()])
    copper = [layer for layer in design.layers if layer.role in ("copper", "inner")]
    board = _rails(panel, places)
    foils = np.zeros((max(1, len(copper)), len(places)), dtype=bool)
    corner = np.asarray(design.outline.bounds[:2])
    own = list(panel.cells if cells is None else cells)
    for cell in own:
        turn, shift = panel.place(cell)
        local = (places - shift) @ turn + corner
        x0, y0, x1, y1 = panel.box(cell)
        near = np.flatnonzero((places[:, 0] >= x0) & (places[:, 0] <= x1) & (places[:, 1] >= y0) & (places[:, 1] <= y1))
        inside = near[shapely.contains_xy(design.outline, local[near, 0], local[near, 1])]
        board[near] = False
        board[inside] = True
        points = shapely.points(local[inside])
        for n, layer in enumerate(copper):
            hit = layer.tree.query(points, predicate="intersects")[0]
            foils[n, inside[np.unique(hit)]] = True
    blocks = (rows, SAMPLES, columns, SAMPLES)
    cover = board.reshape(blocks).mean(axis=(1, 3))
    share = (foils & board).reshape(len(foils), *blocks).mean(axis=(2, 4)) / np.maximum(cover, 1e-9)
    bodies = [p for p in parts if p.populated and p.package.mass_mg > 0]
    at = on_board(design, bodies)
    spots = [(p, cell) for cell in own for p in bodies]
    where = np.concatenate([panel.on_cell(cell, at) for cell in own]) if own and bodies else np.empty((0, 2))
    turned = [p.rotation_deg + panel.turn(cell) for p, cell in spots]
    return _built(size, cover, share, thick_mm, spots, turned, where)


def _rails(panel: Panel, places: Floats) -> NDArray[np.bool_]:
    """Laminate outside the boards: rails and, where boards are scored and not routed, what lies between."""
    boxes = np.array([panel.box(c) for c in panel.cells])
    low, high = boxes[:, :2].min(axis=0), boxes[:, 2:].max(axis=0)
    outside = ((places < low) | (places > high)).any(axis=1)
    return outside if panel.tabs else np.ones(len(places), dtype=bool)


def _built(
    size: tuple[float, float],
    cover: Floats,
    share: Floats,
    thick_mm: float,
    spots: Sequence[tuple[Part, int]],
    turned: Sequence[float],
    where: Floats,
) -> Sheet:
    """Cells of `size` mm covered in part, copper shares by layer (layers × rows × columns), bodies at places."""
    rows, columns = cover.shape
    there = cover > 0.05
    grid = np.full(cover.shape, -1)
    grid[there] = np.arange(int(there.sum()))
    dx, dy = size[0] * 1e-3, size[1] * 1e-3
    area = cover[there] * dx * dy
    foil = FOIL_M * share.sum(axis=0)
    thick = np.maximum(thick_mm * 1e-3 - foil, 0.0)
    spread = foil * COPPER_W_PER_MK + thick * LAMINATE_W_PER_MK  # conductivity times thickness, W/K
    heat = area * (foil * COPPER_J_PER_M3K + thick * LAMINATE_J_PER_M3K)[there]
    row, column = np.nonzero(there)
    xy = np.column_stack([(column + 0.5) * size[0], (row + 0.5) * size[1]])
    pairs, passing = [], []
    open_edge = np.zeros(cover.shape)
    for way, length, apart in (((0, 1), dy, dx), ((1, 0), dx, dy)):
        a = (slice(0, rows - way[0]), slice(0, columns - way[1]))
        b = (slice(way[0], rows), slice(way[1], columns))
        both = there[a] & there[b]
        k = 2 * spread[a] * spread[b] / np.maximum(spread[a] + spread[b], 1e-12)
        width = np.minimum(cover[a], cover[b]) * length
        pairs.append(np.column_stack([grid[a][both], grid[b][both]]))
        passing.append((k * width / apart)[both])
        open_edge[a] += np.where(both, 0.0, length)
        open_edge[b] += np.where(both, 0.0, length)
        first = (slice(0, 1), slice(None)) if way[0] else (slice(None), slice(0, 1))
        last = (slice(rows - 1, rows), slice(None)) if way[0] else (slice(None), slice(columns - 1, columns))
        open_edge[first] += length
        open_edge[last] += length
    edge = open_edge[there] * thick_mm * 1e-3 / 2
    above, below = area + edge, area + edge
    small = [k for k, (p, _) in enumerate(spots) if p.package.mass_mg < LUMP_MG]
    large = [k for k, (p, _) in enumerate(spots) if p.package.mass_mg >= LUMP_MG]
    sheet = Sheet(
        np.array(size),
        grid,
        xy,
        heat,
        above,
        below,
        edge,
        np.concatenate(pairs),
        np.concatenate(passing),
        Lumps((), np.empty(0), np.empty(0), np.empty(0), np.empty((0, len(heat)))),
    )
    if not spots:
        return sheet
    if small:
        mass = np.array([spots[k][0].package.mass_mg for k in small]) * 1e-6
        np.add.at(heat, sheet.at(where[small]), mass * PART_J_PER_KGK)
    return _with_lumps(sheet, [spots[k] for k in large], [turned[k] for k in large], where[large])


def _with_lumps(sheet: Sheet, spots: Sequence[tuple[Part, int]], turned: Sequence[float], where: Floats) -> Sheet:
    heat, contact, shown, stands = [], [], [], np.zeros((len(spots), len(sheet)))
    above, below = sheet.above.copy(), sheet.below.copy()
    for k, (part, _) in enumerate(spots):
        p = part.package
        w, h = (p.size_y, p.size_x) if round(turned[k] / 90) % 2 else (p.size_x, p.size_y)
        reach = np.abs(sheet.xy - where[k])
        lengths = zip((w, h), sheet.size, reach.T, strict=True)
        across, along = (np.clip((s + c) / 2 - r, 0, min(s, c)) for s, c, r in lengths)
        over = across * along
        if over.sum() <= 0:
            over[sheet.at(where[k : k + 1])[0]] = 1.0
        stands[k] = over / over.sum()
        foot = w * h * 1e-6
        heat.append(p.mass_mg * 1e-6 * PART_J_PER_KGK)
        contact.append(min(BODY_W_PER_M2K * foot, heat[-1] / LEAST_LAG_S))
        shown.append(foot + 2 * (w + h) * p.height * 1e-6)
        side = above if part.side == "top" else below
        side -= np.minimum(side * 0.9, stands[k] * foot)
    lumps = Lumps(
        tuple((part.ref, cell) for part, cell in spots), np.array(heat), np.array(contact), np.array(shown), stands
    )
    return replace(sheet, above=above, below=below, lumps=lumps)
