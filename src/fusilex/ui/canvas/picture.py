"""Pictures of one board: layers and bodies painted once per look, kept, and copied to the screen."""

from __future__ import annotations

from typing import NamedTuple, TypeVar

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPixmap

from fusilex.core.design.model import Part
from fusilex.ui.canvas.bodies import draw_part
from fusilex.ui.canvas.paths import BoardArt, seen_mm
from fusilex.ui.theme import theme

LARGEST_PIXMAP = 9_000_000
KEPT_PX = 9_000_000
"""Pixels of bare boards, and again of boards with parts, that a canvas keeps beside the newest picture."""
_TOKENS = {"copper": "track", "exposed": "gold", "silk": "silk", "paste": "paste"}

Name = TypeVar("Name")
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
        self._layers = _newest(self._layers, look, base)
        pixmap = base[0]
        if parts:
            begun, left = self._begun(look, base, parts)
            pixmap = QPixmap(begun)
            painter = _painter_on(pixmap, look, base[1])
            for part in left:
                draw_part(painter, part)
            painter.end()
        self._boards = _newest(self._boards, key, (pixmap, base[1]))
        return self._boards[key]

    def _begun(self, look: Look, base: Picture, parts: list[Part]) -> tuple[QPixmap, list[Part]]:
        """A picture that some of the parts are on already, in this order, and those left to draw: one was just put on,
        as a rule.
        """
        refs = tuple(p.ref for p in parts)
        best, done = base[0], 0
        for (of, on), (pixmap, area) in self._boards.items():
            if of == look and area == base[1] and done < len(on) <= len(refs) and on == refs[: len(on)]:
                best, done = pixmap, len(on)
        return best, parts[done:]

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


def _newest(kept: dict[Name, Picture], name: Name, made: Picture) -> dict[Name, Picture]:
    """Pictures by name with one more, and as many of those used last as there is room for, the oldest first."""
    found, room = {name: made}, KEPT_PX
    for other, picture in reversed(kept.items()):
        room -= picture[0].width() * picture[0].height()
        if room < 0:
            break
        found.setdefault(other, picture)
    return dict(reversed(found.items()))


def _painter_on(pixmap: QPixmap, look: Look, area: QRectF) -> QPainter:
    """A painter on a picture of `area`, in board mm."""
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    mirrored = look.side == "bottom"
    painter.translate(area.width() * look.scale if mirrored else 0, area.height() * look.scale)
    painter.scale(-look.scale if mirrored else look.scale, -look.scale)
    painter.translate(-area.left(), -area.top())
    return painter
