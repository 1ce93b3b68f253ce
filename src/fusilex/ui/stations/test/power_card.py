"""First power as a card: what to set, the clock in large, and what ends it at once."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter

from fusilex.bench.stations.test.power import draw_of, held, next_step, power_of, steps_of
from fusilex.core.evidence import Level
from fusilex.core.quantities import CELSIUS, write
from fusilex.core.units import clock
from fusilex.ui.desk import Desk
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import judgement_mark, plain_text, text_height

RIGHT = Qt.AlignmentFlag.AlignRight


class PowerCard(Card):
    """Set the seconds that the step in hand is held (None: it is not), whether it may start, and update."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.seconds: float | None = None
        self.ready = True
        self.setMinimumHeight(round(theme.base * 24))
        self.setAccessibleName("First power")

    def draw(self, painter: QPainter) -> None:
        batch, board, wide = self.desk.batch, self.desk.bench.board, self.width() - 32.0
        power = power_of(batch)
        title = f"First power on {power.rail}" if power else "First power"
        plain_text(painter, QRectF(16, 10, wide, theme.base * 2.4), title, "lead", "ink", True)
        if power is None:
            words = "Nothing says how this design gets its power: note it in the workshop (F4), First power."
            plain_text(painter, QRectF(16, theme.base * 3.6, wide, theme.base * 6), words, "body", "soft")
            return
        steps, step = steps_of(batch, board, power), next_step(batch, board)
        draw, y = draw_of(batch, board, power), theme.base * 3.6
        told = f"Set the limit to {steps[0].limit_ma:.0f} mA"
        plain_text(painter, QRectF(16, y, wide, theme.base * 2.2), told, "body", "ink", True)
        why = f"{power.margin:g} × the {draw.milliamps:g} mA that {len(draw.parts)} parts draw"
        high = text_height(why, wide, "small")
        plain_text(painter, QRectF(16, y + theme.base * 2.0, wide, high + 4), why, "small", "soft")
        y += theme.base * 2.4 + high
        done = {p.step: p for p in held(batch, board)}
        for one in steps:
            lit = step is not None and one.name == step.name
            past = done.get(one.name)
            high = theme.base * (5.4 if lit else 2.4)
            if lit:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(theme.colour("brass_fill", 90))
                painter.drawRoundedRect(QRectF(8, y - 4, self.width() - 16, high), 4, 4)
            words = f"{one.volts:g} V for {one.hold_s:g} s"
            plain_text(painter, QRectF(34, y, wide - 20, theme.base * 2.4), words, "lead", "ink", lit)
            if past:
                judgement_mark(painter, QRectF(16, y, 12, theme.base * 2.2).center(), 5, Level(past.level))
                told = f"{past.volts:g} V, {past.milliamps:g} mA"
                plain_text(painter, QRectF(16, y, wide, theme.base * 2.4), told, "body", "soft", False, RIGHT)
            if lit:
                left = "P starts" if self.ready else "after the readings"
                if self.seconds is not None:
                    left = clock(max(0.0, one.hold_s - self.seconds))
                box = QRectF(34, y + theme.base * 2.0, wide - 20, theme.base * 3)
                plain_text(painter, box, left, "head", "ink", True)
            y += high + 2
        self._ends(painter, y + theme.base * 0.5, steps[-1].least_v, steps[-1].most_v, steps[-1].most_ma, power.warm_c)

    def _ends(self, painter: QPainter, y: float, least_v: float, most_v: float, most_ma: float, warm_c: float) -> None:
        """What ends it: current, voltage, time, a warm part."""
        wide = self.width() - 32.0
        plain_text(painter, QRectF(16, y, wide, theme.base * 2.2), "Supply off at once", "body", "stop", True)
        y += theme.base * 2.1
        rows = (
            f"{most_ma:.0f} mA or more, or its lamp",
            f"outside {least_v:.2f} to {most_v:.2f} V at full",
            "current still rising at the end",
            f"a part above {write(warm_c, CELSIUS, 4)}, smell, smoke",
        )
        room = self.height() - y - 4
        size = "body" if sum(text_height(told, wide, "body") + 4 for told in rows) <= room else "tiny"
        for told in rows:  # all of them, however small the card
            high = text_height(told, wide, size)
            plain_text(painter, QRectF(16, y, wide, high + 4), told, size, "ink")
            y += high + (4 if size == "body" else 1)
