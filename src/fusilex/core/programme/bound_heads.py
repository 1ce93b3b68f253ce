"""The bound for several heads on one beam: a trip's way over its slots costs at least the mean, over its parts, of
going in and out for each alone (triangle inequality).
"""

from __future__ import annotations

from itertools import permutations

import numpy as np
from msgspec import Struct

from fusilex.core.programme.job import FAR, Floats, Ints, Job, cheapest_slots


class Ends(Struct, frozen=True, eq=False):
    """Of each placement by each head (m × h), less the prices: the way to it from the slot it is come from, and the way
    back from it to the slot that is gone to; which slots those are (S · h). With a camera none is come from.
    """

    come: Floats
    start: Ints | None
    back: Floats
    to: Ints


class Heads:
    """Several heads on one beam; prices are 2 × levels × (S · h): of being entered, and of being left for the board,
    which the way to the camera settles where there is one.
    """

    def __init__(self, job: Job) -> None:
        self.job, h = job, len(job.machine.heads)
        self.h = h
        self.pick = job.pick_at.reshape(-1, 2)
        self.reach = np.repeat(job.machine.slot_reach, h, axis=0)
        self.apart = self._shortest(
            job.least_leg(self.pick[:, None], self.pick[None], self.reach[:, None] + self.reach[None])
        )
        turn = job.least_turn[:, None, None]
        self.back = job.least_leg(job.place_at[:, :, None], self.pick[None, None], self.reach)  # n × h × Q
        self.back = np.maximum(self.back, turn)
        self.usable = job.usable[job.line]  # n × h
        self.seen = job.machine.vision
        if self.seen:
            out = job.least_leg(job.look_at[None], self.pick[:, None], self.reach[:, None]).min(axis=1)
            self.out = self.allowed(out)
            come = job.leg(job.look_at[None, None], job.place_at[:, :, None]).min(axis=2)
            self.come = np.maximum(come, job.least_turn[:, None])
            looks = job.leg(job.look_at[:, None], job.look_at[None])
            self.between = float(min(looks[a, b] for a, b in permutations(range(h), 2)))
        else:
            self.between = 0.0
        self.levels = np.unique(job.level)
        self.inside = [np.flatnonzero(job.level == level) for level in self.levels]
        self.count = np.array([np.bincount(job.line[own], minlength=len(job.names)) for own in self.inside])
        park = np.asarray(job.machine.park)
        reach = [np.where(self.usable[own][:, :, None], self.back[own], FAR).min(axis=(0, 1)) for own in self.inside]
        self.entry = np.array([job.least_leg(park, self.pick, self.reach), *reach[:-1]])
        self.home = np.where(self.usable, np.maximum(job.leg(job.place_at, park), job.least_turn[:, None]), FAR)

    def _shortest(self, way: Floats) -> Floats:
        """Between slots at the least by any chain of them, which differs from `way` only where slots have a reach."""
        if self.reach.any():
            for k in range(len(way)):
                way = np.minimum(way, way[:, k, None] + way[None, k])
        return way

    def start(self) -> Floats:
        mean = [self.back[own].mean(axis=(0, 1)) for own in self.inside]
        return self.allowed(np.array([mean, mean]) * 0.9)

    def allowed(self, price: Floats) -> Floats:
        """Prices that differ by no more than the way between their slots, as the triangle inequality needs them."""
        return np.asarray((price[..., :, None] + self.apart).min(axis=-2))

    def value(self, price: Floats) -> tuple[float, Ints, Floats]:
        job, h, total = self.job, self.h, 0.0
        into = price[0]
        leave = np.broadcast_to(self.out, into.shape) if self.seen else price[1]
        through = into + leave  # levels × Q
        per_line = np.zeros((len(job.names), len(job.machine.slots)))
        via: list[Ints] = []
        slope = np.zeros_like(price)
        least_in = []
        for b in range(len(self.inside)):
            by_head = through[b].reshape(-1, h)[None] + np.where(job.usable, 0.0, FAR)[:, None]
            via.append(by_head.argmin(axis=2))
            per_line += self.count[b][:, None] * by_head.min(axis=2) / h
            least_in.append(np.where(job.can, by_head.min(axis=2), FAR).min(axis=1))
        cost, chosen = cheapest_slots(job, per_line + job.standing)
        total += cost
        for b, own in enumerate(self.inside):
            q = chosen * h + via[b][np.arange(len(chosen)), chosen]
            np.add.at(slope[0, b], q, self.count[b] / h)
            if not self.seen:
                np.add.at(slope[1, b], q, self.count[b] / h)
            total += self._level(b, own, into[b], leave[b], least_in[b], slope)
        return total, chosen, slope

    def _level(self, b: int, own: Ints, into: Floats, leave: Floats, least_in: Floats, slope: Floats) -> float:
        h, m = self.h, np.arange(len(own))
        total, ends = self._ends(b, own, into, leave, slope)
        alone = np.where(self.usable[own], ends.come + ends.back, FAR)
        head = alone.argmin(axis=1)
        alone_least = alone[m, head]
        gap = self.between if (least_in[self.job.line[own]] + alone_least >= self.between).all() else 0.0
        np.subtract.at(slope[0, b], ends.to[m, head], 1 / h)
        if ends.start is not None:
            np.subtract.at(slope[1, b], ends.start[m, head], 1 / h)
        return float(total + (alone_least / h).sum() + len(own) * gap * (1 - 1 / h))

    def _ends(self, b: int, own: Ints, into: Floats, leave: Floats, slope: Floats) -> tuple[float, Ends]:
        """The ways between slots and board of the placements of a pass, and what coming to it and leaving it costs."""
        reduced = self.back[own] - into
        to = reduced.argmin(axis=2)
        back = reduced.min(axis=2)
        if self.seen:
            come, start = self.come[own], None
        else:
            arrive = self.back[own] - leave
            start, come = arrive.argmin(axis=2), arrive.min(axis=2)
        came = int(np.argmin(self.entry[b] - into))
        slope[0, b, came] -= 1.0
        last = b == len(self.inside) - 1
        ending = np.where(self.usable[own], back - (self.home[own] if last else 0.0), -FAR)
        i, k = np.unravel_index(int(ending.argmax()), ending.shape)
        slope[0, b, to[i, k]] += 1.0  # the trip after which the pass is left has no way back
        total = float(self.entry[b][came] - into[came] - ending[i, k])
        return total, Ends(come, start, back, to)
