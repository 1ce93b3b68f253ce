"""The board seen from its edge, parts standing at true height in the order they are soldered."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from fusilex.bench.workshop.record_kinds import Limits
from fusilex.bench.workshop.records import Records
from fusilex.core.design.model import Part
from fusilex.core.quantities import MM, write
from fusilex.ui.desk import Desk
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import plain_text, text_height

LEAST_SLOT = 4.4
"""Ems that a part's name takes."""


class EdgeView(Card):
    """Left to right in soldering order; top parts stand up, bottom parts hang down. One scale for all."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setMinimumHeight(round(theme.base * 11))
        self.setMaximumHeight(round(theme.base * 19))
        self.setAccessibleName("Board from its edge, parts in soldering order")

    @property
    def fits(self) -> int:
        """Parts that there is room for."""
        return max(1, int((self.width() - 32) / (theme.base * LEAST_SLOT)))

    def draw(self, painter: QPainter) -> None:
        bench = self.desk.bench
        thick = bench.workshop[Records].first(Limits).board_mm
        order, done = bench.batch.parts_of(bench.view.step), bench.board.soldered
        title = "From the edge, in soldering order: short before tall, heights to one scale"
        if (more := len(order) - self.fits) > 0:
            title += f"; {self.fits} of {self.fits + more} parts"
        above = 10 + text_height(title, self.width() - 32)
        plain_text(painter, QRectF(16, 8, self.width() - 32, above), title, "body", "soft")
        if not order:
            return
        up = max((p.package.height for p in order if p.side == "top"), default=0.0)
        down = max((p.package.height for p in order if p.side == "bottom"), default=0.0)
        following = bench.batch.next_part(bench.board, bench.view.step)
        here = order.index(following) if following in order else len(order) - 1
        first = max(0, min(here - self.fits // 2, len(order) - self.fits))
        shown = order[first : first + self.fits]  # of many parts those round the one in hand
        slot = (self.width() - 32) / len(shown)
        room = self.height() - above - theme.base * 5.6
        scale = min(room / (up + down + thick), slot / 12.0)
        edge = above + theme.base * 0.4 + (room - scale * (up + down + thick)) / 2 + up * scale
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("board"))
        painter.drawRect(QRectF(16, edge, self.width() - 32, thick * scale))
        for i, part in enumerate(shown):
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
        words = "done" if done else write(part.package.height, MM, 4)
        plain_text(
            painter, label.translated(0, theme.base * 1.9), words, "small", "soft", False, Qt.AlignmentFlag.AlignHCenter
        )
