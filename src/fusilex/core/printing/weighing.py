"""Prints on the scale: what paste leaves the foil, measured over predicted, and whether it is changing."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from msgspec import Struct
from msgspec.structs import replace
from numpy.typing import ArrayLike, NDArray

from fusilex.core.evidence import Level, around, every, seen, weigh
from fusilex.core.judgement import Judgement
from fusilex.core.printing.apertures import Apertures
from fusilex.core.printing.paste import TRANSFER_STEEPNESS, transfer
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

LAMBDA, LIMIT, FAR = 0.2, 2.85, 3.4
"""Weight of the newest print, and how many standard errors the mean, and one print alone, may lie off. With 2 % scatter
and six prints before, one alarm without cause in about 119 prints, and a tenth less paste found within 3: by
simulation, as the tests repeat it.
"""
TRANSFER_LIMITS, TRANSFER_HARD = (0.75, 1.25), (0.5, 1.5)
"""Measured over predicted: what paste inspection usually warns at, and what it stops at."""
RANGE_SIGMA = 1.128
RANGE_FREEDOM = 0.62
"""Degrees of freedom that a moving range is worth, of the one its two values could tell."""
LEAST_HISTORY, LEAST_SIGMA = 4, 0.005
"""Prints before one is judged; no print repeats better than half a percent, however alike a coarse scale shows them."""
FINEST_MG = 0.01
"""No bench scale shows finer."""
Numbers = NDArray[np.float64]


class Transfer(Struct, frozen=True):
    """Measured over predicted, what 95 % of such means stay within (±), and the middle of the transfer curve (area
    ratio) that would predict it, with its own ±. NaN where too few prints tell.
    """

    factor: float
    within95: float
    middle: float
    middle_within95: float
    prints: int


class Alarm(Struct, frozen=True):
    """A print at which something changed: `index` counts from 0; `less` where paste got less."""

    index: int
    less: bool
    alone: bool

    @property
    def why(self) -> str:
        how = "this print alone" if self.alone else "for some prints"
        return f"{'less' if self.less else 'more'} paste than before, {how}"


class RunChart(Struct, frozen=True, eq=False):
    """A run of prints (n): log of measured over predicted, each against what came before it in standard errors
    (`score`, NaN while there is no history), their weighted mean and its limits; NaN where they have none.
    """

    log_ratio: Numbers
    score: Numbers
    mean: Numbers
    limit: Numbers
    alarms: tuple[Alarm, ...]


def measured_transfer(
    measured_mg: ArrayLike, predicted_mg: float, apertures: Apertures, foil: float, step_mg: float = 0.0
) -> Transfer:
    """How much of what is predicted comes out, by the mean of n weighed prints and Student's t; and the middle of the
    transfer curve that says the same. What the scale's step leaves open is common to all prints, and does not shrink
    with their number. Raises ValueError for masses that no print has.
    """
    ratios = ratios_of(measured_mg, predicted_mg)
    n = len(ratios)
    factor = float(ratios.mean())
    if n < 2:
        return Transfer(factor, float("nan"), float("nan"), float("nan"), n)
    own = float(ratios.std(ddof=1)) / math.sqrt(n)
    within = (
        around(factor, own, math.sqrt(2) * step_mg / predicted_mg, n - 1)[1] - factor
    )  # of two readings' difference
    middle = middle_for(apertures, foil, factor)
    ends = [middle_for(apertures, foil, f) for f in (factor - within, factor + within)]
    return Transfer(factor, within, middle, abs(ends[0] - ends[1]) / 2, n)


def ratios_of(measured_mg: ArrayLike, predicted_mg: ArrayLike) -> Numbers:
    """Measured over predicted (n). Raises ValueError for masses of nothing or less."""
    measured, predicted = np.asarray(measured_mg, dtype=float), np.asarray(predicted_mg, dtype=float)
    if not len(measured) or not (np.isfinite(measured).all() and (measured > 0).all() and (predicted > 0).all()):
        raise ValueError("each print leaves some paste: weights that grow, and openings that predict some")
    return np.asarray(measured / predicted)


def middle_for(apertures: Apertures, foil: float, factor: float) -> float:
    """The middle m of the transfer curve (area ratio) at which Σ A t TE is `factor` times what the default predicts;
    NaN where no middle gives it.

    The sum falls as m grows, so that halving finds it.
    """
    ratio, volume = apertures.area_ratio(foil), apertures.area * foil
    wanted = factor * float(np.sum(volume * transfer(ratio)))
    low, high = -1.0, 3.0
    if not float(np.sum(volume * transfer(ratio, high))) < wanted < float(np.sum(volume * transfer(ratio, low))):
        return float("nan")
    for _ in range(60):
        middle = (low + high) / 2
        more = float(np.sum(volume * transfer(ratio, middle, TRANSFER_STEEPNESS))) > wanted
        low, high = (middle, high) if more else (low, middle)
    return (low + high) / 2


def run_chart(ratios: ArrayLike, history: ArrayLike = (), apart: Sequence[int] = (), step: float = 0.0) -> RunChart:
    """Whether prints drift, from measured over predicted (n), earlier prints of the same kind as `history`.

    Each print is compared with the mean of those before it, in standard errors by their moving ranges (σ = mean range
    / 1.128, which a slow drift hardly widens), as Student's t made normal: so the limits hold with a short history, too
    (self-starting chart, Hawkins 1987). These scores are averaged with weight 0.2 (EWMA, Roberts 1959). An alarm is a
    mean beyond 2.85 of its standard errors, or one print beyond 3.4. Prints at alarm do not become history; those named
    by `apart`, the first after a pause or a wipe, neither, nor are they judged. A scale that shows steps (`step`, as a
    share of the prediction) hides scatter among few prints: what it leaves open in a difference is added to σ.
    """
    from scipy.special import ndtri, stdtr

    values = np.log(np.asarray(ratios, dtype=float))
    known = list(np.log(np.asarray(history, dtype=float)))
    score, mean, limit = (np.full(len(values), np.nan) for _ in range(3))
    alarms: list[Alarm] = []
    weighted, judged = 0.0, 0
    for i, value in enumerate(values):
        if i in apart:
            continue
        if len(known) >= LEAST_HISTORY:
            scatter = float(np.abs(np.diff(known)).mean()) / RANGE_SIGMA
            sigma = max(math.hypot(scatter, step / math.sqrt(6)), LEAST_SIGMA)
            freedom = RANGE_FREEDOM * (len(known) - 1)
            t = (value - float(np.mean(known))) / (sigma * np.sqrt(1 + 1 / len(known)))
            score[i] = np.clip(ndtri(stdtr(freedom, t)), -8, 8)
            judged += 1
            weighted = LAMBDA * score[i] + (1 - LAMBDA) * weighted
            spread = np.sqrt(LAMBDA / (2 - LAMBDA) * (1 - (1 - LAMBDA) ** (2 * judged)))
            mean[i], limit[i] = weighted, LIMIT * spread
            alone = abs(score[i]) > FAR and abs(weighted) <= limit[i]
            if alone or abs(weighted) > limit[i]:
                alarms.append(Alarm(i, bool((score[i] if alone else weighted) < 0), bool(alone)))
                continue
        known.append(value)
    return RunChart(values, score, mean, limit, tuple(alarms))


def judge_weights(chart: RunChart, found: Transfer, predicted_mg: float) -> list[Judgement]:
    """The last prints against those before: fit to go on, or what to do before a fault is made."""
    half = found.within95
    inside = (found.factor - half, found.factor + half) if np.isfinite(half) else None
    share = Quantity("transfer", round(found.factor, 3), "", inside)
    prints = (
        Quantity("predicted", round(predicted_mg, 1), "mg"),
        Quantity("±", round(half, 3) if np.isfinite(half) else "unknown"),
        Quantity("prints", found.prints),
    )
    numbers = (share, *prints)
    last = len(chart.log_ratio) - 1
    late = [a for a in chart.alarms if a.index >= last - 1]
    made = []
    if late:
        alarm = late[-1]
        do = say("wipe underside" if alarm.less else "look underneath")
        off = Quantity("lately", round(100 * float(np.expm1(np.mean(chart.log_ratio[max(0, last - 2) :]))), 1), "%")
        why = say("this print" if alarm.alone else "lately")
        text = say("thin" if alarm.less else "thick", why=why)
        made.append(Judgement("print.drift", Level.CARE, "weights", text, (off, *numbers), do))
    elif np.isnan(chart.score[last]) and not np.isnan(chart.score).all():
        text, do, missing = say("outlier"), say("weigh the next"), ("weight of the next print",)
        made.append(Judgement("print.drift", Level.UNKNOWN, "weights", text, numbers, do, (), missing))
    elif np.isnan(chart.score).all():
        text, do, missing = say("too few"), say("weigh more", first=LEAST_HISTORY + 1), ("weights of more prints",)
        made.append(Judgement("print.drift", Level.UNKNOWN, "weights", text, numbers, do, (), missing))
    else:
        weighed = (every("prints", len(chart.log_ratio)),)
        made.append(Judgement("print.drift", seen(*weighed), "weights", say("steady"), numbers, coverage=weighed))
    if inside is not None and not np.isnan(chart.score).all():
        made += _judge_transfer(share, prints)
    return made


def _judge_transfer(share: Quantity, prints: tuple[Quantity, ...]) -> list[Judgement]:
    """Whether what comes out is what was predicted, whatever it does from print to print; nothing where it is."""
    assert share.interval is not None
    level = weigh(share.interval, TRANSFER_LIMITS, [every("prints", 1)], hard=TRANSFER_HARD)
    if level is Level.GO:
        return []
    numbers = (replace(share, limit=TRANSFER_LIMITS), *prints)
    if level is Level.UNKNOWN:
        text, missing = say("not told"), ("weights of more prints",)
        return [Judgement("print.transfer", level, "transfer", text, numbers, say("weigh more"), (), missing)]
    less = float(share.value) < 1
    text, do = (say("less"), say("look for blocks")) if less else (say("more"), say("measure both"))
    return [Judgement("print.transfer", level, "transfer", text, numbers, do)]
