"""Release: the panel with its boards and cuts, and the board's papers as they will print."""

from __future__ import annotations

import json
from pathlib import Path

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPaintEvent, QPen, QPixmap
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from fusilex.bench.boards import numbers
from fusilex.bench.papers import board_record, page_html
from fusilex.bench.stations.release.commands import ReleaseBoard
from fusilex.core.judgement import Level
from fusilex.core.road.steps import DONE
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.picture import StationPicture
from fusilex.ui.theme import theme
from fusilex.ui.widgets.glyphs import judgement_mark, plain_text
from fusilex.ui.widgets.keys import Key
from fusilex.ui.widgets.paper import PAGE_PT, paper_document, pdf_of

PARTS_ON_A_PAGE = 90
"""More lines of parts than a page has."""


class Paper(QWidget):
    """First page of the board's papers, as it will print."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._made: tuple[object, QPixmap] | None = None
        self.setAccessibleName("The board's papers")
        self.setMinimumWidth(round(theme.base * 24))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        html = page_html(self.desk.batch, self.desk.bench.view.board, PARTS_ON_A_PAGE)
        width, height = PAGE_PT
        scale = min((self.width() - 10) / width, (self.height() - 10) / height)
        look = html, scale
        if self._made is None or self._made[0] != look:
            self._made = look, self._picture(html, scale)
        painter = QPainter(self)
        painter.drawPixmap(QPointF((self.width() - width * scale) / 2, 4), self._made[1])

    def _picture(self, html: str, scale: float) -> QPixmap:
        ratio = self.devicePixelRatioF()
        pixmap = QPixmap(round(PAGE_PT[0] * scale * ratio), round(PAGE_PT[1] * scale * ratio))
        pixmap.setDevicePixelRatio(ratio)
        pixmap.fill(Qt.GlobalColor.white)
        painter = QPainter(pixmap)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.scale(scale, scale)
        paper_document(html).drawContents(painter, QRectF(0, 0, *PAGE_PT))
        painter.end()
        return pixmap


class ReleasePicture(StationPicture):
    name = "Release"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        canvas = self.add_canvas()
        canvas.whole_panel = True
        canvas.fit()
        canvas.parts_on = lambda cell: self.whole_board()
        canvas.overlays = [self._cuts]
        row = QHBoxLayout()
        row.addWidget(canvas, 1)
        self.paper = Paper(desk)
        row.addWidget(self.paper, 1)
        self.column.addLayout(row, 1)
        self.add_strip()

    def refresh(self) -> None:
        assert self.canvas
        board, state = self.bench.board, self.bench.state
        out = sum(b.released_at is not None for b in state.boards.values())
        self.canvas.caption = f"Panel {board.panel}    {out} of {len(state.boards)} boards released"
        self.canvas.update()
        self.paper.update()

    def _cuts(self, painter: QPainter, canvas: BoardCanvas) -> None:
        panel = self.batch.panel
        painter.setPen(QPen(theme.colour("lit"), 1.5, Qt.PenStyle.DashLine))
        for (x0, y0), (x1, y1) in panel.scores:
            painter.drawLine(canvas.to_px(x0, y0), canvas.to_px(x1, y1))
        for board in self.bench.state.panel_boards(self.bench.board.panel):
            x0, y0, x1, y1 = panel.box(board.cell)
            box = QRectF(canvas.to_px(x0, y0), canvas.to_px(x1, y1)).normalized()
            here = board.serial == self.bench.view.board
            label = QRectF(box.center().x() - 48, box.center().y() - theme.base * 1.4, 96, theme.base * 2.8)
            painter.setPen(QPen(theme.colour("ink"), 2.5) if here else QPen(theme.colour("hair"), 1))
            painter.setBrush(theme.colour("brass_fill" if here else "card", 235))
            painter.drawRoundedRect(label, 5, 5)
            level = (
                Level.STOP if board.open_faults or board.scrapped else Level.GO if board.step == DONE else Level.UNKNOWN
            )
            judgement_mark(painter, QPointF(label.left() + 14, label.center().y()), 6, level)
            token = "now_ground" if here else "ink"
            name, room = board.serial, label.width() - 32
            if QFontMetricsF(theme.font("body", bold=True)).horizontalAdvance(name) > room:
                name = name.rpartition("-")[2]  # the batch stands in the head
            plain_text(painter, label.adjusted(26, theme.base * 0.45, 0, 0), name, "body", token, True)

    def keys(self) -> list[Key]:
        return [
            Key("Space", "release", lambda _: self._release(), True),
            Key(
                "P",
                "papers as PDF",
                lambda _: self.desk.save_file("Write the board's papers", f"{self.bench.board.serial}.pdf", self.write),
            ),
            Key(
                "J",
                "papers as JSON",
                lambda _: self.desk.save_file(
                    "Write the board's record", f"{self.bench.board.serial}.json", self.write
                ),
            ),
        ]

    def _release(self) -> None:
        serial = self.bench.board.serial
        if self.desk.do(ReleaseBoard(serial), f"Board {serial} is released."):
            self.go_on(serial)

    def write(self, name: str) -> None:
        """Write the papers of the board in hand as PDF or JSON by the name's ending."""
        serial = self.bench.board.serial
        said = f"Papers of {serial} are in {Path(name).name}."
        if name.lower().endswith(".json"):
            text = json.dumps(board_record(self.batch, serial), indent=1, ensure_ascii=False)
            self.desk.write(name, f"{text}\n".encode(errors="backslashreplace"), said)
        else:
            self.desk.write(name, lambda: pdf_of(page_html(self.batch, serial), Path(name).stem), said)

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        board = self.bench.board
        return f"Board {board.serial}", [
            ("parts on it", str(len(board.placed) + len(board.soldered))),
            (
                "print, load",
                f"{numbers(board.prints)}, {numbers(board.loads)}",
            ),
            ("repairs", str(sum(f.repaired is not None for f in board.faults))),
            ("readings", str(len(board.readings))),
        ]
