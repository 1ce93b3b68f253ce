"""The right-hand side: Now card above, a few facts below."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPaintEvent, QResizeEvent

from fusilex.bench.now import Now
from fusilex.ui.theme import RADIUS, theme
from fusilex.ui.widgets.glyphs import plain_text, progress_bar, text_height
from fusilex.ui.widgets.shown import Shown

MOST_SAID = 420
"""Letters of an answer that are shown: more would hide the judgements."""


def cut(text: str, most: int) -> str:
    """A text of at most so many letters.

    >>> cut("Nothing was recorded.", 8)
    'Nothing…'
    """
    return text if len(text) <= most else text[: most - 1].rstrip() + "…"


class NowCard(Shown):
    """The one thing to do next, readable from a metre. Grows with its text."""

    def __init__(self) -> None:
        super().__init__()
        self.now = Now("")
        self.said = ""
        self.setMinimumHeight(round(theme.base * 9))

    def show_now(self, now: Now, said: str = "") -> None:
        """`said` is the answer to the last key: a refusal or a confirmation."""
        said = cut(said, MOST_SAID)
        if (now, said) != self.look():
            self.now, self.said = now, said
            self.setAccessibleName(f"Now: {now.title}. {now.detail}")
            self._fit()
        self.look_again()

    def look(self) -> object:
        return self.now, self.said

    def show_said(self, said: str) -> None:
        """Say something else under the same thing to do."""
        self.show_now(self.now, said)

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
        self.setFixedHeight(max(round(theme.base * 11), round(need)))

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


class Facts(Shown):
    """Labelled facts under the judgements; what there is no room for is shown where the pointer rests."""

    def __init__(self) -> None:
        super().__init__()
        self.title = ""
        self.all: list[tuple[str, str]] = []
        self.rows: list[tuple[str, str]] = []
        self.room = 1e9

    def show_facts(self, title: str, rows: list[tuple[str, str]]) -> None:
        self.title, self.all = title, rows
        self.setAccessibleName(title + ": " + ", ".join(f"{a} {b}" for a, b in rows))
        self.fit()
        self.look_again()

    def look(self) -> object:
        return self.title, self.rows

    def fit(self) -> None:
        """As many rows as there is room for; the first ones count most."""
        most = max(0, int((self.room / theme.base - 2.6) / 2.1))
        self.rows = self.all
        if len(self.all) > most:
            left = len(self.all) - most + 1
            self.rows = [*self.all[: most - 1], ("and", f"{left} more")] if most > 1 else self.all[:most]
        self.setToolTip("\n".join(f"{what}: {value}" for what, value in self.all) if self.rows != self.all else "")
        self.setFixedHeight(round(theme.base * (2.6 + 2.1 * len(self.rows))) if self.rows else 0)

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
