"""Test: two probe tips on the board, what to expect large, the reading larger, and the same pair on all boards."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from fusilex.bench.after_oven import test_doubt
from fusilex.bench.commands import MarkFault, TakeReading, TestBoard
from fusilex.core.design.model import Pad
from fusilex.core.electrical.probes import ProbePair
from fusilex.core.inspection.faults import FAULT_WORDS
from fusilex.core.judgement import Level
from fusilex.core.units import show_resistance
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.card import Card
from fusilex.ui.desk import Desk
from fusilex.ui.glyphs import judgement_mark, plain_text
from fusilex.ui.keys import Key
from fusilex.ui.station import Station
from fusilex.ui.theme import theme


class Meter(Card):
    """Expected, read, and a dot strip of this pair over all boards on a logarithmic scale."""

    def __init__(self, station: Test) -> None:
        super().__init__()
        self.station = station
        self.setFixedHeight(round(theme.base * 10.5))
        self.setAccessibleName("Expected and read resistance")

    def draw(self, painter: QPainter) -> None:
        pair = self.station.pair
        if pair is None:
            return
        third = self.width() * 0.2
        plain_text(painter, QRectF(18, 10, third, 20), "want", "small", "soft")
        plain_text(
            painter,
            QRectF(18, 10 + theme.base * 1.8, third, 40),
            f"above {show_resistance(pair.limit)}",
            "head",
            "ink",
            True,
        )
        plain_text(
            painter,
            QRectF(18, 10 + theme.base * 5.6, third, 40),
            f"{pair.a.net} to {pair.b.net}" + self._parts_give(pair),
            "small",
            "soft",
        )
        reading = self.station.bench.board.readings.get(pair.key)
        plain_text(painter, QRectF(third + 30, 10, third, 20), "read", "small", "soft")
        level = None if reading is None else pair.level(reading[0])
        token = "soft" if level is None else level.value
        text = "–" if reading is None else show_resistance(reading[0])
        plain_text(painter, QRectF(third + 30, 8 + theme.base * 1.6, third + 30, 70), text, "huge", token, True)
        if level is not None:
            judgement_mark(painter, QPointF(third + 40, self.height() - 22), 7, level)
            plain_text(
                painter,
                QRectF(third + 56, self.height() - 22 - theme.base, third, 20),
                {Level.GO: "apart", Level.STOP: "joined"}.get(level, "can't tell"),
                "body",
                token,
                True,
            )
        self._strip(
            painter,
            pair,
            QRectF(2 * third + 80, theme.base * 3.2, self.width() - 2 * third - 110, self.height() - theme.base * 6),
        )

    @staticmethod
    def _parts_give(pair: ProbePair) -> str:
        if math.isnan(pair.expected):
            return ", a resistor between them has no value that can be read"
        return "" if math.isinf(pair.expected) else f", parts give {show_resistance(pair.expected)}"

    def _strip(self, painter: QPainter, pair: ProbePair, area: QRectF) -> None:
        def x(ohm: float) -> float:
            top = 9.0 if math.isinf(ohm) else min(8.0, math.log10(max(ohm, 0.1)))
            return area.left() + area.width() * (top + 1) / 10

        plain_text(painter, QRectF(area.left(), 10, area.width(), 20), f"{pair.key} on all boards", "small", "soft")
        painter.fillRect(
            QRectF(area.left(), area.top(), x(pair.limit) - area.left(), area.height()), theme.colour("stop", 34)
        )
        painter.fillRect(
            QRectF(x(pair.limit), area.top(), area.right() - x(pair.limit), area.height()), theme.colour("go", 34)
        )
        for ohm in (0.1, pair.limit, 1e6, math.inf):
            plain_text(
                painter,
                QRectF(x(ohm) - 40, area.bottom() + 3, 80, 20),
                show_resistance(ohm),
                "small",
                "soft",
                False,
                Qt.AlignmentFlag.AlignHCenter,
            )
        boards = [b for b in self.station.bench.state.boards.values() if pair.key in b.readings]
        for i, board in enumerate(boards):
            value = board.readings[pair.key][0]
            here = board.serial == self.station.bench.state.board
            painter.setPen(QPen(theme.colour("ink"), 2 if here else 0.5))
            painter.setBrush(theme.colour(pair.level(value).value))
            painter.drawEllipse(
                QPointF(x(value), area.top() + 8 + (area.height() - 16) * ((i * 0.618034) % 1.0)),
                6 if here else 4,
                6 if here else 4,
            )


class Test(Station):
    name = "Test"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.chosen: int | None = None
        canvas = self.add_canvas()
        canvas.layers = ("copper", "exposed", "silk")
        canvas.overlays = [self._tips]
        self.column.addWidget(canvas, 1)
        self.meter = Meter(self)
        self.column.addWidget(self.meter)
        self.add_strip()
        self._followed: str | None = None

    @property
    def pair(self) -> ProbePair | None:
        """The pair in hand: the one chosen, else the first unread."""
        plan = self.bench.plan
        if self.chosen is not None and plan:
            return plan[self.chosen % len(plan)]
        return next((p for p in plan if p.key not in self.bench.board.readings), plan[-1] if plan else None)

    def refresh(self) -> None:
        assert self.canvas
        board, pair = self.bench.board, self.pair
        done = sum(p.key in board.readings for p in self.bench.plan)
        self.canvas.caption = f"Panel {board.panel}, board {board.serial}    {done} of {len(self.bench.plan)} pairs read    power off, discharged"
        if pair and pair.key != self._followed:
            self._followed = pair.key
            self.canvas.flip(pair.a.side)
            self.canvas.scale = min(42.0, (self.canvas.width() or 600) / 16)
            a, b = pair.a.polygon.centroid, pair.b.polygon.centroid
            self.canvas.centre = QPointF((a.x + b.x) / 2, (a.y + b.y) / 2)
            self.canvas._fitted_view = False
        self.canvas.update()
        self.meter.update()

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
            Key("0 1 2 3 4 5 6 7 8 9 .", "type a reading", self._typed),
            Key("O", "open (OL)", lambda _: self._read("OL")),
            Key("Up Down", "other pair", self._choose),
            Key("Space", "board passes", lambda _: self._done(True)),
            Key("X", "board fails", lambda _: self._done(False)),
            Key(
                "W",
                "mark what you saw",
                lambda _: self.desk.ask("Part and fault, for example  U1 cold joint", self._seen),
            ),
        ]

    def _typed(self, key: str) -> None:
        if self.acknowledge():
            return
        if self.pair:
            self.desk.ask(
                f"Reading between {self.pair.a.name} and {self.pair.b.name}, such as 2.2M, OL or 0.4", self._read, key
            )

    def _read(self, text: str) -> None:
        if self.acknowledge():
            return
        if self.pair and self.desk.do(
            TakeReading(self.bench.board.serial, self.pair.key, text), f"{self.pair.key}: {text}."
        ):
            self.chosen = None
            self.desk.changed.emit()

    def _choose(self, key: str) -> None:
        pair = self.pair
        at = self.bench.plan.index(pair) if pair else 0
        self.chosen = (at + (1 if key == "Down" else -1)) % max(1, len(self.bench.plan))
        self.desk.changed.emit()

    def _seen(self, text: str) -> None:
        ref, _, word = text.strip().partition(" ")
        if word.strip() in FAULT_WORDS.values():
            self.desk.do(
                MarkFault(self.bench.board.serial, ref.upper(), word.strip()), f"{ref.upper()}: {word.strip()}."
            )
        else:
            self.desk.say(f"“{word}” is no fault word: " + ", ".join(FAULT_WORDS.values()) + ".")

    def _done(self, passed: bool) -> None:
        if self.acknowledge():
            return
        board = self.bench.board
        doubt = test_doubt(self.bench, board) if passed and board.station == "Test" else ""
        if doubt and all(p.key in board.readings for p in self.bench.plan):
            self.desk.ask(f"{doubt}. How was it tested?", lambda note: self._judged(True, note.strip()))
        else:
            self._judged(passed)

    def _judged(self, passed: bool, note: str = "") -> None:
        board = self.bench.board
        if self.desk.do(
            TestBoard(board.serial, passed, note), f"Board {board.serial} {'passes' if passed else 'goes to Rework'}."
        ):
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
