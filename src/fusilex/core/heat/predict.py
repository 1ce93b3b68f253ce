"""What a run will do: every joint of a load, with what the fit leaves open."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from msgspec import Struct
from msgspec.structs import replace
from numpy.typing import NDArray

from fusilex.core.heat.fit import Fitted
from fusilex.core.heat.joints import Joint, Molten, molten
from fusilex.core.heat.oven import Loading, cooling_s
from fusilex.core.heat.run import ALONE, Run, Terms, Watch, simulate
from fusilex.core.heat.schedule import Schedule
from fusilex.core.heat.sheet import Sheet

Floats = NDArray[np.float64]
DRAWS, STEP_S = 24, 1.0


class Predicted(Struct, frozen=True, eq=False):
    """By joint (k): when it melts, how long it stays molten (s) and its peak (°C), by the oven most likely, and half of
    each 95 % interval over the ovens that the logs leave possible (NaN where some of them never melt it).
    """

    run: Run
    joints: tuple[Joint, ...]
    molten: Molten
    melts95: Floats
    seconds95: Floats
    peak95: Floats

    @property
    def last(self) -> int:
        """The joint that melts last, one that never does before all others; of several the coolest."""
        late = np.where(np.isnan(self.molten.melts), np.inf, self.molten.melts)
        return int(np.lexsort((self.molten.peak, -late))[0])

    def latest_parts(self, most: int) -> list[int]:
        """The latest joint of each of the parts that melt last, one that never melts first; parts alike on several
        boards count once.
        """
        late = np.where(np.isnan(self.molten.melts), np.inf, self.molten.melts)
        found: dict[str, int] = {}
        for k in np.lexsort((self.molten.peak, -late)).tolist():
            found.setdefault(self.joints[k].part, k)
        return list(found.values())[:most]

    @property
    def hottest(self) -> int:
        return int(np.argmax(self.molten.peak))

    @property
    def spread_c(self) -> float:
        """From the coolest to the hottest joint at their peaks (°C)."""
        return float(np.ptp(self.molten.peak)) if len(self.joints) else 0.0


TERMS = Terms(step_s=STEP_S)


def predict(
    sheet: Sheet,
    joints: tuple[list[Joint], Watch],
    oven: Fitted,
    schedule: Schedule,
    melting: float,
    until: float | None = None,
    coarse: tuple[Sheet, Watch] | None = None,
    terms: Terms = TERMS,
    loading: Loading = ALONE,
    watcher: Callable[[float], bool] = lambda share: True,
) -> Predicted:
    """The run that a schedule makes, until some time (s) or a while after its end. The ovens that the logs leave
    possible are tried on a `coarse` sheet of the same load with the same joints, where there is one.
    """
    names, watch = joints
    end = schedule.end + cooling_s(oven.oven.kind) if until is None else until
    run = simulate(sheet, [oven.oven], schedule, end, watch, terms, loading, watcher=watcher)
    found = molten(run.time, run.watched[:, :, 0], melting)
    if coarse is None:
        nothing = np.full(len(names), np.nan)
        return Predicted(run, tuple(names), found, nothing, nothing, nothing)
    some = simulate(coarse[0], oven.drawn(DRAWS), schedule, end, coarse[1], replace(terms, frame_every_s=0.0), loading)
    tried = molten(some.time, some.watched, melting)
    return Predicted(run, tuple(names), found, *(_half(a) for a in (tried.melts, tried.seconds, tried.peak)))


def _half(values: Floats) -> Floats:
    return np.asarray(1.96 * values.std(axis=1, ddof=1))
