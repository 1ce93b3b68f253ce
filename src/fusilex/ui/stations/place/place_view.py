"""The work at Place: by hand, the next part lit with its bin and a loupe; by machine, points taught on the panel and
their fit.
"""

from __future__ import annotations

import math
from pathlib import Path

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from fusilex.bench.common.bins import Bins
from fusilex.bench.now import Now
from fusilex.bench.refusal import Refused
from fusilex.bench.report.papers import local_time
from fusilex.bench.stations.place.commands import BadPrint, ChooseWay, ForgetPoint, HidePoint, MachinePlaced
from fusilex.bench.stations.place.events import HAND, MACHINE, Placing
from fusilex.bench.stations.place.hand import (
    finish,
    hints,
    turn_of,
)
from fusilex.bench.stations.place.machine import as_lies, way_of
from fusilex.bench.stations.place.placements import programme
from fusilex.bench.stations.place.references import cell_in_hand, fit, points_to_teach, taught
from fusilex.bench.stations.place.typed_input import point
from fusilex.core.design.model import Part
from fusilex.core.placing.affine import Transform
from fusilex.core.placing.turns import turn_words
from fusilex.core.quantities import MM, write
from fusilex.formats.written.programme import to_csv
from fusilex.ui.canvas.loupe import MARK, Loupe
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.stations.place.bin_row import BinRow
from fusilex.ui.stations.place.by_hand import ByHand
from fusilex.ui.stations.place.points import PointList, teach_other
from fusilex.ui.tabbed import View
from fusilex.ui.theme import theme
from fusilex.ui.widgets.glyphs import plain_text
from fusilex.ui.widgets.keys import Key

ARROW_PX = 45.0  # the longest residual is drawn about this long


