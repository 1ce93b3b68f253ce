"""Counting a lot on the scale whose port is named; a stand-in only where somebody asks for it."""

from __future__ import annotations

from fusilex.bench.common.scales import PORT, STAND_IN, named_port, scale_at
from fusilex.bench.refusal import Refused
from fusilex.bench.workshop.stock import Lot
from fusilex.core.kit.counting import Count, by_weight
from fusilex.core.packages.catalogue import Package
from fusilex.devices.scale import NoReading, Scale, settled


def scale_for(lot: Lot, package: Package, tare_g: float, port: str = "") -> tuple[Scale, bool]:
    """The scale at the port the workshop has on record, or the environment names, and whether it is the stand-in, which
    then carries the lot as stock has it.

    Raises `Refused` when none is attached, `NoReading` when its port cannot be opened.
    """
    if not (port := named_port(port)):
        how = f"Note its port in the workshop (F4), set {PORT}, or type the weights with C: weight 52.5 12.5"
        raise Refused(f"No scale is attached. {how}.")
    return scale_at(port, lambda: tare_g + lot.count * package.mass_mg / 1000), port == STAND_IN


def weigh(lot: Lot, package: Package, tare_g: float, port: str = "") -> tuple[Count, str]:
    """Pieces of a lot by weight, and how it was weighed. Raises `Refused` when the scale or the numbers do not allow
    it.
    """
    if package.mass_mg <= 0:
        raise Refused(f"The mass of one {package.code or 'piece'} is not known: correct it under Parts at Ready.")
    try:
        scale, stand_in = scale_for(lot, package, tare_g, port)
        read = settled(scale)
        count = by_weight(read.grams, tare_g, package.mass_mg, read.step)
    except (NoReading, ValueError) as error:
        raise Refused(f"{str(error).rstrip('.')}.") from error
    return count, "weight, stand-in scale" if stand_in else "weight"
