"""When parts went on: the pace of this batch's hands, for stations that wait for them."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime

MOST_KEPT = 500


@dataclass
class Paces:
    """Moments (s) at which single parts went on by hand, the latest ones, rising."""

    placed_s: list[float] = field(default_factory=list)

    def note(self, at: str) -> None:
        """One more part went on at a time (ISO)."""
        self.placed_s.append(datetime.fromisoformat(at).timestamp())
        del self.placed_s[:-MOST_KEPT]
