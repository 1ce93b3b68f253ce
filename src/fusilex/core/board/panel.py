"""The panel: one board stepped in columns and rows between rails."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import ArrayLike, NDArray


@dataclass(frozen=True)
class Panel:
    """Columns × rows of a board of `board_w` × `board_h` mm at a pitch, in a frame with rails. Lengths mm, panel frame.

    `fiducials` and `tooling` are (name or nothing, x, y); `scores` are lines ((x0, y0), (x1, y1)).
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

    @property
    def count(self) -> int:
        return self.columns * self.rows

    def origins(self) -> NDArray[np.float64]:
        """Lower-left corner of each cell (n × 2, mm), row by row from the lower left."""
        columns, rows = np.meshgrid(np.arange(self.columns), np.arange(self.rows))
        return np.column_stack(
            [self.first_x + columns.ravel() * self.pitch_x, self.first_y + rows.ravel() * self.pitch_y]
        )

    def step(self, xy: ArrayLike) -> NDArray[np.float64]:
        """Board points (n × 2) stepped over the panel: cells × n × 2, mm."""
        return np.asarray(self.origins()[:, None, :] + np.atleast_2d(np.asarray(xy, dtype=float))[None, :, :])


def single(board_w: float, board_h: float) -> Panel:
    """A panel of one board without rails."""
    return Panel(1, 1, board_w, board_h, 0.0, 0.0, board_w, board_h, board_w, board_h)
