"""A bench scale that sends its reading as lines of text, such as ``S +   12.34 g``.

Most bench scales print like this over a serial line: a letter for settled (S) or moving (D or U), a sign, a number, a
unit.
"""

from __future__ import annotations

import random
import re
import time
from collections.abc import Callable
from typing import Protocol

from msgspec import Struct

from fusilex.devices.serial_line import LineBroken, SerialLine

_LINE = re.compile(
    r"\s*(?P<state>[A-Z]{1,2})?[\s,]*(?P<sign>[+-])?\s*(?P<number>\d{1,6}(?:[.,]\d{1,6})?)\s*(?P<unit>mg|g|kg)\s*$"
)
_GRAMS = {"mg": 1e-3, "g": 1.0, "kg": 1e3}
LINE_S, SETTLED_S = 1.0, 6.0
"""How long a scale may be silent, and how long it may take to come to rest."""
MOST_LINES = 2000


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
    heard, until = False, time.monotonic() + SETTLED_S
    for _ in range(MOST_LINES):
        text = scale.line() if time.monotonic() < until else ""
        if not text:
            break
        read = parse_line(text)
        heard = heard or read is not None
        if read is not None and read[1]:
            return read[0]
    still = "The scale does not come to rest: no draught, nothing touching the pan, then again."
    raise NoReading(still if heard else "The scale does not answer: is it on, and set to send its reading?")


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
        try:
            self._line = SerialLine(port, baud)
        except LineBroken as problem:
            raise NoReading(f"No scale: {problem}.") from problem

    def line(self) -> str:
        """Raises `NoReading` when the line broke."""
        try:
            return self._line.line(LINE_S)
        except LineBroken as problem:
            raise NoReading(f"No reading from the scale: {problem}.") from problem
