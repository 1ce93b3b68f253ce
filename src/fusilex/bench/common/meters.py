"""Meters, real and stand-in: for single parts, and the multimeter at Test."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager

from fusilex.bench.common.scales import STAND_IN
from fusilex.bench.refusal import Refused
from fusilex.core.values import UNIT_OF_FAMILY, read_value
from fusilex.devices.bench_meter import Asked, MultimeterLine, SerialMultimeter, SimulatedMultimeter, measure
from fusilex.devices.meter import Meter, NoMeter, SerialMeter, SimulatedMeter, read_meter

_SHOWS = {"Ω": "R", "F": "C", "H": "L"}


def ohmmeter(port: str, true_ohm: Callable[[], float]) -> AbstractContextManager[Asked]:
    """The multimeter at a port; the stand-in has `true_ohm` between its leads and answers at the end of a
    pseudo-terminal, as a real one does on its line. Raises `NoMeter`.
    """
    return _stand_in(true_ohm) if port == STAND_IN else SerialMultimeter(port)


@contextmanager
def _stand_in(true_ohm: Callable[[], float]) -> Iterator[Asked]:
    with MultimeterLine(SimulatedMultimeter(true_ohm)) as line, SerialMultimeter(line.port) as meter:
        yield meter


def read_quantity(port: str, what: str, true: float = 0.0) -> float:
    """The multimeter's reading of resistance (Ω, infinite for an open circuit), voltage (V) or current (A); `true` is
    what the stand-in has between its leads. Raises `Refused`.
    """
    try:
        with ohmmeter(port, lambda: true) as one:
            return measure(one, what)
    except NoMeter as problem:
        raise Refused(str(problem)) from problem


def read_piece(port: str, value: str, family: str) -> float:
    """What the component meter shows of a single part, in the unit of its family. Raises `Refused`."""
    try:
        return read_meter(meter_at(port, value, family))[1]
    except NoMeter as problem:
        raise Refused(str(problem)) from problem


def meter_at(port: str, value: str, family: str) -> Meter:
    """The meter at a port; the stand-in has a good piece of the value under its tips. Raises `NoMeter`."""
    if port != STAND_IN:
        return SerialMeter(port)
    wanted = read_value(value, family).value
    what = _SHOWS.get(UNIT_OF_FAMILY.get(family, ""))
    if wanted is None or what is None:
        raise NoMeter("The stand-in has nothing to show for a part without a value.")
    return SimulatedMeter(what, lambda: wanted)
