"""One piece of a line on a meter before its tape is loaded: is it what the list says?"""

from __future__ import annotations

import math

from fusilex.core.evidence import Level, every, weigh
from fusilex.core.values import E24, read_value

TOLERANCE = {"resistor": 5.0, "capacitor": 20.0, "electrolytic": 20.0, "inductor": 20.0}
"""Per cent where the list gives none: the coarsest that is usual."""
STEPS_A_DECADE = {
    "resistor": (24, 96, 192),
    "capacitor": (12, 24, 96),
    "electrolytic": (6, 12, 24),
    "inductor": (12, 24, 96),
}
"""Preferred numbers (IEC 60063) by the coarsest series that is usual, then those that a value in none of it is from."""
METER = 0.01
"""What a handheld meter may be off by, as a share of its reading (k = 2)."""
RIGHT, WRONG, UNKNOWN = "right", "wrong", "can't tell"


def verdict_of(value: str, family: str, measured: float, meter: float = METER) -> tuple[str, float, float]:
    """Whether a measured value (Ω, F, H) is the listed one, and the least and greatest it may have. Inside the
    tolerance drawn in by what the meter may be off it is right, outside the tolerance widened by that wrong, between
    nobody can tell (ISO 14253-1). Where the list gives no tolerance, what is nearer to the next value of its series
    than to its own may be that one: nobody can tell.

    >>> verdict_of("10 k", "resistor", 10_100)[0], verdict_of("10 k", "resistor", 22_000)[0]
    ('right', 'wrong')
    >>> verdict_of("10 k 1 %", "resistor", 10_100)[0], verdict_of("31.6 k", "resistor", 32_400)[0]
    ("can't tell", "can't tell")
    """
    meaning = read_value(value, family)
    if meaning.value is None or family not in TOLERANCE or meaning.value <= 0:
        return UNKNOWN, 0.0, float("inf")
    share = (meaning.tolerance_percent or TOLERANCE[family]) / 100
    low, high = meaning.value * (1 - share), meaning.value * (1 + share)
    off = meter * measured
    level = weigh((measured - off, measured + off), (low, high), [every("pieces", 1)])
    if level is Level.GO and meaning.tolerance_percent is None:
        near = meaning.value * math.sqrt(_next_ratio(meaning.value, family))
        level = weigh((measured - off, measured + off), (meaning.value**2 / near, near), [every("pieces", 1)])
        level = level if level is Level.GO else Level.UNKNOWN
    return {Level.GO: RIGHT, Level.STOP: WRONG}.get(level, UNKNOWN), low, high


def _next_ratio(value: float, family: str) -> float:
    """From a value to the next of its series: of the coarsest in which it stands."""
    digits = f"{value:.2e}"[:4].replace(".", "").rstrip("0")
    usual, finer, finest = STEPS_A_DECADE[family]
    if digits in E24:
        steps = usual
    else:
        own = value / 10.0 ** math.floor(math.log10(value))
        standing = any(abs(round(10 ** (k / finer), 2) - own) < 0.006 for k in range(finer))
        steps = finer if standing else finest
    return float(10.0 ** (1 / steps))
