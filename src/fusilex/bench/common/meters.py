"""Meters for single parts, real and stand-in."""

from __future__ import annotations

from fusilex.bench.common.scales import STAND_IN
from fusilex.core.values import UNIT_OF_FAMILY, read_value
from fusilex.devices.meter import Meter, NoMeter, SerialMeter, SimulatedMeter

_SHOWS = {"Ω": "R", "F": "C", "H": "L"}


def meter_at(port: str, value: str, family: str) -> Meter:
    """The meter at a port; the stand-in has a good piece of the value under its tips. Raises `NoMeter`."""
    if port != STAND_IN:
        return SerialMeter(port)
    wanted = read_value(value, family).value
    what = _SHOWS.get(UNIT_OF_FAMILY.get(family, ""))
    if wanted is None or what is None:
        raise NoMeter("The stand-in has nothing to show for a part without a value.")
    return SimulatedMeter(what, lambda: wanted)
