"""Every aperture as a dot on the scale of area ratio, with the limits; the worst parts named."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPixmap

from fusilex.core.evidence import Level
from fusilex.core.printing.apertures import AREA_GO, AREA_STOP, Apertures
from fusilex.core.printing.release import COATED_STOP, release_levels, worst_parts
from fusilex.core.quantities import chosen, write_fixed
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.chart import Axis, Chart
from fusilex.ui.widgets.glyphs import plain_text

LEVELS = (Level.GO, Level.CARE, Level.STOP)


class RatioChart(Card):
    """Shows apertures in a foil."""

    def __init__(self) -> None:
        super().__init__()
        self.apertures: Apertures | None = None
        self.foil, self.coated = 0.0, False
        self.setMinimumHeight(round(theme.base * 11))
        self.setMaximumHeight(round(theme.base * 14.5))
        self.setAccessibleName("Area ratio of every opening")
        self._made: tuple[Apertures | None, object, QPixmap] | None = None

    def show_apertures(self, apertures: Apertures, foil: float, coated: bool = False) -> None:
        self.apertures, self.foil, self.coated = apertures, foil, coated
        self.update()

    def draw(self, painter: QPainter) -> None:
        """The picture as it was made last, while nothing in it changes: there may be thousands of dots."""
        ratio = self.devicePixelRatioF()
        looks = (self.size(), ratio, theme.colour("ink").name(), theme.base, chosen())
        if (
            self._made is None
            or self._made[0] is not self.apertures
            or self._made[1] != (self.foil, self.coated, looks)
        ):
            picture = QPixmap(round(self.width() * ratio), round(self.height() * ratio))
            picture.setDevicePixelRatio(ratio)
            picture.fill(Qt.GlobalColor.transparent)
            inner = QPainter(picture)
            inner.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._draw(inner)
            inner.end()
            self._made = self.apertures, (self.foil, self.coated, looks), picture
        painter.drawPixmap(0, 0, self._made[2])

    def _draw(self, painter: QPainter) -> None:
        apertures, width = self.apertures, self.width() - 36
        if apertures is None or not len(apertures):
            plain_text(painter, QRectF(18, 16, width, 40), "This side has no paste openings.", "body", "soft")
            return
        ratios = apertures.area_ratio(self.foil)
        low, high = 0.3, max(1.2, float(ratios.max()) * 1.03)
        area = QRectF(24, theme.base * 3.2, self.width() - 48, self.height() - theme.base * 7.9)
        chart = Chart(area, Axis(low, high, log=True))
        least = COATED_STOP if self.coated else AREA_STOP
        for a, b, token in ((low, least, "stop"), (least, AREA_GO, "care"), (AREA_GO, high, "go")):
            chart.band(painter, a, b, token)
        title = f"Area ratio of {len(apertures)} openings in a {write_fixed(self.foil, 'mm', 2)} foil"
        plain_text(painter, QRectF(18, 8, width, theme.base * 2.2), title, "body", "ink", True)
        levels = release_levels(apertures, self.foil, self.coated)
        order = np.argsort(ratios)
        chart.dots(painter, ((float(ratios[i]), LEVELS[levels[i]].value, 3.2, False) for i in order))
        chart.limit(painter, least, f"stop below {least:.2f}", before=True)
        chart.limit(painter, AREA_GO, f"go from {AREA_GO:.2f}")
        worst = worst_parts(apertures, self.foil, self.coated)[:5]
        named = "tightest: " + ", ".join(f"{w.ref or 'no part'} {w.area_ratio:.2f}" for w in worst)
        below = QRectF(18, area.bottom() + theme.base * 2.4, width, theme.base * 2)
        plain_text(painter, below, named, "small", "ink", False, Qt.AlignmentFlag.AlignRight)
