"""The room paste is printed in: dew point, and what too warm, cold, dry or damp will do."""

from __future__ import annotations

import math

from fusilex.core.evidence import Coverage, Level, seen
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

BEST_C, BEST_RH = (20.0, 26.0), (40.0, 60.0)
HARD_C, HARD_RH = (16.0, 30.0), (20.0, 75.0)


def dew_point(celsius: float, humidity: float) -> float:
    """Temperature (°C) at which water settles from air of a temperature (°C) and relative humidity (%), by Magnus'
    formula (Sonntag 1990): γ = ln(RH) + 17.62 T / (243.12 + T), Td = 243.12 γ / (17.62 − γ).

    Raises ValueError for air that is drier than 1 %, damper than 100 %, or beyond −40 to 60 °C.

    >>> round(dew_point(20, 50), 1), round(dew_point(25, 100), 3)
    (9.3, 25.0)
    """
    if not (1 <= humidity <= 100 and -40 <= celsius <= 60):
        raise ValueError(f"air of −40 to 60 °C and 1 to 100 %, not {celsius:g} °C and {humidity:g} %")
    gamma = math.log(humidity / 100) + 17.62 * celsius / (243.12 + celsius)
    return 243.12 * gamma / (17.62 - gamma)


def judge_room(celsius: float, humidity: float | None = None) -> list[Judgement]:
    """What the room will do to a print: best from 20 to 26 °C and 40 to 60 %."""
    found = []
    warm = Quantity("room", round(celsius, 1), "°C", limit=BEST_C, source="paste")
    if not BEST_C[0] <= celsius <= BEST_C[1]:
        cold = celsius < BEST_C[0]
        hard = not HARD_C[0] <= celsius <= HARD_C[1]
        text, do = (say("cold"), say("warm it")) if cold else (say("warm"), say("print fewer"))
        found.append(Judgement("print.room", Level.STOP if hard else Level.CARE, "temperature", text, (warm,), do))
    if humidity is not None and not BEST_RH[0] <= humidity <= BEST_RH[1]:
        dry = humidity < BEST_RH[0]
        hard = not HARD_RH[0] <= humidity <= HARD_RH[1]
        text, do = (say("dry"), say("cover stencil")) if dry else (say("damp"), say("close jar"))
        level = Level.STOP if hard and not dry else Level.CARE
        numbers = (Quantity("humidity", round(humidity), "%", limit=BEST_RH, source="paste"), warm)
        found.append(Judgement("print.room", level, "humidity", text, numbers, do))
    if humidity is None:
        missing = ("room humidity",)
        text, do = say("no humidity"), say("enter humidity")
        found.append(Judgement("print.room", Level.UNKNOWN, "humidity", text, (warm,), do, (), missing))
    if not found:
        numbers = (warm, Quantity("humidity", round(humidity or 0), "%"))
        read = (Coverage("readings", 2, 2),)
        found.append(Judgement("print.room", seen(*read), "room", say("suits"), numbers, coverage=read))
    return found
