"""Two probe tips on the board, what to expect large, the reading larger, and the same pair on all boards."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from fusilex.bench.common.meters import read_quantity
from fusilex.bench.stations.test.now import next_pair, port_in_hand
from fusilex.bench.stations.test.planning import beeps_below, due, heard, meter, plan_for, touched, unread
from fusilex.bench.stations.test.probing import DrawSample, HearPort, SetMinutes, TakeReading, WaiveReading, by_ear
from fusilex.bench.stations.test.typed_input import minutes, sample
from fusilex.core.design.model import Pad
from fusilex.core.electrical.probes import ProbePair
from fusilex.core.quantities import write_length
from fusilex.core.units import clock
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.reading import Reading
from fusilex.ui.stations.test.meter import Meter
from fusilex.ui.stations.test.verdict_keys import VerdictKeys
from fusilex.ui.tabbed import View
from fusilex.ui.theme import theme
from fusilex.ui.widgets.glyphs import plain_text
from fusilex.ui.widgets.keys import Key

SCALES = tuple(42.0 / 1.3**k for k in range(10))
"""Pixels a mm at which pairs are shown: a few steps, so that the board does not breathe from pair to pair and each is
painted once.
"""


class ProbeView(View):
    name = "Probe"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.chosen: str | None = None
        canvas = self.add_canvas()
        canvas.layers = ("copper", "exposed", "silk")
        canvas.overlays = [self._port, self._tips]
        self.column.addWidget(canvas, 3)
        self.meter = Meter(desk)
        self.column.addWidget(self.meter, 2)
        self.verdict = VerdictKeys(desk, self.go_on)
        self.port = Reading(self, desk)
        self._followed: str | None = None

    @property
    def pair(self) -> ProbePair | None:
        """The pair in hand: the one chosen, else the first unread."""
        plan = due(self.batch, self.bench.board)
        chosen = next((p for p in plan if p.key == self.chosen), None)
        return chosen or next_pair(self.batch, self.bench.board) or (plan[-1] if plan else None)

    def refresh(self) -> None:
        assert self.canvas
        board, pair = self.bench.board, self.pair
        plan = plan_for(self.batch, board)
        wanted = due(self.batch, board)
        done = sum(p.key in board.readings for p in wanted)
        left = sum(plan.seconds[p.key] for p in unread(self.batch, board))
        told = f"{done} of {len(wanted)}    {clock(left)} left    power off, discharged"
        self.canvas.caption = f"{board.serial}    {told}"
        if pair and pair.key != self._followed:
            self._followed = pair.key
            self._look_at(*touched(self.batch, board, pair))
        self.canvas.update()
        self.meter.show_pair(pair)

    def _look_at(self, first: Pad, second: Pad) -> None:
        """Both tips in view, as large as can be."""
        assert self.canvas
        self.canvas.flip(second.side if first.drill else first.side)
        a, b = first.polygon.centroid, second.polygon.centroid
        wide = self.canvas.width() or 600
        high = self.canvas.height() or 400
        room = max(16.0, 1.5 * abs(a.x - b.x), 1.9 * abs(a.y - b.y) * wide / high)
        self.canvas.scale = next((s for s in SCALES if s <= wide / room), SCALES[-1])
        self.canvas.centre = QPointF((a.x + b.x) / 2, (a.y + b.y) / 2)
        self.canvas._fitted_view = False

    def _port(self, painter: QPainter, canvas: BoardCanvas) -> None:
        """The pads the other tip walks over while one stays parked, ringed; those heard or read are filled."""
        board = self.bench.board
        plan, port = plan_for(self.batch, board), port_in_hand(self.batch, board)
        own = next((p for p in plan.ports if p.name == port), None)
        if own is None or len(own.readings) < 2:
            return
        park = plan.park[port]
        for reading in own.readings:
            pair = plan.pairs[reading.key]
            pad = pair.b if pair.a.net == park.net else pair.a
            at = canvas.to_px(pad.polygon.centroid.x, pad.polygon.centroid.y)
            painter.setPen(QPen(theme.colour("lit"), 1.5))
            painter.setBrush(theme.colour("solder", 200 if reading.key in board.readings else 0))
            painter.drawEllipse(at, 7, 7)

    def _tips(self, painter: QPainter, canvas: BoardCanvas) -> None:
        pair = self.pair
        if pair is None:
            return
        tips = touched(self.batch, self.bench.board, pair)
        left, right = sorted(tips, key=lambda p: canvas.to_px(p.polygon.centroid.x, p.polygon.centroid.y).x())
        vertical = abs(left.polygon.centroid.x - right.polygon.centroid.x) < 0.05
        for pad, lean in ((left, -1), (right, 1)):
            self._tip(painter, canvas, pad, lean, vertical and lean > 0)

    def _tip(self, painter: QPainter, canvas: BoardCanvas, pad: Pad, lean: int, lower: bool) -> None:
        at = canvas.to_px(pad.polygon.centroid.x, pad.polygon.centroid.y)
        caption = 160.0  # above this the tip's name would lie under the picture's own
        away = QPointF(lean * 90, 110 if lower or at.y() < caption else -110)
        painter.setPen(QPen(theme.colour("card"), 7, cap=Qt.PenCapStyle.RoundCap))
        painter.drawLine(at + away * 0.12, at + away)
        painter.setPen(QPen(theme.colour("ink" if lean < 0 else "stop"), 4, cap=Qt.PenCapStyle.RoundCap))
        painter.drawLine(at, at + away)
        painter.setBrush(theme.colour("lit"))
        painter.drawEllipse(at, 4, 4)
        label = at + away
        box = QRectF(label.x() - 80, label.y() + (4 if away.y() > 0 else -theme.base * 2.4), 160, 24)
        plain_text(painter, box, pad.name, "lead", "lit", True, Qt.AlignmentFlag.AlignHCenter)

    def keys(self) -> list[Key]:
        port = meter(self.batch)
        read = [Key("M", "read the meter", lambda _: self._measure(), True)] if port and port.port else []
        many = len(by_ear(self.batch, self.bench.board, port_in_hand(self.batch, self.bench.board)))
        silent = f"none of {many} beeped" if many > 1 else "no beep" if many else ""
        return [
            *read,
            Key("Enter", silent, lambda _: self._silent(), True),
            Key("0 1 2 3 4 5 6 7 8 9 .", "type a reading", self._typed, True),
            Key("O", "open (OL)", lambda _: self._read("OL"), True),
            Key("Up Down", "other pair", self._choose),
            *self.verdict.keys(),
            Key("V", "leave it unread", lambda _: self._waive(), True),
            Key("L", "minutes", lambda _: self._minutes()),
            Key("S", "sample", lambda _: self._sample()),
        ]

    def _typed(self, key: str) -> None:
        if self.pair:
            ask = f"Reading between {self.pair.a.name} and {self.pair.b.name}, such as 2.2M, OL or 0.4"
            self.desk.ask(ask, self._read, key)

    def _read(self, text: str) -> None:
        if self.pair:
            self._take(self.bench.board.serial, self.pair.key, text)

    def _take(self, board: str, pair: str, text: str) -> None:
        chosen, self.chosen = self.chosen, None
        if not self.desk.do(TakeReading(board, pair, text), f"{pair}: {text}."):
            self.chosen = chosen

    def _silent(self) -> None:
        board = self.bench.board
        port = port_in_hand(self.batch, board)
        pairs = by_ear(self.batch, board, port)
        pair = self.pair
        if pair is not None and not heard(pair, beeps_below(self.batch)):
            self.desk.say("This pair beeps, or says nothing, on a good board: type what the meter says.")
        else:
            many = f"{len(pairs)} pairs" if len(pairs) != 1 else "1 pair"
            self.chosen = None
            self.desk.do(HearPort(board.serial, port), f"{many} without a beep.")

    def _measure(self) -> None:
        instrument, pair = meter(self.batch), self.pair
        if instrument is not None and pair is not None:
            asked, port, true = (self.bench.board.serial, pair.key), instrument.port, pair.expected
            self.port.ask(
                lambda: read_quantity(port, "resistance", true),
                lambda ohm: self._take(*asked, "OL" if ohm == float("inf") else f"{ohm:.6g}"),
            )

    def _choose(self, key: str) -> None:
        plan = [p.key for p in due(self.batch, self.bench.board)]
        pair = self.pair
        if plan and pair:
            at = plan.index(pair.key) if pair.key in plan else 0
            self.chosen = plan[(at + (1 if key == "Down" else -1)) % len(plan)]
            self.desk.changed.emit()

    def _waive(self) -> None:
        if pair := self.pair:
            serial, key = self.bench.board.serial, pair.key
            self.desk.ask(
                f"Why is {key} left unread on {serial}", lambda why: self._waived(WaiveReading(serial, key, why))
            )

    def _waived(self, command: WaiveReading) -> None:
        self.chosen = None
        self.desk.do(command, f"{command.pair} is left unread: it stands in the papers.")

    def _minutes(self) -> None:
        self.desk.ask("Minutes for the readings of a board, 0 for all that keeps neighbours apart", self._given)

    def _given(self, text: str) -> None:
        value = self.desk.read(lambda: minutes(text))
        if value is not None and self.desk.do(SetMinutes(value)):
            plan = plan_for(self.batch, self.bench.board)
            left = f"; {len(plan.unproven)} stay unproven, {plan.left:.1%} that one of them is bad" if value else ""
            self.desk.say(f"{len(plan.order)} readings in {clock(plan.total_s)}{left}.")

    def _sample(self) -> None:
        ask = "How many bad boards may slip through, and how sure, such as 2 90%; 0 for every board in full"
        self.desk.ask(ask, self._drawn)

    def _drawn(self, text: str) -> None:
        command: DrawSample | None = self.desk.read(lambda: sample(text))
        if command is not None and (made := self.desk.do(command)):
            boards = made[0].body["drawn"]
            named = ", ".join(serial.rpartition("-")[2] for serial in boards)
            done = f"{len(boards)} boards in full: {named}." if boards else "Every board is tested in full."
            self.desk.say(done)

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        pair = self.pair
        if pair is None:
            return "", []
        plan = plan_for(self.batch, self.bench.board)
        also = ", ".join(pair.also[:2]) + (" …" if len(pair.also) > 2 else "")
        rows = [
            ("nets", f"{pair.a.net}, {pair.b.net}"),
            ("closest at", f"{pair.key}, {write_length(pair.gap, 3)}"),
            ("chance bad", f"{plan.chance.get(pair.key, 0.0):.2%}"),
        ]
        port = plan.port_of(pair.key)
        if port is not None and len(port.readings) > 1:
            rows.append(("one tip stays on", f"{plan.park[port.name].name}, {port.name}"))
        return "This pair", [*rows, ("stands also for", also or "no other")]
