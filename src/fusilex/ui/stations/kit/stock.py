"""Stock: every reel, strip, tray, bag and tube, counted, reserved, its moisture clock running."""

from __future__ import annotations

import math
from collections import Counter
from datetime import UTC, datetime
from pathlib import Path

from msgspec.structs import replace

from fusilex.bench.common.moisture import judge_lot
from fusilex.bench.now import Now
from fusilex.bench.stations.kit import stock as c
from fusilex.bench.stations.kit import typed_input
from fusilex.bench.stations.kit.fitting import lots_for
from fusilex.bench.stations.kit.now import at_stock
from fusilex.bench.stations.kit.weighing import weigh
from fusilex.bench.workshop.records import Records, port_of
from fusilex.bench.workshop.stock import Lot, Lots
from fusilex.core.evidence import Level
from fusilex.core.kit.counting import Count
from fusilex.core.kit.moisture import FLOOR_LIFE_H, hours_left
from fusilex.core.packages.catalogue import Package, package_of
from fusilex.core.problems import BadInput
from fusilex.formats.bundle import read_one
from fusilex.formats.lists.stock import COLUMNS, StockRow, read_stock, stock_csv
from fusilex.ui.desk import Desk
from fusilex.ui.reading import Reading
from fusilex.ui.tabbed import View
from fusilex.ui.widgets.keys import Key
from fusilex.ui.widgets.rows import Column, Rows


