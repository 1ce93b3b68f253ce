"""After a run: what every joint had, by the twin held to what the probes logged; and whether the oven is what it was.

Where the probes sat, the twin is off by so much at each moment. Joints are taken to be off by the same: what they
differ from the probes by is the twin's, drawn from the ovens that its logs leave possible, and widened by its residual.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from fusilex.core.heat.fit import Fitted
from fusilex.core.heat.group import WORST, Group
from fusilex.core.heat.joints import Joint, Molten, molten
from fusilex.core.heat.oven import Loading
from fusilex.core.heat.probes import Logged, lagged, thinned, watched_by
from fusilex.core.heat.run import Terms, Watch, simulate
from fusilex.core.heat.schedule import LONGEST_S
from fusilex.core.heat.sheet import Sheet
from fusilex.core.reflow.windows import ProcessWindow

Floats = NDArray[np.float64]
DRAWS, STEP_S, LEAST_C, AWAY_C = 20, 2.0, 1.0, 2.0
"""`AWAY_C`: what a twin is off (°C, RMS) at places without a probe, over 72 places in 12 ovens of another kind."""
LEAST_S, PEAK_S = 60.0, 15.0
"""A shorter log tells nothing of a run."""
CHANGED_C, CHANGED_TIMES, CHANGED_SHARE = 8.0, 2.5, 0.3
"""An oven is not what it was when it is off by more than this, by more than so many of its own residuals, and over more
of the run than this outside what its logs leave possible.
"""


class After(Struct, frozen=True, eq=False):
    """By joint (k): molten by the likeliest oven, and half of the 95 % intervals of seconds and peak. `off_c` is the
    RMS of what was logged against what was predicted until the peak, `outside` the share of samples beyond what was
    possible.
    """

    joints: tuple[Joint, ...]
    molten: Molten
    seconds95: Floats
    peak95: Floats
    off_c: float
    outside: float
    residual_c: float

    @property
    def changed(self) -> bool:
        """True where this is not the oven of the logs any more."""
        far = max(CHANGED_C, CHANGED_TIMES * max(self.residual_c, LEAST_C))
        return self.off_c > far and self.outside > CHANGED_SHARE


def after_run(
    run: Logged,
    joints: tuple[list[Joint], Watch],
    oven: Fitted,
    melting: float,
    fine: tuple[Sheet, Watch] | None = None,
    place: Loading | None = None,
    seed: int = 0,
) -> After:
    """What the joints of a logged run had; brought to what a `fine` sheet of the same load and joints says, where there
    is one. Of a like panel at another `place` of the load, what the twin has there is off as it is at the probes.
    Raises ValueError without a probe on the board, or for a log of less than a minute.
    """
    names, watch = joints
    if not run.probes:
        raise ValueError("no probe was on the board")
    from scipy import sparse

    rows = sparse.vstack([sparse.csr_array(watch), sparse.csr_array(watched_by(run))]).tocsr()
    until = min(float(np.nanmin([np.nanmax(p.time) for p in run.probes])), LONGEST_S)
    if until < LEAST_S:
        raise ValueError(f"a log of {until:.0f} s tells nothing of its joints")
    ovens = [oven.oven, *oven.drawn(DRAWS, seed)]
    terms, there = Terms(run.room_c, STEP_S), place or run.loading
    done = simulate(run.sheet, ovens, run.schedule, until, rows, terms, run.loading)
    lag = np.array([o["probe_s"] for o in ovens])
    rng = np.random.default_rng(seed)
    at, shift, predicted = len(names), [], []
    for probe in run.probes:
        if probe.weights is None:  # nobody knows where: each oven has it somewhere else
            share = np.concatenate([[0.5], rng.uniform(0, 1, DRAWS)])
            curve = share * done.watched[:, at] + (1 - share) * done.watched[:, at + 1]
            at += 2
        else:
            curve = done.watched[:, at]
            at += 1
        read = lagged(curve, lag, STEP_S)
        t, logged = thinned(probe)
        shift.append(np.interp(done.time, t, logged)[:, None] - read)
        heats = t <= t[int(np.argmax(logged))] + PEAK_S  # how it cools says little of an oven: doors differ by a hand
        at_t = np.array([np.interp(t, done.time, read[:, r]) for r in range(len(ovens))])
        predicted.append((logged - at_t).T[heats])
    off = np.concatenate(predicted)
    own_curves = done.watched[:, : len(names)]
    if place is not None:
        own_curves = simulate(run.sheet, ovens, run.schedule, until, watch, terms, place).watched
    if fine is not None:
        sharp = simulate(fine[0], ovens[:1], run.schedule, until, fine[1], terms, there).watched.max(axis=0)
        lift = (sharp - run.room_c) / (own_curves.max(axis=0)[:, :1] - run.room_c)
        own_curves = run.room_c + (own_curves - run.room_c) * lift
    curves = own_curves + np.mean(shift, axis=0)[:, None]
    found = molten(done.time, curves, melting)
    own = max(oven.residual_c, LEAST_C) if np.isfinite(oven.residual_c) else LEAST_C
    wide = float(np.hypot(own, AWAY_C))
    spread = off.std(axis=1)
    outside = np.abs(off[:, 0]) > 1.96 * np.sqrt(spread**2 + own**2)
    slope = _slope_at_melting(done.time, curves[:, :, 0], melting)
    return After(
        tuple(names),
        Molten(found.melts[:, 0], found.solid[:, 0], found.peak[:, 0]),
        1.96 * np.sqrt(found.seconds[:, 1:].std(axis=1) ** 2 + (2 * own / slope) ** 2),
        1.96 * np.sqrt(found.peak[:, 1:].std(axis=1) ** 2 + wide**2),
        float(np.sqrt(np.mean(off[:, 0] ** 2))),
        float(outside.mean()),
        oven.residual_c,
    )


def _slope_at_melting(time: Floats, curves: Floats, melting: float) -> Floats:
    """How fast each joint goes through melting on its way up (°C/s, at least a tenth)."""
    over = curves >= melting
    first = np.clip(over.argmax(axis=0), 5, len(time) - 6)
    own = np.arange(curves.shape[1])
    rise = (curves[first + 5, own] - curves[first - 5, own]) / (time[10] - time[0])
    return np.asarray(np.maximum(0.1, rise))


def groups(found: After, window: ProcessWindow, limits: Mapping[str, float]) -> list[Group]:
    """Part by part, those to look at first in front: never melted, molten for too short or not hot enough, too hot, or
    not told; of the same kind the one that melted last. Too hot is above a body's own limit (°C, by part) or the
    window's peak, whichever is lower.
    """
    by: dict[tuple[str, int], list[int]] = {}
    for k, joint in enumerate(found.joints):
        by.setdefault((joint.part, joint.cell), []).append(k)
    most = {part: min(limits.get(part, np.inf), window.peak[1]) for part, _ in by}
    made = [_group(found, own, part, cell, window, most[part]) for (part, cell), own in by.items()]
    return sorted(made, key=_first_to_look_at)


def worst_of(panels: Sequence[list[Group]]) -> list[Group]:
    """Part by part the worst of like panels, in the order of `groups`."""
    by: dict[tuple[str, int], Group] = {}
    for group in (g for rows in panels for g in rows):
        by[group.part, group.cell] = min(by.get((group.part, group.cell), group), group, key=_first_to_look_at)
    return sorted(by.values(), key=_first_to_look_at)


def _first_to_look_at(group: Group) -> tuple[int, float]:
    return WORST.index(group.verdict), -(group.melts_s if group.melts_s == group.melts_s else 1e9)


def _group(found: After, own: list[int], part: str, cell: int, window: ProcessWindow, limit: float) -> Group:
    k = min(own, key=lambda i: (found.molten.seconds[i], found.molten.peak[i]))
    hottest = max(float(found.molten.peak[i]) for i in own)
    seconds, peak = float(found.molten.seconds[k]), float(found.molten.peak[k])
    wide, high = float(found.seconds95[k]), float(found.peak95[k])
    low_s, low_c = window.above_melting[0], window.peak[0]
    if peak < window.melting:
        verdict = "cold" if peak + high < window.melting else "open"
    elif hottest > limit:
        verdict = "hot" if hottest - high > limit else "open"
    elif seconds < low_s or peak < low_c:
        verdict = "short" if seconds + wide < low_s or peak + high < low_c else "open"
    elif seconds - wide < low_s or peak - high < low_c or hottest + high > limit:
        verdict = "open"
    elif seconds + wide > window.above_melting_hard_s:
        verdict = "hot" if seconds - wide > window.above_melting_hard_s else "open"
    else:
        verdict = "kept"
    return Group(part, cell, float(found.molten.melts[k]), seconds, wide, peak, high, verdict)
