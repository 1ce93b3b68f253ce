"""The canvas: one board or a whole panel, zoom about the cursor, pan, fit, a true flip, hover and select."""

from __future__ import annotations

from collections.abc import Callable, Iterable

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QShowEvent,
    QTransform,
    QWheelEvent,
)
from PyQt6.QtWidgets import QWidget

from fusilex.core.design.model import Design, Part
from fusilex.core.design.outlines import body_polygon
from fusilex.core.panel.layout import Panel
from fusilex.ui.canvas.paths import BoardArt
from fusilex.ui.canvas.picture import BoardPictures, Look
from fusilex.ui.canvas.surroundings import draw_panel, draw_words, room_for
from fusilex.ui.theme import RADIUS, theme
from fusilex.ui.widgets.glyphs import plain_text

Overlay = Callable[[QPainter, "BoardCanvas"], None]
DEFAULT_LAYERS = ("copper", "exposed", "silk")


class BoardCanvas(QWidget):
    """Stations set what is drawn (`layers`, `parts_on`, `overlays`) and call `update`."""

    part_clicked = pyqtSignal(str, int)
    flipped = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.design: Design | None = None
        self.art: BoardArt | None = None
        self.panel: Panel | None = None
        self.whole_panel = False
        self.cell = 0
        self.side = "top"
        self.layers: tuple[str, ...] = DEFAULT_LAYERS
        self.parts_on: Callable[[int], Iterable[Part]] = lambda cell: ()
        self.overlays: list[Overlay] = []
        self.caption = ""
        self.footer = ""
        self.selected: str | None = None
        self.hovered: tuple[str, int] | None = None
        self.scale = 10.0  # logical pixels per mm
        self.centre = QPointF(0, 0)  # mm, in the middle of the widget
        self._fitted_view = True
        self._rooms = (0.0, 0.0)
        self._drag: QPointF | None = None
        self.pictures: BoardPictures | None = None
        self._hits: tuple[list[Part], np.ndarray] | None = None
        self.setMouseTracking(True)
        self.setMinimumSize(round(theme.base * 14), round(theme.base * 9))
        self.setAccessibleName("Board")

    def show_design(self, design: Design, art: BoardArt, panel: Panel) -> None:
        if design is not self.design:
            self.design, self.art, self.panel = design, art, panel
            self.pictures = BoardPictures(art)
            self._hits = None
            self.fit()

    def cells(self) -> list[tuple[int, QTransform]]:
        """(cell, board mm to the picture's mm) of what is drawn: every cell of the panel that carries a board, or one
        board.
        """
        if self.whole_panel and self.panel and self.design:
            return [(cell, self._in_panel(cell)) for cell in self.panel.cells]
        return [(self.cell, QTransform())]

    def _in_panel(self, cell: int) -> QTransform:
        assert self.panel and self.design
        x0, y0, *_ = self.design.outline.bounds
        turn, shift = self.panel.place(cell)
        dx, dy = shift - turn @ (x0, y0)
        return QTransform(turn[0, 0], turn[1, 0], turn[0, 1], turn[1, 1], float(dx), float(dy))

    def extent(self) -> QRectF:
        """Area to fit in view, mm."""
        if self.design is None:
            return QRectF(0, 0, 100, 80)
        if self.whole_panel and self.panel:
            return QRectF(0, 0, self.panel.width, self.panel.height)
        x0, y0, x1, y1 = self.design.outline.bounds
        return QRectF(x0 - 1, y0 - 0.5, x1 - x0 + 2, y1 - y0 + 1)

    def fit(self) -> None:
        area = self.extent()
        top, bottom = self._rooms = self._words_room()
        self.scale = max(0.5, min((self.width() - 32) / area.width(), (self.height() - top - bottom) / area.height()))
        shift = (bottom - top) / 2 / self.scale
        self.centre = QPointF(area.center().x(), area.center().y() - shift)
        self._fitted_view = True
        self.update()

    def _words_room(self) -> tuple[float, float]:
        return room_for(self.caption, self.width(), f"{self.side} side"), room_for(self.footer, self.width())

    def zoom(self, factor: float, at: QPointF | None = None) -> None:
        """Zoom about a widget position, or the middle."""
        at = at or QPointF(self.width() / 2, self.height() / 2)
        before = self.to_mm(at)
        self.scale = max(1.0, min(600.0, self.scale * factor))
        self.centre += before - self.to_mm(at)
        self._fitted_view = False
        self.update()

    def pan(self, dx: float, dy: float) -> None:
        """Shift the picture by widget pixels."""
        sign = -1 if self.side == "bottom" else 1
        self.centre += QPointF(-sign * dx / self.scale, dy / self.scale)
        self._fitted_view = False
        self.update()

    def flip(self, side: str | None = None) -> None:
        """Show the other side, mirrored as it is when the board is turned over."""
        wanted = side or ("bottom" if self.side == "top" else "top")
        if wanted != self.side:
            self.side = wanted
            self.update()
            self.flipped.emit(wanted)

    def look_at(self, part: Part, scale: float | None = None) -> None:
        self.flip(part.side)
        self.selected = part.ref
        if scale:
            self.scale = scale
            self.centre = dict(self.cells()).get(self.cell, QTransform()).map(QPointF(part.x, part.y))
            self._fitted_view = False
        self.update()

    def transform(self) -> QTransform:
        """From board mm to widget pixels; the bottom is mirrored."""
        sign = -1 if self.side == "bottom" else 1
        shape = QTransform()
        shape.translate(self.width() / 2, self.height() / 2)
        shape.scale(sign * self.scale, -self.scale)
        shape.translate(-self.centre.x(), -self.centre.y())
        return shape

    def to_px(self, x: float, y: float, cell: int | None = None) -> QPointF:
        at = QPointF(x, y)
        if self.whole_panel and cell is not None:
            at = dict(self.cells()).get(cell, QTransform()).map(at)
        return self.transform().map(at)

    def to_mm(self, at: QPointF) -> QPointF:
        inverse, _ = self.transform().inverted()
        return inverse.map(at)

    # painting

    def showEvent(self, event: QShowEvent | None) -> None:
        """Whoever comes back sees the board as large as it can be."""
        if self._fitted_view and self._rooms != self._words_room():
            self.fit()
        super().showEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self._fitted_view and any(now > was for now, was in zip(self._words_room(), self._rooms, strict=True)):
            self.fit()  # the words take more lines than before; for fewer the board stays where it is
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("bench"))
        painter.drawRoundedRect(QRectF(self.rect()), RADIUS, RADIUS)
        if self.design is None or self.art is None:
            return
        painter.setClipRect(self.rect().adjusted(1, 1, -1, -1))
        if self.whole_panel and self.panel:
            draw_panel(painter, self.transform(), self.panel)
        for cell, placed in self.cells():
            self._board(painter, cell, placed)
        for overlay in self.overlays:
            painter.save()
            overlay(painter, self)
            painter.restore()
        self._words(painter)

    def _board(self, painter: QPainter, cell: int, placed: QTransform) -> None:
        assert self.pictures
        parts = [p for p in self.parts_on(cell) if p.side == self.side]
        look = Look(self.scale, self.side, self.layers, theme.tokens.name, self.devicePixelRatioF())
        whole = placed * self.transform()
        pixmap, area = self.pictures.picture(look, parts, whole.inverted()[0].mapRect(QRectF(self.rect())))
        turn = self.panel.turn(cell) if self.whole_panel and self.panel else 0
        if not turn:
            painter.drawPixmap(whole.mapRect(area).topLeft(), pixmap)
            return
        painter.save()
        painter.translate(whole.map(area.center()))
        painter.rotate(turn if self.side == "bottom" else -turn)
        width, height = area.width() * self.scale, area.height() * self.scale
        painter.drawPixmap(QPointF(-width / 2, -height / 2), pixmap)
        painter.restore()

    def _words(self, painter: QPainter) -> None:
        hint = self.footer
        if self.hovered and self.design and (part := self.design.part_by_ref.get(self.hovered[0])):
            hint = f"{part.ref}   {part.value}   {part.package.code}   turned {part.rotation_deg:g}°"
        draw_words(painter, QRectF(self.rect()), self.caption, hint, f"{self.side} side")

    # looking and pointing

    def outline_part(
        self,
        painter: QPainter,
        part: Part,
        cell: int | None = None,
        token: str = "lit",
        width: float = 3.0,
        grow: float = 5.0,
    ) -> QRectF:
        """A rounded frame about a part, in widget pixels; returns it."""
        ring = np.asarray(body_polygon(part).exterior.coords)
        if part.pads:
            boxes = np.array([p.polygon.bounds for p in part.pads])
            ring = np.vstack([ring, boxes[:, :2], boxes[:, 2:]])
        (x0, y0), (x1, y1) = ring.min(axis=0).tolist(), ring.max(axis=0).tolist()
        a, b = self.to_px(x0, y0, cell), self.to_px(x1, y1, cell)
        frame = QRectF(a, b).normalized().adjusted(-grow, -grow, grow, grow)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour(token), width))
        painter.drawRoundedRect(frame, 6, 6)
        return frame

    def point_out(self, painter: QPainter, part: Part) -> None:
        """Frame the part in hand and name it."""
        frame = self.outline_part(painter, part, grow=7)
        below = QRectF(frame.center().x() - 60, frame.bottom() + 3, 120, 24)
        plain_text(painter, below, part.ref, "body", "lit", True, Qt.AlignmentFlag.AlignHCenter)

    def part_at(self, at: QPointF) -> tuple[str, int] | None:
        """Reference and cell of the part under a widget position."""
        if self.design is None:
            return None
        if self._hits is None:
            parts = [p for p in self.design.parts if p.package.mount != "none"]
            self._hits = parts, np.array([body_polygon(p, 0.25).bounds for p in parts]).reshape(-1, 4)
        parts, boxes = self._hits
        where = self.to_mm(at)
        best: tuple[float, str, int] | None = None
        for cell, placed in self.cells():
            here = placed.inverted()[0].map(where)
            x, y = here.x(), here.y()
            inside = np.flatnonzero((boxes[:, 0] <= x) & (x <= boxes[:, 2]) & (boxes[:, 1] <= y) & (y <= boxes[:, 3]))
            for i in inside:
                area = float((boxes[i, 2] - boxes[i, 0]) * (boxes[i, 3] - boxes[i, 1]))
                if parts[i].side == self.side and (best is None or area < best[0]):
                    best = area, parts[i].ref, cell
        return (best[1], best[2]) if best else None

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        if self._fitted_view:
            self.fit()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event:
            self.zoom(1.0015 ** event.angleDelta().y(), event.position())

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event:
            self._drag = event.position()
            if event.button() == Qt.MouseButton.LeftButton and (hit := self.part_at(event.position())):
                self.selected = hit[0]
                self.part_clicked.emit(*hit)
                self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._drag is not None and event.buttons() != Qt.MouseButton.NoButton:
            moved = event.position() - self._drag
            self._drag = event.position()
            self.pan(moved.x(), moved.y())
        elif (hit := self.part_at(event.position())) != self.hovered:
            self.hovered = hit
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._drag = None

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.fit()
