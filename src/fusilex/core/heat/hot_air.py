"""Hot air in held steps: plate and air are set, held for a while between two clocks, and looked at before going on."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from fusilex.core.heat.fit import Fitted
from fusilex.core.heat.joints import Joint, molten
from fusilex.core.heat.matter import ROOM_C
from fusilex.core.heat.oven import Loading
from fusilex.core.heat.run import Run, Terms, Watch, simulate
from fusilex.core.heat.schedule import Schedule
from fusilex.core.heat.sheet import Sheet
from fusilex.core.heat.sources.jet import Stream

Floats = NDArray[np.float64]
STEP_S, DRAWS, FRAME_S = 1.0, 8, 5.0
HALF_PER_SPREAD = 2.5
"""The air's heat has fallen to half so many spreads beyond the bore: with it, solder on a warmed board of usual copper
melts about as far as the nozzle's radius and one spread.
"""


class HotAirStep(Struct, frozen=True):
    """What plate and air are set to (°C, 0: off; l/min, 0: lifted away), how long at least and at most (s), and what to
    look at before the next one.
    """

    name: str
    plate_c: float
    air_c: float
    litres_per_min: float
    least_s: float
    most_s: float
    look: str = ""


class Gun(Struct, frozen=True):
    """An air gun: its nozzle's bore, how far beyond it solder melts as a rule, and its height above the board (mm)."""

    nozzle_mm: float = 5.0
    spread_mm: float = 3.0
    distance_mm: float = 15.0


def plate_of(steps: Sequence[HotAirStep], seconds: Sequence[float]) -> Schedule:
    """What the plate is set to when each step takes so long.

    >>> plate_of([HotAirStep("warm", 150, 0, 0, 60, 90), HotAirStep("off", 0, 0, 0, 30, 60)], [60, 30]).times
    (0.0, 60.0)
    """
    starts = np.concatenate([[0.0], np.cumsum(seconds)])[:-1]
    return Schedule(tuple(float(t) for t in starts), tuple(s.plate_c for s in steps), False)


def stream_of(steps: Sequence[HotAirStep], seconds: Sequence[float], gun: Gun, places: Floats) -> Stream:
    """The gun's air when each step takes so long, held over `places` (r × 2, mm from the middle), one a run."""
    starts = np.concatenate([[0.0], np.cumsum(seconds)])[:-1]
    half = gun.nozzle_mm / 2 + HALF_PER_SPREAD * gun.spread_mm
    times, air = tuple(float(t) for t in starts), tuple(s.air_c for s in steps)
    return Stream(times, air, tuple(s.litres_per_min for s in steps), places, gun.nozzle_mm, gun.distance_mm, half)


def hot_steps(steps: Sequence[HotAirStep]) -> int:
    """How many steps there are until the air is lifted away for good."""
    blown = [k for k, s in enumerate(steps) if s.litres_per_min > 0]
    return blown[-1] + 1 if blown else len(steps)


class Heated(Struct, frozen=True, eq=False):
    """What held steps do by their shortest and their longest clocks: of each joint (k) the peak (°C) by the likeliest
    plate and gun, the least peak by the shortest clocks and the highest by the longest over those that may be; when the
    last joint of the part melts by the longest (s, NaN: never); and that run.
    """

    joints: tuple[Joint, ...]
    shortest: Floats
    longest: Floats
    least: Floats
    highest: Floats
    melts: float
    run: Run


