"""What the views of Print that show a board have in common: the board with its apertures over a chart."""

from __future__ import annotations

from typing import Generic, TypeVar

from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QWidget

from fusilex.core.printing.apertures import Apertures
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.stations.print.art import ApertureArt
from fusilex.ui.tabbed import View

Chart = TypeVar("Chart", bound=QWidget)


class BoardView(View, Generic[Chart]):
    """A canvas, painted over by `paint_over`, with a chart beneath."""

    def __init__(self, desk: Desk, chart: Chart) -> None:
        super().__init__(desk)
        self.board = self.add_canvas()
        self.board.layers = ("copper", "exposed")
        self.board.overlays = [self.paint_over]
        self.chart = chart
        self.column.addWidget(self.board, 3)
        self.column.addWidget(chart, 2)
        self.art = ApertureArt()

    @property
    def apertures(self) -> Apertures:
        """Those of the side printed at the step in view."""
        return self.batch.derived.apertures(self.batch.step.side)

    def paint_over(self, painter: QPainter, canvas: BoardCanvas) -> None:
        """What lies over the board."""
