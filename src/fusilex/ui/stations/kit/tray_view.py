"""Kit's trays with their keys: fill, count, check the bag, and everything else a bin wants."""

from __future__ import annotations

from pathlib import Path

from fusilex.bench.command import Command
from fusilex.bench.common.bins import Bins
from fusilex.bench.now import Now
from fusilex.bench.stations.kit import bins as c
from fusilex.bench.stations.kit.events import BagChecked, Kitted, bin_open
from fusilex.bench.stations.kit.fitting import have, lines_to_pull, lots_for
from fusilex.bench.stations.kit.now import at_bin
from fusilex.bench.stations.kit.stock import SetTray
from fusilex.bench.stations.kit.typed_input import tray_size
from fusilex.bench.typed_text import pieces
from fusilex.bench.workshop.stock import Lots
from fusilex.core.evidence import Level
from fusilex.core.kit.quantities import PLACING_ORDERS, PullLine
from fusilex.core.kit.stock import buy_list
from fusilex.core.problems import BadInput
from fusilex.formats.bundle import read_one
from fusilex.formats.written.csv_lists import buy_csv
from fusilex.ui.desk import Desk
from fusilex.ui.stations.kit.labels import labels_pdf
from fusilex.ui.stations.kit.tray import Tray
from fusilex.ui.tabbed import View
from fusilex.ui.widgets.keys import Key


