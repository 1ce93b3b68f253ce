"""Labels of boards on the shop's stock, at their true size: serial, design, date, a QR code of the serial."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QMarginsF, QRectF, QSizeF, Qt
from PyQt6.QtGui import QFont, QPageLayout, QPageSize, QPainter

from fusilex.bench.batch import Batch
from fusilex.bench.history.beads import CODE
from fusilex.bench.report.papers import local_time
from fusilex.bench.workshop.labels_and_prices import LabelStock
from fusilex.core.shown import shown
from fusilex.ui.widgets.paper import painted_pdf

DPI = 600


def code_of(batch: Batch, serial: str) -> str:
    """What the QR code of a board's label says."""
    return f"{CODE}{serial} {batch.name}"[:120]


def labels_pdf(batch: Batch, serials: Sequence[str], stock: LabelStock) -> bytes:
    """A label a board, page by page. Raises OSError when they cannot be painted."""
    with painted_pdf(f"Labels of {batch.name}", DPI) as (writer, painter, out):
        page = QPageSize(QSizeF(stock.page_w_mm, stock.page_h_mm), QPageSize.Unit.Millimeter)
        writer.setPageLayout(QPageLayout(page, QPageLayout.Orientation.Portrait, QMarginsF(0, 0, 0, 0)))
        many = stock.across * stock.down
        for n, serial in enumerate(serials):
            if n and n % many == 0:
                writer.newPage()
            column, row = n % stock.across, n // stock.across % stock.down
            x, y = stock.left_mm + column * stock.pitch_x_mm, stock.top_mm + row * stock.pitch_y_mm
            painter.save()
            painter.scale(DPI / 25.4, DPI / 25.4)
            draw_label(painter, QRectF(x, y, stock.width_mm, stock.height_mm), batch, serial)
            painter.restore()
    return bytes(out.data())


def draw_label(painter: QPainter, box: QRectF, batch: Batch, serial: str) -> None:
    """One label, lengths in mm: the code at the left, as large as the label lets it, words beside it."""
    import segno  # only where labels are made

    matrix = [list(row) for row in segno.make(code_of(batch, serial), error="m", micro=False).matrix]
    margin = 1.2
    side = min(box.height() - 2 * margin, box.width() * 0.45)
    step = side / len(matrix)
    left, top = box.left() + margin, box.center().y() - side / 2
    for j, row in enumerate(matrix):
        for i, dark in enumerate(row):
            if dark:
                place = QRectF(left + i * step, top + j * step, step * 1.02, step * 1.02)
                painter.fillRect(place, Qt.GlobalColor.black)
    x = left + side + margin
    room = box.right() - x - margin
    board = batch.state.boards[serial]
    design = str(batch.state.opened["design"])
    day = local_time(board.released_at)[:10] if board.released_at else local_time(str(batch.state.opened["at"]))[:10]
    lines = ((serial, 0.34, True), (design, 0.22, False), (day, 0.2, False))
    y = box.top() + box.height() * 0.1
    for text, share, bold in lines:
        high = box.height() * share
        _text(painter, QRectF(x, y, room, high), text, bold)
        y += high * 1.05


def _text(painter: QPainter, box: QRectF, text: str, bold: bool) -> None:
    """Text as high as its box, or as wide as it lets it, in a page measured in mm."""
    font = QFont("B612")
    font.setPixelSize(100)
    font.setBold(bold)
    painter.save()
    painter.setFont(font)
    painter.setPen(Qt.GlobalColor.black)
    text = shown(text)
    wide = max(1, painter.fontMetrics().horizontalAdvance(text))
    scale = min(box.height() / 130, box.width() / wide)
    painter.translate(box.topLeft())
    painter.scale(scale, scale)
    flags = int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
    painter.drawText(QRectF(0, 0, box.width() / scale + 2, box.height() / scale), flags, text)
    painter.restore()
