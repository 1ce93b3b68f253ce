"""Numbers in what people type at the foot of the bench. Every typed line is read by these; each refusal says what to
type instead.
"""

from __future__ import annotations

import re

from fusilex.bench.refusal import Refused
from fusilex.core.quantities import read

NUMBER = r"[-+]?\d+(?:[.,]\d+)?"
MOST = 1e9


def numbers(text: str) -> list[float]:
    """All numbers of a text, decimal points or commas. Raises `Refused`.

    >>> numbers("14 min 38,5 C")
    [14.0, 38.5]
    """
    return [_sized(n) for n in re.findall(NUMBER, text)]


def _sized(text: str) -> float:
    """A number that something on a bench can have. Raises `Refused`."""
    return _bounded(float(text.replace(",", ".")), text)


def _bounded(value: float, text: str) -> float:
    if abs(value) > MOST:
        raise Refused(f"{text.strip()[:20]}… is more than anything here can be.")
    return value


def number(text: str, what: str, example: str, unit: str = "") -> float:
    """The one number that was asked for, in `unit`; with a unit of its kind, or without. Raises `Refused`.

    >>> number("0,12 mm", "thickness", "mm, such as 0.12", "mm"), number("5 mil", "thickness", "mm", "mm")
    (0.12, 0.127)
    """
    try:
        value = read(text, unit)
    except ValueError:
        raise Refused(f"“{text.strip()}” is no {what}: type {example}.") from None
    return _bounded(value, text)


def pieces(text: str) -> int | None:
    """A whole number of pieces; None for anything else."""
    return int(text.strip()) if text.strip().isdecimal() and len(text.strip()) < 10 else None
