"""An oven's numbers from its logs: least squares, held by what is usual where the logs do not tell.

Every parameter is e^(z · ln factor) of the usual, z normal beforehand (a log-normal prior); the logs pull at z through
the twin. A model's errors are alike from one sample to the next, so that a log counts for as many samples as there are
times in it over which its residual forgets itself. What a log cannot separate stays as wide as it was, alone or jointly
(Gelman and others, Bayesian Data Analysis, ch. 4 and 14: normal approximation at the mode).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from contextlib import suppress

import numpy as np
from msgspec import Struct
from msgspec.structs import replace
from numpy.typing import NDArray

from fusilex.core.heat.oven import PARAMETERS, OvenModel, parameters_of
from fusilex.core.heat.probes import FIRST_SHINE, Logged, lagged, marks_of, sampled, thinned, watched_by
from fusilex.core.heat.run import Terms, Watch, simulate

Floats = NDArray[np.float64]
STEP_S, ROUNDS, LEAST_NOISE_C = 1.0, 12, 1.0
PLACE_SD, SETTLED = 1.5, 1e-2
SEEN_C, MOST_SEEN = 5.0, 12
"""What an eye that sees shine is good to, some seconds of heating; only the few joints that melt first or last count.
"""
FIRST_WEIGHT = 1 / (2.0**2 * 4)
"""What a residual counts (1/°C²) on the way to a first fit: good to 2 °C, each like the next three."""
TOLD, ENOUGH_TOLD = 0.7, 0.5
"""A parameter whose spread the logs leave at more than this share of what it was is one that they cannot tell."""


class Fitted(Struct, frozen=True, eq=False):
    """The oven, z and its covariance by `names` (parameters, then places of probes), RMS residual (°C) of the probes,
    and for how many samples a sample counts less (`memory`).
    """

    oven: OvenModel
    names: tuple[str, ...]
    z: Floats
    covariance: Floats
    residual_c: float
    memory: float

    @classmethod
    def of(
        cls, model: OvenModel, names: Sequence[str], z: Floats, covariance: Floats, residual_c: float, memory: float
    ) -> Fitted:
        """A fit as it was kept: `model` is the oven before it."""
        return cls(oven_at(model, names, z), tuple(names), z, covariance, residual_c, memory)

    def within95(self, name: str) -> tuple[float, float]:
        """The range in which a parameter lies with 95 %."""
        k = self.names.index(name)
        spread = 1.96 * math.sqrt(self.covariance[k, k])
        return _value(name, self.z[k] - spread), _value(name, self.z[k] + spread)

    @property
    def untold(self) -> list[str]:
        """Parameters that the logs cannot tell: no more is known of them than before."""
        spread = np.sqrt(np.diag(self.covariance))
        return [n for n, s in zip(self.names, spread, strict=True) if n in PARAMETERS and s > TOLD]

    def drawn(self, count: int, seed: int = 0) -> list[OvenModel]:
        """Ovens that the logs leave possible, drawn from the normal approximation."""
        if not self.names:
            return [self.oven] * count
        rng = np.random.default_rng(seed)
        some = rng.multivariate_normal(self.z, self.covariance, count, method="eigh")
        return [oven_at(self.oven, self.names, z) for z in some]


def unfitted(oven: OvenModel) -> Fitted:
    """An oven that nobody logged: what its record does not name is as wide as ovens are."""
    names = tuple(name for name in parameters_of(oven.kind) if name not in oven.numbers)
    return Fitted(oven, names, np.array([_z(n, oven[n]) for n in names]), np.eye(len(names)), math.nan, 1.0)


def _value(name: str, z: float) -> float:
    p = PARAMETERS[name]
    return float(p.usual * math.exp(z * math.log(p.factor)))


def _z(name: str, value: float) -> float:
    p = PARAMETERS[name]
    return math.log(value / p.usual) / math.log(p.factor)


def oven_at(oven: OvenModel, names: Sequence[str], z: Floats) -> OvenModel:
    """The oven with its parameters at z."""
    numbers = {n: _value(n, float(v)) for n, v in zip(names, z, strict=True) if n in PARAMETERS}
    return replace(oven, numbers={**oven.numbers, **numbers})


def fit_oven(oven: OvenModel, runs: Sequence[Logged], watcher: Callable[[float], bool] = lambda share: True) -> Fitted:
    """The oven that explains the runs best. `watcher` is told the share done, and ends it with what is found where it
    says False. Raises ValueError without a probe that tells anything.
    """
    if not any(run.probes or run.air or marks_of(run) for run in runs):
        raise ValueError("nothing was logged in these runs")
    names = parameters_of(oven.kind, any(run.schedule.door for run in runs))
    unknown = [f"place of {p.name}, run {k + 1}" for k, run in enumerate(runs) for p in run.probes if p.weights is None]
    names = (*names, *unknown)
    z = np.array([_z(n, oven[n]) if n in PARAMETERS else 0.0 for n in names])
    middle = z.copy()  # what the oven's record says is what is usual of it
    spread = np.array([PLACE_SD if n in unknown else 1.0 for n in names])
    share = _Share(watcher)
    runs = [_with_few(oven, run) for run in runs]
    probed = sum(s.stop - s.start for s in _pieces(runs))
    seen = np.full(sum(len(marks_of(run)) for run in runs), 1 / SEEN_C**2)
    weight = np.concatenate([np.full(probed, FIRST_WEIGHT), seen])
    z, off, slope = _settled(oven, names, z, runs, (middle, spread), weight, share)
    weight[:probed], memory = _weigh(off[:probed], runs)
    z, off, slope = _settled(oven, names, z, runs, (middle, spread), weight, share)
    weight[:probed], memory = _weigh(off[:probed], runs)
    hessian = _curved(weight, slope) + np.diag(1 / spread**2)
    covariance = np.asarray(np.linalg.inv(hessian), dtype=float)
    watcher(1.0)
    residual = float(np.sqrt(np.mean((off[:probed] if probed else off) ** 2)))
    return Fitted(oven_at(oven, names, z), names, z, covariance, residual, memory)


class _Share:
    """Tells a watcher how far it is; False from it ends the work."""

    def __init__(self, watcher: Callable[[float], bool]) -> None:
        self.watcher, self.done = watcher, 0

    def goes_on(self) -> bool:
        self.done += 1
        return self.watcher(min(0.99, self.done / (2 * ROUNDS)))


class _Enough(Exception):
    """The watcher ends the work."""


def _settled(
    oven: OvenModel,
    names: Sequence[str],
    z: Floats,
    runs: Sequence[Logged],
    before: tuple[Floats, Floats],
    weight: Floats,
    share: _Share,
) -> tuple[Floats, Floats, Floats]:
    """Least squares from z with a weight (1/°C²) for each residual, held by what is usual: z, residuals, and how they
    grow. Ended early, the best so far.
    """
    from scipy.optimize import least_squares

    (middle, spread), root = before, np.sqrt(weight)
    tried: dict[bytes, tuple[float, Floats, Floats, Floats]] = {}

    def at(one: Floats) -> tuple[float, Floats, Floats, Floats]:
        """One run of the twin gives residuals and slopes."""
        key = one.tobytes()
        if key not in tried:
            if tried and not share.goes_on():
                raise _Enough
            off, slope = _linear(oven, names, one, runs)
            cost = float((weight * off**2).sum() + (((one - middle) / spread) ** 2).sum())
            tried[key] = cost, one.copy(), off, slope
        return tried[key]

    def off_by(one: Floats) -> Floats:
        return np.concatenate([root * at(one)[2], (one - middle) / spread])

    def grow_by(one: Floats) -> Floats:
        return np.vstack([-root[:, None] * at(one)[3], np.diag(1 / spread)])

    with suppress(_Enough):
        least_squares(off_by, z, grow_by, ftol=SETTLED, max_nfev=ROUNDS)
    _, z, off, slope = min(tried.values(), key=lambda one: one[0])
    return z, off, slope


def _curved(weight: Floats, slope: Floats) -> Floats:
    return np.asarray(slope.T @ (weight[:, None] * slope))


def _with_few(oven: OvenModel, run: Logged) -> Logged:
    """The run with the few joints that melt first or last, where something was seen of them."""
    if not marks_of(run):
        return run
    until = max(t for t, _ in run.seen) + STEP_S
    done = simulate(run.sheet, [oven], run.schedule, until, run.joints, Terms(run.room_c, STEP_S), run.loading)
    by_heat = np.argsort(done.watched[-1, :, 0])
    few = np.unique(np.concatenate([by_heat[:MOST_SEEN], by_heat[-MOST_SEEN:]]))
    return replace(run, joints=run.joints[few])


def _weigh(off: Floats, runs: Sequence[Logged]) -> tuple[float, float]:
    """What a residual counts (1/°C²), by their size and by how many samples it takes them to forget themselves."""
    if not len(off):
        return 1.0, 1.0
    scale = max(LEAST_NOISE_C, float(np.sqrt(np.mean(off**2))))
    pieces = _pieces(runs)
    top = sum(float((off[s][1:] * off[s][:-1]).sum()) for s in pieces)
    alike = min(max(top / max(float((off**2).sum()), 1e-9), 0.0), 0.98)
    memory = (1 + alike) / (1 - alike)
    return 1 / (scale**2 * memory), memory


def _pieces(runs: Sequence[Logged]) -> list[slice]:
    found, start = [], 0
    for run in runs:
        for probe in (*run.probes, *run.air):
            count = len(thinned(probe)[0])
            found.append(slice(start, start + count))
            start += count
    return found


def _linear(oven: OvenModel, names: Sequence[str], z: Floats, runs: Sequence[Logged]) -> tuple[Floats, Floats]:
    """Residuals at z, of all probes (logged less twin), then of what was seen (melting less the joint that melts), and
    how the twin's side of them grows with each of z.
    """
    nudge = 0.05
    tried = [z, *(z + nudge * (np.arange(len(z)) == k) for k in range(len(z)))]
    ovens = [oven_at(oven, names, one) for one in tried]
    logged, told, seen = [], [], []
    for k, run in enumerate(runs):
        read, marks = _readings(run, ovens, tried, names, k)
        logged += [thinned(probe)[1] for probe in (*run.probes, *run.air)]
        told += read
        seen.append(marks)
    melting = [np.full(len(marks), run.melting) for marks, run in zip(seen, runs, strict=True)]
    values = np.concatenate([*told, *seen])
    off = np.concatenate([*logged, *melting]) - values[:, 0]
    return off, (values[:, 1:] - values[:, :1]) / nudge


def _readings(
    run: Logged, ovens: Sequence[OvenModel], tried: Sequence[Floats], names: Sequence[str], number: int
) -> tuple[list[Floats], Floats]:
    """What each probe of a run would read at its thinned times, by oven (times × r), and how hot the joint that is seen
    to melt first or last would be at each mark (marks × r).
    """
    marks = marks_of(run)
    ends = [float(np.nanmax(p.time)) for p in (*run.probes, *run.air)] + [t for t, _ in marks]
    own = watched_by(run)
    watch = np.vstack([own, _dense(run.joints)]) if marks else own
    done = simulate(run.sheet, ovens, run.schedule, max(ends) + STEP_S, watch, Terms(run.room_c, STEP_S), run.loading)
    lag = np.array([o["probe_s"] for o in ovens])
    found, row = [], 0
    for probe in run.probes:
        if probe.weights is None:
            k = names.index(f"place of {probe.name}, run {number + 1}")
            share = np.array([1 / (1 + math.exp(-one[k])) for one in tried])
            curve = share * done.watched[:, row] + (1 - share) * done.watched[:, row + 1]
            row += 2
        else:
            curve = done.watched[:, row]
            row += 1
        found.append(sampled(done.time, lagged(curve, lag, STEP_S), thinned(probe)[0]))
    for probe in run.air:
        found.append(sampled(done.time, lagged(done.air, lag, STEP_S), thinned(probe)[0]))
    joints = done.watched[:, len(own) :]
    seen = [
        (joints[i].max(axis=0) if what == FIRST_SHINE else joints[i].min(axis=0))
        for what, i in ((what, int(np.searchsorted(done.time, t))) for t, what in marks)
    ]
    return found, np.array(seen).reshape(-1, len(ovens))


def _dense(watch: Watch) -> Floats:
    return np.asarray(watch.toarray() if hasattr(watch, "toarray") else watch)
