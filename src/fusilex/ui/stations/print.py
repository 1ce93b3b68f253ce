"""Print: the board's openings coloured by release risk; below, every opening on one scale of area ratio."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPen

from fusilex.bench.commands import ChooseFoil, ChoosePaste, PrintPanel, WipePrint
from fusilex.core.judgement import Level
from fusilex.core.printing.openings import AREA_GO, AREA_STOP
from fusilex.core.printing.paste import PASTES, paste_mass_mg
from fusilex.core.printing.release import release_levels, worst_parts
from fusilex.core.units import show_length
from fusilex.ui.canvas.paths import paths_of
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.card import Card
from fusilex.ui.desk import Desk
from fusilex.ui.glyphs import plain_text
from fusilex.ui.head import Units
from fusilex.ui.keys import Key
from fusilex.ui.station import Station
from fusilex.ui.theme import theme

LEVELS = (Level.GO, Level.CARE, Level.STOP)


class RatioChart(Card):
    """Every opening as a dot on the scale of area ratio, with the limits; worst parts named."""

    def __init__(self, station: Print) -> None:
        super().__init__()
        self.station = station
        self.setFixedHeight(round(theme.base * 13))
        self.setAccessibleName("Area ratio of every opening")

    def draw(self, painter: QPainter) -> None:
        openings, foil = self.station.bench.openings, self.station.foil
        if not len(openings):
            plain_text(
                painter, QRectF(18, 16, self.width() - 36, 40), "This side has no paste openings.", "body", "soft"
            )
            return
        ratios = openings.area_ratio(foil)
        low, high = 0.4, max(1.2, float(ratios.max()) * 1.03)
        area = QRectF(24, theme.base * 3.2, self.width() - 48, self.height() - theme.base * 6.4)

        def x(value: float) -> float:
            return area.left() + area.width() * float(np.log(max(value, low) / low) / np.log(high / low))

        for a, b, token in ((low, AREA_STOP, "stop"), (AREA_STOP, AREA_GO, "care"), (AREA_GO, high, "go")):
            painter.fillRect(QRectF(x(a), area.top(), x(b) - x(a), area.height()), theme.colour(token, 34))
        plain_text(
            painter,
            QRectF(18, 8, self.width() - 36, 24),
            f"Area ratio of {len(openings)} openings in a {show_length(foil, Units.inch)} foil",
            "body",
            "ink",
            True,
        )
        levels = release_levels(openings, foil)
        painter.setPen(Qt.PenStyle.NoPen)
        order = np.argsort(ratios)
        for rank, i in enumerate(order):
            painter.setBrush(theme.level(LEVELS[levels[i]]))
            spot = QPointF(x(float(ratios[i])), area.top() + 8 + (area.height() - 16) * ((rank * 0.618034) % 1.0))
            painter.drawEllipse(spot, 3.2, 3.2)
        for limit, words in ((AREA_STOP, f"stop below {AREA_STOP:.2f}"), (AREA_GO, f"go from {AREA_GO:.2f}")):
            painter.setPen(QPen(theme.colour("ink"), 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x(limit), area.top()), QPointF(x(limit), area.bottom()))
            right = limit == AREA_GO
            box = QRectF(x(limit) + 4 if right else x(limit) - 154, area.bottom() + 3, 150, 20)
            plain_text(
                painter,
                box,
                words,
                "small",
                "soft",
                False,
                Qt.AlignmentFlag.AlignLeft if right else Qt.AlignmentFlag.AlignRight,
            )
        worst = worst_parts(openings, foil)[:5]
        named = "tightest: " + ", ".join(f"{w.ref or 'no part'} {w.area_ratio:.2f}" for w in worst)
        plain_text(
            painter,
            QRectF(x(AREA_GO) + 140, area.bottom() + 3, area.right() - x(AREA_GO) - 140, 20),
            named,
            "small",
            "ink",
            False,
            Qt.AlignmentFlag.AlignRight,
        )


class Print(Station):
    name = "Print"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        canvas = self.add_canvas()
        canvas.layers = ("copper", "exposed")
        canvas.overlays = [self._paint_openings]
        self.column.addWidget(canvas, 1)
        self.chart = RatioChart(self)
        self.column.addWidget(self.chart)
        self.add_strip()
        self._paths: tuple[float, list[tuple[Level, list[QPainterPath]]]] | None = None

    @property
    def foil(self) -> float:
        return self.bench.foil_mm

    def refresh(self) -> None:
        assert self.canvas
        board = self.bench.board
        self.canvas.caption = f"Panel {board.panel}    stencil openings by how surely they release"
        printed = [p for p in self.bench.state.prints if p["panel"] == board.panel]
        self.canvas.footer = f"Print {printed[-1]['number']} of this batch" if printed else "Not printed yet"
        self.canvas.update()
        self.chart.update()

    def _paint_openings(self, painter: QPainter, canvas: BoardCanvas) -> None:
        if canvas.side != "top":
            plain_text(
                painter,
                QRectF(0, canvas.height() / 2 - 20, canvas.width(), 40),
                "The bottom is soldered by hand in this batch",
                "lead",
                "lit",
                True,
                Qt.AlignmentFlag.AlignHCenter,
            )
            return
        if self._paths is None or self._paths[0] != self.foil:
            openings, levels = self.bench.openings, release_levels(self.bench.openings, self.foil)
            self._paths = (
                self.foil,
                [(level, paths_of(openings.polygons[levels == i])) for i, level in enumerate(LEVELS)],
            )
        painter.setTransform(canvas.transform(), True)
        for level, paths in self._paths[1]:
            painter.setPen(QPen(theme.level(level), 0.0 if level is Level.GO else 0.14))
            painter.setBrush(theme.colour("paste") if level is Level.GO else theme.level(level))
            for path in paths:
                painter.drawPath(path)
        painter.resetTransform()
        for worst in worst_parts(self.bench.openings, self.foil)[:1]:
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
        return [
            Key("Space", "panel printed", lambda _: self._printed()),
            Key(
                "W",
                "wiped off",
                lambda _: self.acknowledge() or self.desk.ask("What was wrong with the print?", self._wiped),
            ),
            Key("H", "foil", lambda _: self.desk.ask("Foil thickness in mm", self._foil_chosen, f"{self.foil:g}")),
            Key("A", "paste", lambda _: self._next_paste()),
            Key("Tab", "next panel", lambda _: self.next_panel()),
        ]

    def _printed(self) -> None:
        if self.acknowledge():
            return
        serial = self.bench.board.serial
        if self.desk.do(
            PrintPanel(self.bench.board.panel, self.foil, self.bench.paste),
            f"Panel {self.bench.board.panel} is printed.",
        ):
            self.go_on(serial)

    def _wiped(self, reason: str) -> None:
        panel = self.bench.board.panel
        self.desk.do(WipePrint(panel, reason), f"Print of panel {panel} wiped off. Print it again.")

    def _foil_chosen(self, text: str) -> None:
        try:
            foil = float(text.replace(",", ".").removesuffix("mm"))
        except ValueError:
            self.desk.say(f"“{text}” is no thickness: type mm, such as 0.12.")
            return
        self.desk.do(ChooseFoil(foil), f"Foil {show_length(foil, Units.inch)}.")

    def _next_paste(self) -> None:
        names = list(PASTES)
        chosen = names[(names.index(self.bench.paste) + 1) % len(names)]
        self.desk.do(ChoosePaste(chosen), f"{chosen.capitalize()} paste, {PASTES[chosen].alloy}.")

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        bench = self.bench
        per_board = paste_mass_mg(bench.openings, self.foil, PASTES[bench.paste])
        return "Paste", [
            ("per board", f"{per_board:.0f} mg"),
            ("per panel", f"{per_board * bench.panel.count / 1000:.2f} g"),
            ("alloy", PASTES[bench.paste].alloy),
            ("foil", show_length(self.foil, Units.inch)),
            ("prints, wiped off", f"{len(bench.state.prints)}, {len(bench.state.wiped)}"),
        ]
