"""How a part lies in a picture: each way it may lie is rendered from the good picture, and the likest one is taken.

The good picture gives the body; where the body was, board and pads are filled in with the tones they have beside it.
The body laid on that, shifted, twisted, turned about or left out, is what the other picture may show; how well it does
is the correlation of lightness and colours over the place, which no gain or offset of the light changes.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
import shapely
from msgspec import Struct

from fusilex.core.design.frames import part_to_board
from fusilex.core.design.model import Part
from fusilex.core.design.outlines import body_polygon
from fusilex.core.photo.evened import BRIGHT, Evened
from fusilex.core.photo.frame import Floats, Frame
from fusilex.core.photo.marks import Lies, on_body

LEAST_REACH_MM, REACH, MOST_REACH_MM = 0.45, 0.8, 1.5
"""A body is looked for so far from its place: by share of its shorter side, and within these."""
TWISTS, TURNS = (-18.0, -12.0, -7.0, -3.5, -1.5, 1.5, 3.5, 7.0, 12.0, 18.0), (90.0, 180.0, 270.0)
SHORT_PX, LONG_PX, LEAST_PX, TURNED_MM, ERASED_MM = 16.0, 64.0, 6.0, 0.25, 0.12
"""Resolution of a place: its body's shorter side as many pixels, its longer one at most, the shorter one at least; a
body that is turned about is looked for so far about its place; so much about it is erased with it.
"""
MIDDLE = 0.4, 0.8
"""The middle of a body is such shares of its length and width."""


class Found(Struct, frozen=True):
    """The likest ways: about where it should be, turned about by quarters, and not there at all; how like what is on
    the body is to the good one's, as it lies and turned about; how far its tone is from what it should be; how much is
    on it that is no noise (0 to 1).
    """

    here: Lies
    turned: tuple[Lies, ...]
    gone: float
    tone: float
    marks: tuple[float, ...] = (0.0, 0.0, 0.0, 0.0)
    texture: float = 0.0


class Place:
    """The place of a part in both pictures, small enough to try many ways."""

    def __init__(self, frame: Frame, part: Part, good: Evened, other: Evened, drift: Floats) -> None:
        import cv2

        body = body_polygon(part)
        short, long = sorted((part.package.size_x, part.package.size_y))
        self.reach_mm = min(MOST_REACH_MM, max(LEAST_REACH_MM, REACH * short))
        self.scale = min(frame.scale, max(min(SHORT_PX / short, LONG_PX / long), LEAST_PX / short))
        x0, y0, x1, y1 = body.bounds
        room = self.reach_mm + 0.3
        corners = frame.to_px([(x0 - room, y1 + room), (x1 + room, y0 - room)])
        low = corners.min(axis=0)
        self.size = tuple(int(v) for v in np.ceil(np.ptp(corners, axis=0) * self.scale / frame.scale))
        zoom = self.scale / frame.scale
        self._to = np.array([[zoom, 0, -low[0] * zoom], [0, zoom, -low[1] * zoom]])
        shifted = self._to.copy()
        shifted[:, 2] -= np.asarray(drift) * zoom
        blur = 0.35 / zoom if zoom < 1 else 0.0

        def cut(picture: Any, to: Floats) -> Any:
            x, y = (max(0, int(v) - 3) for v in low)
            x2, y2 = (int(v) + 4 for v in corners.max(axis=0))
            own = picture[y:y2, x:x2]
            if own.size == 0:
                return np.zeros((self.size[1], self.size[0], 3), np.float32)
            own = cv2.GaussianBlur(own, (0, 0), blur) if blur else own
            moved = to.copy()
            moved[:, 2] += to[:, :2] @ (x, y)
            return cv2.warpAffine(own, moved, self.size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)

        self.good, self.other = cut(good.tones, self._to), cut(other.tones, shifted)
        self._whole, self._drift = (good.tones, other.tones), np.asarray(drift, dtype=float)
        self._part = part
        self.middle = self._px(frame, [(part.x, part.y)])[0]
        self.mask = self._filled(frame, body_polygon(part, 0.02))
        self.bare = self._erased(frame, part)
        self.weight = self._filled(frame, body_polygon(part, min(self.reach_mm, 0.5 * short + 0.1)))
        self.weight *= np.maximum(self._filled(frame, frame.inside), self.mask)  # the ground tells nothing
        self._sums()

    def _px(self, frame: Frame, points: Any) -> Floats:
        found: Floats = frame.to_px(points) @ self._to[:, :2].T + self._to[:, 2]
        return found

    def _filled(self, frame: Frame, shape: Any) -> Any:
        import cv2

        mask = np.zeros((self.size[1], self.size[0]), np.float32)
        for polygon in getattr(shape, "geoms", [shape]):
            ring = np.round(self._px(frame, polygon.exterior.coords) * 16).astype(np.int32)
            cv2.fillPoly(mask, [ring], 1.0, cv2.LINE_AA, 4)
        return (mask > 0.5).astype(np.float32)

    def _erased(self, frame: Frame, part: Part) -> Any:
        """The good picture without the body: pads and board in the tones that they have beside it."""
        body = self._filled(frame, body_polygon(part, ERASED_MM)) > 0
        pads = np.zeros(body.shape, bool)
        left, low, right, high = body_polygon(part, self.reach_mm + 0.3).bounds
        for pad in frame.design.pads:
            x0, y0, x1, y1 = pad.polygon.bounds
            if (pad.side == frame.side or pad.drill) and x1 > left and x0 < right and y1 > low and y0 < high:
                pads |= self._filled(frame, pad.polygon) > 0.5
        bare = self.good.copy()
        for mask, usual in ((~pads, None), (pads, True)):
            beside = mask & ~body
            if beside.sum() < 6 and usual:
                tone = np.array([BRIGHT, 0.0, 0.0], np.float32)
            elif beside.sum() < 6:
                continue
            else:
                tone = np.median(self.good[beside], axis=0)
            bare[mask & body] = tone
        return bare

    def _sums(self) -> None:
        """What does not depend on how the body lies: sums over the place that every way shares."""
        w = self.weight[..., None]
        self._total = float(self.weight.sum())
        self._held = self.other * w  # the picture, where it counts
        self._means = self._held.sum(axis=(0, 1)) / self._total
        self._size = float((self.other * self._held).sum() - self._total * (self._means**2).sum())
        self._under = {
            "both": (self._held * self.bare).sum(axis=2),
            "square": (w * self.bare**2).sum(axis=2),
            **{f"mean {c}": self.weight * self.bare[..., c] for c in range(3)},
        }
        self._bare = {name: float(image.sum()) for name, image in self._under.items()}

    def _correlation(self, both: Any, square: Any, means: Any) -> Any:
        """Correlation with the picture from the sums of renders: tones from their means, one gain for all."""
        shared = both - self._total * sum(m * o for m, o in zip(means, self._means.tolist(), strict=True))
        size = square - self._total * sum(m * m for m in means)
        return shared / np.sqrt(np.maximum(size * self._size, 1e-12))

    @property
    def gone(self) -> float:
        """How like the place is to a bare one."""
        means = [self._bare[f"mean {c}"] / self._total for c in range(3)]
        return float(self._correlation(self._bare["both"], self._bare["square"], means))

    def _laid(self, turn: float) -> tuple[Any, Any]:
        """The body turned about its middle, and its mask."""
        import cv2

        if not turn:
            return self.good, self.mask
        about = cv2.getRotationMatrix2D((float(self.middle[0]), float(self.middle[1])), turn, 1.0)
        body = cv2.warpAffine(self.good, about, self.size, borderMode=cv2.BORDER_REPLICATE)
        return body, (cv2.warpAffine(self.mask, about, self.size) > 0.5).astype(np.float32)

    def _scores(self, turn: float, reach: int, start: tuple[int, int]) -> Any:
        """Correlations of all shifts within a reach (px) of a start, y by x: the sums of a render are correlations of
        the body, or of its mask, with what lies under it.
        """
        import cv2

        body, mask = self._laid(turn)
        rows, columns = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
        top, bottom, left, right = rows[0], rows[-1] + 1, columns[0], columns[-1] + 1
        mask, body = mask[top:bottom, left:right], body[top:bottom, left:right]
        y, x = top + start[1] - reach, left + start[0] - reach
        high, wide = bottom - top + 2 * reach, right - left + 2 * reach

        def under(image: Any) -> Any:
            """The part of a picture that the body comes to lie on, nothing beyond its rim."""
            window = np.zeros((high, wide), np.float32)
            y0, x0 = max(0, y), max(0, x)
            own = image[y0 : max(0, y + high), x0 : max(0, x + wide)]
            window[y0 - y : y0 - y + own.shape[0], x0 - x : x0 - x + own.shape[1]] = own
            return window

        def slid(image: Any, template: Any) -> Any:
            return cv2.matchTemplate(under(image), np.ascontiguousarray(template, np.float32), cv2.TM_CCORR)

        on = body * mask[..., None]
        both = sum(slid(self._held[..., c], on[..., c]) for c in range(3))
        square = slid(self.weight, (on**2).sum(axis=2))
        means = [slid(self.weight, on[..., c]) for c in range(3)]
        both = self._bare["both"] + both - slid(self._under["both"], mask)
        square = self._bare["square"] + square - slid(self._under["square"], mask)
        hidden = [slid(self._under[f"mean {c}"], mask) for c in range(3)]
        whole = [
            (self._bare[f"mean {c}"] + m - h) / self._total for c, (m, h) in enumerate(zip(means, hidden, strict=True))
        ]
        return self._correlation(both, square, whole)

    def lies(self, turn: float, reach: int, start: tuple[int, int] = (0, 0)) -> Lies:
        """The likest shift within a reach (px) of a start, with a turn."""
        scores = self._scores(turn, reach, start)
        y, x = (int(v) for v in np.unravel_index(int(scores.argmax()), scores.shape))
        dx, dy = start[0] + x - reach, start[1] + y - reach
        return Lies(float(scores[y, x]), dx + _peak(scores[y], x), dy + _peak(scores[:, x], y), turn)

    def find(self, frame: Frame) -> Found:
        """The likest ways of all."""
        best = self.lies(0.0, max(2, round(self.reach_mm * self.scale)))
        for turn in TWISTS:
            one = self.lies(turn, 2, (round(best.dx), round(best.dy)))
            if one.like > best.like + 0.004:
                best = one
        near = max(2, round(TURNED_MM * self.scale))
        turned = tuple(self.lies(turn, near) for turn in TURNS)
        zoom = frame.scale / self.scale
        scaled = [Lies(one.like, one.dx * zoom, one.dy * zoom, one.turn) for one in (best, *turned)]
        marks = [on_body(frame, self._part, self._whole, self._drift, one) for one in scaled]
        told = tuple(like for like, _ in marks)
        return Found(scaled[0], tuple(scaled[1:]), self.gone, self._tone(frame, best), told, marks[0][1])

    def _tone(self, frame: Frame, best: Lies) -> float:
        """How far the tone of the body's middle, against the board beside it, is from the good one's."""
        beside = (self.weight > 0) & (self.mask == 0)
        beside &= ~(_shifted(self._laid(best.turn)[1], round(best.dx), round(best.dy)) > 0.5)
        own = self._filled(frame, _middle(self._part)) > 0.5
        mask = _shifted(own, round(best.dx), round(best.dy))
        if min(mask.sum(), own.sum(), beside.sum()) < 6:
            return 0.0
        good = np.median(self.good[own], axis=0) - np.median(self.good[beside], axis=0)
        here = np.median(self.other[mask], axis=0) - np.median(self.other[beside], axis=0)
        return float(np.linalg.norm((here - good) * np.array([0.5, 1.0, 1.0])))


def _middle(part: Part) -> Any:
    """The middle of a body, clear of its ends."""
    x, y = part.package.size_x / 2, part.package.size_y / 2
    x, y = (MIDDLE[0] * x, MIDDLE[1] * y) if x >= y else (MIDDLE[1] * x, MIDDLE[0] * y)
    ring = part_to_board([(-x, -y), (x, -y), (x, y), (-x, y)], (part.x, part.y), part.rotation_deg, part.side)
    return shapely.Polygon(ring)


def _shifted(image: Any, dx: int, dy: int) -> Any:
    """An image moved by whole pixels, its rim repeated."""
    high, wide = image.shape[:2]
    rows = np.clip(np.arange(high) - dy, 0, high - 1)
    return image[rows][:, np.clip(np.arange(wide) - dx, 0, wide - 1)]


def _peak(line: Any, at: int) -> float:
    """Where a parabola through a score and its neighbours is highest, pixels from it."""
    if not 0 < at < len(line) - 1:
        return 0.0
    before, here, after = (float(v) for v in line[at - 1 : at + 2])
    bend = before - 2 * here + after
    return 0.0 if bend > -1e-9 else max(-0.5, min(0.5, 0.5 * (before - after) / bend))


def every_place(
    frame: Frame, parts: list[Part], good: Evened, other: Evened, drifts: Floats
) -> Iterator[tuple[Part, Found]]:
    """Each part with how it lies."""
    for part, own in zip(parts, drifts, strict=True):
        yield part, Place(frame, part, good, other, own).find(frame)
