"""Settings of a pot's nozzle or a small wave: preheat, bath, contact and depth, against what leads take."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from fusilex.core.evidence import Coverage, Level, Span, around, weigh
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

BATH_C = {True: (240.0, 255.0), False: (255.0, 270.0)}
CONTACT_S = {True: (2.0, 4.0), False: (3.0, 5.0)}
ALCOHOL_C, WATER_C = (90.0, 110.0), (100.0, 130.0)
"""How warm the top is before the solder: with flux in alcohol; with flux in water, or lead-free solder."""
DEPTH = (1 / 3, 1 / 2)
"""How deep the board dips, as a share of its thickness."""
READ_C, READ_MM = 1.0, 0.1
"""The steps in which a bath and a depth are read."""
IN_WATER, IN_ALCOHOL = ("water", "vocfree", "voc-free"), ("alcohol", "ipa", "rosin")


def judge_bath(about: str, settings: Mapping[str, object], leaded: bool, board_mm: float) -> list[Judgement]:
    """Each setting against its range, and what nobody noted: flux, preheat, contact, bath, depth."""
    flux = str(settings.get("flux", "")).strip()
    dwell = _number(settings, "dwell_s")
    asked: list[tuple[str, str, float, float, Sequence[Span]]] = [
        ("bath", "°C", _number(settings, "bath_c"), READ_C, [BATH_C[leaded]]),
        ("contact", "s", dwell, 0.1 if dwell % 1 else 1.0, [CONTACT_S[leaded]]),
        ("preheat of the top", "°C", _number(settings, "preheat_c"), READ_C, _preheats(flux, leaded)),
        ("depth", "mm", _number(settings, "depth_mm"), READ_MM, [(DEPTH[0] * board_mm, DEPTH[1] * board_mm)]),
    ]
    told = Coverage("settings", sum(not math.isnan(value) for _, _, value, *_ in asked) + bool(flux), len(asked) + 1)
    numbers, levels, off = [], [], []
    for name, unit, value, step, limits in asked:
        level = _level(around(value, 0.0, step), limits)
        levels.append(level)
        if not math.isnan(value):
            numbers.append(Quantity(name, value, unit, around(value, 0.0, step), limits[0]))
        if level is Level.STOP:
            off.append(name)
    missing = [name for name, _, value, *_ in asked if math.isnan(value)] + ([] if flux else ["the flux"])
    if off:
        return [Judgement("hand.bath", Level.STOP, about, say("off", what=off[0]), tuple(numbers), say("set it"))]
    if missing or Level.UNKNOWN in levels:
        text = say("not noted", what=missing[0]) if missing else say("at a limit")
        open_ = tuple(missing) or ("settings read more finely",)
        return [Judgement("hand.bath", Level.UNKNOWN, about, text, tuple(numbers), say("look at fill"), (), open_)]
    level = weigh((0.0, 0.0), (0.0, 0.0), [told])
    return [Judgement("hand.bath", level, about, say("within"), tuple(numbers), coverage=(told,))]


def _preheats(flux: str, leaded: bool) -> Sequence[Span]:
    """The ranges that may hold: both where the flux does not say what it is in."""
    word = flux.lower()
    if not leaded or any(w in word for w in IN_WATER):
        return [WATER_C]
    return [ALCOHOL_C] if any(w in word for w in IN_ALCOHOL) else [ALCOHOL_C, WATER_C]


def _level(span: Span, limits: Sequence[Span]) -> Level:
    """Go within all ranges that may hold, stop outside all."""
    levels = {weigh(span, limit, [Coverage("settings", 1, 1)]) for limit in limits}
    return levels.pop() if len(levels) == 1 else Level.UNKNOWN


def _number(settings: Mapping[str, object], name: str) -> float:
    value = settings.get(name)
    return float(value) if isinstance(value, (int, float)) else math.nan
