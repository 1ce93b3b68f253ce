"""Which nozzles the heads carry when, and which lines go on while they do: few trips and few changes."""

from __future__ import annotations

import random
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from itertools import combinations, permutations, product

import numpy as np
from msgspec import Struct

from fusilex.core.programme.job import Job

Nozzles = tuple[int, ...]
TRIP_S = 1.3
"""Seconds of travel that a trip costs, for choosing between trips and changes; trips themselves are timed in full."""
FAR = 1 << 40
MOST_NOZZLES, MOST_ROWS = 120, 3000


class Phase(Struct, frozen=True):
    """Lines placed on one pass while the heads carry these nozzles."""

    level: int
    nozzles: Nozzles
    lines: tuple[int, ...]


def phases(job: Job, seed: int = 0) -> list[Phase]:
    """Phases of a job in order, by the least estimated time over all passes (dynamic programme over what the heads
    carry at the end of each). Raises ValueError for a line that no head can carry.
    """
    return phase_choices(job, seed)[0]


def phase_choices(job: Job, seed: int = 0) -> list[list[Phase]]:
    """The same, and what leaves the heads otherwise, the likeliest first."""
    machine = job.machine
    start = tuple(machine.nozzle_index.get(head.nozzle, -1) for head in machine.heads)
    best: dict[Nozzles, tuple[float, list[Phase]]] = {start: (0.0, [])}
    for level in np.unique(job.level).tolist():
        count = np.bincount(job.line[job.level == level], minlength=len(job.names))
        lines = np.flatnonzero(count).tolist()
        ways = list(_ways(job, lines, count, seed))
        if not ways:
            raise ValueError("no nozzle here holds every line")
        found: dict[Nozzles, tuple[float, list[Phase]]] = {}
        for carried, (cost, before) in best.items():
            for row, shares, trips in ways:
                total = cost + trips * TRIP_S + _changing(carried, row) * (machine.times.change + TRIP_S)
                end = _carried(carried, row)
                if end not in found or total < found[end][0] - 1e-9:
                    made = [Phase(level, n, tuple(s)) for n, s in zip(row, shares, strict=True) if s]
                    found[end] = total, before + made
        best = dict(sorted(found.items(), key=lambda item: item[1][0])[:40])
    return [made for _, made in sorted(best.values(), key=lambda item: item[0])]


def heads_for(job: Job, line: int, nozzles: Nozzles) -> list[int]:
    """Heads that can carry a line with these nozzles."""
    return [h for h, n in enumerate(nozzles) if n >= 0 and job.fits[line, n]]


