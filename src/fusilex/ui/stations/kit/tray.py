"""The trays of bins in placing order, each bin with its part drawn to one scale, its fill, bag and clocks."""

from __future__ import annotations

import math

import numpy as np
import shapely
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap
from PyQt6.QtWidgets import QWidget

from fusilex.bench.common.bins import Bins
from fusilex.bench.stations.kit.events import Kitted
from fusilex.bench.stations.kit.fitting import lots_for
from fusilex.bench.workshop.stock import Lots
from fusilex.core.design.frames import board_to_part
from fusilex.core.design.model import Part
from fusilex.core.evidence import Level
from fusilex.core.kit.moisture import CARE_LEFT, share_left
from fusilex.core.kit.quantities import PLACING_ORDERS, PullLine
from fusilex.core.kit.trays import TrayPlan
from fusilex.ui.canvas.bodies import draw_part
from fusilex.ui.desk import Desk
from fusilex.ui.theme import RADIUS, theme
from fusilex.ui.widgets.glyphs import judgement_mark, plain_text, shortened, text_height

MOST_PICTURES = 400
LEAST_BIN = 6.6
"""Times the base that a bin is high at least: its number, its name, its count."""
LEAST_SCALE = 14.0  # pixels per mm of a body drawn at full size
SHARE_A_MM = 0.2  # of the picture's height, where that is more


