"""Gain and ratio of two readings, and a board against the reference board, with what the meters leave open."""

from __future__ import annotations

import math

from msgspec import Struct


class Measured(Struct, frozen=True):
    """A number with its expanded uncertainty (k = 2), in the same unit."""

    value: float
    uncertainty: float


def ratio(over: Measured, under: Measured) -> Measured:
    """over / under; relative uncertainties add in squares (JCGM 100:2008, 5.1.6). Raises ValueError for an `under` that
    may be nothing.

    >>> gain = ratio(Measured(2.0, 0.02), Measured(0.5, 0.01))
    >>> gain.value, round(gain.uncertainty, 4)
    (4.0, 0.0894)
    """
    if abs(under.value) <= under.uncertainty:
        raise ValueError(f"what is divided by may be nothing: {under.value:g} ± {under.uncertainty:g}")
    value = over.value / under.value
    first = over.uncertainty / under.value
    return Measured(value, math.hypot(first, value * under.uncertainty / under.value))


def decibels(gain: Measured) -> Measured:
    """A gain in dB, 20 log₁₀; its uncertainty is 8.686 times the relative one. Raises ValueError for none above 0.

    >>> shown = decibels(Measured(10.0, 0.1))
    >>> shown.value, round(shown.uncertainty, 4)
    (20.0, 0.0869)
    """
    if gain.value <= 0:
        raise ValueError(f"a gain of {gain.value:g} has no decibels")
    return Measured(20 * math.log10(gain.value), 20 / math.log(10) * gain.uncertainty / gain.value)


def differs(board: Measured, reference: Measured, allowed: float) -> bool | None:
    """Does a board differ from the reference board by more than is allowed? None where the meters leave it open.

    >>> differs(Measured(5.3, 0.05), Measured(5.0, 0.05), 0.1), differs(Measured(5.12, 0.05), Measured(5.0, 0.05), 0.1)
    (True, None)
    """
    off = abs(board.value - reference.value)
    room = math.hypot(board.uncertainty, reference.uncertainty)
    return True if off - room > allowed else False if off + room <= allowed else None