class StockView(View):
    name = "Stock"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.port = Reading(self, desk)
        columns = [
            Column("lot", 0.8),
            Column("part", 2.2),
            Column("package", 1.5),
            Column("count", 0.8, True),
            Column("free", 0.8, True),
            Column("place", 1.2),
            Column("floor life", 1.6),
        ]
        empty = (
            "Nothing in stock yet. N takes in a reel, strip, tray, bag or tube, I a whole list; bins can also be filled"
            " without stock."
        )
        self.table = Rows("Stock of the workshop", columns, empty)
        self.table.picked.connect(lambda _: desk.changed.emit())
        self.column.addWidget(self.table, 1)

    def _lots(self) -> list[Lot]:
        """Lots that serve this batch first, then the others, in order of receipt."""
        batch = self.batch
        serving = {lot.id for line in batch.lines for lot in lots_for(batch, line)}
        return sorted(self.bench.workshop[Lots].lots.values(), key=lambda lot: lot.id not in serving)

    @property
    def lot(self) -> Lot | None:
        lots = self._lots()
        return lots[self.table.chosen] if lots else None

    def refresh(self) -> None:
        rows: list[tuple[str, ...]] = []
        marks: list[Level | None] = []
        for lot in self._lots():
            clock, mark = "no limit", None
            if FLOOR_LIFE_H[lot.level] < float("inf"):
                spent = lot.exposure(self.batch.at)
                clock = (
                    f"level {lot.level}, sealed"
                    if not lot.moisture
                    else (
                        f"out {spent.hours:.0f} h, by its label"
                        if math.isnan(left := hours_left(lot.level, spent))
                        else f"{left:.0f} of {FLOOR_LIFE_H[lot.level]:.0f} h"
                    )
                )
                mark = judge_lot(self.batch, lot, self.batch.at).level if lot.moisture else None
            name = f"{lot.value} {lot.part_number}".strip()
            rows.append((lot.id, name, lot.package, str(lot.count), str(lot.free), lot.place, clock))
            marks.append(mark if mark is not Level.GO else None)
        self.table.show_rows(rows, marks)

    def now(self) -> Now:
        return at_stock(self.lot)

    def keys(self) -> list[Key]:
        keys = [
            Key(
                "N",
                "take in",
                lambda _: self.desk.ask(
                    "Form, number, value, package, count, place, level", self._received, self._example()
                ),
            )
        ]
        keys.append(
            Key(
                "I",
                "take in a list",
                lambda _: self.desk.choose_file("Stock list", "Lists (*.csv *.tsv *.txt *.xlsx)", self._list),
            )
        )
        if self.lot is None:
            return keys
        return [
            *keys,
            Key("Up Down", "choose a lot", lambda key: self.table.step(1 if key == "Down" else -1)),
            Key(
                "C",
                "count",
                lambda _: self.desk.ask("Count; or strip 403, weight 52.5 12.5, reel 178 60 1.2", self._counted),
            ),
            Key("W", "weigh", lambda _: self.desk.ask("Empty reel, strip or bag, g", self._weighed, "0")),
            Key(
                "V",
                "opened, dry, baked",
                lambda _: self.desk.ask(
                    "It is opened, dry, out, sealed or baked; since when (30 h ago, a date)",
                    self._moisture,
                    self._likely(),
                ),
            ),
            Key("M", "move", lambda _: self.desk.ask("Its place", self._moved, self.lot.place if self.lot else "")),
            Key("E", "write the list", lambda _: self.desk.save_file("Stock list", "stock.csv", self._write)),
            Key(
                "R", "reserve for this batch", lambda _: self.desk.do(c.ReserveStock(), "Stock is kept for this batch.")
            ),
        ]

    def _example(self) -> str:
        """The next line without stock, ready to be completed."""
        line = next((x for x in self.batch.lines if not lots_for(self.batch, x)), None)
        return (
            f"reel, {line.part_number}, {line.value.replace(',', '.')}, {line.package.code.replace(',', '.')},"
            f" {line.pull}, , 1"
            if line
            else ""
        )

    def _likely(self) -> str:
        lot = self.lot
        return "opened" if lot is None or not lot.moisture else "dry" if lot.exposure(self.batch.at).running else "out"

    def _received(self, text: str) -> None:
        if command := self.desk.read(lambda: typed_input.lot(text)):
            self.desk.do(command, "Taken in.")

    def _list(self, name: str) -> None:
        """Many lots from a list; those that are known by their id are counted anew."""
        try:
            rows = read_stock(read_one(Path(name)), Path(name).name)
        except BadInput as problem:
            self.desk.say(str(problem))
            return
        lots = self.bench.workshop[Lots].lots
        again = sum(row.id in lots for row in rows)
        received = tuple(c.ReceiveLot(**{k: getattr(row, k) for k in COLUMNS}) for row in rows)
        done = f"{len(rows) - again} lots taken in{f', {again} counted anew' if again else ''}, from {Path(name).name}."
        self.desk.do(c.ReceiveList(received, Path(name).name), done)

    def _write(self, name: str) -> None:
        lots = self._lots()
        rows = (StockRow(**{k: getattr(lot, k) for k in COLUMNS}) for lot in lots)
        self.desk.write(name, stock_csv(rows).encode(), f"{len(lots)} lots in {Path(name).name}.")

    def _package(self, lot: Lot) -> Package:
        """Package of the pieces: as this design knows it, else by the catalogue."""
        return next((x.package for x in self.batch.lines if lot in lots_for(self.batch, x)), package_of(lot.package))

    def _weighed(self, text: str) -> None:
        if lot := self.lot:
            port, package = port_of(self.bench.workshop[Records]), self._package(lot)
            if (tare_g := self.desk.read(lambda: typed_input.tare(text))) is not None:
                as_now = replace(lot)
                self.port.ask(lambda: weigh(as_now, package, tare_g, port), lambda found: self._found(as_now, found))

    def _counted(self, text: str) -> None:
        if lot := self.lot:
            package = self._package(lot)
            self._found(lot, self.desk.read(lambda: typed_input.count(text, package)))

    def _found(self, lot: Lot, found: tuple[Count, str] | None) -> None:
        if found is not None:
            pieces, how = found
            self.desk.do(c.CountLot(lot.id, pieces.pieces, how), f"{lot.id}: {pieces.text} pieces by {how}.")

    def _moisture(self, text: str) -> None:
        lot = self.lot
        if lot and (command := self.desk.read(lambda: typed_input.moisture(lot.id, text, datetime.now(UTC)))):
            self.desk.do(command, f"{lot.id}: {text.strip()}.")

    def _moved(self, text: str) -> None:
        if lot := self.lot:
            self.desk.do(c.MoveLot(lot.id, text), f"{lot.id} is at {text}.")

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        lot = self.lot
        if lot is None:
            return "", []
        counted = f"{lot.counted[-1][1]} by {lot.counted[-1][2]}" if lot.counted else "not since it came in"
        by_batch = Counter[str]()
        for (batch, _), count in lot.reserved.items():
            by_batch[batch] += count
        reserved = ", ".join(f"{n} for {b}" for b, n in by_batch.items() if n) or "none"
        return f"Lot {lot.id}", [
            ("form", lot.form),
            ("date code, lot", f"{lot.date_code or '–'}, {lot.maker_lot or '–'}"),
            ("counted", counted),
            ("reserved", reserved),
            ("came in", lot.received_at[:10]),
        ]
