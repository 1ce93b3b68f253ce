"""The right-hand side: Now card, judgements, a few facts."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from fusilex.bench.now import Now
from fusilex.core.judgement import Judgement
from fusilex.ui.glyphs import judgement_mark, plain_text, progress_bar, text_height
from fusilex.ui.theme import RADIUS, theme

TEXT_LEFT = 44


class NowCard(QWidget):
    """The one thing to do next, readable from a metre. Grows with its text."""

    def __init__(self) -> None:
        super().__init__()
        self.now = Now("")
        self.said = ""
        self.setMinimumHeight(round(theme.base * 14))

    def show_now(self, now: Now, said: str = "") -> None:
        """`said` is the answer to the last key: a refusal or a confirmation."""
        self.now, self.said = now, said
        self.setAccessibleName(f"Now: {now.title}. {now.detail}")
        self._fit()
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._fit()

    def _blocks(self) -> list[tuple[str, str, str, bool]]:
        blocks = [(self.now.title, "now", "now_ink", True)]
        blocks += [(text, "body", "now_ink", False) for text in self.now.cautions]
        if self.now.detail:
            blocks.append((self.now.detail, "lead", "now_soft", bool(self.now.cautions)))
        if self.said:
            blocks.append((self.said, "body", "brass_fill", True))
        return blocks

    def _fit(self) -> None:
        width = self.width() - 36
        need = (
            30
            + sum(text_height(t, width, s, b) + 8 for t, s, _, b in self._blocks())
            + (24 if self.now.progress is not None else 8)
        )
        self.setFixedHeight(max(round(theme.base * 14), round(need)))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("now_ground"))
        painter.drawRoundedRect(QRectF(self.rect()), RADIUS, RADIUS)
        y, width = 12.0, self.width() - 36.0
        plain_text(painter, QRectF(18, y, width, 20), "Now", "small", "now_soft", True)
        y += theme.base * 2
        for text, size, token, bold in self._blocks():
            height = text_height(text, width, size, bold)
            plain_text(painter, QRectF(18, y, width, height + 4), text, size, token, bold)
            y += height + 8
        if self.now.progress is not None:
            bar = QRectF(18, self.height() - 20, width, 8)
            progress_bar(painter, bar, self.now.progress, theme.colour("solder"), theme.colour("soft", 120))


class JudgementCard(QWidget):
    """One judgement: mark, headline, numbers, what to do. A click asks why."""

    clicked = pyqtSignal(int)

    def __init__(self, judgement: Judgement, index: int, chosen: bool, overruled: str, width: int) -> None:
        super().__init__()
        self.judgement, self.index, self.chosen, self.overruled = judgement, index, chosen, overruled
        self.setAccessibleName(f"{judgement.level.value}: {judgement.headline}. {judgement.do}")
        self.setFixedWidth(width)
        self.setFixedHeight(round(sum(h for *_, h in self._blocks()) + 22))

    def _blocks(self) -> list[tuple[str, str, str, bool, float]]:
        j = self.judgement
        width = self.width() - TEXT_LEFT - 14
        rows = [(j.headline, "lead", "ink", True)]
        numbers = ", ".join(b.text() for b in j.because[:3])
        if numbers:
            rows.append((f"{numbers}.", "small", "soft", False))
        if self.overruled:
            rows.append((f"Overruled: {self.overruled}", "small", "ink", True))
        elif j.do:
            rows.append((j.do, "small", j.level.value, True))
        return [(*row, text_height(row[0], width, row[1], row[3]) + 3) for row in rows]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(theme.colour("ink" if self.chosen else "hair"))
        painter.setBrush(theme.colour("card"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), RADIUS, RADIUS)
        judgement_mark(painter, QPointF(22, 22), 7.5, self.judgement.level)
        y = 11.0
        for text, size, token, bold, height in self._blocks():
            plain_text(
                painter, QRectF(TEXT_LEFT, y, self.width() - TEXT_LEFT - 14, height + 2), text, size, token, bold
            )
            y += height

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.clicked.emit(self.index)


class Judgements(QScrollArea):
    """All judgements of the station, worst first; one is chosen for F1 and O."""

    why = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.items: list[Judgement] = []
        self.chosen = 0
        self._overruled: dict[str, str] = {}

    def show_judgements(self, items: list[Judgement], overruled: dict[str, str]) -> None:
        same = items == self.items and overruled == self._overruled
        self.items, self._overruled = items, dict(overruled)
        self.chosen = min(self.chosen, max(0, len(items) - 1))
        if not same:
            self._build()

    def choose(self, index: int) -> None:
        if self.items:
            self.chosen = index % len(self.items)
            self._build()

    @property
    def current(self) -> Judgement | None:
        return self.items[self.chosen] if self.items else None

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._build()

    def _build(self) -> None:
        content = QWidget()
        column = QVBoxLayout(content)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(7)
        width = self.width() - 10
        for index, judgement in enumerate(self.items):
            card = JudgementCard(judgement, index, index == self.chosen, self._overruled.get(judgement.key, ""), width)
            card.clicked.connect(self.why)
            column.addWidget(card)
        column.addStretch(1)
        self.setWidget(content)


class Facts(QWidget):
    """A few labelled facts under the judgements."""

    def __init__(self) -> None:
        super().__init__()
        self.title = ""
        self.rows: list[tuple[str, str]] = []

    def show_facts(self, title: str, rows: list[tuple[str, str]]) -> None:
        self.title, self.rows = title, rows[:5]
        self.setFixedHeight(round(theme.base * (2.6 + 2.1 * len(self.rows))) if rows else 0)
        self.setAccessibleName(title + ": " + ", ".join(f"{a} {b}" for a, b in rows))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if not self.rows:
            return
        painter = QPainter(self)
        plain_text(painter, QRectF(2, 0, self.width(), theme.base * 2.2), self.title, "body", "ink", True)
        y, metrics = theme.base * 2.3, QFontMetricsF(theme.font("body"))
        left = min(self.width() * 0.42, max(metrics.horizontalAdvance(what) for what, _ in self.rows) + theme.base * 2)
        for what, value in self.rows:
            plain_text(painter, QRectF(2, y, left, theme.base * 2), what, "body", "soft")
            room = QRectF(left, y, self.width() - left, theme.base * 2)
            shown = metrics.elidedText(value, Qt.TextElideMode.ElideRight, room.width())
            plain_text(painter, room, shown, "body", "ink")
            y += theme.base * 2.1
