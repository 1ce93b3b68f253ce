"""The programme as a ribbon of time: one tile a trip, its texture by what the time goes into."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QPainter, QPen, QPixmap, QResizeEvent

from fusilex.core.programme.job import Job
from fusilex.core.programme.plan import Act, Plan, seconds, walk
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import plain_text

KINDS = ("travel", "pick", "look", "place", "change")
_TEXTURE = {
    "travel": ("hair", Qt.BrushStyle.BDiagPattern),
    "pick": ("brass", Qt.BrushStyle.SolidPattern),
    "look": ("track", Qt.BrushStyle.Dense4Pattern),
    "place": ("solder", Qt.BrushStyle.SolidPattern),
    "change": ("stop", Qt.BrushStyle.CrossPattern),
}


class Ribbon(Card):
    """Set `show_plan`, and `at` (s) while it runs."""

    def __init__(self) -> None:
        super().__init__()
        self.parts: list[tuple[float, float, str, int]] = []
        self.total, self.at, self.words = 0.0, 0.0, ""
        self._plan: Plan | None = None
        self._still: QPixmap | None = None
        self.setFixedHeight(round(theme.base * 9))
        self.setAccessibleName("The programme's time")

    def show_plan(self, job: Job | None, plan: Plan | None, words: str) -> None:
        """Cut the time of every stop into the way there and what is done there."""
        self.words = words
        self.setAccessibleName(f"The programme's time: {words}")
        self._still = None
        self.update()
        if plan is self._plan:
            return
        self._plan, self.parts, self.total, self.at = plan, [], 0.0, 0.0
        if job is not None and plan is not None:
            stops = list(walk(job, plan))
            took = seconds(job, plan)
            at = np.array([job.machine.park, *(s.at for s in stops)])
            ways = np.maximum(job.leg(at[:-1], at[1:]), [s.turning for s in stops])
            clock = 0.0
            for stop, way, whole in zip(stops, ways.tolist(), took.tolist(), strict=True):
                self.parts.append((clock, clock + way, "travel", stop.trip))
                if stop.act is not Act.PARK:
                    self.parts.append((clock + way, clock + whole, stop.act.value, stop.trip))
                clock += whole
            self.total = clock

    def shares(self) -> dict[str, float]:
        """Seconds by what they go into."""
        return {kind: sum(b - a for a, b, k, _ in self.parts if k == kind) for kind in KINDS}

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._still = None

    @property
    def _tiles(self) -> QRectF:
        line = theme.base * 2.0
        return QRectF(14, 8 + line, self.width() - 28.0, self.height() - 2 * line - 22)

    def draw(self, painter: QPainter) -> None:
        """What stands still is painted once; the hand of the clock goes over it."""
        if self._still is None:
            ratio = self.devicePixelRatioF()
            self._still = QPixmap(round(self.width() * ratio), round(self.height() * ratio))
            self._still.setDevicePixelRatio(ratio)
            self._still.fill(Qt.GlobalColor.transparent)
            still = QPainter(self._still)
            self._stand(still)
            still.end()
        painter.drawPixmap(0, 0, self._still)
        if self.total and self.at > 0:
            tiles = self._tiles
            painter.setPen(QPen(theme.colour("ink"), 3))
            x = tiles.left() + min(self.at, self.total) * tiles.width() / self.total
            painter.drawLine(QPointF(x, tiles.top() - 3), QPointF(x, tiles.bottom() + 3))

    def _stand(self, painter: QPainter) -> None:
        tiles = self._tiles
        plain_text(painter, QRectF(14, 6, tiles.width(), theme.base * 2), self.words, "body", "ink", True)
        if not self.total:
            return
        scale = tiles.width() / self.total
        painter.setPen(Qt.PenStyle.NoPen)
        starts: dict[int, float] = {}
        for start, end, kind, trip in self.parts:
            starts.setdefault(trip, start)
            token, style = _TEXTURE[kind]
            box = QRectF(14 + start * scale, tiles.top(), max((end - start) * scale, 0.6), tiles.height())
            if style is not Qt.BrushStyle.SolidPattern:
                painter.fillRect(box, theme.colour("card"))
            painter.fillRect(box, QBrush(theme.colour(token), style))
        if len(starts) * 4 < tiles.width():
            painter.setPen(QPen(theme.colour("ink"), 1))
            for start in starts.values():
                x = 14 + start * scale
                painter.drawLine(QPointF(x, tiles.top()), QPointF(x, tiles.bottom()))
        self._legend(painter, tiles.bottom() + 6, tiles.width())

    def _legend(self, painter: QPainter, y: float, width: float) -> None:
        x, shares = 14.0, self.shares()
        for kind in (k for k in KINDS if shares[k] > 0):
            token, style = _TEXTURE[kind]
            swatch = QRectF(x, y + 3, theme.base * 1.4, theme.base * 1.2)
            painter.fillRect(swatch, QBrush(theme.colour(token), style))
            painter.setPen(QPen(theme.colour("soft"), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(swatch)
            words = f"{kind} {shares[kind]:.0f} s"
            plain_text(painter, QRectF(x + theme.base * 1.9, y, width / 5, theme.base * 2), words, "small", "soft")
            x += width / 5
