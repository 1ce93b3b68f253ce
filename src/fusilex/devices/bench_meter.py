"""A bench multimeter that answers the usual standard commands (SCPI 1999) as lines of text over a serial port, and its
stand-in at the end of a pseudo-terminal.
"""

from __future__ import annotations

import math
import random
from collections.abc import Callable
from contextlib import suppress
from typing import Protocol

from fusilex.devices.meter import NoMeter
from fusilex.devices.serial_line import LineBroken, SerialLine
from fusilex.devices.terminal import Terminal

OVER = 9.9e37
"""What the standard has an instrument answer for more than it can show."""
QUERIES = {"resistance": "MEAS:RES?", "voltage": "MEAS:VOLT:DC?", "current": "MEAS:CURR:DC?", "frequency": "MEAS:FREQ?"}
_PER_UNIT = {"Ω": "resistance", "V": "voltage", "A": "current", "Hz": "frequency"}
TIMEOUT_S = 2.0
_MOST = {"resistance": 1e12, "voltage": 1e4, "current": 1e3, "frequency": 1e12}
"""Ω, V, A and Hz beyond which no multimeter reads."""


class Asked(Protocol):
    """What the bench asks of such a meter."""

    def ask(self, query: str) -> str:
        """The answer to a query, '' when none came in time."""


def quantity_of(unit: str) -> str | None:
    """What to ask for a reading in a unit, with or without a prefix; None for what no multimeter measures.

    >>> quantity_of("mA"), quantity_of("V"), quantity_of("lx")
    ('current', 'voltage', None)
    """
    return _PER_UNIT.get(unit) or _PER_UNIT.get(unit[1:] if unit[:1] in "pnuµmkMG" else "")


def measure(meter: Asked, what: str = "resistance") -> float:
    """One reading (Ω, V, A, Hz), infinite when it is over range. Raises `NoMeter`."""
    answer = meter.ask(QUERIES[what])
    try:
        value = float(answer)
    except ValueError:
        value = math.nan
    over = 0.99 * OVER <= abs(value) <= 1.01 * OVER
    if not (over or abs(value) <= _MOST[what]):
        told = f"it answers “{answer[:40]}”" if answer else "it does not answer"
        raise NoMeter(f"No reading from the meter: {told}.")
    return math.copysign(math.inf, value) if over else value


class SerialMultimeter:
    """A multimeter on a serial line. Use with ``with``."""

    def __init__(self, port: str, baud: int = 9600) -> None:
        """Open a port. Raises `NoMeter` when it cannot be opened."""
        try:
            self._line = SerialLine(port, baud)
        except LineBroken as problem:
            raise NoMeter(f"No meter: {problem}.") from problem

    def __enter__(self) -> SerialMultimeter:
        return self

    def __exit__(self, *_: object) -> None:
        with suppress(LineBroken):
            self._line.close()

    def ask(self, query: str) -> str:
        """The answer to a query. Raises `NoMeter` when the line broke."""
        try:
            self._line.forget()
            self._line.write(query)
            return self._line.line(TIMEOUT_S)
        except LineBroken as problem:
            raise NoMeter(f"No reading from the meter: {problem}.") from problem


class SimulatedMultimeter:
    """A stand-in over what `true` says is between its leads: a fraction of a per cent off, leads of 0.15 Ω, some noise,
    seeded; `drift` is how much more it reads with every answer.
    """

    MOST_OHM = 5e7

    def __init__(self, true: Callable[[], float], seed: int = 11, drift: float = 0.0) -> None:
        self.true, self.drift, self.answers = true, drift, 0
        self._random = random.Random(seed)
        self._off = 1 + self._random.gauss(0, 0.002)

    def answer(self, query: str) -> str:
        """What it says to a line, '' where it says nothing."""
        words = query.strip().upper()
        if words == "*IDN?":
            return "Fusilex,stand-in,0,1"
        if words not in QUERIES.values():
            return ""
        leads = 0.15 if words == QUERIES["resistance"] else 0.0
        value = self.true() * self._off * (1 + self._random.gauss(0, 0.0005)) * (1 + self.drift * self.answers) + leads
        self.answers += 1
        over = not abs(value) <= self.MOST_OHM
        return f"{math.copysign(OVER, value) if over else value:+.5E}"


class MultimeterLine(Terminal):
    """Serves a stand-in at the end of a pseudo-terminal."""

    def __init__(self, meter: SimulatedMultimeter) -> None:
        super().__init__()
        self.meter = meter
        self._answers: list[str] = []

    def hear(self, line: str) -> None:
        if said := self.meter.answer(line):
            self._answers.append(said)

    def say(self) -> list[str]:
        answers, self._answers = self._answers, []
        return answers