def trips_needed(pieces: Mapping[int, int], heads: int) -> int:
    """The least number of trips for pieces by the heads allowed to them (bit sets): as many as the fullest group of
    heads needs for what only they can carry (Hall 1935).

    >>> trips_needed({0b01: 6, 0b11: 2}, 2)
    6
    """
    most = 0
    for group in range(1, 1 << heads):
        own = sum(n for allowed, n in pieces.items() if allowed & ~group == 0)
        most = max(most, -(-own // group.bit_count()))
    return most


def fewest_changes(job: Job) -> int:
    """Nozzle changes that no programme can do without: those of a smallest set of nozzles that holds every line, less
    what the heads carry or may be given before the start.
    """
    machine = job.machine
    carried = {machine.nozzle_index[h.nozzle] for h in machine.heads if h.nozzle}
    free = sum(not h.nozzle for h in machine.heads)
    kinds = np.unique(job.fits[np.unique(job.line)], axis=0)
    every = range(len(machine.nozzles))
    least = min(
        (
            len(set(some) - carried)
            for size in every
            for some in combinations(every, size + 1)
            if kinds[:, list(some)].any(axis=1).all()
        ),
        default=0,
    )
    return max(0, least - free)


def _ways(
    job: Job, lines: list[int], count: np.ndarray, seed: int
) -> Iterator[tuple[tuple[Nozzles, ...], list[list[int]], int]]:
    """Rows of nozzle sets that hold all lines between them, each line's share, and the trips they need."""
    sets = list(_sets(job, lines, seed))
    masks = {v: [sum(1 << h for h in heads_for(job, line, v)) for line in lines] for v in sets}
    order = sorted(range(len(lines)), key=lambda k: -count[lines[k]])
    heads = len(job.machine.heads)
    least = FAR
    for size in range(1, len(job.machine.nozzles) + 1):
        rows: Iterable[tuple[Nozzles, ...]] = permutations(sets, size)
        if len(sets) ** size > MOST_ROWS:
            pick = random.Random(seed + size)
            rows = [tuple(pick.sample(sets, size)) for _ in range(MOST_ROWS)] if len(sets) >= size else []
        for row in rows:
            if all(any(masks[v][k] for v in row) for k in order):
                shares, trips = _shared(row, masks, lines, count, order, heads)
                least = min(least, trips)
                yield row, shares, trips
        if least < FAR and (size >= 2 or heads == 1 or least == -(-sum(count[lines]) // heads)):
            return


def _shared(
    row: tuple[Nozzles, ...],
    masks: dict[Nozzles, list[int]],
    lines: list[int],
    count: np.ndarray,
    order: list[int],
    heads: int,
) -> tuple[list[list[int]], int]:
    """Each line goes where it adds the fewest trips; the largest are dealt out first."""
    shares: list[list[int]] = [[] for _ in row]
    trips = [0] * len(row)
    pieces: list[Counter[int]] = [Counter() for _ in row]
    for k in order:
        tried = []
        for p, v in enumerate(row):
            if masks[v][k]:
                need = trips_needed(pieces[p] + Counter({masks[v][k]: int(count[lines[k]])}), heads)
                tried.append((need - trips[p], p, need))
        _, p, need = min(tried)
        shares[p].append(k)
        trips[p] = need
        pieces[p][masks[row[p]][k]] += int(count[lines[k]])
    return [[lines[k] for k in share] for share in shares], sum(trips)


def _sets(job: Job, lines: list[int], seed: int) -> list[Nozzles]:
    """Nozzles for all heads at once, each nozzle on one head, those that hold the same lines taken for alike."""
    machine = job.machine
    holds = [tuple(job.fits[lines, n].tolist()) for n in range(len(machine.nozzles))]
    every = sorted(range(len(machine.nozzles)), key=lambda n: not any(holds[n]))
    choices = [
        [
            *sorted(
                (n for n in every if machine.head_takes[h, n] and any(holds[n])),
                key=lambda n: machine.nozzles[n].name != head.nozzle,
            ),
            -1,  # a nozzle that there is once may be wanted on another head
        ]
        for h, head in enumerate(machine.heads)
    ]
    total = 1
    for c in choices:
        total *= len(c)
    if total > 40_000:
        pick = random.Random(seed)
        rows: Iterable[tuple[int, ...]] = (tuple(pick.choice(c) for c in choices) for _ in range(40_000))
    else:
        rows = product(*choices)
    found: dict[tuple[object, ...], Nozzles] = {}
    for row in rows:
        row = tuple(n if n not in row[:h] else -1 for h, n in enumerate(row))
        if max(row) < 0:
            continue
        found.setdefault(tuple(holds[n] if n >= 0 else None for n in row), row)
    ranked = sorted(found.values(), key=lambda row: -sum(sum(holds[n]) for n in row if n >= 0))
    return ranked[:MOST_NOZZLES]


def _changing(carried: Nozzles, row: tuple[Nozzles, ...]) -> int:
    total = 0
    for wanted in row:
        total += sum(n >= 0 and c >= 0 and c != n for c, n in zip(carried, wanted, strict=True))
        carried = _carried(carried, (wanted,))
    return total


def _carried(carried: Nozzles, row: tuple[Nozzles, ...]) -> Nozzles:
    for wanted in row:
        carried = tuple(c if n < 0 else n for c, n in zip(carried, wanted, strict=True))
        kept = {w for w in wanted if w >= 0}
        carried = tuple(-1 if n < 0 and c in kept else c for c, n in zip(carried, wanted, strict=True))
    return carried
