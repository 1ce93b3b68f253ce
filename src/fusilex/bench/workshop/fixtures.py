"""How often each fixture was closed: sprung contacts wear."""

from __future__ import annotations

from typing import ClassVar

from msgspec import Struct, field

from fusilex.bench.state import WorkshopState
from fusilex.journal.entries import Entry, Event


class Fixtures(Struct):
    """Cycles by fixture."""

    cycles: dict[str, int] = field(default_factory=dict)


class FixtureClosed(Event, frozen=True):
    """A board was pressed onto a fixture's contacts."""

    kind: ClassVar[str] = "fixture_closed"
    fixture: str

    def apply(self, state: WorkshopState, entry: Entry) -> None:
        cycles = state[Fixtures].cycles
        cycles[self.fixture] = cycles.get(self.fixture, 0) + 1


EVENTS = (FixtureClosed,)
SLICES = (Fixtures,)
