"""The judgements of a station, worst first: as many as there is room for in full, the others by their headlines."""

from __future__ import annotations

from collections import Counter

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import chosen
from fusilex.ui.theme import RADIUS, theme
from fusilex.ui.widgets.glyphs import judgement_mark, key_cap, plain_text, text_height

TEXT_LEFT = 44
GAP = 7


def blocks_of(j: Judgement, overruled: str, width: int, brief: bool) -> list[tuple[str, str, str, bool, float]]:
    """Texts of a card with size, token, weight and height."""
    room = width - TEXT_LEFT - 14
    rows = [(j.headline, "body" if brief else "lead", "ink", True)]
    numbers = "" if brief else ", ".join(q.text() for q in j.quantities[:3])
    if numbers:
        rows.append((f"{numbers}.", "small", "soft", False))
    if overruled:
        rows.append((f"Overruled: {overruled}", "small", "ink", True))
    elif j.do and not brief:
        rows.append((j.do, "small", j.level.value, True))
    return [(*row, text_height(row[0], room, row[1], row[3]) + 3) for row in rows]


def height_of(j: Judgement, overruled: str, width: int, brief: bool) -> int:
    """Height of a card."""
    return round(sum(h for *_, h in blocks_of(j, overruled, width, brief)) + (14 if brief else 22))


class JudgementCard(QWidget):
    """One judgement: mark, headline, numbers, what to do; only the headline when `brief`. A click asks why."""

    clicked = pyqtSignal(int)

    def __init__(self, judgement: Judgement, index: int, chosen: bool, overruled: str, width: int, brief: bool) -> None:
        super().__init__()
        self.judgement, self.index, self.chosen, self.overruled = judgement, index, chosen, overruled
        self.brief = brief and not chosen
        self.setAccessibleName(f"{judgement.level.value}: {judgement.headline}. {judgement.do}")
        self.setFixedWidth(width)
        self.setFixedHeight(height_of(judgement, overruled, width, self.brief))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(theme.colour("ink" if self.chosen else "hair"))
        painter.setBrush(theme.colour("card"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), RADIUS, RADIUS)
        y = 7.0 if self.brief else 11.0
        judgement_mark(painter, QPointF(22, y + 11), 7.5, self.judgement.level)
        for text, size, token, bold, height in blocks_of(self.judgement, self.overruled, self.width(), self.brief):
            plain_text(
                painter, QRectF(TEXT_LEFT, y, self.width() - TEXT_LEFT - 14, height + 2), text, size, token, bold
            )
            y += height

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.clicked.emit(self.index)


class Tally(QWidget):
    """How many judgements there are of each level, and the keys that go through them."""

    def __init__(self) -> None:
        super().__init__()
        self.counts: Counter[Level] = Counter()
        self.setFixedHeight(round(theme.base * 2.2))

    def show_counts(self, items: list[Judgement]) -> None:
        self.counts = Counter(j.level for j in items)
        self.setAccessibleName(", ".join(f"{n} {level.value}" for level, n in self.counts.items()))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle, x = self.height() / 2, 10.0
        metrics = QFontMetricsF(theme.font("small"))
        top = middle - metrics.height() / 2
        for level, n in self.counts.items():
            judgement_mark(painter, QPointF(x, middle), 5, level)
            words = f"{n} {level.words}"
            plain_text(painter, QRectF(x + 12, top, 120, metrics.height() + 2), words, "small", "soft")
            x += metrics.horizontalAdvance(words) + 30
        after = self.width() - 34 - metrics.horizontalAdvance("PgDnnext")
        if x <= after:  # the counts come first
            x = key_cap(painter, after, middle, "PgDn") + 6
            plain_text(painter, QRectF(x, top, 120, metrics.height() + 2), "next", "small", "soft")


class Judgements(QWidget):
    """All judgements of the station, worst first; one is chosen for F1 and the fix."""

    why = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.items: list[Judgement] = []
        self.chosen = 0
        self._overruled: dict[str, str] = {}
        self._where: object = None
        self._units = chosen()
        self._picked = ""
        self.tally, self.area = Tally(), QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addWidget(self.tally)
        column.addWidget(self.area, 1)

    def show_judgements(self, items: list[Judgement], overruled: dict[str, str], where: object = None) -> None:
        """`where` is the batch and station they are of: what was chosen elsewhere is let go, and the worst is in
        hand.
        """
        same = (items, overruled, where, chosen()) == (self.items, self._overruled, self._where, self._units)
        if where != self._where:
            self._where, self._picked = where, ""
        self.items, self._overruled, self._units = items, dict(overruled), chosen()
        self.chosen = next((i for i, j in enumerate(items) if j.key == self._picked), 0)
        if not same:
            self._build()

    def choose(self, index: int) -> None:
        if self.items:
            self.chosen = index % len(self.items)
            self._picked = self.items[self.chosen].key
            self._build()

    @property
    def current(self) -> Judgement | None:
        return self.items[self.chosen] if self.items else None

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._build()

    def _build(self) -> None:
        self.tally.show_counts(self.items)
        self.tally.setVisible(len(self.items) > 1)
        content = QWidget()
        column = QVBoxLayout(content)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(GAP)
        room, width = self.height() - self.tally.height(), self.width() - 10
        whole = sum(height_of(j, self._overruled.get(j.key, ""), width, False) + GAP for j in self.items)
        cards = self._cards(brief=whole > room)
        for card in cards:
            card.clicked.connect(self.why)
            column.addWidget(card)
        column.addStretch(1)
        self.area.setWidget(content)
        if cards:
            column.activate()
            self.area.ensureWidgetVisible(cards[self.chosen], 0, 30)
            if (bar := self.area.verticalScrollBar()) and bar.value() > cards[self.chosen].y():
                bar.setValue(cards[self.chosen].y())  # its headline is in sight, whatever follows

    def _cards(self, brief: bool) -> list[JudgementCard]:
        width = self.width() - 10
        return [
            JudgementCard(j, i, i == self.chosen, self._overruled.get(j.key, ""), width, brief)
            for i, j in enumerate(self.items)
        ]
