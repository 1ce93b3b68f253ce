"""Points taught on the machine, with their residuals and the transform fitted to them."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter

from fusilex.bench.stations.place.commands import ChooseReferences
from fusilex.bench.stations.place.events import PER_BOARD, PER_PANEL
from fusilex.bench.stations.place.references import LEAST_POINTS, cell_in_hand, fit, per_board, taught
from fusilex.core.quantities import write_length, write_point
from fusilex.ui.desk import Desk
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import key_cap, plain_text


class PointList(Card):
    """Points taught on the panel with their residuals, and the transform."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setAccessibleName("Taught points")

    def draw(self, painter: QPainter) -> None:
        batch, panel = self.desk.batch, self.desk.bench.board.panel
        cell = cell_in_hand(batch)
        names, _, measured = taught(batch, panel, cell)
        transform = fit(batch, panel, cell)
        where = f"Taught on panel {panel}" + ("" if cell is None else f", cell {cell + 1}")
        y, width = 14.0, self.width() - 28.0
        plain_text(painter, QRectF(14, y, width, 24), where, "lead", "ink", True)
        y += theme.base * 3
        if not names:
            plain_text(
                painter,
                QRectF(14, y, width, 200),
                "Jog to a fiducial or the centre of a part, read x and y off the machine, and teach it. Three far apart"
                " at least; a fourth finds a wrong one.",
                "body",
                "soft",
            )
            key_cap(painter, 14, self.height() - 24, "T")
            return
        plain_text(
            painter, QRectF(14, y, width * 0.74, 20), "x, y", "small", "soft", False, Qt.AlignmentFlag.AlignRight
        )
        plain_text(painter, QRectF(14, y, width, 20), "off", "small", "soft", False, Qt.AlignmentFlag.AlignRight)
        y += theme.base * 1.9
        for i, name in enumerate(names):
            plain_text(painter, QRectF(14, y, width, 22), name, "body", "ink", True)
            plain_text(
                painter,
                QRectF(14, y + 1, width * 0.74, 22),
                write_point(measured[i][0], measured[i][1], 2, "  "),
                "small",
                "soft",
                False,
                Qt.AlignmentFlag.AlignRight,
            )
            off = write_length(transform.residual_mm[i], 3) if transform is not None else "–"
            plain_text(painter, QRectF(14, y, width, 22), off, "body", "ink", False, Qt.AlignmentFlag.AlignRight)
            y += theme.base * 2.2
        y += 10
        if transform is None:
            plain_text(
                painter,
                QRectF(14, y, width, 60),
                f"{LEAST_POINTS - len(names)} more to fit shift and turn.",
                "body",
                "soft",
            )
            return
        for what, value in (
            ("shift", write_point(transform.dx, transform.dy, 3, "  ")),
            ("turn", f"{transform.rotation_deg:.3f}°"),
            ("scale", f"{transform.scale:.5f}"),
            ("RMS", write_length(transform.rms_mm, 3)),
        ):
            plain_text(painter, QRectF(14, y, width, 22), what, "body", "soft")
            plain_text(painter, QRectF(14, y, width, 22), value, "body", "ink", False, Qt.AlignmentFlag.AlignRight)
            y += theme.base * 2.2


def teach_other(desk: Desk) -> tuple[str, Callable[[str], object]]:
    """What a key says and does that goes from points of the panel to points of each board, or back."""
    other = PER_PANEL if per_board(desk.batch) else PER_BOARD
    said = f"Points are taught for each {other}."
    return f"points for each {other}", lambda _: desk.do(ChooseReferences(other), said)
