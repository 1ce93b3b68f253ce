"""Pads without names gathered into candidate parts, by pitch, symmetry and size.

Fine-pitch rows that face one another become chips, three-pad triangles become transistors, equal pads that face one
another become two-terminal parts, pads with holes on one pitch become headers, and what one closed silk line holds is
one part. A candidate is a guess that a person confirms.
"""

from __future__ import annotations

import math
from collections import defaultdict
from typing import Any

import numpy as np
import shapely
from msgspec import Struct
from numpy.typing import NDArray
from shapely import Polygon
from shapely.geometry.base import BaseGeometry

from fusilex.core.design.connectivity import DisjointSet
from fusilex.core.design.pad_rows import (
    LONE_ROW,
    SAME_MM,
    WIDEST_GAP_MM,
    PadSet,
    facing_rows,
    headers,
    rows_of,
)
from fusilex.core.progress import while_wanted

CHIP_GAP_MM = 3.2
SMALLEST_BOX_MM2, MOST_BOXED = 6.0, 4
"""A closed silk line round less is a letter; round more groups of pads it is a frame for several parts."""
ASKEW, FILLED = 0.9, 0.75
"""A pad whose smallest box round it is this much smaller than its upright one, and that fills it so far, lies askew."""


class Candidate(Struct, frozen=True):
    """Pads (indices into what was given) that look like one part. `kind`: chip, two-pad, triangle, row, header, boxed
    or single.
    """

    kind: str
    pads: tuple[int, ...]
    x: float
    y: float


def candidates(
    polygons: NDArray[np.object_], drills: NDArray[np.float64] | None = None, silk: BaseGeometry | None = None
) -> list[Candidate]:
    """Candidate parts among pads of one side: `polygons` (n, mm) and their hole diameters (n, mm, 0 for none).

    `silk` is all that is printed on that side: pads inside one closed line of it belong to one part.
    """
    angles = pad_angles(polygons)
    drills = np.zeros(len(polygons)) if drills is None else drills
    found = []
    for angle in np.unique(angles).tolist():  # parts that lie askew are upright in a frame of their own
        mine = np.flatnonzero(angles == angle)
        turned = polygons[mine] if not angle else _rotated(polygons[mine], -angle)
        printed = silk if not angle or silk is None else _rotated(silk, -angle)
        for c in _upright(turned, drills[mine], printed):
            x, y = (c.x, c.y) if not angle else _rotated(shapely.Point(c.x, c.y), angle).coords[0]
            found.append(Candidate(c.kind, tuple(mine[list(c.pads)].tolist()), x, y))
    return found


def printed_boxes(strokes: NDArray[np.object_]) -> BaseGeometry:
    """What is printed (n polygons), as one shape, without what is too small to hold a part: letters, marks, dots.

    Strokes whose boxes overlap are taken together; only where such a group is large enough are they united.
    """
    box = shapely.bounds(strokes)
    boxes = shapely.box(*box.T)
    a, b = shapely.STRtree(boxes).query(boxes)
    pieces = DisjointSet(len(strokes))
    for i, j in zip(a[a < b].tolist(), b[a < b].tolist(), strict=True):
        pieces.join(i, j)
    group = np.array([pieces.find(i) for i in range(len(strokes))], dtype=int)
    low, high = np.full((len(strokes), 2), np.inf), np.full((len(strokes), 2), -np.inf)
    np.minimum.at(low, group, box[:, :2])
    np.maximum.at(high, group, box[:, 2:])
    size = (high - low)[group]
    return shapely.disjoint_subset_union_all(strokes[size[:, 0] * size[:, 1] > SMALLEST_BOX_MM2])


def pad_angles(polygons: NDArray[np.object_]) -> NDArray[np.float64]:
    """How far pads (n) are turned out of x and y, degrees from 0 to below 90 in tenths; 0 for round ones."""
    if not len(polygons):
        return np.empty(0)
    boxes, area = shapely.bounds(polygons), shapely.area(polygons)
    sides = boxes[:, 2:] - boxes[:, :2]
    upright = np.prod(sides, axis=1)
    round_ = (np.abs(area / upright - math.pi / 4) < 0.02) & (np.abs(sides[:, 0] - sides[:, 1]) < SAME_MM)
    angles = np.zeros(len(polygons))
    doubtful = np.flatnonzero((area < ASKEW * upright) & ~round_)
    if not len(doubtful):
        return angles
    envelopes = shapely.oriented_envelope(polygons[doubtful])
    within = shapely.area(envelopes)
    askew = (within < ASKEW * upright[doubtful]) & (area[doubtful] > FILLED * within)
    if askew.any():
        corners = shapely.get_coordinates(envelopes[askew]).reshape(-1, 5, 2)
        edge = corners[:, 1] - corners[:, 0]
        angles[doubtful[askew]] = np.round(np.degrees(np.arctan2(edge[:, 1], edge[:, 0])) % 90, 1) % 90
    return angles


def _rotated(shape: Any, degrees: float) -> Any:
    cos, sin = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return shapely.transform(shape, lambda p: p @ np.array([[cos, sin], [-sin, cos]]))


