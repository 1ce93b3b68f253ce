"""The panel with its cuts numbered in order, where no wheel passes, what may crack; boards with their state."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPen

from fusilex.bench.refusal import Refused
from fusilex.bench.stations.release.commands import ChooseCoating, PrepareBoard, ReleaseBoard, TickCut, WeighBoard
from fusilex.bench.stations.release.events import SEPARATE, Leaving
from fusilex.bench.stations.release.getting_ready import cuts_of, done_since, next_cut, next_step, wanted
from fusilex.core.evidence import Level
from fusilex.core.panel.separating import HAND
from fusilex.core.quantities import write_length, write_point
from fusilex.core.route.steps import DONE
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.tabbed import View
from fusilex.ui.theme import theme
from fusilex.ui.widgets.glyphs import judgement_mark, plain_text
from fusilex.ui.widgets.keys import Key
from fusilex.ui.widgets.rows import Column, Rows

CENTRED = Qt.AlignmentFlag.AlignHCenter


class CutsView(View):
    name = "Cuts and boards"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        canvas = self.add_canvas()
        canvas.whole_panel = True
        canvas.fit()
        canvas.parts_on = lambda cell: self.whole_board()
        canvas.overlays = [self._cuts, self._stressed, self._boards]
        self.column.addWidget(canvas, 5)
        columns = (Column("cut", 1, True), Column("tool", 2), Column("where", 3), Column("why", 8))
        self.rows = Rows("Cuts in order", columns, "No score line or tab: this board comes out of no panel.")
        self.rows.setMaximumHeight(round(theme.base * 17))
        self.column.addWidget(self.rows, 2)

    def refresh(self) -> None:
        assert self.canvas
        board, state = self.bench.board, self.bench.state
        out = sum(b.released_at is not None for b in state.boards.values())
        self.canvas.caption = f"Panel {board.panel}    {out} of {len(state.boards)} boards released"
        self.canvas.update()
        done = state[Leaving].cuts.get(board.panel, 0)
        strokes = cuts_of(self.batch).strokes
        rows = [(str(n), s.tool, _where(s.ends), s.why) for n, s in enumerate(strokes, 1)]
        self.rows.chosen = min(done, max(0, len(rows) - 1))
        self.rows.show_rows(rows, [Level.GO if n < done else None for n in range(len(rows))])

    def _cuts(self, painter: QPainter, canvas: BoardCanvas) -> None:
        """Each cut with its number: done ones in solder, the next in brass, those by hand dashed."""
        done = self.bench.state[Leaving].cuts.get(self.bench.board.panel, 0)
        taken: list[QPointF] = []
        for n, stroke in enumerate(cuts_of(self.batch).strokes, 1):
            x1, y1, x2, y2 = stroke.ends
            start, end = canvas.to_px(x1, y1), canvas.to_px(x2, y2)
            token = "solder" if n <= done else "brass" if n == done + 1 else "lit"
            style = Qt.PenStyle.DashLine if stroke.tool == HAND else Qt.PenStyle.SolidLine
            painter.setPen(QPen(theme.colour("ink"), 5 if n == done + 1 else 3.5, style))
            painter.drawLine(start, end)
            painter.setPen(QPen(theme.colour(token), 3 if n == done + 1 else 2, style))
            painter.drawLine(start, end)
            upright = abs(end.y() - start.y()) > abs(end.x() - start.x())
            at = end if upright else start
            other_end = start if upright else end
            length = max(1.0, (at - other_end).manhattanLength())
            at = at + (other_end - at) * (theme.base * 1.4 / length)
            while any((at - other).manhattanLength() < theme.base * 2.6 for other in taken):
                at = at + (other_end - at) * 0.12
            taken.append(at)
            radius = theme.base * 1.15
            painter.setPen(QPen(theme.colour("ink"), 1.5))
            painter.setBrush(theme.colour("brass_fill" if n == done + 1 else "card"))
            painter.drawEllipse(at, radius, radius)
            box = QRectF(at.x() - radius, at.y() - radius * 0.95, 2 * radius, 2 * radius)
            plain_text(painter, box, str(n), "small", "now_ground" if n == done + 1 else "ink", True, CENTRED)

    def _stressed(self, painter: QPainter, canvas: BoardCanvas) -> None:
        """A ring about each capacitor near a cut; a square one where it is nearest."""
        parts = self.batch.own.by_ref
        x0, y0, *_ = self.batch.design.outline.bounds
        for stressed in cuts_of(self.batch).care:
            part = parts[stressed.ref]
            (x, y) = self.batch.panel.on_cell(stressed.cell, [[part.x - x0, part.y - y0]])[0]
            at = canvas.to_px(float(x), float(y))
            painter.setPen(QPen(theme.colour(stressed.level.value), 2.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            if stressed.level is Level.STOP:
                painter.drawRect(QRectF(at.x() - 8, at.y() - 8, 16, 16))
            else:
                painter.drawEllipse(at, 8, 8)

    def _boards(self, painter: QPainter, canvas: BoardCanvas) -> None:
        for board in self.bench.state.panel_boards(self.bench.board.panel):
            x0, y0, x1, y1 = self.batch.panel.box(board.cell)
            box = QRectF(canvas.to_px(x0, y0), canvas.to_px(x1, y1)).normalized()
            here = board.serial == self.bench.view.board
            label = QRectF(box.center().x() - 48, box.center().y() - theme.base * 1.4, 96, theme.base * 2.8)
            painter.setPen(QPen(theme.colour("ink"), 2.5) if here else QPen(theme.colour("hair"), 1))
            painter.setBrush(theme.colour("brass_fill" if here else "card", 235))
            painter.drawRoundedRect(label, 5, 5)
            level = (
                Level.STOP if board.open_faults or board.scrapped else Level.GO if board.step == DONE else Level.UNKNOWN
            )
            judgement_mark(painter, QPointF(label.left() + 14, label.center().y()), 6, level)
            token = "now_ground" if here else "ink"
            name, room = board.serial, label.width() - 32
            if QFontMetricsF(theme.font("body", bold=True)).horizontalAdvance(name) > room:
                name = name.rpartition("-")[2]  # the batch stands in the head
            plain_text(painter, label.adjusted(26, theme.base * 0.45, 0, 0), name, "body", token, True)

    def keys(self) -> list[Key]:
        return [
            Key("Space", self._word(), lambda _: self._next(), True),
            Key("R", "release as it is", lambda _: self._release(), True),
            Key("G", "weigh", lambda _: self.desk.ask("Grams of the finished board", self._weighed), True),
            Key("K", "coated or bare", lambda _: self._coat()),
        ]

    def _word(self) -> str:
        board = self.bench.board
        if next_cut(self.batch, board.panel) is not None:
            return "cut is done"
        step = next_step(self.batch, board)
        return f"{step}: done" if step and self.batch.step.method != SEPARATE else "release"

    def _next(self) -> None:
        """The next cut, the next step of getting ready, or the release: one key brings a board through."""
        board = self.bench.board
        cut = next_cut(self.batch, board.panel)
        step = next_step(self.batch, board)
        if cut is not None:
            self.desk.do(TickCut(board.panel, cut), f"Cut {cut} is done.")
        elif step is not None and self.batch.step.method != SEPARATE:
            self.desk.do(PrepareBoard(board.serial, step), f"{board.serial}: {step}.")
        else:
            self._release()

    def _release(self) -> None:
        serial = self.bench.board.serial
        if self.desk.do(ReleaseBoard(serial), f"Board {serial} is released."):
            self.go_on(serial)

    def _weighed(self, text: str) -> None:
        def read() -> WeighBoard:
            try:
                grams = float(text.lower().removesuffix("g").strip().replace(",", "."))
            except ValueError:
                raise Refused("Type grams, such as 12.34.") from None
            return WeighBoard(self.bench.board.serial, grams)

        if command := self.desk.read(read):
            self.desk.do(command, f"{command.board} weighs {command.grams:g} g.")

    def _coat(self) -> None:
        coated = not self.bench.state[Leaving].coated
        self.desk.do(ChooseCoating(coated), "The batch is coated." if coated else "The batch stays bare.")

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        board = self.bench.board
        done = done_since(self.batch, board)
        steps = ", ".join(f"{s}{' ✓' if s in done else ''}" for s in wanted(self.batch))
        grams = self.bench.state[Leaving].grams.get(board.serial)
        return f"Board {board.serial}", [
            ("parts on it", str(len(board.placed) + len(board.soldered))),
            ("getting ready", steps),
            ("repairs", str(sum(f.repaired is not None for f in board.faults))),
            ("readings", str(len(board.readings))),
            ("weight", f"{grams:g} g" if grams else "not weighed"),
        ]


def _where(ends: tuple[float, float, float, float]) -> str:
    x1, y1, x2, y2 = ends
    return (
        f"x {write_length(x1, 1)}" if x1 == x2 else f"y {write_length(y1, 1)}" if y1 == y2 else write_point(x1, y1, 1)
    )
