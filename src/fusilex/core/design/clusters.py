"""Pads without names gathered into candidate parts, by pitch, symmetry and size.

Fine-pitch rows that face one another become chips, three-pad triangles become transistors, equal pads that face one
another become two-terminal parts, pads with holes on one pitch become headers, and what one closed silk line holds is
one part. A candidate is a guess that a person confirms.
"""

from __future__ import annotations

import math
from collections import defaultdict
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import Polygon
from shapely.geometry.base import BaseGeometry

from fusilex.core.design.connectivity import DisjointSet

SAME_MM = 0.03
ROW_PITCH_MM = (0.3, 2.6)
LONE_ROW = 4
"""A row of this many pads is a connector even when nothing faces it."""
CHIP_GAP_MM = 3.2
SMALLEST_BOX_MM2, MOST_BOXED = 6.0, 4
"""A closed silk line round less is a letter; round more groups of pads it is a frame for several parts."""
ASKEW, FILLED = 0.9, 0.75
"""A pad whose smallest box round it is this much smaller than its upright one, and that fills it so far, lies askew."""
WIDEST_GAP_MM = 14.0
"""Widest gap (mm) between the two pads of a candidate chip, and of anything with two terminals."""


@dataclass(frozen=True)
class Candidate:
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
    pads = _Pads(polygons, drills)
    groups: list[tuple[str, list[int]]] = []
    groups += [("header", g) for g in _headers(pads)]
    rows = _rows(pads)
    groups += _facing_rows(pads, rows)
    groups += [("row", row) for row in rows if len(row) >= LONE_ROW and pads.claim(row)]
    groups += [("two-pad", g) for g in _pairs(pads, CHIP_GAP_MM, 1.1)]
    groups += [("triangle", g) for g in _triangles(pads)]
    groups += [("two-pad", g) for g in _pairs(pads, WIDEST_GAP_MM, 3.6)]
    groups += [("single", [int(i)]) for i in np.flatnonzero(pads.free)]
    if silk is not None:
        groups = _boxed(pads, groups, silk)
    return [_candidate(pads, kind, group) for kind, group in groups]


class _Pads:
    """Middles, sizes and boxes of the pads, and which are not claimed yet."""

    def __init__(self, polygons: NDArray[np.object_], drills: NDArray[np.float64]) -> None:
        self.polygons, self.drills = polygons, drills
        self.box = shapely.bounds(polygons)
        self.at = (self.box[:, :2] + self.box[:, 2:]) / 2
        self.size = self.box[:, 2:] - self.box[:, :2]
        self.tree = shapely.STRtree(polygons)
        self.free = np.ones(len(polygons), dtype=bool)

    def take(self, group: list[int]) -> None:
        self.free[group] = False

    def claim(self, group: list[int]) -> bool:
        """Take a group when all of it is still free."""
        free = bool(self.free[group].all())
        if free:
            self.take(group)
        return free

    def alike(self, i: int, j: int) -> bool:
        """Equal size, turned or not."""
        return bool(np.abs(np.sort(self.size[i]) - np.sort(self.size[j])).max() < SAME_MM)

    def near(self, reach: float) -> tuple[NDArray[np.int_], NDArray[np.int_]]:
        """Pairs (a < b) of pads whose boxes are at most `reach` apart."""
        wide = shapely.box(*(self.box + np.array([-reach, -reach, reach, reach])).T)
        a, b = self.tree.query(wide)
        a, b = a[a < b], b[a < b]
        gap = np.maximum(0.0, np.maximum(self.box[a, :2] - self.box[b, 2:], self.box[b, :2] - self.box[a, 2:]))
        close = np.hypot(*gap.T) <= reach
        return a[close], b[close]


def _headers(pads: _Pads) -> list[list[int]]:
    """Pads with holes of one size whose neighbours stand a common pitch away."""
    drilled = np.flatnonzero(pads.drills > 0)
    if not len(drilled):
        return []
    joined = DisjointSet(len(pads.polygons))
    a, b = pads.near(4.0)
    keep = (pads.drills[a] > 0) & (np.abs(pads.drills[a] - pads.drills[b]) < 0.05)
    for i, j in zip(a[keep], b[keep], strict=True):
        joined.join(int(i), int(j))
    groups: dict[int, list[int]] = defaultdict(list)
    for i in drilled.tolist():
        groups[joined.find(i)].append(i)
    for group in groups.values():
        pads.take(group)
    return list(groups.values())


def _rows(pads: _Pads) -> list[list[int]]:
    """Runs of two or more equal pads side by side at one pitch, along x or y, pads narrow along the run."""
    rows: list[list[int]] = []
    for axis in (0, 1):
        across = 1 - axis
        keys: dict[tuple[int, int, int], list[int]] = defaultdict(list)
        for i in np.flatnonzero(pads.free & (pads.size[:, axis] <= pads.size[:, across] + SAME_MM)).tolist():
            a, b, c = (round(float(v) / (2 * SAME_MM)) for v in (*pads.size[i], pads.at[i, across]))
            keys[a, b, c].append(i)
        for members in keys.values():
            rows += _runs(sorted(members, key=lambda i: pads.at[i, axis]), pads.at[:, axis], pads.size[:, axis])
    return sorted(rows, key=len, reverse=True)


