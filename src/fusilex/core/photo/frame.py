"""The frame that all pictures of a board are brought into: seen straight from above, a side up, so many pixels a mm."""

from __future__ import annotations

import math
from functools import cached_property
from typing import Any

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from fusilex.core.design.model import Design

Picture = NDArray[np.uint8]
"""Height × width × 3, blue, green, red."""
Floats = NDArray[np.float64]
MOST_PX_MM, MOST_PX, MARGIN_MM, RIM_MM = 32.0, 2.5e6, 1.5, 0.15
"""Resolution where the board is small enough for it, pixels of a picture at most, and room about the outline,
and how far in from it the ground may shine through.
"""


class Frame(Struct, frozen=True, eq=False, dict=True):
    """A side of a design as pictures show it: x to the right, y down, the bottom mirrored as it is when turned over."""

    design: Design
    side: str
    px_mm: float = 0.0

    @cached_property
    def scale(self) -> float:
        """Pixels a mm."""
        x0, y0, x1, y1 = self.design.outline.bounds
        area = (x1 - x0 + 2 * MARGIN_MM) * (y1 - y0 + 2 * MARGIN_MM)
        return self.px_mm or min(MOST_PX_MM, math.sqrt(MOST_PX / area))

    @cached_property
    def size(self) -> tuple[int, int]:
        """Width and height, pixels."""
        x0, y0, x1, y1 = self.design.outline.bounds
        return round((x1 - x0 + 2 * MARGIN_MM) * self.scale), round((y1 - y0 + 2 * MARGIN_MM) * self.scale)

    def to_px(self, points: Any) -> Floats:
        """Board mm (n × 2) to pixels (n × 2)."""
        at = np.asarray(points, dtype=float).reshape(-1, 2)
        x0, _, x1, y1 = self.design.outline.bounds
        x = (x1 - at[:, 0]) if self.side == "bottom" else (at[:, 0] - x0)
        return np.column_stack([x + MARGIN_MM, y1 - at[:, 1] + MARGIN_MM]) * self.scale

    def to_mm(self, dx: float, dy: float) -> tuple[float, float]:
        """A shift in pixels as one in the board's own mm."""
        return (-dx if self.side == "bottom" else dx) / self.scale, -dy / self.scale

    def of_mm(self, dx: float, dy: float) -> tuple[float, float]:
        """A shift in the board's own mm as one in pixels."""
        return (-dx if self.side == "bottom" else dx) * self.scale, -dy * self.scale

    @cached_property
    def inside(self) -> Any:
        """The board without its rim, mm."""
        return self.design.outline.buffer(-RIM_MM)

    @cached_property
    def corners(self) -> Floats:
        """Corners of the outline's box, pixels, clockwise from the upper left as seen (4 × 2)."""
        x0, y0, x1, y1 = self.design.outline.bounds
        left, right = (x1, x0) if self.side == "bottom" else (x0, x1)
        return self.to_px([(left, y1), (right, y1), (right, y0), (left, y0)])

    def at_scale(self, px_mm: float) -> Frame:
        return Frame(self.design, self.side, px_mm)
