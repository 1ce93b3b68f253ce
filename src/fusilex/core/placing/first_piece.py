"""One piece of a line on a meter before its tape is loaded: is it what the list says?"""

from __future__ import annotations

from fusilex.core.values import read_value

TOLERANCE = {"resistor": 5.0, "capacitor": 20.0, "electrolytic": 20.0, "inductor": 20.0}
"""Per cent where the list gives none: the coarsest that is usual."""
METER = 0.01
"""What a handheld meter may be off by, as a share of its reading (k = 2)."""
RIGHT, WRONG, UNKNOWN = "right", "wrong", "can't tell"


def verdict_of(value: str, family: str, measured: float, meter: float = METER) -> tuple[str, float, float]:
    """Whether a measured value (Ω, F, H) is the listed one, and the least and greatest it may have. Inside the
    tolerance drawn in by what the meter may be off it is right, outside the tolerance widened by that wrong, between
    nobody can tell (ISO 14253-1).

    >>> verdict_of("10 k", "resistor", 10_100)[0], verdict_of("10 k", "resistor", 22_000)[0]
    ('right', 'wrong')
    >>> verdict_of("10 k 1 %", "resistor", 10_100)[0]
    "can't tell"
    """
    meaning = read_value(value, family)
    if meaning.value is None or family not in TOLERANCE or meaning.value <= 0:
        return UNKNOWN, 0.0, float("inf")
    share = (meaning.tolerance_percent or TOLERANCE[family]) / 100
    low, high = meaning.value * (1 - share), meaning.value * (1 + share)
    off = meter * measured
    if low + off <= measured <= high - off:
        return RIGHT, low, high
    return (WRONG, low, high) if measured < low - off or measured > high + off else (UNKNOWN, low, high)
