"""Kit: the tray of bins in placing order, each with its part drawn to one scale and its fill."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import shapely
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from fusilex.bench.commands import CloseKit, FillBin
from fusilex.core.board.frame import board_to_part
from fusilex.core.board.model import Part
from fusilex.core.kit.quantities import PullLine
from fusilex.ui.canvas.bodies import draw_part
from fusilex.ui.desk import Desk
from fusilex.ui.glyphs import plain_text
from fusilex.ui.keys import Key
from fusilex.ui.station import Station
from fusilex.ui.theme import RADIUS, theme

SCALE = 14.0  # pixels per mm of a body drawn at full size


class Tray(QWidget):
    """All bins, row by row in placing order; the bin in hand is lit."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.chosen = 0
        self._boxes: list[QRectF] = []
        self._unturned: dict[str, Part] = {}
        self.setAccessibleName("Tray of bins")

    def columns(self) -> int:
        """Columns that make bins nearest to square and a half."""
        count = len(self.desk.bench.lines) + 1
        return max(
            1,
            min(
                range(1, count + 1),
                key=lambda c: abs((self.width() / c) / (max(1, self.height() - 40) / math.ceil(count / c)) - 1.25),
            ),
        )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("bench"))
        painter.drawRoundedRect(QRectF(self.rect()), RADIUS, RADIUS)
        plain_text(
            painter,
            QRectF(16, 8, self.width() - 32, 24),
            "Bins in the order they are placed: by kind, smallest first; bodies to one scale, large ones at ½ or ¼",
            "body",
            "soft",
        )
        lines = self.desk.bench.lines
        columns = self.columns()
        rows = math.ceil((len(lines) + 1) / columns)
        width, height = (self.width() - 24) / columns, (self.height() - 46) / rows
        self._boxes = [
            QRectF(12 + i % columns * width, 36 + i // columns * height, width - 5, height - 5)
            for i in range(len(lines) + 1)
        ]
        for i, line in enumerate(lines):
            self._bin(painter, self._boxes[i], line, i)
        painter.setPen(QPen(theme.colour("soft"), 1, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(self._boxes[-1], 5, 5)
        painter.setFont(theme.font("small"))
        painter.drawText(self._boxes[-1], Qt.AlignmentFlag.AlignCenter, "spare")

    def _bin(self, painter: QPainter, box: QRectF, line: PullLine, index: int) -> None:
        bench = self.desk.bench
        held = bench.state.bins.get(line.key)
        count = bench.left_in_bin(line.key) if held else None
        lit = index == self.chosen
        short = held is not None and held["count"] < line.need
        painter.setPen(
            QPen(theme.colour("stop" if short else "ink" if lit else "hair"), 3 if lit else 2 if short else 1)
        )
        painter.setBrush(theme.colour("card"))
        painter.drawRoundedRect(box, 5, 5)
        low = theme.base * 1.75
        fill = QRectF(box.left() + 2, box.bottom() - low - 2, box.width() - 4, low)
        if held:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("stop" if short else "solder", 60))
            painter.drawRect(
                QRectF(fill.x(), fill.y(), fill.width() * min(1.0, held["count"] / max(1, line.pull)), fill.height())
            )
        words = f"{count} in" if held else f"pull {line.pull}"
        plain_text(
            painter,
            fill.translated(0, 2),
            words,
            "small",
            "stop" if short else "ink" if held else "soft",
            short,
            Qt.AlignmentFlag.AlignHCenter,
        )
        plain_text(painter, QRectF(box.left() + 6, box.top() + 3, 40, 20), str(index + 1), "small", "soft")
        value_height = theme.base * 1.9
        metrics = QFontMetricsF(theme.font("body", bold=True))
        value = metrics.elidedText(line.value, Qt.TextElideMode.ElideRight, box.width() - 8)
        plain_text(
            painter,
            QRectF(box.left() + 4, fill.top() - value_height, box.width() - 8, value_height),
            value,
            "body",
            "ink",
            True,
            Qt.AlignmentFlag.AlignHCenter,
        )
        self._body(
            painter, QRectF(box.left(), box.top() + 6, box.width(), fill.top() - value_height - box.top() - 8), line
        )

    def _body(self, painter: QPainter, box: QRectF, line: PullLine) -> None:
        part: Part = self.desk.bench.design.part_by_ref[line.refs[0]]
        room = min((box.width() - 20) / line.body.size_x, (box.height() - 2) / line.body.size_y)
        shrink, words = next(((f, w) for f, w in ((1, ""), (2, "½"), (4, "¼")) if SCALE / f <= room), (8, "⅛"))
        scale = SCALE / shrink
        plain_text(
            painter,
            QRectF(box.right() - 30, box.top() - 3, 24, 20),
            words,
            "small",
            "soft",
            False,
            Qt.AlignmentFlag.AlignRight,
        )
        painter.save()
        painter.setClipRect(box)
        painter.translate(box.center())
        painter.scale(scale, -scale)
        if part.ref not in self._unturned:
            self._unturned[part.ref] = unturned(part)
        draw_part(painter, self._unturned[part.ref])
        painter.restore()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        for i, box in enumerate(self._boxes[:-1]):
            if event and box.contains(event.position()):
                self.chosen = i
                self.desk.changed.emit()


def unturned(part: Part) -> Part:
    """The part in its own frame, top side, so that a bin shows it unturned with its marks."""

    def own(xy: np.ndarray) -> np.ndarray:
        return np.asarray(board_to_part(xy, (part.x, part.y), part.turn, part.side))

    pads = tuple(replace(p, side="top", polygon=shapely.transform(p.polygon, own)) for p in part.pads)
    return replace(part, x=0.0, y=0.0, turn=0.0, side="top", pads=pads)


class Kit(Station):
    name = "Kit"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.tray = Tray(desk)
        self.column.addWidget(self.tray, 1)
        self._next()

    def _next(self) -> None:
        lines, bins = self.bench.lines, self.bench.state.bins
        self.tray.chosen = next((i for i, line in enumerate(lines) if line.key not in bins), self.tray.chosen)

    def refresh(self) -> None:
        self.tray.chosen = min(self.tray.chosen, len(self.bench.lines) - 1)
        self.tray.update()

    @property
    def line(self) -> PullLine:
        return self.bench.lines[self.tray.chosen]

    def keys(self) -> list[Key]:
        return [
            Key("Space", "bin filled", lambda _: self._filled()),
            Key(
                "C",
                "other count",
                lambda _: self.desk.ask(
                    f"Pieces in bin {self.tray.chosen + 1}, {self.line.value}", self._counted, str(self.line.pull)
                ),
            ),
            Key(
                "L",
                "lot",
                lambda _: self.desk.ask(f"Lot of {self.line.value} in bin {self.tray.chosen + 1}", self._lot),
            ),
            Key("Left Right Up Down", "choose a bin", self._move),
        ]

    def _move(self, key: str) -> None:
        step = {"Left": -1, "Right": 1, "Up": -self.tray.columns(), "Down": self.tray.columns()}[key]
        wanted = self.tray.chosen + step
        if 0 <= wanted < len(self.bench.lines):
            self.tray.chosen = wanted
            self.desk.changed.emit()

    def _filled(self) -> None:
        if self.acknowledge():
            return
        bins = self.bench.state.bins
        if all(line.key in bins for line in self.bench.lines):
            if self.desk.do(CloseKit(), "The batch is on its way."):
                self.desk.go("Print")
            return
        if self.line.key in bins:
            self._next()
        self._record(self.line.pull, str(bins.get(self.line.key, {}).get("lot", "")))

    def _record(self, count: int, lot: str) -> None:
        number = self.tray.chosen + 1
        if self.desk.do(FillBin(self.line.key, count, lot), f"Bin {number}: {count} pieces."):
            self._next()
            self.desk.changed.emit()

    def _counted(self, text: str) -> None:
        if text.strip().isdigit():
            self._record(int(text), str(self.bench.state.bins.get(self.line.key, {}).get("lot", "")))
        else:
            self.desk.say(f"“{text}” is no count: type whole pieces, 0 for an empty bin.")

    def _lot(self, text: str) -> None:
        held = self.bench.state.bins.get(self.line.key)
        self._record(int(held["count"]) if held else self.line.pull, text)

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        line, held = self.line, self.bench.state.bins.get(self.line.key)
        refs = ", ".join(line.refs[:6]) + (" …" if len(line.refs) > 6 else "")
        return f"Bin {self.tray.chosen + 1}", [
            ("for", refs),
            ("body", line.body.code),
            ("need, pull", f"{line.need}, {line.pull}"),
            ("part number", line.part_number or "none"),
            ("lot", (held or {}).get("lot") or "not noted"),
        ]
