"""A tour of the microscope over a board: the fewest fields that show every joint whole, and a short way over them.

A field that shows a joint has its lower left corner in a rectangle: no further right than the joint's left edge, no
further left than its right edge less the field. To cover the joints is to pierce those rectangles by the fewest points;
points at their upper right ends are enough. The integer programme is solved exactly where it is small; its dual, or
joints no two of which fit one field, bound the number from below.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from fusilex.core.design.model import Design
from fusilex.core.soldering.order import OTHER
from fusilex.core.tours import length, short_path
from fusilex.core.whole_numbers import solve

Floats = NDArray[np.float64]
Index = NDArray[np.int_]
MOST_EXACT, MOST_CORNERS, FEW = 1500, 400, 4
"""Fields that show different joints: with more of them the greedy tour and the simple bound are all there is. With more
joints than that not every corner of a field is tried.
"""


class Stop(Struct, frozen=True):
    """Where the middle of the field is (mm, design), and the joints that it shows whole, such as ``U1.3``."""

    x: float
    y: float
    joints: tuple[str, ...]


class Tour(Struct, frozen=True):
    """Stops in order, the length of the way (mm), and a number of fields below which no tour can be."""

    stops: tuple[Stop, ...]
    path_mm: float
    bound_stops: int


def joints_seen(design: Design, side: str) -> tuple[list[str], Floats]:
    """Joints that lie open to a side, and their boxes (n × 4: left, low, right, high; mm): pads of what stands on it,
    pins that come out on it, or where the hole is not plated have their copper there.
    """
    names, boxes = [], []
    for part in design.parts:
        if not part.populated:
            continue
        for pad in part.joints:
            through = part.through_hole and pad.drill > 0
            open_to = part.side if not through else OTHER[part.side] if pad.barrel else pad.side
            if open_to == side:
                names.append(f"{part.ref}.{pad.pin}")
                boxes.append(pad.polygon.bounds)
    return names, np.array(boxes, dtype=float).reshape(-1, 4)


def tour(
    names: list[str], boxes: Floats, field: tuple[float, float], overlap: float = 0.1, quick: bool = False
) -> Tour:
    """The fewest fields (mm) found that show every box whole, fields overlapping by a share. A joint larger than the
    field is shown by its middle. `quick` takes the first good answer, and leaves fewer fields and a shorter way for
    later. Raises ValueError for a field without a size.

    >>> two = np.array([[0.0, 0.0, 1.0, 1.0], [5.0, 0.0, 6.0, 1.0]])
    >>> len(tour(["a", "b"], two, (8.0, 4.0)).stops), len(tour(["a", "b"], two, (4.0, 4.0)).stops)
    (1, 2)
    """
    size = np.array(field, dtype=float) * (1 - overlap)
    if not (np.isfinite(size).all() and (size > 0).all() and 0 <= overlap < 1):
        raise ValueError("a field is wider and higher than nothing, and overlaps by less than all of it")
    if not len(boxes):
        return Tour((), 0.0, 0)
    low, high = _fitting(boxes, size)
    shown, bound = _swept(low, high, size), 1
    if not quick:
        fields = _fields(low, high, size)
        picked, bound = _fewest(fields, len(low))
        bound = max(bound, _apart(low, high, size))
        shown = min(shown, [fields[k] for k in picked], key=len)
    middle = np.array([(high[own].max(axis=0) - size + low[own].min(axis=0)) / 2 + size / 2 for own in shown])
    order = _nearest_next(middle) if quick else short_path(middle).tolist()
    stops = tuple(Stop(float(middle[k, 0]), float(middle[k, 1]), tuple(names[i] for i in shown[k])) for k in order)
    return Tour(stops, length(middle, order), bound)


def _fitting(boxes: Floats, size: Floats) -> tuple[Floats, Floats]:
    """Lower left and upper right ends of what must be in a field: of joints larger than it, their middle."""
    low, high = boxes[:, :2].copy(), boxes[:, 2:].copy()
    large = (high - low) > size
    middle = (low + high) / 2
    low[large], high[large] = middle[large], middle[large]
    return low, high


def _fields(low: Floats, high: Floats, size: Floats) -> list[Index]:
    """Which joints (rising) each field shows that is worth a stop: few, and none within what another one shows."""
    many = len(low) > MOST_CORNERS
    found: dict[bytes, Index] = {}
    upward = np.argsort(low[:, 1], kind="stable")
    x_low, x_high, y_low, y_high = low[upward, 0], high[upward, 0], low[upward, 1], high[upward, 1]
    for i in range(len(low)) if many else np.unique(low[:, 0], return_index=True)[1]:
        x = low[i, 0]
        beside = np.flatnonzero((x_low >= x - 1e-9) & (x_high <= x + size[0] + 1e-9))
        ends = y_low[beside]
        ends = ends[np.diff(ends, prepend=-np.inf) > 0]
        if many:  # of many joints each has the fields that begin at it or a little below
            here = int(np.searchsorted(ends, low[i, 1]))
            ends = ends[max(0, here - FEW) : here + 1]
        first = np.searchsorted(y_low[beside], ends - 1e-9)
        last = np.searchsorted(y_low[beside], ends + size[1])
        tops = y_high[beside]
        for y, start, end in zip(ends.tolist(), first.tolist(), last.tolist(), strict=True):
            own = np.sort(upward[beside[start:end][tops[start:end] <= y + size[1] + 1e-9]])
            found.setdefault(own.tobytes(), own)
    fields = list(found.values())
    return fields if len(fields) > 4 * MOST_EXACT else _none_within(fields, len(low))


def _none_within(fields: list[Index], joints: int) -> list[Index]:
    """Fields that show something that no other one shows with all the rest."""
    shows = _table(fields, joints)
    common = (shows @ shows.T).tocoo()  # how many joints each two have in common
    count = np.array([len(f) for f in fields])
    within = (common.data == count[common.row]) & (common.row != common.col)
    left = np.ones(len(fields), dtype=bool)
    left[common.row[within]] = False
    return [fields[k] for k in np.flatnonzero(left)]


def _table(fields: list[Index], joints: int) -> Any:
    """1 where a field shows a joint (fields × joints), sparse."""
    from scipy import sparse

    ends = np.concatenate([[0], np.cumsum([len(f) for f in fields])])
    shown = np.concatenate(fields)
    return sparse.csr_array((np.ones(len(shown), dtype=np.int32), shown, ends), shape=(len(fields), joints))


def _fewest(fields: list[Index], joints: int) -> tuple[list[int], int]:
    """Fields that show all joints, and a bound on how few there may be."""
    found = _greedy(fields, joints)
    if len(fields) > MOST_EXACT:
        return found, 1
    kinds = np.unique(_table(fields, joints).toarray(), axis=1)  # joints that the same fields show are one
    rows: list[Floats] = list(kinds.T.astype(float))
    ones, once = np.ones(len(fields)), np.ones(len(rows))
    x, bound, _ = solve(ones, rows, once, np.inf * once, ones, ones)
    exact = np.flatnonzero(x > 0.5).tolist()
    return min(found, exact, key=len), math.ceil(bound - 1e-6)


def _greedy(fields: list[Index], joints: int) -> list[int]:
    """The field that shows most that is new, again and again; then none of which the others show everything."""
    owner = np.repeat(np.arange(len(fields)), [len(f) for f in fields])
    shown = np.concatenate(fields)
    order = np.argsort(shown, kind="stable")
    by_joint = np.split(owner[order], np.cumsum(np.bincount(shown, minlength=joints))[:-1])
    left, gain = np.ones(joints, dtype=bool), np.bincount(owner, minlength=len(fields))
    picked: list[int] = []
    while left.any():
        picked.append(int(gain.argmax()))
        new = fields[picked[-1]][left[fields[picked[-1]]]]
        left[new] = False
        gain = gain - np.bincount(np.concatenate([by_joint[j] for j in new]), minlength=len(fields))
    times = np.bincount(np.concatenate([fields[k] for k in picked]), minlength=joints)
    for k in sorted(picked, key=lambda k: len(fields[k])):
        if (times[fields[k]] > 1).all():
            times[fields[k]] -= 1
            picked.remove(k)
    return picked


def _swept(low: Floats, high: Floats, size: Floats) -> list[Index]:
    """Joints that fields show which are laid from the left, or from below, whichever takes fewer: each begins at the
    first joint that is left, and is shifted along the other way to where it shows most of them.
    """
    ways = []
    for a, b in ((0, 1), (1, 0)):
        left = np.lexsort((low[:, b], low[:, a]))
        shown = []
        while len(left):
            first = left[0]
            band = left[high[left, a] <= low[first, a] + size[a] + 1e-9]
            start = np.sort(low[band, b])
            start = start[(start <= low[first, b]) & (start >= high[first, b] - size[b] - 1e-9)]
            within = (low[band, b] >= start[:, None] - 1e-9) & (high[band, b] <= start[:, None] + size[b] + 1e-9)
            own = band[within[int(within.sum(axis=1).argmax())]]
            shown.append(own)
            left = left[~np.isin(left, own)]
        ways.append(shown)
    return min(ways, key=len)


def _nearest_next(middle: Floats) -> list[int]:
    """An order of places (n × 2): from the lower left always to the nearest that is left."""
    left = middle.copy()
    order = [int(np.argmin(middle.sum(axis=1)))]
    while len(order) < len(middle):
        left[order[-1]] = np.inf
        order.append(int(np.argmin(((left - middle[order[-1]]) ** 2).sum(axis=1))))
    return order


def _apart(low: Floats, high: Floats, size: Floats) -> int:
    """How many joints there are, picked from the left, no two of which fit one field: as many fields at least."""
    own: list[int] = []
    for i in np.lexsort((low[:, 1], high[:, 0])):
        together = (np.maximum(high[own], high[i]) - np.minimum(low[own], low[i]) <= size + 1e-9).all(axis=1)
        if not len(own) or not together.any():
            own.append(int(i))
    return len(own)
