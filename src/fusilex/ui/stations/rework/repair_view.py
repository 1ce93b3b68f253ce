"""A repair: the part, the heat circle, the neighbours inside it, and the queue of open faults."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QHBoxLayout

from fusilex.bench.boards import Fault
from fusilex.bench.common.faults import to_repair
from fusilex.bench.stations.rework.commands import AcceptAsIs, RepairFault
from fusilex.bench.stations.rework.judging import heat_of
from fusilex.bench.workshop.record_kinds import AirGun
from fusilex.bench.workshop.records import Records
from fusilex.core.rework.heat import neighbours
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.tabbed import View
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import plain_text
from fusilex.ui.widgets.keys import Key


class Queue(Card):
    """Open faults of the boards at Rework, the one in hand lit."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setMinimumWidth(round(theme.base * 15))
        self.setMaximumWidth(round(theme.base * 25))
        self.setAccessibleName("Repair queue")

    def draw(self, painter: QPainter) -> None:
        plain_text(painter, QRectF(16, 12, self.width() - 32, 26), "To repair", "lead", "ink", True)
        y = theme.base * 4.4
        batch = self.desk.batch
        rows = [(b, f) for b in batch.state.at(batch.step.id) for f in to_repair(batch, b)]
        if not rows:
            plain_text(painter, QRectF(16, y, self.width() - 32, 60), "Nothing waits for repair.", "body", "soft")
        for board, fault in rows:
            here = board.serial == self.desk.bench.view.board
            if here:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(theme.colour("brass_fill", 90))
                painter.drawRoundedRect(QRectF(8, y - 5, self.width() - 16, theme.base * 2.6), 4, 4)
            plain_text(painter, QRectF(16, y, self.width() - 32, 22), board.serial, "body", "ink", here)
            plain_text(
                painter,
                QRectF(16, y, self.width() - 32, 22),
                f"{fault.ref}  {fault.word}",
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
        self.queue = Queue(desk)
        row = QHBoxLayout()
        row.addWidget(canvas, 3)
        row.addWidget(self.queue, 2)
        self.column.addLayout(row, 1)
        self._followed: int | None = None

    @property
    def fault(self) -> Fault | None:
        """The fault in hand."""
        return next(iter(to_repair(self.batch, self.bench.board)), None)

    def refresh(self) -> None:
        assert self.canvas
        board = self.bench.board
        gun = self.batch.workshop[Records].first(AirGun)
        self.canvas.caption = f"Panel {board.panel}, board {board.serial}    heat of a {gun.nozzle_mm:g} mm nozzle"
        fault = self.fault
        self.canvas.footer = "circle: where solder may melt; dashed: may be blown away" if fault else ""
        part = self.bench.design.part_by_ref.get(fault.ref) if fault else None
        if fault and part and fault.id != self._followed:
            self._followed = fault.id
            self.canvas.flip(part.side)
        self.canvas.update()
        self.queue.update()

    def _heat(self, painter: QPainter, canvas: BoardCanvas) -> None:
        fault = self.fault
        part = self.bench.design.part_by_ref.get(fault.ref) if fault else None
        if part is None or part.side != canvas.side:
            return
        at, radius = canvas.to_px(part.x, part.y), heat_of(self.batch, part) * canvas.scale
        painter.setPen(QPen(theme.colour("stop"), 3))
        painter.setBrush(theme.colour("stop", 60))
        painter.drawEllipse(at, radius, radius)
        for near in neighbours(self.bench.design, part, heat_of(self.batch, part)):
            other = self.bench.design.part_by_ref[near.ref]
            frame = canvas.outline_part(painter, other, width=1.5, grow=3)
            if near.blown:
                painter.setPen(QPen(theme.colour("lit"), 1.5, Qt.PenStyle.DashLine))
                painter.drawRoundedRect(frame.adjusted(-4, -4, 4, 4), 6, 6)
        canvas.outline_part(painter, part, width=4)

    def keys(self) -> list[Key]:
        return [
            Key("Space", "fixed", lambda _: self._repaired("fixed"), True),
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

    def _repaired(self, result: str) -> None:
        board, fault = self.bench.board, self.fault
        if board.step != self.batch.step.id:
            self.desk.say(f"Board {board.serial} is at {self.batch.where(board)}.")
            return
        command = RepairFault(board.serial, fault.id, result) if fault else AcceptAsIs(board.serial)
        if self.desk.do(command):
            there = self.bench.state.boards[board.serial]
            done = f"Board {board.serial} is scrapped." if there.scrapped else self.desk.went(board.serial)
            self.desk.say(f"{fault.ref} is fixed." if fault and there.step == self.batch.step.id else done)
            self.go_on(board.serial)

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        fault = self.fault
        part = self.bench.design.part_by_ref.get(fault.ref) if fault else None
        if part is None:
            return "", []
        near = neighbours(self.bench.design, part, heat_of(self.batch, part))
        return f"In the heat of {part.ref}", [
            (n.ref, f"{n.distance:.1f} mm{', may blow away' if n.blown else ''}") for n in near[:5]
        ]
