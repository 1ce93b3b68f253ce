"""How many boards to test in full when those come out well, and what may be left among the rest."""

from __future__ import annotations

import math
import random
from collections.abc import Sequence

ROUNDING = 1e-12


def chance_unseen(boards: int, tested: int, bad: int) -> float:
    """Chance that none of `bad` boards is among `tested` drawn at random from `boards` (hypergeometric).

    >>> round(chance_unseen(18, 9, 3), 4), chance_unseen(18, 18, 1), chance_unseen(18, 0, 1)
    (0.1029, 0.0, 1.0)
    """
    if not 0 <= tested <= boards or not 0 <= bad <= boards:
        raise ValueError(f"{tested} tested and {bad} bad of {boards} boards cannot be")
    return math.comb(boards - bad, tested) / math.comb(boards, tested)


def boards_to_test(boards: int, most_bad: int, confidence: float) -> int:
    """Fewest boards to draw at random and test in full so that, when all are good, at most `most_bad` of the batch are
    bad with so much confidence (Hahn and Meeker 1991, the hypergeometric bound). Raises ValueError.

    >>> boards_to_test(18, 2, 0.9), boards_to_test(18, 0, 0.9), boards_to_test(100, 5, 0.95)
    (10, 17, 39)
    """
    if boards < 1 or most_bad < 0 or not 0 < confidence < 1:
        raise ValueError("a sample needs boards, how many may be bad, and a confidence between 0 and 1")
    if most_bad >= boards:
        return 0
    return next(n for n in range(boards + 1) if chance_unseen(boards, n, most_bad + 1) <= 1 - confidence + ROUNDING)


def most_bad(boards: int, tested: int, confidence: float) -> int:
    """Most bad boards that so many good ones leave room for, with so much confidence.

    >>> most_bad(18, 10, 0.9), most_bad(18, 9, 0.9), most_bad(18, 18, 0.9), most_bad(18, 0, 0.9)
    (2, 3, 0, 18)
    """
    return max(d for d in range(boards + 1) if d == 0 or chance_unseen(boards, tested, d) > 1 - confidence + ROUNDING)


def drawn(serials: Sequence[str], count: int, seed: str, first: str = "") -> list[str]:
    """So many boards drawn at random, always the same for a seed, in their order; `first` is tested beside them.

    Drawn, not the first that come: faults that come in runs would else be missed more often than the bound says.
    """
    some = set(random.Random(seed).sample(list(serials), min(count, len(serials))))
    return [serial for serial in serials if serial in some or serial == first]
