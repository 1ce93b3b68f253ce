"""Settings that bring every joint through its window: found over the twin, good for every oven that the logs leave.

What is least is the worst process window index (see `fusilex.core.reflow.metrics`) of all joints, half by the oven
that is most likely, half by the worst of some that are possible: no plan stands on an edge of what is known.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import partial

import numpy as np
from msgspec import Struct
from msgspec.structs import replace
from numpy.typing import NDArray

from fusilex.core.heat import settings
from fusilex.core.heat.fit import Fitted
from fusilex.core.heat.joints import Joint
from fusilex.core.heat.matter import ROOM_C
from fusilex.core.heat.oven import Loading, OvenModel, cooling_s
from fusilex.core.heat.run import ALONE, Terms, Watch, simulate
from fusilex.core.heat.schedule import Schedule, Step, steps_of
from fusilex.core.heat.sheet import Sheet
from fusilex.core.reflow.windows import ProcessWindow

Floats = NDArray[np.float64]
DRAWS, STEP_S, COARSE_S, SLOPE_S = 5, 1.0, 2.0, 10
MANY, ROUNDS = 16, ((24, 0.5), (16, 0.5), (20, 1.0))
"""Settings tried in one run; rounds, and what the likeliest oven counts against the worst in each. The last is for one
that is not found to keep the window: before it is said that it cannot, the likeliest alone is asked.
"""
IDLE, GAIN = 8, 0.005
"""A round ends where so many generations gained less than this share."""
UNREACHED = 30.0
"""What a metric scores that a joint never gets to, before it is told how far it is away."""


class Planned(Struct, frozen=True, eq=False):
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
    """How far each metric is from the middle of its range, 1 at a limit; `UNREACHED` and more where it never is. Time
    to the peak has no middle: it counts little until it comes near its limit.
    """
    ranges = {
        "heating": window.heating,
        "soak": window.soak,
        "above melting": window.above_melting,
        "peak": window.peak,
        "cooling": window.cooling,
    }
    short = np.maximum(window.peak[0] - metrics["peak"], 0.0)
    found = {name: np.abs(metrics[name] - (a + b) / 2) / ((b - a) / 2) for name, (a, b) in ranges.items()}
    found["to peak"] = (metrics["to peak"] / window.to_peak_s) ** 3
    return {name: np.where(np.isnan(own), UNREACHED + short, own) for name, own in found.items()}


class _Load(Struct, frozen=True, eq=False):
    """What is judged: joints of a coarse sheet, each brought to what a finer one says by its `lift`."""

    sheet: Sheet
    names: Sequence[Joint]
    watch: Watch
    window: ProcessWindow
    limits: Floats
    room_c: float
    loading: Loading
    lift: Floats

    def curves(self, ovens: Sequence[OvenModel], schedules: Sequence[Schedule], step: float) -> tuple[Floats, Floats]:
        """Times, and temperatures t × joints × schedules × ovens."""
        end = max(s.end for s in schedules) + cooling_s(ovens[0].kind)
        each, all_of = [s for s in schedules for _ in ovens], list(ovens) * len(schedules)
        run = simulate(self.sheet, all_of, each, end, self.watch, Terms(self.room_c, step), self.loading)
        found = self.room_c + (run.watched - self.room_c) * self.lift[None, :, None]
        return run.time, found.reshape(*found.shape[:2], len(schedules), len(ovens))

    def judged(
        self, ovens: Sequence[OvenModel], schedules: Sequence[Schedule], step: float = STEP_S
    ) -> dict[str, Floats]:
        """Scores by metric, bodies' own limits beside them: joints × schedules × ovens."""
        time, curves = self.curves(ovens, schedules, step)
        found = scores(run_metrics(time, curves, self.window), self.window)
        middle = sum(self.window.peak) / 2
        room = np.maximum(self.limits - middle, 1.0)[:, None, None]
        found["body"] = np.maximum((curves.max(axis=0) - middle) / room, 0.0)
        return found

    def with_few(self, likely: OvenModel, schedule: Schedule) -> _Load:
        """The same load with the few joints that bound all others: the quickest, the slowest, the hottest, the coolest,
        and the one with the least room to its own limit.
        """
        _, found = self.curves([likely], [schedule], STEP_S)
        curves = found[:, :, 0, 0]
        half = curves[int(np.argmax(curves.mean(axis=1))) // 2]
        peak = curves.max(axis=0)
        picked = {int(f(a)) for a in (half, peak, curves[-1]) for f in (np.argmin, np.argmax)}
        own = sorted(picked | {int(np.argmin(self.limits - peak))})
        names = [self.names[k] for k in own]
        return replace(self, names=names, watch=self.watch[own], limits=self.limits[own], lift=self.lift[own])


class Aim(Struct, frozen=True):
    """What settings are looked for: a window, up to how hot the oven goes (°C), turns of a `dial` or a curve, with a
    `door` that is opened, and limits of parts (°C).
    """

    window: ProcessWindow
    hottest_c: float
    dial: bool = False
    door: bool = True
    limits: Mapping[str, float] = {}


def plan(
    sheet: Sheet,
    joints: tuple[list[Joint], Watch],
    oven: Fitted,
    aim: Aim,
    room_c: float = ROOM_C,
    loading: Loading = ALONE,
    fine: tuple[Sheet, Watch] | None = None,
    watcher: Callable[[float], bool] = lambda share: True,
) -> Planned:
    """The best settings found: a curve, or a few turns of a dial. Searched for on a coarse sheet; with a
    `fine` one of the same load and joints, what is said of the likeliest oven is what that one says. Raises ValueError
    without joints.
    """
    names, watch = joints
    if not names:
        raise ValueError("nothing is soldered here by paste")
    most = np.array([aim.limits.get(j.part, np.inf) for j in names])
    load = _Load(sheet, names, watch, aim.window, most, room_c, loading, np.ones(len(names)))
    sharp = load if fine is None else replace(load, sheet=fine[0], watch=fine[1])
    begin = room_c if loading.oven_c is None else loading.oven_c
    schedule_of = settings.turns if aim.dial else settings.curve
    logged = np.isfinite(oven.residual_c)
    drawn = oven.drawn(DRAWS) if oven.names else []
    ovens = [oven.oven, *(drawn if logged else [])]  # what nobody logged is too wide to plan for
    low, high = settings.bounds(aim.dial, aim.hottest_c)

    def make(x: Floats) -> Schedule:
        return schedule_of(np.clip(x, low, high), aim.window, begin, aim.door)

    x, spread = settings.first(aim.window, aim.hottest_c, aim.dial), settings.spreads(aim.dial)
    for number, (rounds, share) in enumerate(ROUNDS):
        load = _lifted(load, sharp, oven.oven, make(x))
        search = _Search(load.with_few(oven.oven, make(x)), ovens if share < 1 else ovens[:1], make, (low, high), share)
        x = search.least(x, spread, rounds, partial(_so_far, watcher, number))
        spread = spread / 2
        likely = sharp.judged([oven.oven], [make(x)])
        if number == 1 and max(float(own.max()) for own in likely.values()) <= 1:
            break
    schedule = make(x)
    found = load.judged(drawn, [schedule]) if drawn else likely
    index, name, k = max((float(own.max()), name, int(own[:, 0, 0].argmax())) for name, own in likely.items())
    worst = max(index, *(float(own.max()) for own in found.values()))
    watcher(1.0)
    return Planned(schedule, index, worst, (name, names[k]))


def _so_far(watcher: Callable[[float], bool], number: int, share: float) -> bool:
    return watcher(0.99 * (number + share) / len(ROUNDS))


def _lifted(load: _Load, sharp: _Load, likely: OvenModel, schedule: Schedule) -> _Load:
    """The load with the lift that brings its joints' peaks to those of a sharper one."""
    plain = replace(load, lift=np.ones(len(load.names)))
    coarse, exact = (part.curves([likely], [schedule], STEP_S)[1].max(axis=0)[:, 0, 0] for part in (plain, sharp))
    return replace(load, lift=(exact - load.room_c) / (coarse - load.room_c))


class _Search:
    """Differential evolution (Storn and Price, 1997) over the worst score of a load: many settings in one run."""

    def __init__(
        self,
        load: _Load,
        ovens: Sequence[OvenModel],
        make: Callable[[Floats], Schedule],
        bounds: tuple[Floats, Floats],
        share: float,
    ) -> None:
        self.load, self.ovens, self.make, self.bounds, self.share = load, ovens, make, bounds, share
        self.best: tuple[float, Floats] = (np.inf, np.empty(0))

    def cost(self, many: Floats) -> Floats:
        """`share` of the likeliest oven's worst score and the rest of the worst oven's, of settings (n × s)."""
        found = self.load.judged(self.ovens, [self.make(x) for x in many.T], COARSE_S)
        worst = np.max([own.max(axis=0) for own in found.values()], axis=0)
        value = self.share * worst[:, 0] + (1 - self.share) * worst.max(axis=1)
        k = int(value.argmin())
        if value[k] < self.best[0]:
            self.best = float(value[k]), many[:, k].copy()
        return np.asarray(value)

    def least(self, start: Floats, spread: Floats, rounds: int, watcher: Callable[[float], bool]) -> Floats:
        """The settings with the least cost near a start, until its rounds are over or a watcher has enough."""
        from scipy.optimize import Bounds, differential_evolution

        rng = np.random.default_rng(1)
        first = np.clip(start + spread * rng.normal(size=(MANY, len(start))), *self.bounds)
        first[0] = np.clip(start, *self.bounds)
        costs: list[float] = []

        def enough(x: Floats, convergence: float = 0.0) -> bool:
            costs.append(self.best[0])
            idle = len(costs) > IDLE and costs[-1] > (1 - GAIN) * costs[-1 - IDLE]
            return not watcher(min(1.0, len(costs) / rounds)) or idle

        differential_evolution(
            self.cost,
            Bounds(*self.bounds),
            init=first,
            maxiter=rounds,
            mutation=(0.3, 0.8),
            recombination=0.9,
            tol=0.0,
            callback=enough,
            polish=False,
            vectorized=True,
            updating="deferred",
            rng=np.random.default_rng(2),
        )
        return self.best[1]
