"""How long printed paste may lie open before it is molten."""

from __future__ import annotations

from fusilex.core.judgement import Because, Judgement, Level

TACK_H, LONGEST_H = 4.0, 8.0
"""Paste keeps its tack for 4 to 8 hours by most sheets; the paste's own sheet wins."""


def judge_paste_age(what: str, hours: float, tack_h: float = TACK_H, longest_h: float = LONGEST_H) -> Judgement:
    """Paste of one print that lies open for `hours`; its sheet says how long it keeps its tack, and at most.

    >>> [judge_paste_age("panel 1", h).level.value for h in (4.0, 4.1, 8.1)]
    ['go', 'care', 'stop']
    """
    level = Level.STOP if hours > longest_h else Level.CARE if hours > tack_h else Level.GO
    said = {Level.STOP: "has been open too long", Level.CARE: "loses its tack soon"}.get(level, "is fresh")
    do = {
        Level.STOP: "Wipe it off and print again; where parts are on it, look whether they still sit in wet paste.",
        Level.CARE: "Finish this one first.",
    }.get(level, "")
    numbers = (
        Because("open for", round(hours, 1), "h"),
        Because("tack", tack_h, "h"),
        Because("at most", longest_h, "h"),
    )
    return Judgement("print.age", level, what, f"Paste of {what} {said}", numbers, do)
