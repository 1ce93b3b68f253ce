"""When parts went on: the pace of this batch's hands, for stations that wait for them."""

from __future__ import annotations

from datetime import datetime
from itertools import pairwise

from msgspec import Struct, field

MOST_KEPT = 500


class Paces(Struct):
    """Moments (s) at which single parts went on by hand, the latest ones, rising, and which part that was."""

    placed_s: list[float] = field(default_factory=list)
    refs: list[str] = field(default_factory=list)

    def note(self, at: str, ref: str) -> None:
        """One more part went on at a time (ISO)."""
        self.placed_s.append(datetime.fromisoformat(at).timestamp())
        self.refs.append(ref)
        del self.placed_s[:-MOST_KEPT], self.refs[:-MOST_KEPT]

    @property
    def timed(self) -> list[tuple[str, float]]:
        """Each part with the seconds since the one before it."""
        gaps = (b - a for a, b in pairwise(self.placed_s))
        return list(zip(self.refs[1:], gaps, strict=True))
