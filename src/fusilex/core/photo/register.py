"""Where a board lies in a picture: by its outline first, then by what is on it.

Corners of the board in the picture give a homography; of the four ways round that one is taken whose edges agree with
the reference. Features (Lowe 2004) matched against the reference, outliers left out by random sample consensus
(Fischler and Bolles 1981), refine it; against a drawn board the correlation of edges (Evangelidis and Psarakis 2008).
"""

from __future__ import annotations

from typing import Any

import numpy as np
from msgspec import Struct

from fusilex.core.photo.drawn import edges
from fusilex.core.photo.frame import Floats, Frame, Picture
from fusilex.core.photo.outline import candidates

COARSE_PX_MM, FINE_PX_MM, SEARCH_PX = 6.0, 16.0, 1800
AGREES, FEATURES, LEAST_FEATURES, NEAR_MM = 0.4, 4000, 16, 0.35
LIKE, LEAST_PARTS, PARTS_MM = 0.5, 8, (0.8, 0.4)
"""How well edges have to agree (correlation), features looked for, and how many of them have to agree within so far;
how like the places of parts have to be, how many of them, and how far about they are looked for.
"""
ENOUGH, RIM_SHARE = 2.0, 0.08
"""A picture is so many times as long as the frame at most; that share of a side is rim.
"""


class NotFound(ValueError):
    """The board was not found in the picture."""


class Reference(Struct, frozen=True, eq=False):
    """What a picture is held against, in the frame: a drawn board, or a photograph that was brought into it."""

    frame: Frame
    picture: Picture
    drawn: bool = False


def flattened(picture: Picture, reference: Reference) -> Picture:
    """The picture as the frame shows it: straight from above, the right way round. Raises `NotFound`."""
    import cv2

    most = ENOUGH * max(reference.frame.size)
    if max(picture.shape[:2]) > most:  # more pixels than the frame can show
        factor = most / max(picture.shape[:2])
        picture = cv2.resize(picture, None, fx=factor, fy=factor, interpolation=cv2.INTER_AREA)
    shape = found_at(picture, reference)
    return np.asarray(cv2.warpPerspective(picture, np.linalg.inv(shape), reference.frame.size, flags=cv2.INTER_LINEAR))


def found_at(picture: Picture, reference: Reference) -> Floats:
    """The homography (3 × 3) from pixels of the frame to pixels of the picture. Raises `NotFound`."""
    import cv2

    frame = reference.frame
    coarse = frame.at_scale(min(frame.scale, COARSE_PX_MM))
    step = coarse.scale / frame.scale
    goal = edges(cv2.resize(reference.picture, coarse.size, interpolation=cv2.INTER_AREA), 1.5)
    best: tuple[float, Floats] = -1.0, np.eye(3)
    for corners in candidates(picture, frame):
        for turn in range(4):
            shape = _homography(frame.corners, np.roll(corners, -turn, axis=0))
            seen = cv2.warpPerspective(picture, np.linalg.inv(shape @ _scaled(1 / step)), coarse.size)
            agrees = _agreement(edges(seen, 1.5), goal)
            if agrees > best[0]:
                best = agrees, shape
    if reference.drawn or best[0] < AGREES:
        best = max(best, _nudged(picture, best[1], reference), key=lambda one: one[0])
    refined = best[1] if reference.drawn else _by_features(picture, best[1] if best[0] >= AGREES else None, reference)
    if refined is None or _agrees(picture, refined, reference) < AGREES:
        raise NotFound("the board is not found in it: all four corners on a plain ground, the whole board sharp")
    return refined


def _agrees(picture: Picture, shape: Floats, reference: Reference) -> float:
    import cv2

    fine = reference.frame.at_scale(min(reference.frame.scale, COARSE_PX_MM))
    step = fine.scale / reference.frame.scale
    seen = cv2.warpPerspective(picture, np.linalg.inv(shape @ _scaled(1 / step)), fine.size)
    return _agreement(edges(seen, 1.5), edges(cv2.resize(reference.picture, fine.size), 1.5))


def _scaled(factor: float) -> Floats:
    return np.diag([factor, factor, 1.0])


def _homography(start: Floats, goal: Floats) -> Floats:
    import cv2

    found = cv2.getPerspectiveTransform(start.astype(np.float32), goal.astype(np.float32))
    return np.asarray(found, dtype=float)


def _agreement(a: Any, b: Any) -> float:
    """Correlation of two pictures of edges, but for the rim, where any board of this shape agrees."""
    rim = round(RIM_SHARE * min(a.shape)) + 1
    a, b = a[rim:-rim, rim:-rim], b[rim:-rim, rim:-rim]
    a, b = a - a.mean(), b - b.mean()
    return float((a * b).sum() / (np.sqrt((a * a).sum() * (b * b).sum()) + 1e-12))


def _nudged(picture: Picture, shape: Floats, reference: Reference) -> tuple[float, Floats]:
    """The homography moved until edges agree best."""
    import cv2

    found = shape
    for px_mm, sigma in ((COARSE_PX_MM / 2, 2.0), (COARSE_PX_MM, 2.0), (2 * COARSE_PX_MM, 1.5)):
        frame = reference.frame.at_scale(min(reference.frame.scale, px_mm))
        up = _scaled(reference.frame.scale / frame.scale)
        goal = edges(cv2.resize(reference.picture, frame.size, interpolation=cv2.INTER_AREA), sigma).astype(np.float32)
        seen = edges(cv2.warpPerspective(picture, np.linalg.inv(found @ up), frame.size), sigma).astype(np.float32)
        ends = cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 40, 1e-6
        try:
            _, warp = cv2.findTransformECC(
                goal, seen, np.eye(3, dtype=np.float32), cv2.MOTION_HOMOGRAPHY, ends, None, 3
            )
        except cv2.error:  # nothing that agrees
            break
        better = found @ up @ warp.astype(float) @ np.linalg.inv(up)
        moved = edges(cv2.warpPerspective(picture, np.linalg.inv(better @ up), frame.size), sigma)
        if _agreement(moved, goal) > _agreement(seen, goal):
            found = better
    corners = cv2.perspectiveTransform(reference.frame.corners[None], shape)[0]  # as the outline says
    found = _by_parts(picture, found, reference, corners)
    return _agrees(picture, found, reference), found


