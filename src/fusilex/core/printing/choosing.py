"""Stencil, syringe, dots or tinned pads; leaded, lead-free or bismuth: what suits a batch, and what follows from it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from msgspec import Struct

from fusilex.core.design.model import Part
from fusilex.core.evidence import Coverage, Level, every, seen
from fusilex.core.judgement import Judgement
from fusilex.core.printing.apertures import Apertures
from fusilex.core.printing.dots import DOT_S, PAD_S, WEIGHED_DOTS
from fusilex.core.quantities import Quantity, Range, amount
from fusilex.core.wording import Said, say

STENCIL_PITCH_MM = 0.65
STENCIL_CHIP_MM = 0.6
STENCIL_MIN, PRINT_MIN, TIN_PAD_S = 20.0, 1.5, 6.0
"""Minutes to set a stencil up and for a print; seconds to tin a pad."""
HEAT_SHY = ("electrolytic", "connector", "holder", "terminal", "reed", "led")
"""Families whose sheets often ask for less heat than lead-free solder wants."""


class Way(Struct, frozen=True):
    """One way of bringing paste on: minutes for the batch and what speaks against it."""

    method: str
    minutes: float
    level: Level
    why: Said
    then: Said
    counted: tuple[Coverage, ...] = ()


def ways_of(apertures: Apertures, boards: int, panel_boards: int, hidden: int, has_stencil: bool) -> list[Way]:
    """The four ways for a batch, best first: those that cannot do it last, then by the time they take."""
    pads = len(apertures)
    pitch = _finest_pitch(apertures)
    narrow = float(apertures.width.min()) if pads else np.inf
    fine = pitch <= STENCIL_PITCH_MM + 1e-6 or narrow < STENCIL_CHIP_MM - 1e-6
    by_pitch = pitch <= STENCIL_PITCH_MM + 1e-6
    small = say("fine pitch" if by_pitch else "fine apertures", size=amount(pitch if by_pitch else narrow, "mm"))
    prints = -(-boards // max(panel_boards, 1))
    unseen = say("hidden joints", hidden=hidden)
    counted = (every("apertures", pads),)
    by_hand = boards * pads * (2 * DOT_S + PAD_S) / 60
    found = [
        Way(
            "stencil",
            STENCIL_MIN + prints * PRINT_MIN,
            seen(*counted) if has_stencil else Level.CARE,
            say("all alike" if has_stencil else "no stencil"),
            say("prints age"),
            counted,
        ),
        Way(
            "syringe",
            by_hand,
            Level.CARE if hidden or fine else seen(*counted),
            unseen if hidden else say("beads", small=small) if fine else say("large pads"),
            say("no stencil needed"),
            counted,
        ),
        Way(
            "dots",
            by_hand * 1.1,
            Level.CARE if hidden or fine else seen(*counted),
            unseen if hidden else say("dots too large", small=small) if fine else say("dots counted"),
            say("weigh dots first", dots=WEIGHED_DOTS),
            counted,
        ),
        Way(
            "tinned pads",
            boards * pads * TIN_PAD_S / 60,
            Level.CARE,
            say("under a body" if hidden else "parts do not stick"),
            say("every pad alike"),
        ),
    ]
    poor = {Level.GO: 0, Level.CARE: 1, Level.UNKNOWN: 2, Level.STOP: 3}
    # a stencil can be ordered; a needle cannot be made finer than it is
    return sorted(found, key=lambda w: (poor[w.level] + (bool(hidden or fine) and w.method != "stencil"), w.minutes))


def _finest_pitch(apertures: Apertures) -> float:
    """Least distance (mm) between middles of two apertures of one part; infinite without a pair."""
    if len(apertures) < 2:
        return float("inf")
    at, refs = shapely.points(apertures.x, apertures.y), np.array(apertures.refs)
    (a, b), apart = shapely.STRtree(at).query_nearest(at, exclusive=True, return_distance=True)
    same = (refs[a] == refs[b]) & (refs[a] != "")
    return float(apart[same].min()) if same.any() else float("inf")


def judge_ways(ways: Sequence[Way], chosen: str) -> Judgement:
    """Does the way that is chosen suit, and is another one better?"""
    mine = next((w for w in ways if w.method == chosen), None)
    best = ways[0]
    if mine is None:
        missing = ("what this way needs",)
        return Judgement("print.way", Level.UNKNOWN, "way", say("unknown", way=chosen), missing=missing)
    numbers = (
        Quantity("minutes", round(mine.minutes)),
        *(Quantity(w.method, round(w.minutes), "min") for w in ways if w is not mine),
    )
    text = say("way", way=chosen, why=mine.why)
    do = mine.then if best is mine else say("better", way=best.method, why=best.why, then=best.then)
    return Judgement("print.way", mine.level, "way", text, numbers, do, coverage=mine.counted)


def judge_alloy(
    alloy: str, bismuth: bool, leaded: bool, parts: Sequence[Part], hidden: int, peak: tuple[float, float]
) -> Judgement:
    """What follows from the alloy downstream: heat (its window's peak, °C), age, bending, the law."""
    shy = [p.ref for p in parts if p.populated and p.package.family in HEAT_SHY]
    heavy = [p.ref for p in parts if p.populated and p.through_hole]
    numbers = (
        Quantity("alloy", alloy),
        Quantity("heat-sensitive parts", len(shy)),
        Quantity("hidden joints", hidden),
    )
    refs = tuple(shy[:6])
    fitted = [p for p in parts if p.populated]
    known = (every("parts", len(fitted)),)
    if bismuth:
        level, do = Level.CARE if heavy else seen(*known), say("not under load")
        return Judgement("print.alloy", level, "alloy", say("bismuth"), numbers, do, tuple(heavy[:6]), (), known)
    if leaded:
        do = say("lead", peak=Range(*peak, "°C"))
        return Judgement("print.alloy", seen(*known), "alloy", say("leaded"), numbers, do, coverage=known)
    text = say("lead-free", peak=Range(*peak, "°C"))
    do = say("look up limits" if shy else "slowest joint")
    level = Level.CARE if shy else seen(*known)
    return Judgement("print.alloy", level, "alloy", text, numbers, do, refs, coverage=known)
