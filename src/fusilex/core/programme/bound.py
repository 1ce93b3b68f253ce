"""A time that no programme can beat, whatever its slots, trips and order.

Lagrangian relaxation (Held and Karp 1971, Geoffrion 1974): the way back from a place to the next pick is paid to the
slot it leads to by a price, one a slot (head and pass); with prices given, places look for their cheapest way back,
lines for their cheapest slot (an assignment), each alone. Whatever the prices, the sum is no more than any programme
takes; the prices are then raised where too many come and lowered where too few do. A bound is proven once it is
computed: nothing of it rests on having found the best prices.

Strips and trays are picked from anywhere between their pockets, which no programme can better; what the sums need of
ways between slots (that none is longer than by a third) is made good by the shortest of all chains.

With several heads a trip's way over its slots costs at least the mean, over its parts, of going in and out for each
alone (triangle inequality); two heads pair their placements by a fractional matching (an assignment again, halved).
"""

from __future__ import annotations

from collections.abc import Callable
from itertools import permutations

import numpy as np
from msgspec import Struct

from fusilex.core.programme.job import FAR, Floats, Ints, Job, cheapest_slots
from fusilex.core.programme.setups import fewest_changes

ROUNDS, PATIENCE = 400, 12
Share = tuple[int, int, float]
"""A placement, the head it is on, and how much of a trip begins or ends with it."""
Watch = Callable[[float], bool]
"""Called with the share done; False ends the work with what is known by then."""


class Bound(Struct, frozen=True, eq=False):
    """Seconds that no programme can be faster than, and the slots (L) that the relaxed problem chose."""

    seconds: float
    slot: Ints


def lower_bound(job: Job, reached: float, watch: Watch = lambda share: True, rounds: int = ROUNDS) -> Bound:
    """The best bound found in a number of rounds; `reached` is the time (s) of a known programme."""
    fixed = job.standing_still + fewest_changes(job) * job.machine.times.change
    relaxed: _OneHead | _Heads = _OneHead(job) if len(job.machine.heads) == 1 else _Heads(job)
    price = relaxed.start()
    best, slot, step, stale = -np.inf, np.zeros(len(job.names), dtype=int), 1.0, 0
    for k in range(rounds):
        value, chosen, slope = relaxed.value(price)
        if fixed + value > best + 1e-9:
            best, slot, stale = fixed + value, chosen, 0
        else:
            stale += 1
            if stale >= PATIENCE:
                step, stale = step / 2, 0
        size = float((slope**2).sum())
        if size < 1e-12 or step < 1e-4 or not watch(k / rounds):
            break
        target = max(reached, best * 1.001) - (fixed + value)
        price = relaxed.allowed(price + step * target / size * slope)
    return Bound(float(best), slot)


class _OneHead:
    """One head: each place is reached from its own line's slot and left for some slot; prices are levels × S."""

    def __init__(self, job: Job) -> None:
        self.job = job
        pick, place = job.pick_at[:, 0], job.place_at[:, 0]
        turn, reach = job.least_turn[:, None], job.machine.slot_reach
        self.back = np.maximum(job.least_leg(place[:, None], pick[None], reach), turn)
        if job.machine.vision:
            seen = np.maximum(job.leg(job.look_at[0], place), job.least_turn)
            out = seen[:, None] + job.least_leg(job.look_at[0], pick, reach)[None]
        else:
            out = self.back
        self.levels = np.unique(job.level)
        self.inside = [np.flatnonzero(job.level == level) for level in self.levels]
        self.count = np.array([np.bincount(job.line[own], minlength=len(job.names)) for own in self.inside])
        self.loaded = np.array([out[job.line == k].sum(axis=0) for k in range(len(job.names))]) + job.standing
        park = np.asarray(job.machine.park)
        enter = job.least_leg(park, pick, reach)
        self.entry = np.array([enter, *(self.back[own].min(axis=0) for own in self.inside[:-1])])
        self.home = np.maximum(job.leg(place, park), job.least_turn)

    def start(self) -> Floats:
        return np.array([self.back[own].mean(axis=0) for own in self.inside])

    def allowed(self, price: Floats) -> Floats:
        return price

    def value(self, price: Floats) -> tuple[float, Ints, Floats]:
        job, total = self.job, 0.0
        slope = np.zeros_like(price)
        for b, own in enumerate(self.inside):
            reduced = self.back[own] - price[b]
            to = reduced.argmin(axis=1)
            least = reduced[np.arange(len(own)), to]
            last = b == len(self.inside) - 1
            leave = int(np.argmin((self.home[own] if last else 0.0) - least))  # one place of a pass is left for good
            total += float(least.sum() - least[leave] + (self.home[own][leave] if last else 0.0))
            came = int(np.argmin(self.entry[b] - price[b]))
            total += float(self.entry[b][came] - price[b][came])
            np.add.at(slope[b], np.delete(to, leave), -1.0)
            slope[b][came] -= 1.0
        cost, chosen = cheapest_slots(job, self.loaded + self.count.T @ price)
        for b in range(len(self.inside)):
            np.add.at(slope[b], chosen, self.count[b])
        return total + cost, chosen, slope


