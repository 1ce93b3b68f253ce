"""Moisture clocks: how long a moisture-sensitive part has been out of its bag, and how long it may still be (J-STD-033)."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from math import inf

from fusilex.core.judgement import Because, Judgement, Level

FLOOR_LIFE_H = {"1": inf, "2": 365 * 24.0, "2a": 4 * 7 * 24.0, "3": 168.0, "4": 72.0, "5": 48.0, "5a": 24.0, "6": 0.0}
"""Hours at ≤ 30 °C and ≤ 60 % RH; level 6 is baked before every use, its time is on the label."""
CARE_LEFT = 0.25
ACTIONS = ("opened", "dry", "out", "baked", "sealed")


@dataclass(frozen=True)
class Exposure:
    """Hours spent open in all since the last bake, and whether the clock runs now."""

    hours: float
    running: bool


def exposure(happened: Iterable[tuple[float, str]], now_h: float) -> Exposure:
    """Add up open hours over (time in hours, action) in any order of listing, up to `now_h`.

    ``opened`` and ``out`` start the clock, ``dry`` (a cabinet at ≤ 5 % RH) and ``sealed`` stop it, ``baked`` sets it back to
    zero and leaves the part dry. Raises ValueError for another action.
    """
    hours, since = 0.0, None
    for at, action in sorted(happened, key=lambda e: e[0]):
        if action not in ACTIONS:
            raise ValueError(f"no such action: {action}")
        if since is not None and action != "opened":
            hours += max(0.0, at - since)
            since = None
        if action in ("opened", "out"):
            since = at if since is None else since
        elif action == "baked":
            hours = 0.0
    if since is not None:
        hours += max(0.0, now_h - since)
    return Exposure(hours, since is not None)


def hours_left(level: str, spent: Exposure) -> float:
    """Floor life still left, 0 when used up; infinite for level 1. Raises KeyError for an unknown level."""
    return max(0.0, FLOOR_LIFE_H[level.lower()] - spent.hours)


def judge_moisture(lot: str, level: str, spent: Exposure, refs: tuple[str, ...] = (), holds: str = "") -> Judgement:
    """Go, care below a quarter of the life, stop when it is used up. `holds` says what is in the lot."""
    name = f"{lot}, {holds}," if holds else lot
    life, left = FLOOR_LIFE_H[level.lower()], hours_left(level, spent)
    if life == inf:
        return Judgement("kit.moisture", Level.GO, lot, f"{name} does not mind moisture", refs=refs)
    state = Level.STOP if left <= 0 else Level.CARE if left < CARE_LEFT * life else Level.GO
    numbers = (Because("level", level), Because("open", round(spent.hours, 1), "h"), Because("floor life", life, "h"))
    text = (
        f"{name} was open too long" if state is Level.STOP else f"{name.rstrip(',')}: {_span(left)} of floor life left"
    )
    do = {
        Level.STOP: "Bake it as its label says before it goes into the oven; tapes and trays may not stand the heat.",
        Level.CARE: "Use it first, or put it into the dry cabinet.",
    }.get(state, "" if not spent.running else "The clock runs; seal it or put it away dry when you are done.")
    return Judgement("kit.moisture", state, lot, text, numbers, do, refs)


def _span(hours: float) -> str:
    return f"{hours:.0f} h" if hours < 96 else f"{hours / 24:.0f} days"