class TrayView(View):
    name = "Tray"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.tray = Tray(desk)
        self.column.addWidget(self.tray, 1)
        self._next()

    def _waiting(self) -> list[int]:
        """Bins that are to be filled and are not, in order."""
        batch = self.batch
        return [batch.bin_number[x.key] - 1 for x in lines_to_pull(batch) if bin_open(batch.state, x.key)]

    def _next(self) -> None:
        self.tray.chosen = next(iter(self._waiting()), self.tray.chosen)

    def refresh(self) -> None:
        lines = self.tray.lines
        self.tray.chosen = min(lines, key=lambda at: abs(at - self.tray.chosen), default=0)
        self.tray.update()

    def now(self) -> Now | None:
        """The bin in hand, as long as it waits."""
        waits = self.batch.lines and self.bench.state.at("Kit") and self.tray.chosen in self._waiting()
        return at_bin(self.batch, self.line) if waits else None

    @property
    def line(self) -> PullLine:
        return self.tray.lines[self.tray.chosen]

    def keys(self) -> list[Key]:
        if not self.batch.lines:
            return []
        ask, number = self.desk.ask, self.tray.chosen + 1
        bag = self.bench.state[Kitted].bags.get(self.line.key)
        filling = self._waiting() or self.bench.state.at("Kit") or bin_open(self.bench.state, self.line.key)
        keys = [Key("Space", "bin filled", lambda _: self._filled())] if filling else []
        keys += [
            Key("C", "other count", lambda _: ask(f"Pieces in bin {number}", self._counted)),
            Key(
                "K",
                "check the bag",
                lambda _: ask(
                    f"Label of the bag for bin {number}, {self.line.name} {self.line.package.code}", self._label
                ),
            ),
        ]
        if bag and bag.level != Level.GO:
            keys.append(
                Key("W", "use it all the same", lambda _: ask("Because", lambda why: self._bag(bag.label, why)))
            )
        return [
            *keys,
            Key("Left Right Up Down", "choose a bin", self._move),
            Key("L", "lot", lambda _: ask(f"Lot of {self.line.name} in bin {number}", self._lot)),
            Key(
                "S",
                "substitute",
                lambda _: ask(f"What may stand in for {self.line.name}, and why (part: reason)", self._substitute),
            ),
            Key("G", "programme", lambda _: self._programme()),
            Key(
                "Y", "strap test", lambda _: ask("The strap reads", lambda t: self._did(c.StrapTest(t), "Strap noted."))
            ),
            Key("O", "order", lambda _: self._order()),
            Key(
                "T",
                "tray size",
                lambda _: ask(
                    "Rows and columns of your tray",
                    self._size,
                    "{} {}".format(*self.bench.workshop[Lots].tray or (4, 9)),
                ),
            ),
            Key("X", "leave a side for later", lambda _: self._skip()),
            Key("B", "shopping list", lambda _: self.desk.save_file("Shopping list", "to-buy.csv", self._save_list)),
            Key("P", "labels", lambda _: self.desk.save_file("Labels of the bins", "labels.pdf", self._save_labels)),
        ]

    def _did(self, command: Command, done: str) -> None:
        self.desk.do(command, done)

    def _move(self, key: str) -> None:
        step = {"Left": -1, "Right": 1, "Up": -self.tray.columns(), "Down": self.tray.columns()}[key]
        lines = self.tray.lines
        wanted = self.tray.chosen + step
        while wanted not in lines and 0 <= wanted <= max(lines):
            wanted += step
        if wanted in lines:
            self.tray.chosen = wanted
            self.desk.changed.emit()

    def _filled(self) -> None:
        if not self._waiting() and self.bench.state.at("Kit"):
            if self.desk.do(c.CloseKit(), "The batch is on its way."):
                self.desk.go("Print")
            return
        if self._waiting() and not bin_open(self.bench.state, self.line.key):
            self._next()
        held = self.bench.state[Bins].filled.get(self.line.key)
        lot = next((x for x in lots_for(self.batch, self.line) if x.count > 0), None)
        if lot is None or held:
            self._record(self.line.pull, held.lot if held else "")
        else:
            self._record(min(self.line.pull, lot.count), lot.id)

    def _record(self, count: int, lot: str) -> None:
        number = self.tray.chosen + 1
        if self.desk.do(c.FillBin(self.line.key, count, lot), f"Bin {number}: {count} pieces."):
            self._next()
            self.desk.changed.emit()

    def _counted(self, text: str) -> None:
        held = self.bench.state[Bins].filled.get(self.line.key)
        if (count := pieces(text)) is not None:
            self._record(count, held.lot if held else "")
        else:
            self.desk.say(f"“{text}” is no count: type whole pieces, 0 for an empty bin.")

    def _lot(self, text: str) -> None:
        held = self.bench.state[Bins].filled.get(self.line.key)
        self._record(held.count if held else self.line.pull, text)

    def _label(self, text: str) -> None:
        self._bag(text, "")

    def _bag(self, label: str, reason: str) -> None:
        entries = self.desk.do(c.CheckBag(self.line.key, label, reason)) or []
        for bag in (e.event for e in entries if isinstance(e.event, BagChecked)):
            wrong = f"Can't tell: {'; '.join(bag.unread)}."
            if bag.differs:
                what, wanted, found = bag.differs[0]
                wrong = f"Wrong bag: {what} {found}, not {wanted}."
            self.desk.say("The right bag." if bag.level == Level.GO else f"On record: {reason}." if reason else wrong)

    def _substitute(self, text: str) -> None:
        part, _, reason = text.partition(":")
        self._did(
            c.ApproveSubstitute(self.line.key, part, reason), f"{part.strip()} may stand in for {self.line.name}."
        )

    def _programme(self) -> None:
        key = self.line.key
        if key not in self.bench.state[Kitted].programmes:
            self._did(c.WantProgramme(key), f"{self.line.name} is programmed before it is placed: G records the file.")
            return
        self.desk.choose_file("Programme file", "All files (*)", lambda name: self._programmed(key, name))

    def _programmed(self, key: str, name: str) -> None:
        try:
            data = read_one(Path(name))
        except BadInput as problem:
            self.desk.say(str(problem))
            return
        file = Path(name).name
        self.desk.ask(
            f"Version of {file}", lambda v: self._did(c.RecordProgramme(key, file, data, v), f"{file}, version {v}.")
        )

    def _order(self) -> None:
        names = list(PLACING_ORDERS)
        school = names[(names.index(self.bench.state[Bins].order) + 1) % len(names)]
        self._did(c.ChooseOrder(school), f"Bins {PLACING_ORDERS[school]}.")

    def _size(self, text: str) -> None:
        if found := self.desk.read(lambda: tray_size(text)):
            self._did(SetTray(*found), f"Trays of {found[0]} × {found[1]} bins.")

    def _skip(self) -> None:
        sides = ["", "bottom", "top"]
        side = sides[(sides.index(self.bench.state[Bins].skipped_side) + 1) % 3]
        self._did(c.SkipSide(side), f"Bins of the {side} are left for later." if side else "All bins are pulled.")
        self._next()

    def _save_list(self, name: str) -> None:
        batch = self.batch
        lines = buy_list(batch.lines, {x.key: have(batch, x) for x in batch.lines})
        self.desk.write(name, buy_csv(lines).encode(), f"{len(lines)} lines to buy, in {Path(name).name}.")

    def _save_labels(self, name: str) -> None:
        said = f"{len(self.batch.lines)} labels in {Path(name).name}."
        self.desk.write(name, lambda: labels_pdf(self.batch, self.tray.plan), said)

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        if not self.batch.lines:
            return "", []
        line, held = self.line, self.bench.state[Bins].filled.get(self.line.key)
        refs = ", ".join(line.refs[:6]) + (" …" if len(line.refs) > 6 else "")
        loss = f"{100 * line.loss:.2g} %" + (f" of {line.behind} placed here" if line.behind else " by default")
        stock = have(self.batch, line) if self.bench.workshop[Lots].lots else None
        return f"Bin {self.tray.plan.label(self.tray.chosen)}", [
            ("for", refs),
            ("package", line.package.code),
            ("need, pull", f"{line.need}, {line.pull}" + ("" if stock is None else f"; {stock} there")),
            ("loss", loss),
            ("number, lot", f"{line.part_number or 'none'}, {(held.lot if held else '') or 'no lot'}"),
        ]
