"""Moisture clocks: how long a moisture-sensitive part has been out of its bag, and how long it may still be
(J-STD-033).
"""

from __future__ import annotations

from collections.abc import Iterable
from math import inf, isnan, nan

from msgspec import Struct

from fusilex.core.judgement import Because, Judgement, Level

FLOOR_LIFE_H = {"1": inf, "2": 365 * 24.0, "2a": 4 * 7 * 24.0, "3": 168.0, "4": 72.0, "5": 48.0, "5a": 24.0, "6": 0.0}
"""Hours at ≤ 30 °C and ≤ 60 % RH; level 6 is baked before every use, the time it then has is on its label."""
BY_LABEL = "6"
CARE_LEFT = 0.25
ACTIONS = ("opened", "dry", "out", "baked", "sealed")


class Exposure(Struct, frozen=True):
    """Hours spent open in all since the last bake, whether the clock runs now, and whether there was a bake."""

    hours: float
    running: bool
    baked: bool = False


def exposure(happened: Iterable[tuple[float, str]], now_h: float) -> Exposure:
    """Add up open hours over (time in hours, action) in any order of listing, up to `now_h`.

    ``opened`` and ``out`` start the clock, ``dry`` (a cabinet at ≤ 5 % RH) and ``sealed`` stop it, ``baked`` sets it
    back to zero and leaves the part dry. What is still to come, as after a clock was set back, does not count yet.
    Raises ValueError for another action.
    """
    hours, since, baked = 0.0, None, False
    for at, action in sorted(happened, key=lambda e: e[0]):
        if action not in ACTIONS:
            raise ValueError(f"no such action: {action}")
        if at > now_h:
            break
        if since is not None and action != "opened":
            hours += max(0.0, at - since)
            since = None
        if action in ("opened", "out"):
            since = at if since is None else since
        elif action == "baked":
            hours, baked = 0.0, True
    if since is not None:
        hours += max(0.0, now_h - since)
    return Exposure(hours, since is not None, baked)


def hours_left(level: str, spent: Exposure) -> float:
    """Floor life still left, 0 when used up; infinite for level 1, NaN where only the label says. Raises KeyError for
    an unknown level.
    """
    if level == BY_LABEL and spent.baked:
        return nan
    return max(0.0, FLOOR_LIFE_H[level.lower()] - spent.hours)


def judge_moisture(lot: str, level: str, spent: Exposure, refs: tuple[str, ...] = (), holds: str = "") -> Judgement:
    """Go, care below a quarter of the life, stop when it is used up. `holds` says what is in the lot."""
    name = f"{lot}, {holds}," if holds else lot
    life, left = FLOOR_LIFE_H[level.lower()], hours_left(level, spent)
    if isnan(left):
        return _by_label(lot, name.rstrip(","), spent, refs)
    if life == inf:
        return Judgement("kit.moisture", Level.GO, lot, f"{name} does not mind moisture", refs=refs)
    state = Level.STOP if left <= 0 else Level.CARE if left < CARE_LEFT * life else Level.GO
    numbers = (Because("level", level), Because("open", round(spent.hours, 1), "h"), Because("floor life", life, "h"))
    text = f"{name.rstrip(',')}: {_span(left)} of floor life left"
    if state is Level.STOP:
        text = f"{name} has to be baked before use" if level == BY_LABEL else f"{name} was open too long"
    do = {
        Level.STOP: "Bake it as its label says before it goes into the oven; tapes and trays may not stand the heat.",
        Level.CARE: "Use it first, or put it into the dry cabinet.",
    }.get(state, "" if not spent.running else "The clock runs; seal it or put it away dry when you are done.")
    return Judgement("kit.moisture", state, lot, text, numbers, do, refs)


def share_left(level: str, spent: Exposure) -> float:
    """Share of the floor life still left, 0 to 1; 1 for a level-6 part that was baked and kept dry since."""
    life, left = FLOOR_LIFE_H[level.lower()], hours_left(level, spent)
    if life == inf or isnan(left):
        return 1.0 if life == inf or spent.hours == 0 else 0.5
    return left / life if life else 0.0


def _by_label(lot: str, name: str, spent: Exposure, refs: tuple[str, ...]) -> Judgement:
    """A level-6 part after its bake: go while it is dry, then its label decides."""
    numbers = (Because("level", BY_LABEL), Because("open since its bake", round(spent.hours, 1), "h"))
    if spent.hours == 0:
        do = "Once it is out, reflow it within the time on its label."
        return Judgement("kit.moisture", Level.GO, lot, f"{name} is baked and dry", numbers, do, refs)
    text = f"{name} is out for {_span(spent.hours)} since its bake; its label says how long it may be"
    do = "Compare with the label; bake it again when the time is over."
    return Judgement("kit.moisture", Level.UNKNOWN, lot, text, numbers, do, refs)


def _span(hours: float) -> str:
    return f"{hours:.0f} h" if hours < 96 else f"{hours / 24:.0f} days"
