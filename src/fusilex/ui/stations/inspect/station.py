"""Inspect: the board with its faults as glyphs, a loupe on the part in question, the fault words as a keypad."""

from __future__ import annotations

import time

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from fusilex.bench.boards import numbers
from fusilex.bench.common.faults import MarkFault, to_repair
from fusilex.bench.stations.inspect.commands import LOOK_S, InspectBoard
from fusilex.core.design.model import Part
from fusilex.core.inspection.faults import FAULT_WORDS, FAULTS
from fusilex.core.judgement import Level
from fusilex.ui.canvas.loupe import MARK, Loupe
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.picture import StationPicture, neighbour
from fusilex.ui.stations.inspect.fault_pad import FaultPad
from fusilex.ui.theme import theme
from fusilex.ui.widgets.glyphs import judgement_mark, plain_text
from fusilex.ui.widgets.keys import Key


class InspectPicture(StationPicture):
    name = "Inspect"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.all_boards = False
        self._walked: set[str] = set()
        self._in_view = ("", 0.0)
        canvas = self.add_canvas()
        canvas.parts_on = lambda cell: self.whole_board() if self.step.side == "both" else self.on_board()
        canvas.overlays = [self._glyphs]
        canvas.part_clicked.connect(lambda ref, cell: self.desk.changed.emit())
        self.loupe = Loupe(canvas)
        side = QWidget()
        side.setMinimumWidth(round(theme.base * 26))
        side.setMaximumWidth(round(theme.base * 32))
        stack = QVBoxLayout(side)
        stack.setContentsMargins(0, 0, 0, 0)
        stack.addWidget(self.loupe, 3)
        stack.addWidget(FaultPad(self.mark), 4)
        row = QHBoxLayout()
        row.addWidget(canvas, 3)
        row.addWidget(side, 2)
        self.column.addLayout(row, 1)
        self.add_strip()

    @property
    def selected(self) -> Part | None:
        assert self.canvas
        return self.batch.built(self.bench.board).get(self.canvas.selected or "")

    def refresh(self) -> None:
        assert self.canvas
        board = self.bench.board
        if self._in_view[0] != board.serial:
            self._in_view = board.serial, time.monotonic()
        side, chosen = self.step.side, self.selected
        if chosen is None or (side != "both" and chosen.side != side):
            here = (p for p in self.whole_board() if side in ("both", p.side))
            self.canvas.selected = next((p.ref for p in here), None)
        faults = len(to_repair(self.batch, board))
        self.canvas.caption = (
            "Faults of all boards over one another"
            if self.all_boards
            else f"Panel {board.panel}, board {board.serial}    {faults} open fault{'' if faults == 1 else 's'}"
        )
        part = self.selected
        words = f"{part.package.code}, {MARK[part.polarity]}" if part else ""
        self.loupe.look_at(part, f"{part.ref}  {part.value}" if part else "", words, ghost=False)
        self.canvas.update()

    def _glyphs(self, painter: QPainter, canvas: BoardCanvas) -> None:
        if (part := self.selected) and part.side == canvas.side:
            canvas.outline_part(painter, part)
        boards = self.bench.state.boards.values() if self.all_boards else [self.bench.board]
        stacked: dict[str, int] = {}
        for board in boards:
            for fault in board.faults if self.all_boards else board.open_faults:
                part = self.bench.design.part_by_ref.get(fault.ref)
                if part is None or part.side != canvas.side:
                    continue
                n = stacked[fault.ref] = stacked.get(fault.ref, 0) + 1
                at = canvas.to_px(part.x, part.y) + QPointF(6 + 22 * (n - 1), -16)
                box = QRectF(at.x() - 11, at.y() - 11, 22, 22)
                painter.setPen(QPen(theme.colour("card"), 2))
                painter.setBrush(theme.colour("stop"))
                painter.drawRoundedRect(box, 4, 4)
                plain_text(
                    painter,
                    box.adjusted(0, 2, 0, 0),
                    FAULT_WORDS[fault.word].key.upper() if fault.word in FAULT_WORDS else "?",
                    "body",
                    "card",
                    True,
                    Qt.AlignmentFlag.AlignHCenter,
                )
        if self.all_boards and not stacked:
            judgement_mark(painter, QPointF(24, 46), 7, Level.GO)

    def keys(self) -> list[Key]:
        words = {fault.key.upper(): fault.word for fault in FAULTS}
        return [
            Key("Space", "board looked over", lambda _: self._looked_over(), True),
            Key("Left Right Up Down", "walk the parts", self._walk),
            Key(" ".join(words), "mark a fault", lambda key: self.mark(words[key]), True),
            Key("A", "all boards", lambda _: self._all()),
        ]

    def _all(self) -> None:
        self.all_boards = not self.all_boards
        self.desk.changed.emit()

    def _walk(self, key: str) -> None:
        assert self.canvas
        here = [p for p in self.whole_board() if p.side == self.canvas.side]
        self.canvas.selected = neighbour(here, self.canvas.selected, key, self.canvas.side == "bottom")
        self._walked.add(self.bench.board.serial)
        self.desk.changed.emit()

    def mark(self, word: str) -> None:
        """Mark the selected part with a fault."""
        if self.selected:
            command = MarkFault(self.bench.board.serial, self.selected.ref, word)
            self.desk.do(command, f"{self.selected.ref}: {word}.")

    def _looked(self) -> bool:
        """Parts were walked, faults marked, or the board lay under the eyes for long enough."""
        board = self.bench.board
        watched = self._in_view[0] == board.serial and time.monotonic() - self._in_view[1] >= LOOK_S
        return watched or board.serial in self._walked or bool(board.open_faults)

    def _looked_over(self) -> None:
        board = self.bench.board
        looked = self._looked()
        if self.desk.do(InspectBoard(board.serial, looked)):
            self._walked.discard(board.serial)
            unseen = "" if looked else " It was passed without a look, and its record says so."
            self.desk.say(f"{self.desk.went(board.serial)}{unseen}")
            self.go_on(board.serial)

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        board = self.bench.board
        return "This board", [
            ("print", numbers(board.prints)),
            ("oven load", numbers(board.loads)),
            ("placed by", ", ".join(sorted(set(board.placed_how.values()))) or "nobody"),
            ("looked over", f"{board.inspections} time{'' if board.inspections == 1 else 's'}"),
        ]
