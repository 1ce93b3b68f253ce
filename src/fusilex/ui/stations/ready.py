"""Ready: the board large, findings pinned on it; a wall of small tiles, one per file."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from fusilex.bench.commands import AcceptFiles
from fusilex.bench.judge_ready import ready_findings
from fusilex.core.board.model import FileNote
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.glyphs import judgement_mark, plain_text
from fusilex.ui.keys import Key
from fusilex.ui.station import Station
from fusilex.ui.theme import theme

_WORDS = {
    "copper": "copper",
    "mask": "solder mask",
    "paste": "paste",
    "silk": "silk",
    "outline": "outline",
    "drill": "drill",
    "placements": "placements",
    "bom": "bill of materials",
    "netlist": "netlist",
    "other": "other",
}


class FileTile(QWidget):
    """A file with its true thumbnail, what it was taken for and why."""

    def __init__(self, desk: Desk, note: FileNote) -> None:
        super().__init__()
        self.desk, self.note = desk, note
        self.setToolTip(f"{note.name}\n{note.because}\n{note.size} bytes")
        self.setAccessibleName(f"{note.name}: {note.role} {note.side or ''}, {note.because}")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        painter.setPen(QPen(theme.colour("hair"), 1))
        painter.setBrush(theme.colour("card"))
        painter.drawRoundedRect(box, 5, 5)
        thumb = QRectF(6, 6, box.height() * 1.15, box.height() - 12)
        self._thumbnail(painter, thumb)
        text = QRectF(thumb.right() + 8, 5, box.width() - thumb.right() - 12, box.height())
        role = _WORDS[self.note.role] + (f", {self.note.side}" if self.note.side else "")
        plain_text(
            painter,
            text,
            role
            if self.note.role != "other"
            else "not used"
            if self.note.because.startswith("none")
            else self.note.because,
            "small",
            "ink",
            True,
        )
        metrics = QFontMetricsF(theme.font("tiny"))
        name = metrics.elidedText(self.note.name, Qt.TextElideMode.ElideMiddle, text.width())
        plain_text(
            painter, QRectF(text.x(), box.height() - metrics.height() - 5, text.width() + 8, 30), name, "tiny", "soft"
        )

    def _thumbnail(self, painter: QPainter, box: QRectF) -> None:
        design = self.desk.bench.design
        what = {"copper": "copper", "mask": "exposed", "paste": "paste", "silk": "silk"}.get(self.note.role)
        x0, y0, x1, y1 = design.outline.bounds
        scale = min(box.width() / (x1 - x0), box.height() / (y1 - y0))
        if self.note.role not in ("copper", "mask", "paste", "silk", "outline", "drill", "placements"):
            painter.setPen(QPen(theme.colour("soft"), 1.5))
            for i in range(4):
                y = box.top() + (i + 0.7) * box.height() / 4.6
                painter.drawLine(QPointF(box.left() + 6, y), QPointF(box.right() - (14 if i % 2 else 6), y))
            return
        painter.save()
        painter.translate(box.center())
        painter.scale(-scale if self.note.side == "bottom" else scale, -scale)
        painter.translate(-(x0 + x1) / 2, -(y0 + y1) / 2)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("board"))
        self.desk.art.draw(painter, "substrate", "top")
        painter.setBrush(theme.colour({"copper": "brass_fill", "exposed": "gold"}.get(what or "", "paste")))
        if what and self.note.side:
            self.desk.art.draw(painter, what, self.note.side)
        elif self.note.role == "drill":
            for hole in design.holes:
                painter.drawEllipse(QPointF(hole.x, hole.y), max(0.5, hole.diameter / 2), max(0.5, hole.diameter / 2))
        elif self.note.role == "placements":
            for part in design.parts:
                painter.drawRect(QRectF(part.x - 0.5, part.y - 0.5, 1.0, 1.0))
        painter.restore()


class FileWall(QWidget):
    """Tiles in as many columns as fit."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        order = list(_WORDS)
        notes = sorted(desk.bench.design.files, key=lambda n: (order.index(n.role), n.side != "top", n.name))
        self.tiles = [FileTile(desk, note) for note in notes]
        for tile in self.tiles:
            tile.setParent(self)
        self.setFixedHeight(round(theme.base * 20))

    def resizeEvent(self, event: object) -> None:
        columns = max(2, self.width() // round(theme.base * 17))
        rows = -(-len(self.tiles) // columns)
        width, height = self.width() / columns, self.height() / max(1, rows)
        for i, tile in enumerate(self.tiles):
            tile.setGeometry(
                round(i % columns * width), round(i // columns * height), round(width) - 6, round(height) - 6
            )


class Ready(Station):
    name = "Ready"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        canvas = self.add_canvas()
        canvas.fitted = lambda cell: [p for p in self.bench.design.parts if p.fitted]
        canvas.overlays = [self._pins]
        self.column.addWidget(canvas, 1)
        self.column.addWidget(FileWall(desk))

    def refresh(self) -> None:
        assert self.canvas
        parts = sum(p.fitted for p in self.bench.design.parts)
        x0, y0, x1, y1 = self.bench.design.outline.bounds
        self.canvas.caption = (
            f"{self.bench.state.opened['design']}    {x1 - x0:.1f} × {y1 - y0:.1f} mm    {parts} parts"
        )
        self.canvas.update()

    def _pins(self, painter: QPainter, canvas: BoardCanvas) -> None:
        """Findings pinned on the board with leader lines."""
        findings = [f for f in ready_findings(self.bench.design)[0] if f.x is not None and f.y is not None]
        painter.setFont(theme.font("small", bold=True))
        for i, finding in enumerate(findings[:12]):
            assert finding.x is not None and finding.y is not None
            at = canvas.to_px(finding.x, finding.y)
            label = QPointF(24, 52 + i * 24)
            painter.setPen(QPen(theme.colour("lit"), 1.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawLine(label + QPointF(12, 0), at)
            painter.drawEllipse(at, 9, 9)
            judgement_mark(painter, label, 7, finding.level)
            painter.setPen(theme.colour("ink"))
            painter.drawText(label + QPointF(14, 5), f"{finding.ref} {finding.kind}")
        if (
            canvas.selected
            and (part := self.bench.design.part_by_ref.get(canvas.selected))
            and part.side == canvas.side
        ):
            canvas.outline_part(painter, part)

    def keys(self) -> list[Key]:
        return [Key("Space", "accept the files", lambda _: self._accept())]

    def _accept(self) -> None:
        if self.desk.do(AcceptFiles(), "Files accepted."):
            self.desk.go("Kit")

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        design, panel = self.bench.design, self.bench.panel
        rows = [("files", str(len(design.files))), ("pads", str(len(design.pads))), ("holes", str(len(design.holes)))]
        return "This design", [
            *rows,
            ("panel", f"{panel.columns} × {panel.rows}, {panel.width:g} × {panel.height:g} mm"),
        ]
