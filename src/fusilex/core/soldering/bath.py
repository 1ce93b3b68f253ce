"""Settings of a pot's nozzle or a small wave: bath, contact, preheat and depth, against what leads take."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence

from fusilex.core.evidence import Coverage, Level, Span, around, seen, weigh
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.values import says_something
from fusilex.core.wording import say

LEADED, LEAD_FREE = "leaded", "lead-free"
LEADED_C, LEAD_FREE_C = (240.0, 255.0), (255.0, 270.0)
LEADED_S, LEAD_FREE_S = (2.0, 4.0), (3.0, 5.0)
"""Bath (°C) and contact (s) by the solder in the bath."""
ALCOHOL_C, WATER_C = (90.0, 110.0), (100.0, 130.0)
"""How warm the top is before the solder: with flux in alcohol; with flux in water, or lead-free solder."""
DEPTH = (1 / 3, 1 / 2)
"""How deep the board dips, as a share of its thickness."""
READ_C, READ_MM = 1.0, 0.1
"""The steps in which a bath and a depth are read."""
IN_WATER, IN_ALCOHOL = r"\bwater[- ]based\b|\bvoc[- ]?free\b", r"\balcohol\b|\bisopropanol\b|\bipa\b"
NO_FLUX = ("no", "none", "no flux", "without", "without flux")


def judge_bath(about: str, settings: Mapping[str, object], board_mm: float) -> list[Judgement]:
    """Each setting against its range on a board `board_mm` thick; what was not noted is can't tell. A solder or a flux
    that is not named leaves all ranges open that may hold.
    """
    flux, alloy = (str(settings.get(name, "")).strip().lower() for name in ("flux", "alloy"))
    bare = flux in NO_FLUX
    contact = _number(settings, "dwell_s")
    asked: list[tuple[str, str, float, float, Sequence[Span]]] = [
        ("bath", "°C", _number(settings, "bath_c"), READ_C, _by_solder(alloy, LEADED_C, LEAD_FREE_C)),
        ("contact", "s", contact, 0.1 if contact % 1 else 1.0, _by_solder(alloy, LEADED_S, LEAD_FREE_S)),
        ("preheat of the top", "°C", _number(settings, "preheat_c"), READ_C, _preheats(flux, alloy)),
        ("depth", "mm", _number(settings, "depth_mm"), READ_MM, [(DEPTH[0] * board_mm, DEPTH[1] * board_mm)]),
    ]
    numbers, off, open_ = [Quantity("board thickness", board_mm, "mm")], [], []
    for name, unit, value, step, limits in asked:
        span = around(value, 0.0, step)
        level = _level(span, limits)
        numbers += [] if math.isnan(value) else [Quantity(name, value, unit, span, limits[0])]
        if level is Level.STOP:
            off.append(name)
        elif level is Level.UNKNOWN:
            open_.append(name)
    off += ["flux"] if bare else []
    untold = {"solder": alloy not in (LEADED, LEAD_FREE), "flux": not (bare or says_something(flux))}
    open_ = [*(name for name, is_so in untold.items() if is_so), *open_]
    told = (Coverage("settings", len(asked) + 2 - len(open_), len(asked) + 2),)
    level = Level.STOP if off else seen(*told)
    if off:
        text, do = say("off", what=off[0]), say("set it")
    elif open_:
        text, do = say("open", what=open_[0]), say("look at fill")
    else:
        text, do = say("within"), None
    missing = tuple(open_) if level is Level.UNKNOWN else ()
    return [Judgement("hand.bath", level, about, text, tuple(numbers), do, (), missing, told)]


def _by_solder(alloy: str, leaded: Span, lead_free: Span) -> Sequence[Span]:
    """The ranges that may hold: both where the solder is not named."""
    return {LEADED: [leaded], LEAD_FREE: [lead_free]}.get(alloy, [leaded, lead_free])


def _preheats(flux: str, alloy: str) -> Sequence[Span]:
    """The ranges that may hold: both where flux or solder do not say it."""
    if alloy == LEAD_FREE or re.search(IN_WATER, flux):
        return [WATER_C]
    return [ALCOHOL_C] if alloy == LEADED and re.search(IN_ALCOHOL, flux) else [ALCOHOL_C, WATER_C]


def _level(span: Span, limits: Sequence[Span]) -> Level:
    """Go within all ranges that may hold, stop outside all."""
    levels = {weigh(span, limit, [Coverage("settings", 1, 1)]) for limit in limits}
    return levels.pop() if len(levels) == 1 else Level.UNKNOWN


def _number(settings: Mapping[str, object], name: str) -> float:
    value = settings.get(name)
    return float(value) if isinstance(value, (int, float)) else math.nan