def held(
    sheet: Sheet,
    joints: tuple[list[Joint], Watch],
    part: tuple[str, int],
    place: tuple[float, float],
    steps: Sequence[HotAirStep],
    oven: Fitted,
    gun: Gun,
    melting: float,
    room_c: float = ROOM_C,
) -> Heated:
    """What the steps do to a part (ref, cell from 0) at a place (mm from the middle of the panel) and to all others."""
    names, watch = joints
    own = [k for k, j in enumerate(names) if (j.part, j.cell) == part]
    if not own:
        raise ValueError(f"{part[0]} has no joint there that paste holds")
    ovens = [oven.oven, *(oven.drawn(DRAWS) if oven.names else [])]
    count = hot_steps(steps)
    peaks, run = [], None
    for clock in ("least_s", "most_s"):
        seconds = [float(getattr(s, clock)) for s in steps]
        until = sum(seconds[:count]) + 20.0
        stream = stream_of(steps, seconds, gun, np.tile(np.array(place), (len(ovens), 1)))
        run = simulate(
            sheet, ovens, plate_of(steps, seconds), until, watch, Terms(room_c, STEP_S, FRAME_S), Loading(), stream
        )
        peaks.append(run.watched.max(axis=0))
    assert run is not None
    melts = molten(run.time, run.watched[:, own, 0], melting).melts
    late = float(melts.max()) if np.isfinite(melts).all() else float("nan")
    short, long = peaks
    return Heated(tuple(names), short[:, 0], long[:, 0], short.min(axis=1), long.max(axis=1), late, run)


def undone(
    sheet: Sheet,
    joints: tuple[list[Joint], Watch],
    parts: Mapping[str, tuple[float, float]],
    cell: int,
    steps: Sequence[HotAirStep],
    oven: Fitted,
    gun: Gun,
    melting: float,
) -> NDArray[np.bool_]:
    """Which part (row, by the order of `parts`: places, mm from the middle) melts joints of which other (column) when
    it is heated by the longest clocks.
    """
    names, watch = joints
    seconds = [s.most_s for s in steps]
    until = sum(seconds[: hot_steps(steps)]) + 20.0
    places = np.array(list(parts.values())).reshape(-1, 2)
    stream = stream_of(steps, seconds, gun, places)
    ovens = [oven.oven] * len(parts)
    run = simulate(sheet, ovens, plate_of(steps, seconds), until, watch, Terms(ROOM_C, STEP_S), stream=stream)
    peak = run.watched.max(axis=0)
    found = np.zeros((len(parts), len(parts)), dtype=bool)
    for j, ref in enumerate(parts):
        own = [k for k, joint in enumerate(names) if (joint.part, joint.cell) == (ref, cell)]
        if own:
            found[:, j] = peak[own].max(axis=0) >= melting
    np.fill_diagonal(found, False)
    return found


MOST_EXACT = 12


def best_order(undoes: NDArray[np.bool_], first: Sequence[float]) -> tuple[list[int], int]:
    """An order of k parts in which the fewest are melted again by one after them, and how many are; of several the one
    that takes those with most of `first` early. Exact up to 12 parts; with more, the one that fewest of the rest would
    melt again goes next.

    >>> best_order(np.array([[False, True], [False, False]]), [0.0, 1.0])
    ([0, 1], 0)
    """
    k = len(undoes)
    if k > MOST_EXACT:
        left, order = list(range(k)), []
        while left:
            again = {i: int(undoes[left, i].sum()) for i in left}
            order.append(min(left, key=lambda i: (again[i], -first[i])))
            left.remove(order[-1])
        harm = sum(bool(undoes[i, j]) for n, i in enumerate(order) for j in order[:n])
        return order, harm
    best: dict[int, tuple[int, list[int]]] = {0: (0, [])}
    by_first = sorted(range(k), key=lambda i: -first[i])
    for taken in range(1, 1 << k):  # the least harm with these done, by who was last
        for i in by_first:
            if taken >> i & 1:
                harm, order = best[taken & ~(1 << i)]
                harm += sum(bool(undoes[i, j]) for j in order)
                if taken not in best or (harm, [-first[x] for x in [*order, i]]) < (
                    best[taken][0],
                    [-first[x] for x in best[taken][1]],
                ):
                    best[taken] = harm, [*order, i]
    harm, order = best[(1 << k) - 1]
    return order, harm
