"""What is said of the joints of a part after a run."""

from __future__ import annotations

from msgspec import Struct

WORST = ("cold", "short", "hot", "open", "kept")
"""Verdicts in the order in which to look at them."""


class Group(Struct, frozen=True):
    """The joints of a part on the board of a cell (from 0), by the one that has least: when it melted (s, NaN: never),
    how long it was molten and its peak, give or take; `verdict` is ``kept``, ``cold``, ``short``, ``hot`` or ``open``,
    which nobody can tell.
    """

    part: str
    cell: int
    melts_s: float
    seconds: float
    seconds95: float
    peak_c: float
    peak95: float
    verdict: str
