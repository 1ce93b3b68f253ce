"""A picture taken apart: light evened out, colour without it, how sharp it is and where it glares."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from fusilex.core.design.model import Part
from fusilex.core.photo.frame import Floats, Frame, Picture

COARSER = 8
EVEN_MM, DARK, BRIGHT, BURNT, GREY = 5.0, 4.0, 1.5, 250, 0.01
"""Light is evened over so far; what is added so that black stays black; lightness of solder, beyond which a highlight
tells nothing; a level that is white for the camera; less colour than that on average is none.
"""
SHARES = np.arange(2.0, 99.0, 2.0)
"""Levels of two pictures are held against one another at these shares of the board (%)."""


class Evened(Struct, frozen=True, eq=False):
    """Lightness and two colours over the wide blur of lightness (h × w × 3), sharpness, glare, and where the picture
    ends (each h × w).
    """

    tones: Any
    sharp: Any
    glare: Any
    beyond: Any

    @property
    def colourless(self) -> bool:
        """True for a picture in shades of grey."""
        return bool(np.abs(self.tones[..., 1:]).mean() < GREY)

    def in_grey(self) -> Evened:
        """The same without its colours."""
        return replace(self, tones=self.tones * np.array([1, 0, 0], np.float32))


def balanced(frame: Frame, picture: Picture, good: Picture) -> Picture:
    """A picture under the light of the good one: each of its colours over its own wide blur, as bright as the good
    one's there, then along the curve that brings its levels on the board to the good one's. Neither another colour of
    light, nor more or less of it, nor a camera's own curve is left; what was burnt out or black stays so.
    """
    import cv2

    board = np.zeros(frame.size[::-1], np.uint8)
    for polygon in getattr(frame.inside, "geoms", [frame.inside]):
        cv2.fillPoly(board, [np.round(frame.to_px(polygon.exterior.coords)).astype(np.int32)], 1)
    within = (board > 0) & (picture.max(axis=2) > 0)
    if not within.any():
        return picture
    made = np.zeros(picture.shape, np.float32)
    for channel in range(3):
        own, like = (p[..., channel].astype(np.float32) for p in (picture, good))
        own = own * (_wide_blur(like, EVEN_MM * frame.scale) + DARK) / (_wide_blur(own, EVEN_MM * frame.scale) + DARK)
        made[..., channel] = _curve(np.percentile(own[within], SHARES), np.percentile(like[within], SHARES))(own)
    made[picture.max(axis=2) == 0] = 0
    made[picture.min(axis=2) >= BURNT] = 255
    return np.clip(made, 0, 255).astype(np.uint8)


def _curve(own: Floats, like: Floats) -> Callable[[Any], Any]:
    """A power with gain and lift, as cameras and haze bend levels, that brings levels to others, most of all where all
    agree.
    """
    from scipy.optimize import least_squares

    def bent(at: Any, gain: float, power: float, lift: float) -> Any:
        return math.exp(gain) * np.maximum(at - lift, 0.5) ** power

    def off(numbers: Floats) -> Floats:
        return np.asarray(np.log((bent(own, *numbers) + DARK) / (like + DARK)))

    least, most = [-8.0, 0.3, -40.0], [8.0, 3.0, max(1.0, float(own[0]))]
    found = least_squares(off, [0.0, 1.0, 0.0], bounds=(least, most), loss="soft_l1", f_scale=0.1)
    return lambda at: bent(at, *found.x)


def evened(frame: Frame, picture: Picture) -> Evened:
    """A picture in the frame, taken apart."""
    import cv2

    lab = cv2.cvtColor(picture.astype(np.float32) / 255, cv2.COLOR_BGR2LAB)
    ground = _wide_blur(lab[..., 0], EVEN_MM * frame.scale) + DARK
    fine = cv2.GaussianBlur(lab[..., 0], (0, 0), 0.04 * frame.scale)
    edge = np.hypot(cv2.Sobel(fine, cv2.CV_32F, 1, 0), cv2.Sobel(fine, cv2.CV_32F, 0, 1)) / ground
    sharp = _wide_blur(edge**2, 1.5 * frame.scale)
    glare = (picture.min(axis=2) >= BURNT).astype(np.float32)
    tones = lab / ground[..., None]
    np.minimum(tones[..., 0], BRIGHT, out=tones[..., 0])
    beyond = (picture.max(axis=2) == 0).astype(np.float32)  # as a picture is filled beyond its rim
    return Evened(tones, sharp, glare, beyond)


def _wide_blur(levels: Any, sigma_px: float) -> Any:
    """A blur so wide that an eighth of the picture's points carry it."""
    import cv2

    small = cv2.resize(levels, None, fx=1 / COARSER, fy=1 / COARSER, interpolation=cv2.INTER_AREA)
    return cv2.resize(cv2.GaussianBlur(small, (0, 0), sigma_px / COARSER), levels.shape[1::-1])


def drift(frame: Frame, shifts: Floats, like: Floats, parts: Sequence[Part]) -> Floats:
    """What is left of a shift between two pictures at each part (n × 2, px): a plane through the shifts that were
    found, by Huber's weights, what is more alike counting for more.
    """
    if len(parts) < 4:
        return np.zeros((len(parts), 2))
    at = np.array([(p.x, p.y) for p in parts])
    base = np.column_stack([np.ones(len(at)), (at - at.mean(axis=0)) / (np.ptp(at, axis=0).max() + 1e-9)])
    alike = np.clip(like, 0.0, 1.0) ** 2
    weight = alike
    for _ in range(20):
        whole = base * weight[:, None]
        plane, *_ = np.linalg.lstsq(whole.T @ base + 1e-6 * np.eye(3), whole.T @ shifts, rcond=None)
        off = np.linalg.norm(shifts - base @ plane, axis=1)
        scale = 1.5 * float(np.median(off)) + 0.02 * frame.scale
        weight = alike * np.minimum(1.0, scale / np.maximum(off, 1e-9)) ** 2
    left: Floats = base @ plane
    return left
