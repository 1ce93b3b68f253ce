"""The routing grid, and how far copper shapes are from its cells."""

from __future__ import annotations

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from fusilex.demo.described import Described

STEP, REACH = 0.125, 0.62


class Grid:
    """Cell centres of the routing grid (mm) and how many there are each way."""

    def __init__(self, board: Described) -> None:
        self.xs, self.ys = (np.arange(0, length + STEP / 2, STEP) for length in (board.width, board.height))
        self.nx, self.ny = len(self.xs), len(self.ys)
        self.size = self.nx * self.ny

    def point(self, cell: int) -> tuple[float, float]:
        """The centre of a cell, whatever its layer."""
        row, column = divmod(cell % self.size, self.nx)
        return round(float(self.xs[column]), 4), round(float(self.ys[row]), 4)


class Obstacle:
    """Distances (mm) from one copper shape to the grid cells around it, computed once."""

    def __init__(self, grid: Grid, net: str, shape: BaseGeometry, fixed: bool = False, owner: object = None) -> None:
        self.net, self.fixed, self.owner = net, fixed, owner
        x0, y0, x1, y1 = shape.bounds
        i0, i1 = max(0, int((x0 - REACH) / STEP)), min(grid.nx, int((x1 + REACH) / STEP) + 2)
        j0, j1 = max(0, int((y0 - REACH) / STEP)), min(grid.ny, int((y1 + REACH) / STEP) + 2)
        self.window = (slice(j0, j1), slice(i0, i1))
        gx, gy = np.meshgrid(grid.xs[i0:i1], grid.ys[j0:j1])
        shapely.prepare(shape)
        self.distance = shapely.distance(shapely.points(gx, gy), shape)
