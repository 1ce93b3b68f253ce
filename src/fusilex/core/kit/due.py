"""When jars expire and instruments want a check."""

from __future__ import annotations

from datetime import date

from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

SOON_DAYS = 14


def judge_due(what: str, day: str, today: date, kind: str) -> Judgement | None:
    """Something that is good up to a day: a stop after it, a care two weeks before. None without a day. `kind` is
    ``shelf life`` or ``check``.

    >>> judge_due("jar 3", "2026-03-31", date(2026, 4, 1), "shelf life").level.value
    'stop'
    """
    if not day:
        return None
    left = (date.fromisoformat(day) - today).days
    if left > SOON_DAYS:
        return None
    level = Level.STOP if left < 0 else Level.CARE
    text = say(f"{kind} over" if left < 0 else f"{kind} soon", what=what, day=day)
    return Judgement("workshop.due", level, what, text, (Quantity("days left", left, runs=True),))
