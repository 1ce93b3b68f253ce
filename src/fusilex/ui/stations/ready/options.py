"""Boards that differ: one row a difference, with the boards it is for."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from fusilex.bench.command import Command
from fusilex.bench.now import Now
from fusilex.bench.stations.ready.options_text import EXAMPLE, option
from fusilex.ui.desk import Desk
from fusilex.ui.tabbed import View
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import plain_text, shortened
from fusilex.ui.widgets.keys import Key


class Differences(Card):
    """What is otherwise, since when first said; lit boards have it."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setAccessibleName("Boards that differ")

    def rows(self) -> dict[str, tuple[str, set[str]]]:
        """By what is otherwise: the reason, and the boards."""
        found: dict[str, tuple[str, set[str]]] = {}
        for board in self.desk.bench.state.boards.values():
            for change in board.otherwise:
                found.setdefault(change.what, (change.reason, set()))[1].add(board.serial)
        return found

    def draw(self, painter: QPainter) -> None:
        rows = self.rows()
        room = self.width() - 32.0
        if not rows:
            plain_text(painter, QRectF(16, 14, room, 30), "All boards are built as drawn", "lead", "ink", True)
            words = f"O says what is otherwise about some of them, for example  {EXAMPLE}"
            plain_text(painter, QRectF(16, 14 + theme.base * 3, room, 60), words, "body", "soft")
            return
        boards = list(self.desk.bench.state.boards.values())
        wide = min(theme.base * 3.4, room / max(1, min(len(boards), 30)))
        fits = max(1, int(room / wide))
        lines = -(-len(boards) // fits)
        y = 12.0
        for what, (reason, serials) in rows.items():
            plain_text(painter, QRectF(16, y, room, 26), what, "lead", "ink", True)
            count = f"{len(serials)} of {len(boards)} boards"
            plain_text(painter, QRectF(16, y, room, 26), count, "body", "soft", False, Qt.AlignmentFlag.AlignRight)
            y += theme.base * 2.5
            plain_text(painter, QRectF(16, y, room, 22), shortened(reason, room), "small", "soft")
            y += theme.base * 2.2
            for n, board in enumerate(boards):
                box = QRectF(16 + (n % fits) * wide, y + (n // fits) * theme.base * 2.5, wide - 4, theme.base * 2.1)
                lit = board.serial in serials
                painter.setPen(QPen(theme.colour("ink" if lit else "hair"), 2 if lit else 1))
                painter.setBrush(theme.colour("brass_fill" if lit else "card"))
                painter.drawRoundedRect(box, 3, 3)
                name = board.serial.rpartition("-")[2]
                token = "now_ground" if lit else "soft"
                plain_text(painter, box.adjusted(0, 2, 0, 4), name, "small", token, lit, Qt.AlignmentFlag.AlignHCenter)
            y += lines * theme.base * 2.5 + theme.base * 1.4
            if y > self.height() - theme.base * 4:
                break


class OptionsView(View):
    name = "Options"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.differences = Differences(desk)
        self.column.addWidget(self.differences, 1)

    def refresh(self) -> None:
        self.differences.update()

    def now(self) -> Now:
        rows = self.differences.rows()
        if not rows:
            return Now("One kind of board", "Every board of the batch is built as drawn.")
        kinds = len({board.variant for board in self.bench.state.boards.values()})
        return Now(f"{kinds} kind{'s' if kinds > 1 else ''} of board", "Bins, stations and papers follow each board.")

    def keys(self) -> list[Key]:
        prompt = f"Part, what, and boards, for example  {EXAMPLE}"
        return [Key("O", "what is otherwise", lambda _: self.desk.ask(prompt, self._read))]

    def _read(self, text: str) -> None:
        serials, steps = list(self.bench.state.boards), self.bench.route.steps
        if made := self.desk.read(lambda: option(text, serials, steps)):
            self._ask_why(made)

    def _ask_why(self, made: Callable[[str], Command]) -> None:
        self.desk.ask("Why do they differ", lambda why: self.desk.do(made(why), "Noted; it stands in their papers."))

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        return "Batch", [
            ("boards", str(len(self.bench.state.boards))),
            ("bins", str(len(self.batch.lines))),
        ]
