"""Hand: the board seen from its edge, parts standing at true height in the order they are soldered."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from fusilex.bench.common.commands import PassStep
from fusilex.bench.stations.hand.commands import SolderPart
from fusilex.bench.workshop.record_kinds import Limits
from fusilex.bench.workshop.records import Records
from fusilex.core.design.model import Part
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.picture import StationPicture
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import plain_text, text_height
from fusilex.ui.widgets.keys import Key


class EdgeView(Card):
    """Left to right in soldering order; top parts stand up, bottom parts hang down. One scale for all."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setMinimumHeight(round(theme.base * 11))
        self.setMaximumHeight(round(theme.base * 19))
        self.setAccessibleName("Board from its edge, parts in soldering order")

    def draw(self, painter: QPainter) -> None:
        bench = self.desk.bench
        thick = bench.workshop[Records].first(Limits).board_mm
        order, done = bench.batch.parts_of(bench.view.step), bench.board.soldered
        title = "From the edge, in soldering order: short before tall, heights to one scale"
        above = 10 + text_height(title, self.width() - 32)
        plain_text(painter, QRectF(16, 8, self.width() - 32, above), title, "body", "soft")
        if not order:
            return
        up = max((p.package.height for p in order if p.side == "top"), default=0.0)
        down = max((p.package.height for p in order if p.side == "bottom"), default=0.0)
        slot = (self.width() - 32) / len(order)
        room = self.height() - above - theme.base * 5.6
        scale = min(room / (up + down + thick), slot / 12.0)
        edge = above + theme.base * 0.4 + (room - scale * (up + down + thick)) / 2 + up * scale
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("board"))
        painter.drawRect(QRectF(16, edge, self.width() - 32, thick * scale))
        following = bench.batch.next_part(bench.board, bench.view.step)
        for i, part in enumerate(order):
            self._stand(
                painter, part, 16 + (i + 0.5) * slot, edge, thick, scale, slot, part.ref in done, following is part
            )

    def _stand(
        self,
        painter: QPainter,
        part: Part,
        x: float,
        edge: float,
        thick: float,
        scale: float,
        slot: float,
        done: bool,
        here: bool,
    ) -> None:
        wide = min(slot - 10, max(part.package.size_x, part.package.size_y) * scale)
        high = max(3.0, part.package.height * scale)
        top = edge - high if part.side == "top" else edge + thick * scale
        painter.setPen(QPen(theme.colour("ink" if here else "soft"), 3 if here else 1))
        painter.setBrush(theme.colour("brass_fill" if here else "solder" if done else "bench"))
        painter.drawRoundedRect(QRectF(x - wide / 2, top, wide, high), 2, 2)
        if part.through_hole:
            painter.setPen(QPen(theme.colour("metal"), max(1.5, 0.7 * scale)))
            for dx in (-0.28, 0.28):
                painter.drawLine(QPointF(x + dx * wide, edge), QPointF(x + dx * wide, edge + (thick + 1.4) * scale))
        label = QRectF(x - slot / 2, self.height() - theme.base * 4.4, slot, 22)
        plain_text(painter, label, part.ref, "body", "ink", here, Qt.AlignmentFlag.AlignHCenter)
        words = "done" if done else f"{part.package.height:g} mm"
        plain_text(
            painter, label.translated(0, theme.base * 1.9), words, "small", "soft", False, Qt.AlignmentFlag.AlignHCenter
        )


class HandPicture(StationPicture):
    name = "Hand"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        canvas = self.add_canvas()
        canvas.parts_on = lambda cell: self.on_board()
        canvas.overlays = [self._light]
        self.column.addWidget(canvas, 3)
        self.edge = EdgeView(desk)
        self.column.addWidget(self.edge, 2)
        self.add_strip()
        self._followed: str | None = None

    def refresh(self) -> None:
        assert self.canvas
        board = self.bench.board
        part, order = self.batch.next_part(board, self.step.id), self.batch.parts_of(self.step.id)
        done = sum(p.ref in board.soldered for p in order)
        self.canvas.caption = f"Panel {board.panel}, board {board.serial}    {done} of {len(order)} soldered by hand"
        if part and self._followed != part.ref and board.step == self.step.id:  # turn the board over when the work does
            self._followed = part.ref
            self.canvas.flip(part.side)
        self.canvas.update()
        self.edge.update()

    def _light(self, painter: QPainter, canvas: BoardCanvas) -> None:
        part = self.batch.next_part(self.bench.board, self.step.id)
        if part and self.bench.board.step == self.step.id and (part.side == canvas.side or part.through_hole):
            canvas.point_out(painter, part)

    def keys(self) -> list[Key]:
        return [
            Key("Space", "soldered", lambda _: self._soldered(), True),
        ]

    def _soldered(self) -> None:
        board = self.bench.board
        part = self.batch.next_part(board, self.step.id)
        if board.step != self.step.id:
            self.desk.say(f"Board {board.serial} is at {self.batch.where(board)}.")
            return
        if self.desk.do(SolderPart(board.serial, part.ref) if part else PassStep(board.serial)):
            if self.bench.state.boards[board.serial].step != self.step.id:
                self.desk.say(self.desk.went(board.serial))
            self.go_on(board.serial)

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        part = self.batch.next_part(self.bench.board, self.step.id)
        if part is None:
            return "", []
        pins = len(part.pads)
        return part.ref, [
            ("value", part.value),
            ("package", part.package.code),
            ("pads", str(pins)),
            ("height", f"{part.package.height:g} mm"),
        ]
