"""The fault behind the faults: one shift, quarter turn, mirror or unit factor that explains why a whole list misses
its pads.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import shapely
from msgspec import Struct
from numpy.typing import ArrayLike, NDArray

from fusilex.core.quantities import METRIC, amount
from fusilex.core.wording import Said, listed, say, worded

FACTORS = (1.0, 25.4, 1 / 25.4, 0.0254, 1 / 0.0254, 10.0, 0.1, 1000.0, 0.001)
"""Unit slips: inch read as mm and back, mil as mm and back, and lost or gained decimals."""
ON_PAD_MM = 0.30
VOTERS, BIN_MM = 40, 0.15
LEAST, SHARE = 4, 0.55
SPREADS = (0.4, 12.0)
"""How much wider the candidates may be spread than the placements, for a factor to be tried: a list may name but a
few parts.
"""
BY_CHANCE = 0.01
OFFSET_MM = 0.1
"""From here on an offset that all parts share is no matter of how parts were drawn."""


class Correction(Struct, frozen=True):
    """measured = factor · R(turn) · M · listed + (dx, dy): M mirrors x when `mirror`; turn counter-clockwise,
    degrees; mm.
    """

    mirror: bool
    turn: int
    factor: float
    dx: float
    dy: float

    def apply(self, xy: ArrayLike) -> NDArray[np.float64]:
        points = np.atleast_2d(np.asarray(xy, dtype=float))
        return np.asarray(_linear(points, self.mirror, self.turn, self.factor) + np.array([self.dx, self.dy]))

    @property
    def inverse(self) -> Correction:
        """What undoes it. A mirror with a turn is its own opposite, but for shift and factor."""
        turn = self.turn if self.mirror else -self.turn % 360
        factor = 1 / self.factor
        ((dx, dy),) = -_linear(np.array([[self.dx, self.dy]]), self.mirror, turn, factor)
        return Correction(self.mirror, turn, factor, *_clean(np.array([dx, dy])))

    @property
    def says(self) -> tuple[Said, ...]:
        """What it does, one message for each thing that it changes."""
        found = []
        if abs(self.factor - 1) > 1e-9:
            known = {25.4: "inch as mm", 0.0254: "mil as mm", 1 / 25.4: "mm as inch", 1 / 0.0254: "mm as mil"}
            case = next((w for f, w in known.items() if abs(f - self.factor) < 1e-9 * f), "")
            found.append(say(case) if case else say("times", factor=self.factor))
        if self.mirror:
            found.append(say("mirrored"))
        if self.turn:
            found.append(say("turned", turn=self.turn))
        if np.hypot(self.dx, self.dy) > 0.02:
            right, up = (amount(round(v, 2) + 0.0, "mm") for v in (self.dx, self.dy))
            found.append(say("shifted by", right=right, up=up))
        return tuple(found) or (say("as listed"),)

    @property
    def words(self) -> str:
        """What it does, for the record: ``mil taken for mm, mirrored and shifted 44 mm, 0 mm``."""
        return listed([worded("ready.systematic", one, units=METRIC) for one in self.says], 4)


class SystematicFit(Struct, frozen=True):
    """The best correction for n placements: how many meet their pads before and after it, and how closely then (RMS,
    mm).
    """

    correction: Correction
    n: int
    before: int
    after: int
    rms_mm: float

    @property
    def convincing(self) -> bool:
        """Most placements miss as listed, and most meet their pads corrected."""
        return self.after >= max(LEAST, SHARE * self.n) and self.before < 0.5 * self.after


def _linear(xy: NDArray[np.float64], mirror: bool, turn: int, factor: float) -> NDArray[np.float64]:
    cos, sin = {0: (1, 0), 90: (0, 1), 180: (-1, 0), 270: (0, -1)}[turn % 360]
    flipped = xy * (-1.0, 1.0) if mirror else xy
    return np.asarray(factor * (flipped @ np.array([[cos, sin], [-sin, cos]])))


def fit_named(listed: ArrayLike, pads: ArrayLike) -> SystematicFit | None:
    """Fit placements (n × 2, mm) to the middles of their own pads (n × 2, mm). None for fewer than four.

    For each mirror, quarter turn and unit factor the shift is the median difference, which up to half of the
    placements being wrong on their own account cannot move; the correction with most placements on their pads wins,
    the simplest of equals.
    """
    a, b = np.asarray(listed, dtype=float).reshape(-1, 2), np.asarray(pads, dtype=float).reshape(-1, 2)
    if len(a) < LEAST:
        return None
    before = int(np.count_nonzero(np.hypot(*(b - a).T) < ON_PAD_MM))
    best: tuple[int, Correction, float] | None = None
    for factor, turn, mirror in _hypotheses(a, b):
        moved = _linear(a, mirror, turn, factor)
        shift = np.median(b - moved, axis=0)
        hit = np.hypot(*(b - moved - shift).T) < ON_PAD_MM
        count = int(np.count_nonzero(hit))
        if count and (best is None or count > best[0]):
            shift = (b - moved)[hit].mean(axis=0)
            off = np.hypot(*(b - moved - shift)[hit].T)
            best = count, Correction(mirror, turn, factor, *_clean(shift)), float(np.sqrt(np.mean(off**2)))
    return SystematicFit(best[1], len(a), before, best[0], best[2]) if best else None


def fit_unnamed(listed: ArrayLike, targets: ArrayLike) -> SystematicFit | None:
    """Fit placements (n × 2, mm) to candidate parts (m × 2, mm) without knowing which is whose. None for fewer than
    four.

    For each mirror, quarter turn and likely factor, a sample of placements votes for shifts: the difference to every
    candidate, counted in bins. Where the fullest bin holds at least half as many votes as the fullest of all, it is
    refined on the nearest candidates of all placements.
    """
    a, b = np.asarray(listed, dtype=float).reshape(-1, 2), np.asarray(targets, dtype=float).reshape(-1, 2)
    if len(a) < LEAST or len(b) < LEAST:
        return None
    before = len(one_to_one(a, b, ON_PAD_MM)[0])
    rng = np.random.default_rng(7)
    voters = a if len(a) <= VOTERS else a[rng.choice(len(a), VOTERS, replace=False)]
    hypotheses = _hypotheses(a, b)
    elected = [(h, *_vote(_linear(voters, h[2], h[1], h[0]), b)) for h in hypotheses]
    quorum = max(votes for _, votes, _ in elected) / 2
    best: tuple[int, Correction, float] | None = None
    for (factor, turn, mirror), votes, shift in elected:
        if votes < quorum:
            continue
        moved = _linear(a, mirror, turn, factor)
        for reach in (3 * BIN_MM, ON_PAD_MM, ON_PAD_MM):
            who, whom = one_to_one(moved + shift, b, reach)
            if not len(who):
                break
            shift = shift + np.median(b[whom] - moved[who] - shift, axis=0)
        who, whom = one_to_one(moved + shift, b, ON_PAD_MM)
        count = len(who)
        if count and (best is None or count > best[0]):
            off = np.hypot(*(b[whom] - moved[who] - shift).T)
            best = count, Correction(mirror, turn, factor, *_clean(shift)), float(np.sqrt(np.mean(off**2)))
    if best is None or _by_chance(best[0], len(a), b, len(hypotheses)) > BY_CHANCE:
        return None
    return SystematicFit(best[1], len(a), before, best[0], best[2])


def _by_chance(count: int, n: int, b: NDArray[np.float64], hypotheses: int) -> float:
    """How many of the shifts that were tried would by chance alone bring as many of n placements onto candidates (m ×
    2, mm).

    One placement is on its candidate by the choice of the shift; each of the others meets one with the share of the
    area that the candidates' reach covers, so the rest is binomial.
    """
    width, height = np.maximum(np.ptp(b, axis=0), 1.0)
    share = min(0.999, len(b) * math.pi * ON_PAD_MM**2 / (width * height))
    k = np.arange(count - 1, n)
    choose = np.array([math.lgamma(n) - math.lgamma(i + 1) - math.lgamma(n - i) for i in k.tolist()])
    logs = choose + k * math.log(share) + (n - 1 - k) * math.log1p(-share)
    return float(n * len(b) * hypotheses * np.exp(logs).sum())


def _hypotheses(a: NDArray[np.float64], b: NDArray[np.float64]) -> Sequence[tuple[float, int, bool]]:
    """Factor, turn and mirror worth trying, the simplest first: the factor must bring the two spreads to a like
    size.
    """
    spread_a, spread_b = (np.diff(np.percentile(p, (10, 90), axis=0), axis=0).max() for p in (a, b))
    ratio = spread_b / max(spread_a, 1e-9)
    factors = [f for f in FACTORS if SPREADS[0] < ratio / f < SPREADS[1]] or [1.0]
    return [(f, turn, mirror) for f in factors for mirror in (False, True) for turn in (0, 90, 180, 270)]


def _vote(a: NDArray[np.float64], b: NDArray[np.float64]) -> tuple[int, NDArray[np.float64]]:
    """Votes for the shift with most of them, and that shift."""
    difference = (b[None, :, :] - a[:, None, :]).reshape(-1, 2)
    low = difference.min(axis=0)
    bins = np.floor((difference - low) / BIN_MM).astype(np.int64)
    keys = bins[:, 0] * (int(bins[:, 1].max()) + 3) + bins[:, 1]
    values, counts = np.unique(keys, return_counts=True)
    fullest = keys == values[counts.argmax()]
    return int(counts.max()), np.asarray(difference[fullest].mean(axis=0))


def one_to_one(
    xy: NDArray[np.float64], targets: NDArray[np.float64], reach: float
) -> tuple[NDArray[np.int_], NDArray[np.int_]]:
    """Pairs of points (n × 2) and targets (m × 2) that are each other's nearest, at most `reach` apart: indices of
    both.
    """
    if not len(xy) or not len(targets):
        return np.empty(0, dtype=int), np.empty(0, dtype=int)
    points = shapely.points(xy)
    (who, whom), apart = shapely.STRtree(shapely.points(targets)).query_nearest(
        points, max_distance=reach, return_distance=True, all_matches=False
    )
    order = np.lexsort((apart, whom))
    first = order[np.append(True, np.diff(whom[order]) != 0)] if len(order) else order
    return who[first], whom[first]


def shared_offset(listed: ArrayLike, pads: ArrayLike) -> tuple[float, float] | None:
    """The offset (mm) that placements (n × 2) share against the middles of their pads (n × 2), None where they share
    none.

    It is named from `OFFSET_MM` on, when most parts' own deviations from it are no more than a third of it.
    """
    off = np.asarray(pads, dtype=float).reshape(-1, 2) - np.asarray(listed, dtype=float).reshape(-1, 2)
    if len(off) < LEAST:
        return None
    shift = np.median(off, axis=0)
    size = float(np.hypot(*shift))
    own = float(np.median(np.hypot(*(off - shift).T)))
    return _clean(shift) if size >= OFFSET_MM and own <= size / 3 else None


def _clean(shift: NDArray[np.float64]) -> tuple[float, float]:
    """A shift in whole micrometres, without minus zero."""
    return round(float(shift[0]), 3) + 0.0, round(float(shift[1]), 3) + 0.0
