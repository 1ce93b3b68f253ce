"""Moisture clocks: how long a moisture-sensitive part has been out of its bag, and how long it may still be
(J-STD-033).
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from math import inf, isnan, nan

from msgspec import Struct

from fusilex.core.evidence import Coverage, Level, every, exactly, seen, weigh
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

FLOOR_LIFE_H = {"1": inf, "2": 365 * 24.0, "2a": 4 * 7 * 24.0, "3": 168.0, "4": 72.0, "5": 48.0, "5a": 24.0, "6": 0.0}
"""Hours at ≤ 30 °C and ≤ 60 % RH; level 6 is baked before every use, the time it then has is on its label."""
MOST_C, MOST_RH = 30.0, 60.0
"""Beyond, floor lives are shorter than these (J-STD-033, derating by temperature and humidity)."""
BY_LABEL = "6"
CARE_LEFT = 0.25
ACTIONS = ("opened", "dry", "out", "baked", "sealed")


class Room(Struct, frozen=True):
    """The warmest (°C) and dampest (% RH) that the room was noted to be while parts lay open; None where nobody did."""

    celsius: float | None = None
    humidity: float | None = None

    @property
    def suits(self) -> bool | None:
        """Whether floor lives count here as they stand: True, False, or None where that is not known."""
        if (self.celsius or 0.0) > MOST_C or (self.humidity or 0.0) > MOST_RH:
            return False
        return None if self.celsius is None or self.humidity is None else True


ROOM = Room()


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


def judge_moisture(
    lot: str, level: str, spent: Exposure, refs: tuple[str, ...] = (), holds: str = "", room: Room = ROOM
) -> Judgement:
    """Go, care below a quarter of the life, stop when it is used up; nobody can tell where it was open in a room that
    is warmer or damper than floor lives are given for, or that nobody read. `holds` says what is in the lot.
    """
    name = f"{lot} ({holds})" if holds else lot
    life, left = FLOOR_LIFE_H[level.lower()], hours_left(level, spent)
    if isnan(left):
        return _by_label(lot, name, spent, refs)
    if life == inf:
        labels = (every("labels", 1),)
        return Judgement(
            "kit.moisture", seen(*labels), lot, say("not sensitive", name=name), refs=refs, coverage=labels
        )
    suits = room.suits if spent.hours else True
    clocks = (every("clocks", 1), Coverage("room readings", int(suits is not None), 1))
    state = weigh(exactly(left), (CARE_LEFT * life, life), clocks, hard=(math.nextafter(0.0, 1.0), life))
    if state is not Level.STOP and not suits:
        return _in_this_room(lot, name, spent, refs, room)
    numbers = (
        Quantity("level", level),
        Quantity("open", round(spent.hours, 1), "h", limit=(0.0, life), source="J-STD-033", runs=True),
        Quantity("floor life", life, "h"),
    )
    text = say("life left", name=name, left=Quantity("left", left, "h", runs=True))
    if state is Level.STOP:
        text = say("bake before use", name=name) if level == BY_LABEL else say("life exceeded", name=name)
    do = {Level.STOP: say("bake it"), Level.CARE: say("use it first")}.get(
        state, say("clock runs") if spent.running else None
    )
    return Judgement("kit.moisture", state, lot, text, numbers, do, refs, coverage=clocks)


def _in_this_room(lot: str, name: str, spent: Exposure, refs: tuple[str, ...], room: Room) -> Judgement:
    """A lot that was open where its floor life does not hold, or where nobody knows."""
    numbers = [Quantity("open", round(spent.hours, 1), "h", runs=True)]
    if room.celsius is not None:
        numbers.append(Quantity("room", room.celsius, "°C", limit=(-math.inf, MOST_C), source="J-STD-033"))
    if room.humidity is not None:
        numbers.append(Quantity("humidity", room.humidity, "%", limit=(0.0, MOST_RH), source="J-STD-033"))
    if room.suits is False:
        text, do = say("room beyond", name=name), say("bake or derate")
    else:
        text, do = say("room not read", name=name), say("read the room")
    missing = ("floor life in such a room",) if room.suits is False else ("room temperature", "room humidity")
    return Judgement("kit.moisture", Level.UNKNOWN, lot, text, tuple(numbers), do, refs, missing)


def share_left(level: str, spent: Exposure) -> float:
    """Share of the floor life still left, 0 to 1; 1 for a level-6 part that was baked and kept dry since."""
    life, left = FLOOR_LIFE_H[level.lower()], hours_left(level, spent)
    if life == inf or isnan(left):
        return 1.0 if life == inf or spent.hours == 0 else 0.5
    return left / life if life else 0.0


def _by_label(lot: str, name: str, spent: Exposure, refs: tuple[str, ...]) -> Judgement:
    """A level-6 part after its bake: go while it is dry, then its label decides."""
    numbers = (Quantity("level", BY_LABEL), Quantity("open since its bake", round(spent.hours, 1), "h", runs=True))
    if spent.hours == 0:
        do = say("reflow within label")
        clocks, text = (every("clocks", 1),), say("baked and dry", name=name)
        return Judgement("kit.moisture", seen(*clocks), lot, text, numbers, do, refs, coverage=clocks)
    text = say("out since bake", name=name)
    missing = ("the time on its label",)
    return Judgement("kit.moisture", Level.UNKNOWN, lot, text, numbers, say("compare label"), refs, missing)
