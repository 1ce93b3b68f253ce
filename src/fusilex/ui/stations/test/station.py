"""Test: two probe tips on the board, what to expect large, the reading larger, and the same pair on all boards."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from fusilex.bench.stations.test.commands import TakeReading, TestBoard, doubt
from fusilex.bench.stations.test.now import next_pair
from fusilex.bench.stations.test.typed_input import fault
from fusilex.core.design.model import Pad
from fusilex.core.electrical.probes import ProbePair
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.picture import StationPicture
from fusilex.ui.stations.test.meter import Meter
from fusilex.ui.theme import theme
from fusilex.ui.widgets.glyphs import plain_text
from fusilex.ui.widgets.keys import Key


class TestPicture(StationPicture):
    name = "Test"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.chosen: int | None = None
        canvas = self.add_canvas()
        canvas.layers = ("copper", "exposed", "silk")
        canvas.overlays = [self._tips]
        self.column.addWidget(canvas, 3)
        self.meter = Meter(desk)
        self.column.addWidget(self.meter, 2)
        self.add_strip()
        self._followed: str | None = None

    @property
    def pair(self) -> ProbePair | None:
        """The pair in hand: the one chosen, else the first unread."""
        plan = self.batch.derived.plan
        if self.chosen is not None and plan:
            return plan[self.chosen % len(plan)]
        return next_pair(self.batch, self.bench.board) or (plan[-1] if plan else None)

    def refresh(self) -> None:
        assert self.canvas
        board, pair = self.bench.board, self.pair
        done = sum(p.key in board.readings for p in self.batch.derived.plan)
        self.canvas.caption = (
            f"Panel {board.panel}, board {board.serial}    {done} of {len(self.batch.derived.plan)} pairs read    power"
            " off, discharged"
        )
        if pair and pair.key != self._followed:
            self._followed = pair.key
            self.canvas.flip(pair.a.side)
            self.canvas.scale = min(42.0, (self.canvas.width() or 600) / 16)
            a, b = pair.a.polygon.centroid, pair.b.polygon.centroid
            self.canvas.centre = QPointF((a.x + b.x) / 2, (a.y + b.y) / 2)
            self.canvas._fitted_view = False
        self.canvas.update()
        self.meter.show_pair(pair)

    def _tips(self, painter: QPainter, canvas: BoardCanvas) -> None:
        pair = self.pair
        if pair is None:
            return
        left, right = sorted(
            (pair.a, pair.b), key=lambda p: canvas.to_px(p.polygon.centroid.x, p.polygon.centroid.y).x()
        )
        vertical = abs(left.polygon.centroid.x - right.polygon.centroid.x) < 0.05
        for pad, lean in ((left, -1), (right, 1)):
            self._tip(painter, canvas, pad, lean, vertical and lean > 0)

    def _tip(self, painter: QPainter, canvas: BoardCanvas, pad: Pad, lean: int, lower: bool) -> None:
        at = canvas.to_px(pad.polygon.centroid.x, pad.polygon.centroid.y)
        away = QPointF(lean * 90, 110 if lower else -110)
        painter.setPen(QPen(theme.colour("card"), 7, cap=Qt.PenCapStyle.RoundCap))
        painter.drawLine(at + away * 0.12, at + away)
        painter.setPen(QPen(theme.colour("ink" if lean < 0 else "stop"), 4, cap=Qt.PenCapStyle.RoundCap))
        painter.drawLine(at, at + away)
        painter.setBrush(theme.colour("lit"))
        painter.drawEllipse(at, 4, 4)
        label = at + away
        plain_text(
            painter,
            QRectF(label.x() - 80, label.y() + (4 if lower else -theme.base * 2.4), 160, 24),
            pad.name,
            "lead",
            "lit",
            True,
            Qt.AlignmentFlag.AlignHCenter,
        )

    def keys(self) -> list[Key]:
        return [
            Key("0 1 2 3 4 5 6 7 8 9 .", "type a reading", self._typed, True),
            Key("O", "open (OL)", lambda _: self._read("OL"), True),
            Key("Up Down", "other pair", self._choose),
            Key("Space", "board passes", lambda _: self._done(True), True),
            Key("X", "board fails", lambda _: self._done(False), True),
            Key(
                "W",
                "mark what you saw",
                lambda _: self.desk.ask("Part and fault, for example  U1 cold joint", self._seen),
                True,
            ),
        ]

    def _typed(self, key: str) -> None:
        if self.pair:
            self.desk.ask(
                f"Reading between {self.pair.a.name} and {self.pair.b.name}, such as 2.2M, OL or 0.4", self._read, key
            )

    def _read(self, text: str) -> None:
        if self.pair and self.desk.do(
            TakeReading(self.bench.board.serial, self.pair.key, text), f"{self.pair.key}: {text}."
        ):
            self.chosen = None
            self.desk.changed.emit()

    def _choose(self, key: str) -> None:
        pair = self.pair
        at = self.batch.derived.plan.index(pair) if pair else 0
        self.chosen = (at + (1 if key == "Down" else -1)) % max(1, len(self.batch.derived.plan))
        self.desk.changed.emit()

    def _seen(self, text: str) -> None:
        if command := self.desk.read(lambda: fault(self.bench.board.serial, text)):
            self.desk.do(command, f"{command.ref}: {command.word}.")

    def _done(self, passed: bool) -> None:
        board = self.bench.board
        why = doubt(self.batch, board) if passed and board.step == self.step.id else ""
        if why and all(p.key in board.readings for p in self.batch.derived.plan):
            self.desk.ask(f"{why}. How was it tested?", lambda note: self._judged(True, note.strip()))
        else:
            self._judged(passed)

    def _judged(self, passed: bool, note: str = "") -> None:
        board = self.bench.board
        if self.desk.do(TestBoard(board.serial, passed, note)):
            self.desk.say(f"{'Passed' if passed else 'Failed'}. {self.desk.went(board.serial)}")
            self.chosen = None
            self.go_on(board.serial)

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        pair = self.pair
        if pair is None:
            return "", []
        also = ", ".join(pair.also[:2]) + (" …" if len(pair.also) > 2 else "")
        return "This pair", [
            ("nets", f"{pair.a.net}, {pair.b.net}"),
            ("gap", f"{pair.gap:.3f} mm"),
            ("stands also for", also or "no other"),
        ]
