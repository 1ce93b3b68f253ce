"""Head of the frame: design and batch, the clocks that matter now, units."""

from __future__ import annotations

from collections.abc import Collection

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPaintEvent

from fusilex.bench.clocks import clocks
from fusilex.bench.common.standing import WORDS, Standing
from fusilex.bench.record.bench import Bench
from fusilex.bench.workshop.record_kinds import Person
from fusilex.bench.workshop.records import Records
from fusilex.core.quantities import chosen
from fusilex.ui.theme import theme
from fusilex.ui.widgets.glyphs import plain_text
from fusilex.ui.widgets.shown import Shown

LEAST_NAME = 14
"""Ems of a long name that stay before clocks give way."""


class Head(Shown):
    """Painted whole; a click on the units switches them."""

    units_clicked = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.bench: Bench | None = None
        self.shown_name = self.shown_batch = ""
        self.setFixedHeight(round(theme.base * 4.6))
        self.setAccessibleName("Batch and clocks")

    def show_bench(self, bench: Bench | None) -> None:
        self.bench = bench
        self.look_again()

    def look(self) -> object:
        return self._name(), self._batch() if self.bench else "", self._clocks()

    def _name(self) -> str:
        return str(self.bench.state[Standing].name or self.bench.state.opened["design"]) if self.bench else "Fusilex"

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        name = self._name()
        batch = self._batch() if self.bench else ""
        large, body = QFontMetricsF(theme.font("head", bold=True)), QFontMetricsF(theme.font("body"))
        least = min(large.horizontalAdvance(name), theme.base * LEAST_NAME)
        left = self._cells(painter, 38 + least)
        room = max(0.0, left - 58)  # for the name, which gives way to how many boards there are
        width = min(large.horizontalAdvance(name), max(least, room - body.horizontalAdvance(batch)))
        painter.setFont(theme.font("head", bold=True))
        painter.setPen(theme.colour("ink"))
        self.shown_name = large.elidedText(name, Qt.TextElideMode.ElideMiddle, width + 1)
        painter.drawText(QRectF(20, 0, width + 4, self.height()), Qt.AlignmentFlag.AlignVCenter, self.shown_name)
        text = QRectF(38 + width, 3, max(0.0, left - 48 - width), self.height())
        painter.setFont(theme.font("body"))
        painter.setPen(theme.colour("soft"))
        self.shown_batch = body.elidedText(batch, Qt.TextElideMode.ElideRight, text.width())
        painter.drawText(text, Qt.AlignmentFlag.AlignVCenter, self.shown_batch)

    def _batch(self) -> str:
        assert self.bench
        state = self.bench.state
        panels = len(state.panels)
        many = f" in {panels} panel{'s' if panels > 1 else ''}" if panels < len(state.boards) else ""
        rests = WORDS.get(state[Standing].status)
        if self.bench.damage or self.bench.journal.only_read:
            rests = "damaged, only to be looked at" if self.bench.damage else "only to be looked at"
        said = f"    {rests}" if rests else ""
        return f"batch {state.opened['batch']}    {len(state.boards)} boards{many}{said}"

    def _cells(self, painter: QPainter, start: float) -> float:
        """Clocks and units from the right, as many as there is room for; where they begin."""
        middle, left = self.height() / 2, self.width() - 16.0
        for what, value in reversed(self._clocks()):
            metrics = QFontMetricsF(theme.font("body"))
            wide = max(metrics.horizontalAdvance(what), metrics.horizontalAdvance(value)) + 26
            if left - wide < start + 120:
                break
            left -= wide
            above = QRectF(left, middle - metrics.height() - 1, wide, metrics.height())
            plain_text(painter, above, what, "small", "soft")
            plain_text(painter, QRectF(left, middle, wide, metrics.height() + 2), value, "body", "ink")
        return left

    def _clocks(self) -> list[tuple[str, str]]:
        """Who is here, the clocks that run, the units."""
        units = f"{'°F' if chosen().fahrenheit else '°C'}  {'inch' if chosen().inch else 'mm'}"
        running = clocks(self.bench.batch) if self.bench else []
        who = [("here", self.bench.who)] if self.bench and self.bench.who in self._people() else []
        return [*who, *running, ("units", units)]

    def _people(self) -> Collection[str]:
        """Initials of those who work here: a login's name is none."""
        return self.bench.workshop[Records].all(Person) if self.bench else ()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event and event.position().x() > self.width() - 110:
            self.units_clicked.emit()
