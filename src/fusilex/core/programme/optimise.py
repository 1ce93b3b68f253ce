"""The best programme found in the time there is, with a bound that says how far from the best of all it can be.

Whoever asks gives the time by a function that says what share of it is spent; the answer is there after the first
moment and only gets better.
"""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator
from itertools import permutations

import numpy as np
from msgspec import Struct

from fusilex.core.programme.bound import Bound, lower_bound
from fusilex.core.programme.job import Ints, Job
from fusilex.core.programme.many_heads import ManyHeads
from fusilex.core.programme.one_head import OneHead
from fusilex.core.programme.plan import Plan, programme_time, slots_moved
from fusilex.core.programme.setups import Phase, phase_choices, phases
from fusilex.core.programme.slots import exchanged_slots

Spent = Callable[[], float]
"""The share of the time that is spent: from 0; the work ends at 1."""
Seen = Callable[["Found"], None]
BOUND_SHARE, POLISH = 0.3, 0.9
HOT_S, COLD_S, MOVES = 0.07, 0.004, 1500
ORDER_EVERY, SLOTS_EVERY = 4, 8
ENOUGH, CLOSE = 250, 1e-6
FEW_CHOICES, FEW_SHARE = 12, 0.4
"""Of few parts so many ways to use the nozzles are tried, in this share of the time."""
SMALL, SMALL_SHARE, MOVES_EACH = 60, 0.5, 30


class Found(Struct, frozen=True, eq=False):
    """A programme: its time (s a run) from park to park, what loading other slots than stand costs a run (s), and the
    time that no programme can beat, with that cost in it.
    """

    plan: Plan
    time_s: float
    moving_s: float
    bound_s: float

    @property
    def cost_s(self) -> float:
        return self.time_s + self.moving_s

    @property
    def gap(self) -> float:
        """How much longer it takes than the bound, as a share of the bound."""
        return max(0.0, self.cost_s / self.bound_s - 1) if self.bound_s > 0 else 0.0


def optimise(job: Job, spent: Spent, seed: int = 0, seen: Seen = lambda found: None) -> Found:
    """The best programme found before `spent` reaches 1, for a job of at least one placement; `seen` is told whenever
    there is a better one, and may raise to end the work. Raises ValueError for a line no head can carry, or more lines
    than slots.
    """
    if len(job.names) > len(job.machine.slots):
        raise ValueError(f"{len(job.names)} lines for {len(job.machine.slots)} slots")
    planned = phases(job, seed)
    best = _Best(seen)
    one = OneHead(job, planned) if len(job.machine.heads) == 1 else None
    first = lower_bound(job, 2 * job.standing_still, rounds=3)
    best.bound = first.seconds
    begin = ManyHeads(job, planned, first.slot, seed) if one is None else None
    if begin is not None:
        begin.sequence()
        best.offer(job, begin.plan())
    elif one is not None:
        best.offer(job, one.plan(first.slot))
    bound = lower_bound(job, best.found.cost_s, lambda share: spent() < BOUND_SHARE)
    best.bound = max(bound.seconds, first.seconds)
    if one is not None:
        _one_head(job, one, bound, best, spent, seed)
    elif begin is not None:
        if begin.few:
            _few(job, bound, best, spent, seed)
        _many_heads(job, planned, bound, best, spent, seed)
    return best.found


class _Best:
    def __init__(self, seen: Seen) -> None:
        self.seen, self.bound = seen, 0.0
        self._found: Found | None = None

    def offer(self, job: Job, plan: Plan) -> bool:
        time, moving = programme_time(job, plan), slots_moved(job, plan)
        if self._found is not None and time + moving >= self._found.cost_s - 1e-9:
            return False
        self._found = Found(plan, time, moving, self.bound)
        self.seen(self._found)
        return True

    @property
    def found(self) -> Found:
        assert self._found is not None
        found = self._found
        return Found(found.plan, found.time_s, found.moving_s, self.bound)


