"""Losses this shop really has, by body: they replace the defaults once enough pieces stand behind them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from fusilex.core.board.bodies import Body, chip_code

LEAST_PIECES = 100
"""Pieces handled before a logged loss is believed: with fewer, one lost piece says too little."""

_DEFAULT = {  # inch code: (loss fraction, minimum extra pieces); the usual shop defaults
    "01005": (0.05, 10),
    "0201": (0.05, 10),
    "0402": (0.03, 8),
    "0603": (0.02, 5),
    "0805": (0.01, 3),
    "1206": (0.01, 3),
    "1210": (0.01, 3),
}
_OTHER = (0.0, 1)


@dataclass(frozen=True)
class Logged:
    """Pieces of one body placed and lost in this shop."""

    placed: int = 0
    lost: int = 0

    @property
    def rate(self) -> float:
        """Rule of succession (Laplace 1814): (lost + 1) / (handled + 2)."""
        return (self.lost + 1) / (self.placed + self.lost + 2)


@dataclass(frozen=True)
class Loss:
    """Loss fraction and minimum extra of a body; `behind` is the number of pieces logged here, 0 for the default."""

    fraction: float
    extra: int
    behind: int = 0


def loss_of(body: Body, log: Mapping[str, Logged] | None = None) -> Loss:
    """Loss of a body: as logged here from `LEAST_PIECES` on, else the default by chip size (others: none and one)."""
    code = chip_code(body.code)
    fraction, extra = _DEFAULT.get(code, _OTHER) if code else _OTHER
    logged = (log or {}).get(code or body.code)
    if logged is not None and logged.placed + logged.lost >= LEAST_PIECES:
        return Loss(logged.rate, extra, logged.placed + logged.lost)
    return Loss(fraction, extra)


def loss_key(body: Body) -> str:
    """Under which name pieces of a body are logged: its inch code, else its package text."""
    return chip_code(body.code) or body.code
