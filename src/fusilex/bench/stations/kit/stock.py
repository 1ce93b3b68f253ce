"""Commands of Kit about stock. Lots live in the workshop's stream; each command leaves its mark in the batch's."""

from __future__ import annotations

import itertools
from collections.abc import Collection
from datetime import datetime

from fusilex.bench.batch import Batch
from fusilex.bench.command import Command, Result
from fusilex.bench.common.bins import Bins
from fusilex.bench.record.bounds import MOST_PIECES
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.kit.events import StockNoted
from fusilex.bench.stations.kit.fitting import lot_of, lots_for
from fusilex.bench.workshop.stock import (
    LOT_FORMS,
    Lot,
    LotCounted,
    LotMoisture,
    LotMoved,
    LotReceived,
    LotReleased,
    LotReserved,
    Lots,
    TraySet,
)
from fusilex.core.kit.moisture import ACTIONS, FLOOR_LIFE_H
from fusilex.journal.entries import Event


class ReceiveLot(Command, frozen=True):
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

    def decide(self, batch: Batch) -> Result:
        received = self.received({*batch.workshop[Lots].lots, *batch.taken.get("lot", ())})
        return Result([StockNoted("lot_received", received.id)], [received])

    def received(self, known: Collection[str]) -> LotReceived:
        """The lot as it comes in, under the next free id where it has none. Raises `Refused`."""
        if self.form not in LOT_FORMS:
            raise Refused(f"A lot is a {', '.join(LOT_FORMS)}, not a {self.form or 'nothing'}.")
        if not (self.part_number.strip() or self.value.strip()):
            raise Refused("Say what it is: a part number or a value.")
        _check_count(self.count)
        level = self.level.lower()
        if level not in FLOOR_LIFE_H:
            raise Refused(f"Moisture levels are {', '.join(FLOOR_LIFE_H)}, not {self.level}.")
        letter = self.form[0].upper()
        free = (f"{letter}{n}" for n in itertools.count(len(known) + 1) if f"{letter}{n}" not in known)
        name = self.id.strip() or next(free)
        if name in known:
            raise Refused(f"There is, or was, a lot {name} already.")
        return LotReceived(
            name,
            self.form,
            self.part_number.strip(),
            self.value.strip(),
            self.package.strip(),
            self.count,
            self.place.strip(),
            self.date_code.strip(),
            self.maker_lot.strip(),
            level,
        )


class ReceiveList(Command, frozen=True):
    """Many lots at once, all or none: those with an id that is known are counted anew, `name` says from which list."""

    lots: tuple[ReceiveLot, ...]
    name: str

    def decide(self, batch: Batch) -> Result:
        if not self.lots:
            raise Refused(f"{self.name} names no lot.")
        there = batch.workshop[Lots].lots
        known = {*there, *batch.taken.get("lot", ())}
        happened: list[Event] = []
        for n, lot in enumerate(self.lots, 1):
            try:
                if lot.id.strip() in there:
                    happened.append(_counted(lot_of(batch, lot.id), lot.count, self.name))
                else:
                    received = lot.received(known)
                    happened.append(received)
                    known.add(received.id)
            except Refused as problem:
                raise Refused(f"{self.name}, lot {n}: {problem}") from problem
        return Result([StockNoted("stock_list", lots=len(happened))], happened)


class CountLot(Command, frozen=True):
    """A lot was counted: `how` by hand, strip, weight or reel. The old count stays on record."""

    lot: str
    count: int
    how: str = "hand"

    def decide(self, batch: Batch) -> Result:
        counted = _counted(lot_of(batch, self.lot), self.count, self.how)
        return Result([StockNoted("lot_counted", counted.id)], [counted])


def _counted(lot: Lot, count: int, how: str) -> LotCounted:
    _check_count(count)
    return LotCounted(lot.id, count, how)


def _check_count(count: int) -> None:
    if not 0 <= count <= MOST_PIECES:
        raise Refused(f"A lot has 0 to {MOST_PIECES} pieces, not {count}.")


class MoveLot(Command, frozen=True):
    """A lot has another place."""

    lot: str
    place: str

    def decide(self, batch: Batch) -> Result:
        moved = LotMoved(lot_of(batch, self.lot).id, self.place.strip())
        return Result([StockNoted("lot_moved", moved.id)], [moved])


class NoteMoisture(Command, frozen=True):
    """A lot was opened, put away dry, taken out, sealed or baked; now, or at an ISO time with zone."""

    lot: str
    action: str
    at: str = ""

    def decide(self, batch: Batch) -> Result:
        lot = lot_of(batch, self.lot)
        if self.action not in ACTIONS:
            raise Refused(f"A lot is {', '.join(ACTIONS)}, not {self.action}.")
        if self.at:
            try:
                at = datetime.fromisoformat(self.at)
                if at.tzinfo is None:
                    raise ValueError("without a time zone")
            except ValueError as error:
                raise Refused(f"“{self.at}” is no time: {error}.") from error
            if at > batch.at:
                raise Refused(f"{self.at[:16].replace('T', ' ')} is still to come.")
        return Result([StockNoted("lot_moisture", lot.id)], [LotMoisture(lot.id, self.action, self.at or None)])


class ReserveStock(Command, frozen=True):
    """Stock that fits is kept for this batch: a hand on the oldest lots first, up to the pull quantity of every
    line.
    """

    def decide(self, batch: Batch) -> Result:
        name = batch.name
        happened: list[Event] = [
            LotReleased(lot.id, name) for lot in batch.workshop[Lots].lots.values() if lot.kept_for(name)
        ]
        kept: list[LotReserved] = []
        for line in batch.lines:
            if line.key in batch.state[Bins].filled:
                continue
            wanted = line.pull
            for lot in lots_for(batch, line):
                given = sum(x.count for x in kept if x.id == lot.id)
                own = sum(count for (batch_name, _), count in lot.reserved.items() if batch_name == name)
                take = min(wanted, lot.free + own - given)
                if take > 0:
                    kept.append(LotReserved(lot.id, name, take, line.key))
                    wanted -= take
        if not kept:
            raise Refused("No lot in stock fits a line of this batch.")
        return Result([StockNoted("stock_reserved")], [*happened, *kept])


class SetTray(Command, frozen=True):
    """Rows and columns of the trays the bins stand in, for every batch."""

    rows: int
    columns: int

    def decide(self, batch: Batch) -> Result:
        if not (1 <= self.rows <= 30 and 1 <= self.columns <= 40 and self.rows * self.columns >= 2):
            raise Refused("A tray has up to 30 rows and 40 columns, and two compartments at least.")
        return Result([StockNoted("tray_set")], [TraySet(self.rows, self.columns)])


COMMANDS = (ReceiveLot, ReceiveList, CountLot, MoveLot, NoteMoisture, ReserveStock, SetTray)
