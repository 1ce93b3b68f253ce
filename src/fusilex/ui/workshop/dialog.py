"""The workshop's window: the bench above, the records of the tool in hand below."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import msgspec
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QDialog, QFileDialog, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from fusilex.bench.command import Command
from fusilex.bench.common.records import AcceptOffer, LeaveOffer, ReadRecords, RemoveRecord, SetRecord
from fusilex.bench.workshop.record import Record
from fusilex.bench.workshop.record_kinds import KINDS, Person
from fusilex.bench.workshop.records import Offer, Records, write_records
from fusilex.bench.workshop.watch import watch
from fusilex.core.judgement import worst_first
from fusilex.core.problems import BadInput
from fusilex.core.shown import shown
from fusilex.formats.bundle import read_one
from fusilex.ui.desk import Desk
from fusilex.ui.theme import theme
from fusilex.ui.widgets.words import plain_label, plain_tip
from fusilex.ui.workshop.bench_top import BenchTop
from fusilex.ui.workshop.form import Form, about_kind, between, text_of

ROLE = Qt.ItemDataRole.UserRole


class Workshop(QDialog):
    """Arrows go about the bench, Tab through the records; Enter opens one in place."""

    def __init__(self, parent: QWidget, desk: Desk) -> None:
        super().__init__(parent)
        self.desk = desk
        self.setWindowTitle("Workshop")
        self.resize(round(theme.base * 104), round(theme.base * 68))
        self.top, self.list, self.said = BenchTop(desk), QListWidget(), plain_label()
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setAccessibleName("Records")
        self.said.setWordWrap(True)
        keys = "Arrows  tool    Tab  record    Enter  open    N  new    Del  take away    P  at this window"
        column = QVBoxLayout(self)
        column.addWidget(self.top, 3)
        column.addWidget(self.said)
        column.addWidget(self.list, 2)
        column.addWidget(plain_label(f"{keys}    W  write as JSON    R  read JSON"))
        self.top.chosen.connect(self.take)
        self.take("jar")
        self._take_offer()

    @property
    def kind(self) -> type[Record]:
        return KINDS[self.top.kind]

    @property
    def record(self) -> Record | None:
        """The record in hand, None with an offer in hand."""
        item = self.list.currentItem()
        found = item.data(ROLE) if item else None
        return found if isinstance(found, Record) else None

    @property
    def offer(self) -> Offer | None:
        """The offer in hand."""
        item = self.list.currentItem()
        found = item.data(ROLE) if item else None
        return found if isinstance(found, Offer) else None

    def _take_offer(self) -> None:
        """Take up the first thing that is offered; without any the tool stays in hand."""
        records = self.desk.bench.workshop[Records]
        offer = next((o for kind in KINDS.values() for o in records.offered(kind)), None)
        self.take(offer.what if offer else self.top.kind, offer.id if offer else "")

    def take(self, kind: str, id: str = "") -> None:
        """Take a tool in hand, and one of its records."""
        self.top.kind = kind
        self.list.clear()
        for record in self.desk.bench.workshop[Records].all(self.kind).values():
            item = QListWidgetItem(shown(line_of(record, self.desk.bench.who)))
            item.setData(ROLE, record)
            self.list.addItem(item)
            if record.id == id or self.list.count() == 1:
                self.list.setCurrentItem(item)
        for offer in (offers := self.desk.bench.workshop[Records].offered(self.kind)):
            here = self.desk.bench.workshop[Records].all(self.kind).get(offer.id)
            words = f"Offered by {offer.source}: {offer.id}    {'    '.join(offer.differences(here))}"
            item = QListWidgetItem(shown(words))
            item.setToolTip(plain_tip("\n".join(offer.differences(here))))
            item.setData(ROLE, offer)
            self.list.addItem(item)
            if offer.id == id or offer is offers[0]:
                self.list.setCurrentItem(item)
        judged = worst_first(watch(self.desk.batch, self.kind))
        told = [j.headline + "." for j in judged]
        if offers:
            told.insert(0, "From outside, and not used: A accepts the one in hand, X leaves it.")
        self.said.setText("   ".join(told) or about_kind(self.kind))
        self.top.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        key, K = Qt.Key(event.key()), Qt.Key
        ways = {K.Key_Left: (-1, 0), K.Key_Right: (1, 0), K.Key_Up: (0, -1), K.Key_Down: (0, 1)}
        acts: dict[Qt.Key, Callable[[], object]] = {
            K.Key_Return: lambda: self._open(self.record),
            K.Key_Enter: lambda: self._open(self.record),
            K.Key_N: lambda: self._open(None),
            K.Key_Delete: self._remove,
            K.Key_P: self._at_this_window,
            K.Key_W: self._write,
            K.Key_R: self._read,
            K.Key_A: lambda: self._answer(AcceptOffer, "is accepted"),
            K.Key_X: lambda: self._answer(LeaveOffer, "is left"),
        }
        if event.isAutoRepeat() and key in acts:
            return  # a key held down does it once
        if key in ways:
            self.take(self.top.step(*ways[key]))
        elif key in acts:
            acts[key]()
        else:
            super().keyPressEvent(event)

    def focusNextPrevChild(self, forward: bool) -> bool:
        if self.list.count():
            self.list.setCurrentRow((self.list.currentRow() + (1 if forward else -1)) % self.list.count())
        return True

    def _open(self, record: Record | None) -> None:
        form = Form(self, self.kind, record)
        if form.exec() and form.made is not None:
            self.keep(form.made)

    def keep(self, made: Record) -> None:
        """Note a record, and say what came of it."""
        done = self.desk.do(SetRecord(made.what, msgspec.to_builtins(made)), f"{made.id} is noted.")
        self.take(made.what, made.id)
        if done is None:
            self.said.setText(self.desk.said)

    def _remove(self) -> None:
        if self.record:
            self.desk.do(RemoveRecord(self.record.what, self.record.id), f"{self.record.id} is taken away.")
            self.take(self.top.kind)
            self.said.setText(self.desk.said)

    def _answer(self, command: Callable[[str, str], Command], done: str) -> None:
        offer = self.offer
        if offer is None:
            self.said.setText("Nothing is offered here.")
            return
        self.desk.do(command(offer.what, offer.id), f"{offer.id} {done}.")
        self._take_offer()
        self.said.setText(f"{self.desk.said} {self.said.text()}")

    def _at_this_window(self) -> None:
        if isinstance(self.record, Person):
            self.desk.sit(self.record.id)
            self.take("person", self.record.id)

    def _write(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Write the workshop's records", "workshop.json", "JSON (*.json)")
        if name:
            records = self.desk.bench.workshop[Records]
            self.desk.write(name, write_records([r for kind in KINDS.values() for r in records.all(kind).values()]), "")
            self.said.setText(self.desk.said or f"Records are in {Path(name).name}.")

    def _read(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Read records", "", "JSON (*.json)")
        if name:
            self.read(Path(name))

    def read(self, path: Path) -> None:
        """Take in the records of a file."""
        try:
            data = read_one(path)
        except BadInput as problem:
            self.said.setText(str(problem))
            return
        self.desk.do(ReadRecords(path.name, data), f"What {path.name} has otherwise is offered.")
        self._take_offer()
        self.said.setText(f"{self.desk.said} {self.said.text()}")


UNITS = {"c": "°C", "mm": "mm", "h": "h", "ohm": "Ω"}
"""What the last letters of a field's name stand for."""


def _field(name: str, value: str) -> str:
    words, _, unit = name.rpartition("_")
    if words and unit in UNITS:
        return f"{words.replace('_', ' ')} {value} {UNITS[unit]}"
    return f"{name.replace('_', ' ')} {value}"


def line_of(record: Record, who: str = "") -> str:
    """A record in one line: its name and the fields that are not empty."""
    told = msgspec.to_builtins(record)
    fields = [(k, v) for k, v in told.items() if k != "id" and v not in ("", None, False)]
    shown = "    ".join(_field(k, text_of(v, between(type(record), k))) for k, v in fields)
    here = "    at this window" if isinstance(record, Person) and record.id == who else ""
    return f"{record.id}    {shown}{here}"
