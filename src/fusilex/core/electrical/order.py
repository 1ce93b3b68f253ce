"""The best order of readings, and the best of them for the minutes there are.

Readings are taken port by port: one tip stays parked on a net while the other walks over the rest, which saves
half of the landings. A port that is begun is finished.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

LAND_S, WALK_S = 2.0, 2.0
"""A tip is put down on a fine pad and the meter beeps or not within two seconds; the parked one takes as long."""
FLIP_S = 4.0
STEP_S = 0.5
"""Times are counted in steps of this when the best for some minutes is sought, rounded up: no plan takes longer."""


class Reading(Struct, frozen=True):
    """One reading: its key, the net (or pad) it can be parked at, seconds with the other tip parked, and the chance to
    find something bad (P(bad) × P(seen if bad)).
    """

    key: str
    port: str
    seconds: float
    finds: float


class Port(Struct, frozen=True):
    """Readings with one tip parked, best first, after `land_s` to park it."""

    name: str
    readings: tuple[Reading, ...]
    land_s: float = LAND_S

    @property
    def finds(self) -> float:
        """Chance that one of them finds something."""
        return 1 - math.prod(1 - r.finds for r in self.readings)

    @property
    def expected_s(self) -> float:
        """Seconds spent here on average when the first finding ends it."""
        left, total = 1.0, self.land_s
        for reading in self.readings:
            total += left * reading.seconds
            left *= 1 - reading.finds
        return total

    @property
    def seconds(self) -> float:
        """Seconds for all of them."""
        return self.land_s + sum(r.seconds for r in self.readings)


def parked(ends: Mapping[str, tuple[str, str]]) -> dict[str, str]:
    """Where to park a tip for each reading (by key, between two ends): the ends that serve most readings, one after
    another, so that few are needed.

    >>> parked({"1": ("GND", "A"), "2": ("GND", "B"), "3": ("B", "C"), "4": ("GND", "C")})
    {'1': 'GND', '2': 'GND', '3': 'B', '4': 'GND'}
    """
    served: dict[str, list[str]] = {}
    for key, pair in ends.items():
        for end in dict.fromkeys(pair):
            served.setdefault(end, []).append(key)
    count = {end: len(keys) for end, keys in served.items()}
    at: dict[str, str] = {}
    while len(at) < len(ends):
        best = min(count, key=lambda end: (-count[end], end))
        for key in served[best]:
            if key not in at:
                at[key] = best
                for end in dict.fromkeys(ends[key]):
                    count[end] -= 1
        del count[best]
    return {key: at[key] for key in ends}


def best_order(readings: Sequence[Reading], land_s: float = LAND_S) -> list[Port]:
    """Ports, and readings in them, in the order that finds the first fault in the least time on average.

    With independent faults a reading goes before another when it finds more a second (q/s; Mitten 1960, least-cost
    testing sequence); a port counts as one test that finds 1 − Π(1 − q) in the seconds it is expected to take. Exact
    among all orders that finish a port before the next.

    >>> [r.key for p in best_order([Reading("a", "x", 2, 0.1), Reading("b", "x", 2, 0.3), Reading("c", "y", 2, 0.5)])
    ...  for r in p.readings]
    ['c', 'b', 'a']
    """
    by_port: dict[str, list[Reading]] = {}
    for reading in readings:
        by_port.setdefault(reading.port, []).append(reading)
    ports = [
        Port(name, tuple(sorted(own, key=lambda r: (-r.finds / r.seconds, r.key))), land_s)
        for name, own in by_port.items()
    ]
    return sorted(ports, key=lambda p: (-p.finds / p.expected_s, p.name))


def expected_seconds(ports: Sequence[Port]) -> float:
    """Seconds until the first finding, or the end, on average."""
    left, total = 1.0, 0.0
    for port in ports:
        total += left * port.expected_s
        left *= 1 - port.finds
    return total


def found_chance(readings: Sequence[Reading]) -> float:
    """Chance that at least one of some readings finds something, faults being independent."""
    return 1 - math.prod(1 - r.finds for r in readings)


def best_in(readings: Sequence[Reading], seconds: float, land_s: float = LAND_S) -> list[Reading]:
    """The readings that find most in so many seconds, parking included: a knapsack with set-ups, exact in steps of
    `STEP_S` (dynamic programme over ports).

    >>> few = [Reading("a", "x", 2, 0.1), Reading("b", "x", 2, 0.3), Reading("c", "y", 2, 0.35)]
    >>> [r.key for r in best_in(few, 6)], [r.key for r in best_in(few, 8)]
    (['a', 'b'], ['b', 'c'])
    """
    room = math.floor(seconds / STEP_S + 1e-9)
    whole = sum(p.seconds for p in best_order(readings, land_s))
    if whole <= seconds:
        return list(readings)
    by_port: dict[str, list[Reading]] = {}
    for reading in readings:
        by_port.setdefault(reading.port, []).append(reading)
    best = np.zeros(room + 1)
    kept: list[tuple[list[Reading], NDArray[np.bool_], list[NDArray[np.bool_]]]] = []
    for own in by_port.values():
        inside = _later(best, _steps(land_s))
        took = []
        for reading in own:
            with_it = _later(inside, _steps(reading.seconds)) - math.log1p(-min(reading.finds, 1 - 1e-12))
            took.append(with_it > inside)
            inside = np.maximum(inside, with_it)
        opened = inside > best
        best = np.where(opened, inside, best)
        kept.append((own, opened, took))
    chosen, at = set(), room
    for own, opened, took in reversed(kept):
        if not opened[at]:
            continue
        for reading, took_it in zip(reversed(own), reversed(took), strict=True):
            if took_it[at]:
                chosen.add(reading.key)
                at -= _steps(reading.seconds)
        at -= _steps(land_s)
    return [r for r in readings if r.key in chosen]


def _steps(seconds: float) -> int:
    return math.ceil(seconds / STEP_S - 1e-9)


def _later(best: NDArray[np.float64], steps: int) -> NDArray[np.float64]:
    """The same, so many steps later; not to be had before."""
    found = np.full_like(best, -np.inf)
    if steps < len(best):
        found[steps:] = best[: len(best) - steps] if steps else best
    return found