def _upright(polygons: NDArray[np.object_], drills: NDArray[np.float64], silk: BaseGeometry | None) -> list[Candidate]:
    """Candidates among pads that all lie along x and y."""
    pads = PadSet(polygons, drills)
    groups: list[tuple[str, list[int]]] = []
    groups += [("header", g) for g in headers(pads)]
    rows = rows_of(pads)
    groups += facing_rows(pads, rows)
    groups += [("row", row) for row in rows if len(row) >= LONE_ROW and pads.claim(row)]
    groups += [("two-pad", g) for g in _pairs(pads, CHIP_GAP_MM, 1.1)]
    groups += [("triangle", g) for g in _triangles(pads)]
    groups += [("two-pad", g) for g in _pairs(pads, WIDEST_GAP_MM, 3.6)]
    groups += [("single", [int(i)]) for i in np.flatnonzero(pads.free)]
    if silk is not None:
        groups = _boxed(pads, groups, silk)
    return [_candidate(pads, kind, group) for kind, group in groups]


MOST_BESIDE = 100
"""Equal pads round the tip of a triangle: where there are more, it is no transistor but a field of pads."""


def _triangles(pads: PadSet) -> list[list[int]]:
    """Three equal pads, two in a row and the third across from their middle."""
    found = []
    a, b = pads.near(2.6)
    near: dict[int, list[int]] = defaultdict(list)
    for i, j in zip(a.tolist(), b.tolist(), strict=True):
        if pads.free[i] and pads.free[j] and pads.alike(i, j):
            near[i].append(j)
            near[j].append(i)
    for tip in while_wanted(sorted(near)):
        beside = np.array([i for i in near[tip] if pads.free[i]], dtype=int)
        if pads.free[tip] and len(beside) <= MOST_BESIDE and (best := _base_of(pads, tip, beside)):
            pads.take([*best, tip])
            found.append([*best, tip])
    return found


def _base_of(pads: PadSet, tip: int, beside: NDArray[np.int_]) -> list[int]:
    """The two of the pads beside a tip that make the smallest triangle with it, [] where none do."""
    first, second = np.triu_indices(len(beside), 1)
    i, j = beside[first], beside[second]
    base, reach = pads.at[j] - pads.at[i], pads.at[tip] - (pads.at[i] + pads.at[j]) / 2
    width, height = np.hypot(*base.T), np.hypot(*reach.T)
    shaped = (width >= 0.8) & (width <= 3.0) & (height > 0.6 * width) & (height < 2.2 * width)
    apart = width - pads.size[i].min(axis=1, initial=np.inf) > 0.9 * pads.size[i].max(axis=1, initial=0.0)
    square = np.abs((base * reach).sum(axis=1)) < 0.05 * width * height
    fit = np.flatnonzero(shaped & apart & square)
    if not len(fit):
        return []
    best = fit[np.argmin((width + height)[fit])]
    return [int(i[best]), int(j[best])]


def _pairs(pads: PadSet, reach: float, most: float) -> list[list[int]]:
    """Equal free pads that face each other, nearest first: a gap of at most `most` times the pads' longer side."""
    left = np.flatnonzero(pads.free)
    if len(left) < 2:
        return []
    a, b = pads.near(reach, left)
    alike = np.abs(pads.size[a] - pads.size[b]).max(axis=1, initial=0.0) < SAME_MM
    a, b = a[alike], b[alike]
    step = np.abs(pads.at[b] - pads.at[a])
    axis = step.argmax(axis=1) if len(a) else np.empty(0, dtype=int)
    k = np.arange(len(a))
    depth, width = pads.size[a, axis], pads.size[a, 1 - axis]
    gap = step[k, axis] - depth
    share = gap / np.maximum(depth, width)
    fair = (step[k, 1 - axis] < SAME_MM) & (gap > 0.15) & (share < most)
    cost = np.where(fair, share + 0.8 * np.maximum(0.0, depth / width - 1.1), np.inf)
    ranked = np.argsort(cost, kind="stable")
    return [group for n in ranked[np.isfinite(cost[ranked])] if pads.claim(group := [int(a[n]), int(b[n])])]


def _boxed(pads: PadSet, groups: list[tuple[str, list[int]]], silk: BaseGeometry) -> list[tuple[str, list[int]]]:
    """Join what stands inside one closed silk line, unless a whole chip is among it: then the line is a frame round
    several parts.
    """
    rings = [Polygon(r) for piece in shapely.get_parts(silk) if isinstance(piece, Polygon) for r in piece.interiors]
    middles = shapely.points(pads.at)
    for ring in sorted((r for r in rings if r.area > SMALLEST_BOX_MM2), key=lambda r: r.area):
        inside = set(np.flatnonzero(shapely.covers(ring, middles)).tolist())
        within = [g for g in groups if inside and set(g[1]) <= inside]
        if 2 <= len(within) <= MOST_BOXED and not any(kind in ("chip", "triangle") for kind, _ in within):
            groups = [g for g in groups if g not in within]
            groups.append(("boxed", sorted(i for _, members in within for i in members)))
    return groups


def _candidate(pads: PadSet, kind: str, group: list[int]) -> Candidate:
    low, high = pads.box[group, :2].min(axis=0), pads.box[group, 2:].max(axis=0)
    x, y = (low + high) / 2
    return Candidate(kind, tuple(sorted(group)), float(x), float(y))
