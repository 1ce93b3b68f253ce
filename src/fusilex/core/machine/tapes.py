"""Carrier tapes: how wide the tape of a body is, how far apart its pockets are, and how parts lie in them."""

from __future__ import annotations

import math

from msgspec import Struct

from fusilex.core.design.hidden_joints import hides_joints
from fusilex.core.packages.catalogue import Package
from fusilex.core.packages.land_pattern_names import LEAD_MM, LEAD_SMALL_MM

WIDTHS = ((8.0, 4.4), (12.0, 6.2), (16.0, 10.4), (24.0, 18.0), (32.0, 25.0), (44.0, 37.0))
"""Tape (mm) and what goes across it: up to which size makers use it. EIA-481 itself lets 8.2, 12.1 and 20.1 mm into 12,
16 and 24 mm tape, which transistors with a tab use.
"""
WIDEST_12_TABS = 8.2
SMALL_PITCHES = (2.0, 4.0)
"""What 8 mm tape has (EIA-481): parts that take more along it come in 12 mm tape at least."""
FINE_PITCH_BODY = 1.0
THIN_WALL_MM, WALL_MM = 0.8, 1.2
"""What a pocket of small and of larger tape needs beside the part along the tape."""
POCKET_SLACK = 0.3
TWO_ROWS_MM, POWER_LEAD_MM = 3.0, 4.0
QUADRANTS = {"Q1": 0.0, "Q2": 270.0, "Q3": 90.0, "Q4": 180.0}
"""How a part is turned in its tape by where pin 1 lies, holes at the top and feeding to the right (EIA-481)."""


class Tape(Struct, frozen=True):
    """Width and pocket pitch (mm), the pocket along and across the tape (mm), and how the part lies in it: degrees
    counter-clockwise from its unturned body, holes at the top. `sure` is False where that is only what is usual.
    """

    width: float
    pitch: float
    turn: float
    pocket: tuple[float, float] = (0.0, 0.0)
    sure: bool = True

    @property
    def quadrant(self) -> str:
        """Where pin 1 lies in its pocket, as EIA-481 names it."""
        return next(name for name, turn in QUADRANTS.items() if turn == self.turn % 360)


def tape_of(package: Package) -> Tape:
    """The tape that a body usually comes in, legs included: rows of legs along the tape, else the long side across;
    pockets 2 mm apart for the smallest chips, else in steps of 4 mm (EIA-481). A reel's label wins. Raises ValueError
    for a body that comes in none.

    >>> from fusilex.core.packages.catalogue import package_of
    >>> [(t.width, t.pitch) for n in ("0603", "SOIC-8", "LQFP-48 7x7") for t in [tape_of(package_of(n, "U1"))]]
    [(8.0, 4.0), (12.0, 8.0), (16.0, 12.0)]
    """
    x, y = over_legs(package)
    turn = 90.0 if x > y and not _two_rows(package) else 0.0
    along, across = (y, x) if turn else (x, y)
    pitch = _pitch(package, along)
    width = next((w for w, most in WIDTHS if across <= most), None)
    if package.family == "transistor" and across <= WIDEST_12_TABS:
        width = min(width or 12.0, 12.0)
    if width is None:
        raise ValueError(f"a body of {across:g} mm comes in no tape")
    if pitch not in SMALL_PITCHES:
        width = max(width, 12.0)
    return Tape(width, pitch, turn, (along + POCKET_SLACK, across + POCKET_SLACK), not package.polarised)


def _pitch(package: Package, along: float) -> float:
    if max(package.size_x, package.size_y) <= FINE_PITCH_BODY:
        return 2.0
    return 4.0 if along <= 4.0 - THIN_WALL_MM else 4.0 * math.ceil((along + WALL_MM) / 4.0)


def _two_rows(package: Package) -> bool:
    """Legs on two sides of a chip."""
    return package.family == "ic" and "QFP" not in package.code.upper() and not hides_joints(package)


def over_legs(package: Package) -> tuple[float, float]:
    """Size of a body with its legs (mm): four-sided outlines both ways, those with two rows across, others as they
    are.
    """
    name = package.code.upper()
    if "QFP" in name:
        return package.size_x + LEAD_MM, package.size_y + LEAD_MM
    if "PAK" in name:
        return package.size_x + POWER_LEAD_MM, package.size_y
    if name.startswith(("SMA", "SMB", "SMC", "SOD")):
        return package.size_x + LEAD_SMALL_MM, package.size_y
    if package.family in ("ic", "transistor") and not hides_joints(package):
        return package.size_x + (LEAD_MM if package.size_x >= TWO_ROWS_MM else LEAD_SMALL_MM), package.size_y
    return package.size_x, package.size_y


def pockets_lost(pitch: float, thread_mm: float) -> int:
    """Pockets that pass the pick point before the first part can be held: the length threaded past it over the pitch.

    >>> pockets_lost(4.0, 50.0)
    13
    """
    return int(-(-thread_mm // pitch))
