"""Stencil, syringe, dots or tinned pads; leaded, lead-free or bismuth: what suits a batch, and what follows from it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from msgspec import Struct

from fusilex.core.design.model import Part
from fusilex.core.judgement import Because, Judgement, Level
from fusilex.core.printing.dots import DOT_S, PAD_S
from fusilex.core.printing.openings import Openings

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
    why: str
    then: str


def ways_of(openings: Openings, boards: int, panel_boards: int, hidden: int, has_stencil: bool) -> list[Way]:
    """The four ways for a batch, best first: those that cannot do it last, then by the time they take."""
    pads = len(openings)
    pitch = _finest_pitch(openings)
    narrow = float(openings.width.min()) if pads else np.inf
    fine = pitch <= STENCIL_PITCH_MM + 1e-6 or narrow < STENCIL_CHIP_MM - 1e-6
    small = f"pitch {pitch:.2f} mm" if pitch <= STENCIL_PITCH_MM + 1e-6 else f"openings of {narrow:.2f} mm"
    prints = -(-boards // max(panel_boards, 1))
    unseen = f"{hidden} part{'s' if hidden != 1 else ''} with hidden joints: nobody sees a deposit that is short"
    by_hand = boards * pads * (2 * DOT_S + PAD_S) / 60
    found = [
        Way(
            "stencil",
            STENCIL_MIN + prints * PRINT_MIN,
            Level.GO if has_stencil else Level.CARE,
            "every deposit alike" if has_stencil else "none is on record for this design: it has to be cut first",
            "Prints age: no more ahead than are placed in time.",
        ),
        Way(
            "syringe",
            by_hand,
            Level.CARE if hidden or fine else Level.GO,
            unseen
            if hidden
            else (f"{small}: a bead along each row, and bridges to be drawn off" if fine else "few pads, large enough"),
            "No foil to align or clean; deposits differ, look at each.",
        ),
        Way(
            "dots",
            by_hand * 1.1,
            Level.CARE if hidden or fine else Level.GO,
            unseen
            if hidden
            else (f"{small}: one dot is too much for a pad" if fine else "counted dots match a stencil's volume"),
            "Weigh twenty dots first; every board takes as long as the first.",
        ),
        Way(
            "tinned pads",
            boards * pads * TIN_PAD_S / 60,
            Level.STOP if hidden else Level.CARE,
            "nothing can be tinned under a body" if hidden else "parts do not stick: each is held while it is soldered",
            "One pad of each part first; flux, then iron or hot air. No oven.",
        ),
    ]
    poor = {Level.GO: 0, Level.CARE: 1, Level.STOP: 3}
    return sorted(found, key=lambda w: (poor[w.level] + (bool(hidden) and w.method != "stencil"), w.minutes))


def _finest_pitch(openings: Openings) -> float:
    """Least distance (mm) between middles of two openings of one part; infinite without a pair."""
    if len(openings) < 2:
        return float("inf")
    at, refs = shapely.points(openings.x, openings.y), np.array(openings.refs)
    (a, b), apart = shapely.STRtree(at).query_nearest(at, exclusive=True, return_distance=True)
    same = (refs[a] == refs[b]) & (refs[a] != "")
    return float(apart[same].min()) if same.any() else float("inf")


def judge_ways(ways: Sequence[Way], chosen: str) -> Judgement:
    """Does the way that is chosen suit, and is another one better?"""
    mine = next((w for w in ways if w.method == chosen), None)
    best = ways[0]
    if mine is None:
        return Judgement("print.way", Level.UNKNOWN, "way", f"Nothing is known of paste by {chosen}", (), "")
    numbers = (
        Because("minutes", round(mine.minutes)),
        *(Because(w.method, round(w.minutes), "min") for w in ways if w is not mine),
    )
    text = f"Paste by {chosen}: {mine.why}"
    do = mine.then if best is mine else f"{best.method.capitalize()} would suit better: {best.why}. {best.then}"
    return Judgement("print.way", mine.level, "way", text, numbers, do)


def judge_alloy(alloy: str, bismuth: bool, leaded: bool, parts: Sequence[Part], hidden: int) -> Judgement:
    """What follows from the alloy downstream: heat, age, bending, the law."""
    shy = [p.ref for p in parts if p.populated and p.package.family in HEAT_SHY]
    heavy = [p.ref for p in parts if p.populated and p.through_hole]
    numbers = (Because("alloy", alloy), Because("parts shy of heat", len(shy)), Because("hidden joints", hidden))
    refs = tuple(shy[:6])
    if bismuth:
        text = "Bismuth solder melts low and breaks easily"
        do = "Good for parts shy of heat; not under connectors, weights or cells that are pulled. Never with lead."
        level = Level.CARE if heavy else Level.GO
        return Judgement("print.alloy", level, "alloy", text, numbers, do, tuple(heavy[:6]))
    if leaded:
        text = "Leaded solder forgives age and uneven heat"
        do = "The peak is 20 °C lower. Where law or customer want it free of lead, it is not for them. Wash your hands."
        return Judgement("print.alloy", Level.GO, "alloy", text, numbers, do)
    text = "Lead-free solder wants 235 to 250 °C at every joint"
    do = (
        f"Look up what {', '.join(refs[:3])} can take." if shy else "Mind the oven's spread: the slowest joint decides."
    )
    return Judgement("print.alloy", Level.CARE if shy else Level.GO, "alloy", text, numbers, do, refs)
