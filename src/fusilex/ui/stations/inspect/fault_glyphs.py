"""Faults as glyphs on the board: the key of each word in a red square, of one board or of all over one another."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from fusilex.bench.boards import Fault
from fusilex.core.inspection.faults import FAULT_WORDS
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.theme import theme
from fusilex.ui.widgets.glyphs import plain_text

HALF, STEP = 11.0, 22.0


def draw_counts(painter: QPainter, canvas: BoardCanvas, faults: Iterable[Fault]) -> None:
    """One glyph a part on the side in view, with how many of its faults there are over all boards."""
    counts = Counter((fault.ref, fault.word) for fault in faults)
    for (ref, word), many in counts.items():
        part = canvas.design.part_by_ref.get(ref) if canvas.design else None
        if part is None or part.side != canvas.side:
            continue
        text = f"{_key(word)} × {many}" if many > 1 else _key(word)
        wide = theme.base * (1.6 + 0.62 * len(text))
        at = canvas.to_px(part.x, part.y)
        box = QRectF(at.x() - wide / 2, at.y() - HALF, wide, 2 * HALF)
        _glyph(painter, box, text)


def _key(word: str) -> str:
    return FAULT_WORDS[word].key.upper() if word in FAULT_WORDS else "?"


def _glyph(painter: QPainter, box: QRectF, text: str) -> None:
    painter.setPen(QPen(theme.colour("card"), 2))
    painter.setBrush(theme.colour("stop"))
    painter.drawRoundedRect(box, 4, 4)
    plain_text(painter, box.adjusted(0, 2, 0, 0), text, "body", "card", True, Qt.AlignmentFlag.AlignHCenter)


def draw_faults(painter: QPainter, canvas: BoardCanvas, faults: Iterable[Fault]) -> int:
    """Glyphs beside the parts, or the joints, on the side in view; how many were drawn."""
    stacked: dict[str, int] = {}
    for fault in faults:
        part = canvas.design.part_by_ref.get(fault.ref) if canvas.design else None
        if part is None or part.side != canvas.side:
            continue
        n = stacked[fault.ref] = stacked.get(fault.ref, 0) + 1
        pad = next((p for p in part.pads if p.pin == fault.pin), None)
        x, y = (pad.polygon.centroid.x, pad.polygon.centroid.y) if pad else (part.x, part.y)
        at = canvas.to_px(x, y) + QPointF(6 + STEP * (n - 1), -16)
        _glyph(painter, QRectF(at.x() - HALF, at.y() - HALF, 2 * HALF, 2 * HALF), _key(fault.word))
    return sum(stacked.values())
