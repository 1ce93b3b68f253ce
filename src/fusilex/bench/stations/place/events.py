"""What happens at Place: parts placed, points taught, and by which way the eyes look at it."""

from __future__ import annotations

from typing import ClassVar

from msgspec import Struct, field

from fusilex.bench.boards import Put
from fusilex.bench.common.bins import OfBins
from fusilex.bench.common.paces import Paces
from fusilex.bench.state import BatchState
from fusilex.journal.entries import Entry, Event

HAND, MACHINE = "hand", "machine"
PER_PANEL, PER_BOARD = "panel", "board"


class Placing(Struct):
    """Points taught by panel and step (name → x, y of the machine, mm), in which steps they were read (mm, 0 where that
    is not known), those that cannot be seen there; by step the way of placing in view, and what points are taught for:
    the panel, or each of its boards.
    """

    taught: dict[tuple[int, str], dict[str, tuple[float, float]]] = field(default_factory=dict)
    read: dict[tuple[int, str], dict[str, float]] = field(default_factory=dict)
    hidden: dict[tuple[int, str], list[str]] = field(default_factory=dict)
    way: dict[str, str] = field(default_factory=dict)
    per: dict[str, str] = field(default_factory=dict)


class WayChosen(Event, frozen=True):
    """By hand or by machine."""

    kind: ClassVar[str] = "way_chosen"
    undoable: ClassVar[bool] = False
    way: str
    step: str = "Place"

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Placing].way[self.step] = self.way


class PartsPlaced(OfBins, frozen=True):
    """Parts are on a board's paste; `fed` gives slot, nozzle and head of those that a machine put there, `taken` which
    parts came out of which bin. Older journals do not say.
    """

    kind: ClassVar[str] = "parts_placed"
    about: ClassVar[str] = "board"
    in_bins: ClassVar[tuple[str, ...]] = ("taken",)
    board: str
    refs: list[str]
    how: str
    fed: dict[str, tuple[str, str, str]] = {}
    taken: dict[str, list[str]] = {}

    def apply(self, state: BatchState, entry: Entry) -> None:
        board = state.boards[self.board]
        of = {ref: name for name, refs in self.taken.items() for ref in refs}
        for ref in self.refs:
            if ref not in board.placed:
                board.placed.append(ref)
            board.placed_how[ref] = self.how
            board.put[ref] = Put(entry.at, entry.who, of.get(ref, ""), *self.fed.get(ref, ()))
        if self.how == HAND and len(self.refs) == 1:
            state[Paces].note(entry.at, self.refs[0])

    @property
    def words(self) -> str:
        return f"{self.refs[0]} on {self.board}" if len(self.refs) == 1 else f"{len(self.refs)} parts on {self.board}"


class PartTakenBack(Event, frozen=True):
    """A placed part came off again (older journals; placing is undone now)."""

    kind: ClassVar[str] = "part_taken_back"
    about: ClassVar[str] = "board"
    board: str
    ref: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        board = state.boards[self.board]
        if self.ref in board.placed:
            board.placed.remove(self.ref)
            board.placed_how.pop(self.ref, None)

    @property
    def words(self) -> str:
        return f"taking {self.ref} off {self.board}"


class PanelPlaced(Event, frozen=True):
    """The machine placed what was left on a panel; its boards say what in their own events."""

    kind: ClassVar[str] = "panel_placed"
    about: ClassVar[str] = "panel"
    panel: int

    @property
    def words(self) -> str:
        return f"the machine's run with panel {self.panel}"


class PointTaught(Event, frozen=True):
    """A point of a panel was seen at x, y of the machine, read in steps of `read` mm (0: not known)."""

    kind: ClassVar[str] = "point_taught"
    about: ClassVar[str] = "panel"
    panel: int
    point: str
    x: float
    y: float
    step: str = "Place"
    read: float = 0.0

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Placing].taught.setdefault((self.panel, self.step), {})[self.point] = (self.x, self.y)
        state[Placing].read.setdefault((self.panel, self.step), {})[self.point] = self.read

    @property
    def words(self) -> str:
        return f"{self.point} taught on panel {self.panel}"


class PointForgotten(Event, frozen=True):
    """A taught point counts no more."""

    kind: ClassVar[str] = "point_forgotten"
    about: ClassVar[str] = "panel"
    panel: int
    point: str
    step: str = "Place"

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Placing].taught.get((self.panel, self.step), {}).pop(self.point, None)

    @property
    def words(self) -> str:
        return f"forgetting {self.point}"


class PointHidden(Event, frozen=True):
    """A point cannot be seen: paste or tape covers it, or it is not there."""

    kind: ClassVar[str] = "point_hidden"
    about: ClassVar[str] = "panel"
    panel: int
    point: str
    step: str = "Place"

    def apply(self, state: BatchState, entry: Entry) -> None:
        placing = state[Placing]
        placing.taught.get((self.panel, self.step), {}).pop(self.point, None)
        hidden = placing.hidden.setdefault((self.panel, self.step), [])
        if self.point not in hidden:
            hidden.append(self.point)

    @property
    def words(self) -> str:
        return f"{self.point} hidden on panel {self.panel}"


class ReferencesChosen(Event, frozen=True):
    """Points are taught for the panel as a whole, or for each of its boards."""

    kind: ClassVar[str] = "references_chosen"
    step: str
    per: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Placing].per[self.step] = self.per

    @property
    def words(self) -> str:
        return f"points for each {self.per}"


EVENTS = (
    ReferencesChosen,
    WayChosen,
    PartsPlaced,
    PartTakenBack,
    PanelPlaced,
    PointTaught,
    PointForgotten,
    PointHidden,
)
