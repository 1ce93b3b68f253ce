"""How grave a fault is by the limits a shop has adopted, and what becomes of it: accept, touch up, rework or scrap.

Limits belong to the workmanship standard and class that a shop adopted, and to the people trained in it: the numbers
that ship are starting points.
"""

from __future__ import annotations

from enum import Enum

from msgspec import Struct

from fusilex.core.inspection.faults import FAULT_WORDS, JOINT


class Advice(Enum):
    """What to do with a fault."""

    ACCEPT = "accept"
    TOUCH_UP = "touch up"
    REWORK = "rework"
    SCRAP = "scrap"


class Limit(Struct, frozen=True):
    """A share (of 1) that is the most, or the least, that is accepted."""

    share: float
    most: bool = True

    @property
    def words(self) -> str:
        return f"{'at most' if self.most else 'at least'} {100 * self.share:.0f} %"


class Grades(Struct, frozen=True):
    """Limits of a class: overhang of a part over its land (share of its width), fill of a hole or joint, hollow of a
    joint.
    """

    overhang: float = 0.5
    fill: float = 0.75
    hollow: float = 0.25

    def limit(self, measure: str) -> Limit:
        """The limit of a measure. AttributeError for one that there is none for."""
        return Limit(getattr(self, measure), measure != "fill")


def within(limit: Limit, share: float) -> bool:
    """True for what lies at the limit or within.

    >>> within(Limit(0.5), 0.5), within(Limit(0.5), 0.51), within(Limit(0.75, most=False), 0.7)
    (True, False, False)
    """
    return share <= limit.share + 1e-9 if limit.most else share >= limit.share - 1e-9


def advise(word: str, hidden: bool, reflow_cycles_spent: bool) -> Advice:
    """What a fault that is not within a limit asks for: joints that an iron reaches are touched up on the spot; what
    has had all its heats is for whoever may decide that it takes one more, or is lost.

    >>> advise("bridge", False, False), advise("bridge", True, False), advise("missing", False, False)
    (<Advice.TOUCH_UP: 'touch up'>, <Advice.REWORK: 'rework'>, <Advice.REWORK: 'rework'>)
    """
    if reflow_cycles_spent:
        return Advice.SCRAP
    known = FAULT_WORDS.get(word)
    return Advice.TOUCH_UP if known and known.of == JOINT and not hidden else Advice.REWORK
