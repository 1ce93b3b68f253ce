"""What differs between a picture of a board and one of a good board, part by part, as suggestions to look at.

Both pictures are in the same frame. What is left of a shift between them is a smooth function of the place and is taken
out; then each part's body is looked for in every way it may lie, and its joints are held against one another's.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from fusilex.core.design.model import Part
from fusilex.core.design.outlines import body_polygon
from fusilex.core.evidence import NORMAL_95
from fusilex.core.photo.bodies import Found, every_place
from fusilex.core.photo.evened import Evened, balanced, drift, evened
from fusilex.core.photo.frame import Floats, Frame, Picture
from fusilex.core.photo.marks import Lies
from fusilex.core.photo.slant import LOW_MM, slanted
from fusilex.core.placing.turns import repeats_at
from fusilex.core.progress import Step, part_of, quiet

SAME, MISSING, TURNED, SHIFTED, OTHER, SHINE, UNSEEN, THERE = (
    "same",
    "missing",
    "turned",
    "shifted",
    "other part",
    "joint differs",
    "not seen",
    "there",
)
VERDICTS = (MISSING, TURNED, OTHER, SHIFTED, SHINE, UNSEEN, THERE, SAME)
"""What may be suggested, the gravest first. Against a drawn board no more can be told than that something is there."""
LIKE, GONE_GAIN, TURN_GAIN, MARK_GAIN, MARK_LIKE = 0.6, 0.02, 0.05, 0.15, 0.45
MARKED, MARK_SAME, LEAST_JOINT_PX = 0.8, 0.75, 12
SHIFT_SHARE, LEAST_SHIFT_MM, TWIST_DEG, FAR = 0.17, 0.09, 6.0, 0.1
FEW_OTHERS, OTHER_SHARE = 4, 0.2
"""When more parts than these look like others, it is the light that differs."""
TONE, SPREADS, GLARE, SHARP, BEYOND, DRAWN_GAIN = 0.25, 3.5, 0.35, 0.12, 0.1, 0.05


class Difference(Struct, frozen=True):
    """What is suggested of a part: a verdict, how like the good one it is (0 to 1), how far it lies off (mm, in the
    board's own frame) and how far it is turned (degrees, to the left as seen).
    """

    ref: str
    verdict: str
    score: float
    dx_mm: float
    dy_mm: float
    rotation_deg: float


class _Row(Struct, frozen=True):
    """How a part lies, the shine of its oddest joint in spreads of all of them, and whether the picture shows it; of
    its offset, what the slant of the look makes (mm), and for a tall one the standard error of that.
    """

    found: Found
    shine: float
    unseen: bool
    seen_mm: tuple[float, float] = (0.0, 0.0)
    error_mm: float = 0.0


def compare(
    frame: Frame,
    good: Picture,
    photo: Picture,
    parts: Sequence[Part],
    also: Sequence[Picture] = (),
    drawn: bool = False,
    step: Step = quiet,
) -> list[Difference]:
    """Each part of the frame's side, the gravest first. `also` are more pictures of good boards: what varies among them
    is no difference. `drawn` where the good one is a drawing.
    """
    own = [p for p in parts if p.side == frame.side and p.populated]
    others = [photo, *also]
    pictures = [evened(frame, picture) for picture in (good, *others)]
    if any(one.colourless for one in pictures):  # colours that one of them has not tell nothing
        pictures = [one.in_grey() for one in pictures]
    elif not drawn:
        pictures[1:] = [evened(frame, balanced(frame, picture, good)) for picture in others]
    a, *rest = pictures
    share = 1 / len(rest)
    rows, *usual = [
        _rows(frame, a, other, own, part_of(step, n * share, (n + 1) * share)) for n, other in enumerate(rest)
    ]
    limits = {part.ref: _Limits.of(part.ref, usual) for part in own}
    found = [
        _is_there(frame, part, rows[part.ref]) if drawn else _judged(frame, part, rows[part.ref], limits[part.ref])
        for part in own
    ]
    if sum(d.verdict == OTHER for d in found) > max(FEW_OTHERS, OTHER_SHARE * len(found)):
        found = [replace(d, verdict=UNSEEN) if d.verdict == OTHER else d for d in found]  # that is the light
    return sorted(found, key=lambda d: (VERDICTS.index(d.verdict), d.score))


def _rows(frame: Frame, a: Evened, b: Evened, parts: list[Part], step: Step) -> dict[str, _Row]:
    step(0.05, "light")
    shifts, like = _about(frame, a, b, parts)
    left = drift(frame, shifts, like, parts)
    shines = _shines(frame, a, b, parts)
    rows: dict[str, _Row] = {}
    seen, error, told = np.zeros((len(parts), 2)), np.zeros(len(parts)), np.zeros(len(parts), bool)
    low = np.array([p.package.height <= LOW_MM for p in parts], bool)
    for some in (low, ~low):  # the low ones tell how slanted the look is, and where the tall ones are to be looked for
        at = np.flatnonzero(some)
        drifts = left[at] + np.array([frame.of_mm(*seen[k]) for k in at]).reshape(-1, 2)
        off = np.zeros((len(parts), 2))
        for k, (part, found) in zip(at, every_place(frame, [parts[k] for k in at], a, b, drifts), strict=True):
            unseen = _unseen(frame, a, b, part)
            rows[part.ref] = _Row(found, shines.get(part.ref, 0.0), unseen, error_mm=float(error[k]))
            off[k], told[k] = frame.to_mm(found.here.dx, found.here.dy), not unseen and found.here.like > LIKE
            step(0.1 + 0.9 * len(rows) / len(parts), part.ref)
        if some is low and len(parts):
            seen, error = slanted(parts, off, told)
    for k in np.flatnonzero(low):
        rows[parts[k].ref] = replace(rows[parts[k].ref], seen_mm=(float(seen[k, 0]), float(seen[k, 1])))
    return rows


def _window(frame: Frame, polygon: Any, grow: float) -> tuple[int, int, int, int]:
    """Pixels about a shape: left, top, right, bottom, within the picture."""
    at = frame.to_px(polygon.exterior.coords)
    low = np.floor(at.min(axis=0) - grow * frame.scale).astype(int)
    high = np.ceil(at.max(axis=0) + grow * frame.scale).astype(int)
    wide, tall = frame.size
    return max(0, int(low[0])), max(0, int(low[1])), min(wide, int(high[0])), min(tall, int(high[1]))


def _about(frame: Frame, a: Evened, b: Evened, parts: Sequence[Part]) -> tuple[Floats, Floats]:
    """How far the surroundings of each part are shifted (n × 2, px), and how like they are (n)."""
    import cv2

    shifts, like = np.zeros((len(parts), 2)), np.zeros(len(parts))
    reach = round(0.4 * frame.scale)
    for n, part in enumerate(parts):
        x0, y0, x1, y1 = _window(frame, body_polygon(part), 0.6)
        left, top = max(0, x0 - reach), max(0, y0 - reach)
        field, patch = b.tones[top : y1 + reach, left : x1 + reach, 0], a.tones[y0:y1, x0:x1, 0]
        if min(patch.shape) < 4 or field.shape[0] < patch.shape[0] or field.shape[1] < patch.shape[1]:
            continue
        scores = cv2.matchTemplate(np.ascontiguousarray(field), np.ascontiguousarray(patch), cv2.TM_CCOEFF_NORMED)
        _, like[n], _, at = cv2.minMaxLoc(scores)
        shifts[n] = np.array(at) - (x0 - left, y0 - top)
    return shifts, like


def _shines(frame: Frame, a: Evened, b: Evened, parts: Sequence[Part]) -> dict[str, float]:
    """The joint of each part whose brightness differs most, in spreads of all joints of the board."""
    values: dict[str, list[float]] = {}
    for part in parts:
        body = body_polygon(part, 0.05)
        for pad in part.pads:
            open_ = pad.polygon.difference(body)
            if open_.is_empty or open_.area < 0.04:
                continue
            x0, y0, x1, y1 = _window(frame, open_.envelope, 0.0)
            inside = _within(frame, open_, (x0, y0, x1, y1))
            if inside.sum() > LEAST_JOINT_PX:
                first, second = (float(s.tones[y0:y1, x0:x1, 0][inside].mean()) for s in (a, b))
                values.setdefault(part.ref, []).append(math.log((second + 0.1) / (first + 0.1)))
    every = np.array([v for some in values.values() for v in some])
    if len(every) < 8:
        return {}
    middle = float(np.median(every))
    spread = 1.4826 * float(np.median(np.abs(every - middle))) + 0.03
    return {ref: max(((v - middle) / spread for v in some), key=abs) for ref, some in values.items()}


def _within(frame: Frame, shape: Any, window: tuple[int, int, int, int]) -> Any:
    """Which pixels of a window a shape covers."""
    import cv2

    x0, y0, x1, y1 = window
    mask = np.zeros((max(1, y1 - y0), max(1, x1 - x0)), np.uint8)
    for polygon in getattr(shape, "geoms", [shape]):
        cv2.fillPoly(mask, [np.round(frame.to_px(polygon.exterior.coords) - (x0, y0)).astype(np.int32)], 1)
    return mask > 0


def _unseen(frame: Frame, a: Evened, b: Evened, part: Part) -> bool:
    """The picture does not show the part: beyond its rim, out of focus or in glare, where the good one was not."""
    x, y = (int(v) for v in np.round(frame.to_px([(part.x, part.y)])[0]))
    wide, tall = frame.size
    x, y = min(max(x, 0), wide - 1), min(max(y, 0), tall - 1)
    x0, y0, x1, y1 = _window(frame, body_polygon(part), 0.2)
    first, second = (float(s.glare[y0:y1, x0:x1].mean()) for s in (a, b))
    if b.beyond[y0:y1, x0:x1].mean() > BEYOND:
        return True
    return bool(second > GLARE + first or b.sharp[y, x] < SHARP * a.sharp[y, x])


class _Limits(Struct, frozen=True):
    """How like, how near in tone, shine and marks a part has to be: as good boards show it, else as ships."""

    like: float
    tone: float
    shine: float
    marks: float

    @classmethod
    def of(cls, ref: str, usual: Sequence[Mapping[str, _Row]]) -> _Limits:
        rows = [u[ref] for u in usual]
        return cls(
            min([LIKE, *(r.found.here.like - 0.15 for r in rows)]),
            max([TONE, *(1.5 * r.found.tone for r in rows)]),
            max([SPREADS, *(1.5 * abs(r.shine) for r in rows)]),
            min([MARK_SAME, *(r.found.marks[0] - 0.15 for r in rows)]),
        )


def _judged(frame: Frame, part: Part, row: _Row, limits: _Limits) -> Difference:
    """One verdict from what was measured."""
    found, repeats = row.found, repeats_at(part)
    wrong = [one for one in found.turned if one.turn % repeats]
    turned = max(wrong, key=lambda one: one.like, default=Lies(0.0, 0.0, 0.0, 0.0))
    right = max([found.here, *(one for one in found.turned if not one.turn % repeats)], key=lambda one: one.like)
    lies = found.here if found.here.like > right.like - TURN_GAIN else right  # turned about, its own offset is too
    dx, dy = (v - s for v, s in zip(frame.to_mm(lies.dx, lies.dy), row.seen_mm, strict=True))
    best = max(right.like, turned.like)
    size = min(part.package.size_x, part.package.size_y)
    off, doubt, most = math.hypot(dx, dy), NORMAL_95 * row.error_mm, max(LEAST_SHIFT_MM, SHIFT_SHARE * size)
    twist = lies.turn if abs(lies.turn) < 45 else 0.0
    verdict, turn = SAME, twist
    if row.unseen:
        verdict = UNSEEN
    elif found.gone > best + GONE_GAIN - FAR * min(1.0, off / size) ** 2:  # what is found far away is another one
        verdict, dx, dy, turn = MISSING, 0.0, 0.0, 0.0
    elif turned.like > right.like + TURN_GAIN and turned.like > limits.like:
        verdict, turn = TURNED, turned.turn
        dx, dy = frame.to_mm(turned.dx, turned.dy)
    elif (by_mark := _turned_mark(found, repeats)) is not None:
        verdict, turn = TURNED, by_mark
        dx, dy = next(frame.to_mm(one.dx, one.dy) for one in found.turned if one.turn == by_mark)
    elif best < limits.like or found.tone > limits.tone or _other_mark(found, limits):
        verdict = OTHER
    elif off - doubt > most or abs(twist) > TWIST_DEG:
        verdict = SHIFTED
    elif off + doubt > most:
        verdict = UNSEEN
    elif abs(row.shine) > limits.shine:
        verdict = SHINE if math.hypot(*row.seen_mm) < LEAST_SHIFT_MM else UNSEEN  # a body that leans covers its joints
    return Difference(part.ref, verdict, max(0.0, min(1.0, best)), float(dx), float(dy), turn)


def _turned_mark(found: Found, repeats: float) -> float | None:
    """The turn by which what is on the body fits clearly better, where that would be a wrong way round."""
    marks = [(like, one.turn) for like, one in zip(found.marks[1:], found.turned, strict=True)]
    right = max(found.marks[0], *(like for like, turn in marks if not turn % repeats), 0.0)
    best, turn = max(((like, turn) for like, turn in marks if turn % repeats), default=(0.0, 0.0))
    return turn if best > right + MARK_GAIN and best > MARK_LIKE else None


def _is_there(frame: Frame, part: Part, row: _Row) -> Difference:
    """All that a drawing tells: whether the place looks bare."""
    here = row.found.here
    gain = here.like - row.found.gone
    verdict = MISSING if gain < -DRAWN_GAIN else THERE if gain > DRAWN_GAIN and here.like > LIKE else UNSEEN
    verdict = UNSEEN if row.unseen else verdict
    dx, dy = (0.0, 0.0) if verdict == MISSING else frame.to_mm(here.dx, here.dy)
    return Difference(part.ref, verdict, max(0.0, min(1.0, here.like)), float(dx), float(dy), 0.0)


def _other_mark(found: Found, limits: _Limits) -> bool:
    """What is on the body is not what is on the good one, where there is anything on it."""
    return found.texture > MARKED and max(found.marks) < limits.marks * found.texture
