"""A component meter that sends its reading as lines of text, such as ``R 9.98 k`` or ``C 98.2 n``."""

from __future__ import annotations

import random
import re
from collections.abc import Callable
from typing import Protocol

from fusilex.devices.serial_line import LineBroken, SerialLine

_NUMBER = r"\d+(?:[.,]\d+)?(?:[eE][+-]?\d+)?"
_LINE = re.compile(rf"\s*(?P<what>[RCL])[\s,:=]*(?P<number>{_NUMBER})\s*(?P<prefix>[pnumkMGµ]?)\w*\s*$")
_PREFIX = {"p": 1e-12, "n": 1e-9, "u": 1e-6, "µ": 1e-6, "m": 1e-3, "": 1.0, "k": 1e3, "M": 1e6, "G": 1e9}
_MOST = {"R": 1e12, "C": 10.0, "L": 1e4}
"""Ω, F and H beyond which nothing is a part."""
MOST_LINES, LINE_S = 8, 1.0


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
    value = float(found["number"].replace(",", ".")) * _PREFIX[found["prefix"]]
    return (found["what"], round(value, 15)) if value <= _MOST[found["what"]] else None


def read_meter(meter: Meter) -> tuple[str, float]:
    """The next reading. Raises `NoMeter`."""
    for _ in range(MOST_LINES):
        text = meter.line()
        if not text:
            break
        if (found := parse_meter(text)) is not None:
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
        try:
            self._line = SerialLine(port, baud)
        except LineBroken as problem:
            raise NoMeter(f"No meter: {problem}.") from problem

    def line(self) -> str:
        """Raises `NoMeter` when the line broke."""
        try:
            return self._line.line(LINE_S)
        except LineBroken as problem:
            raise NoMeter(f"No reading from the meter: {problem}.") from problem
