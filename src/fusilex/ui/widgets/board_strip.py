"""The strip of boards: panels drawn small with their boards, each with a glyph of its state."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen

from fusilex.bench.boards import Board
from fusilex.bench.record.bench import Bench
from fusilex.core.evidence import Level
from fusilex.core.route.steps import DONE
from fusilex.ui.desk import Desk
from fusilex.ui.theme import theme
from fusilex.ui.widgets.glyphs import judgement_mark, plain_text
from fusilex.ui.widgets.shown import Shown


class BoardStrip(Shown):
    """Click, or ``[`` and ``]``, to take another board. Grey is past this station, brass is here, empty is before
    it.
    """

    def __init__(self, desk: Desk, step: Callable[[], str]) -> None:
        super().__init__()
        self.desk, self.step = desk, step
        self.setMinimumHeight(round(theme.base * 5.4))
        self.setMaximumHeight(round(theme.base * 7.4))
        self.setAccessibleName("Boards of the batch")
        self._boxes: list[tuple[QRectF, str]] = []
        self.shown: list[int] = []

    @property
    def bench(self) -> Bench:
        return self.desk.bench

    def look(self) -> object:
        boards = self.bench.state.boards.values()
        stand = [(b.serial, b.panel, b.cell, b.step, b.place, bool(b.open_faults), b.scrapped) for b in boards]
        return self.desk.batch.panel, self.bench.route.steps, self.step(), self.bench.view.board, stand

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._boxes.clear()
        panel, state = self.desk.batch.panel, self.bench.state
        self._steps, self._here, self._view = self.bench.route.steps, self.step(), self.bench.view
        panels = state.panels
        label, metrics = theme.base * 1.9, QFontMetricsF(theme.font("small", bold=True))
        room = (self.width() - 10 * (len(panels) - 1)) / max(1, len(panels))
        names = {n: self._name(n) for n in panels}
        tails = max((metrics.horizontalAdvance(s.rpartition("-")[2]) for s in state.boards), default=0.0)
        least = max(tails + 8, max(map(metrics.horizontalAdvance, names.values()), default=0.0) / panel.columns)
        cell_w = max(least, min(theme.base * 4.6, (room - 6) / panel.columns))
        cell_h = min((self.height() - label - 4) / panel.rows, theme.base * 2.5)
        step = panel.columns * cell_w + 22
        chosen = panels.index(self.bench.board.panel) if panels else 0
        more = theme.base * 3.4 if len(panels) * step > self.width() + 22 else 0.0
        fits = max(1, int((self.width() + 22 - 2 * more) / step))
        first = max(0, min(chosen - fits // 2, len(panels) - fits))
        self.shown = panels[first : first + fits]
        x = 2.0 + (more if first else 0.0)
        if first:  # what is left out is counted at either end
            plain_text(painter, QRectF(2, label, more, label), f"‹ {first}", "small", "soft")
        for number in self.shown:
            plain_text(painter, QRectF(x, 0, step, label), names[number], "small", "soft")
            for board in state.panel_boards(number):
                column, row = board.cell % panel.columns, board.cell // panel.columns
                y = label + (panel.rows - 1 - row) * cell_h
                self._board(painter, QRectF(x + column * cell_w, y, cell_w - 3, cell_h - 3), board)
            x += step
        if beyond := len(panels) - first - len(self.shown):
            plain_text(painter, QRectF(x - 12, label, more, label), f"{beyond} ›", "small", "soft")

    def _name(self, number: int) -> str:
        boards = self.bench.state.panel_boards(number)
        return f"Panel {number}" if len(boards) > 1 else boards[0].serial

    def _board(self, painter: QPainter, box: QRectF, board: Board) -> None:
        self._boxes.append((box, board.serial))
        steps, step = self._steps, self._here
        here, past = board.step == step, steps.progress(board.place) > steps.index(step)
        chosen = board.serial == self._view.board
        painter.setPen(QPen(theme.colour("ink" if chosen else "hair"), 2.5 if chosen else 1))
        painter.setBrush(
            theme.colour("brass_fill" if here else "solder" if past else "card", 255 if here or not past else 140)
        )
        painter.drawRoundedRect(box, 3, 3)
        painter.setFont(theme.font("small", bold=chosen))
        painter.setPen(theme.colour("now_ground" if here else "ink"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, board.serial.rpartition("-")[2])
        if board.open_faults or board.scrapped:
            judgement_mark(painter, QPointF(box.right() - 7, box.top() + 7), 4, Level.STOP)
        elif board.step == DONE:
            judgement_mark(painter, QPointF(box.right() - 7, box.top() + 7), 4, Level.GO)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        for box, serial in self._boxes:
            if event and box.contains(event.position()):
                self.desk.go(board=serial)
                return
