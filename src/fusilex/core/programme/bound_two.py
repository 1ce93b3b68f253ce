"""The bound for two heads: trips of one or two, whose way from slot to slot is taken into the matching.

Which slot a part of a trip comes from is paid by a price of its own, one for a line in a slot (and pass): what a trip
gains by the line's standing there, the line pays. With prices given, two lines look for the slots and the order of
picking that cost least on the way in, between them and out; placements are paired by a fractional matching (an
assignment, halved), and lines look for their slots by an assignment again. Those prices begin at half of what going in
and out costs, which is the mean that more heads are bounded by: it is never better.
"""

from __future__ import annotations

import numpy as np
from msgspec import Struct

from fusilex.core.programme.bound_heads import Ends, Heads
from fusilex.core.programme.job import FAR, Floats, Ints, Job, cheapest_slots


class Picking(Struct, frozen=True, eq=False):
    """What picking for a trip costs at the least (s), and from where: alone (L × h), and for the line on head 0 with
    the one on head 1 (L × L). `slots` are those of both, `order` is the head that picks first.
    """

    alone: Floats
    alone_slot: Ints
    pair: Floats
    slots: tuple[Ints, Ints]
    order: Ints


class TwoHeads(Heads):
    """Prices, one after another: 2 × levels × (S · h) as with more heads, then levels × L × S."""

    def __init__(self, job: Job) -> None:
        super().__init__(job)
        self.lines, self.slots = len(job.names), len(job.machine.slots)
        pick, reach = job.pick_at, job.machine.slot_reach
        self.across = job.least_leg(pick[:, None, 0], pick[None, :, 1], reach[:, None] + reach[None])
        self.ways = [(self._way(own, 0, 1), self._way(own, 1, 0)) for own in self.inside]

    def _way(self, own: Ints, a: int, b: int) -> Floats:
        """From one placement by head `a` to another by head `b` (m × m), far where it cannot be."""
        job, takes, lines = self.job, self.job.machine.head_takes, self.job.line[own]
        way = job.leg(job.place_at[own][:, None, a], job.place_at[own][None, :, b])
        one, other = (job.fits & takes[a]).astype(int), (job.fits & takes[b]).astype(int)
        # two nozzles, one a head: no pair where both lines fit the same single nozzle alone
        both = one.sum(axis=1)[:, None] * other.sum(axis=1)[None] - one @ other.T > 0
        way[~both[np.ix_(lines, lines)]] = FAR
        np.fill_diagonal(way, FAR)
        return np.asarray(way)

    def start(self) -> Floats:
        return np.append(super().start().ravel(), np.zeros(len(self.levels) * self.lines * self.slots))

    def allowed(self, price: Floats) -> Floats:
        return price  # nothing here rests on how prices differ

    def _split(self, price: Floats) -> tuple[Floats, Floats]:
        size = 2 * len(self.levels) * self.slots * self.h
        ends = price[:size].reshape(2, len(self.levels), -1)
        return ends, price[size:].reshape(-1, self.lines, self.slots)

    def value(self, price: Floats) -> tuple[float, Ints, Floats]:
        job, slope = self.job, np.zeros_like(price)
        (ends, line), (by_ends, by_line) = self._split(price), self._split(slope)
        through = (ends[0] + (self.out if self.seen else ends[1])).reshape(len(self.levels), -1, self.h)
        line = line + through.min(axis=2)[:, None] / 2
        total, chosen = cheapest_slots(job, (self.count[:, :, None] * line).sum(axis=0) + job.standing)
        by_line[:, np.arange(self.lines), chosen] += self.count
        for b, own in enumerate(self.inside):
            leave = self.out if self.seen else ends[1, b]
            total += self._pass(b, own, ends[0, b], leave, line[b], by_ends, by_line[b])
            mean = np.arange(self.slots) * self.h + through[b].argmin(axis=1)
            by_ends[: 1 if self.seen else 2, b, mean] += by_line[b].sum(axis=0) / 2
        return float(total), chosen, slope

    def picking(self, into: Floats, leave: Floats, line: Floats) -> Picking:
        """The least that picking costs by prices of one pass."""
        job, rows = self.job, np.arange(self.lines)
        into, leave = into.reshape(-1, self.h), np.broadcast_to(leave, into.shape).reshape(-1, self.h)
        less = np.where(job.can, 0.0, FAR) - line  # L × S
        each = (into + leave)[None] + less[:, :, None] + np.where(job.usable, 0.0, FAR)[:, None]
        found = []
        for first, way in enumerate((self.across, self.across.T)):  # the head that picks first
            apart = way.copy()
            np.fill_diagonal(apart, FAR)  # two lines stand in two slots
            near = (less + into[:, first])[:, :, None] + apart[None]
            both = near.min(axis=1)[:, None] + (less + leave[:, 1 - first])[None]
            end = both.argmin(axis=2)
            begin = near.argmin(axis=1)[rows[:, None], end]
            cost = both.min(axis=2)
            one = into[:, first] + way.diagonal() + leave[:, 1 - first] + 2 * less  # two parts of one line
            cost[rows, rows], begin[rows, rows], end[rows, rows] = (
                one.min(axis=1),
                one.argmin(axis=1),
                one.argmin(axis=1),
            )
            found.append((cost, begin, end) if first == 0 else (cost.T, end.T, begin.T))
        order = (found[1][0] < found[0][0]).astype(int)
        pair, own, other = (np.where(order == 0, a, b) for a, b in zip(*found, strict=True))
        return Picking(each.min(axis=1), each.argmin(axis=1), pair, (own, other), order)

    def _pass(
        self, b: int, own: Ints, into: Floats, leave: Floats, line: Floats, by_ends: Floats, by_line: Floats
    ) -> float:
        """The least that a pass costs: its placements paired or alone. Slopes are added up in `by_ends`, `by_line`."""
        from scipy.optimize import linear_sum_assignment

        lines, m = self.job.line[own], np.arange(len(own))
        total, ends = self._ends(b, own, into, leave, by_ends)
        pick = self.picking(into, leave, line)
        alone = np.where(self.usable[own], ends.come + ends.back + pick.alone[lines], FAR)
        pair = pick.pair[np.ix_(lines, lines)]
        first = self.ways[b][0] + ends.come[:, 0][:, None] + ends.back[:, 1][None] + pair
        second = self.ways[b][1] + ends.come[:, 1][:, None] + ends.back[:, 0][None] + pair.T
        lower = np.minimum(first, second)
        both = np.minimum(lower, lower.T) + self.between
        both[m, m] = 2 * alone.min(axis=1)
        _, mate = linear_sum_assignment(both)
        for i, j in enumerate(mate.tolist()):
            if i == j:
                head = int(alone[i].argmin())
                picked, trip, share = [(int(pick.alone_slot[lines[i], head]), head)], ((i, head), (i, head)), 1.0
                by_line[lines[i], picked[0][0]] -= share
            else:
                _, trip = min(
                    (first[i, j], ((i, 0), (j, 1))),
                    (second[i, j], ((i, 1), (j, 0))),
                    (first[j, i], ((j, 0), (i, 1))),
                    (second[j, i], ((j, 1), (i, 0))),
                )
                zero, one = (lines[n] for n, _ in sorted(trip, key=lambda part: part[1]))
                share = 0.5
                picked = [(int(pick.slots[k][zero, one]), k) for k in (0, 1)]
                by_line[zero, picked[0][0]] -= share
                by_line[one, picked[1][0]] -= share
                if pick.order[zero, one]:
                    picked.reverse()
            self._slope(by_ends[:, b], ends, picked, trip, share)
        return total + float(both[m, mate].sum()) / 2

    def _slope(
        self,
        by_ends: Floats,
        ends: Ends,
        picked: list[tuple[int, int]],
        trip: tuple[tuple[int, int], tuple[int, int]],
        share: float,
    ) -> None:
        """A trip goes in to the slot it picks from first and out of its last; it pays where it comes from and goes."""
        (slot, head), (last, by) = picked[0], picked[-1]
        by_ends[0, slot * self.h + head] += share
        by_ends[0, ends.to[trip[1]]] -= share
        if ends.start is not None:
            by_ends[1, last * self.h + by] += share
            by_ends[1, ends.start[trip[0]]] -= share
