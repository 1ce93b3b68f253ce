"""Rows of pads at an even pitch, and rows that face one another."""

from __future__ import annotations

from collections import defaultdict

import numpy as np
import shapely
from numpy.typing import NDArray

from fusilex.core.design.connectivity import DisjointSet
from fusilex.core.problems import BadInput
from fusilex.core.progress import wanted_still

MOST_PADS, MOST_PAIRS = 30_000, 1_500_000
"""Pads close together: there are some hundred thousand on the densest boards."""
SAME_MM = 0.03


ROW_PITCH_MM = (0.3, 2.6)


LONE_ROW = 4
"""A row of this many pads is a connector even when nothing faces it."""


WIDEST_GAP_MM = 14.0
"""Widest gap (mm) between the two pads of a candidate chip, and of anything with two terminals."""


def _few_pairs(tree: shapely.STRtree, shapes: NDArray[np.object_]) -> NDArray[np.int_]:
    """Pairs (2, n; a < b) whose boxes meet, of the shapes of a tree and the same ones made wider.

    A few are asked at a time, for heaps of pads explode. Raises `BadInput`.
    """
    found: list[NDArray[np.int_]] = [np.zeros((2, 0), dtype=int)]
    count = 0
    for first in range(0, len(shapes), 256):
        wanted_still()
        a, b = tree.query(shapes[first : first + 256])
        a = a + first
        found.append(np.stack([a[a < b], b[a < b]]))
        count += found[-1].shape[1]
        if count > MOST_PAIRS:
            raise BadInput("The layers", "pads that stand apart", f"more than {MOST_PAIRS:,} pairs close together")
    return np.concatenate(found, axis=1)


class PadSet:
    """Middles, sizes and boxes of the pads, and which are not claimed yet."""

    def __init__(self, polygons: NDArray[np.object_], drills: NDArray[np.float64]) -> None:
        if len(polygons) > MOST_PADS:
            raise BadInput("The layers", f"at most {MOST_PADS:,} pads on a side", f"{len(polygons):,}")
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

    def near(self, reach: float, among: NDArray[np.int_] | None = None) -> tuple[NDArray[np.int_], NDArray[np.int_]]:
        """Pairs (a < b) of pads, all or `among` some, whose boxes are at most `reach` apart. Raises `BadInput`."""
        box = self.box if among is None else self.box[among]
        tree = self.tree if among is None else shapely.STRtree(self.polygons[among])
        a, b = _few_pairs(tree, shapely.box(*(box + np.array([-reach, -reach, reach, reach])).T))
        gap = np.maximum(0.0, np.maximum(box[a, :2] - box[b, 2:], box[b, :2] - box[a, 2:]))
        close = np.hypot(*gap.T) <= reach
        return (a[close], b[close]) if among is None else (among[a[close]], among[b[close]])


def headers(pads: PadSet) -> list[list[int]]:
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


def rows_of(pads: PadSet) -> list[list[int]]:
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
            at = end  # the same step goes on up to here, and stays as wide
    return runs


def facing_rows(pads: PadSet, rows: list[list[int]]) -> list[tuple[str, list[int]]]:
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
