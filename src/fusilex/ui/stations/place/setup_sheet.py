"""The set-up sheet: the machine's edge drawn with its slots, and what goes into each, to hang beside the machine."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFont, QPainter, QPen

from fusilex.core.machine.model import Machine
from fusilex.core.machine.tapes import pockets_lost, tape_of
from fusilex.core.programme.job import Job
from fusilex.core.programme.make import Piece
from fusilex.core.programme.plan import Plan
from fusilex.core.quantities import MM, write
from fusilex.core.shown import shown
from fusilex.ui.widgets.paper import painted_pdf

DPI, PAGE_MM, MARGIN_MM, BED_MM, ROW_MM = 300, (210.0, 297.0), 14.0, 105.0, 6.2
THREAD_MM = 60.0
COLUMNS = (
    (0.0, "slot"),
    (14.0, "line"),
    (98.0, "tape"),
    (116.0, "pitch"),
    (132.0, "a panel"),
    (150.0, "loses"),
    (166.0, "turn"),
)


def setup_pdf(job: Job, plan: Plan, pieces: list[Piece], title: str) -> bytes:
    """The sheet as PDF. Raises OSError when it cannot be painted."""
    with painted_pdf(title, DPI) as (writer, painter, out):
        painter.scale(DPI / 25.4, DPI / 25.4)
        _text(painter, MARGIN_MM, 10, title, 14, True)
        _bed(painter, job.machine, {int(s): job.names[k] for k, s in enumerate(plan.slot)})
        y = 24 + BED_MM
        _heads(painter, y)
        body = {p.line: p for p in pieces}
        for k, s in sorted(enumerate(plan.slot.tolist()), key=lambda item: item[1]):
            y += ROW_MM
            if y > PAGE_MM[1] - MARGIN_MM:
                writer.newPage()
                y = MARGIN_MM + ROW_MM
                _heads(painter, MARGIN_MM)
            _row(painter, y, job, k, s, body[job.names[k]])
    return bytes(out.data())


def _heads(painter: QPainter, y: float) -> None:
    for x, words in COLUMNS:
        _text(painter, MARGIN_MM + x, y, words, 8, True)


def _row(painter: QPainter, y: float, job: Job, line: int, slot: int, piece: Piece) -> None:
    tape = tape_of(piece.package)
    stands, count = job.machine.slots[slot], str(int(job.count[line]))
    turn = f"{tape.turn:g}°" + ("" if tape.sure else f" ({tape.quadrant}) ?")
    sizes = (
        write(tape.width, MM, 4),
        write(tape.pitch, MM, 4),
        count,
        f"{pockets_lost(tape.pitch, THREAD_MM)}",
    )
    if stands.pockets > 1:
        sizes = (stands.kind, f"{stands.in_row} × {stands.rows}", count, "–")
    cells = (stands.name, job.names[line], *sizes, turn)
    for (x, _), words in zip(COLUMNS, cells, strict=True):
        _text(painter, MARGIN_MM + x, y, words[:52], 9, x == 0)
    painter.setPen(QPen(Qt.GlobalColor.lightGray, 0.1))
    painter.drawLine(QPointF(MARGIN_MM, y + 4.6), QPointF(PAGE_MM[0] - MARGIN_MM, y + 4.6))


def _bed(painter: QPainter, machine: Machine, lines: dict[int, str]) -> None:
    """The bed as the person stands before it."""
    wide = PAGE_MM[0] - 2 * MARGIN_MM
    scale = min(wide / machine.width, BED_MM / machine.depth)
    left, bottom = MARGIN_MM, 20 + machine.depth * scale
    painter.setPen(QPen(Qt.GlobalColor.black, 0.4))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(QRectF(left, bottom - machine.depth * scale, machine.width * scale, machine.depth * scale))
    _text(painter, left + machine.board[0] * scale + 3, bottom - machine.board[1] * scale - 5, "panel", 7, False)
    painter.drawRect(QRectF(left + machine.board[0] * scale, bottom - machine.board[1] * scale - 6, 1.2, 6))
    painter.drawRect(QRectF(left + machine.board[0] * scale, bottom - machine.board[1] * scale - 1.2, 6, 1.2))
    for k, slot in enumerate(machine.slots):
        at = QPointF(left + slot.x * scale, bottom - slot.y * scale)
        painter.setPen(QPen(Qt.GlobalColor.black, 0.5 if k in lines else 0.15))
        painter.drawEllipse(at, 2.4, 2.4)
        _text(painter, at.x() - 2.4, at.y() + (2.8 if k % 2 else -6.2), slot.name, 6, k in lines)


def _text(painter: QPainter, x: float, y: float, words: str, points: float, bold: bool) -> None:
    """Words at a place in mm."""
    painter.save()
    painter.translate(x, y)
    painter.scale(25.4 / DPI, 25.4 / DPI)
    font = QFont("B612", 1)
    font.setPixelSize(round(points / 72 * DPI))
    font.setBold(bold)
    painter.setFont(font)
    painter.setPen(Qt.GlobalColor.black)
    flags = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextDontClip
    painter.drawText(QRectF(0, 0, 10, 10), int(flags), shown(words))
    painter.restore()
