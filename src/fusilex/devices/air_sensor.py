"""A sensor of the room's air that sends lines of text, such as ``22.4 C 41 %``."""

from __future__ import annotations

import random
import re
from typing import Protocol

from fusilex.devices.serial_line import LineBroken, SerialLine

_LINE = re.compile(r"\s*(?P<celsius>-?\d+(?:[.,]\d+)?)\s*°?C?[\s,;]+(?P<humidity>\d+(?:[.,]\d+)?)\s*%?\s*$", re.I)
MOST_LINES, LINE_S = 5, 2.0


class NoAir(Exception):
    """The sensor does not answer, or says what no room has."""


class AirSensor(Protocol):
    """What the bench asks of a sensor."""

    def line(self) -> str:
        """The next line it sends; '' when nothing came in time."""


def parse_air(text: str) -> tuple[float, float] | None:
    """Temperature (°C) and relative humidity (%) of a line; None for one that is no reading."""
    found = _LINE.match(text)
    if found is None:
        return None
    celsius, humidity = (float(found[name].replace(",", ".")) for name in ("celsius", "humidity"))
    return (celsius, humidity) if -40 <= celsius <= 60 and 1 <= humidity <= 100 else None


def read_air(sensor: AirSensor) -> tuple[float, float]:
    """The next reading. Raises `NoAir`."""
    for _ in range(MOST_LINES):
        text = sensor.line()
        if not text:
            break
        if (found := parse_air(text)) is not None:
            return found
    raise NoAir("The sensor of the room does not answer")


class SimulatedAir:
    """A stand-in for a heated workshop: it drifts slowly about 22 °C and 45 %, with a little noise, seeded."""

    def __init__(self, seed: int = 3) -> None:
        self._random = random.Random(seed)
        self._celsius, self._humidity = 22.0, 45.0

    def line(self) -> str:
        self._celsius += 0.1 * (22.0 - self._celsius) + self._random.gauss(0, 0.15)
        self._humidity += 0.1 * (45.0 - self._humidity) + self._random.gauss(0, 0.6)
        return f"{self._celsius:.1f} C {self._humidity:.0f} %"


class SerialAir:
    """A sensor on a serial line."""

    def __init__(self, port: str, baud: int = 9600) -> None:
        """Open a port. Raises `NoAir` when it cannot be opened."""
        try:
            self._line = SerialLine(port, baud)
        except LineBroken as problem:
            raise NoAir(f"No sensor of the room: {problem}") from problem

    def line(self) -> str:
        """Raises `NoAir` when the line broke."""
        try:
            return self._line.line(LINE_S)
        except LineBroken as problem:
            raise NoAir(f"The sensor of the room: {problem}") from problem
