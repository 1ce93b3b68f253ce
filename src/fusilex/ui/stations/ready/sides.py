"""Which side first: the two sides weighed, and every part's hold upside down against the limit."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QHBoxLayout

from fusilex.bench.now import Now
from fusilex.bench.stations.ready.judging import side_order
from fusilex.bench.stations.ready.now import at_sides
from fusilex.bench.stations.ready.route import ChooseSides
from fusilex.core.checks.side_order import (
    CARE_SHARE,
    DROP_LIMIT_MG_PER_MM2,
    SIDE_ORDERS,
    SideLoad,
    first_side,
    side_load,
)
from fusilex.core.evidence import Level
from fusilex.core.quantities import MM2, write
from fusilex.core.units import show_number
from fusilex.ui.desk import Desk
from fusilex.ui.tabbed import View
from fusilex.ui.theme import GAP, theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import judgement_mark, plain_text, text_height
from fusilex.ui.widgets.keys import Key


class SideCard(Card):
    """One side: parts, mass, and a bar for each of its worst parts, the limit drawn through them."""

    def __init__(self, side: str) -> None:
        super().__init__()
        self.side = side
        self.load = SideLoad(side, 0, 0.0, ())
        self.first = False

    def draw(self, painter: QPainter) -> None:
        width = self.width() - 32.0
        title = f"{self.side.capitalize()}{', first' if self.first else ''}"
        plain_text(painter, QRectF(16, 12, width, 30), title, "head", "ink", True)
        parts = f"{self.load.parts} part{'s' if self.load.parts != 1 else ''} on pads, {self.load.mass_mg / 1000:.2f} g"
        plain_text(painter, QRectF(16, 14 + theme.base * 3, width, 30), parts, "body", "soft")
        if not self.load.checks:
            return
        title = "if it hung upside down: mass over wetted pads"
        above, line = theme.base * 7.3, theme.base * 2.7
        y = above + text_height(title, width, "small") + theme.base * 0.6
        top = y
        plain_text(painter, QRectF(16, above, width, 24), title, "small", "soft")
        rows = max(1, int((self.height() - y - theme.base * 3.2) / line))
        name, numbers = theme.base * 5.4, theme.base * 13.5
        room = width - name - numbers
        most = max(1.25, min(2.0, self.load.checks[0].share))
        for check in self.load.checks[:rows]:
            level = check.level
            judgement_mark(painter, QRectF(16, y, 12, line - 4).center(), 5, level)
            plain_text(painter, QRectF(36, y + 3, name, line), check.part.ref, "body", "ink", True)
            bar = QRectF(20 + name, y + 4, room * min(1.0, check.share / most), line - 12)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("solder" if level is Level.GO else level.value))
            painter.drawRoundedRect(bar, 3, 3)
            estimate = "~" if check.part.package.mass_from == "volume" else ""
            words = f"{estimate}{show_number(check.part.package.mass_mg)} mg, {write(check.area_mm2, MM2)}"
            plain_text(
                painter,
                QRectF(self.width() - numbers - 10, y + 4, numbers - 6, line),
                words,
                "small",
                "soft",
                False,
                Qt.AlignmentFlag.AlignRight,
            )
            y += line
        for share, token, words in ((1.0, "stop", "limit"), (CARE_SHARE, "care", f"{100 * CARE_SHARE:.0f} %")):
            x = 20 + name + room * share / most
            painter.setPen(QPen(theme.colour(token), 1.5, Qt.PenStyle.DashLine))
            painter.drawLine(int(x), int(top), int(x), int(y))
            after = share == 1.0  # the two stand close together: their words keep apart
            box = QRectF(x - 2 if after else x - 78, y + 2, 80, theme.base * 2)
            side = Qt.AlignmentFlag.AlignLeft if after else Qt.AlignmentFlag.AlignRight
            plain_text(painter, box, words, "small", token, True, side)


class SidesView(View):
    name = "Sides"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        row = QHBoxLayout()
        row.setSpacing(GAP)
        self.cards = [SideCard("top"), SideCard("bottom")]
        for card in self.cards:
            row.addWidget(card, 1)
        self.column.addLayout(row, 1)

    def refresh(self) -> None:
        for card in self.cards:
            card.load = side_load(self.bench.design, card.side)
        first = first_side(self.cards[0].load, self.cards[1].load, side_order(self.batch))
        for card in self.cards:
            card.first = card.side == first
            card.setAccessibleName(f"{card.side}: {card.load.parts} parts, {card.load.mass_mg:.0f} mg")
            card.update()

    def now(self) -> Now:
        return at_sides(self.batch)

    def keys(self) -> list[Key]:
        return [Key("S", "other order of sides", lambda _: self._next())]

    def _next(self) -> None:
        names = list(SIDE_ORDERS)
        school = names[(names.index(side_order(self.batch)) + 1) % len(names)]
        self.desk.do(ChooseSides(school), f"{SIDE_ORDERS[school].capitalize()}.")

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        return "Drop check", [
            ("limit", f"{DROP_LIMIT_MG_PER_MM2:.1f} mg/mm²"),
            ("that is", "30 g per square inch"),
            ("care from", f"{100 * CARE_SHARE:.0f} % of it"),
            ("masses", "typical, unless measured"),
        ]
