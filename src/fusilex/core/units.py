"""Quantities as people type and read them: resistances off a meter, part values, lengths and temperatures."""

from __future__ import annotations

import math
import re

PREFIX = {
    "": 1.0,
    "R": 1.0,
    "p": 1e-12,
    "n": 1e-9,
    "u": 1e-6,
    "µ": 1e-6,
    "μ": 1e-6,
    "m": 1e-3,
    "k": 1e3,
    "K": 1e3,
    "M": 1e6,
    "G": 1e9,
}
"""Factors as part values are written: R stands for the point."""
_READING = re.compile(r"^\s*(\d+(?:[.,]\d*)?|[.,]\d+)\s*([mkKMG]?)\s*(?:Ω|ohms?|R)?\s*$")
_INFIX = re.compile(r"^\s*(\d+)\s*([RkKMG])\s*(\d+)\s*$")
OPEN_WORDS = ("ol", "o.l", "open", "inf", "∞", "1.")


def parse_reading(text: str) -> float:
    """Resistance in Ω of a meter reading such as ``2.2M``, ``4k7``, ``0.4`` or ``OL`` (infinite).

    Raises ValueError when it is none of these.

    >>> parse_reading("2.2M"), parse_reading("4k7"), parse_reading("OL")
    (2200000.0, 4700.0, inf)
    """
    if text.strip().lower() in OPEN_WORDS:
        return math.inf
    if match := _INFIX.match(text):
        return float(f"{match[1]}.{match[3]}") * PREFIX[match[2]]
    if match := _READING.match(text):
        return float(match[1].replace(",", ".")) * PREFIX[match[2]]
    raise ValueError(f"“{text}” is no resistance: type for example 2.2M, 4k7, 0.4 or OL")


def show_resistance(ohms: float) -> str:
    """Resistance as a meter would show it."""
    if math.isinf(ohms):
        return "OL"
    for limit, unit in ((1e6, "MΩ"), (1e3, "kΩ")):
        if ohms >= limit:
            return f"{ohms / limit:.3g} {unit}"
    return f"{ohms:.3g} Ω"


def show_length(mm: float, inch: bool = False) -> str:
    """A length in the user's unit: ``0.25 mm`` or ``0.010 in``."""
    return f"{mm / 25.4:.3f} in" if inch else f"{mm:.2f} mm"


def show_temperature(celsius: float, fahrenheit: bool = False) -> str:
    """A temperature in the user's unit."""
    return f"{celsius * 1.8 + 32:.0f} °F" if fahrenheit else f"{celsius:.0f} °C"
