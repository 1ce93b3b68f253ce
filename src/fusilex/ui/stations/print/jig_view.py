"""The jig: boards laid around the panel so that foil and blade rest on one plane, the blade, the bead."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from fusilex.bench.common.records import SetRecord
from fusilex.bench.now import Now
from fusilex.bench.stations.print.foil import MeasureJig
from fusilex.bench.stations.print.foil_events import Foil
from fusilex.bench.stations.print.typed_input import height, sizes
from fusilex.bench.workshop.record_kinds import Blade, Limits, Scrap
from fusilex.bench.workshop.records import Records
from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement, worst_first
from fusilex.core.printing.jig import (
    BEAD_MM,
    RUN_MM,
    Surround,
    blade_mm,
    judge_blade,
    judge_step,
    judge_surround,
    surround,
)
from fusilex.core.quantities import MM, write, write_range, write_signed, write_size
from fusilex.ui.desk import Desk
from fusilex.ui.tabbed import View
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import judgement_mark, plain_text
from fusilex.ui.widgets.keys import Key

CENTRE = Qt.AlignmentFlag.AlignHCenter


class JigPicture(Card):
    """The panel from above with its supports, the bead and the way of the blade."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.laid = Surround((), 0.0)
        self.judged: list[Judgement] = []
        self.setAccessibleName("The jig from above")

    def draw(self, painter: QPainter) -> None:
        panel = self.desk.batch.panel
        boxes = [s.box for s in self.laid.supports] + [(0.0, -RUN_MM, panel.width, panel.height + RUN_MM)]
        x0, y0 = min(b[0] for b in boxes), min(b[1] for b in boxes)
        x1, y1 = max(b[2] for b in boxes), max(b[3] for b in boxes)
        foot = theme.base * 2.6 * max(1, len(self.judged)) + 10
        room = QRectF(24, 20, self.width() - 48, self.height() - foot - 30)
        scale = min(room.width() / (x1 - x0), room.height() / (y1 - y0))
        left = room.center().x() - scale * (x0 + x1) / 2
        top = room.center().y() + scale * (y0 + y1) / 2

        def laid(box: tuple[float, float, float, float]) -> QRectF:
            return QRectF(
                left + box[0] * scale, top - box[3] * scale, (box[2] - box[0]) * scale, (box[3] - box[1]) * scale
            )

        painter.setPen(QPen(theme.colour("ink"), 1.2))
        for n, support in enumerate(self.laid.supports, 1):
            painter.setBrush(theme.colour("track"))
            painter.drawRect(laid(support.box))
            box = laid(support.box)
            turned = ", turned" if support.turned else ""
            words = QRectF(box.left(), box.center().y() - theme.base, box.width(), theme.base * 2)
            plain_text(painter, words, f"scrap {n}{turned}", "small", "lit", False, CENTRE)
        painter.setBrush(theme.colour("board"))
        painter.drawRect(laid((0, 0, panel.width, panel.height)))
        painter.setBrush(theme.colour("track"))
        for cell in panel.cells:
            painter.drawRect(laid(panel.box(cell)))
        bead = laid((0, panel.height + 4, panel.width, panel.height + 4 + sum(BEAD_MM) / 2))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("paste"))
        painter.drawRoundedRect(bead, bead.height() / 2, bead.height() / 2)
        plain_text(
            painter,
            bead.adjusted(0, 2, 0, 0),
            f"bead {write_range(*BEAD_MM, MM)} across",
            "small",
            "ink",
            False,
            CENTRE,
        )
        start, end = (
            QPointF(bead.center().x(), bead.bottom() + 4),
            QPointF(bead.center().x(), top + RUN_MM * scale * 0.7),
        )
        painter.setPen(QPen(theme.colour("brass"), 3))
        painter.drawLine(start, end)
        for dx in (-8, 8):
            painter.drawLine(end, end + QPointF(dx, -10))
        for n, judged in enumerate(self.judged):
            y = self.height() - foot + n * theme.base * 2.6
            judgement_mark(painter, QPointF(34, y + theme.base), 6, judged.level)
            numbers = ", ".join(b.text() for b in judged.quantities)
            box = QRectF(50, y, self.width() - 70, theme.base * 2.2)
            plain_text(painter, box, f"{judged.headline}: {numbers}", "body", "ink")


class JigView(View):
    name = "Jig"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.picture = JigPicture(desk)
        self.column.addWidget(self.picture, 1)

    def scraps(self) -> list[Scrap]:
        """Scraps of the board's thickness, those on record."""
        records = self.batch.workshop[Records]
        thick = records.first(Limits).board_mm
        return [s for s in records.all(Scrap).values() if abs(s.thick_mm - thick) < 0.05]

    def judged(self) -> list[Judgement]:
        panel, records = self.batch.panel, self.batch.workshop[Records]
        found = [judge_surround(self.picture.laid)]
        if (step := self.batch.state[Foil].step_mm) is not None:
            found.append(judge_step(step, self.batch.state.foil_mm))
        if blades := records.all(Blade):
            found.append(judge_blade(max(b.width_mm for b in blades.values()), panel.width))
        return worst_first(found)

    def refresh(self) -> None:
        panel = self.batch.panel
        scraps = [(s.width_mm, s.height_mm) for s in self.scraps()]
        self.picture.laid = surround((0.0, 0.0, panel.width, panel.height), scraps)
        self.picture.judged = self.judged()
        self.picture.update()

    def now(self) -> Now | None:
        if not self.scraps():
            return Now(
                "Lay boards around it", "S notes scraps of the same thickness, such as 150x25 150x25 60x25 60x25."
            )
        worst = self.judged()[0]
        if worst.level is Level.GO and self.batch.state[Foil].step_mm is None:
            return Now(
                "Measure the step", "J: how much higher the frame is than the board, by a feeler or a straight edge."
            )
        return Now(worst.headline, worst.do or "Foil and blade rest on one plane.")

    def keys(self) -> list[Key]:
        ask = self.desk.ask
        return [
            Key(
                "S",
                "scraps",
                lambda _: ask("Sides of the scraps in mm, such as 150x25 150x25 60x25 60x25", self._scraps),
            ),
            Key("J", "frame's height", lambda _: ask("Frame higher (+) or lower (-) than the board, in mm", self._jig)),
        ]

    def _scraps(self, text: str) -> None:
        if not (found := self.desk.read(lambda: sizes(text))):
            return
        thick = self.batch.workshop[Records].first(Limits).board_mm
        there = self.batch.workshop[Records].all(Scrap)
        for n, (wide, high) in enumerate(found, len(there) + 1):
            body = {"id": f"scrap {n}", "width_mm": wide, "height_mm": high, "thick_mm": thick}
            if self.desk.do(SetRecord("scrap", body)) is None:
                return
        self.desk.say(f"{len(found)} scraps are on record.")

    def _jig(self, text: str) -> None:
        if (found := self.desk.read(lambda: height(text))) is not None:
            self.desk.do(MeasureJig(found), f"The frame stands {write_signed(found)} against the board.")

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        panel = self.batch.panel
        return "Jig", [
            ("panel", write_size(panel.width, panel.height, 4)),
            ("blade from", write(blade_mm(panel.width), MM, 4)),
            ("stroke", write(panel.height + 2 * RUN_MM, MM, 4)),
            ("scraps", str(len(self.scraps()))),
        ]