class _Heads:
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
        self.pairs = [self._pairs(own) for own in self.inside] if h == 2 else []

    def _shortest(self, way: Floats) -> Floats:
        """Between slots at the least by any chain of them, which differs from `way` only where slots have a reach."""
        if self.reach.any():
            for k in range(len(way)):
                way = np.minimum(way, way[:, k, None] + way[None, k])
        return way

    def _pairs(self, own: Ints) -> dict[tuple[int, int], Floats]:
        """Way from one placement by a head to another by the other head (m × m), far where it cannot be."""
        job, found = self.job, {}
        takes, lines = job.machine.head_takes, job.line[own]
        for a, b in ((0, 1), (1, 0)):
            way = job.leg(job.place_at[own][:, None, a], job.place_at[own][None, :, b])
            one, other = (job.fits & takes[a]).astype(int), (job.fits & takes[b]).astype(int)
            # two nozzles, one a head: no pair where both lines fit the same single nozzle alone
            both = one.sum(axis=1)[:, None] * other.sum(axis=1)[None] - one @ other.T > 0
            way[~both[np.ix_(lines, lines)]] = FAR
            np.fill_diagonal(way, FAR)
            found[a, b] = way
        return found

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
        job, h = self.job, self.h
        m = np.arange(len(own))
        reduced = self.back[own] - into
        to = reduced.argmin(axis=2)
        back = np.take_along_axis(reduced, to[:, :, None], 2)[:, :, 0]  # m × h
        if self.seen:
            come, start = self.come[own], None
        else:
            arrive = self.back[own] - leave
            start = arrive.argmin(axis=2)
            come = np.take_along_axis(arrive, start[:, :, None], 2)[:, :, 0]
        usable = self.usable[own]
        came = int(np.argmin(self.entry[b] - into))
        total = float(self.entry[b][came] - into[came])
        slope[0, b, came] -= 1.0
        last = b == len(self.inside) - 1
        ending = np.where(usable, back - (self.home[own] if last else 0.0), -FAR)
        i, k = np.unravel_index(int(ending.argmax()), ending.shape)
        total -= float(ending[i, k])  # the trip after which the pass is left has no way back
        slope[0, b, to[i, k]] += 1.0
        alone = np.where(usable, come + back, FAR)
        head = alone.argmin(axis=1)
        alone_least = alone[m, head]
        base = least_in[job.line[own]]
        if h == 2:
            value, ends, starts = self._matched(b, own, come, back, alone_least, head, base)
        else:
            each = base + alone_least
            gap = self.between if (each >= self.between).all() else 0.0
            value = float((alone_least / h).sum() + len(own) * gap * (1 - 1 / h))
            ends = [(i, int(head[i]), 1 / h) for i in m.tolist()]
            starts = ends
        for one, on, share in ends:
            slope[0, b, to[one, on]] -= share
        if start is not None:
            for one, on, share in starts:
                slope[1, b, start[one, on]] -= share
        return float(total + value)

    def _matched(
        self, b: int, own: Ints, come: Floats, back: Floats, alone: Floats, head: Ints, base: Floats
    ) -> tuple[float, list[Share], list[Share]]:
        """The least cost of pairing the placements of a pass, or leaving them alone; who ends and who begins a trip."""
        from scipy.optimize import linear_sum_assignment

        first = self.pairs[b][0, 1] + come[:, 0][:, None] + back[:, 1][None]
        second = self.pairs[b][1, 0] + come[:, 1][:, None] + back[:, 0][None]
        lower = np.minimum(first, second)
        both = np.minimum(lower, lower.T) + self.between
        both[np.arange(len(own)), np.arange(len(own))] = 2 * alone + base
        _, mate = linear_sum_assignment(both)
        value = float(both[np.arange(len(own)), mate].sum()) / 2
        ends: list[Share] = []
        starts: list[Share] = []
        for i, j in enumerate(mate.tolist()):
            if i == j:
                ends.append((i, int(head[i]), 1.0))
                starts.append((i, int(head[i]), 1.0))
                continue
            way = min(
                (first[i, j], i, j, 0, 1),
                (second[i, j], i, j, 1, 0),
                (first[j, i], j, i, 0, 1),
                (second[j, i], j, i, 1, 0),
            )
            _, one, other, a, c = way
            starts.append((one, a, 0.5))
            ends.append((other, c, 0.5))
        return value, ends, starts
