"""A component meter that sends its reading as lines of text, such as ``R 9.98 k`` or ``C 98.2 n``."""

from __future__ import annotations

import random
import re
from collections.abc import Callable
from typing import Protocol

_NUMBER = r"\d+(?:[.,]\d+)?(?:[eE][+-]?\d+)?"
_LINE = re.compile(rf"\s*(?P<what>[RCL])[\s,:=]*(?P<number>{_NUMBER})\s*(?P<prefix>[pnumkMGµ]?)\w*\s*$")
_PREFIX = {"p": 1e-12, "n": 1e-9, "u": 1e-6, "µ": 1e-6, "m": 1e-3, "": 1.0, "k": 1e3, "M": 1e6, "G": 1e9}
MOST_LINES = 8


class NoMeter(Exception):
    """The meter does not answer; the sentence says why."""


class Meter(Protocol):
    """What the bench asks of a meter."""

    def line(self) -> str:
        """The next line it sends; '' when nothing came in time."""


def parse_meter(text: str) -> tuple[str, float] | None:
    """What was measured (R, C or L) and its value (Ω, F, H); None for a line that is no reading.

    >>> parse_meter("C 98.2 nF"), parse_meter("R 9,98k"), parse_meter("----")
    (('C', 9.82e-08), ('R', 9980.0), None)
    """
    found = _LINE.match(text)
    if found is None:
        return None
    return found["what"], round(float(found["number"].replace(",", ".")) * _PREFIX[found["prefix"]], 15)


def read_meter(meter: Meter) -> tuple[str, float]:
    """The next reading. Raises `NoMeter`."""
    for _ in range(MOST_LINES):
        if (found := parse_meter(meter.line())) is not None:
            return found
    raise NoMeter("The meter does not answer, or shows no reading.")


class SimulatedMeter:
    """A stand-in over a part of some value: half a per cent off, some noise, seeded."""

    def __init__(self, what: str, value: Callable[[], float], seed: int = 7) -> None:
        self.what, self.value = what, value
        self._random = random.Random(seed)
        self._off = 1 + self._random.gauss(0, 0.003)

    def line(self) -> str:
        value = self.value() * self._off * (1 + self._random.gauss(0, 0.001))
        prefix = next((p for p in ("M", "k", "", "m", "u", "n", "p") if value >= _PREFIX[p]), "p")
        return f"{self.what} {value / _PREFIX[prefix]:.4g} {prefix}"


class SerialMeter:
    """A meter on a serial line."""

    def __init__(self, port: str, baud: int = 9600) -> None:
        """Open a port. Raises `NoMeter` when it cannot be opened."""
        import serial

        try:
            self._line = serial.Serial(port, baud, timeout=1.0)
        except (serial.SerialException, ValueError) as error:
            raise NoMeter(f"No meter at {port}: {error}.") from error

    def line(self) -> str:
        return bytes(self._line.readline()).decode("ascii", "replace").strip()
