"""The machine's bed from above: slots as reels with what is left, the panel in its clamp, heads, the trip under way."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import pairwise

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPen, QPixmap, QPolygonF, QResizeEvent

from fusilex.bench.stations.place.setup_events import Loaded
from fusilex.core.machine.model import Machine, Slot
from fusilex.core.panel.layout import Panel
from fusilex.core.placing.points import as_seen
from fusilex.core.programme.job import Floats, Job
from fusilex.core.programme.pieces import Lying
from fusilex.core.programme.plan import Act, Plan, Stop
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import plain_text

CENTRE = Qt.AlignmentFlag.AlignHCenter
GRAB_PX = 16


class Bed(Card):
    """What stands still is painted once; heads, path and parts over it."""

    pressed = pyqtSignal(str)
    dragged = pyqtSignal(str, float, float)

    def __init__(self) -> None:
        super().__init__()
        self._grabbed: str | None = None
        self.machine: Machine | None = None
        self.job: Job | None = None
        self.plan: Plan | None = None
        self.outlines: list[Floats] = []
        self.loaded: dict[str, Loaded] = {}
        self.done: set[int] = set()
        self.path: list[Stop] = []
        self.beam: tuple[float, float] | None = None
        self.held: set[int] = set()
        self.lit = ""
        self._still: QPixmap | None = None
        self.setMinimumHeight(round(theme.base * 10))
        self.setAccessibleName("The machine's bed from above")

    def show_job(
        self, machine: Machine, job: Job | None, plan: Plan | None, outlines: list[Floats], loaded: dict[str, Loaded]
    ) -> None:
        """The bed as it is set up: outlines are the panel's and its boards' corners (mm, bed)."""
        self.machine, self.job, self.plan, self.outlines, self.loaded = machine, job, plan, outlines, loaded
        self.fresh()

    def fresh(self) -> None:
        """What stands still is to be painted anew."""
        self._still = None
        self.update()

    @property
    def scale(self) -> float:
        m = self.machine
        assert m is not None
        return min((self.width() - 40) / m.width, (self.height() - 40) / m.depth)

    def to_px(self, x: float, y: float) -> QPointF:
        m = self.machine
        assert m is not None
        left = (self.width() - m.width * self.scale) / 2
        top = (self.height() - m.depth * self.scale) / 2
        return QPointF(left + x * self.scale, top + (m.depth - y) * self.scale)

    def slot_at(self, at: QPointF) -> str | None:
        """The slot under a place of the widget."""
        m = self.machine
        if m is None:
            return None
        near = min(m.slots, key=lambda s: (self.to_px(s.x, s.y) - at).manhattanLength())
        return near.name if (self.to_px(near.x, near.y) - at).manhattanLength() < GRAB_PX else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and (name := self.slot_at(event.position())):
            self._grabbed = name
            self.pressed.emit(name)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Dropped elsewhere than it was grabbed: it goes there."""
        name, self._grabbed = self._grabbed, None
        if event is not None and name is not None and self.slot_at(event.position()) != name:
            origin, scale = self.to_px(0, 0), self.scale
            at = event.position()
            self.dragged.emit(name, (at.x() - origin.x()) / scale, (origin.y() - at.y()) / scale)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self.fresh()

    def draw(self, painter: QPainter) -> None:
        if self.machine is None:
            return
        if self._still is None:
            ratio = self.devicePixelRatioF()
            self._still = QPixmap(round(self.width() * ratio), round(self.height() * ratio))
            self._still.setDevicePixelRatio(ratio)
            self._still.fill(Qt.GlobalColor.transparent)
            still = QPainter(self._still)
            still.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._stand(still)
            still.end()
        painter.drawPixmap(0, 0, self._still)
        self._trip(painter)
        self._heads(painter)

    def _stand(self, painter: QPainter) -> None:
        m = self.machine
        assert m is not None
        painter.setPen(QPen(theme.colour("hair"), 2))
        painter.setBrush(theme.colour("bench"))
        painter.drawRect(QRectF(self.to_px(0, m.depth), self.to_px(m.width, 0)))
        for k, outline in enumerate(self.outlines):
            painter.setPen(QPen(theme.colour("ink"), 1))
            painter.setBrush(theme.colour("board" if k == 0 else "track"))
            painter.drawPolygon(QPolygonF([self.to_px(float(x), float(y)) for x, y in outline]))
        self._parts(painter)
        self._slots(painter)
        for name, at in (("park", m.park), ("reject", m.reject), *((("looks up", m.look_at),) if m.vision else ())):
            spot = self.to_px(*at)
            painter.setPen(QPen(theme.colour("soft"), 1.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(spot, 6, 6)
            plain_text(
                painter, QRectF(spot.x() + 10, spot.y() - theme.base, 100, theme.base * 2), name, "small", "soft"
            )
        for nozzle in m.nozzles:
            if nozzle.rack is not None:
                spot = self.to_px(*nozzle.rack)
                painter.setPen(QPen(theme.colour("soft"), 1.5))
                painter.drawRect(QRectF(spot.x() - 4, spot.y() - 4, 8, 8))
                box = QRectF(spot.x() - 108, spot.y() - theme.base, 100, theme.base * 2)
                plain_text(painter, box, nozzle.name, "small", "soft", False, Qt.AlignmentFlag.AlignRight)

    def add_done(self, new: set[int]) -> None:
        """These parts are on the board now: painted over the picture there is."""
        self.done |= new
        if self._still is not None:
            painter = QPainter(self._still)
            self._parts(painter, new)
            painter.end()
        self.update()

    def _parts(self, painter: QPainter, some: Iterable[int] | None = None) -> None:
        """Places still bare as small squares, those with their part filled."""
        if self.job is None:
            return
        size = max(2.0, 0.9 * self.scale)
        for i in range(len(self.job)) if some is None else some:
            at = self.to_px(float(self.job.xy[i, 0]), float(self.job.xy[i, 1]))
            there = i in self.done
            painter.setPen(QPen(theme.colour("gold"), 1))
            painter.setBrush(theme.colour("body_light") if there else Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(at.x() - size / 2, at.y() - size / 2, size, size))

    def _slots(self, painter: QPainter) -> None:
        m = self.machine
        assert m is not None
        plan, job = self.plan, self.job
        lines = {} if plan is None or job is None else dict(zip(plan.slot.tolist(), job.names, strict=True))
        radius = max(4.0, min(13.0, 6.2 * self.scale))
        every = 2 * max(1, round(theme.base * 1.5 / max(2.2 * radius, 1.0)))  # where reels are small, some names stand
        for k, slot in enumerate(m.slots):
            at = self.to_px(slot.x, slot.y)
            load = self.loaded.get(slot.name)
            used = k in lines
            painter.setPen(QPen(theme.colour("ink" if used else "hair"), 1.4))
            painter.setBrush(theme.colour("card"))
            if slot.pockets > 1:
                self._pockets(painter, slot)
            painter.drawEllipse(at, radius, radius)
            if load is not None and load.pieces:
                share = max(0.0, load.left / load.pieces)
                painter.setPen(QPen(theme.colour("brass" if share > 0.1 else "stop"), 4))
                box = QRectF(at.x() - radius, at.y() - radius, 2 * radius, 2 * radius)
                painter.drawArc(box, 90 * 16, -round(360 * 16 * share))
            if slot.name == self.lit:
                painter.setPen(QPen(theme.colour("brass"), 4))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawEllipse(at, radius + 5, radius + 5)
            # names stand in turn above and below, where reels are close
            y = at.y() + (radius + 2 if k % 2 else -radius - 2 - theme.base * 1.7)
            box = QRectF(at.x() - 30, y, 60, theme.base * 1.8)
            if k % every < 2 or slot.name == self.lit:
                plain_text(painter, box, slot.name, "small", "ink" if used else "soft", used, CENTRE)

    def _pockets(self, painter: QPainter, slot: Slot) -> None:
        """The pockets of a strip or tray; its ring stands at the first."""
        half = max(1.5, 0.8 * self.scale)
        painter.save()
        painter.setPen(QPen(theme.colour("soft"), 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for x, y in slot.pocket_xy.tolist():
            at = self.to_px(x, y)
            painter.drawRect(QRectF(at.x() - half, at.y() - half, 2 * half, 2 * half))
        painter.restore()

    def _trip(self, painter: QPainter) -> None:
        if not self.path or self.job is None:
            return
        m = self.job.machine
        points = []
        for stop in self.path:
            dx, dy = m.offsets[stop.head]
            points.append(self.to_px(stop.at[0] + float(dx), stop.at[1] + float(dy)))
        painter.setPen(QPen(theme.colour("brass"), 2, Qt.PenStyle.DashLine))
        for a, b in pairwise(points):
            painter.drawLine(a, b)
        painter.setPen(QPen(theme.colour("brass"), 2.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for stop, at in zip(self.path, points, strict=True):
            if stop.act is Act.PLACE:
                painter.drawRect(QRectF(at.x() - 5, at.y() - 5, 10, 10))
            elif stop.act is Act.PICK:
                painter.drawEllipse(at, 4, 4)

    def _heads(self, painter: QPainter) -> None:
        if self.beam is None or self.machine is None:
            return
        spots = [self.to_px(self.beam[0] + float(dx), self.beam[1] + float(dy)) for dx, dy in self.machine.offsets]
        painter.setPen(QPen(theme.colour("ink"), 5))
        if len(spots) > 1:
            painter.drawLine(spots[0], spots[-1])
        for k, spot in enumerate(spots):
            painter.setPen(QPen(theme.colour("ink"), 2))
            painter.setBrush(theme.colour("brass_fill" if k in self.held else "card"))
            painter.drawEllipse(spot, 8, 8)
            painter.drawLine(spot - QPointF(12, 0), spot + QPointF(12, 0))
            painter.drawLine(spot - QPointF(0, 12), spot + QPointF(0, 12))


def outlines_of(lying: Lying, panel: Panel) -> list[Floats]:
    """Corners of the panel and of its boards on the bed."""
    boxes = [(0.0, 0.0, panel.width, panel.height), *(panel.box(c) for c in panel.cells)]
    corners = [as_seen(panel, [(x0, y0), (x1, y0), (x1, y1), (x0, y1)], lying.side) for x0, y0, x1, y1 in boxes]
    ways = [lying, *(lying.of(cell) for cell in panel.cells)]
    return [way.lay(own) for way, own in zip(ways, corners, strict=True)]
