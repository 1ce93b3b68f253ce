"""A picture taken apart: light evened out, colour without it, how sharp it is and where it glares."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from fusilex.core.design.model import Part
from fusilex.core.photo.frame import Floats, Frame, Picture

COARSER = 8
EVEN_MM, DARK, BRIGHT, BURNT, GREY = 5.0, 4.0, 1.5, 250, 0.01
"""Light is evened over so far; what is added so that black stays black; lightness of solder, beyond which a highlight
tells nothing; a level that is white for the camera; less colour than that on
average is none.
"""


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
