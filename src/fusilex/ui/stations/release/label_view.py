"""The label at its true size, the sheet it comes on, parcels and the finished stock."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QHBoxLayout

from fusilex.bench.stations.release.commands import PackBoards
from fusilex.bench.stations.release.events import Leaving
from fusilex.bench.workshop.finished import Finished
from fusilex.bench.workshop.labels_and_prices import LabelStock
from fusilex.bench.workshop.records import Records
from fusilex.core.quantities import write_size
from fusilex.formats.written.words import csv_line
from fusilex.ui.desk import Desk
from fusilex.ui.stations.release.labels import draw_label, labels_pdf
from fusilex.ui.tabbed import View
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import plain_text
from fusilex.ui.widgets.keys import Key
from fusilex.ui.widgets.rows import Column, Rows


class LabelCard(Card):
    """A label as large as it will be, and its sheet small beside it."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setMinimumHeight(round(theme.base * 15))
        self.setAccessibleName("The board's label at its true size")

    @property
    def stock(self) -> LabelStock:
        return self.desk.batch.workshop[Records].first(LabelStock)

    def draw(self, painter: QPainter) -> None:
        stock, batch = self.stock, self.desk.batch
        title = f"Label on {stock.id}, {write_size(stock.width_mm, stock.height_mm, 4)}, true size"
        plain_text(painter, QRectF(16, 10, self.width() - 32.0, theme.base * 2.4), title, "lead", "ink", True)
        per_mm = self.logicalDpiX() / 25.4
        painter.save()
        painter.translate(24, theme.base * 4.2)
        painter.scale(per_mm, per_mm)
        painter.setPen(QPen(theme.colour("hair"), 0.2))
        painter.setBrush(Qt.GlobalColor.white)
        box = QRectF(0, 0, stock.width_mm, stock.height_mm)
        painter.drawRect(box)
        draw_label(painter, box, batch, self.desk.bench.view.board)
        painter.restore()
        self._sheet(painter, stock, QRectF(24 + stock.width_mm * per_mm + 40, theme.base * 4.2, 0, 0))

    def _sheet(self, painter: QPainter, stock: LabelStock, at: QRectF) -> None:
        high = self.height() - at.y() - theme.base * 2
        scale = min(high / stock.page_h_mm, (self.width() - at.x() - 20) / stock.page_w_mm)
        if scale <= 0:
            return
        painter.save()
        painter.translate(at.x(), at.y())
        painter.scale(scale, scale)
        painter.setPen(QPen(theme.colour("hair"), 1 / scale))
        painter.setBrush(Qt.GlobalColor.white)
        painter.drawRect(QRectF(0, 0, stock.page_w_mm, stock.page_h_mm))
        for row in range(stock.down):
            for column in range(stock.across):
                x, y = stock.left_mm + column * stock.pitch_x_mm, stock.top_mm + row * stock.pitch_y_mm
                painter.drawRect(QRectF(x, y, stock.width_mm, stock.height_mm))
        painter.restore()


class LabelView(View):
    name = "Labels and parcels"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.card = LabelCard(desk)
        columns = (Column("parcel", 3), Column("boards", 1, True), Column("serials", 8))
        self.rows = Rows("Parcels", columns, "Nothing is packed yet: C packs what is released.")
        row = QHBoxLayout()
        row.addWidget(self.card, 1)
        self.column.addLayout(row, 3)
        self.column.addWidget(self.rows, 2)

    def refresh(self) -> None:
        parcels: dict[str, list[str]] = {}
        for serial, parcel in self.bench.state[Leaving].parcels.items():
            parcels.setdefault(parcel, []).append(serial)
        self.rows.show_rows([(name, str(len(own)), ", ".join(own)) for name, own in parcels.items()])
        self.card.update()

    def keys(self) -> list[Key]:
        return [
            Key("B", "labels as PDF", lambda _: self._labels()),
            Key("C", "pack what is released", lambda _: self._pack()),
            Key("L", "packing list", lambda _: self._list()),
        ]

    def _labels(self) -> None:
        panel = self.bench.board.panel
        self.desk.save_file("Write the panel's labels", f"labels-panel-{panel}.pdf", self.write)

    def write(self, name: str) -> None:
        """Labels of the boards of the panel in hand."""
        serials = [b.serial for b in self.bench.state.panel_boards(self.bench.board.panel) if not b.scrapped]
        self.desk.write(name, lambda: labels_pdf(self.batch, serials, self.card.stock), f"{len(serials)} labels.")

    @property
    def unpacked(self) -> tuple[str, ...]:
        """Released boards that are in no parcel."""
        packed = self.bench.state[Leaving].parcels
        boards = self.bench.state.boards.values()
        return tuple(b.serial for b in boards if b.released_at is not None and b.serial not in packed)

    def _pack(self) -> None:
        boards = self.unpacked
        if not boards:
            self.desk.say("No released board is left to pack.")
            return
        ask = f"{len(boards)} boards go into which parcel"
        self.desk.ask(ask, lambda name: self.desk.do(PackBoards(boards, name), f"{len(boards)} boards are packed."))

    def _list(self) -> None:
        self.desk.save_file("Write the packing list", "packing-list.csv", self.write_list)

    def write_list(self, name: str) -> None:
        """What is in each parcel, a row a board."""
        rows: list[tuple[str, ...]] = [("parcel", "serial", "design", "released_at", "programme")]
        for serial, parcel in self.bench.state[Leaving].parcels.items():
            board = self.bench.state.boards[serial]
            design = str(self.bench.state.opened["design"])
            told = [s.papers(self.batch.about(serial), board).get("programmed") for s in self.batch.stations.values()]
            last = next((rows[-1] for rows in told if rows), None)
            rows.append((parcel, serial, design, board.released_at or "", last["version"] if last else ""))
        self.desk.write(name, "".join(csv_line(row) for row in rows).encode(), f"{len(rows) - 1} boards are listed.")

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        design = str(self.bench.state.opened["design"])
        stock = self.bench.workshop[Finished].count(design)
        return "Finished stock", [
            (design, f"{stock} board{'' if stock == 1 else 's'}"),
            ("of this batch to pack", str(len(self.unpacked))),
        ]
