"""Print: the board's openings coloured by release risk; below, every opening on one scale of area ratio."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPen

from fusilex.bench.stations.print.commands import (
    ChooseFoil,
    ChoosePaste,
    PrintPanel,
    WipePrint,
    just_printed,
    printed_panels,
)
from fusilex.bench.stations.print.events import Printing
from fusilex.bench.stations.print.judging import foil_and_paste
from fusilex.bench.stations.print.typed_input import foil
from fusilex.bench.workshop.record_kinds import PasteSheet
from fusilex.bench.workshop.records import Records
from fusilex.core.judgement import Level
from fusilex.core.printing.openings import Openings
from fusilex.core.printing.paste import paste_mass_mg
from fusilex.core.printing.release import release_levels, worst_parts
from fusilex.core.road.steps import METHODS
from fusilex.core.units import show_length
from fusilex.ui.canvas.paths import paths_of
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.picture import StationPicture
from fusilex.ui.stations.print.ratio_chart import LEVELS, RatioChart
from fusilex.ui.theme import theme
from fusilex.ui.units import Units
from fusilex.ui.widgets.glyphs import plain_text
from fusilex.ui.widgets.keys import Key

STENCIL = METHODS["Print"][0]


class PrintPicture(StationPicture):
    name = "Print"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        canvas = self.add_canvas()
        canvas.layers = ("copper", "exposed")
        canvas.overlays = [self._paint_openings]
        self.column.addWidget(canvas, 3)
        self.chart = RatioChart()
        self.column.addWidget(self.chart, 2)
        self.add_strip()
        self._paths: tuple[tuple[str, str, float], list[tuple[Level, list[QPainterPath]]]] | None = None

    @property
    def foil(self) -> float:
        """Foil of the print the board has, or would get."""
        return foil_and_paste(self.batch, self.bench.board)[0]

    @property
    def openings(self) -> Openings:
        """Those of the side printed at this step."""
        return self.batch.derived.openings(self.step.side)

    def refresh(self) -> None:
        assert self.canvas
        board = self.bench.board
        stencil = self.step.method == STENCIL
        what = "stencil openings by how surely they release" if stencil else f"paste by {self.step.method}"
        self.canvas.caption = f"Panel {board.panel}    {what}"
        self.chart.setVisible(stencil)
        made = board.prints.get(self.step.id)
        self.canvas.footer = f"Print {made.number} of this batch" if made else "Not printed yet"
        self.canvas.update()
        self.chart.show_openings(self.openings, self.foil)

    def _paint_openings(self, painter: QPainter, canvas: BoardCanvas) -> None:
        if canvas.side != self.step.side:
            plain_text(
                painter,
                QRectF(0, canvas.height() / 2 - 20, canvas.width(), 40),
                f"At this step the {self.step.side} is printed",
                "lead",
                "lit",
                True,
                Qt.AlignmentFlag.AlignHCenter,
            )
            return
        if self._paths is None or self._paths[0] != (self.step.id, self.step.method, self.foil):
            openings = self.openings
            by_stencil = self.step.method == STENCIL
            levels = (
                release_levels(openings, self.foil) if by_stencil else np.full(len(openings), LEVELS.index(Level.GO))
            )
            self._paths = (
                (self.step.id, self.step.method, self.foil),
                [(level, paths_of(openings.polygons[levels == i])) for i, level in enumerate(LEVELS)],
            )
        painter.setTransform(canvas.transform(), True)
        for level, paths in self._paths[1]:
            painter.setPen(QPen(theme.level(level), 0.0 if level is Level.GO else 0.14))
            painter.setBrush(theme.colour("paste") if level is Level.GO else theme.level(level))
            for path in paths:
                painter.drawPath(path)
        painter.resetTransform()
        if self.step.method != STENCIL:
            return
        for worst in worst_parts(self.openings, self.foil)[:1]:
            if part := self.bench.design.part_by_ref.get(worst.ref):
                frame = canvas.outline_part(painter, part)
                plain_text(
                    painter,
                    QRectF(frame.left() - 60, frame.top() - theme.base * 2.2, frame.width() + 120, 24),
                    f"{worst.ref} {worst.area_ratio:.2f}",
                    "body",
                    "lit",
                    True,
                    Qt.AlignmentFlag.AlignHCenter,
                )

    def keys(self) -> list[Key]:
        ask, last = self.desk.ask, just_printed(self.batch)
        keys = [Key("Space", "panel printed", lambda _: self._printed(), True)]
        if last is not None:
            what = f"What was wrong with the print of panel {last}?"
            keys.append(Key("W", f"panel {last} wiped off", lambda _: ask(what, lambda why: self._wiped(last, why))))
        return [
            *keys,
            Key(
                "H",
                "foil" if self.step.method == STENCIL else "",
                lambda _: ask("Foil thickness in mm", self._foil, f"{self.bench.state.foil_mm:g}"),
            ),
            Key("A", "paste", lambda _: self._next_paste()),
            Key("Tab", "next panel", lambda _: self.next_panel()),
        ]

    def _printed(self) -> None:
        state, panel, serial = self.bench.state, self.bench.board.panel, self.bench.board.serial
        if self.desk.do(PrintPanel(panel, state.foil_mm, state.paste), f"Panel {panel} is printed."):
            self.go_on(serial)

    def _wiped(self, panel: int, reason: str) -> None:
        if self.desk.do(WipePrint(panel, reason), f"Print of panel {panel} wiped off. Print it again."):
            self.desk.go(board=self.bench.state.panel_boards(panel)[0].serial, said=self.desk.said)

    def _foil(self, text: str) -> None:
        if chosen := self.desk.read(lambda: foil(text)):
            done = f"Foil {show_length(chosen, Units.inch)}."
            self._in_mid_batch(done, lambda reason: self.desk.do(ChooseFoil(chosen, reason), done))

    def _next_paste(self) -> None:
        names = list(self.bench.workshop[Records].all(PasteSheet))
        chosen = names[(names.index(self.bench.state.paste) + 1) % len(names)]
        done = f"{chosen.capitalize()} paste, {self.bench.workshop[Records].paste(chosen).alloy}."
        self._in_mid_batch(done, lambda reason: self.desk.do(ChoosePaste(chosen, reason), done))

    def _in_mid_batch(self, what: str, do: Callable[[str], object]) -> None:
        """Once a panel is printed, another foil or paste wants a reason, which says from which panel on."""
        done = printed_panels(self.batch)
        if not done:
            do("")
            return
        following = next((n for n in self.bench.state.panels if n not in done), None)
        since = f"from panel {following} on" if following else "for prints made again"
        self.desk.ask(f"{what.rstrip('.')} {since}, because", do)

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        batch = self.batch
        foil_mm, paste = foil_and_paste(batch, batch.board)
        sheet = batch.workshop[Records].paste(paste)
        per_board = paste_mass_mg(self.openings, foil_mm, sheet.paste)
        printing = batch.state[Printing]
        return "Paste", [
            ("per board", f"{per_board:.0f} mg"),
            ("per panel", f"{per_board * batch.panel.count / 1000:.2f} g"),
            ("alloy", sheet.alloy),
            ("foil", show_length(foil_mm, Units.inch)),
            ("prints, wiped off", f"{len(printing.prints)}, {len(printing.wiped)}"),
        ]
