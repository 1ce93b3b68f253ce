"""A machine's own times out of a logged run: how fast its axes are, and how long it holds still for what it does."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from msgspec import Struct
from msgspec.structs import replace
from numpy.typing import NDArray

from fusilex.core.machine.model import Axis, Machine
from fusilex.core.machine.motion import axis_time

DOINGS = ("pick", "look", "place", "change")
LEAST = 12
Z95 = 1.96


class Timed(Struct, frozen=True):
    """A stop that was timed: what was done, the beam's way there along x and y (mm), and the seconds it took in all."""

    doing: str
    dx: float
    dy: float
    seconds: float


class Calibrated(Struct, frozen=True):
    """What a log tells: numbers with half their 95 % interval, and how far the log scatters around them (s, RMS).
    `unknown` are those it says nothing of, which are as they were.
    """

    numbers: dict[str, float]
    within95: dict[str, float]
    rms_s: float
    unknown: tuple[str, ...]


def calibrated(machine: Machine, log: Sequence[Timed]) -> Calibrated:
    """Least squares over stops: way there by the slower axis, and a constant for each doing, strokes included. Raises
    ValueError for fewer than `LEAST` stops.

    The constants are linear; speeds and accelerations of x and y are found by SciPy's trust region from the machine's
    own, as logarithms. A number whose interval is wider than itself is unknown.
    """
    from scipy.optimize import least_squares

    if len(log) < LEAST:
        raise ValueError(f"{len(log)} stops were timed; {LEAST} at least tell something")
    doings = [d for d in DOINGS if any(t.doing == d for t in log)]
    which = np.array([doings.index(t.doing) for t in log])
    way = np.array([[t.dx, t.dy] for t in log])
    took = np.array([t.seconds for t in log])
    names = ("x_speed", "x_acceleration", "y_speed", "y_acceleration", *(f"{d}_whole" for d in doings))
    start = np.log([machine.x.speed, machine.x.acceleration, machine.y.speed, machine.y.acceleration])
    still = np.array([max(0.01, float(took[which == k].min())) for k in range(len(doings))])

    def off(p: NDArray[np.float64]) -> NDArray[np.float64]:
        x, y = Axis(*np.exp(p[:2])), Axis(*np.exp(p[2:4]))
        return np.asarray(np.maximum(axis_time(way[:, 0], x), axis_time(way[:, 1], y)) + p[4:][which] - took)

    found = least_squares(off, np.concatenate([start, still]), x_scale=np.concatenate([np.full(4, 0.1), still]))
    freedom = max(1, len(log) - len(found.x))
    sigma = float(np.sqrt(np.sum(found.fun**2) / freedom))
    spread = np.linalg.pinv(found.jac.T @ found.jac)
    flat = np.abs(found.jac).max(axis=0) < 1e-9
    half = Z95 * max(sigma, 1e-6) * np.sqrt(np.maximum(np.diag(spread), 0.0))
    numbers: dict[str, float] = {}
    within: dict[str, float] = {}
    unknown: list[str] = []
    for k, name in enumerate(names):
        value = float(np.exp(found.x[k])) if k < 4 else float(found.x[k])
        wide = float(half[k]) * (value if k < 4 else 1.0)
        if flat[k] or wide > abs(value):
            unknown.append(name)
        else:
            numbers[name], within[name] = value, wide
    return Calibrated(numbers, within, float(np.sqrt(np.mean(found.fun**2))), tuple(unknown))


def taken_over(machine: Machine, found: Calibrated, strokes: dict[str, float]) -> Machine:
    """The machine with what was found in place of what was thought; `strokes` are the seconds that going down and up
    takes for each doing, which the constants hold as well.
    """
    n = found.numbers
    times = {name: max(0.0, n[f"{name}_whole"] - strokes.get(name, 0.0)) for name in DOINGS if f"{name}_whole" in n}
    return replace(
        machine,
        x=Axis(n.get("x_speed", machine.x.speed), n.get("x_acceleration", machine.x.acceleration)),
        y=Axis(n.get("y_speed", machine.y.speed), n.get("y_acceleration", machine.y.acceleration)),
        times=replace(machine.times, **times),
    )
