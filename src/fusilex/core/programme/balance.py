"""Two or more machines in a row: which lines each places, so that the slower one is done as soon as can be.

Lines are dealt out by an integer programme (SciPy's HiGHS) over estimated times; each machine's share is then
programmed, the estimates are put right by what came out, and the lines dealt out again.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from msgspec import Struct

from fusilex.core.machine.motion import stroke_time
from fusilex.core.programme.job import FAR, Floats, Job
from fusilex.core.programme.optimise import Found, Spent, optimise
from fusilex.core.whole_numbers import solve

ROUNDS, GAP = 4, 1e-4
MakeJob = Callable[[int, frozenset[str]], Job]
"""The job of some lines on a machine (from 0). Raises ValueError where it cannot be done."""


class Balanced(Struct, frozen=True, eq=False):
    """Lines of each machine, its programme (None: none is left for it), and the time (s) that no sharing out beats."""

    lines: tuple[frozenset[str], ...]
    jobs: tuple[Job | None, ...]
    found: tuple[Found | None, ...]
    bound_s: float

    @property
    def time_s(self) -> float:
        """Seconds between two panels: those of the slower machine."""
        return max(f.time_s for f in self.found if f is not None)

    @property
    def gap(self) -> float:
        return max(0.0, self.time_s / self.bound_s - 1) if self.bound_s > 0 else 0.0


def least_each(job: Job) -> tuple[Floats, float]:
    """Seconds that each placement takes at least, n: holding still and strokes, and its share of a trip's way, which is
    no shorter than the way for it alone from slot to place and back to any slot, over as many parts as there are heads.
    And the longest way back, which the last trip goes without.
    """
    m, h = job.machine, len(job.machine.heads)
    hold = m.times.pick + m.times.place + (m.times.look if m.vision else 0.0)
    feed = np.where(job.can, m.feed_s, FAR).min(axis=1)[job.line]
    strokes = stroke_time(m, job.travel_z, m.pick_z) + stroke_time(m, job.travel_z, m.board_z + job.height)
    each, longest, reach = np.full(len(job), FAR), 0.0, m.slot_reach
    for head in range(h):
        pick, place = job.pick_at[:, head], job.place_at[:, head]
        back = job.least_leg(place[:, None], job.pick_at.reshape(-1, 2)[None], np.repeat(reach, h, axis=0)).min(axis=1)
        longest = max(longest, float(back.max()))
        if m.vision:
            looks = job.least_leg(job.look_at[None], pick[:, None], reach[:, None]).min(axis=1)
            come = job.leg(job.look_at[None], place[:, None]).min(axis=1)
            way = np.where(job.can, looks[None], FAR).min(axis=1)[job.line] + come + back
        else:
            out = job.least_leg(place[:, None], pick[None], reach)
            way = np.where(job.can[job.line], out, FAR).min(axis=1) + back
        each = np.minimum(each, np.where(job.usable[job.line, head], way, FAR))
    return np.asarray(hold + feed + strokes + each / h), longest


def balance(
    machines: int, able: Sequence[frozenset[str]], slots: Sequence[int], make: MakeJob, spent: Spent, seed: int = 0
) -> Balanced:
    """The best sharing out found before `spent` reaches 1. `able` are the lines each machine can take, `slots` how many
    it has room for. Raises ValueError where some line fits no machine, or there are more than slots.
    """
    names = sorted(frozenset().union(*able))
    least, slack = np.full((len(names), machines), np.inf), 0.0
    for m in range(machines):
        job = make(m, able[m]) if able[m] else None
        if job is not None:
            each, longest = least_each(job)
            slack = max(slack, longest)
            for k, name in enumerate(job.names):
                least[names.index(name), m] = float(each[job.line == k].sum())
    bound = _dealt(least, slots)[1] - slack
    guess, best = least * 1.25, None
    for n in range(ROUNDS):
        share, _ = _dealt(guess, slots)
        lines = tuple(frozenset(names[k] for k in np.flatnonzero(share == m)) for m in range(machines))
        begin, end = n / ROUNDS, (n + 1) / ROUNDS
        jobs: list[Job | None] = []
        found: list[Found | None] = []
        for m in range(machines):
            jobs.append(make(m, lines[m]) if lines[m] else None)
            start = begin + (end - begin) * m / machines
            stop = begin + (end - begin) * (m + 1) / machines
            job = jobs[m]
            found.append(optimise(job, _within(spent, start, stop), seed) if job is not None else None)
            if (got := found[m]) is not None:
                own = [names.index(name) for name in lines[m]]
                guess[:, m] *= got.time_s / float(guess[own, m].sum())
        made = Balanced(lines, tuple(jobs), tuple(found), max(bound, 0.0))
        if best is None or made.time_s < best.time_s:
            best = made
        if spent() >= 1:
            break
    assert best is not None
    return best


def _within(spent: Spent, start: float, stop: float) -> Spent:
    return lambda: (spent() - start) / (stop - start)


def _dealt(cost: Floats, slots: Sequence[int]) -> tuple[np.ndarray, float]:
    """The machine of each line (L) at the least greatest sum of costs (L × M), and a bound to that sum."""
    count, machines = cost.shape
    n = count * machines + 1
    finite = np.where(np.isfinite(cost), cost, 0.0)
    rows, low, high = [], [], []
    for k in range(count):
        row = np.zeros(n)
        row[k * machines : (k + 1) * machines] = 1
        rows.append(row)
        low.append(1.0)
        high.append(1.0)
    for m in range(machines):
        row = np.zeros(n)
        row[m : n - 1 : machines] = finite[:, m]
        row[-1] = -1
        rows.append(row)
        low.append(-np.inf)
        high.append(0.0)
        room = np.zeros(n)
        room[m : n - 1 : machines] = 1
        rows.append(room)
        low.append(-np.inf)
        high.append(float(slots[m]))
    upper = np.append(np.isfinite(cost).ravel().astype(float), np.inf)
    gain = np.zeros(n)
    gain[-1] = 1
    whole = np.append(np.ones(n - 1), 0)
    try:
        found, bound, _ = solve(gain, rows, low, high, upper, whole, GAP)
    except ValueError:
        raise ValueError("the machines in this row have no room for every line") from None
    share = found[:-1].reshape(count, machines).argmax(axis=1)
    return share, bound