def _runs(ordered: list[int], along: NDArray[np.float64], width: NDArray[np.float64]) -> list[list[int]]:
    """Maximal stretches of constant step, the gap at most about twice the pads' own width."""
    runs: list[list[int]] = []
    at = 0
    while at < len(ordered) - 1:
        step = along[ordered[at + 1]] - along[ordered[at]]
        end = at + 1
        while end + 1 < len(ordered) and abs(along[ordered[end + 1]] - along[ordered[end]] - step) < SAME_MM:
            end += 1
        if ROW_PITCH_MM[0] <= step <= ROW_PITCH_MM[1] and step <= 3.2 * width[ordered[at]] + 0.2:
            runs.append(ordered[at : end + 1])
            at = end + 1 if end > at + 1 else at + 1
        else:
            at += 1
    return runs


def _facing_rows(pads: _Pads, rows: list[list[int]]) -> list[tuple[str, list[int]]]:
    """Rows of a chip: parallel rows that share their middle line, two (or four, with a thermal pad between)."""
    if not rows:
        return []
    found: list[tuple[str, list[int]]] = []
    first = np.array([row[0] for row in rows])
    count = np.array([len(row) for row in rows])
    middle = np.array([pads.at[row].mean(axis=0) for row in rows])
    spread = np.array([np.ptp(pads.at[row], axis=0) for row in rows])
    axis, size, sides = spread.argmax(axis=1), pads.size[first], np.sort(pads.size[first], axis=1)
    for i, row in enumerate(rows):
        if not pads.free[row].all() or len(row) < 2:
            continue
        along, across = axis[i], 1 - axis[i]
        apart = np.abs(middle[:, across] - middle[i, across])
        fair = (axis == along) & (np.abs(middle[:, along] - middle[i, along]) <= SAME_MM) & (count + len(row) >= 5)
        fair &= (np.abs(size - size[i]).max(axis=1) <= SAME_MM) & (apart > size[i, across])
        fair &= apart <= max(3.0 * spread[i, along], 4.0) + 8.0
        near = sorted(np.flatnonzero(fair).tolist(), key=lambda j: apart[j])
        partner = next((j for j in near if j != i and pads.free[rows[j]].all() and not set(rows[j]) & set(row)), None)
        if partner is None:
            continue
        group = [*row, *rows[partner]]
        centre = (middle[i] + middle[partner]) / 2
        off = np.abs(middle - centre)
        turned = (axis != along) & (np.abs(sides - sides[i]).max(axis=1) < SAME_MM)
        turned &= (off[:, across] < SAME_MM) & (off[:, along] < apart[partner] * 1.5)
        for j in np.flatnonzero(turned).tolist():  # a quad: two more rows turned by 90° about the same middle
            if pads.free[rows[j]].all() and not set(rows[j]) & set(group):
                group += rows[j]
        inside = np.flatnonzero(pads.free & (np.hypot(*(pads.at - centre).T) < 0.3))
        group += [int(k) for k in inside if k not in group]
        pads.take(group)
        found.append(("chip", group))
    return found


def _triangles(pads: _Pads) -> list[list[int]]:
    """Three equal pads, two in a row and the third across from their middle."""
    found = []
    a, b = pads.near(2.6)
    near: dict[int, list[int]] = defaultdict(list)
    for i, j in zip(a.tolist(), b.tolist(), strict=True):
        if pads.free[i] and pads.free[j] and pads.alike(i, j):
            near[i].append(j)
            near[j].append(i)
    for tip in sorted(near):
        best: tuple[float, list[int]] | None = None
        for n, i in enumerate(near[tip]):
            for j in near[tip][n + 1 :]:
                if not pads.free[[tip, i, j]].all():
                    continue
                base, middle = pads.at[j] - pads.at[i], (pads.at[i] + pads.at[j]) / 2
                width, reach = float(np.hypot(*base)), pads.at[tip] - middle
                height = float(np.hypot(*reach))
                shaped = 0.8 <= width <= 3.0 and 0.6 * width < height < 2.2 * width
                apart = width - float(pads.size[i].min()) > 0.9 * float(pads.size[i].max())
                square = abs(float(base @ reach)) < 0.05 * width * height
                if shaped and apart and square and (best is None or width + height < best[0]):
                    best = width + height, [i, j, tip]
        if best:
            pads.take(best[1])
            found.append(best[1])
    return found


def _pairs(pads: _Pads, reach: float, most: float) -> list[list[int]]:
    """Equal free pads that face each other, nearest first: a gap of at most `most` times the pads' longer side."""
    left = np.flatnonzero(pads.free)
    if len(left) < 2:
        return []
    a, b = shapely.STRtree(pads.polygons[left]).query(pads.polygons[left], predicate="dwithin", distance=reach)
    a, b = left[a[a < b]], left[b[a < b]]
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


def _boxed(pads: _Pads, groups: list[tuple[str, list[int]]], silk: BaseGeometry) -> list[tuple[str, list[int]]]:
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


def _candidate(pads: _Pads, kind: str, group: list[int]) -> Candidate:
    low, high = pads.box[group, :2].min(axis=0), pads.box[group, 2:].max(axis=0)
    x, y = (low + high) / 2
    return Candidate(kind, tuple(sorted(group)), float(x), float(y))
