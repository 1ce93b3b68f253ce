"""Pictures of one board: layers and bodies painted once per look, kept, and copied to the screen."""

from __future__ import annotations

from typing import NamedTuple

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPixmap

from fusilex.core.design.model import Part
from fusilex.ui.canvas.bodies import draw_part
from fusilex.ui.canvas.paths import BoardArt, seen_mm
from fusilex.ui.theme import theme

LARGEST_PIXMAP = 9_000_000
KEPT_LAYERS, KEPT_BOARDS = 3, 8
_TOKENS = {"copper": "track", "exposed": "gold", "silk": "silk", "paste": "paste"}

Picture = tuple[QPixmap, QRectF]
"""A pixmap and the area of the board (mm) it shows."""


class Look(NamedTuple):
    """All that a picture of the bare board depends on."""

    scale: float
    side: str
    layers: tuple[str, ...]
    theme: str
    ratio: float


class BoardPictures:
    """Pictures of one design. Boards that carry the same parts share one."""

    def __init__(self, art: BoardArt) -> None:
        self.art = art
        self._layers: dict[Look, Picture] = {}
        self._boards: dict[tuple[Look, tuple[str, ...]], Picture] = {}

    def picture(self, look: Look, parts: list[Part], seen: QRectF) -> Picture:
        """The whole board while that is small, else what is `seen` (mm) and a margin, so that a pan only copies."""
        x0, y0, x1, y1 = self.art.design.outline.bounds
        whole = QRectF(x0 - 1.5, y0 - 1.5, x1 - x0 + 3, y1 - y0 + 3)
        small = whole.width() * whole.height() * (look.scale * look.ratio) ** 2 <= LARGEST_PIXMAP
        key = look, tuple(p.ref for p in parts)
        kept = self._boards.get(key)
        if kept and (small or kept[1].contains(seen.intersected(whole))):
            return kept
        area = whole
        if not small:
            margin_x, margin_y = seen.width() / 4, seen.height() / 4
            area = seen.adjusted(-margin_x, -margin_y, margin_x, margin_y).intersected(whole)
        base = self._layers.get(look)
        if base is None or not base[1].contains(area):
            base = self._render(look, area), area
        self._layers = {**dict(list(self._layers.items())[1 - KEPT_LAYERS :]), look: base}
        pixmap = base[0]
        if parts:
            pixmap = QPixmap(base[0])
            painter = _painter_on(pixmap, look, base[1])
            for part in parts:
                draw_part(painter, part)
            painter.end()
        self._boards = {**dict(list(self._boards.items())[1 - KEPT_BOARDS :]), key: (pixmap, base[1])}
        return self._boards[key]

    def _render(self, look: Look, area: QRectF) -> QPixmap:
        pixels = look.scale * look.ratio
        pixmap = QPixmap(max(1, round(area.width() * pixels)), max(1, round(area.height() * pixels)))
        pixmap.setDevicePixelRatio(look.ratio)
        pixmap.fill(Qt.GlobalColor.transparent)
        painter = _painter_on(pixmap, look, area)
        self.paint_layers(painter, look.side, look.layers)
        painter.end()
        return pixmap

    def paint_layers(self, painter: QPainter, side: str, layers: tuple[str, ...]) -> None:
        """Layers of the board in board mm, holes open."""
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("board"))
        self.art.draw(painter, "substrate", side)
        for what in layers:
            painter.setBrush(theme.colour(_TOKENS[what]))
            self.art.draw(painter, what, side)
        painter.setBrush(theme.colour("bench"))
        for x, y, radius in self.art.holes_in(seen_mm(painter)):
            painter.drawEllipse(QPointF(x, y), radius, radius)


def _painter_on(pixmap: QPixmap, look: Look, area: QRectF) -> QPainter:
    """A painter on a picture of `area`, in board mm."""
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    mirrored = look.side == "bottom"
    painter.translate(area.width() * look.scale if mirrored else 0, area.height() * look.scale)
    painter.scale(-look.scale if mirrored else look.scale, -look.scale)
    painter.translate(-area.left(), -area.top())
    return painter
