"""Inspect: the board with its faults as glyphs, a loupe on the part in question, the fault words as a keypad."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from fusilex.bench.commands import InspectBoard, MarkFault, StrikeFault
from fusilex.core.design.model import Part
from fusilex.core.inspection.faults import FAULT_WORDS
from fusilex.core.judgement import Level
from fusilex.ui.canvas.loupe import MARK, Loupe
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.glyphs import judgement_mark, plain_text
from fusilex.ui.keys import Key
from fusilex.ui.station import Station, neighbour
from fusilex.ui.theme import theme

_KEY_OF = {word: key.upper() for key, word in FAULT_WORDS.items()}


class FaultPad(QWidget):
    """The fault words with their keys."""

    def __init__(self, station: Inspect) -> None:
        super().__init__()
        self.station = station
        self.setFixedHeight(round(theme.base * 15.5))
        self.setAccessibleName("Fault words: " + ", ".join(f"{k} {w}" for k, w in FAULT_WORDS.items()))
        self._boxes: list[tuple[QRectF, str]] = []

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._boxes.clear()
        width, height = self.width() / 3, self.height() / 5
        for i, (key, word) in enumerate(FAULT_WORDS.items()):
            box = QRectF(i % 3 * width, i // 3 * height, width - 4, height - 4)
            self._boxes.append((box, key))
            painter.setPen(QPen(theme.colour("hair"), 1))
            painter.setBrush(theme.colour("card"))
            painter.drawRoundedRect(box, 4, 4)
            plain_text(painter, box.adjusted(6, 4, 0, 0), key.upper(), "body", "ink", True)
            plain_text(painter, box.adjusted(4 + theme.base * 2, 5, 6, 0), word, "small", "ink")

    def mousePressEvent(self, event: object) -> None:
        position = event.position()  # type: ignore[attr-defined]
        for box, key in self._boxes:
            if box.contains(position):
                self.station.mark(key)


class Inspect(Station):
    name = "Inspect"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.all_boards = False
        canvas = self.add_canvas()
        canvas.fitted = lambda cell: self.all_fitted()
        canvas.overlays = [self._glyphs]
        canvas.part_clicked.connect(lambda ref, cell: self.desk.changed.emit())
        self.loupe = Loupe(canvas)
        side = QWidget()
        side.setFixedWidth(round(theme.base * 31))
        stack = QVBoxLayout(side)
        stack.setContentsMargins(0, 0, 0, 0)
        stack.addWidget(self.loupe, 1)
        stack.addWidget(FaultPad(self))
        row = QHBoxLayout()
        row.addWidget(canvas, 1)
        row.addWidget(side)
        self.column.addLayout(row, 1)
        self.add_strip()

    @property
    def selected(self) -> Part | None:
        assert self.canvas
        return self.bench.design.part_by_ref.get(self.canvas.selected or "")

    def refresh(self) -> None:
        assert self.canvas
        board = self.bench.board
        if self.canvas.selected is None:
            self.canvas.selected = next((p.ref for p in self.bench.design.parts if p.populated), None)
        self.canvas.caption = (
            "Faults of all boards over one another"
            if self.all_boards
            else f"Panel {board.panel}, board {board.serial}    {len(board.open_faults)} open fault{'' if len(board.open_faults) == 1 else 's'}"
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
                    _KEY_OF.get(fault.word, "?"),
                    "body",
                    "card",
                    True,
                    Qt.AlignmentFlag.AlignHCenter,
                )
        if self.all_boards and not stacked:
            judgement_mark(painter, QPointF(24, 46), 7, Level.GO)

    def keys(self) -> list[Key]:
        digits = " ".join(k.upper() for k in FAULT_WORDS)
        return [
            Key("Space", "board looked over", lambda _: self._looked()),
            Key("Left Right Up Down", "walk the parts", self._walk),
            Key(digits, "mark a fault", lambda key: self.mark(key.lower())),
            Key(
                "Backspace", "strike the last", lambda _: self.desk.do(StrikeFault(self.bench.board.serial), "Struck.")
            ),
            Key("A", "all boards", lambda _: self._all()),
        ]

    def _all(self) -> None:
        self.all_boards = not self.all_boards
        self.desk.changed.emit()

    def _walk(self, key: str) -> None:
        assert self.canvas
        here = [p for p in self.bench.design.parts if p.populated and p.side == self.canvas.side]
        self.canvas.selected = neighbour(here, self.canvas.selected, key, self.canvas.side == "bottom")
        self.desk.changed.emit()

    def mark(self, key: str) -> None:
        """Mark the selected part with the fault of a key."""
        if self.selected:
            self.desk.do(
                MarkFault(self.bench.board.serial, self.selected.ref, FAULT_WORDS[key]),
                f"{self.selected.ref}: {FAULT_WORDS[key]}.",
            )

    def _looked(self) -> None:
        board = self.bench.board
        to = "Rework" if board.open_faults else "Test"
        if self.desk.do(InspectBoard(board.serial), f"Board {board.serial} goes to {to}."):
            self.go_on(board.serial)

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        board = self.bench.board
        return "This board", [
            ("print", str(board.print_number or "none")),
            ("oven load", str(board.load or "none")),
            ("placed by", ", ".join(sorted(set(board.placed_how.values()))) or "nobody"),
            ("looked over", f"{board.inspections} time{'' if board.inspections == 1 else 's'}"),
        ]
