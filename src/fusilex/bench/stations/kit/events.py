"""What happens at Kit, and what is kept of it beside the bins."""

from __future__ import annotations

from typing import ClassVar

from msgspec import Struct, field
from msgspec.structs import replace

from fusilex.bench.common.bins import Bins, Filled, OfBins
from fusilex.bench.state import BatchState
from fusilex.core.evidence import Level
from fusilex.journal.entries import Entry, Event


class Kitted(Struct):
    """Bags by bin as last checked, substitutes by bin, programmes by bin (None: wanted, not done), the strap as last
    tested.
    """

    bags: dict[str, BagChecked] = field(default_factory=dict)
    substitutes: dict[str, list[str]] = field(default_factory=dict)
    programmes: dict[str, ProgrammeRecorded | None] = field(default_factory=dict)
    strap: StrapTested | None = None
    closed: bool = False

    def wrong_bag(self, line: str) -> tuple[str, str, str] | None:
        """What of a bin's bag does not match, as wanted and as found; None when it does or a reason is on record."""
        bag = self.bags.get(line)
        return None if bag is None or bag.level != Level.STOP or bag.reason else bag.differs[0]

    def doubtful_bag(self, line: str) -> str | None:
        """The label of a bin's bag that does not settle what is in it, None when it does or a reason is on record."""
        bag = self.bags.get(line)
        return bag.label if bag is not None and bag.level == Level.UNKNOWN and not bag.reason else None

    def to_programme(self, line: str) -> bool:
        """True while a bin's parts are to be programmed and are not."""
        return line in self.programmes and self.programmes[line] is None


def bin_open(state: BatchState, line: str) -> bool:
    """True while a bin is not filled, or holds pieces of a bag that does not match or does not settle what it is."""
    held, kitted = state[Bins].filled.get(line), state[Kitted]
    doubt = kitted.wrong_bag(line) or kitted.doubtful_bag(line)
    return held is None or bool(held.count and doubt)


class StockNoted(Event, frozen=True):
    """Something of the stock changed in the workshop: its mark in the batch, so that undo finds it."""

    kind: ClassVar[str] = "stock_noted"
    what: str
    lot: str = ""
    lots: int = 0

    @property
    def words(self) -> str:
        said = _NOTED.get(self.what, self.what.replace("_", " "))
        return f"{said} {self.lot}".strip()


_NOTED = {
    "lot_received": "taking in",
    "lot_counted": "the count of",
    "lot_moved": "the place of",
    "lot_moisture": "the moisture clock of",
    "stock_list": "the stock list",
    "stock_reserved": "keeping stock for this batch",
    "tray_set": "the shape of the trays",
    "process_shown": "what a process has shown",
    "bath_mixed": "the fresh bath",
    "run_etched": "the logged etch",
}


class BagChecked(OfBins, frozen=True):
    """A bag's label was held against its bin."""

    kind: ClassVar[str] = "bag_checked"
    line: str
    label: str
    level: str
    differs: list[tuple[str, str, str]] = []
    unread: list[str] = []
    reason: str = ""

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Kitted].bags[self.line] = self

    @property
    def words(self) -> str:
        return f"the check of bag “{self.label[:30]}”"


class SubstituteApproved(OfBins, frozen=True):
    """Another part may stand in for a line."""

    kind: ClassVar[str] = "substitute_approved"
    line: str
    text: str
    reason: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Kitted].substitutes.setdefault(self.line, []).append(self.text)

    @property
    def words(self) -> str:
        return f"{self.text} as a substitute"


class ProgrammeWanted(OfBins, frozen=True):
    """The parts of a bin are to be programmed before they are placed."""

    kind: ClassVar[str] = "programme_wanted"
    line: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Kitted].programmes.setdefault(self.line, None)

    @property
    def words(self) -> str:
        return "asking for a programme"


class ProgrammeRecorded(OfBins, frozen=True):
    """The parts of a bin carry a programme."""

    kind: ClassVar[str] = "programme_recorded"
    line: str
    name: str
    sha256: str
    version: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Kitted].programmes[self.line] = self

    @property
    def words(self) -> str:
        return f"the programme {self.name}, {self.version}"


class StrapTested(Event, frozen=True):
    """The wrist strap was tested."""

    kind: ClassVar[str] = "strap_tested"
    text: str
    passed: bool

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Kitted].strap = self

    @property
    def words(self) -> str:
        return "the test of the strap"


class OrderChosen(Event, frozen=True):
    """In which order parts are placed, and so how bins stand."""

    kind: ClassVar[str] = "order_chosen"
    school: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        bins = state[Bins]
        bins.order = self.school
        bins.named = {name: replace(bin, number=0) for name, bin in bins.named.items()}  # none is filled yet

    @property
    def words(self) -> str:
        return "the order of the bins"


class SideSkipped(Event, frozen=True):
    """Bins of a side are not pulled now; '' pulls all."""

    kind: ClassVar[str] = "side_skipped"
    side: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Bins].skipped_side = self.side

    @property
    def words(self) -> str:
        return f"leaving the {self.side} for later" if self.side else "pulling both sides"


class BinFilled(OfBins, frozen=True):
    """A bin holds pieces."""

    kind: ClassVar[str] = "bin_filled"
    line: str
    count: int
    lot: str = ""
    name: str = ""
    before: int = 0

    def apply(self, state: BatchState, entry: Entry) -> None:
        filled = state[Bins].filled[self.line] = Filled(self.count, self.lot, entry.at, self.before)
        state[Bins].fillings.setdefault(self.line, []).append(filled)

    @property
    def words(self) -> str:
        return f"{self.count} pieces in the bin of {self.name or self.line}"


class KitClosed(Event, frozen=True):
    """The batch starts; parts of bins that are short or left for later are not among it."""

    kind: ClassVar[str] = "kit_closed"
    without: list[str]

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Bins].without = list(self.without)
        state[Kitted].closed = True

    @property
    def words(self) -> str:
        return "closing the kit"


class PartsBack(Event, frozen=True):
    """Parts that the batch started without are there now."""

    kind: ClassVar[str] = "parts_back"
    refs: list[str]

    def apply(self, state: BatchState, entry: Entry) -> None:
        bins = state[Bins]
        bins.without = [ref for ref in bins.without if ref not in self.refs]


EVENTS = (
    StockNoted,
    BagChecked,
    SubstituteApproved,
    ProgrammeWanted,
    ProgrammeRecorded,
    StrapTested,
    OrderChosen,
    SideSkipped,
    BinFilled,
    KitClosed,
    PartsBack,
)
