"""Labels for the bins as PDF: number, value, package, part number, a QR code; three across on A4."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFont, QPainter

from fusilex.bench.batch import Batch
from fusilex.core.kit.quantities import PullLine
from fusilex.core.kit.trays import TrayPlan
from fusilex.core.shown import shown
from fusilex.ui.widgets.paper import painted_pdf

ACROSS, DOWN = 3, 8
LABEL_MM = (62.0, 33.0)
MARGIN_MM = (12.0, 16.0)
DPI = 600
MOST_CODED = 200
"""Letters of a QR code that a phone still reads at this size."""


def labels_pdf(batch: Batch, plan: TrayPlan) -> bytes:
    """One label a bin, as PDF. Raises OSError when they cannot be painted."""
    with painted_pdf(f"Bins of {batch.name}", DPI) as (writer, painter, out):
        for n, line in enumerate(batch.lines):
            if n and n % (ACROSS * DOWN) == 0:
                writer.newPage()
            column, row = n % ACROSS, n // ACROSS % DOWN
            x, y = MARGIN_MM[0] + column * LABEL_MM[0], MARGIN_MM[1] + row * LABEL_MM[1]
            number = batch.bin_number[line.key]
            _label(painter, QRectF(x, y, *LABEL_MM), batch, line, number, plan.label(number - 1))
    return bytes(out.data())


def bin_code(batch: Batch, line: PullLine, number: int) -> str:
    """What the QR code says: batch, bin, part number or value and package."""
    words = f"FUSILEX BIN {number} OF {batch.name}: {line.part_number or f'{line.name} {line.package.code}'}"
    return words[:MOST_CODED]


def _label(painter: QPainter, box: QRectF, batch: Batch, line: PullLine, number: int, place: str) -> None:
    mm = DPI / 25.4
    painter.save()
    painter.scale(mm, mm)
    painter.setPen(Qt.GlobalColor.black)
    import segno  # only where labels are made

    code = segno.make(bin_code(batch, line, number), error="m", micro=False)
    side = 20.0
    matrix = [list(row) for row in code.matrix]
    step = side / len(matrix)
    left, top = box.right() - side - 3, box.top() + 3
    for j, row in enumerate(matrix):
        for i, dark in enumerate(row):
            if dark:
                painter.fillRect(
                    QRectF(left + i * step, top + j * step, step * 1.02, step * 1.02), Qt.GlobalColor.black
                )
    room = left - box.left() - 5
    for text, y, points, bold in (
        (f"{number}   {place}", 2.0, 15, True),
        (line.name, 10.5, 12, True),
        (line.package.code, 17.0, 9, False),
        (line.part_number, 21.5, 9, False),
        (f"{line.pull} pieces", 26.0, 9, False),
    ):
        _text(painter, QRectF(box.left() + 3, box.top() + y, room, 7), text, points, bold)
    refs = ", ".join(line.refs[:9]) + (" …" if len(line.refs) > 9 else "")
    _text(painter, QRectF(box.left() + room / 2 + 8, box.top() + 26.0, box.width() - room / 2 - 10, 6), refs, 7, False)
    painter.restore()


def _text(painter: QPainter, box: QRectF, text: str, points: float, bold: bool) -> None:
    """Text in a page measured in mm."""
    font = QFont("B612")
    font.setPixelSize(100)
    font.setBold(bold)
    painter.save()
    painter.setFont(font)
    painter.setPen(Qt.GlobalColor.black)
    scale = points * 25.4 / 72 / 100
    painter.translate(box.topLeft())
    painter.scale(scale, scale)
    words = painter.fontMetrics().elidedText(shown(text), Qt.TextElideMode.ElideRight, round(box.width() / scale))
    painter.drawText(
        QRectF(0, 0, box.width() / scale, box.height() / scale),
        int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop),
        words,
    )
    painter.restore()
