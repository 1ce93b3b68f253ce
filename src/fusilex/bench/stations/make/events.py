"""What happens while bare boards are made."""

from __future__ import annotations

from typing import ClassVar

from msgspec import Struct, field

from fusilex.bench.state import BatchState
from fusilex.journal.entries import Entry, Event


class Made(Struct, frozen=True):
    """A step of making a panel: minutes it took, and the numbers that go with its method."""

    at: str
    method: str
    minutes: float
    numbers: dict[str, float]


class Making(Struct):
    """What was done to each panel, by panel and step."""

    done: dict[tuple[int, str], Made] = field(default_factory=dict)


class PanelMade(Event, frozen=True):
    """A step of making a panel was done."""

    kind: ClassVar[str] = "panel_made"
    about: ClassVar[str] = "panel"
    panel: int
    step: str
    method: str
    minutes: float
    numbers: dict[str, float] = {}

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Making].done[self.panel, self.step] = Made(entry.at, self.method, self.minutes, dict(self.numbers))

    @property
    def words(self) -> str:
        return f"{self.method} of panel {self.panel}"


EVENTS = (PanelMade,)
