"""A time that no programme can beat, whatever its slots, trips and order.

Lagrangian relaxation (Held and Karp 1971, Geoffrion 1974): the way back from a place to the next pick is paid to the
slot it leads to by a price, one a slot (head and pass); with prices given, places look for their cheapest way back,
lines for their cheapest slot (an assignment), each alone. Whatever the prices, the sum is no more than any programme
takes; the prices are then raised where too many come and lowered where too few do. A bound is proven once it is
computed: nothing of it rests on having found the best prices.

Strips and trays are picked from anywhere between their pockets, which no programme can better; what the sums need of
ways between slots (that none is longer than by a third) is made good by the shortest of all chains.

With several heads the same is done a trip at a time: `bound_two` pairs the placements of two heads, `bound_heads` takes
more of them by their means.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from msgspec import Struct

from fusilex.core.programme.bound_heads import Heads
from fusilex.core.programme.bound_two import TwoHeads
from fusilex.core.programme.job import Floats, Ints, Job, cheapest_slots
from fusilex.core.programme.setups import fewest_changes

ROUNDS, PATIENCE = 400, 12
Watch = Callable[[float], bool]
"""Called with the share done; False ends the work with what is known by then."""


class Bound(Struct, frozen=True, eq=False):
    """Seconds that no programme can be faster than, and the slots (L) that the relaxed problem chose."""

    seconds: float
    slot: Ints


def lower_bound(job: Job, reached: float, watch: Watch = lambda share: True, rounds: int = ROUNDS) -> Bound:
    """The best bound found in a number of rounds; `reached` is the time (s) of a known programme."""
    fixed = job.standing_still + fewest_changes(job) * job.machine.times.change
    heads = len(job.machine.heads)
    relaxed: _OneHead | Heads = _OneHead(job) if heads == 1 else TwoHeads(job) if heads == 2 else Heads(job)
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
