"""A new batch in one quiet dialog: boards, serials, paste, and the route its design suggests."""

from __future__ import annotations

from msgspec import Struct
from PyQt6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QFormLayout, QLineEdit, QSpinBox, QWidget

from fusilex.bench.workshop.record_kinds import PasteSheet, Serials
from fusilex.bench.workshop.records import Records
from fusilex.core.checks.side_order import SIDE_ORDERS
from fusilex.core.design.model import Design
from fusilex.core.route.propose import propose, usual_order
from fusilex.core.shown import shown
from fusilex.ui.theme import theme
from fusilex.ui.widgets.words import plain_label


class Wanted(Struct, frozen=True):
    """A batch as it is to be opened; `number` 0 is the next free one, `order` '' the usual one."""

    boards: int
    prefix: str
    number: int
    paste: str
    order: str = ""


class NewBatch(QDialog):
    """Enter takes what stands there, Esc leaves it."""

    def __init__(self, parent: QWidget, title: str, design: Design, records: Records, boards: int = 6) -> None:
        super().__init__(parent)
        self.design = design
        self.setWindowTitle(f"New batch of {shown(title)}")
        self.boards, self.number, self.prefix = QSpinBox(), QSpinBox(), QLineEdit(prefix_for(records, title))
        self.boards.setRange(1, 1000)
        self.boards.setValue(boards)
        self.number.setRange(0, 99_999)
        self.number.setSpecialValueText("the next free one")
        self.prefix.setMaxLength(8)
        self.paste, self.order, self.route = QComboBox(), QComboBox(), plain_label()
        self.paste.addItems(list(records.all(PasteSheet)))
        for order, words in SIDE_ORDERS.items():
            self.order.addItem(words[:1].upper() + words[1:], order)
        self._usual = usual_order(design, boards)
        self.order.setCurrentIndex(self.order.findData(self._usual))
        self.order.currentIndexChanged.connect(self._show_route)
        self.boards.valueChanged.connect(self._propose)
        self.route.setWordWrap(True)
        self.route.setMinimumWidth(round(theme.base * 52))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        form = QFormLayout(self)
        form.setVerticalSpacing(round(theme.base))
        for name, field in (
            ("Boards", self.boards),
            ("Serials begin with", self.prefix),
            ("Batch number", self.number),
            ("Paste", self.paste),
            ("Sides", self.order),
            ("Route", self.route),
        ):
            field.setAccessibleName(name)
            form.addRow(name, field)
        form.addRow(buttons)
        self._show_route()
        self.boards.selectAll()

    def _propose(self, boards: int) -> None:
        """What suits so many boards, where nothing else was chosen."""
        left, self._usual = self.order.currentData() == self._usual, usual_order(self.design, boards)
        if left:
            self.order.setCurrentIndex(self.order.findData(self._usual))

    def _show_route(self) -> None:
        steps = propose(self.design, self.order.currentData())
        self.route.setText("  →  ".join(steps.label(s.id) for s in steps if s.station != "Rework"))

    @property
    def wanted(self) -> Wanted:
        """What stands in the fields."""
        order = self.order.currentData()
        chosen = "" if order == self._usual else order
        prefix = self.prefix.text().strip() or "B"
        return Wanted(self.boards.value(), prefix, self.number.value(), self.paste.currentText(), chosen)


def prefix_for(records: Records, title: str) -> str:
    """What serials of a design begin with: as its record says, else its first letter."""
    own = (s.prefix for s in records.all(Serials).values() if s.design and s.design.lower() == title.lower())
    return next(own, (title[:1] or "B").upper())


def ask_new_batch(parent: QWidget, title: str, design: Design, records: Records) -> Wanted | None:
    """What a person wants, None when they leave it."""
    dialog = NewBatch(parent, title, design, records)
    return dialog.wanted if dialog.exec() else None