def _by_parts(picture: Picture, shape: Floats, reference: Reference, corners: Floats) -> Floats:
    """The homography through the places of parts and bare pads, each where its edges fit best near by, and through the
    corners of the outline in the picture, where they agree with them.
    """
    import cv2

    frame = reference.frame.at_scale(min(reference.frame.scale, 2 * COARSE_PX_MM))
    up = _scaled(reference.frame.scale / frame.scale)
    goal = edges(cv2.resize(reference.picture, frame.size, interpolation=cv2.INTER_AREA), 1.2).astype(np.float32)
    places = [(p.x, p.y, max(p.package.size_x, p.package.size_y) / 2) for p in frame.design.parts]
    wide, high = frame.size
    for reach_mm in PARTS_MM:
        seen = edges(cv2.warpPerspective(picture, np.linalg.inv(shape @ up), frame.size), 1.2).astype(np.float32)
        reach = round(reach_mm * frame.scale)
        start = [(float(x), float(y)) for x, y in frame.corners]
        goal_at = [
            (float(x), float(y)) for x, y in cv2.perspectiveTransform(corners[None], np.linalg.inv(shape @ up))[0]
        ]
        for x, y, half in places:
            cx, cy = frame.to_px([(x, y)])[0]
            room = (min(half, 4.0) + 0.8) * frame.scale
            x0, y0, x1, y1 = (round(v) for v in (cx - room, cy - room, cx + room, cy + room))
            if x0 < reach or y0 < reach or x1 > wide - reach or y1 > high - reach:
                continue
            patch, field = goal[y0:y1, x0:x1], seen[y0 - reach : y1 + reach, x0 - reach : x1 + reach]
            if patch.std() < 1e-4:
                continue
            scores = cv2.matchTemplate(field, patch, cv2.TM_CCOEFF_NORMED)
            _, best, _, (dx, dy) = cv2.minMaxLoc(scores)
            if best > LIKE:
                start.append((cx, cy))
                goal_at.append((cx + dx - reach, cy + dy - reach))
        if len(start) < LEAST_PARTS:
            return shape
        method = cv2.USAC_MAGSAC, NEAR_MM * frame.scale
        warp, inside = cv2.findHomography(np.array(start), np.array(goal_at), *method, maxIters=5000)
        if warp is None or int(inside.sum()) < LEAST_PARTS:
            return shape
        shape = shape @ up @ np.asarray(warp, dtype=float) @ np.linalg.inv(up)
    return shape


def _by_features(picture: Picture, shape: Floats | None, reference: Reference) -> Floats | None:
    """The homography by features that both pictures show; from nowhere where no outline was found."""
    import cv2

    frame = reference.frame.at_scale(min(reference.frame.scale, FINE_PX_MM))
    up = _scaled(reference.frame.scale / frame.scale)
    goal = cv2.resize(reference.picture, frame.size, interpolation=cv2.INTER_AREA)
    if shape is None:
        factor = min(1.0, SEARCH_PX / max(picture.shape[:2]))
        seen, back = cv2.resize(picture, None, fx=factor, fy=factor, interpolation=cv2.INTER_AREA), _scaled(1 / factor)
    else:
        back = shape @ up
        seen = cv2.warpPerspective(picture, np.linalg.inv(back), frame.size)
    finder: Any = cv2.SIFT.create(FEATURES)
    own, own_words = finder.detectAndCompute(_even(seen), None)
    there, their_words = finder.detectAndCompute(_even(goal), None)
    if own_words is None or their_words is None or min(len(own), len(there)) < LEAST_FEATURES:
        return shape
    pairs = [
        pair[0]
        for pair in cv2.BFMatcher().knnMatch(their_words, own_words, k=2)
        if len(pair) == 2 and pair[0].distance < 0.75 * pair[1].distance
    ]
    start = np.array([there[m.queryIdx].pt for m in pairs]).reshape(-1, 2)
    goal_at = np.array([own[m.trainIdx].pt for m in pairs]).reshape(-1, 2)
    if shape is not None:  # what lies far from where it should be is another of the same kind
        near = np.linalg.norm(start - goal_at, axis=1) < 3.0 * frame.scale
        start, goal_at = start[near], goal_at[near]
    if len(start) < LEAST_FEATURES:
        return shape
    found, inside = cv2.findHomography(start, goal_at, cv2.USAC_MAGSAC, NEAR_MM * frame.scale, maxIters=5000)
    if found is None or int(inside.sum()) < LEAST_FEATURES:
        return shape
    better: Floats = back @ np.asarray(found, dtype=float) @ np.linalg.inv(up)
    if shape is None or _agrees(picture, better, reference) >= _agrees(picture, shape, reference) - 0.02:
        return better
    return shape


def _even(picture: Picture) -> Any:
    """Grey with its light evened out, for features."""
    import cv2

    return cv2.createCLAHE(2.0, (8, 8)).apply(cv2.cvtColor(picture, cv2.COLOR_BGR2GRAY))
