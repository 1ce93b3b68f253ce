"""Losses this shop really has, by body: they replace the defaults once enough pieces stand behind them."""

from __future__ import annotations

import math
from collections.abc import Mapping

from msgspec import Struct

from fusilex.core.packages.catalogue import TWO_ENDED, Package
from fusilex.core.packages.chips import CHIP_SIZES

LEAST_PIECES = 100
"""Pieces handled before a logged loss is believed: with fewer, one lost piece says too little."""

DEFAULT = (  # up to this length (mm): loss fraction, minimum extra pieces; the usual shop defaults
    (CHIP_SIZES["0201"][1], (0.05, 10)),
    (CHIP_SIZES["0402"][1], (0.03, 8)),
    (CHIP_SIZES["0603"][1], (0.02, 5)),
    (math.inf, (0.01, 3)),
)
OTHER = (0.0, 1)
SERVICE = 0.95
"""Share of batches in which what is pulled is enough."""


class Logged(Struct, frozen=True):
    """Pieces of one body placed and lost in this shop."""

    placed: int = 0
    lost: int = 0

    @property
    def rate(self) -> float:
        """Rule of succession (Laplace 1814): (lost + 1) / (handled + 2)."""
        return (self.lost + 1) / (self.placed + self.lost + 2)


class Loss(Struct, frozen=True):
    """Loss fraction and minimum extra of a body; `behind` is the number of pieces logged here, 0 for the default."""

    fraction: float
    extra: int
    behind: int = 0


def loss_of(package: Package, log: Mapping[str, Logged] | None = None) -> Loss:
    """Loss of a body: as logged here from `LEAST_PIECES` on, else the default.

    Passives and diodes with two ends by their length, whatever their outline is called; chips with legs or hidden
    joints and connectors none and one.
    """
    fraction, extra = default_loss(package)
    logged = (log or {}).get(loss_key(package))
    if logged is not None and logged.placed + logged.lost >= LEAST_PIECES:
        return Loss(logged.rate, extra, logged.placed + logged.lost)
    return Loss(fraction, extra)


def pieces_for(need: int, loss: float, behind: int = 0) -> int:
    """Fewest pieces of which enough stay good in `SERVICE` of batches, when each that is handled is lost with chance
    `loss`: binomial, or beta-binomial where so many logged pieces are `behind` that chance.

    >>> pieces_for(36, 0.03), pieces_for(100, 0.1), pieces_for(100, 0.3), pieces_for(18, 0.0)
    (39, 117, 156, 18)
    """
    if need <= 0 or loss <= 0:
        return max(need, 0)
    if loss >= 1:
        raise ValueError("a loss of all pieces leaves none")
    low = need
    high = need + 1
    while _enough(high, need, loss, behind) < SERVICE:
        low, high = high, need + 2 * (high - need)
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if _enough(middle, need, loss, behind) >= SERVICE else (middle, high)
    return low if _enough(low, need, loss, behind) >= SERVICE else high


def _enough(pieces: int, need: int, loss: float, behind: int) -> float:
    """Chance that at most `pieces` − `need` are lost."""
    total = 0.0
    a, b = loss * (behind + 2), (1 - loss) * (behind + 2)
    whole = math.lgamma(pieces + 1)
    for lost in range(pieces - need + 1):
        ways = whole - math.lgamma(lost + 1) - math.lgamma(pieces - lost + 1)
        if behind:
            ways += _log_beta(a + lost, b + pieces - lost) - _log_beta(a, b)
        else:
            ways += lost * math.log(loss) + (pieces - lost) * math.log1p(-loss)
        total += math.exp(ways)
    return total


def _log_beta(a: float, b: float) -> float:
    return math.lgamma(a) + math.lgamma(b) - math.lgamma(a + b)


def default_loss(package: Package) -> tuple[float, int]:
    """Loss fraction and minimum extra pieces before anything was logged here."""
    if package.family not in TWO_ENDED or package.mount != "smd":
        return OTHER
    long = max(package.size_x, package.size_y)
    return next(loss for up_to, loss in DEFAULT if long <= up_to * 1.1)


def loss_key(package: Package) -> str:
    """Under which name pieces of a body are logged: its inch code, else its package text."""
    return package.chip or package.code
