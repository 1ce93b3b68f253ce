"""The board as its files draw it, as a picture: what a photograph is first held against."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import shapely

from fusilex.core.design.frames import part_to_board
from fusilex.core.design.model import Part
from fusilex.core.design.outlines import body_polygon
from fusilex.core.photo.frame import Floats, Frame, Picture

SUBSTRATE, COPPER, SILK, METAL = (62, 82, 34), (74, 98, 44), (205, 210, 205), (188, 194, 196)
_BODY = {
    "capacitor": (96, 128, 158),
    "connector": (196, 206, 210),
    "holder": (196, 206, 210),
    "electrolytic": (168, 170, 172),
    "crystal": (170, 172, 176),
    "led": (190, 214, 220),
}
DARK = (44, 42, 40)
"""Usual tones of bodies (blue, green, red); others are dark."""
CHIPS, END = ("resistor", "capacitor", "chip", "led"), 0.24
"""Bodies with metal ends, each of such a share of their length."""
BITS = 4


def draw(frame: Frame, parts: Sequence[Part]) -> Picture:
    """Board, copper, silk, pads and the bodies of `parts` in their usual tones."""
    import cv2

    wide, high = frame.size
    picture = np.zeros((high, wide, 3), np.uint8)

    def fill(polygon: Any, colour: tuple[int, int, int]) -> None:
        for one in getattr(polygon, "geoms", [polygon]):
            ring = np.round(frame.to_px(one.exterior.coords) * 2**BITS).astype(np.int32)
            cv2.fillPoly(picture, [ring], colour, cv2.LINE_AA, BITS)

    fill(frame.design.outline, SUBSTRATE)
    for role, colour in (("copper", COPPER), ("silk", SILK)):
        for layer in frame.design.layers:
            if layer.role == role and layer.side == frame.side:
                for polygon in layer.polygons:
                    fill(polygon, colour)
    for pad in frame.design.pads:
        if pad.side == frame.side or pad.drill:
            fill(pad.polygon, METAL)
    for part in parts:
        if part.side == frame.side:
            fill(body_polygon(part), _BODY.get(part.package.family, DARK))
            for end in _ends(part):
                fill(end, METAL)
    return picture


def _ends(part: Part) -> list[Any]:
    """The metal ends of a two-ended chip."""
    if part.package.family not in CHIPS or len(part.pads) != 2:
        return []
    x, y = part.package.size_x / 2, part.package.size_y / 2
    end = END * max(2 * x, 2 * y)
    boxes = ((-x, -y, -x + end, y), (x - end, -y, x, y)) if x >= y else ((-x, -y, x, -y + end), (-x, y - end, x, y))
    at, turn, side = (part.x, part.y), part.rotation_deg, part.side
    corners = ([(a, b), (c, b), (c, d), (a, d)] for a, b, c, d in boxes)
    return [shapely.Polygon(part_to_board(ring, at, turn, side)) for ring in corners]


def edges(picture: Picture, sigma: float) -> Floats:
    """Strength of edges, light evened out, for holding pictures of different kinds against one another (h × w)."""
    import cv2

    grey = cv2.cvtColor(picture, cv2.COLOR_BGR2GRAY).astype(np.float32)
    even = grey / (cv2.GaussianBlur(grey, (0, 0), 12 * sigma) + 8.0)
    dx, dy = cv2.Sobel(even, cv2.CV_32F, 1, 0), cv2.Sobel(even, cv2.CV_32F, 0, 1)
    strength = cv2.GaussianBlur(np.minimum(np.hypot(dx, dy), 0.8), (0, 0), sigma)
    return np.asarray(strength, dtype=np.float64)
