"""The board large with findings pinned on it, and a wall of small tiles, one per file."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from fusilex.bench.stations.ready import files as c
from fusilex.bench.stations.ready import typed_input
from fusilex.bench.stations.ready.judging import ready_findings
from fusilex.core.checks.fixes import Fix
from fusilex.core.design.model import FileNote, Part
from fusilex.core.evidence import Level
from fusilex.core.quantities import write_size
from fusilex.core.shown import shown
from fusilex.formats.identify import shared_start
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.stations.ready.before_after import FOOTERS, draw_fix, sides_of
from fusilex.ui.tabbed import View
from fusilex.ui.theme import theme
from fusilex.ui.widgets.glyphs import judgement_mark, plain_text
from fusilex.ui.widgets.keys import Key
from fusilex.ui.widgets.words import plain_tip

_WORDS = {
    "copper": "copper",
    "inner": "inner copper",
    "mask": "mask",
    "paste": "paste",
    "silk": "silk",
    "outline": "outline",
    "drill": "drill",
    "placements": "placements",
    "bom": "BOM",
    "netlist": "netlist",
    "other": "other",
}
_DRAWN = ("copper", "inner", "mask", "paste", "silk", "outline", "drill", "placements")


def _own_words(name: str, names: list[str]) -> str:
    """A file's name without the words that it shares with the others, for a tile has room for few letters."""
    alike = [n for n in names if n[:3] == name[:3]]
    shared = shared_start(alike) if len(alike) > 1 else ""
    return name[max(shared.rfind(mark) for mark in "-_ /") + 1 :]


class FileTile(QWidget):
    """A file with its true thumbnail, what it was taken for, and how sure that is."""

    def __init__(self, wall: FileWall, note: FileNote) -> None:
        super().__init__(wall)
        self.wall, self.desk, self.note = wall, wall.desk, note
        self.own = _own_words(note.name, [n.name for n in wall.desk.bench.design.files])
        self.setToolTip(plain_tip(f"{note.name}\n{note.because} ({note.sure})\n{note.size} bytes"))
        self.setAccessibleName(f"{note.name}: {note.role} {note.side or ''}, {note.sure}: {note.because}")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        lit = self.wall.chosen is not None and self.wall.tiles[self.wall.chosen] is self
        painter.setPen(QPen(theme.colour("ink" if lit else "hair"), 2 if lit else 1))
        painter.setBrush(theme.colour("card"))
        painter.drawRoundedRect(box, 5, 5)
        thumb = QRectF(6, 6, min(box.height() * 1.15, theme.base * 4.0), box.height() - 12)
        self._thumbnail(painter, thumb)
        text = QRectF(thumb.right() + 6, 5, box.width() - thumb.right() - 8, box.height())
        unused = {"log": "oven log", "panel": "panel", "gerber": "layer, unused"}.get(self.note.kind, "not used")
        role = unused if self.note.role == "other" else f"{_WORDS[self.note.role]} {self.note.side or ''}".strip()
        bold = QFontMetricsF(theme.font("small", True))
        plain_text(
            painter, text, bold.elidedText(role, Qt.TextElideMode.ElideRight, text.width()), "small", "ink", True
        )
        metrics = QFontMetricsF(theme.font("tiny"))
        low = QRectF(text.x(), box.height() - metrics.height() - 5, text.width() + 8, 30)
        name = metrics.elidedText(self.own, Qt.TextElideMode.ElideMiddle, text.width())
        if box.height() > bold.height() + metrics.height() + 6:  # at large scales the role alone
            plain_text(painter, low, name, "tiny", "soft")
        if self.note.sure == "guessed":
            judgement_mark(painter, thumb.topRight() + QPointF(-2, 3), 5, Level.CARE)

    def _thumbnail(self, painter: QPainter, box: QRectF) -> None:
        design = self.desk.bench.design
        what = self.note.role if self.note.role in ("copper", "inner", "mask", "paste", "silk") else None
        x0, y0, x1, y1 = design.outline.bounds
        scale = min(box.width() / (x1 - x0), box.height() / (y1 - y0))
        if self.note.role not in _DRAWN:
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
        painter.setBrush(
            theme.colour({"copper": "brass_fill", "inner": "brass_fill", "mask": "gold"}.get(what or "", "paste"))
        )
        if what and self.note.side:
            self.desk.art.draw(painter, what, self.note.side)
        elif self.note.role == "drill":
            for hole in design.holes:
                painter.drawEllipse(QPointF(hole.x, hole.y), max(0.5, hole.diameter / 2), max(0.5, hole.diameter / 2))
        elif self.note.role == "placements":
            for part in design.parts:
                painter.drawRect(QRectF(part.x - 0.5, part.y - 0.5, 1.0, 1.0))
        painter.restore()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.wall.choose(self.wall.tiles.index(self))


