"""The workshop's stock: reels, strips, trays, bags and tubes, with their counts, places and moisture clocks."""

from __future__ import annotations

from datetime import datetime
from typing import ClassVar

import msgspec
from msgspec import Struct, field

from fusilex.bench.state import WorkshopState
from fusilex.core.kit.moisture import Exposure, exposure
from fusilex.journal.entries import Entry, Event

LOT_FORMS = ("reel", "strip", "tray", "bag", "tube")


class Lot(Struct):
    """A reel, strip, tray, bag or tube in stock. `moisture` lists (ISO time, action) since it came in, `reserved` the
    pieces kept by (batch, bin); older journals do not say for which bin.
    """

    id: str
    form: str
    part_number: str
    value: str
    package: str
    count: int
    place: str = ""
    date_code: str = ""
    maker_lot: str = ""
    level: str = "1"
    received_at: str = ""
    moisture: list[tuple[str, str]] = field(default_factory=list)
    reserved: dict[tuple[str, str], int] = field(default_factory=dict)
    counted: list[tuple[str, int, str]] = field(default_factory=list)

    def open_from(self, at: datetime) -> str:
        """When it was first opened since its last bake (ISO), '' where it was not."""
        found = ""
        for when, action in sorted(self.moisture):
            if datetime.fromisoformat(when) <= at:
                found = "" if action == "baked" else found or (when if action in ("opened", "out") else "")
        return found

    @property
    def free(self) -> int:
        """Pieces that no batch has laid its hand on."""
        return self.count - sum(self.reserved.values())

    def free_for(self, batch: str, bin: str) -> int:
        """Pieces that no batch and no other bin of this one has laid its hand on."""
        return self.free + self.reserved.get((batch, bin), 0) + self.reserved.get((batch, ""), 0)

    def kept_for(self, batch: str) -> bool:
        """True where a batch has laid its hand on it."""
        return any(name == batch for name, _ in self.reserved)

    def exposure(self, at: datetime) -> Exposure:
        """Hours it was open up to a time."""
        until = at.timestamp() / 3600
        return exposure([(h, action) for t, action in self.moisture if (h := _hours(t)) <= until], until)


class Lots(Struct):
    """Lots by id in order of receipt, and the rows and columns of the trays their pieces go into."""

    lots: dict[str, Lot] = field(default_factory=dict)
    tray: tuple[int, int] | None = None


def _hours(at: str) -> float:
    return datetime.fromisoformat(at).timestamp() / 3600


class OfLot(Event, frozen=True):
    """Something that happened to one lot."""

    id: str

    def change(self, lot: Lot, entry: Entry) -> None:
        """What it does to the lot."""

    def apply(self, state: WorkshopState, entry: Entry) -> None:
        if lot := state[Lots].lots.get(self.id):
            self.change(lot, entry)


class LotReceived(Event, frozen=True):
    """A lot came into stock."""

    kind: ClassVar[str] = "lot_received"
    older: ClassVar[dict[str, str]] = {"body": "package"}
    id: str
    form: str
    part_number: str
    value: str
    package: str
    count: int
    place: str = ""
    date_code: str = ""
    maker_lot: str = ""
    level: str = "1"

    def apply(self, state: WorkshopState, entry: Entry) -> None:
        state[Lots].lots[self.id] = Lot(**msgspec.structs.asdict(self), received_at=entry.at)

    def claims(self) -> list[tuple[str, str]]:
        return [("lot", self.id)]


class LotCounted(OfLot, frozen=True):
    """A lot was counted; the old count stays on record."""

    kind: ClassVar[str] = "lot_counted"
    count: int
    how: str = "hand"

    def change(self, lot: Lot, entry: Entry) -> None:
        lot.count = self.count
        lot.counted.append((entry.at, self.count, self.how))


class LotMoved(OfLot, frozen=True):
    """A lot has another place."""

    kind: ClassVar[str] = "lot_moved"
    place: str

    def change(self, lot: Lot, entry: Entry) -> None:
        lot.place = self.place


class LotMoisture(OfLot, frozen=True):
    """A lot was opened, put away dry, taken out, sealed or baked; `at` when it was not just now."""

    kind: ClassVar[str] = "lot_moisture"
    action: str
    at: str | None = None

    def change(self, lot: Lot, entry: Entry) -> None:
        lot.moisture.append((self.at or entry.at, self.action))


class LotReserved(OfLot, frozen=True):
    """Pieces of a lot are kept for a bin of a batch."""

    kind: ClassVar[str] = "lot_reserved"
    batch: str
    count: int
    line: str = ""

    def change(self, lot: Lot, entry: Entry) -> None:
        of = self.batch, self.line
        lot.reserved[of] = lot.reserved.get(of, 0) + self.count


class LotReleased(OfLot, frozen=True):
    """A batch takes its hand off a lot."""

    kind: ClassVar[str] = "lot_released"
    batch: str

    def change(self, lot: Lot, entry: Entry) -> None:
        lot.reserved = {of: count for of, count in lot.reserved.items() if of[0] != self.batch}


class LotTaken(OfLot, frozen=True):
    """Pieces of a lot went into a bin."""

    kind: ClassVar[str] = "lot_taken"
    batch: str
    line: str
    count: int

    def change(self, lot: Lot, entry: Entry) -> None:
        lot.count -= self.count
        left = self.count
        for of in ((self.batch, self.line), (self.batch, "")):
            if held := lot.reserved.get(of, 0):
                lot.reserved[of] = max(0, held - left)
                left = max(0, left - held)


class TraySet(Event, frozen=True):
    """Rows and columns of the trays the bins stand in."""

    kind: ClassVar[str] = "tray_set"
    rows: int
    columns: int

    def apply(self, state: WorkshopState, entry: Entry) -> None:
        state[Lots].tray = self.rows, self.columns


EVENTS = (LotReceived, LotCounted, LotMoved, LotMoisture, LotReserved, LotReleased, LotTaken, TraySet)
SLICES = (Lots,)
