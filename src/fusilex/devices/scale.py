"""A bench scale that sends its reading as lines of text, such as ``S +   12.34 g``.

Most bench scales print like this over a serial line: a letter for settled (S) or moving (D or U), a sign, a number, a
unit.
"""

from __future__ import annotations

import random
import re
from collections.abc import Callable
from typing import Protocol

from msgspec import Struct

_LINE = re.compile(
    r"\s*(?P<state>[A-Z]{1,2})?[\s,]*(?P<sign>[+-])?\s*(?P<number>\d+(?:[.,]\d+)?)\s*(?P<unit>mg|g|kg)\s*$"
)
_GRAMS = {"mg": 1e-3, "g": 1.0, "kg": 1e3}
MOST_LINES = 40


class NoReading(Exception):
    """The scale does not answer, or does not come to rest; the sentence says which."""


class Weight(Struct, frozen=True):
    """A settled reading and the scale's step, both in grams."""

    grams: float
    step: float


class Scale(Protocol):
    """What the bench asks of a scale."""

    def line(self) -> str:
        """The next line it sends; '' when nothing came in time."""


def parse_line(text: str) -> tuple[Weight, bool] | None:
    """Reading and whether it is settled; None for a line that is no reading."""
    found = _LINE.match(text)
    if found is None:
        return None
    digits = found["number"].replace(",", ".")
    unit = _GRAMS[found["unit"]]
    step = 10.0 ** -len(digits.partition(".")[2]) * unit
    value = float(digits) * unit * (-1 if found["sign"] == "-" else 1)
    return Weight(value, step), found["state"] in (None, "S", "ST")


def settled(scale: Scale) -> Weight:
    """Wait for a reading at rest. Raises `NoReading` when none comes."""
    heard = False
    for _ in range(MOST_LINES):
        text = scale.line()
        if not text:
            break
        read = parse_line(text)
        heard = heard or read is not None
        if read is not None and read[1]:
            return read[0]
    raise NoReading("The scale does not come to rest." if heard else "The scale does not answer.")


class SimulatedScale:
    """A stand-in with a load, a step of 0.01 g, noise and a swing that dies away, seeded so that it repeats."""

    def __init__(self, load_g: Callable[[], float], step_g: float = 0.01, seed: int = 5) -> None:
        self.load_g, self.step_g = load_g, step_g
        self._random = random.Random(seed)
        self._swing = 1.0

    def line(self) -> str:
        self._swing *= 0.45
        off = self._swing * self._random.uniform(-1, 1) + self._random.gauss(0, 0.2 * self.step_g)
        value = round((self.load_g() + off) / self.step_g) * self.step_g
        state = "S" if self._swing < 0.1 * self.step_g else "D"
        return f"{state} {'-' if value < 0 else '+'} {abs(value):9.2f} g"


class SerialScale:
    """A scale on a serial line."""

    def __init__(self, port: str, baud: int = 9600) -> None:
        """Open a port such as ``/dev/ttyUSB0``. Raises `NoReading` when it cannot be opened."""
        import serial

        try:
            self._line = serial.Serial(port, baud, timeout=1.0)
        except (serial.SerialException, ValueError) as error:
            raise NoReading(f"No scale at {port}: {error}.") from error

    def line(self) -> str:
        return bytes(self._line.readline()).decode("ascii", "replace").strip()
