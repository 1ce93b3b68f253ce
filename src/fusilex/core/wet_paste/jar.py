"""A jar of paste: how much of its life is used by the temperatures it lived at, and when it may be opened."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from msgspec import Struct
from numpy.typing import ArrayLike, NDArray

from fusilex.core.evidence import Level, every, seen
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.wet_paste.air import dew_point
from fusilex.core.wording import say

MONTH_H = 365.25 * 24 / 12
LIFE = ((2.0, 6 * MONTH_H), (10.0, 6 * MONTH_H), (25.0, MONTH_H))
"""Usual points of a sheet: six months from 2 to 10 °C, one month at 25 °C."""
JAR_TAU_H, SYRINGE_TAU_H = 1.0, 0.25
UNDER_ROOM_C, FROZEN_C = 2.0, -2.0
LIFE_CARE, LIFE_STOP = 0.8, 1.0
LONG_GAP, GAP_H = 6.0, 12.0
"""A silence so many times as long as the usual step of a log, and longer than `GAP_H`, is a gap in it."""
MOST_SILENCE_H = 26.0
"""A jar that is looked at less than once a day may have stood anywhere in between."""
OPENED_CARE_H, OPENED_STOP_H = 24.0, 72.0
"""An opened jar dries even when it is closed again: look after a day, no fine pitch after three."""
Points = Sequence[tuple[float, float]]


def life_h(celsius: ArrayLike, points: Points = LIFE) -> NDArray[np.float64]:
    """Hours that paste lives at a temperature (°C): log-linear between a sheet's points (°C, h), as they go on beyond
    the last, and no longer than at the first below it. Raises ValueError for points that are no sheet.

    >>> [round(float(life_h(t)) / MONTH_H, 3) for t in (5, 17.5, 25, 32.5)]
    [6.0, 2.449, 1.0, 0.408]
    """
    at, hours = np.array([p[0] for p in points], dtype=float), np.array([p[1] for p in points], dtype=float)
    if not len(at) or (np.diff(at) <= 0).any() or (hours <= 0).any() or not np.isfinite(hours).all():
        raise ValueError("a paste's life is given by rising temperatures, each with its hours")
    here = np.asarray(celsius, dtype=float)
    logs = np.log(hours)
    inside = np.interp(here, at, logs)
    if len(at) > 1:
        slope = (logs[-1] - logs[-2]) / (at[-1] - at[-2])
        inside = np.where(here > at[-1], logs[-1] + slope * (here - at[-1]), inside)
    return np.asarray(np.exp(inside))


def life_used(time_h: ArrayLike, celsius: ArrayLike, points: Points = LIFE) -> float:
    """Share of its life that paste has used: ∫ dt / life(T), T straight between the samples (n) of a log.

    The rate 1/life is exponential in T between two points of the sheet, so each piece of the log between two of them
    has a closed form, the logarithmic mean of its ends. Raises ValueError for times that fall.

    >>> round(life_used([0, MONTH_H / 2], [25, 25]), 9), round(life_used([0, 24, 24, 48], [5, 5, 25, 25]), 5)
    (0.5, 0.03833)
    """
    time, temp = np.asarray(time_h, dtype=float), np.asarray(celsius, dtype=float)
    if (np.diff(time) < 0).any():
        raise ValueError("times that do not fall")
    knots = np.array([p[0] for p in points])
    used = 0.0
    for n in range(len(time) - 1):
        span, a, b = time[n + 1] - time[n], temp[n], temp[n + 1]
        low, high = min(a, b), max(a, b)
        cuts = np.concatenate([[low], knots[(knots > low) & (knots < high)], [high]])
        rates = 1.0 / life_h(cuts, points)
        if high - low < 1e-12:
            used += span * rates[0]
            continue
        ratio = np.log(rates[1:] / rates[:-1])
        level = np.abs(ratio) < 1e-9
        mean = np.where(level, rates[:-1], np.diff(rates) / np.where(level, 1.0, ratio))
        used += float(np.sum(mean * np.diff(cuts))) / (high - low) * span
    return float(used)


def gaps(time_h: ArrayLike) -> list[tuple[float, float]]:
    """Silences of a log (from, to; h) in which nobody knows how warm the jar was."""
    time = np.asarray(time_h, dtype=float)
    steps = np.diff(time)
    usual = float(np.median(steps)) if len(steps) else 0.0
    long = np.flatnonzero((steps > MOST_SILENCE_H) | ((steps > LONG_GAP * usual) & (steps > GAP_H)))
    return [(float(time[i]), float(time[i + 1])) for i in long]


def inside_now(time_h: ArrayLike, celsius: ArrayLike, tau_h: float = JAR_TAU_H) -> float:
    """How warm the paste in a jar is at the end of a log of the air around it (°C): it follows with a first-order lag,
    exactly for air that changes straight between samples; it starts as warm as the air.

    >>> round(inside_now([0, 0, 1], [5, 22, 22]), 3) == round(22 - 17 * math.exp(-1), 3)
    True
    """
    time, air = np.asarray(time_h, dtype=float), np.asarray(celsius, dtype=float)
    here = float(air[0])
    for n in range(len(time) - 1):
        span = float(time[n + 1] - time[n])
        if span <= 0:
            continue
        slope = float(air[n + 1] - air[n]) / span
        # behind air that rises steadily, paste lags by slope × τ
        here = air[n + 1] - slope * tau_h + (here - air[n] + slope * tau_h) * math.exp(-span / tau_h)
    return float(here)


def warm_up_min(now_c: float, room_c: float, humidity: float | None = None, tau_h: float = JAR_TAU_H) -> float:
    """Minutes until a cold jar may be opened: less than 2 °C under the room, and above its dew point. 0 when it may be
    now; infinite where the dew point is that of the room.

    >>> round(warm_up_min(5, 22), 1) == round(60 * math.log(17 / 2), 1)
    True
    """
    goal = room_c - UNDER_ROOM_C
    if humidity is not None:
        goal = max(goal, dew_point(room_c, humidity))
    if now_c >= goal:
        return 0.0
    if goal >= room_c - 1e-6:
        return math.inf
    return 60.0 * tau_h * math.log((room_c - now_c) / (room_c - goal))


class JarState(Struct, frozen=True):
    """What is known of a jar now. `life` is the share used, None where nobody knows; `left_g` the grams in it;
    `opened_h` hours since it was opened first, `stirred` whether since it was opened last; `expired` by its label;
    `unknown_h` hours of silence in its log, `coldest_c` the coldest air of it; `whole` where all is known
    since it came.
    """

    name: str
    paste: str
    life: float | None
    now_c: float | None
    left_g: float
    opened_h: float | None = None
    stirred: bool = False
    expired: bool = False
    unknown_h: float = 0.0
    coldest_c: float | None = None
    whole: bool = True


def judge_jar(
    jar: JarState, room_c: float, humidity: float | None, tau_h: float = JAR_TAU_H, room_said: bool = True
) -> list[Judgement]:
    """May this jar be printed with now? Life, label, warmth, how long it is open, stirring. Where nobody said how warm
    the room is (`room_said`), or how damp, a jar that is not plainly cold is can't tell.
    """
    cold = _judge_warmth(jar, room_c, humidity, tau_h) or _judge_damp(jar, humidity, room_said)
    found = [*_judge_life(jar), *cold]
    if jar.opened_h is not None and jar.opened_h > OPENED_CARE_H:
        stop = jar.opened_h > OPENED_STOP_H
        text = say("opened", jar=jar.name, ago=Quantity("ago", jar.opened_h, "h", runs=True))
        do = say("big pads only" if stop else "see if it rolls")
        age = Quantity("open for", round(jar.opened_h, 1), "h", runs=True)
        found.append(Judgement("jar.opened", Level.CARE, jar.name, text, (age,), do))
    if not jar.stirred and jar.opened_h is not None:
        do = say("stir")
        found.append(Judgement("jar.stirred", Level.CARE, jar.name, say("not stirred", jar=jar.name), (), do))
    if not found:
        numbers = (
            Quantity("life used", round(100 * (jar.life or 0)), "%", limit=(0, 100 * LIFE_STOP), runs=True),
            Quantity("left", round(jar.left_g, 1), "g"),
        )
        checks = (every("checks", 5),)
        found.append(Judgement("jar.life", seen(*checks), jar.name, say("fit", jar=jar.name), numbers, coverage=checks))
    return found


def _judge_life(jar: JarState) -> list[Judgement]:
    made = []
    if jar.expired:
        do = say("not for delivery")
        made.append(Judgement("jar.expired", Level.STOP, jar.name, say("expired", jar=jar.name), (), do))
    if jar.coldest_c is not None and jar.coldest_c < FROZEN_C:
        numbers = (Quantity("coldest", round(jar.coldest_c, 1), "°C", limit=(FROZEN_C, math.inf), source="paste"),)
        do, missing = say("test print"), ("a test print after the frost",)
        text = say("frozen", jar=jar.name)
        made.append(Judgement("jar.frozen", Level.UNKNOWN, jar.name, text, numbers, do, (), missing))
    if jar.life is None or jar.unknown_h > 0 or not jar.whole:
        silent = (Quantity("silence", round(jar.unknown_h, 1), "h"),) if jar.unknown_h else ()
        text = say("history unknown" if jar.life is None else "history has gaps", jar=jar.name)
        missing = ("a log of its temperature",)
        made.append(Judgement("jar.life", Level.UNKNOWN, jar.name, text, silent, say("find a log"), (), missing))
    elif jar.life > LIFE_CARE:
        stop = jar.life > LIFE_STOP
        text = say("used up" if stop else "nearly used up", jar=jar.name)
        used = Quantity("life used", round(100 * jar.life, 1), "%", limit=(0, 100 * LIFE_STOP), runs=True)
        do = say("open another" if stop else "use first")
        made.append(Judgement("jar.life", Level.STOP if stop else Level.CARE, jar.name, text, (used,), do))
    return made


def _judge_damp(jar: JarState, humidity: float | None, room_said: bool) -> list[Judgement]:
    if room_said and humidity is not None:
        return []
    missing = ("room temperature", "room humidity") if not room_said else ("room humidity",)
    text, do = say("condensation not checked", jar=jar.name), say("read the room")
    return [Judgement("jar.cold", Level.UNKNOWN, jar.name, text, (), do, (), missing)]


def _judge_warmth(jar: JarState, room_c: float, humidity: float | None, tau_h: float) -> list[Judgement]:
    if jar.now_c is None:
        text, do, missing = say("temperature unknown", jar=jar.name), say("wait until warm"), ("paste temperature",)
        return [Judgement("jar.cold", Level.UNKNOWN, jar.name, text, (), do, (), missing)]
    wait = warm_up_min(jar.now_c, room_c, humidity, tau_h)
    if wait <= 0:
        return []
    numbers = [Quantity("paste", round(jar.now_c, 1), "°C", runs=True), Quantity("room", round(room_c, 1), "°C")]
    if humidity is not None:
        numbers.append(Quantity("dew point", round(dew_point(room_c, humidity), 1), "°C"))
    if math.isinf(wait):
        text = say("air saturated")
        return [Judgement("jar.cold", Level.STOP, jar.name, text, tuple(numbers), say("dry the room"))]
    text = say("too cold", jar=jar.name, wait=Quantity("wait", wait, "min", runs=True))
    return [Judgement("jar.cold", Level.STOP, jar.name, text, tuple(numbers), say("leave closed"))]
