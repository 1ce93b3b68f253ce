"""The batch as it stands: boards, what was read and overruled, and a slice for every room that keeps something of its
own.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, TypeVar

from msgspec import Struct, field

from fusilex.bench.boards import Board
from fusilex.core.judgement import Facts, Judgement
from fusilex.core.older_headlines import meant
from fusilex.journal.entries import Entry, Event
from fusilex.journal.folding import Deed

Slice = TypeVar("Slice")


class Overruled(Struct, frozen=True):
    """A judgement set aside: why, when, by whom, what it said and how grave it was. Older journals do not say how
    grave.
    """

    reason: str
    at: str
    headline: str = ""
    station: str = ""
    level: str = ""
    who: str = ""
    facts: Facts | None = None

    @property
    def told(self) -> dict[str, str]:
        """What people read of it."""
        return {name: getattr(self, name) for name in ("reason", "at", "headline", "station", "level", "who")}

    def covers(self, judgement: Judgement) -> bool:
        """The judgement is still about what was set aside: a reason for one thing is none for another."""
        if not self.level:
            return True
        if self.level != judgement.level.value:
            return False
        return self.facts.covers(judgement) if self.facts else meant(self.headline, judgement)


class BatchState(Struct):
    """Built only by folding entries. `slices` holds one object a room, asked for by its class: ``state[Bins]``.

    `paste` and `foil_mm` are what the next panel is printed with. `eyes` is the step and board that older journals say
    somebody looked at.
    """

    slices: dict[type, Any]
    opened: dict[str, Any] = field(default_factory=dict)
    boards: dict[str, Board] = field(default_factory=dict)
    cautions: dict[str, str] = field(default_factory=dict)
    overruled: dict[str, Overruled] = field(default_factory=dict)
    paste: str = "leaded"
    foil_mm: float = 0.12
    eyes: tuple[str, str, int] = ("Ready", "", 0)
    last_id: int = 0
    deeds: list[Deed] = field(default_factory=list)
    undone: list[Deed] = field(default_factory=list)

    def __getitem__(self, kind: type[Slice]) -> Slice:
        """A room's own part of the state. KeyError where no room declares it."""
        found: Slice = self.slices[kind]
        return found

    def overruling(self, judgement: Judgement) -> Overruled | None:
        """The reason for which a judgement was set aside as it stands. One that names no board, print or load, as
        older ones do, covers all.
        """
        key = judgement.key
        covering = (o for k, o in self.overruled.items() if key.startswith(f"{k}, "))
        found = self.overruled.get(key) or next(covering, None)
        return found if found and found.covers(judgement) else None

    def at(self, step: str) -> list[Board]:
        """Boards that are at a step now."""
        return [b for b in self.boards.values() if b.step == step and not b.scrapped]

    def panel_boards(self, panel: int) -> list[Board]:
        return [b for b in self.boards.values() if b.panel == panel]

    @property
    def panels(self) -> list[int]:
        return sorted({b.panel for b in self.boards.values()})

    def started(self, entry: Entry) -> Deed:
        """A deed was done at its place, in older journals where the eyes were."""
        return Deed(entry.deed, entry.id, entry.place or self.eyes[0])

    def touched(self, event: Event) -> Iterable[str]:
        """Boards an event is about, by the field that it declares."""
        value = getattr(event, event.about) if event.about else ""
        if type(value) is str:
            return (value,) if value else ()
        if isinstance(value, int):
            return [b.serial for b in self.panel_boards(value)]
        return [b if isinstance(b, str) else b.serial for b in value]


class WorkshopState(Struct):
    """What outlives batches, room by room, in the same way."""

    slices: dict[type, Any]
    last_id: int = 0
    deeds: list[Deed] = field(default_factory=list)
    undone: list[Deed] = field(default_factory=list)

    def __getitem__(self, kind: type[Slice]) -> Slice:
        found: Slice = self.slices[kind]
        return found

    def started(self, entry: Entry) -> Deed:
        return Deed(entry.deed, entry.id)

    def touched(self, event: Event) -> Iterable[str]:
        return ()


def fresh(kinds: Iterable[type]) -> dict[type, Any]:
    """Empty slices."""
    return {kind: kind() for kind in kinds}
