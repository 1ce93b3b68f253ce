"""Order of soldering by hand: low before tall, joints before what covers them, the board turned as seldom as it can be.

A joint is reached from the side its lead comes out at: of a part with leads the side it does not stand on, or where its
holes are not plated the side that has the copper; of any other its own. What stands over a joint there, or so near and
tall that no tip gets beside it, comes later.
"""

from __future__ import annotations

import heapq
from collections import Counter
from collections.abc import Iterable, Sequence
from itertools import pairwise

import numpy as np
import shapely

from fusilex.core.design.model import Part
from fusilex.core.design.outlines import body_polygon

TIP_SLOPE, LEAST_MM = 0.5, 0.4
"""A tip leans: a body so many times its height away is in its way, and one nearer than that at any height."""
OTHER = {"top": "bottom", "bottom": "top"}


def soldered_from(part: Part) -> str:
    """The side that is up while a part's joints are made."""
    if not part.through_hole:
        return part.side
    copper = {pad.side for pad in part.joints if pad.drill > 0 and not pad.barrel}
    return copper.pop() if len(copper) == 1 else OTHER[part.side]


def hindrances(parts: Sequence[Part]) -> dict[str, set[str]]:
    """By reference, the parts that have to be soldered before it: it would stand over their joints, or too near."""
    before: dict[str, set[str]] = {p.ref: set() for p in parts}
    pads = np.array([pad.polygon for other in parts for pad in other.pads], dtype=object)
    owner = np.repeat(np.arange(len(parts)), [len(p.pads) for p in parts])
    bodies = np.array([body_polygon(p) for p in parts], dtype=object)
    reach = np.array([max(LEAST_MM, TIP_SLOPE * p.package.height) for p in parts])
    if not len(pads):
        return before
    body, pad = shapely.STRtree(pads).query(bodies, predicate="dwithin", distance=reach)
    near = shapely.distance(bodies[body], pads[pad])
    for i, j, gap in zip(body.tolist(), owner[pad].tolist(), near.tolist(), strict=True):
        part, other = parts[i], parts[j]
        if i == j or soldered_from(other) != part.side:
            continue
        over = gap == 0.0 and other.side != part.side
        lower = other.package.height < part.package.height or other.side != part.side
        if over or (gap < reach[i] and lower):
            before[part.ref].add(other.ref)
    return before


def by_height(parts: Iterable[Part]) -> list[Part]:
    """Parts for the iron in working order: surface-mount ones before those with leads, which would keep the board from
    lying flat, lowest first, one side after the other; but a joint before whatever would cover it.
    """
    queue = _Free(list(parts))
    made: list[Part] = []
    side = ""
    while (pick := queue.next(side)) is not None:
        made.append(pick)
        side = soldered_from(pick)
    return made


class _Free:
    """Parts that nothing hinders, lowest first, by whether they have leads and the side that is up."""

    def __init__(self, parts: list[Part]) -> None:
        self.left = dict(enumerate(parts))
        self.names = Counter(p.ref for p in parts)
        self.waits = {ref: {r for r in own if r in self.names} for ref, own in hindrances(parts).items()}
        self.hinders: dict[str, list[int]] = {}
        self.heaps: dict[tuple[bool, str], list[tuple[float, str, int]]] = {}
        for n, part in self.left.items():
            for ref in self.waits[part.ref]:
                self.hinders.setdefault(ref, []).append(n)
            self._offer(n)

    def _offer(self, n: int) -> None:
        part = self.left[n]
        if not self.waits[part.ref]:
            heap = self.heaps.setdefault((part.through_hole, soldered_from(part)), [])
            heapq.heappush(heap, (part.package.height, part.ref, n))

    def next(self, side: str) -> Part | None:
        """The next part while a side is up ('': none yet), None when all are made."""
        if not self.left:
            return None
        if not any(self.heaps.values()):  # a ring of hindrances: by height
            return self._taken(self._chosen(side, self.left.items()))
        kind = min(through for (through, _), heap in self.heaps.items() if heap)
        own = {up: self.heaps.get((kind, up), []) for up in OTHER}
        start = side or max(own, key=lambda up: len(own[up]))
        heap = own[start] or own[OTHER[start]]
        return self._taken(heapq.heappop(heap)[2])

    def _chosen(self, side: str, free: Iterable[tuple[int, Part]]) -> int:
        kind = min(p.through_hole for _, p in free)
        own = [(n, p) for n, p in free if p.through_hole == kind]
        start = side or max(OTHER, key=lambda up: sum(soldered_from(p) == up for _, p in own))
        return min(own, key=lambda item: (soldered_from(item[1]) != start, item[1].package.height, item[1].ref))[0]

    def _taken(self, n: int) -> Part:
        part = self.left.pop(n)
        self.names[part.ref] -= 1
        if not self.names[part.ref]:
            for waiting in self.hinders.get(part.ref, ()):
                if waiting in self.left:
                    self.waits[self.left[waiting].ref].discard(part.ref)
                    self._offer(waiting)
        return part


def turns(order: Sequence[Part]) -> int:
    """How often the board is turned over in an order.

    >>> turns([])
    0
    """
    sides = [soldered_from(p) for p in order]
    return sum(a != b for a, b in pairwise(sides))
