"""The board's papers as they will print, page by page; the batch's, too."""

from __future__ import annotations

import json
from pathlib import Path

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPixmap
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from fusilex.bench.boards import numbers
from fusilex.bench.report.batch_papers import batch_html, batch_record
from fusilex.bench.report.papers import board_record, page_html
from fusilex.core.shown import json_shown
from fusilex.ui.desk import Desk
from fusilex.ui.tabbed import View
from fusilex.ui.theme import theme
from fusilex.ui.widgets.keys import Key
from fusilex.ui.widgets.paper import PAGE_PT, paper_document, pdf_of


class Paper(QWidget):
    """Two pages of a board's papers side by side, as they will print."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk, self.page = desk, 0
        self._html, self._document = "", paper_document("")
        self._made: tuple[object, QPixmap] | None = None
        self.setAccessibleName("The board's papers")
        self.setMinimumWidth(round(theme.base * 24))

    @property
    def pages(self) -> int:
        return max(1, self._document.pageCount())

    def prepare(self) -> None:
        """Lay out the papers of the board in hand, where they are others than before."""
        html = page_html(self.desk.batch, self.desk.bench.view.board)
        if html != self._html:
            self._html, self._document = html, paper_document(html)
            self.turn(0)
        self.update()

    def turn(self, by: int) -> None:
        """Another page."""
        self.page = max(0, min(self.pages - 1, self.page + by))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        width, height = PAGE_PT
        scale = min((self.width() - 16) / (2 * width), (self.height() - 10) / height)
        look = self._html, scale, self.page
        if self._made is None or self._made[0] != look:
            self._made = look, self._picture(scale)
        painter = QPainter(self)
        painter.drawPixmap(QPointF(max(0.0, (self.width() - 2 * width * scale - 6) / 2), 4), self._made[1])

    def _picture(self, scale: float) -> QPixmap:
        ratio = self.devicePixelRatioF()
        wide, high = PAGE_PT[0] * scale, PAGE_PT[1] * scale
        pixmap = QPixmap(round((2 * wide + 6) * ratio), round(high * ratio))
        pixmap.setDevicePixelRatio(ratio)
        pixmap.fill(theme.colour("bench"))
        painter = QPainter(pixmap)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for k in range(min(2, self.pages - self.page)):
            painter.save()
            painter.translate(k * (wide + 6), 0)
            painter.fillRect(QRectF(0, 0, wide, high), Qt.GlobalColor.white)
            painter.scale(scale, scale)
            painter.setClipRect(QRectF(0, 0, *PAGE_PT))
            painter.translate(0, -(self.page + k) * PAGE_PT[1])
            self._document.drawContents(painter, QRectF(0, (self.page + k) * PAGE_PT[1], *PAGE_PT))
            painter.restore()
        painter.end()
        return pixmap


class PapersView(View):
    name = "Papers"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.paper = Paper(desk)
        row = QHBoxLayout()
        row.addWidget(self.paper, 1)
        self.column.addLayout(row, 1)

    def refresh(self) -> None:
        self.paper.prepare()

    def keys(self) -> list[Key]:
        ask, serial = self.desk.save_file, self.bench.board.serial
        return [
            Key("P", "PDF", lambda _: ask("Write the board's papers", f"{serial}.pdf", self.write)),
            Key("H", "HTML", lambda _: ask("Write the board's papers", f"{serial}.html", self.write)),
            Key("J", "JSON", lambda _: ask("Write the board's record", f"{serial}.json", self.write)),
            Key("A", "all of the batch", lambda _: ask("Write the batch's papers", "batch.html", self.write_batch)),
            Key("Up Down", "turn pages", lambda key: self.paper.turn(1 if key == "Down" else -1)),
        ]

    def write(self, name: str) -> None:
        """Write the papers of the board in hand as PDF, HTML or JSON by the name's ending."""
        serial = self.bench.board.serial
        said = f"Papers of {serial} are in {Path(name).name}."
        page = lambda: page_html(self.batch, serial)  # noqa: E731
        self._write(name, page, lambda: board_record(self.batch, serial), said)

    def write_batch(self, name: str) -> None:
        """Write the papers of the whole batch."""
        said = f"Papers of the batch are in {Path(name).name}."
        self._write(name, lambda: batch_html(self.bench), lambda: batch_record(self.bench), said)

    def _write(self, name: str, page: object, record: object, said: str) -> None:
        assert callable(page) and callable(record)
        ending = Path(name).suffix.lower()
        if ending == ".json":
            text = json_shown(json.dumps(record(), indent=1, ensure_ascii=False))
            self.desk.write(name, f"{text}\n".encode(errors="backslashreplace"), said)
        elif ending in (".html", ".htm"):
            self.desk.write(name, page().encode("utf-8", "backslashreplace"), said)
        else:
            self.desk.write(name, lambda: pdf_of(page(), Path(name).stem), said)

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        board = self.bench.board
        return f"Board {board.serial}", [
            ("page", f"{self.paper.page + 1} of {self.paper.pages}"),
            ("print, load", f"{numbers(board.prints)}, {numbers(board.loads)}"),
            ("overruled", str(len(board_record(self.batch, board.serial)["overruled"]))),
        ]
