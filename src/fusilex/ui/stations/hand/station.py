"""Hand: the next part with its joints, step by step, and the board from its edge, short before tall."""

from __future__ import annotations

import time

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QHBoxLayout

from fusilex.bench.common.commands import PassStep
from fusilex.bench.now import Now
from fusilex.bench.stations.hand.commands import SolderPart
from fusilex.bench.stations.hand.extra import DoTask, SolderInBath, Task, tasks_left
from fusilex.bench.stations.hand.soldering import care_for, seconds_for
from fusilex.bench.stations.hand.typed_input import BATH_EXAMPLE, TASK_EXAMPLE, read_bath, read_task
from fusilex.core.design.model import Part
from fusilex.core.quantities import CELSIUS, MM, write, write_length, write_range
from fusilex.core.soldering.handwork import soldering
from fusilex.core.soldering.order import soldered_from
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.picture import StationPicture
from fusilex.ui.stations.hand.edge import EdgeView
from fusilex.ui.theme import theme
from fusilex.ui.widgets.keys import Key
from fusilex.ui.widgets.steps_card import StepsCard

TICK_MS = 250


class HandPicture(StationPicture):
    name = "Hand"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        canvas = self.add_canvas()
        canvas.parts_on = lambda cell: self.on_board()
        canvas.overlays = [self._light]
        self.steps = StepsCard()
        self.steps.setMaximumWidth(round(theme.base * 40))
        row = QHBoxLayout()
        row.addWidget(canvas, 3)
        row.addWidget(self.steps, 2)
        self.column.addLayout(row, 3)
        self.edge = EdgeView(desk)
        self.column.addWidget(self.edge, 2)
        self.add_strip()
        self._followed: str | None = None
        self._reading = ""
        self._began = 0.0
        self._timer = QTimer(self)
        self._timer.setInterval(TICK_MS)
        self._timer.timeout.connect(self._tick)

    @property
    def cautions(self) -> str:
        """Those of a bath, once somebody is about to use one."""
        return self._reading if self.bench.route.unread(self.batch, self._reading) else self.name

    @property
    def part(self) -> Part | None:
        """The part to solder next, None where the board is elsewhere or has all of them."""
        board = self.bench.board
        return self.batch.next_part(board, self.step.id) if board.step == self.step.id else None

    @property
    def task(self) -> Task | None:
        """What is left for the hands once all parts are on."""
        board = self.bench.board
        if board.step != self.step.id or self.part:
            return None
        return next(iter(tasks_left(self.batch, board, self.step.id)), None)

    def refresh(self) -> None:
        assert self.canvas
        board, part = self.bench.board, self.part
        order = self.batch.parts_of(self.step.id)
        done = sum(p.ref in board.soldered for p in order)
        self.canvas.caption = f"Panel {board.panel}, board {board.serial}    {done} of {len(order)} soldered by hand"
        now = f"{board.serial} {part.ref}" if part else board.serial
        if self._followed != now:  # turn the board over when the work does
            self._followed = now
            self._stop()
            if part:
                self.canvas.flip(soldered_from(part))
        self.steps.method = soldering(part) if part else None
        self.steps.setVisible(part is not None)
        self.canvas.update()
        self.steps.update()
        self.edge.update()

    def _stop(self) -> None:
        self._timer.stop()
        self.steps.at, self.steps.seconds = -1, 0.0

    def _tick(self) -> None:
        self.steps.seconds = time.monotonic() - self._began
        self.steps.update()
        self.desk.ticked.emit()

    def now(self) -> Now:
        """While a step of a part is in hand, that is the thing to do, with its clock."""
        own = super().now()
        work = self.steps.method
        if own.cautions or work is None or self.part is None or not 0 <= self.steps.at < len(work.steps):
            return own
        step = work.steps[self.steps.at]
        goes = "Space when it is soldered." if self.steps.at == len(work.steps) - 1 else "Enter for the next step."
        said = f"{step.slip}. {goes}" if step.slip else goes
        return Now(f"{self.part.ref}: {step.text}", said, min(1.0, self.steps.seconds / max(1.0, step.seconds)))

    def _light(self, painter: QPainter, canvas: BoardCanvas) -> None:
        part = self.part
        if part and (part.side == canvas.side or part.through_hole):
            canvas.point_out(painter, part)

    def keys(self) -> list[Key]:
        return [
            Key("Space", "done" if self.task else "soldered", lambda _: self._done(), True),
            Key("Enter", "next step" if self.part else "", lambda _: self._next_step(), True),
            Key("B", "pot or wave" if self.part else "", lambda _: self._ask_bath(), True),
            Key("W", "wire, harness, late part", lambda _: self._ask_task()),
        ]

    def _next_step(self) -> None:
        work = self.steps.method
        if self.part is None or work is None:
            self.desk.say("No part waits for the iron here.")
            return
        if self.steps.at < len(work.steps) - 1:
            self.steps.at += 1
            self._began, self.steps.seconds = time.monotonic(), 0.0
            self._timer.start()
        self.desk.changed.emit()

    def _ask_bath(self) -> None:
        if self.bench.route.unread(self.batch, SolderInBath.cautions):
            self._reading = SolderInBath.cautions
            self.desk.say("Then B again.")
            return
        prompt = f"Bath, °C, preheat °C, mm/s, contact s, depth mm, solder, flux: {BATH_EXAMPLE}"
        self.desk.ask(prompt, self._bath)

    def _bath(self, text: str) -> None:
        serial = self.bench.board.serial
        if (command := self.desk.read(lambda: read_bath(serial, text))) and self.desk.do(command):
            self._went(serial, "Its leads are soldered.")

    def _ask_task(self) -> None:
        self.desk.ask(f"What else, on every board here: {TASK_EXAMPLE}", self._add_task)

    def _add_task(self, text: str) -> None:
        if command := self.desk.read(lambda: read_task(self.step.id, text)):
            self.desk.do(command, f"{command.what} is on the list of every board.")

    def _done(self) -> None:
        board, part, task = self.bench.board, self.part, self.task
        if board.step != self.step.id:
            self.desk.say(f"Board {board.serial} is at {self.batch.where(board)}.")
        elif task and task.pull_n:
            self.desk.ask(
                f"How many newtons did it hold? {task.pull_n:g} at least", lambda text: self._pulled(task, text)
            )
        elif task:
            self._did(task, 0.0)
        elif self.desk.do(SolderPart(board.serial, part.ref) if part else PassStep(board.serial)):
            self._went(board.serial)

    def _pulled(self, task: Task, text: str) -> None:
        try:
            held = float(text.strip().rstrip("nN ").replace(",", "."))
        except ValueError:
            self.desk.say("Type a number of newtons, such as 12.")
            return
        self._did(task, held)

    def _did(self, task: Task, held: float) -> None:
        serial = self.bench.board.serial
        if self.desk.do(DoTask(serial, task.id, held), f"{task.what} is done."):
            self._went(serial)

    def _went(self, serial: str, said: str = "") -> None:
        """Say where the board went, if it did, and take the next one."""
        if self.bench.state.boards[serial].step != self.step.id:
            self.desk.say(f"{said} {self.desk.went(serial)}".strip())
        elif said:
            self.desk.say(said)
        self.go_on(serial)

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        part = self.part
        if part is None:
            return "", []
        care = care_for(self.batch, part)
        heat, wire = care.heating, care.dose
        return part.ref, [
            ("pads", f"{len(part.joints)}, about {seconds_for(self.batch, part):.0f} s"),
            ("wire", f"{write(wire.wire_mm, MM, 4)}, {write_length(wire.length_mm, 0)} a joint"),
            ("iron", write_range(heat.low_c, heat.high_c, CELSIUS)),
            ("tip", f"{write(heat.tip_mm, MM, 4)}, {heat.dwell_s[0]:g} to {heat.dwell_s[1]:g} s"),
            ("height", write(part.package.height, MM, 4)),
        ]
