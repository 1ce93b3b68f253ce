"""Carrier tapes: how wide the tape of a body is, how far apart its pockets are, and how parts lie in them."""

from __future__ import annotations

from msgspec import Struct

from fusilex.core.packages.catalogue import Package

WIDTHS = ((8.0, 4.4), (12.0, 8.2), (16.0, 12.1), (24.0, 20.1), (32.0, 25.0), (44.0, 37.0))
"""Tape (mm) and the longest side of a body that goes across it (EIA-481, largest B0)."""
POCKET_SLACK, FINE_PITCH_BODY = 0.6, 1.1
QUADRANTS = {"Q1": 0.0, "Q2": 270.0, "Q3": 90.0, "Q4": 180.0}
"""How a part is turned in its tape by where pin 1 lies, holes at the top and feeding to the right (EIA-481)."""


class Tape(Struct, frozen=True):
    """Width and pocket pitch (mm), and how the part lies in it: degrees counter-clockwise from its unturned body, holes
    at the top. `sure` is False where that is only what is usual.
    """

    width: float
    pitch: float
    turn: float
    sure: bool = True


def tape_of(package: Package) -> Tape:
    """The tape that a body usually comes in: its long side across, pockets 2 mm apart for the smallest chips, else in
    steps of 4 mm. Raises ValueError for a body that comes in none.

    >>> from fusilex.core.packages.catalogue import package_of
    >>> tape_of(package_of("0603", "R1")), tape_of(package_of("SOIC-8", "U1")).width
    (Tape(width=8.0, pitch=4.0, turn=90.0, sure=True), 12.0)
    """
    long, short = max(package.size_x, package.size_y), min(package.size_x, package.size_y)
    width = next((w for w, most in WIDTHS if long <= most), None)
    if width is None:
        raise ValueError(f"a body of {long:g} mm comes in no tape")
    pitch = 2.0 if long <= FINE_PITCH_BODY else 4.0 * -(-(short + POCKET_SLACK) // 4.0)
    across = 90.0 if package.size_x > package.size_y else 0.0
    return Tape(width, pitch, across, not package.polarised)


def pockets_lost(pitch: float, thread_mm: float) -> int:
    """Pockets that pass the pick point before the first part can be held: the length threaded past it over the pitch.

    >>> pockets_lost(4.0, 50.0)
    13
    """
    return int(-(-thread_mm // pitch))
