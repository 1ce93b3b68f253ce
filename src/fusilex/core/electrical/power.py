"""First power: what a board may draw, at which current the supply stops, what ends it at once."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from msgspec import Struct

from fusilex.core.design.model import Part
from fusilex.core.evidence import Coverage, Level, exactly, weigh
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

PASSIVE = (
    "resistor", "capacitor", "electrolytic", "inductor", "crystal", "connector", "fiducial", "holder", "terminal",
    "reed", "diode", "ferrite", "switch",
)  # fmt: skip
"""Families that draw nothing of their own in a first power without load."""
LEAST_LIMIT_MA = 10.0
LOW_SHARE, LOW_HOLD_S, HOLD_S = 0.3, 5.0, 10.0
"""First at three tenths of the voltage, where little can burn; then at all of it."""
SAG_SHARE = 0.05
"""Further than this below the set voltage the supply is at its limit; above it, it is set wrong."""


class Draw(Struct, frozen=True):
    """What a board is expected to draw (mA), what of, and parts of which nobody says what they draw."""

    milliamps: float
    parts: tuple[tuple[str, float], ...]
    unknown: tuple[str, ...]


class PowerStep(Struct, frozen=True):
    """A step of first power: set the volts and the limit, hold, read. More than `most_ma`, or at the board less than
    `least_v` or more than `most_v`, and it is switched off at once.
    """

    name: str
    volts: float
    limit_ma: float
    hold_s: float
    least_v: float
    most_v: float
    most_ma: float


def expected_draw(parts: Sequence[Part], draws: Mapping[str, float]) -> Draw:
    """Sum of what parts draw by part number, value or reference (mA); active ones that are not listed are unknown."""
    known: list[tuple[str, float]] = []
    unknown: list[str] = []
    for part in parts:
        own = next((draws[key] for key in (part.ref, part.part_number, part.value) if key and key in draws), None)
        if own is not None:
            known.append((part.ref, own))
        elif part.package.family not in PASSIVE:
            unknown.append(part.ref)
    return Draw(sum(ma for _, ma in known), tuple(known), tuple(unknown))


def current_limit(draw: Draw, margin: float) -> float:
    """Limit (mA) to set: the expected draw times a margin, never so low that no supply can be set to it.

    >>> current_limit(Draw(40.0, (), ()), 1.5), current_limit(Draw(2.0, (), ()), 1.5)
    (60.0, 10.0)
    """
    if margin < 1:
        raise ValueError(f"a margin below 1 stops good boards: {margin:g}")
    return max(LEAST_LIMIT_MA, draw.milliamps * margin)


def power_steps(volts: float, limit_ma: float) -> tuple[PowerStep, ...]:
    """Low voltage first, then all of it, both at the limit.

    >>> [(s.name, s.volts, round(s.least_v, 2)) for s in power_steps(5.0, 60.0)]
    [('low', 1.5, 1.42), ('full', 5.0, 4.75)]
    """
    return tuple(
        PowerStep(name, v, limit_ma, hold, v * (1 - SAG_SHARE), v * (1 + SAG_SHARE), limit_ma)
        for name, v, hold in (("low", round(volts * LOW_SHARE, 2), LOW_HOLD_S), ("full", volts, HOLD_S))
    )


def power_level(step: PowerStep, volts: float, milliamps: float, seconds: float) -> Level:
    """What was read at a step: at the limit, sagging or too high is a stop; held too short tells nothing yet."""
    if not (volts >= 0 and milliamps >= 0):  # NaN too
        return Level.UNKNOWN
    if milliamps >= step.most_ma:
        return Level.STOP
    held = (Coverage("seconds", int(seconds * 10), int(step.hold_s * 10)),)
    return weigh(exactly(volts), (step.least_v, step.most_v), held)


def judge_draw(rail: str, draw: Draw) -> list[Judgement]:
    """Can a limit be set that means something?"""
    if not draw.unknown:
        return []
    numbers, missing = (Quantity("known", draw.milliamps, "mA"),), ("supply current of these parts",)
    text, do = say("draw unknown"), say("enter draw")
    return [Judgement("test.power", Level.UNKNOWN, rail, text, numbers, do, draw.unknown, missing)]
