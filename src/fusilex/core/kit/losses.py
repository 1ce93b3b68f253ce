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


def default_loss(package: Package) -> tuple[float, int]:
    """Loss fraction and minimum extra pieces before anything was logged here."""
    if package.family not in TWO_ENDED or package.mount != "smd":
        return OTHER
    long = max(package.size_x, package.size_y)
    return next(loss for up_to, loss in DEFAULT if long <= up_to * 1.1)


def loss_key(package: Package) -> str:
    """Under which name pieces of a body are logged: its inch code, else its package text."""
    return package.chip or package.code
