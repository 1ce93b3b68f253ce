"""Machines and jobs made up for tests and timing: seeded, of any size, with one, two or six heads."""

from __future__ import annotations

from itertools import permutations
from math import inf, sqrt

import numpy as np

from fusilex.bench.batch import Batch
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.place.programmed import rows_of, task
from fusilex.bench.stations.place.setup_events import Row
from fusilex.core.machine.model import Axis, Head, Machine, Nozzle, Slot, Times
from fusilex.core.programme.job import Job, cheapest_slots
from fusilex.core.programme.plan import Plan, Trip
from fusilex.core.programme.setups import heads_for, phases

SIZES = (0.5, 0.8, 1.25, 1.6, 4.0, 7.0)
HEIGHT = {0.5: 0.5, 0.8: 0.8, 1.25: 1.1, 1.6: 1.3, 4.0: 1.8, 7.0: 4.5}


def machine(heads: int, slots: int) -> Machine:
    """Slots along the front and, turned round, along the back; a nozzle of each kind for each head."""
    front = (slots + 1) // 2
    row = [Slot(f"F{k + 1}", 60 + 15 * k, 20.0, 16.0) for k in range(front)]
    row += [Slot(f"B{k + 1}", 60 + 15 * k, 380.0, 16.0, turn=180.0) for k in range(slots - front)]
    kinds = (("S", 0.3, 2.0), ("M", 0.8, 6.0))
    tips = [Nozzle(f"{n}{k}", a, b, rack=(540.0, 100 + 20 * k)) for n, a, b in kinds for k in range(heads)]
    spacing = 15.0 if heads > 2 else 30.0
    return Machine(
        f"{heads} heads",
        600,
        400,
        (200, 140),
        tuple(row),
        tuple(Head(str(k + 1), dx=k * spacing) for k in range(heads)),
        (*tips, Nozzle("L", 3.0, 20.0, rack=(560.0, 100.0))),
        Axis(500, 4000),
        Axis(500, 4000),
        Axis(250, 5000),
        vision=heads > 1,
        look_at=(300, 80),
        reject=(20, 100),
    )


def job(n: int, lines: int, heads: int, seed: int = 0, slots: int | None = None, shop: Machine | None = None) -> Job:
    """n placements of some lines at random places of a panel, few lines having most of them."""
    rng = np.random.default_rng(seed)
    m = shop or machine(heads, slots or lines)
    size = rng.choice(SIZES, lines, p=[0.35, 0.25, 0.15, 0.1, 0.1, 0.05])
    share = rng.pareto(1.2, lines) + 0.2
    line = np.concatenate([np.arange(lines), rng.choice(lines, n - lines, p=share / share.sum())])
    height = np.array([HEIGHT[s] for s in size])[line]
    return Job(
        m,
        tuple(f"L{k}" for k in range(lines)),
        np.array([[z.least <= s <= z.most for z in m.nozzles] for s in size]),
        np.ones((lines, len(m.slots)), dtype=bool),
        line,
        rng.uniform(0, 1, (n, 2)) * [160, 110] + m.board,
        rng.choice([0.0, 90.0, 180.0, -90.0], n),
        height,
        (height > 2.0).astype(int),
        tuple((f"R{k}", 1) for k in range(n)),
        12.0,
        np.zeros((lines, len(m.slots))),
    )


def small_shop(heads: int, vision: bool) -> Machine:
    """A machine with three slots and two nozzles a head, small enough to try everything."""
    tips = tuple(Nozzle(n, a, b, rack=(90.0, 60.0)) for n, a, b in (("S", 0.3, 2.0), ("M", 0.8, 6.0), ("S2", 0.3, 2.0)))
    return Machine(
        "try all",
        100,
        80,
        (40, 30),
        tuple(Slot(str(k), 15.0 + 22 * k, 5.0, turn=90.0 * (k == 2)) for k in range(3)),
        tuple(Head(str(k), dx=18.0 * k, nozzle=("S", "M")[k]) for k in range(heads)),
        tips,
        Axis(300, 3000),
        Axis(250, 2500),
        turn=Axis(700, 5000),
        times=Times(change=2.5),
        vision=vision,
        look_at=(50, 15),
        park=(5, 70),
    )


def shortest(j: Job) -> float:
    """The least time of all programmes of a small job: every slot, nozzle, trip, head and order tried (with memory of
    what was tried from the same state), by sums of its own.
    """
    best = inf
    for slots in permutations(range(len(j.machine.slots)), len(j.names)):
        best = min(best, _Tried(j, slots).least())
    return best


def _way(d: float, v: float, a: float) -> float:
    return 2 * sqrt(d / a) if d <= v * v / a else d / v + v / a


