"""What a good board costs, as a bar of what it is made of; where making it here pays; what faults took."""

from __future__ import annotations

import math

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPen

from fusilex.bench.report.costing import Costed, cost_of, even_words, judge_cost
from fusilex.ui.desk import Desk
from fusilex.ui.tabbed import View
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import judgement_mark, plain_text, text_height

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
        y = theme.base * 8.4
        self._bar(painter, QRectF(24, y, wide, theme.base * 2.2), shares, cost.total)
        y += theme.base * 3.2
        low = self.height() < theme.base * 38  # beside one another where there is no room below
        column = min(theme.base * 46, wide / 2 - 16 if low else wide)
        end = self._list(painter, 24, y, column, [(name, f"{value:.2f}") for name, value, _ in shares], shares)
        sums = [
            ("of this, faults took", f"{cost.faults:.2f} {unit}".strip()),
            ("good boards", f"{cost.good}"),
            ("one more good board", "–" if math.isinf(cost.each) else f"{cost.each:.2f} {unit}".strip()),
            ("against outside", even_words(self.costed.even)),
        ]
        if low:
            after = self._list(painter, 24 + column + 32, y, column, sums)
            self._open(painter, max(end, after), wide)
        else:
            self._open(painter, self._list(painter, 24, end + theme.base, column, sums) + theme.base * 0.6, wide)

    @staticmethod
    def _list(
        painter: QPainter,
        x: float,
        y: float,
        wide: float,
        rows: list[tuple[str, str]],
        shares: tuple[tuple[str, float, str], ...] = (),
    ) -> float:
        """Names with their sums at the right, a swatch before those of the bar; where it ends."""
        for n, (name, told) in enumerate(rows):
            left = x
            if shares:
                painter.setPen(QPen(theme.colour("ink"), 1))
                painter.setBrush(theme.colour(shares[n][2]))
                painter.drawRect(QRectF(x, y + 5, theme.base * 1.2, theme.base * 1.2))
                left = x + theme.base * 2.2
            row = QRectF(left, y, x + wide - left, theme.base * 2.2)
            room = QFontMetricsF(theme.font("body")).horizontalAdvance
            small = room(name) + room(told) * 1.1 > row.width() - 8
            plain_text(painter, row, name, "tiny" if small else "body", "ink" if shares else "soft")
            plain_text(painter, row, told, "tiny" if small else "body", "ink", True, RIGHT)
            y += theme.base * 2.2
        return y

    def _open(self, painter: QPainter, y: float, wide: float) -> None:
        assert self.costed
        for judged in judge_cost(self.costed):
            judgement_mark(painter, QRectF(24, y, 12, theme.base * 2).center(), 5, judged.level)
            high = text_height(judged.headline, wide - 20, "body")
            plain_text(painter, QRectF(44, y, wide - 20, high + 4), judged.headline, "body", "ink")
            y += max(high + 4, theme.base * 2.0)

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