class Tray(QWidget):
    """All bins, row by row in placing order; the bin in hand is lit."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.chosen = 0
        self._boxes: dict[int, QRectF] = {}
        self._batch = desk.batch
        self._unturned: dict[str, Part] = {}
        self._pictures: dict[tuple[str, float, int, int, str], QPixmap] = {}
        self.setAccessibleName("Tray of bins")

    @property
    def plan(self) -> TrayPlan:
        """The workshop's own trays, or one whose bins come nearest to a pleasant shape."""
        count = max(self.desk.batch.bin_number.values(), default=0)
        own = self.desk.bench.workshop[Lots].tray
        if own is not None:
            return TrayPlan(*own, count)
        room = max(1, self.height() - 40)
        columns = min(
            range(1, count + 2),
            key=lambda c: abs((self.width() / c) / (room / math.ceil((count + 1) / c)) - 1.45),
        )
        return TrayPlan(math.ceil((count + 1) / columns), columns, count)

    @property
    def lines(self) -> dict[int, PullLine]:
        """What stands in which compartment, from 0: bins keep their numbers, whatever leaves the list."""
        batch = self.desk.batch
        return {batch.bin_number[line.key] - 1: line for line in batch.lines}

    def columns(self) -> int:
        return self.plan.columns

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("bench"))
        painter.drawRoundedRect(QRectF(self.rect()), RADIUS, RADIUS)
        bench, plan = self.desk.bench, self.plan
        self._batch = self.desk.batch  # one for the whole picture: what it works out is kept in it
        tray = plan.place(min(self.chosen, plan.bins))[0]
        which = f"Tray {tray + 1} of {plan.trays}, " if plan.trays > 1 else "Bins "
        words = (
            f"{which}in the order they are placed: {PLACING_ORDERS[bench.state[Bins].order]}; large bodies smaller, as"
            " marked"
        )
        top = 12 + text_height(words, self.width() - 32)
        plain_text(painter, QRectF(16, 8, self.width() - 32, top), words, "body", "soft")
        room = self.height() - top - 10
        rows = max(1, min(plan.rows, int(room / (theme.base * LEAST_BIN))))  # the others come as the bin in hand moves
        first = max(0, min(plan.place(min(self.chosen, plan.bins))[1] - rows // 2, plan.rows - rows))
        width, height = (self.width() - 24) / plan.columns, room / rows
        self._boxes = {}
        for i in range(plan.bins + 1):
            on, row, column = plan.place(i)
            if on == tray and first <= row < first + rows:
                self._boxes[i] = QRectF(12 + column * width, top + (row - first) * height, width - 5, height - 5)
        lines = self.lines
        for i, box in self._boxes.items():
            if i in lines:
                self._bin(painter, box, lines[i], i)
            else:
                painter.setPen(QPen(theme.colour("soft"), 1, Qt.PenStyle.DashLine))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(box, 5, 5)
                painter.setFont(theme.font("small"))
                words = "spare" if i == plan.bins else "no longer in the list"
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, words)

    def _bin(self, painter: QPainter, box: QRectF, line: PullLine, index: int) -> None:
        bench = self.desk.bench
        held = bench.state[Bins].filled.get(line.key)
        count = self._batch.left_in_bin(line.key) if held else None
        lit = index == self.chosen
        short = held is not None and self._batch.serve(line.key) < line.need
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
                QRectF(fill.x(), fill.y(), fill.width() * min(1.0, held.count / max(1, line.pull)), fill.height())
            )
        skipped = line.side == bench.state[Bins].skipped_side
        words = f"{count} there" if held else "other side" if skipped else f"pull {line.pull}"
        plain_text(
            painter,
            fill.translated(0, 2),
            words,
            "small",
            "stop" if short else "ink" if held else "soft",
            short,
            Qt.AlignmentFlag.AlignHCenter,
        )
        plain_text(
            painter, QRectF(box.left() + 6, box.top() + 2, 40, theme.base * 1.6), str(index + 1), "small", "soft"
        )
        wide = box.width() - 6
        size = "body" if QFontMetricsF(theme.font("body", True)).horizontalAdvance(line.name) <= wide else "small"
        value = shortened(line.name, wide, 3 if box.height() > theme.base * 8 else 2, size, True)
        high = text_height(value, wide, size, True) + 1
        name = QRectF(box.left() + 3, fill.top() - high, wide, high)
        plain_text(painter, name, value, size, "ink", True, Qt.AlignmentFlag.AlignHCenter)
        room = QRectF(box.left(), box.top() + 6, box.width(), name.top() - box.top() - 8)
        if room.height() > theme.base * 1.4:
            self._body(painter, room, line)
        self._marks(painter, box, line)

    def _marks(self, painter: QPainter, box: QRectF, line: PullLine) -> None:
        """Beside its number: the bag's check, the programme, the moisture clock as a ring that empties."""
        bench = self.desk.bench
        x, y = box.left() + 34, box.top() + 12
        if bag := bench.state[Kitted].bags.get(line.key):
            level = Level(bag.level)
            judgement_mark(painter, QPointF(x, y), 5, Level.CARE if level is Level.STOP and bag.reason else level)
            x += 17
        clock = next(
            (lot for lot in lots_for(self._batch, line) if lot.level != "1" and lot.moisture and lot.count > 0),
            None,
        )
        if clock is not None:
            left = share_left(clock.level, clock.exposure(self._batch.at))
            ring = QRectF(x - 5.5, y - 5.5, 11, 11)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.colour("hair"), 3))
            painter.drawEllipse(ring)
            painter.setPen(QPen(theme.colour("stop" if left <= 0 else "care" if left < CARE_LEFT else "go"), 3))
            painter.drawArc(ring, 90 * 16, round(-360 * 16 * min(1.0, left)) if left > 0 else 360 * 16)
            x += 17
        if line.key in bench.state[Kitted].programmes:
            token = "go" if bench.state[Kitted].programmes[line.key] else "stop"
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("card"))
            painter.drawRoundedRect(QRectF(x - 7, y - 8, 16, 16), 4, 4)
            plain_text(painter, QRectF(x - 7, y - 8, 16, 18), "P", "small", token, True, Qt.AlignmentFlag.AlignHCenter)

    def _body(self, painter: QPainter, box: QRectF, line: PullLine) -> None:
        ref = line.refs[0]
        if ref not in self._unturned:
            self._unturned[ref] = unturned(self.desk.batch.own.by_ref[ref])
        part = self._unturned[ref]
        wide, high = across(part)
        room = min((box.width() - 20) / wide, (box.height() - 2) / high)
        full = max(LEAST_SCALE, SHARE_A_MM * box.height())
        shrink, words = next(((f, w) for f, w in ((1, ""), (2, "½"), (4, "¼")) if full / f <= room), (8, "⅛"))
        scale = full / shrink
        plain_text(
            painter,
            QRectF(box.right() - 30, box.top() - 3, 24, 20),
            words,
            "small",
            "soft",
            False,
            Qt.AlignmentFlag.AlignRight,
        )
        picture = self._picture(part, scale, box.width(), box.height())
        painter.drawPixmap(box.topLeft(), picture)

    def _picture(self, part: Part, scale: float, width: float, height: float) -> QPixmap:
        """An unturned part, painted once for a size and theme."""
        key = part.ref, scale, round(width), round(height), theme.tokens.name
        if key not in self._pictures:
            ratio = self.devicePixelRatioF()
            made = QPixmap(math.ceil(width * ratio), math.ceil(height * ratio))
            made.setDevicePixelRatio(ratio)
            made.fill(Qt.GlobalColor.transparent)
            painter = QPainter(made)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.translate(width / 2, height / 2)
            painter.scale(scale, -scale)
            draw_part(painter, part)
            painter.end()
            if len(self._pictures) > MOST_PICTURES:
                self._pictures.clear()
            self._pictures[key] = made
        return self._pictures[key]

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        for i, box in self._boxes.items():
            if event and i < len(self.desk.batch.lines) and box.contains(event.position()):
                self.chosen = i
                self.desk.changed.emit()


def unturned(part: Part) -> Part:
    """The part in its own frame, top side, so that a bin shows it unturned with its marks."""

    def own(xy: np.ndarray) -> np.ndarray:
        return np.asarray(board_to_part(xy, (part.x, part.y), part.rotation_deg, part.side))

    pads = tuple(replace(p, side="top", polygon=shapely.transform(p.polygon, own)) for p in part.pads)
    return replace(part, x=0.0, y=0.0, rotation_deg=0.0, side="top", pads=pads)


def across(part: Part) -> tuple[float, float]:
    """Width and height (mm) of what is drawn about an unturned part's middle, its terminations included."""
    half = np.array([[part.package.size_x, part.package.size_y]]) / 2
    if part.pads:
        half = np.vstack([half, np.abs(shapely.get_coordinates([p.polygon for p in part.pads]))])
    wide, high = 2 * half.max(axis=0)
    return float(wide), float(high)
