"""The panel as it will lie on the bench: cells, rails, cuts; typed, found in the layers, bad cells crossed out."""

from __future__ import annotations

from msgspec.structs import asdict
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from fusilex.bench.stations.ready.files import ApplyFix
from fusilex.bench.stations.ready.panel import DefinePanel, MarkBadCell
from fusilex.bench.stations.ready.panel_text import panel as read_panel
from fusilex.core.checks.fixes import Fix
from fusilex.core.quantities import MM, write, write_size
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.tabbed import View
from fusilex.ui.theme import theme
from fusilex.ui.widgets.board_strip import BoardStrip
from fusilex.ui.widgets.glyphs import plain_text
from fusilex.ui.widgets.keys import Key


class PanelView(View):
    name = "Panel"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        canvas = self.add_canvas()
        canvas.whole_panel = True
        canvas.overlays = [self._cuts, self._names]
        self.column.addWidget(canvas, 1)
        self.column.addWidget(BoardStrip(desk, lambda: "Ready"))
        canvas.fit()

    def refresh(self) -> None:
        assert self.canvas
        panel = self.batch.panel
        boards, panels = len(self.bench.state.boards), len(self.bench.state.panels)
        size = f"{panel.columns} × {panel.rows}, {write_size(panel.width, panel.height, 4)}"
        self.canvas.caption = f"{size}    {boards} boards in {panels} panel{'' if panels == 1 else 's'}"
        self.canvas.footer = "These layers repeat: they are panelised already" if self.batch.derived.repeat else ""
        self.canvas.update()

    def _cuts(self, painter: QPainter, canvas: BoardCanvas) -> None:
        panel = self.batch.panel
        painter.setPen(QPen(theme.colour("lit"), 1.5, Qt.PenStyle.DashLine))
        for a, b in panel.scores:
            painter.drawLine(canvas.to_px(*a), canvas.to_px(*b))
        painter.setPen(QPen(theme.colour("lit"), 4))
        for x, y, width in panel.tabs:
            painter.drawLine(canvas.to_px(x, y - width / 2), canvas.to_px(x, y + width / 2))
        if found := self.batch.derived.repeat:
            painter.setPen(QPen(theme.colour("lit"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for cell in found.cells:
                x0, y0, x1, y1 = found.box(cell)
                painter.drawRect(QRectF(canvas.to_px(x0, y0), canvas.to_px(x1, y1)).normalized())

    def _names(self, painter: QPainter, canvas: BoardCanvas) -> None:
        """Serial of each cell of the panel in hand; crossed out where it carries no board or a bad one."""
        panel, state = self.batch.panel, self.bench.state
        here = {b.cell: b for b in state.panel_boards(self.bench.board.panel)}
        for cell in range(panel.count):
            x0, y0, x1, y1 = panel.box(cell)
            box = QRectF(canvas.to_px(x0, y0), canvas.to_px(x1, y1)).normalized()
            board = here.get(cell)
            if board is None or board.scrapped:
                painter.setPen(QPen(theme.colour("stop"), 3))
                painter.drawLine(box.topLeft(), box.bottomRight())
                painter.drawLine(box.topRight(), box.bottomLeft())
            words = (
                "skipped"
                if cell in panel.skipped
                else "empty"
                if board is None
                else f"{board.serial} bad"
                if board.scrapped
                else board.serial
            )
            plate = QRectF(box.center() - QPointF(52, 13), box.center() + QPointF(52, 13))
            lit = board is not None and board.serial == self.bench.view.board
            painter.setPen(QPen(theme.colour("ink" if lit else "hair"), 2 if lit else 1))
            painter.setBrush(theme.colour("brass_fill" if lit else "card"))
            painter.drawRoundedRect(plate, 5, 5)
            plain_text(
                painter,
                plate.adjusted(0, 4, 0, 0),
                words,
                "small",
                "now_ground" if lit else "ink",
                True,
                Qt.AlignmentFlag.AlignHCenter,
            )

    def keys(self) -> list[Key]:
        keys = [Key("P", "describe the panel", lambda _: self._describe())]
        if self.batch.derived.repeat:
            keys.append(Key("U", "take one cell as the board", lambda _: self._one_cell()))
        return [*keys, Key("X", "this cell is bad", lambda _: self._bad())]

    def _describe(self) -> None:
        panel = self.batch.panel
        gap_x, gap_y = panel.pitch_x - panel.board_w, panel.pitch_y - panel.board_h
        given = f"{panel.columns} x {panel.rows} gap {gap_x:g} {gap_y:g} rail {panel.first_x:g} {panel.first_y:g}"
        if panel.skipped:
            given += " skip " + " ".join(str(n + 1) for n in panel.skipped)
        if panel.turns:
            given += " turn " + " ".join(map(str, panel.turns))
        self.desk.ask("Panel (gap or pitch, rail, skip, turn, x, y, tabs)", self._described, given)

    def _described(self, text: str) -> None:
        x0, y0, x1, y1 = self.bench.design.outline.bounds
        panel = self.desk.read(lambda: read_panel(text, x1 - x0, y1 - y0))
        if panel is None:
            return
        self.desk.do(DefinePanel(panel), f"{panel.columns} × {panel.rows}, {write_size(panel.width, panel.height, 4)}.")

    def _one_cell(self) -> None:
        found = self.batch.derived.repeat
        if found is not None:
            words = f"one cell of {found.columns} × {found.rows}"
            self.desk.do(ApplyFix(Fix("one-cell", "", {"panel": asdict(found)}, words)), f"The board is {words}.")

    def _bad(self) -> None:
        serial = self.bench.board.serial
        self.desk.do(MarkBadCell(serial), f"{serial} is crossed out; nothing is placed there.")

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        panel = self.batch.panel
        return "Panel", [
            (
                "pitch",
                write_size(panel.pitch_x, panel.pitch_y, 4) if not (panel.column_x or panel.row_y) else "uneven",
            ),
            ("rails", f"{write(panel.first_x, MM, 4)} and {write(panel.first_y, MM, 4)}"),
            ("fiducials", str(len(panel.fiducials))),
            ("cuts, tabs", f"{len(panel.scores)}, {len(panel.tabs)}"),
            ("skipped cells", str(len(panel.skipped))),
        ]
