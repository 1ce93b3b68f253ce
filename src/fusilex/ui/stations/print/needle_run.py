"""A board pasted without a foil: pads in the order of a short way, how many dots each, how far hands have come."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from fusilex.bench.now import Now
from fusilex.bench.stations.print.commands import PrintPanel
from fusilex.bench.stations.print.dots import TINNED, ChooseNeedle, DotPads, WeighDots, bore, done_on, plan
from fusilex.bench.stations.print.typed_input import bore_of, grams
from fusilex.bench.workshop.record_kinds import Needle
from fusilex.bench.workshop.records import Records
from fusilex.core.printing.dots import WEIGHED_DOTS
from fusilex.core.printing.tinning import WIRE_MM
from fusilex.core.quantities import MM, MM3, write, write_length
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.theme import theme
from fusilex.ui.widgets.glyphs import plain_text
from fusilex.ui.widgets.keys import Key

AHEAD = 8
"""Pads ahead whose dots are written beside them."""


class NeedleRun:
    """What the print run shows and does at a step by syringe, dots or tinned pads."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk

    @property
    def serial(self) -> str:
        return self.desk.bench.board.serial

    @property
    def tinned(self) -> bool:
        return self.desk.batch.step.method == TINNED

    def counts(self) -> tuple[int, int]:
        """Pads done on the board in hand, and how many there are."""
        return done_on(self.desk.batch, self.serial), len(plan(self.desk.batch).order)

    def now(self) -> Now | None:
        done, count = self.counts()
        board = self.desk.bench.board
        if board.step != self.desk.batch.step.id or not count:
            return None
        if done >= count:
            rest = [b for b in self._others() if done_on(self.desk.batch, b) < count]
            if rest:
                return Now(f"Take board {rest[0]}", f"{self.serial} has its paste. Space takes the next board.", 1.0)
            return Now(f"Panel {board.panel} has its paste", "Space when every pad was looked at.", 1.0)
        made = plan(self.desk.batch)
        i = int(made.order[done])
        ref, pin = made.names[i]
        dots = f"{made.dots[i]} dot{'s' if made.dots[i] > 1 else ''}, {write(made.volume[i], MM3)}"
        what = f"Tin it thinly: {write(int(made.dots[i]), MM)} of {write(WIRE_MM, MM, 4)} wire" if self.tinned else dots
        told = f"{what}. {done} of {count} pads of {self.serial}. Space when done."
        return Now(f"{ref}, pad {pin}" if ref else "The next pad", told, done / count)

    def _others(self) -> list[str]:
        board = self.desk.bench.board
        return [
            b.serial for b in self.desk.bench.state.panel_boards(board.panel) if b.step == board.step and not b.scrapped
        ]

    def paint(self, painter: QPainter, canvas: BoardCanvas) -> None:
        """Pads done in grey, the way ahead as a line, dots of the next pads, the one in hand lit."""
        made, (done, count) = plan(self.desk.batch), self.counts()
        points = [canvas.to_px(float(x), float(y)) for x, y in made.at[made.order]]
        painter.setPen(QPen(theme.colour("lit", 130), 1.2, Qt.PenStyle.DotLine))
        for a, b in zip(points[max(done - 1, 0) :], points[done or 1 :], strict=False):
            painter.drawLine(a, b)
        painter.setPen(QPen(theme.colour("silk"), 1.0))
        painter.setBrush(theme.colour("paste"))
        for point, i in zip(points[:done], made.order.tolist(), strict=False):
            across = max(3.0, float(made.width[i]) * canvas.scale * 0.42)
            painter.drawEllipse(point, across, across)
        for n in range(done, min(done + AHEAD, count)):
            i = int(made.order[n])
            box = QRectF(points[n].x() + 6, points[n].y() - theme.base * 1.9, theme.base * 4, theme.base * 1.9)
            words = "" if self.tinned else str(int(made.dots[i]))
            plain_text(painter, box, words, "small", "lit", n == done)
        if done < count:
            painter.setPen(QPen(theme.colour("lit"), 2.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QPointF(points[done]), theme.base * 1.2, theme.base * 1.2)

    def keys(self) -> list[Key]:
        done, count = self.counts()
        ask, tinned = self.desk.ask, self.tinned
        how = f"What {WEIGHED_DOTS} dots weigh, in g"
        word = "next board, or panel printed" if done >= count else "pad tinned" if tinned else "pad done"
        return [
            Key("Space", word, lambda _: self._next(), True),
            Key("B", "board done" if done < count else "", lambda _: self._board(), True),
            Key("Enter", "panel printed", lambda _: self._printed(), True),
            Key("D", "" if tinned else "needle", lambda _: ask("Bore of the needle in mm, or its gauge", self._needle)),
            Key(
                "G",
                "" if tinned else "20 dots weighed",
                lambda _: ask(how, self._weighed),
            ),
        ]

    def _next(self) -> None:
        done, count = self.counts()
        if done < count:
            self.desk.do(DotPads(self.serial), "")
            return
        rest = [b for b in self._others() if done_on(self.desk.batch, b) < count]
        if rest:
            self.desk.go(board=rest[0])
        else:
            self._printed()

    def _board(self) -> None:
        done, count = self.counts()
        if done < count:
            self.desk.do(DotPads(self.serial, count - done), f"Every pad of {self.serial} has its paste.")

    def _printed(self) -> None:
        state, panel, serial = self.desk.bench.state, self.desk.bench.board.panel, self.serial
        if self.desk.do(PrintPanel(panel, state.foil_mm, state.paste), f"Panel {panel} is printed."):
            following = self.desk.batch.next_here(self.desk.batch.step.id, serial)
            if following and self.desk.bench.state.boards[serial].step != self.desk.batch.step.id:
                self.desk.go(board=following.serial, said=self.desk.said)

    def _needle(self, text: str) -> None:
        needles = {n.id.lower(): n.bore_mm for n in self.desk.bench.workshop[Records].all(Needle).values()}
        if chosen := self.desk.read(lambda: bore_of(text, needles)):
            self.desk.do(ChooseNeedle(chosen), f"Needle of {write(chosen, MM, 4)}.")

    def _weighed(self, text: str) -> None:
        if value := self.desk.read(lambda: grams(text)):
            self.desk.do(WeighDots(value), f"{WEIGHED_DOTS} dots weigh {value:g} g: the count of dots follows it.")

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        made = plan(self.desk.batch)
        way = f"{write_length(made.path_mm, 0)}, none under {write_length(made.bound_mm, 0)}"
        if self.tinned:
            return "Tinned pads", [
                ("pads a board", str(len(made.order))),
                ("wire", write(int(made.dots.sum()), MM)),
                ("way", way),
            ]
        return "Dots", [
            ("needle", write(bore(self.desk.batch), MM, 4)),
            ("a dot", write(made.dot_mm3, MM3)),
            ("dots a board", str(int(made.dots.sum()))),
            ("way", way),
            ("a board takes", f"{made.seconds / 60:.0f} min"),
        ]
