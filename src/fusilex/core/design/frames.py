"""Frames of reference: a part's own frame, the board seen from the top, the panel.

The board frame is x right, y up, millimetres, always seen **from the top**. A turn is counter-clockwise positive as
seen from the side the part sits on, so a bottom part is turned first and mirrored afterwards.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray


def part_to_board(xy: ArrayLike, at: tuple[float, float], turn_deg: float, side: str) -> NDArray[np.float64]:
    """Points of a part's own frame (n × 2, mm) in the board frame (n × 2, mm).

    `side` is ``"top"`` or ``"bottom"``; bottom parts are mirrored about their own y axis after turning.
    """
    points = np.atleast_2d(np.asarray(xy, dtype=float))
    angle = np.radians(turn_deg)
    cos, sin = np.cos(angle), np.sin(angle)
    turned = points @ np.array([[cos, sin], [-sin, cos]])
    if side == "bottom":
        turned = turned * (-1.0, 1.0)
    return np.asarray(turned + np.asarray(at, dtype=float))


def board_to_part(xy: ArrayLike, at: tuple[float, float], turn_deg: float, side: str) -> NDArray[np.float64]:
    """Inverse of `part_to_board`: board points (n × 2, mm) in the part's own frame."""
    points = np.atleast_2d(np.asarray(xy, dtype=float)) - np.asarray(at, dtype=float)
    if side == "bottom":
        points = points * (-1.0, 1.0)
    angle = np.radians(turn_deg)
    cos, sin = np.cos(angle), np.sin(angle)
    return np.asarray(points @ np.array([[cos, -sin], [sin, cos]]))
