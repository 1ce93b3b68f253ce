"""A thermocouple logger that sends lines of numbers, one a channel, such as ``183.2, 179.9``; or a stand-in oven."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from typing import Protocol

from fusilex.devices.oven_world import OvenWorld
from fusilex.devices.serial_line import LineBroken, SerialLine

_BETWEEN = re.compile(r"[;\t ]+|,\s*")
COLDEST_C, HOTTEST_C, MOST_CHANNELS = -60.0, 600.0, 16


class NoThermometer(Exception):
    """The logger does not answer; the sentence says why."""


class Thermometer(Protocol):
    """What the bench asks of a logger."""

    names: list[str]

    def read(self) -> list[float] | None:
        """The newest temperatures (°C, NaN for an open probe), one a name; None when nothing new came."""

    def pass_time(self, seconds: float) -> None:
        """Time goes on, as far as a stand-in is concerned."""


def parse_line(text: str) -> list[float] | None:
    """The temperatures of a line; None for one that is no row of numbers.

    >>> parse_line("183.2, 179.9"), parse_line("21.5;OPEN"), parse_line("hello")
    ([183.2, 179.9], [21.5, nan], None)
    """
    cells = [cell for cell in _BETWEEN.split(text.strip()) if cell]
    found = []
    for cell in cells[:MOST_CHANNELS]:
        try:
            value = float(cell)
        except ValueError:
            value = math.nan
        found.append(value if COLDEST_C <= value <= HOTTEST_C else math.nan)
    return found if any(map(math.isfinite, found)) else None


class SimulatedThermometer:
    """A stand-in: probes in a stand-in oven, whose time passes by `pass_time`."""

    def __init__(self, world: OvenWorld, names: Sequence[str]) -> None:
        self.world, self.names = world, list(names)
        self.world.read(self.names)

    def read(self) -> list[float] | None:
        read = self.world.read(self.names)
        return [read[name] for name in self.names]

    def pass_time(self, seconds: float) -> None:
        self.world.advance(seconds)


class SerialThermometer:
    """A logger on a serial line. Its channels are named as the probes are said to sit."""

    def __init__(self, port: str, names: Sequence[str], baud: int = 9600) -> None:
        """Open a port. Raises `NoThermometer` when it cannot be opened."""
        self.names = list(names)
        try:
            self._line = SerialLine(port, baud)
        except LineBroken as problem:
            raise NoThermometer(f"No logger: {problem}.") from problem

    def read(self) -> list[float] | None:
        try:
            lines = self._line.lines()
        except LineBroken as problem:
            raise NoThermometer(f"No reading from the logger: {problem}.") from problem
        rows = [row for line in lines if (row := parse_line(line)) is not None]
        if not rows:
            return None
        return [*rows[-1], *[math.nan] * len(self.names)][: len(self.names)]

    def pass_time(self, seconds: float) -> None:
        """A real oven has its own time."""
