"""What happens at Release."""

from __future__ import annotations

from typing import ClassVar

from msgspec import Struct, field

from fusilex.bench.state import BatchState
from fusilex.journal.entries import Entry, Event

SEPARATE = "separate"
"""Method of the step at which boards come out of their panel, where that is not the last thing done."""
CLEAN, LOOK, COAT, LABEL, BAG = "clean", "look", "coat", "label", "bag"
STEPS = (CLEAN, LOOK, COAT, LABEL, BAG)
"""What is done to a board before it goes, in this order."""


class Leaving(Struct):
    """Cuts done by panel; by board when each step of getting it ready was done, what it weighs (g), and the parcel it
    is in. `coated` says whether the batch is coated, None where nobody said.
    """

    cuts: dict[int, int] = field(default_factory=dict)
    ready: dict[str, dict[str, str]] = field(default_factory=dict)
    grams: dict[str, float] = field(default_factory=dict)
    parcels: dict[str, str] = field(default_factory=dict)
    coated: bool | None = None


class CutDone(Event, frozen=True):
    """A cut of a panel was done; cuts count from 1, in the plan's order."""

    kind: ClassVar[str] = "cut_done"
    about: ClassVar[str] = "panel"
    panel: int
    cut: int
    tool: str = ""

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Leaving].cuts[self.panel] = self.cut

    @property
    def words(self) -> str:
        return f"cut {self.cut} of panel {self.panel}"


class CoatingChosen(Event, frozen=True):
    """The batch is coated, or it is not."""

    kind: ClassVar[str] = "coating_chosen"
    coated: bool

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Leaving].coated = self.coated

    @property
    def words(self) -> str:
        return "coating the batch" if self.coated else "leaving the batch bare"


class BoardPrepared(Event, frozen=True):
    """Something was done to a board before it goes."""

    kind: ClassVar[str] = "board_prepared"
    about: ClassVar[str] = "board"
    board: str
    what: str
    note: str = ""

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Leaving].ready.setdefault(self.board, {})[self.what] = entry.at

    @property
    def words(self) -> str:
        return f"{self.what} of {self.board}"


class BoardWeighed(Event, frozen=True):
    """A finished board was weighed."""

    kind: ClassVar[str] = "board_weighed"
    about: ClassVar[str] = "board"
    board: str
    grams: float

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Leaving].grams[self.board] = self.grams

    @property
    def words(self) -> str:
        return f"the weight of {self.board}"


class BoardSeparated(Event, frozen=True):
    """A board is out of its panel."""

    kind: ClassVar[str] = "board_separated"
    about: ClassVar[str] = "board"
    board: str

    @property
    def words(self) -> str:
        return f"taking {self.board} out of its panel"


class BoardReleased(Event, frozen=True):
    """A board is out of the workshop's hands."""

    kind: ClassVar[str] = "board_released"
    about: ClassVar[str] = "board"
    board: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        state.boards[self.board].released_at = entry.at
        state[Leaving].parcels.pop(self.board, None)
        state.boards[self.board].parcel = ""

    @property
    def words(self) -> str:
        return f"the release of {self.board}"


class BoardsPacked(Event, frozen=True):
    """Released boards went into a parcel."""

    kind: ClassVar[str] = "boards_packed"
    about: ClassVar[str] = "boards"
    boards: list[str]
    parcel: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        for board in self.boards:
            state[Leaving].parcels[board] = state.boards[board].parcel = self.parcel

    @property
    def words(self) -> str:
        return f"packing {len(self.boards)} boards into {self.parcel}"


EVENTS = (
    CutDone,
    CoatingChosen,
    BoardPrepared,
    BoardWeighed,
    BoardSeparated,
    BoardReleased,
    BoardsPacked,
)
SLICES = (Leaving,)
