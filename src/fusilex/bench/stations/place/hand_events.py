"""What hands decide at Place: their own order, board by board or part by part, and marks looked at once more."""

from __future__ import annotations

from collections import defaultdict
from typing import ClassVar

from msgspec import Struct, field

from fusilex.bench.common.bins import OfBins
from fusilex.bench.state import BatchState
from fusilex.journal.entries import Entry, Event

BOARD, PART = "board by board", "part by part"


class Hands(Struct):
    """By step: bins in the order of one's own, and how the hands go over a panel; by step and board the marks that were
    looked at before the oven, with what was seen.
    """

    order: dict[str, list[str]] = field(default_factory=dict)
    rounds: dict[str, str] = field(default_factory=dict)
    marks: dict[tuple[str, str], dict[str, str]] = field(default_factory=lambda: defaultdict(dict))


class OrderPut(OfBins, frozen=True):
    """Bins are worked through in this order; none named: in that of the school again."""

    kind: ClassVar[str] = "order_put"
    in_bins: ClassVar[tuple[str, ...]] = ("lines",)
    step: str
    lines: list[str]

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Hands].order[self.step] = list(self.lines)

    @property
    def words(self) -> str:
        return "the order of the bins"


class RoundsChosen(Event, frozen=True):
    """Hands go over a panel board by board, or part by part."""

    kind: ClassVar[str] = "rounds_chosen"
    step: str
    rounds: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Hands].rounds[self.step] = self.rounds

    @property
    def words(self) -> str:
        return f"placing {self.rounds}"


class MarkSeen(Event, frozen=True):
    """A part's mark was looked at once more before the oven."""

    kind: ClassVar[str] = "mark_seen"
    about: ClassVar[str] = "board"
    board: str
    step: str
    ref: str
    verdict: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Hands].marks[self.step, self.board][self.ref] = self.verdict

    @property
    def words(self) -> str:
        return f"the mark of {self.ref}"


EVENTS = (OrderPut, RoundsChosen, MarkSeen)
SLICES = (Hands,)