class FileWall(QWidget):
    """Tiles in as many columns as fit; one may be chosen with the arrows."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        order = list(_WORDS)
        notes = sorted(desk.bench.design.files, key=lambda n: (order.index(n.role), n.side != "top", n.name))
        self.chosen: int | None = None
        self.tiles = [FileTile(self, note) for note in notes]
        self.setMinimumHeight(round(theme.base * (10 if len(notes) > 8 else 6)))
        self.setMaximumHeight(round(theme.base * (18 if len(notes) > 8 else 10)))

    def _columns(self) -> int:
        wide = 15.5 if self.height() >= theme.base * 14 else 11.5
        return max(3, self.width() // round(theme.base * wide))

    def resizeEvent(self, event: object) -> None:
        columns = self._columns()
        rows = -(-len(self.tiles) // columns)
        width, height = self.width() / columns, self.height() / max(1, rows)
        for i, tile in enumerate(self.tiles):
            tile.setGeometry(
                round(i % columns * width), round(i // columns * height), round(width) - 6, round(height) - 6
            )

    def choose(self, index: int | None) -> None:
        self.chosen = index
        self.desk.changed.emit()
        for tile in self.tiles:
            tile.update()

    def step(self, key: str) -> None:
        by = {"Left": -1, "Right": 1, "Up": -self._columns(), "Down": self._columns()}[key]
        wanted = 0 if self.chosen is None else self.chosen + by
        if 0 <= wanted < len(self.tiles):
            self.choose(wanted)

    @property
    def note(self) -> FileNote | None:
        return None if self.chosen is None else self.tiles[self.chosen].note


class BoardView(View):
    name = "Board"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        canvas = self.add_canvas()
        canvas.parts_on = self._bodies
        canvas.overlays = [self._before_and_after, self._pins]
        self.wall = FileWall(desk)
        self.column.addWidget(canvas, 3)
        self.column.addWidget(self.wall, 2)
        self._drawn: Fix | None = None

    def refresh(self) -> None:
        assert self.canvas
        parts = sum(p.populated for p in self.bench.design.parts)
        x0, y0, x1, y1 = self.bench.design.outline.bounds
        self.canvas.caption = f"{self.bench.state.opened['design']}    {write_size(x1 - x0, y1 - y0)}    {parts} parts"
        fix = self._drawn_fix()
        self.canvas.footer = FOOTERS[fix.kind] if fix else ""
        if fix and fix != self._drawn and self.canvas.side not in sides_of(self.bench.design, fix):
            self.canvas.flip()
        self._drawn = fix
        self.canvas.update()

    def _bodies(self, cell: int) -> list[Part]:
        """Bodies would hide where a fix moves them to."""
        fix = self._drawn_fix()
        return [] if fix and fix.kind != "rotations" else [p for p in self.bench.design.parts if p.populated]

    @property
    def fix(self) -> Fix | None:
        """The fix that goes with the judgement in hand."""
        judgement = self.desk.judgement
        return c.offered(self.bench.design).get(judgement.key) if judgement else None

    def _drawn_fix(self) -> Fix | None:
        fix = self.fix
        return fix if fix is not None and fix.kind in FOOTERS else None

    def _before_and_after(self, painter: QPainter, canvas: BoardCanvas) -> None:
        if fix := self._drawn_fix():
            draw_fix(painter, canvas, self.bench.design, fix)

    def _pins(self, painter: QPainter, canvas: BoardCanvas) -> None:
        """Findings pinned on the board with leader lines."""
        findings = [f for f in ready_findings(self.bench.design)[0] if f.x is not None and f.y is not None]
        painter.setFont(theme.font("small", bold=True))
        metrics = QFontMetricsF(theme.font("small", bold=True))
        for i, finding in enumerate(findings[:12]):
            assert finding.x is not None and finding.y is not None
            at = canvas.to_px(finding.x, finding.y)
            label = QPointF(24, 52 + i * 26)
            words = f"{finding.ref} {finding.kind}"
            plate = QRectF(label.x() - 12, label.y() - 12, metrics.horizontalAdvance(words) + 34, 24)
            painter.setPen(QPen(theme.colour("lit"), 1.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawLine(QPointF(plate.right(), label.y()), at)
            painter.drawEllipse(at, 9, 9)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("card"))
            painter.drawRoundedRect(plate, 5, 5)
            judgement_mark(painter, label, 6, finding.level)
            painter.setPen(theme.colour("ink"))
            painter.drawText(plate.adjusted(26, 0, 0, 0), int(Qt.AlignmentFlag.AlignVCenter), shown(words))
        part = self.bench.design.part_by_ref.get(canvas.selected or "")
        if part is not None and part.side == canvas.side:
            canvas.outline_part(painter, part)

    def keys(self) -> list[Key]:
        keys: list[Key] = []
        if self.fix:
            keys.append(Key("A", "apply the fix", lambda _: self._apply()))
        if self.bench.source.fixes:
            keys.append(Key("D", "withdraw a fix", lambda _: self._withdraw()))
        keys.append(Key("Left Right Up Down", "choose a file", self.wall.step))
        if self.wall.note is not None:
            keys.append(Key("R", "take it for something else", lambda _: self._reassign()))
        return keys

    def _apply(self) -> None:
        if fix := self.fix:
            self.desk.do(c.ApplyFix(fix), f"Applied: {fix.words}. Your files stay as they are.")

    def _withdraw(self) -> None:
        fix = self.bench.source.fixes[-1]
        self.desk.do(c.WithdrawFix(fix), f"Withdrawn: {fix.words}.")

    def _reassign(self) -> None:
        if note := self.wall.note:
            given = f"{note.role} {note.side or ''}".strip() if note.role != "other" else ""
            self.desk.ask(f"{note.name} is", lambda text: self._reassigned(note.name, text), given)

    def _reassigned(self, file: str, text: str) -> None:
        command = self.desk.read(lambda: typed_input.role(file, text))
        if command is None:
            return
        self.desk.do(
            command, f"{file}: {command.role} {command.side or ''}".strip() + ". Remembered for files of that ending."
        )

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        design, panel, note = self.bench.design, self.batch.panel, self.wall.note
        if note is not None:
            rows = [
                ("taken for", f"{_WORDS[note.role]} {note.side or ''}".strip()),
                ("how sure", note.sure),
                ("why", note.because),
            ]
            return note.name, [*rows, ("size", f"{note.size / 1024:.0f} kB")]
        rows = [
            ("files", str(len(design.files))),
            ("pads", str(len(design.pads))),
            ("holes", str(sum(not h.goes_on for h in design.holes))),
        ]
        if fixes := self.bench.source.fixes:
            rows.append(("fixes", fixes[-1].words if len(fixes) == 1 else f"{len(fixes)}, last: {fixes[-1].words}"))
        return "This design", [
            *rows,
            ("panel", f"{panel.columns} × {panel.rows}, {write_size(panel.width, panel.height, 4)}"),
        ]
