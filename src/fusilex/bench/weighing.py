"""Counting a lot on the scale: the real one where a port is named, else its stand-in."""

from __future__ import annotations

import os

from fusilex.bench.commands import Refused
from fusilex.core.kit.counting import Count, by_weight
from fusilex.core.packages.catalogue import Package
from fusilex.devices.scale import NoReading, Scale, SerialScale, SimulatedScale, settled
from fusilex.journal.workshop import Lot

PORT = "FUSILEX_SCALE"
"""Environment variable that names the scale's serial port."""


def scale_for(lot: Lot, body: Package, tare_g: float) -> tuple[Scale, bool]:
    """The scale to read, and whether it is the stand-in, which then carries the lot as stock has it. Raises `NoReading`."""
    if port := os.environ.get(PORT):
        return SerialScale(port), False
    return SimulatedScale(lambda: tare_g + lot.count * body.mass_mg / 1000), True


def weigh(lot: Lot, body: Package, tare_g: float) -> tuple[Count, str]:
    """Pieces of a lot by weight, and how it was weighed. Raises `Refused` when the scale or the numbers do not allow it."""
    if body.mass_mg <= 0:
        raise Refused(f"The mass of one {body.code or 'piece'} is not known: correct it under Bodies at Ready.")
    try:
        scale, stand_in = scale_for(lot, body, tare_g)
        read = settled(scale)
        count = by_weight(read.grams, tare_g, body.mass_mg, read.step)
    except (NoReading, ValueError) as error:
        raise Refused(f"{str(error).rstrip('.')}.") from error
    return count, "weight, stand-in scale" if stand_in else "weight"
