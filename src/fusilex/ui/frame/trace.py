"""The thread from left to right: lots, feeders, jars, prints, boards, loads, hands; what hangs on a bead lights up."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QDialog, QFileDialog, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from fusilex.bench.history.beads import Bead, beads
from fusilex.bench.history.tracing import Trace, recall_rows, trace
from fusilex.bench.record.bench import Bench
from fusilex.bench.report.papers import local_time
from fusilex.bench.verbs.record import recall_csv
from fusilex.formats.written.whole import write_whole
from fusilex.journal.store import Journal
from fusilex.ui.search import Aside
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import plain_text, shortened
from fusilex.ui.widgets.rows import Column, Rows
from fusilex.ui.widgets.words import plain_label

COLUMNS = ("lot", "feeder", "jar", "print", "board", "load", "test", "parcel", "person")
_NAMES = ("lots", "feeders", "jars", "prints", "boards", "loads", "tests", "parcels", "hands")
TITLES = dict(zip(COLUMNS, _NAMES, strict=True))


class Thread(Card):
    """Beads of the batch on the screen by their kind, and which of them hang together with the one pulled."""

    pulled = pyqtSignal(str)

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        batch = bench.batch
        self.of: dict[str, set[Bead]] = {
            serial: {("board", serial), *beads(batch.about(serial), board)}
            for serial, board in batch.state.boards.items()
        }
        every = set().union(*self.of.values()) if self.of else set()
        self.columns = {kind: sorted({b for b in every if b[0] == kind}, key=_order) for kind in COLUMNS}
        self.lit: set[Bead] = set()
        self._boxes: list[tuple[QRectF, Bead]] = []
        self.setMinimumHeight(round(theme.base * 24))
        self.setAccessibleName("The batch's thread")

    def light(self, found: Trace) -> None:
        """Light what hangs together with what was found."""
        serials = {c.serial for c in found.boards}
        self.lit = set().union(*(self.of.get(s, set()) for s in serials)) if serials else set()
        if found.kind and found.kind != "board":
            own = {b for b in self.lit if b[0] == found.kind}
            wanted = {b for b in own if b[1].lower() in found.what.lower() or found.what.lower() in b[1].lower()}
            self.lit = (self.lit - own) | (wanted or own)
        self.update()

    def draw(self, painter: QPainter) -> None:
        kinds = [k for k in COLUMNS if self.columns[k]]
        self._boxes = []
        if not kinds:
            words = "Nothing hangs on these boards yet."
            plain_text(painter, QRectF(16, 12, self.width() - 32.0, 40), words, "body", "soft")
            return
        pitch = (self.width() - 24) / len(kinds)
        at: dict[Bead, QPointF] = {}
        heights: dict[Bead, float] = {}
        for n, kind in enumerate(kinds):
            x, own = 12 + n * pitch, self.columns[kind]
            title = QRectF(x, 8, pitch - 8, theme.base * 2)
            words = f"{TITLES[kind]}  {len(own)}"
            plain_text(painter, title, words, "small", "soft", False, Qt.AlignmentFlag.AlignHCenter)
            own, more = self._in_view(own)
            high = (self.height() - theme.base * 4.2) / max(1, len(own) + bool(more))
            for k, bead in enumerate(own):
                at[bead] = QPointF(x + pitch / 2 - 4, theme.base * 3.2 + (k + 0.5) * high)
            heights |= dict.fromkeys(own, min(theme.base * 2.2, high - 1))
            if more:
                below = QRectF(x, self.height() - theme.base * 2.2, pitch - 8, theme.base * 2)
                plain_text(painter, below, f"and {more} more", "small", "soft", False, Qt.AlignmentFlag.AlignHCenter)
        self._threads(painter, at)
        for bead, point in at.items():
            self._bead(painter, bead, point, pitch - 14, heights[bead])

    def _in_view(self, own: list[Bead]) -> tuple[list[Bead], int]:
        """As many beads of a kind as can be read, lit ones first, and how many more there are."""
        fits = max(1, int((self.height() - theme.base * 6.4) / (theme.base * 1.6)))
        if len(own) <= fits:
            return own, 0
        kept = set(sorted(own, key=lambda b: b not in self.lit)[:fits])
        return [b for b in own if b in kept], len(own) - len(kept)

    def _threads(self, painter: QPainter, at: dict[Bead, QPointF]) -> None:
        """From each lit board to what hangs on it, in the columns beside one another."""
        for serial, own in self.of.items():
            board = ("board", serial)
            if board not in self.lit or board not in at:
                continue
            for bead in own & self.lit:
                if bead in at and bead != board:
                    painter.setPen(QPen(theme.colour("brass", 120), 1.2))
                    painter.drawLine(at[board], at[bead])

    def _bead(self, painter: QPainter, bead: Bead, at: QPointF, wide: float, high: float) -> None:
        lit = bead in self.lit
        box = QRectF(at.x() - wide / 2, at.y() - high / 2, wide, high)
        self._boxes.append((box, bead))
        painter.setPen(QPen(theme.colour("ink"), 1.5) if lit else QPen(theme.colour("hair"), 1))
        painter.setBrush(theme.colour("brass_fill" if lit else "card"))
        painter.drawRoundedRect(box, min(5.0, high / 2), min(5.0, high / 2))
        if high >= theme.base * 1.2:
            name = bead[1] if bead[0] not in ("print", "load") else f"{bead[0]} {bead[1]}"
            token = "now_ground" if lit else "ink"
            words = shortened(name, wide - 8, 1, "small")
            plain_text(painter, box.adjusted(4, (high - theme.base * 1.5) / 2, -4, 0), words, "small", token, lit)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        for box, (kind, name) in self._boxes:
            if event and box.contains(event.position()):
                self.pulled.emit(f"{kind} {name}" if kind in ("print", "load", "test") else name)
                return


def _order(bead: Bead) -> tuple[int, str]:
    return (int(bead[1]) if bead[1].isdecimal() else 0, bead[1])


class TraceDialog(QDialog):
    """Type anything that is on record; Enter looks for it in every batch. `chosen` is the board to go to."""

    def __init__(self, parent: QWidget, bench: Bench, home: Journal, text: str = "") -> None:
        super().__init__(parent)
        self.bench, self.home = bench, home
        self.found = Trace("")
        self.chosen = ""
        self.setWindowTitle("Trace")
        self.resize(round(theme.base * 104), round(theme.base * 66))
        self.line = QLineEdit(text)
        self.line.setPlaceholderText("A serial, lot, jar, feeder, part number, initials, or: load 3")
        self.line.setAccessibleName("What to trace")
        self.thread_card = Thread(bench)
        boards = (Column("board", 2), Column("batch", 3), Column("now", 2), Column("parts", 5))
        events = (Column("when", 2), Column("who", 1), Column("at", 2), Column("what", 6))
        self.boards = Rows("Boards", boards, "Type something and press Enter.")
        self.events = Rows("What happened", events, "Nothing is told of it.")
        self.said = plain_label(_KEYS, wrapped=True)
        lower = QHBoxLayout()
        lower.addWidget(self.boards, 1)
        lower.addWidget(self.events, 1)
        column = QVBoxLayout(self)
        column.addWidget(self.line)
        column.addWidget(self.thread_card, 5)
        column.addLayout(lower, 4)
        column.addWidget(self.said)
        self.aside = Aside(self, self.said.setText)
        self.thread_card.pulled.connect(self.look)
        self.line.setFocus()
        if text:
            self.look(text)

    def look(self, text: str) -> None:
        """Look for something in every batch; what was asked while the last is looked for waits for nothing."""
        if self.aside.busy or not text.strip():
            return
        self.line.setText(text)
        journals = list({j.url: j for j in (self.bench.journal, self.home)}.values())
        self.said.setText("Looking…")
        bench = self.bench
        self.aside.look(lambda: trace(text, journals, bench), self._show)

    def _show(self, found: object) -> None:
        assert isinstance(found, Trace)
        self.found = found
        rows = [(c.serial, c.batch, "scrapped" if c.scrapped else c.step, ", ".join(c.refs[:12])) for c in found.boards]
        name = found.what if found.what.lower().startswith(found.kind) else f"{found.kind or 'Nothing'} {found.what}"
        self.boards.title = f"{name}: {len(rows)} board{'' if len(rows) == 1 else 's'}"
        self.boards.empty = f"Nothing on record is called “{found.what}”."
        self.boards.show_rows(rows)
        told = [(local_time(t.at)[5:], t.who, t.step, t.words) for t in found.events]
        told += [(local_time(t.at)[5:], t.who, "came back", f"{t.boards[0]}: {t.words}") for t in found.returns]
        self.events.show_rows(told)
        self.thread_card.light(found)
        if found.gaps:  # a recall that may lack boards says so before anything else
            self.boards.title += f", perhaps more: {found.unread}"
        lots = f"{len(found.lots)} lots. " if found.kind == "board" else ""
        self.said.setText(f"{lots}{_KEYS}")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        key = Qt.Key(event.key())
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            text = self.line.text()
            if text.strip() == self.found.what and self.found.boards:
                self.chosen = self.found.boards[self.boards.chosen].serial
                self.accept()
            else:
                self.look(text)
        elif key in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            self.boards.step(1 if key == Qt.Key.Key_Down else -1)
        elif key in (Qt.Key.Key_PageDown, Qt.Key.Key_PageUp):
            self.events.step(8 if key == Qt.Key.Key_PageDown else -8)
        elif key == Qt.Key.Key_F8:
            self._recall()
        else:
            super().keyPressEvent(event)

    def _recall(self) -> None:
        if not self.found.boards:
            self.said.setText("There is no board to list.")
            return
        name, _ = QFileDialog.getSaveFileName(self, "Write the recall list", "recall.csv")
        if name:
            self.write(name)

    def write(self, name: str) -> None:
        """The boards found, as a list for a recall."""
        try:
            write_whole({Path(name): recall_csv(recall_rows(self.found))})
        except OSError as problem:
            self.said.setText(f"{Path(name).name} cannot be written: {problem.strerror or problem}.")
        else:
            self.said.setText(f"{len(self.found.boards)} boards are in {Path(name).name}.")


_KEYS = "Enter  look, then go to the board    ↑ ↓  boards    PgUp PgDn  what happened    F8  recall list    Esc  back"
