"""When jars expire and instruments want a check."""

from __future__ import annotations

from datetime import date

from fusilex.core.judgement import Because, Judgement, Level

SOON_DAYS = 14


def judge_due(what: str, day: str, today: date, verb: str) -> Judgement | None:
    """Something that is good up to a day: a stop after it, a care two weeks before. None without a day.

    >>> judge_due("jar 3", "2026-03-31", date(2026, 4, 1), "expired").level.value
    'stop'
    """
    if not day:
        return None
    left = (date.fromisoformat(day) - today).days
    if left > SOON_DAYS:
        return None
    level = Level.STOP if left < 0 else Level.CARE
    text = f"{what} {verb} on {day}" if left < 0 else f"{what}: good up to {day}"
    return Judgement("workshop.due", level, what, text, (Because("days left", left),))
