"""Settings that bring every joint through its window: found over the twin, good for every oven that the logs leave.

What is least is the worst process window index (see `fusilex.core.reflow.metrics`) of all joints, half by the oven
that is most likely, half by the worst of some that are possible: no plan stands on an edge of what is known.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from fusilex.core.heat.fit import Fitted
from fusilex.core.heat.joints import Joint
from fusilex.core.heat.matter import ROOM_C
from fusilex.core.heat.oven import Loading, OvenModel
from fusilex.core.heat.run import ALONE, Watch, simulate
from fusilex.core.heat.schedule import FULL_C, Schedule, Step, steps_of
from fusilex.core.heat.sheet import Sheet
from fusilex.core.reflow.windows import ProcessWindow

Floats = NDArray[np.float64]
DRAWS, STEP_S, COARSE_S, SLOPE_S, AFTER_S, EVALUATIONS = 5, 1.0, 2.0, 10, 150.0, 140
UNREACHED = 30.0
"""What a metric scores that a joint never gets to, before it is told how far it is away."""


@dataclass(frozen=True, eq=False)
class Planned:
    """The schedule that was found, and the worst index (1: at a limit) by the most likely oven and by the worst of
    those that are possible; `worst` is the metric and the joint it is of.
    """

    schedule: Schedule
    index: float
    index_at_worst: float
    worst: tuple[str, Joint]

    @property
    def steps(self) -> tuple[Step, ...]:
        return steps_of(self.schedule)

    @property
    def possible(self) -> bool | None:
        """True where every oven that may be it keeps the window, False where the likeliest does not, None between."""
        return True if self.index_at_worst <= 1 else None if self.index <= 1 else False


def run_metrics(time: Floats, curves: Floats, window: ProcessWindow) -> dict[str, Floats]:
    """Metrics of curves (t × …) in even steps: NaN where a curve never gets there."""
    step = float(time[1] - time[0])
    n = max(1, round(SLOPE_S / step))
    slope = (curves[n:] - curves[:-n]) / (n * step)
    low, high = window.soak_band
    top = curves.argmax(axis=0)
    enter, leave = _rises(time, curves, low), _rises(time, curves, high)
    begin = _rises(time, curves, max(ROOM_C, float(curves[0].max())) + 2.0)
    above = (curves >= window.melting).sum(axis=0) * step
    return {
        "heating": slope.max(axis=0),
        "soak": leave - enter,
        "above melting": np.where(above > 0, above, np.nan),
        "peak": curves.max(axis=0),
        "cooling": -slope.min(axis=0),
        "to peak": time[top] - begin,
    }


def _rises(time: Floats, curves: Floats, level: float) -> Floats:
    """When each curve first passes a level, NaN where never."""
    over = curves >= level
    return np.where(over.any(axis=0), time[over.argmax(axis=0)], np.nan)


def scores(metrics: Mapping[str, Floats], window: ProcessWindow) -> dict[str, Floats]:
    """How far each metric is from the middle of its range, 1 at a limit; `UNREACHED` and more where it never is."""
    ranges = {
        "heating": window.heating,
        "soak": window.soak,
        "above melting": window.above_melting,
        "peak": window.peak,
        "cooling": window.cooling,
        "to peak": (-window.to_peak_s, window.to_peak_s),
    }
    short = np.maximum(window.peak[0] - metrics["peak"], 0.0)
    return {
        name: np.where(np.isnan(x := metrics[name]), UNREACHED + short, np.abs(x - (a + b) / 2) / ((b - a) / 2))
        for name, (a, b) in ranges.items()
    }


@dataclass(frozen=True, eq=False)
class _Load:
    sheet: Sheet
    names: Sequence[Joint]
    watch: Watch
    window: ProcessWindow
    limits: Floats
    room_c: float
    loading: Loading

    def judged(self, ovens: Sequence[OvenModel], schedule: Schedule, step: float = STEP_S) -> dict[str, Floats]:
        """Scores by metric: joints × ovens; bodies' own limits beside them."""
        end = schedule.end + AFTER_S
        run = simulate(self.sheet, ovens, schedule, end, self.watch, self.room_c, step, loading=self.loading)
        found = scores(run_metrics(run.time, run.watched, self.window), self.window)
        middle = sum(self.window.peak) / 2
        room = np.maximum(self.limits - middle, 1.0)[:, None]
        found["body"] = np.maximum((run.watched.max(axis=0) - middle) / room, 0.0)
        return found