class _Tried:
    def __init__(self, j: Job, slots: tuple[int, ...]) -> None:
        self.j, self.slots, self.memory = j, slots, {}
        self.m = j.machine

    def leg(self, a: tuple[float, float], b: tuple[float, float]) -> float:
        x, y = self.m.x, self.m.y
        return max(_way(abs(a[0] - b[0]), x.speed, x.acceleration), _way(abs(a[1] - b[1]), y.speed, y.acceleration))

    def beam(self, at: tuple[float, float], head: int) -> tuple[float, float]:
        return at[0] - self.m.heads[head].dx, at[1] - self.m.heads[head].dy

    def turn(self, i: int) -> float:
        angle = (self.j.turn[i] - self.m.slots[self.slots[self.j.line[i]]].turn) % 360
        return _way(min(angle, 360 - angle), self.m.turn.speed, self.m.turn.acceleration)

    def still(self) -> float:
        m, t = self.m, self.m.times
        z = lambda d: 2 * _way(d, m.z.speed, m.z.acceleration)  # noqa: E731
        each = t.pick + t.place + (t.look if m.vision else 0) + z(self.j.travel_z - m.pick_z)
        slots = [m.slots[self.slots[k]] for k in self.j.line]
        each += t.feed * sum(s.in_row * s.rows == 1 for s in slots) / len(slots)
        return sum(each + z(self.j.travel_z - m.board_z - h) for h in self.j.height) + z(m.top_z - self.j.travel_z)

    def least(self) -> float:
        held = tuple(self.m.nozzle_index[h.nozzle] for h in self.m.heads)
        return self.still() + self.on(frozenset(range(len(self.j))), self.m.park, 0.0, held)

    def on(self, left: frozenset[int], at: tuple[float, float], turned: float, held: tuple[int, ...]) -> float:
        if not left:
            return max(self.leg(at, self.m.park), turned)
        key = (left, at, turned, held)
        if key not in self.memory:
            self.memory[key] = min(self._trips(left, at, turned, held), self._changes(left, at, turned, held))
        return self.memory[key]

    def _changes(self, left, at, turned, held, again=True):
        """The least with a change of one head's nozzle here, and of another's after it."""
        best = inf
        for h, n in ((h, n) for h in range(len(held)) for n in range(len(self.m.nozzles)) if n not in held):
            to, new = self.beam(self.m.nozzles[n].rack, h), (*held[:h], n, *held[h + 1 :])
            cost = max(self.leg(at, to), turned) + self.m.times.change
            best = min(best, cost + self._trips(left, to, 0.0, new))
            if again and len(held) > 1:
                best = min(best, cost + self._changes(left, to, 0.0, new, False))
        return best

    def _trips(self, left, at, turned, held):
        low = min(self.j.level[i] for i in left)
        now = [i for i in left if self.j.level[i] == low]
        able = {i: [h for h, n in enumerate(held) if self.j.fits[self.j.line[i], n]] for i in now}
        best = inf
        for some in [(i,) for i in now] + [p for p in permutations(now, 2) if len(held) > 1]:
            for heads in permutations(range(len(held)), len(some)):
                if all(h in able[i] for i, h in zip(some, heads, strict=True)):
                    best = min(best, self._trip(left, at, turned, held, list(zip(heads, some, strict=True))))
        return best

    def _trip(self, left, at, turned, held, picks):
        here, total = at, 0.0
        for k, (h, i) in enumerate(picks):
            own = {n for n in range(len(self.j)) if self.j.line[n] == self.j.line[i]}
            before = len(own - left) + sum(n in own for _, n in picks[:k])
            s = self.m.slots[self.slots[self.j.line[i]]]
            row, column = divmod(before % (s.in_row * s.rows), s.in_row)
            to = self.beam(tuple(np.array([s.x, s.y]) + column * np.array(s.step) + row * np.array(s.row_step)), h)
            total += max(self.leg(here, to), turned) if k == 0 else self.leg(here, to)
            here = to
        turn = max(self.turn(i) for _, i in picks)
        best = inf
        for looks in permutations([h for h, _ in picks]) if self.m.vision else [()]:
            for places in permutations(picks):
                cost, where = total, here
                for h in looks:
                    to = self.beam(self.m.look_at, h)
                    cost, where = cost + self.leg(where, to), to
                for k, (h, i) in enumerate(places):
                    to = self.beam(tuple(self.j.xy[i]), h)
                    cost, where = cost + (max(self.leg(where, to), turn) if k == 0 else self.leg(where, to)), to
                best = min(best, cost + self.on(left - {i for _, i in picks}, where, turn, held))
        return best


def plain_programme(batch: Batch) -> tuple[dict[str, str], list[Row]]:
    """Slots and trips of the step in view, one part a trip: the first programme at hand."""
    try:
        j = task(batch, batch.board.panel).job
    except Refused:
        return {}, []
    trips = []
    for phase in phases(j):
        for i in np.flatnonzero((j.level == phase.level) & np.isin(j.line, phase.lines)).tolist():
            held = ((heads_for(j, int(j.line[i]), phase.nozzles)[0], i),)
            trips.append(Trip(phase.nozzles, held, held))
    return rows_of(j, Plan(cheapest_slots(j, j.moving)[1], tuple(trips)))