def _one_head(job: Job, one: OneHead, bound: Bound, best: _Best, spent: Spent, seed: int) -> None:
    pick = random.Random(seed)
    slot = _settled(job, one, bound.slot, best)
    idle = 0
    while spent() < 1 and idle < ENOUGH and best.found.gap > CLOSE:
        tried = _settled(job, one, _shaken(job, slot, pick), best)
        if tried is not slot and programme_time(job, one.plan(tried)) <= best.found.time_s + 1e-9:
            slot, idle = tried, 0
        idle += 1


def _settled(job: Job, one: OneHead, slot: Ints, best: _Best) -> Ints:
    """Exchange slots and put the order right in turn, until that helps no more."""
    least = np.inf
    while True:
        plan = one.plan(slot)
        best.offer(job, plan)
        cost = programme_time(job, plan) + slots_moved(job, plan)
        if cost >= least - 1e-9:
            return slot
        least, slot = cost, one.exchanged(slot)


def _shaken(job: Job, slot: Ints, pick: random.Random) -> Ints:
    """Two or three lines exchange their slots, or go to empty ones."""
    made = slot.copy()
    for _ in range(pick.choice((1, 2, 3))):
        k, s = pick.randrange(len(made)), pick.randrange(len(job.machine.slots))
        other = np.flatnonzero(made == s)
        if not job.can[k, s] or (len(other) and not job.can[other[0], made[k]]):
            continue
        if len(other):
            made[other[0]] = made[k]
        made[k] = s
    return made


def _many_heads(job: Job, planned: list[Phase], bound: Bound, best: _Best, spent: Spent, seed: int) -> None:
    """Anneal from the slots of the bound; a small job has time left to try other slots around the best."""
    start = min(max(spent(), 0.0), BOUND_SHARE)
    end = start + (1 - start) * SMALL_SHARE if len(job) <= SMALL else 1.0
    _annealed(job, ManyHeads(job, planned, bound.slot, seed), best, spent, start, end)
    pick, moves = random.Random(seed), min(MOVES, MOVES_EACH * len(job))
    while spent() < 1 and len(job) <= SMALL and best.found.gap > CLOSE:
        search = ManyHeads(job, planned, _shaken(job, best.found.plan.slot, pick), pick.randrange(1 << 30))
        for heat in (HOT_S, COLD_S * 3, COLD_S):
            search.anneal(moves, heat)
        search.sequence()
        best.offer(job, search.plan())
        search.restand(exchanged_slots(job, search.plan(), 1))
        search.anneal(moves, COLD_S)
        search.sequence()
        best.offer(job, search.plan())


def _few(job: Job, bound: Bound, best: _Best, spent: Spent, seed: int) -> None:
    """Few parts: each way to use the nozzles from each way to stand in the slots, its trips the best there are."""
    choices = phase_choices(job, seed)[:FEW_CHOICES]
    share = max(0.0, min(1.0, spent())) + FEW_SHARE
    for n, slot in enumerate(_standings(job, bound.slot)):
        if n and spent() >= share:
            return
        for planned in choices:
            search = ManyHeads(job, planned, slot, seed)
            if search.few:
                search.settle()
                best.offer(job, search.plan())


def _standings(job: Job, first: Ints) -> Iterator[Ints]:
    """Ways to stand in the slots: a likely one, then every other."""
    yield first
    for slots in permutations(range(len(job.machine.slots)), len(job.names)):
        slot = np.array(slots, dtype=first.dtype)
        if (slot != first).any() and job.can[np.arange(len(slot)), slot].all():
            yield slot


def _annealed(job: Job, search: ManyHeads, best: _Best, spent: Spent, begin: float, end: float) -> None:
    rounds = 0
    while (now := spent()) < end or rounds == 0:
        share = min(1.0, max(0.0, now - begin) / (end - begin) / POLISH)
        if rounds % SLOTS_EVERY == SLOTS_EVERY - 1:
            search.restand(exchanged_slots(job, search.plan(), 1))
        if rounds % ORDER_EVERY == 0:
            search.sequence()
            best.offer(job, search.plan())
        search.anneal(min(MOVES, MOVES_EACH * len(job)), HOT_S * (COLD_S / HOT_S) ** share)
        rounds += 1
    search.sequence()
    best.offer(job, search.plan())
