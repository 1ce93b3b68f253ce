"""The route: the board on its journey, one pad a step, above it how the board looks by then, below it what is done."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPen

from fusilex.bench.now import Now
from fusilex.bench.stations.ready.judging import side_order, step_judgements
from fusilex.bench.stations.ready.now import at_route
from fusilex.bench.stations.ready.route import ChooseMethod, ChooseSides, DropStep, MoveStep
from fusilex.bench.stations.ready.route_view import board_looks, order_words
from fusilex.bench.stations.ready.typed_input import step as read_step
from fusilex.core.checks.side_order import SIDE_ORDERS
from fusilex.core.route.looks import BoardLook
from fusilex.core.route.steps import METHODS, Step
from fusilex.ui.canvas.picture import BoardPictures, Look
from fusilex.ui.desk import Desk
from fusilex.ui.tabbed import View
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import judgement_mark, plain_text, shortened, text_height
from fusilex.ui.widgets.keys import Key

CENTRED = Qt.AlignmentFlag.AlignHCenter


class Journey(Card):
    """The trace with its pads; the step in hand has more room than the others. Emits the step that was clicked."""

    chosen = pyqtSignal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk, self.step = desk, ""
        self._pictures: BoardPictures | None = None
        self.setAccessibleName("The route of the batch")

    def middles(self) -> list[tuple[Step, float, float]]:
        """Each step with the middle and the width (px) of its place; scrolled so that the one in hand is in view."""
        steps = self.desk.bench.route.steps
        x0, y0, x1, y1 = self.desk.bench.design.outline.bounds
        high = self.height() - theme.base * 19
        small, large = theme.base * 11.5, max(theme.base * 20, min(0.46 * self.width(), high * (x1 - x0) / (y1 - y0)))
        widths = [large if s.id == self.step else small for s in steps]
        spare = self.width() - 20 - sum(widths)
        if spare > 0:
            widths = [w + spare / len(widths) for w in widths]
        ends = [10 + sum(widths[: n + 1]) for n in range(len(widths))]
        at = steps.index(self.step)
        shift = min(max(0.0, ends[-1] + 10 - self.width()), max(0.0, ends[at] - widths[at] / 2 - self.width() / 2))
        return [(s, end - w / 2 - shift, w) for s, end, w in zip(steps, ends, widths, strict=True)]

    def draw(self, painter: QPainter) -> None:
        batch = self.desk.batch
        title = order_words(batch, side_order(batch))
        plain_text(painter, QRectF(16, 10, self.width() - 32, 26), title[:1].upper() + title[1:], "body", "soft")
        above = 14 + text_height(title, self.width() - 32)
        below = theme.base * 11
        y = self.height() - below
        places, shown = self.middles(), board_looks(batch)
        painter.setClipRect(self.rect().adjusted(1, 1, -1, -1))
        painter.setPen(QPen(theme.colour("brass"), 9, cap=Qt.PenCapStyle.FlatCap))
        painter.drawLine(QPointF(places[0][1], y), QPointF(places[-1][1], y))
        for step, x, width in places:
            if -width < x < self.width() + width:
                self._board(painter, shown[step.id], QRectF(x - width / 2 + 5, above, width - 10, y - above - 26))
                self._pad(painter, step, QPointF(x, y), width)

    def _board(self, painter: QPainter, look: BoardLook, room: QRectF) -> None:
        """The board as it lies on the bench when the step is done, as large as there is room."""
        design = self.desk.bench.design
        if self._pictures is None or self._pictures.art is not self.desk.art:
            self._pictures = BoardPictures(self.desk.art)
        x0, y0, x1, y1 = design.outline.bounds
        whole = QRectF(x0, y0, x1 - x0, y1 - y0)
        under = theme.base * 2
        scale = min(room.width() / (whole.width() + 3), (room.height() - under) / (whole.height() + 3))
        if scale <= 0.2:
            return
        layers = ("copper", "exposed", "paste") if look.wet else ("copper", "exposed")
        wanted = Look(scale, look.side, layers, theme.tokens.name, self.devicePixelRatioF())
        parts = [p for p in look.parts if p.side == look.side]
        pixmap, area = self._pictures.picture(wanted, parts, whole)
        width, height = area.width() * scale, area.height() * scale
        top = room.bottom() - under - height
        painter.drawPixmap(QPointF(room.center().x() - width / 2, top), pixmap)
        box = QRectF(room.x(), room.bottom() - under, room.width(), under)
        plain_text(painter, box, f"{look.side} up", "tiny", "soft", False, CENTRED)

    def _pad(self, painter: QPainter, step: Step, at: QPointF, width: float) -> None:
        batch, here = self.desk.batch, step.id == self.step
        count = len(batch.state.at(step.id))
        radius = theme.base * (1.4 if here else 1.0)
        painter.setPen(QPen(theme.colour("ink" if here else "brass"), 3.0 if here else 2.0))
        painter.setBrush(theme.colour("brass_fill" if here else "card"))
        painter.drawEllipse(at, radius, radius)
        if count:
            box = QRectF(at.x() - 20, at.y() - theme.base * 0.9, 40, 24)
            plain_text(painter, box, str(count), "small", "now_ground" if here else "ink", True, CENTRED)
        if judged := step_judgements(batch, step):
            judgement_mark(painter, at + QPointF(radius + 7, -radius - 3), 6, judged[0].level)
        line = theme.base * 1.9
        box = QRectF(at.x() - width / 2 + 2, at.y() + radius + 5, width - 4, line)
        plain_text(painter, box, step.station, "body", "ink", here, CENTRED)
        parts = len(batch.parts_of(step.id))
        method = "hand or machine" if step.method == "both" else step.method
        words = [step.side if step.side in ("top", "bottom") else "", method, f"{parts} parts" if parts else ""]
        for word in (w for w in words if w):
            box = box.translated(0, line)
            plain_text(painter, box, shortened(word, width - 6, size="small"), "small", "soft", False, CENTRED)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        for step, x, width in self.middles():
            if event and abs(event.position().x() - x) <= width / 2:
                self.chosen.emit(step.id)
                return


class RouteView(View):
    name = "Route"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.journey = Journey(desk)
        self.journey.chosen.connect(self._take)
        self.column.addWidget(self.journey, 1)
        self._chosen = ""

    @property
    def step(self) -> Step:
        """The step in hand: the one chosen last, as long as it is on the route."""
        steps = self.bench.route.steps
        return steps.by_id.get(self._chosen) or steps.all[min(2, len(steps) - 1)]

    def _take(self, step: str) -> None:
        self._chosen = step
        self.desk.say("")

    def refresh(self) -> None:
        self.journey.step = self.step.id
        self.journey.update()

    def now(self) -> Now:
        return at_route(self.batch, self.step)

    def keys(self) -> list[Key]:
        label, ask = self.bench.route.steps.label, self.desk.ask
        return [
            Key("Left Right", "step", lambda key: self._walk(1 if key == "Right" else -1)),
            Key("S", "other order of sides", lambda _: self._order()),
            Key("M", "other method", lambda _: self._method()),
            Key("Shift+Left Shift+Right", "move it", lambda key: self._move(1 if key == "Shift+Right" else -1)),
            Key("X", "take it out", lambda _: self._drop()),
            Key(
                "I",
                "add one before",
                lambda _: ask(f"Step before {label(self.step.id)}: station, side, method", self._add),
            ),
        ]

    def _walk(self, by: int) -> None:
        ids = self.bench.route.steps.ids
        self._take(ids[max(0, min(len(ids) - 1, ids.index(self.step.id) + by))])

    def _order(self) -> None:
        names = list(SIDE_ORDERS)
        school = names[(names.index(side_order(self.batch)) + 1) % len(names)]
        self.desk.do(ChooseSides(school), f"{SIDE_ORDERS[school].capitalize()}.")

    def _method(self) -> None:
        methods = METHODS[self.step.station]
        if len(methods) == 1:
            self.desk.say(f"{self.step.station} is done in one way.")
            return
        chosen = methods[(methods.index(self.step.method) + 1) % len(methods)]
        self.desk.do(ChooseMethod(self.step.id, chosen), f"{self.step.station} by {chosen}.")

    def _move(self, by: int) -> None:
        step = self._chosen = self.step.id
        self.desk.do(MoveStep(step, by), f"{self.bench.route.steps.label(step)} moved.")

    def _drop(self) -> None:
        step, ids = self.step.id, self.bench.route.steps.ids
        after = ids[min(len(ids) - 1, ids.index(step) + 1)]
        if self.desk.do(DropStep(step), f"{self.bench.route.steps.label(step)} taken out."):
            self._take(after)

    def _add(self, text: str) -> None:
        if command := self.desk.read(lambda: read_step(text, self.step.id)):
            before = set(self.bench.route.steps.ids)
            if self.desk.do(command, f"{command.station} added."):
                self._chosen = next(s for s in self.bench.route.steps.ids if s not in before)
                self.desk.changed.emit()

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        steps = self.bench.route.steps
        sides = [s for s in ("top", "bottom") if any(x.side == s for x in steps.at_station("Print"))]
        return "Route", [
            ("steps", str(len(steps))),
            ("on paste", " and ".join(sides) or "nothing"),
            ("heats", str(len(steps.at_station("Reflow")))),
        ]