def plan(
    sheet: Sheet,
    joints: tuple[list[Joint], Watch],
    oven: Fitted,
    window: ProcessWindow,
    hottest_c: float,
    dial: bool = False,
    door: bool = True,
    limits: Mapping[str, float] | None = None,
    room_c: float = ROOM_C,
    loading: Loading = ALONE,
    watcher: Callable[[float], bool] = lambda share: True,
) -> Planned:
    """The best settings found: a curve, or with a `dial` a few turns of it. Raises ValueError without joints."""
    names, watch = joints
    if not names:
        raise ValueError("nothing is soldered here by paste")
    most = np.array([(limits or {}).get(j.part, np.inf) for j in names])
    load = _Load(sheet, names, watch, window, most, room_c, loading)
    few = _telling(load, oven, _first(window, hottest_c, dial), dial, door, hottest_c)
    ovens = [oven.oven, *(oven.drawn(DRAWS) if oven.names else [])]
    make = _turns if dial else _curve
    search = _Search(few, ovens, lambda x: make(_inside(x, dial, hottest_c), window, room_c, door), watcher)
    start = _first(window, hottest_c, dial)
    x, central = search.least(start, _steps(dial), 0.5, EVALUATIONS)
    if central > 1:  # before it is said that this oven cannot do it, the likeliest alone is asked
        x, _ = search.least(x, _steps(dial) / 2, 1.0, EVALUATIONS // 2)
    x = _inside(x, dial, hottest_c)
    schedule = make(x, window, room_c, door)
    found = load.judged(ovens, schedule)
    worst = np.max([own.max(axis=0) for own in found.values()], axis=0)
    name = max(found, key=lambda key: float(found[key][:, 0].max()))
    joint = names[int(found[name][:, 0].argmax())]
    watcher(1.0)
    return Planned(schedule, float(worst[0]), float(worst.max()), (name, joint))


class _Search:
    """Nelder and Mead over the worst score of a load, until its evaluations are spent or a watcher has enough."""

    def __init__(
        self,
        load: _Load,
        ovens: Sequence[OvenModel],
        make: Callable[[Floats], Schedule],
        watcher: Callable[[float], bool],
    ) -> None:
        self.load, self.ovens, self.make, self.watcher = load, ovens, make, watcher
        self.done, self.left = 0, False

    def least(self, start: Floats, steps: Floats, share: float, most: int) -> tuple[Floats, float]:
        """Settings with the least of `share` of the likeliest oven's worst score and the rest of the worst oven's; and
        the likeliest oven's.
        """
        from scipy.optimize import minimize

        best: tuple[float, Floats, float] = (np.inf, start, np.inf)

        def cost(x: Floats) -> float:
            nonlocal best
            found = self.load.judged(self.ovens, self.make(x), COARSE_S)
            worst = np.max([own.max(axis=0) for own in found.values()], axis=0)
            value = share * float(worst[0]) + (1 - share) * float(worst.max())
            if value < best[0]:
                best = value, np.array(x), float(worst[0])
            self.done += 1
            self.left = self.left or not self.watcher(min(0.99, self.done / (1.5 * EVALUATIONS)))
            if self.left:
                raise StopIteration
            return value

        simplex = np.vstack([start, start + np.diag(steps)])
        with suppress(StopIteration):
            minimize(cost, start, method="Nelder-Mead", options={"maxfev": most, "initial_simplex": simplex})
        return best[1], best[2]


def _first(window: ProcessWindow, hottest_c: float, dial: bool) -> Floats:
    """Where the search begins: seconds and degrees of a usual run."""
    low, high = window.soak_band
    peak = min(sum(window.peak) / 2 + 20, hottest_c)
    if dial:
        return np.array([(low + high) / 2 + 10, 150.0, 110.0, 5.0, 0.5])
    return np.array([90.0, low + 15.0, 90.0, high + 5.0, 50.0, peak, 35.0, 0.5])


def _steps(dial: bool) -> Floats:
    return np.array([20.0, 30.0, 30.0, 10.0, 0.3] if dial else [30.0, 15.0, 25.0, 15.0, 20.0, 15.0, 20.0, 0.3])


def _inside(x: Floats, dial: bool, hottest_c: float) -> Floats:
    """Settings as an oven takes them."""
    if dial:
        low, high = [50.0, 20.0, 20.0, 0.0, 0.0], [hottest_c, 600.0, 400.0, 120.0, 1.0]
    else:
        low = [30.0, 50.0, 20.0, 80.0, 15.0, 100.0, 0.0, 0.0]
        high = [400.0, hottest_c, 300.0, hottest_c, 200.0, hottest_c, 150.0, 1.0]
    return np.clip(x, low, high)


def _curve(x: Floats, window: ProcessWindow, room_c: float, door: bool) -> Schedule:
    """Up to the soak, through it, up to the top, held there, and off with the door open by some share."""
    to_soak, soak_in, soaking, soak_out, to_top, top, hold, share = x.tolist()
    times = np.cumsum([0.0, to_soak, soaking, to_top, hold, 1.0])
    settings = (room_c, soak_in, max(soak_in, soak_out), max(soak_out, top), max(soak_out, top), 0.0)
    opened = ((float(times[-2]), float(share)),) if door else ()
    return Schedule(tuple(float(t) for t in times), settings, True, opened)


def _turns(x: Floats, window: ProcessWindow, room_c: float, door: bool) -> Schedule:
    """The dial to a middle setting, to full, off; the door ajar or open some seconds later."""
    middle, at_full, full_for, later, share = x.tolist()
    off = at_full + full_for
    opened = ((off + later, share),) if door else ()
    return Schedule((0.0, at_full, off), (middle, FULL_C, 0.0), False, opened)


def _telling(load: _Load, oven: Fitted, x: Floats, dial: bool, door: bool, hottest_c: float) -> _Load:
    """The same load with the few joints that bound all others: the quickest, the slowest, the hottest, the coolest, and
    those with the least room to their own limit.
    """
    make = _turns if dial else _curve
    schedule = make(_inside(x, dial, hottest_c), load.window, load.room_c, door)
    end = schedule.end + AFTER_S
    run = simulate(load.sheet, [oven.oven], schedule, end, load.watch, load.room_c, STEP_S, loading=load.loading)
    curves = run.watched[:, :, 0]
    half = curves[int(np.argmax(curves.mean(axis=1))) // 2]
    peak = curves.max(axis=0)
    end = curves[-1]
    picked = {int(f(a)) for a in (half, peak, end) for f in (np.argmin, np.argmax)}
    picked.add(int(np.argmin(load.limits - peak)))
    own = sorted(picked)
    names = [load.names[k] for k in own]
    return replace(load, names=names, watch=load.watch[own], limits=load.limits[own])
