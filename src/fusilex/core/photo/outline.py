"""Where the outline of a board may be in a picture: what stands out from its surroundings, by its straight sides."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from fusilex.core.photo.frame import Floats, Frame, Picture

SMALL_PX, LEAST_SHARE = 900, 0.04
"""Outlines are looked for in a picture of such a length; a board fills at least so much of it."""


def candidates(picture: Picture, frame: Frame) -> Iterator[Floats]:
    """Quadrangles (4 × 2, clockwise) that may be the board: the whole picture where its shape fits, and what stands out
    from its surroundings by colour, by saturation or by edges.
    """
    import cv2

    high, wide = picture.shape[:2]
    margin = frame.corners - frame.corners.min(axis=0)
    shape = margin[2, 0] / margin[2, 1]
    if 0.94 < wide / high / shape < 1.06 or 0.94 < wide / high * shape < 1.06:
        yield np.array([[0, 0], [wide, 0], [wide, high], [0, high]], dtype=float)
    whole = frame.size[0] / frame.size[1]
    if 0.97 < wide / high / whole < 1.03:  # a picture that was in this frame already
        yield frame.corners * [wide / frame.size[0], high / frame.size[1]]
    factor = min(1.0, SMALL_PX / max(high, wide))
    small = cv2.resize(picture, None, fx=factor, fy=factor, interpolation=cv2.INTER_AREA)
    lab = cv2.cvtColor(cv2.GaussianBlur(small, (0, 0), 2), cv2.COLOR_BGR2LAB).astype(np.float32)
    rim = max(3, round(0.03 * max(lab.shape[:2])))
    border = np.concatenate([lab[:rim].reshape(-1, 3), lab[-rim:].reshape(-1, 3), lab[:, :rim].reshape(-1, 3)])
    ground = np.median(border, axis=0)
    hsv = cv2.cvtColor(small, cv2.COLOR_BGR2HSV)
    maps = (
        np.hypot(lab[..., 1] - ground[1], lab[..., 2] - ground[2]),
        np.linalg.norm(lab - ground, axis=2),
        hsv[..., 1].astype(np.float32),
        255.0 - hsv[..., 1].astype(np.float32),
    )
    for one in maps:
        level = cv2.normalize(one, None, 0, 255, cv2.NORM_MINMAX).astype(np.uint8)
        _, mask = cv2.threshold(level, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
        yield from (corners / factor for corners in _quadrangles(mask))


def _quadrangles(mask: Any) -> Iterator[Floats]:
    """The corners of the largest thing in a mask, as its sides say, and as the smallest box about it."""
    import cv2

    closed = cv2.morphologyEx(mask, cv2.MORPH_CLOSE, np.ones((15, 15), np.uint8))
    opened = cv2.morphologyEx(closed, cv2.MORPH_OPEN, np.ones((9, 9), np.uint8))
    contours, _ = cv2.findContours(opened, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    if not contours:
        return
    largest = max(contours, key=cv2.contourArea)
    if cv2.contourArea(largest) < LEAST_SHARE * mask.size:
        return
    box = _clockwise(cv2.boxPoints(cv2.minAreaRect(largest)).astype(float))
    if (sides := _sides(largest.reshape(-1, 2).astype(float), box)) is not None:
        yield sides
    yield box


def _clockwise(corners: Floats) -> Floats:
    """Corners from the upper left on, clockwise as seen."""
    middle = corners.mean(axis=0)
    order = np.argsort(np.arctan2(*(corners - middle).T[::-1]))
    corners = corners[order]
    return np.roll(corners, -int((corners.sum(axis=1)).argmin()), axis=0)


def _sides(contour: Floats, box: Floats) -> Floats | None:
    """Where straight lines through the contour's four sides meet: what hangs over an edge is left out of its line."""
    import cv2

    lines = []
    for k in range(4):
        a, b = box[k], box[(k + 1) % 4]
        along = (b - a) / (np.linalg.norm(b - a) + 1e-9)
        across = np.array([-along[1], along[0]])
        t, away = (contour - a) @ along, (contour - a) @ across
        length = float(np.linalg.norm(b - a))
        own = (t > 0.08 * length) & (t < 0.92 * length) & (np.abs(away) < 0.12 * length)
        if own.sum() < 20:
            return None
        points = contour[own]
        for _ in range(4):  # lines that forget what lies far from them
            vx, vy, x, y = (
                float(v) for v in cv2.fitLine(points.astype(np.float32), cv2.DIST_HUBER, 0, 0.01, 0.01).ravel()
            )
            off = np.abs((points - (x, y)) @ np.array([-vy, vx]))
            keep = off <= max(1.5, 2.0 * float(np.median(off)))
            if keep.all() or keep.sum() < 20:
                break
            points = points[keep]
        lines.append((np.array([x, y]), np.array([vx, vy])))
    corners = []
    for k in range(4):
        (p, d), (q, e) = lines[k - 1], lines[k]
        system = np.column_stack([d, -e])
        if abs(np.linalg.det(system)) < 1e-6:
            return None
        corners.append(p + d * np.linalg.solve(system, q - p)[0])
    return _clockwise(np.array(corners))