class PlaceView(View):
    name = "Place"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        canvas = self.add_canvas()
        canvas.parts_on = self._on_board
        canvas.layers = ("copper", "exposed", "silk", "paste")
        canvas.overlays = [self._light]
        self.loupe = Loupe(canvas)
        self.points = PointList(desk)
        side = QWidget()
        side.setMinimumWidth(round(theme.base * 21))
        side.setMaximumWidth(round(theme.base * 27))
        stack = QVBoxLayout(side)
        stack.setContentsMargins(0, 0, 0, 0)
        stack.addWidget(self.loupe, 1)
        stack.addWidget(self.points, 1)
        row = QHBoxLayout()
        row.addWidget(canvas, 3)
        row.addWidget(side, 2)
        self.column.addLayout(row, 1)
        self.hand = ByHand(self)
        self.bins = BinRow(desk, self.hand.in_hand)
        self.bins.moved.connect(self.hand.move_bin)
        self.bins.taken.connect(self.hand.take_from)
        self.column.addWidget(self.bins)

    @property
    def machine(self) -> bool:
        """True for the machine's picture; marks are gone through one part at a time, whoever placed it."""
        return way_of(self.batch, self.batch.step) == MACHINE and not self.hand.sweeping

    def _on_board(self, cell: int) -> list[Part]:
        boards = {b.cell: b for b in self.bench.state.panel_boards(self.bench.board.panel)}
        board = boards.get(cell) if self.machine else self.bench.board
        return self.on_board(board) if board else []

    def refresh(self) -> None:
        assert self.canvas
        canvas, board = self.canvas, self.bench.board
        if canvas.whole_panel != self.machine:
            canvas.whole_panel = self.machine
            canvas.fit()
        order = self.batch.parts_of(self.batch.step.id)
        placed = sum(p.ref in board.placed for p in order)
        canvas.caption = (
            f"Panel {board.panel} on the machine, design against taught points"
            if self.machine
            else f"Panel {board.panel}, board {board.serial}    {placed} of {len(order)} placed"
        )
        times = f"arrows: how far each point lies off the fit, drawn {self._magnified(canvas)} times"
        canvas.footer = times if self.machine and self._fit() is not None else ""
        part = None if self.machine else self.hand.in_hand()
        self.loupe.setVisible(not self.machine)
        self.bins.setVisible(not self.machine)
        self.points.setVisible(self.machine)
        words = f"{turn_words(turn_of(part))}, {MARK[part.polarity]}. {hints(part)}" if part else ""
        self.loupe.look_at(part, f"{part.ref}  {part.value}" if part else "", words)
        self.points.update()
        self.bins.look_again()
        canvas.update()

    def _light(self, painter: QPainter, canvas: BoardCanvas) -> None:
        if self.machine:
            self._residuals(painter, canvas)
            return
        part = self.hand.in_hand()
        if part is not None and part.side == canvas.side:
            canvas.point_out(painter, part)

    def _fit(self) -> Transform | None:
        """The fit in view: the panel's, or that of the board in hand."""
        return fit(self.batch, self.bench.board.panel, cell_in_hand(self.batch))

    def _magnified(self, canvas: BoardCanvas) -> int:
        """How many times their size the residuals are drawn: a round number that makes the longest one readable."""
        transform = self._fit()
        longest = float(transform.residual_mm.max()) if transform is not None else 0.0
        if longest < 1e-4:
            return 1
        wanted = ARROW_PX / (longest * canvas.scale)
        return max(1, next(n for n in (10000, 5000, 2000, 1000, 500, 200, 100, 50, 20, 10, 5, 2, 1, 0) if n <= wanted))

    def _residuals(self, painter: QPainter, canvas: BoardCanvas) -> None:
        names, design, _ = taught(self.batch, self.bench.board.panel, cell_in_hand(self.batch))
        transform = self._fit()
        for i, name in enumerate(names):
            at = canvas.to_px(*as_lies(self.batch, design[i]))
            painter.setPen(QPen(theme.colour("lit"), 2.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(at, 9, 9)
            wide = 64.0
            left = at.x() > canvas.width() / 2  # names stay on the panel
            box = QRectF(at.x() - 14 - wide if left else at.x() + 14, at.y() - theme.base * 1.05, wide, 24)
            align = Qt.AlignmentFlag.AlignRight if left else Qt.AlignmentFlag.AlignLeft
            plain_text(painter, box, name, "body", "lit", True, align)
            if transform is not None:
                dx, dy = transform.residuals[i] * self._magnified(canvas) * canvas.scale
                _arrow(painter, at, at + QPointF(float(dx), -float(dy)))

    def now(self) -> Now | None:
        return None if self.machine else self.hand.now()

    def keys(self) -> list[Key]:
        if self.machine:
            return [
                Key(
                    "T",
                    "teach a point",
                    lambda _: self.desk.ask("Point and measured x y in mm, for example  P1 12.31 8.04", self._teach),
                    True,
                ),
                Key("H", "hidden: another", lambda _: self._hide(), True),
                Key("W", "bad print: back", lambda _: self._bad_print(), True),
                Key("D", "forget a point", lambda _: self._forget()),
                Key("G", *teach_other(self.desk)),
                Key("E", "write the placements", lambda _: self._export(), True),
                Key("Space", "machine placed the panel", lambda _: self._machine_placed(), True),
                Key("P", "marks once more", lambda _: self.hand.sweep()),
                Key("M", "by hand", lambda _: self._switch()),
            ]
        return [*self.hand.keys(), Key("M", "machine", lambda _: self._switch())]

    def _switch(self) -> None:
        self.desk.do(ChooseWay(HAND if self.machine else MACHINE))

    def _teach(self, text: str) -> None:
        if command := self.desk.read(lambda: point(self.bench.board.panel, text)):
            self.desk.do(command, f"{command.point} taught.")

    def _hide(self) -> None:
        """The point that is asked for next cannot be seen."""
        panel = self.bench.board.panel
        known = self.bench.state[Placing].taught.get((panel, self.batch.step.id), {})
        wanted, _ = points_to_teach(self.batch, panel)
        if point := next((p.name for p in wanted if p.name not in known), None):
            self.desk.do(HidePoint(panel, point), f"{point} is hidden: another point stands in for it.")
        else:
            self.desk.say("No point is asked for now.")

    def _bad_print(self) -> None:
        serial, panel = self.bench.board.serial, self.bench.board.panel
        if self.desk.do(BadPrint(panel), f"Panel {panel} goes back to Print: wash it, print it again."):
            self.go_on(serial)

    def _forget(self) -> None:
        panel = self.bench.board.panel
        points = list(self.bench.state[Placing].taught.get((panel, self.batch.step.id), {}))
        if points:
            self.desk.ask(
                f"Forget which of {', '.join(points)}",
                lambda name: self.desk.do(
                    ForgetPoint(panel, name.strip().upper()), f"{name.strip().upper()} forgotten."
                ),
                points[-1],
            )
        else:
            self.desk.say("No point taught on this panel.")

    def _export(self) -> None:
        try:
            steps = programme(self.batch, self.bench.board.panel)
        except Refused as problem:
            self.desk.say(str(problem))
            return
        said = f"{len(steps)} placements. The programme itself is written under Machine."
        panel = self.bench.board.panel

        def write(name: str) -> None:
            self.desk.write(Path(name).with_suffix(".csv"), to_csv(steps).encode(), said)

        self.desk.save_file("Write the placements as CSV", f"panel-{panel}.csv", write)

    def _machine_placed(self) -> None:
        serial, panel = self.bench.board.serial, self.bench.board.panel
        if self.desk.do(MachinePlaced(panel), f"Panel {panel} is placed."):
            self.go_on(serial)

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        board = self.bench.board
        part = self.hand.in_hand()
        made = self.batch.print_of(board, self.batch.step.side)
        rows = [("paste print", f"{made.number}, at {local_time(made.at)[11:]}" if made else "none")]
        if part and not self.machine:
            rows += [("package", part.package.code), ("height", write(part.package.height, MM, 4))]
            mean, low, high = finish(self.batch, board)
            rows.append(("this board done in", f"{mean / 60:.0f} min ({low / 60:.0f} to {high / 60:.0f})"))
        lost = sum(self.bench.state[Bins].dropped.values())
        return f"Board {board.serial}", [*rows, ("lost in this batch", f"{lost} piece{'s' if lost != 1 else ''}")]


def _arrow(painter: QPainter, start: QPointF, end: QPointF) -> None:
    painter.setPen(QPen(theme.colour("brass_fill"), 3, cap=Qt.PenCapStyle.RoundCap))
    painter.drawLine(start, end)
    length = math.hypot(end.x() - start.x(), end.y() - start.y())
    if length > 8:
        ux, uy = (end.x() - start.x()) / length, (end.y() - start.y()) / length
        for side in (-1, 1):
            painter.drawLine(end, end - QPointF(8 * ux - side * 5 * uy, 8 * uy + side * 5 * ux))
