"""How many are there? By length of tape, by weight, by the diameter of a reel. Each count comes with its ±."""

from __future__ import annotations

import math

from msgspec import Struct

from fusilex.core.design.hidden_joints import hides_joints
from fusilex.core.packages.catalogue import Package
from fusilex.core.packages.land_pattern_names import LEAD_MM, LEAD_SMALL_MM

THIN_WALL_MM, WALL_MM = 0.8, 1.2
"""What a pocket of small and of larger tape needs beside the part along the tape."""
WIDE_MM = 3.0


class Count(Struct, frozen=True):
    """Pieces and how far off they may be."""

    pieces: int
    plus_minus: int

    @property
    def text(self) -> str:
        return f"{self.pieces}" if not self.plus_minus else f"{self.pieces} ± {self.plus_minus}"


def tape_pitch_mm(package: Package) -> float:
    """Pocket pitch of a body's carrier tape: 2 mm up to 1.0 mm long, else 4, 8, 12, 16 … (EIA-481).

    Parts lie with their long side across the tape; what the pocket takes along it is the shorter of the sides, legs
    included, and a wall. A reel's label wins.

    >>> from fusilex.core.packages.catalogue import package_of
    >>> [tape_pitch_mm(package_of(n, "D1")) for n in ("0402", "1206", "SMA", "SOIC-14", "QFN-32 5x5", "LQFP-48 7x7")]
    [2.0, 4.0, 4.0, 8.0, 8.0, 12.0]
    """
    if max(package.size_x, package.size_y) <= 1.0:
        return 2.0
    along = min(over_legs(package))
    return 4.0 if along <= 4.0 - THIN_WALL_MM else 4.0 * math.ceil((along + WALL_MM) / 4.0)


def over_legs(package: Package) -> tuple[float, float]:
    """Size of a body with its legs (mm): four-sided outlines both ways, those with two rows across, others as they
    are.
    """
    name = package.code.upper()
    if "QFP" in name:
        return package.size_x + LEAD_MM, package.size_y + LEAD_MM
    if package.family in ("ic", "transistor") and not hides_joints(package):
        return package.size_x + (LEAD_MM if package.size_x >= WIDE_MM else LEAD_SMALL_MM), package.size_y
    return package.size_x, package.size_y


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
