"""A repair: the part, the heat circle, the neighbours inside it, and the queue of open faults."""

from __future__ import annotations

import time

from PyQt6.QtCore import QRectF, Qt, QTimer
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout

from fusilex.bench.boards import Fault
from fusilex.bench.now import Now
from fusilex.bench.stations.rework.commands import AcceptAsIs, RepairFault
from fusilex.bench.stations.rework.judging import AIR
from fusilex.bench.stations.rework.mending import (
    asks_why,
    boards_in_order,
    gun_for,
    heat_of,
    method_of,
    queue,
    reach_of,
)
from fusilex.core.design.model import Part
from fusilex.core.quantities import MM, write, write_length
from fusilex.core.rework.heat import neighbours
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.tabbed import View
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import plain_text
from fusilex.ui.widgets.keys import Key
from fusilex.ui.widgets.steps_card import StepsCard

TICK_MS = 250


class Queue(Card):
    """Open faults of the boards at Rework in the order to mend them, the one in hand lit."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk, self.fault = desk, 0
        self.setMinimumWidth(round(theme.base * 15))
        self.setAccessibleName("Repair queue")

    def draw(self, painter: QPainter) -> None:
        plain_text(painter, QRectF(16, 12, self.width() - 32, 26), "To repair", "lead", "ink", True)
        y = theme.base * 4.4
        batch = self.desk.batch
        boards = boards_in_order(batch)
        own = [b for b in boards if b.serial == self.desk.bench.view.board]  # the board in hand is mended to its end
        rows = [(b, f) for b in (*own, *(x for x in boards if x not in own)) for f in queue(batch, b)]
        if not rows:
            plain_text(painter, QRectF(16, y, self.width() - 32, 60), "Nothing waits for repair.", "body", "soft")
        for board, fault in rows:
            here = fault.id == self.fault
            if here:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(theme.colour("brass_fill", 90))
                painter.drawRoundedRect(QRectF(8, y - 5, self.width() - 16, theme.base * 2.6), 4, 4)
            plain_text(painter, QRectF(16, y, self.width() - 32, 22), board.serial, "body", "ink", here)
            plain_text(
                painter,
                QRectF(16, y, self.width() - 32, 22),
                f"{fault.place}  {fault.word}",
                "body",
                "ink",
                here,
                Qt.AlignmentFlag.AlignRight,
            )
            y += theme.base * 2.8
            if y > self.height() - 20:
                break


class RepairView(View):
    name = "Repair"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        canvas = self.add_canvas()
        canvas.parts_on = lambda cell: self.whole_board()
        canvas.overlays = [self._heat]
        self.queue, self.steps = Queue(desk), StepsCard()
        right = QVBoxLayout()
        right.addWidget(self.queue, 3)
        right.addWidget(self.steps, 4)
        row = QHBoxLayout()
        row.addWidget(canvas, 3)
        row.addLayout(right, 2)
        self.column.addLayout(row, 1)
        self._followed: int | None = None
        self.chosen: int | None = None
        self._began = self._step_began = 0.0
        self._timer = QTimer(self)
        self._timer.setInterval(TICK_MS)
        self._timer.timeout.connect(self._tick)

    @property
    def fault(self) -> Fault | None:
        """The fault in hand: the one that was chosen, else the first of the queue."""
        order = queue(self.batch, self.bench.board)
        return next((f for f in order if f.id == self.chosen), order[0] if order else None)

    @property
    def part(self) -> Part | None:
        fault = self.fault
        return self.batch.own.by_ref.get(fault.ref) if fault else None

    def refresh(self) -> None:
        assert self.canvas
        board, fault, part = self.bench.board, self.fault, self.part
        method = method_of(self.batch, fault) if fault else None
        air = part is not None and method is not None and method.name in AIR
        heat = f"    heat of a {write(gun_for(self.batch, part).nozzle_mm, MM, 4)} nozzle" if air and part else ""
        self.canvas.caption = f"Panel {board.panel}, board {board.serial}{heat}"
        self.canvas.footer = "circle: where solder may melt; dashed: may be blown away" if air else ""
        if fault and part and fault.id != self._followed:
            self._followed = fault.id
            self.canvas.flip(part.side)
            self._stop()
        self.queue.fault = fault.id if fault else 0
        self.steps.method = method
        self.canvas.update()
        self.queue.update()
        self.steps.update()

    def _stop(self) -> None:
        self._timer.stop()
        self.steps.at, self.steps.seconds, self._began = -1, 0.0, 0.0

    def _tick(self) -> None:
        self.steps.seconds = time.monotonic() - self._step_began
        self.steps.update()
        self.desk.ticked.emit()

    def now(self) -> Now | None:
        """While a step is in hand, that is the thing to do, with its clock."""
        method = self.steps.method
        if method is None or not 0 <= self.steps.at < len(method.steps):
            return None
        step = method.steps[self.steps.at]
        left = step.seconds - self.steps.seconds
        said = f"{left:.0f} s more, as a rule" if left > 0 else "long enough, as a rule"
        last = self.steps.at == len(method.steps) - 1
        goes = "Space when it is fixed." if last else "Enter for the next step."
        return Now(step.text, f"{said}. {goes}", min(1.0, self.steps.seconds / max(1.0, step.seconds)))

    def _heat(self, painter: QPainter, canvas: BoardCanvas) -> None:
        part, fault = self.part, self.fault
        if part is None or fault is None or part.side != canvas.side:
            return
        method = method_of(self.batch, fault)
        at, radius = canvas.to_px(part.x, part.y), reach_of(self.batch, part, method) * canvas.scale
        painter.setPen(QPen(theme.colour("stop"), 3))
        painter.setBrush(theme.colour("stop", 60))
        painter.drawEllipse(at, radius, radius)
        air = method is None or method.name in AIR
        for near in neighbours(self.bench.design, part, heat_of(self.batch, part)) if air else []:
            other = self.batch.own.by_ref[near.ref]
            frame = canvas.outline_part(painter, other, width=1.5, grow=3)
            if near.blown:
                painter.setPen(QPen(theme.colour("lit"), 1.5, Qt.PenStyle.DashLine))
                painter.drawRoundedRect(frame.adjusted(-4, -4, 4, 4), 6, 6)
        canvas.outline_part(painter, part, width=4)

    def keys(self) -> list[Key]:
        return [
            Key("Space", "fixed", lambda _: self._fixed(), True),
            Key("Enter", "next step" if self.steps.method else "", lambda _: self._next_step(), True),
            Key("Up Down", "another fault", lambda key: self._choose(-1 if key == "Up" else 1)),
            Key(
                "X",
                "scrap the board",
                lambda _: self.desk.ask(f"Type the serial {self.bench.board.serial} to scrap it", self._scrap),
                True,
            ),
        ]

    def _scrap(self, text: str) -> None:
        if text.strip().upper() == self.bench.board.serial.upper():
            self._repaired("scrapped")
        else:
            self.desk.say("Not scrapped: the serial was not typed.")

    def _choose(self, by: int) -> None:
        """Another fault of this board than the queue proposes."""
        order, fault = queue(self.batch, self.bench.board), self.fault
        if fault:
            self.chosen = order[(order.index(fault) + by) % len(order)].id
            self.desk.changed.emit()

    def _next_step(self) -> None:
        if self.bench.board.step != self.batch.step.id or (method := self.steps.method) is None:
            self.desk.say("Nothing is mended here with this board.")
            return
        now = time.monotonic()
        if self.steps.at < 0:
            self._began = now
        if self.steps.at < len(method.steps) - 1:
            self.steps.at += 1
            self._step_began, self.steps.seconds = now, 0.0
            self._timer.start()
        self.desk.changed.emit()

    def _fixed(self) -> None:
        fault = self.fault
        if fault and asks_why(fault) and self.bench.board.step == self.batch.step.id:
            self.desk.ask(f"What killed {fault.ref}?", lambda text: self._repaired("fixed", text))
        else:
            self._repaired("fixed")

    def _repaired(self, result: str, cause: str = "") -> None:
        board, fault = self.bench.board, self.fault
        if board.step != self.batch.step.id:
            self.desk.say(f"Board {board.serial} is at {self.batch.where(board)}.")
            return
        took = time.monotonic() - self._began if self._began else 0.0
        command = RepairFault(board.serial, fault.id, result, took, cause) if fault else AcceptAsIs(board.serial)
        if self.desk.do(command):
            self._stop()
            there = self.bench.state.boards[board.serial]
            done = f"Board {board.serial} is scrapped." if there.scrapped else self.desk.went(board.serial)
            self.desk.say(f"{fault.place} is fixed." if fault and there.step == self.batch.step.id else done)
            self.go_on(board.serial)

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        part, fault = self.part, self.fault
        if part is None or fault is None:
            return "", []
        method = method_of(self.batch, fault)
        if method is not None and method.name not in AIR:
            spent = self.bench.board.reflow_cycles.get(part.ref, 0)
            return part.ref, [("value", part.value), ("package", part.package.code), ("heats so far", str(spent))]
        near = neighbours(self.bench.design, part, heat_of(self.batch, part))
        return f"In the heat of {part.ref}", [
            (n.ref, f"{write_length(n.distance, 1)}{', may blow away' if n.blown else ''}") for n in near[:5]
        ]
