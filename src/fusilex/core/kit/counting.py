"""How many are there? By length of tape, by weight, by the diameter of a reel. Each count comes with its ±."""

from __future__ import annotations

import math

from msgspec import Struct


class Count(Struct, frozen=True):
    """Pieces and how far off they may be."""

    pieces: int
    plus_minus: int

    @property
    def text(self) -> str:
        return f"{self.pieces}" if not self.plus_minus else f"{self.pieces} ± {self.plus_minus}"


def by_strip(length_mm: float, pitch_mm: float) -> Count:
    """Whole pockets in a usable length of tape; ± one for the cut ends. Raises ValueError for no pitch.

    >>> by_strip(100, 4).pieces
    25
    """
    if pitch_mm <= 0 or length_mm < 0:
        raise ValueError("a tape has a length and a pitch above 0")
    return Count(math.floor(length_mm / pitch_mm + 1e-9), 1)


def by_weight(gross_g: float, tare_g: float, unit_mg: float, step_g: float) -> Count:
    """(gross − tare) / unit mass; ± from one scale step at each weighing. Raises ValueError when the gross is below
    the tare.
    """
    if unit_mg <= 0:
        raise ValueError("a piece weighs something")
    if gross_g < tare_g:
        raise ValueError(f"{gross_g:g} g with the parts is less than {tare_g:g} g without")
    return Count(round((gross_g - tare_g) * 1000 / unit_mg), math.ceil(step_g * 1000 / unit_mg / math.sqrt(2)))


def by_reel(outer_mm: float, hub_mm: float, tape_mm: float, pitch_mm: float, error_mm: float = 0.5) -> Count:
    """Tape wound between hub and outer diameter: length = π (D² − d²) / (4 t), t the thickness of tape with cover.

    ± from an error of `error_mm` in the outer diameter. Raises ValueError for impossible sizes.
    """
    if not 0 < hub_mm <= outer_mm or tape_mm <= 0 or pitch_mm <= 0:
        raise ValueError("a reel is wider than its hub, its tape has thickness and pitch")
    length = math.pi * (outer_mm**2 - hub_mm**2) / (4 * tape_mm)
    slack = math.pi * outer_mm * error_mm / (2 * tape_mm)
    return Count(math.floor(length / pitch_mm), math.ceil(slack / pitch_mm))
