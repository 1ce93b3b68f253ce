"""Commands of Kit beyond the bins: stock, bags, moisture, programmes, trays."""

from __future__ import annotations

from dataclasses import dataclass

from fusilex.bench.commands.base import Command


@dataclass(frozen=True)
class ReceiveLot(Command):
    """A reel, strip, tray, bag or tube comes into stock; without an id it gets one."""

    form: str
    part_number: str
    value: str
    package: str
    count: int
    place: str = ""
    date_code: str = ""
    maker_lot: str = ""
    level: str = "1"
    id: str = ""


@dataclass(frozen=True)
class ReceiveList(Command):
    """Many lots at once, all or none: those with an id that is known are counted anew, `name` says from which list."""

    lots: tuple[ReceiveLot, ...]
    name: str


@dataclass(frozen=True)
class CountLot(Command):
    """A lot was counted: `how` by hand, strip, weight or reel. The old count stays on record."""

    lot: str
    count: int
    how: str = "hand"


@dataclass(frozen=True)
class MoveLot(Command):
    lot: str
    place: str


@dataclass(frozen=True)
class NoteMoisture(Command):
    """A lot was opened, put away dry, taken out, sealed or baked; now, or at an ISO time with zone."""

    lot: str
    action: str
    at: str = ""


@dataclass(frozen=True)
class ReserveStock(Command):
    """Stock that fits is kept for this batch."""


@dataclass(frozen=True)
class CheckBag(Command):
    """A bag's label against the line of a bin; a reason lets a bag through that does not match."""

    line: str
    label: str
    reason: str = ""


@dataclass(frozen=True)
class ApproveSubstitute(Command):
    """Another part number or value may stand in for a line."""

    line: str
    text: str
    reason: str


@dataclass(frozen=True)
class WantProgramme(Command):
    """The parts of a bin are programmed before they are placed."""

    line: str


@dataclass(frozen=True)
class RecordProgramme(Command):
    """The parts of a bin were programmed with a file of a version."""

    line: str
    name: str
    data: bytes
    version: str


@dataclass(frozen=True)
class StrapTest(Command):
    """The wrist strap's resistance as read, such as ``1.1M``."""

    text: str


@dataclass(frozen=True)
class ChooseOrder(Command):
    """Order of placing and so of the bins: kind, hidden-first or area."""

    school: str


@dataclass(frozen=True)
class SetTray(Command):
    """Rows and columns of the trays the bins stand in, for every batch."""

    rows: int
    columns: int


@dataclass(frozen=True)
class SkipSide(Command):
    """Bins of a side are not pulled now ('' pulls all)."""

    side: str
