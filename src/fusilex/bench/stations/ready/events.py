"""What happens at Ready beyond the files, and what is kept of it."""

from __future__ import annotations

from typing import ClassVar

from msgspec import Struct

from fusilex.bench.common.events import BoardCell
from fusilex.bench.state import BatchState
from fusilex.journal.entries import Entry, Event


class Readied(Struct):
    """The bare panels counted (None before) and whether they are clean."""

    bare_panels: int | None = None
    clean: bool = False


class FilesAccepted(Event, frozen=True):
    """The files are good enough to kit for."""

    kind: ClassVar[str] = "files_accepted"

    @property
    def words(self) -> str:
        return "accepting the files"


class PackageNoted(Event, frozen=True):
    """A package was measured here: the workshop keeps it, this is its mark in the batch."""

    kind: ClassVar[str] = "body_noted"
    code: str

    @property
    def words(self) -> str:
        return f"the size of {self.code}"


class BoardsLaid(Event, frozen=True):
    """Another panel: the boards keep their serials and get new places."""

    kind: ClassVar[str] = "boards_laid"
    about: ClassVar[str] = "boards"
    boards: list[BoardCell]

    def apply(self, state: BatchState, entry: Entry) -> None:
        for place in self.boards:
            state.boards[place.serial].panel, state.boards[place.serial].cell = place.panel, place.cell

    @property
    def words(self) -> str:
        return "laying the boards in another panel"


class CellMarked(Event, frozen=True):
    """A cell is bad: its board is set aside."""

    kind: ClassVar[str] = "cell_marked"
    about: ClassVar[str] = "board"
    board: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        state.boards[self.board].scrapped = True

    @property
    def words(self) -> str:
        return f"setting {self.board} aside"


class BareCounted(Event, frozen=True):
    """Bare panels came in."""

    kind: ClassVar[str] = "bare_counted"
    panels: int
    clean: bool

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Readied].bare_panels, state[Readied].clean = self.panels, self.clean

    @property
    def words(self) -> str:
        return "the count of bare boards"


class BathNoted(Event, frozen=True):
    """Something of the bath or a process went on record in the workshop: its mark in the batch."""

    kind: ClassVar[str] = "bath_noted"
    what: str

    @property
    def words(self) -> str:
        return self.what


EVENTS = (FilesAccepted, PackageNoted, BoardsLaid, CellMarked, BareCounted, BathNoted)
