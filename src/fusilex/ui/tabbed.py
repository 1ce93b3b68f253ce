"""A station with several pictures: tabs above them, Tab to go to the next."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QStackedWidget, QWidget

from fusilex.bench.now import Now
from fusilex.core.judgement import Judgement
from fusilex.ui.desk import Desk
from fusilex.ui.picture import Picture, StationPicture
from fusilex.ui.theme import theme
from fusilex.ui.widgets.keys import Key


class View(Picture):
    """One picture of a station, with its own keys, facts and, where it has one, its own next thing to do."""

    @property
    def cautions(self) -> str:
        """Name of cautions to be read before the view's keys work, '' for none of its own."""
        return ""

    def now(self) -> Now | None:
        """What to do here, None for the station's own."""
        return None


class Tabs(QWidget):
    """Names of the views; the one in view is underlined in brass."""

    chosen = pyqtSignal(int)

    def __init__(self, names: list[str]) -> None:
        super().__init__()
        self.names, self.current = names, 0
        self._boxes: list[QRectF] = []
        self.setFixedHeight(round(theme.base * 2.7))
        self.setAccessibleName("Views: " + ", ".join(names))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        metrics = QFontMetricsF(theme.font("body", True))
        widths = [metrics.horizontalAdvance(name) for name in self.names]
        gap = max(6.0, min(26.0, (self.width() - 12 - sum(widths)) / len(widths)))
        end = 8 + sum(widths[: self.current + 2]) + gap * (self.current + 2)
        x = 4.0 - max(
            0.0, min(end, 8 + sum(widths) + gap * len(widths)) - self.width()
        )  # the one in view, and the next
        self._boxes = []
        for i, (name, width) in enumerate(zip(self.names, widths, strict=True)):
            lit = i == self.current
            box = QRectF(x, 0, width + 4, self.height())
            painter.setFont(theme.font("body", lit))
            painter.setPen(theme.colour("ink" if lit else "soft"))
            painter.drawText(box, int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter), name)
            if lit:
                painter.setPen(QPen(theme.colour("brass"), 3))
                painter.drawLine(box.bottomLeft(), box.bottomRight())
            self._boxes.append(box)
            x += width + gap

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        for i, box in enumerate(self._boxes):
            if event and box.contains(event.position()):
                self.chosen.emit(i)


class TabbedStation(StationPicture):
    """Subclasses name their views; each is built when first seen."""

    view_classes: tuple[type[View], ...] = ()

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.tabs = Tabs([v.name for v in self.view_classes])
        self.tabs.chosen.connect(self.show_view)
        self.stack = QStackedWidget()
        self.column.addWidget(self.tabs)
        self.column.addWidget(self.stack, 1)
        self._built: dict[int, View] = {}
        self._faces: dict[int, str] = {}
        self.take(0)

    @property
    def view(self) -> View:
        return self._built[self.tabs.current]

    def take(self, index: int) -> None:
        """Bring a view to the front, built at its first visit."""
        if index not in self._built:
            self._built[index] = self.view_classes[index](self.desk)
            self.stack.addWidget(self._built[index])
        self.tabs.current = index
        self.stack.setCurrentWidget(self._built[index])
        self.canvas = self._built[index].canvas
        self.tabs.update()

    def show_view(self, index: int) -> None:
        self.take(index % len(self.view_classes))
        self.desk.say("")

    def face(self) -> None:
        """Each view's board is turned to the side of the step once."""
        self._faced = self._faces.get(self.tabs.current, "")
        super().face()
        self._faces[self.tabs.current] = self._faced

    @property
    def cautions(self) -> str:
        return self.view.cautions or self.name

    def refresh(self) -> None:
        self.view.refresh()

    def now(self) -> Now:
        own = super().now()
        return own if own.cautions else self.view.now() or own  # what can hurt is read first, in every view

    def keys(self) -> list[Key]:
        return [
            *self.view.keys(),
            Key("Tab", "next view", lambda _: self.show_view(self.tabs.current + 1)),
            Key("Shift+Tab", "", lambda _: self.show_view(self.tabs.current - 1)),
        ]

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        return self.view.facts()

    def judgements(self, own: list[Judgement]) -> list[Judgement]:
        return self.view.judgements(own)
