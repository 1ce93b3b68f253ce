"""The panel: one board stepped in columns and rows between rails."""

from __future__ import annotations

import numpy as np
from msgspec import Struct, field
from numpy.typing import ArrayLike, NDArray


class Panel(Struct, frozen=True):
    """Columns × rows of a board of `board_w` × `board_h` mm at a pitch, in a frame with rails. Lengths mm, panel
    frame.

    `fiducials` and `tooling` are (name or nothing, x, y); `scores` are lines ((x0, y0), (x1, y1)); `tabs` are (x, y,
    width). Where the pitch is not even, `column_x` and `row_y` give the lower-left corner of each column and row and
    win over first corner and pitch. `turns` are quarter turns of the cells in degrees (empty: none is turned),
    `skipped` cells that carry no board. Cells count from the lower left, row by row, skipped ones included.
    """

    columns: int
    rows: int
    pitch_x: float
    pitch_y: float
    first_x: float
    first_y: float
    width: float
    height: float
    board_w: float
    board_h: float
    fiducials: tuple[tuple[str, float, float], ...] = ()
    tooling: tuple[tuple[float, float], ...] = ()
    scores: tuple[tuple[tuple[float, float], tuple[float, float]], ...] = field(default=())
    tabs: tuple[tuple[float, float, float], ...] = ()
    column_x: tuple[float, ...] = ()
    row_y: tuple[float, ...] = ()
    turns: tuple[int, ...] = ()
    skipped: tuple[int, ...] = ()

    @property
    def count(self) -> int:
        """Cells, skipped ones included."""
        return self.columns * self.rows

    @property
    def cells(self) -> list[int]:
        """Cells that carry a board."""
        return [c for c in range(self.count) if c not in self.skipped]

    def turn(self, cell: int) -> int:
        """Quarter turn of a cell, counter-clockwise, degrees."""
        return self.turns[cell] % 360 if self.turns else 0

    def origins(self) -> NDArray[np.float64]:
        """Lower-left corner of each cell (n × 2, mm), row by row from the lower left."""
        xs = np.array(self.column_x) if self.column_x else self.first_x + np.arange(self.columns) * self.pitch_x
        ys = np.array(self.row_y) if self.row_y else self.first_y + np.arange(self.rows) * self.pitch_y
        columns, rows = np.meshgrid(xs, ys)
        return np.column_stack([columns.ravel(), rows.ravel()])

    def place(self, cell: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Turn (2 × 2) and shift (2, mm) of a cell: a board point p, from the board's lower-left corner, lies at turn
        @ p + shift.
        """
        turn = self.turn(cell)
        cos, sin = {0: (1, 0), 90: (0, 1), 180: (-1, 0), 270: (0, -1)}[turn]
        back = {0: (0, 0), 90: (self.board_h, 0), 180: (self.board_w, self.board_h), 270: (0, self.board_w)}[turn]
        return np.array([[cos, -sin], [sin, cos]], dtype=float), self.origins()[cell] + np.array(back, dtype=float)

    def box(self, cell: int) -> tuple[float, float, float, float]:
        """Lower-left and upper-right corner of a cell's board (mm)."""
        x, y = self.origins()[cell]
        w, h = (self.board_h, self.board_w) if self.turn(cell) % 180 else (self.board_w, self.board_h)
        return float(x), float(y), float(x + w), float(y + h)

    def on_cell(self, cell: int, xy: ArrayLike) -> NDArray[np.float64]:
        """Board points (n × 2) on one cell, n × 2, mm."""
        turn, shift = self.place(cell)
        return np.asarray(np.asarray(xy, dtype=float).reshape(-1, 2) @ turn.T + shift)

    def step(self, xy: ArrayLike) -> NDArray[np.float64]:
        """Board points (n × 2) stepped over the panel: cells × n × 2, mm."""
        points = np.atleast_2d(np.asarray(xy, dtype=float))
        if not self.turns:
            return np.asarray(self.origins()[:, None, :] + points[None, :, :])
        return np.array([self.on_cell(cell, points) for cell in range(self.count)])

    def faults(self) -> list[str]:
        """What cannot be built: cells that overlap, reach beyond the panel, or names that do not match their
        numbers.
        """
        found = []
        if self.turns and (len(self.turns) != self.count or any(t % 90 for t in self.turns)):
            found.append(f"{self.count} quarter turns, one a cell, are wanted")
            return found
        if (self.column_x and len(self.column_x) != self.columns) or (self.row_y and len(self.row_y) != self.rows):
            found.append("one position a column and one a row are wanted")
            return found
        if not self.cells:
            found.append("every cell is skipped")
        boxes = {c: self.box(c) for c in self.cells}
        for c, (x0, y0, x1, y1) in boxes.items():
            if x0 < -1e-6 or y0 < -1e-6 or x1 > self.width + 1e-6 or y1 > self.height + 1e-6:
                found.append(f"cell {c + 1} reaches beyond the panel")
            for d, (u0, v0, u1, v1) in boxes.items():
                if d > c and x0 < u1 - 1e-6 and u0 < x1 - 1e-6 and y0 < v1 - 1e-6 and v0 < y1 - 1e-6:
                    found.append(f"cells {c + 1} and {d + 1} overlap")
        return found


def single(board_w: float, board_h: float) -> Panel:
    """A panel of one board without rails."""
    return Panel(1, 1, board_w, board_h, 0.0, 0.0, board_w, board_h, board_w, board_h)
