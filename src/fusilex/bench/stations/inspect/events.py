"""What happens at Inspect beyond faults."""

from __future__ import annotations

from typing import ClassVar

from msgspec import Struct, field

from fusilex.bench.state import BatchState
from fusilex.journal.entries import Entry, Event


class Look(Struct, frozen=True):
    """A field of the microscope that was looked through: side, box (mm, design: left, low, right, high), when."""

    side: str
    box: tuple[float, float, float, float]
    at: str


class Looks(Struct):
    """Fields that were looked through, by board and step; first articles by step: board, who signed, when."""

    seen: dict[tuple[str, str], list[Look]] = field(default_factory=dict)
    first: dict[str, tuple[str, str, str]] = field(default_factory=dict)


class FieldSeen(Event, frozen=True):
    """A field of the microscope was looked through."""

    kind: ClassVar[str] = "field_seen"
    about: ClassVar[str] = "board"
    board: str
    step: str
    side: str
    box: tuple[float, float, float, float]

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Looks].seen.setdefault((self.board, self.step), []).append(Look(self.side, self.box, entry.at))

    @property
    def words(self) -> str:
        return f"a field of {self.board}"


class FirstArticleSigned(Event, frozen=True):
    """The first board of a step was checked in full and signed."""

    kind: ClassVar[str] = "first_article_signed"
    about: ClassVar[str] = "board"
    board: str
    step: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Looks].first[self.step] = self.board, entry.who, entry.at

    @property
    def words(self) -> str:
        return f"the first article {self.board}"


class BoardInspected(Event, frozen=True):
    """A board was passed at Inspect; `looked` is False when it went by and nobody had looked at it; of its `fields` so
    many were seen, out of so many.
    """

    kind: ClassVar[str] = "board_inspected"
    about: ClassVar[str] = "board"
    board: str
    looked: bool = True
    step: str = "Inspect"
    fields: tuple[int, int] = (0, 0)

    def apply(self, state: BatchState, entry: Entry) -> None:
        board = state.boards[self.board]
        board.inspections += 1
        board.fields[self.step] = self.fields
        board.inspected.add(self.step)
        board.unseen = not self.looked
        if board.first_pass is None:
            board.first_pass = not any(not fault.accepted for fault in board.faults)

    @property
    def words(self) -> str:
        return f"the look over {self.board}"


EVENTS = (FieldSeen, FirstArticleSigned, BoardInspected)
SLICES = (Looks,)
