"""Bare boards: counted and wiped, the finest copper pinned, and the etching bath for those who make their own."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPen

from fusilex.bench.command import Command
from fusilex.bench.now import Now
from fusilex.bench.stations.ready import typed_input
from fusilex.bench.stations.ready.judging import judge_bath
from fusilex.bench.stations.ready.now import at_bare
from fusilex.bench.stations.ready.route import MakeAtHome
from fusilex.bench.workshop.etching import Etching
from fusilex.core.bare_boards.etching import SLOW_AT_G_PER_L
from fusilex.core.quantities import CELSIUS, MICRON, write, write_length
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.tabbed import View
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import judgement_mark, plain_text, progress_bar
from fusilex.ui.widgets.keys import Key

FOIL_UM, BATH_C = 35.0, 38.0


class BathCard(Card):
    """The bath: how much copper it holds, minutes to expect, the runs logged."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.celsius, self.foil_um = BATH_C, FOIL_UM
        self.setFixedHeight(round(theme.base * 15))
        self.setAccessibleName("Etching bath")

    def draw(self, painter: QPainter) -> None:
        bench = self.desk.bench
        width = self.width() - 32.0
        plain_text(painter, QRectF(16, 10, width, 26), "Making your own: the etching bath", "lead", "ink", True)
        if "Etching" not in bench.state.cautions:
            words = "N notes a bath, after its cautions are read. Boards from a maker need none of this."
            plain_text(painter, QRectF(16, 14 + theme.base * 3, width, 60), words, "body", "soft")
            return
        y = 14 + theme.base * 3
        for judged in judge_bath(self.desk.batch, self.foil_um, self.celsius):
            judgement_mark(painter, QPointF(24, y + 10), 6, judged.level)
            plain_text(painter, QRectF(42, y, width * 0.5, 26), judged.headline, "body", "ink", True)
            numbers = ", ".join(b.text() for b in judged.quantities)
            plain_text(painter, QRectF(42, y + theme.base * 1.9, width - 30, 24), numbers or judged.do, "small", "soft")
            y += theme.base * 4.0
        if bath := bench.workshop[Etching].bath:
            box = QRectF(self.width() - 250, 18, 230, 10)
            progress_bar(
                painter,
                box,
                bath.held_g / (bath.litres * SLOW_AT_G_PER_L),
                theme.colour("brass_fill"),
                theme.colour("hair"),
            )
            words = f"{bath.litres:g} l, {write(self.foil_um, MICRON)} at {write(self.celsius, CELSIUS, 4)}"
            plain_text(
                painter, QRectF(box.x(), 30, 230, 24), words, "small", "soft", False, Qt.AlignmentFlag.AlignRight
            )


class BareView(View):
    name = "Bare boards"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        canvas = self.add_canvas()
        canvas.layers = ("copper", "exposed")
        canvas.overlays = [self._finest]
        self.bath = BathCard(desk)
        self.column.addWidget(canvas, 1)
        self.column.addWidget(self.bath)
        self.etching = False

    @property
    def cautions(self) -> str:
        return "Etching" if self.etching and "Bare boards" in self.bench.state.cautions else "Bare boards"

    def refresh(self) -> None:
        assert self.canvas
        share = self.batch.derived.coverage.get(self.canvas.side, 0.0)
        self.canvas.caption = f"copper on {100 * share:.0f} % of the {self.canvas.side}"
        self.canvas.update()
        self.bath.update()

    def _finest(self, painter: QPainter, canvas: BoardCanvas) -> None:
        finest = self.batch.derived.finest
        if finest is None:
            return
        spots = (
            (finest.width_at, f"track {write_length(finest.width_mm)}"),
            (finest.gap_at, f"gap {write_length(finest.gap_mm)}"),
        )
        for (x, y, side), words in spots:
            if side != canvas.side:
                continue
            at = canvas.to_px(x, y)
            painter.setPen(QPen(theme.colour("lit"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(at, 11, 11)
            width = QFontMetricsF(theme.font("body", True)).horizontalAdvance(words) + 18
            left = at.x() > canvas.width() / 2
            plate = QRectF(at.x() - width - 16 if left else at.x() + 16, at.y() - 13, width, 26)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("card"))
            painter.drawRoundedRect(plate, 5, 5)
            plain_text(painter, plate.adjusted(0, 4, 0, 0), words, "body", "ink", True, Qt.AlignmentFlag.AlignHCenter)

    def now(self) -> Now:
        return at_bare(self.batch)

    def keys(self) -> list[Key]:
        return [
            Key(
                "C",
                "count them",
                lambda _: self.desk.ask(
                    "Panels counted (add: dirty, if not wiped yet)",
                    lambda t: self._typed(typed_input.bare, t, "Counted."),
                    str(len(self.bench.state.panels)),
                ),
            ),
            Key("H", "made here", lambda _: self.desk.do(MakeAtHome(), "The steps of making them stand before Kit.")),
            Key(
                "F",
                "what a process has shown",
                lambda _: self.desk.ask(
                    "Process and its finest track or gap, mm",
                    lambda t: self._typed(typed_input.process, t, "Noted for every batch."),
                ),
            ),
            Key("N", "fresh bath", lambda _: self._etching(self._bath)),
            Key("E", "log an etch", lambda _: self._etching(self._etch)),
            Key(
                "T",
                "bath °C, copper µm",
                lambda _: self.desk.ask(
                    "Bath °C and copper µm", self._plan, f"{self.bath.celsius:g} {self.bath.foil_um:g}"
                ),
            ),
        ]

    def _typed(self, parse: Callable[[str], Command], text: str, done: str) -> None:
        if command := self.desk.read(lambda: parse(text)):
            self.desk.do(command, done)

    def _etching(self, then: Callable[[], None]) -> None:
        """Etching has cautions of its own, read before its first key does anything."""
        self.etching = True
        if self.bench.route.unread(self.batch, "Etching") is None:
            then()
        else:
            self.desk.say("")

    def _bath(self) -> None:
        self.desk.ask("Litres of fresh etchant", lambda t: self._typed(typed_input.litres, t, "A fresh bath."), "0.5")

    def _etch(self) -> None:
        self.desk.ask(
            "Minutes until clear, bath °C, copper µm",
            lambda t: self._typed(typed_input.etch_run, t, "Logged; the rate is corrected."),
        )

    def _plan(self, text: str) -> None:
        if plan := self.desk.read(lambda: typed_input.bath_plan(text)):
            self.bath.celsius, self.bath.foil_um = plan
            self.desk.say("")

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        finest, foil_um = self.batch.derived.finest, self.bath.foil_um
        rows = (
            [
                ("narrowest track", write_length(finest.width_mm, 3)),
                ("narrowest gap", write_length(finest.gap_mm, 3)),
            ]
            if finest
            else []
        )
        return "Copper", [
            *rows,
            (
                "to etch off a board",
                f"{write(self.batch.derived.copper_to_remove_g(foil_um), 'g')} at {write(foil_um, MICRON)}",
            ),
        ]
