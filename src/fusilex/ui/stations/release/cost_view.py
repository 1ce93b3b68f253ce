"""What a good board costs, as a bar of what it is made of; where making it here pays; what faults took."""

from __future__ import annotations

import math

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from fusilex.bench.costing import Costed, cost_of, even_words, judge_cost
from fusilex.ui.desk import Desk
from fusilex.ui.tabbed import View
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import judgement_mark, plain_text

RIGHT = Qt.AlignmentFlag.AlignRight


class CostCard(Card):
    """Shows a sum."""

    def __init__(self) -> None:
        super().__init__()
        self.costed: Costed | None = None
        self.setAccessibleName("Cost of a good board")

    def draw(self, painter: QPainter) -> None:
        wide = self.width() - 48.0
        if self.costed is None:
            words = "No record of costs for this design: note prices, tooling and an hour's rate in the workshop (F4)."
            plain_text(painter, QRectF(24, 16, wide, theme.base * 6), words, "body", "soft")
            return
        cost, unit = self.costed.cost, self.costed.currency
        so_far = "a good board costs, so far" if self.costed.at_work else "a good board costs"
        title = "no good board yet" if math.isinf(cost.per_good) else f"{cost.per_good:.2f} {unit}".strip()
        plain_text(painter, QRectF(24, 14, wide, theme.base * 2.2), so_far, "small", "soft")
        plain_text(painter, QRectF(24, 14 + theme.base * 1.8, wide, theme.base * 5), title, "huge", "ink", True)
        shares = (
            ("parts on boards", cost.parts, "gold"),
            ("parts lost or replaced", cost.lost, "care"),
            ("consumables", cost.consumables, "paste"),
            (f"work, {cost.minutes:.0f} min at {cost.rate_per_h:g} an hour", cost.work, "brass"),
            ("tooling", cost.tooling, "solder"),
        )
        y = theme.base * 8.5
        self._bar(painter, QRectF(24, y, wide, theme.base * 2.6), shares, cost.total)
        y += theme.base * 4
        for name, value, token in shares:
            painter.setPen(QPen(theme.colour("ink"), 1))
            painter.setBrush(theme.colour(token))
            painter.drawRect(QRectF(24, y + 5, theme.base * 1.2, theme.base * 1.2))
            row = QRectF(24 + theme.base * 2.2, y, min(wide, theme.base * 46) - theme.base * 2.2, theme.base * 2.2)
            plain_text(painter, row, name, "body", "ink")
            plain_text(painter, row, f"{value:.2f}", "body", "ink", True, RIGHT)
            y += theme.base * 2.3
        y += theme.base * 0.8
        for name, told in (
            ("of this, faults took", f"{cost.faults:.2f} {unit}".strip()),
            ("good boards", f"{cost.good}"),
            ("one more good board", "–" if math.isinf(cost.each) else f"{cost.each:.2f} {unit}".strip()),
            ("against outside", even_words(self.costed.even)),
        ):
            row = QRectF(24, y, min(wide, theme.base * 46), theme.base * 2.2)
            plain_text(painter, row, name, "body", "soft")
            plain_text(painter, row, told, "body", "ink", True, RIGHT)
            y += theme.base * 2.3
        self._open(painter, y + theme.base * 0.6, wide)

    def _open(self, painter: QPainter, y: float, wide: float) -> None:
        assert self.costed
        for judged in judge_cost(self.costed):
            judgement_mark(painter, QRectF(24, y, 12, theme.base * 2).center(), 5, judged.level)
            plain_text(painter, QRectF(44, y, wide, theme.base * 2.2), judged.headline, "body", "ink")
            y += theme.base * 2.3

    @staticmethod
    def _bar(painter: QPainter, box: QRectF, shares: tuple[tuple[str, float, str], ...], total: float) -> None:
        x = box.left()
        for _, value, token in shares:
            width = box.width() * value / total if total else 0.0
            painter.fillRect(QRectF(x, box.top(), width, box.height()), theme.colour(token))
            x += width
        painter.setPen(QPen(theme.colour("ink"), 1.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)


class CostView(View):
    name = "Cost"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.card = CostCard()
        self.column.addWidget(self.card, 1)

    def refresh(self) -> None:
        self.card.costed = cost_of(self.bench)
        self.card.update()

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        costed = self.card.costed
        if costed is None:
            return "", []
        most = sorted(costed.minutes.items(), key=lambda row: -row[1])[:5]
        return "Minutes by station", [(name, f"{minutes:.0f} min") for name, minutes in most]
