"""Finished boards in stock: in with the release, out with a parcel, back from a user."""

from __future__ import annotations

from typing import ClassVar

from msgspec import Struct, field

from fusilex.bench.state import WorkshopState
from fusilex.journal.entries import Entry, Event


class Finished(Struct):
    """Serials in stock by design."""

    stock: dict[str, set[str]] = field(default_factory=dict)

    def count(self, design: str) -> int:
        """Boards of a design in stock."""
        return len(self.stock.get(design, ()))


class StockedFinished(Event, frozen=True):
    """A finished board went into stock."""

    kind: ClassVar[str] = "finished_stocked"
    design: str
    serial: str

    def apply(self, state: WorkshopState, entry: Entry) -> None:
        state[Finished].stock.setdefault(self.design, set()).add(self.serial)


class FinishedLeft(Event, frozen=True):
    """Boards left the stock, in a parcel."""

    kind: ClassVar[str] = "finished_left"
    design: str
    serials: list[str]
    parcel: str = ""

    def apply(self, state: WorkshopState, entry: Entry) -> None:
        state[Finished].stock.get(self.design, set()).difference_update(self.serials)


EVENTS = (StockedFinished, FinishedLeft)
SLICES = (Finished,)
