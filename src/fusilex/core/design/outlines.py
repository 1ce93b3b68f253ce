"""Outlines of bodies as they lie on the board."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Polygon

from fusilex.core.design.frames import part_to_board
from fusilex.core.design.model import Part


def body_polygon(part: Part, grow: float = 0.0) -> Polygon:
    """Outline of a part's body on the board (mm), grown by `grow` on every side."""
    x, y = part.package.size_x / 2 + grow, part.package.size_y / 2 + grow
    return Polygon(part_to_board([(-x, -y), (x, -y), (x, y), (-x, y)], (part.x, part.y), part.rotation_deg, part.side))


def package_outlines(parts: Sequence[Part], grow: float = 0.0) -> NDArray[np.object_]:
    """`body_polygon` of many parts at once (n)."""
    half = np.array([[p.package.size_x, p.package.size_y] for p in parts]) / 2 + grow
    turn = np.radians([p.rotation_deg for p in parts])
    corners = half[:, None, :] * np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])
    cos, sin = np.cos(turn)[:, None], np.sin(turn)[:, None]
    x = corners[..., 0] * cos - corners[..., 1] * sin
    y = corners[..., 0] * sin + corners[..., 1] * cos
    x *= np.array([-1.0 if p.side == "bottom" else 1.0 for p in parts])[:, None]
    at = np.array([[p.x, p.y] for p in parts])
    return np.asarray(shapely.polygons(np.stack([x, y], axis=-1) + at[:, None, :]))
