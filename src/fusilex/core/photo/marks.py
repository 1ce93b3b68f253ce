"""What is printed on a body: as it is on the good one, or not, or turned about."""

from __future__ import annotations

from typing import Any

import numpy as np
from msgspec import Struct

from fusilex.core.design.model import Part
from fusilex.core.design.outlines import body_polygon
from fusilex.core.photo.frame import Floats, Frame

MARK_PX, MARK_MM, INNER, FAINT = 200.0, 0.15, 0.84, 0.06
"""Marks on a body are compared at such a resolution, so far about their place, within that share of the body; with
less spread of lightness there is no telling.
"""


class Lies(Struct, frozen=True):
    """The likest way a body lies: shift (px of the frame), turn (degrees, to the left as seen), and how like it is."""

    like: float
    dx: float
    dy: float
    turn: float


def on_body(frame: Frame, part: Part, pictures: tuple[Any, Any], drift: Floats, lies: Lies) -> tuple[float, float]:
    """Correlation of what is on the body, laid back as the good one lies; and of the good one with itself out of
    focus, which noise has little of.
    """
    import cv2

    zoom = min(1.0, MARK_PX / (max(part.package.size_x, part.package.size_y) * frame.scale))
    inner = body_polygon(part).buffer(0)
    at = frame.to_px([(part.x, part.y)])[0]
    ring = (frame.to_px(inner.exterior.coords) - at) * INNER
    half = np.abs(ring).max(axis=0) + MARK_MM * frame.scale
    size = tuple(int(v) for v in np.ceil(2 * half * zoom))
    middle = half * zoom

    def laid(picture: Any, turn: float, shift: Floats) -> Any:
        about = cv2.getRotationMatrix2D((0.0, 0.0), -turn, zoom)
        about[:, 2] = middle - about[:, :2] @ (at + shift)
        return cv2.warpAffine(picture, about, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)

    good = laid(pictures[0], 0.0, np.zeros(2))
    other = laid(pictures[1], lies.turn, drift + np.array([lies.dx, lies.dy]))
    rim = max(1, round(MARK_MM * frame.scale * zoom))
    patch = good[rim:-rim, rim:-rim]
    if min(patch.shape[:2]) < 4 or float(patch.std()) < 1e-3:
        return 0.0, 0.0
    patch = np.ascontiguousarray(patch)
    faint = float(patch[..., 0].std()) < FAINT
    scores = cv2.matchTemplate(other, patch, cv2.TM_CCOEFF_NORMED)
    soft = cv2.matchTemplate(cv2.GaussianBlur(patch, (0, 0), 2.0), patch, cv2.TM_CCOEFF_NORMED)
    return float(np.nan_to_num(scores).max()), 0.0 if faint else float(np.nan_to_num(soft).max())
