"""Etching one's own boards: copper to take off, minutes to expect, and what the logged runs say of the bath."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from fusilex.core.evidence import Coverage, Level, every, exactly, seen, weigh
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity, amount
from fusilex.core.wording import say

COPPER_G_PER_CM3 = 8.96
FRESH_MINUTES, AT_C, AT_UM = 12.5, 37.5, 35.0
"""A fresh ferric chloride bath at 35–40 °C with bubbling clears 35 µm in 10–15 minutes."""
DOUBLES_EVERY_C = 10.0
SLOW_AT_G_PER_L = 60.0
CARE_FULL, OWN_RUNS = 0.7, 3
"""A litre of fresh 40 % ferric chloride holds about 50–70 g of copper before it is slow."""


USUAL_SCATTER, PRIOR_RUNS = 1.15, 4
"""Factor by which one run differs from the next in one shop (1 sigma), and for how many runs that counts."""


class EtchRun(Struct, frozen=True):
    """A logged run: minutes until clear, bath °C, foil µm, copper removed (g), bath (l), copper in it before (g)."""

    minutes: float
    celsius: float
    foil_um: float
    removed_g: float
    bath_l: float
    held_g: float


def copper_removed_g(board_mm2: float, coverage: float, foil_um: float) -> float:
    """Mass to remove: (1 − coverage) × area × thickness × 8.96 g/cm³. Raises ValueError outside 0 ≤ coverage ≤ 1.

    >>> round(copper_removed_g(10_000, 0.4, 35), 3)
    1.882
    """
    if not 0 <= coverage <= 1 or board_mm2 <= 0 or foil_um <= 0:
        raise ValueError("coverage is from 0 to 1, area and foil are above 0")
    return (1 - coverage) * board_mm2 * foil_um * 1e-3 * COPPER_G_PER_CM3 * 1e-3


def etch_minutes(foil_um: float, celsius: float, held_g: float, removed_g: float, bath_l: float) -> float:
    """Minutes to expect before this workshop's own factor: ∝ thickness, halved by every 10 °C, slower as the bath
    fills.

    The bath's rate falls linearly with the copper m that it holds and is nil at its capacity C: the mean over a dip of
    1 / (1 − m/C) is C/r · ln((C − h) / (C − h − r)), from h grams in it to h + r; infinite where it would be full.
    Raises ValueError for a bath without volume.

    >>> fresh, to_the_half = (etch_minutes(35, 37.5, 0.0, grams, 1.0) for grams in (0.0, 30.0))
    >>> round(to_the_half / fresh / math.log(2), 6)
    2.0
    """
    if bath_l <= 0:
        raise ValueError("a bath has some volume")
    room = bath_l * SLOW_AT_G_PER_L - held_g
    if room <= removed_g:
        return float("inf")
    share = removed_g / room
    slower = bath_l * SLOW_AT_G_PER_L / room * (-math.log1p(-share) / share if share > 1e-9 else 1.0)
    return float(FRESH_MINUTES * foil_um / AT_UM * 2 ** ((AT_C - celsius) / DOUBLES_EVERY_C) * slower)


class Refit(Struct, frozen=True):
    """Minutes here over minutes by rule: geometric mean of n runs and the factor one run scatters by (1 sigma)."""

    factor: float
    scatter: float
    n: int

    @property
    def within95(self) -> float:
        """The factor up and down within which the next run takes its minutes in 95 of 100 cases: Student's t, for the
        mean and the scatter are known from these few runs and the usual one alone.
        """
        from scipy.special import stdtrit  # when first asked for: it loads half of SciPy

        spread = math.log(self.scatter) * math.sqrt(1 + 1 / self.n) if self.n else math.log(self.scatter)
        return math.exp(float(stdtrit(PRIOR_RUNS + max(self.n - 1, 0), 0.975)) * spread)


def refit(runs: Sequence[EtchRun]) -> Refit:
    """Correct the rate from logged runs; factor 1 while there is none. The scatter is pooled with the usual one, which
    counts for `PRIOR_RUNS`.
    """
    ratios = [
        np.log(r.minutes / expected)
        for r in runs
        if np.isfinite(expected := etch_minutes(r.foil_um, r.celsius, r.held_g, r.removed_g, r.bath_l))
        and r.minutes > 0
    ]
    if not ratios:
        return Refit(1.0, USUAL_SCATTER, 0)
    own = float(np.sum((np.array(ratios) - np.mean(ratios)) ** 2))
    spread = math.sqrt((PRIOR_RUNS * math.log(USUAL_SCATTER) ** 2 + own) / (PRIOR_RUNS + len(ratios) - 1))
    return Refit(float(np.exp(np.mean(ratios))), math.exp(spread), len(ratios))


def judge_etch(removed_g: float, minutes: float, fit: Refit, held_g: float, bath_l: float) -> list[Judgement]:
    """Minutes to plan for one dip and whether the bath still takes the copper."""
    capacity = bath_l * SLOW_AT_G_PER_L
    full = (held_g + removed_g) / capacity
    dips = (every("dips", 1),)
    level = weigh(exactly(full), (0.0, CARE_FULL), dips, hard=(0.0, math.nextafter(1.0, 0.0)))
    do = {Level.STOP: say("mix a fresh one"), Level.CARE: say("good for few")}.get(level)
    bath = Judgement(
        "ready.bath",
        level,
        "bath",
        say("spent") if level is Level.STOP else say("used", used=amount(100 * held_g / capacity, "%")),
        (
            Quantity("copper in it", round(held_g, 2), "g"),
            Quantity("to remove", round(removed_g, 2), "g"),
            Quantity("capacity", round(capacity), "g"),
        ),
        do,
        coverage=dips,
    )
    if not np.isfinite(minutes):
        return [bath]
    low, high = minutes / fit.within95, minutes * fit.within95
    runs = (Coverage("own runs", fit.n, OWN_RUNS),)
    time = Judgement(
        "ready.etch",
        seen(*runs),
        "etching",
        say("minutes", minutes=Quantity("minutes", minutes, "min", (low, high))),
        (
            Quantity("likely from", round(low, 1), "min"),
            Quantity("to", round(high, 1), "min"),
            Quantity("own runs behind it", fit.n),
        ),
        say("look early"),
        missing=() if fit.n >= OWN_RUNS else ("own runs",),
        coverage=runs,
    )
    return [time, bath]
