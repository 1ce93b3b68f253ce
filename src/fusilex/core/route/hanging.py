"""Heats: how often each part goes through one, and what hangs below at the moment of turning."""

from __future__ import annotations

from collections.abc import Mapping, Set

from msgspec.structs import replace

from fusilex.core.checks.side_order import judge_hanging
from fusilex.core.design.model import Design
from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

MOST_REFLOW_CYCLES = 3
"""Heats a part takes unless its sheet says otherwise (three is a common limit)."""


def judge_turned(design: Design, side: str, there: Set[str], held: bool = False) -> list[Judgement]:
    """Of the parts that are `there` already, those that may drop when this side lies up in the oven.

    What is `held` by glue or a carrier is a care: somebody has to look whether it is.
    """
    below = "bottom" if side == "top" else "top"
    hanging = [j for j in judge_hanging(design, below) if not there.isdisjoint(j.refs)]
    do = say("check the glue")
    return [replace(j, level=Level.CARE, advice=do) if held and j.level is Level.STOP else j for j in hanging]


def judge_reflow_cycles(spent: Mapping[str, int], coming: int, most: int = MOST_REFLOW_CYCLES) -> list[Judgement]:
    """Reflow cycles `spent` (by ref) and `coming`: stop above `most`, care when the last one is used up."""
    reached = {ref: n + coming for ref, n in spent.items() if n + coming >= most}
    if not reached:
        return []
    worst = max(reached.values())
    named = tuple(ref for ref, n in reached.items() if n == worst)
    level = Level.STOP if worst > most else Level.CARE
    text, do = say("used", cycles=worst, most=most), say("ask the maker" if worst > most else "none left")
    numbers = (Quantity("reflow cycles", worst, limit=(0, most)),)
    return [Judgement("reflow.heats", level, f"{worst} heats", text, numbers, do, named)]
