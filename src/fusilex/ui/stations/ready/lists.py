"""The first rows of each list with the column each field was read from; wrong ones are corrected by picking."""

from __future__ import annotations

from contextlib import suppress

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPen

from fusilex.bench.intake.lists import LIST_KINDS, table_of
from fusilex.bench.stations.ready.files import PickColumns
from fusilex.core.problems import BadInput
from fusilex.core.shown import shown
from fusilex.formats.lists.tables import Table, in_words
from fusilex.ui.desk import Desk
from fusilex.ui.tabbed import View
from fusilex.ui.theme import theme
from fusilex.ui.widgets.card import Card
from fusilex.ui.widgets.glyphs import plain_text
from fusilex.ui.widgets.keys import Key

WIDTH_ROWS = 20  # as many rows settle how wide the columns are
_SURE = {1.0: "header and content agree", 0.7: "by its header; the content looks otherwise", 0.4: "by its content"}


class ListCard(Card):
    """One list: its header, the field each column serves, and the first rows."""

    def __init__(self) -> None:
        super().__init__()
        self.table: Table | None = None
        self.column = 0
        self.first = 0
        self.which = ""  # of several lists

    def draw(self, painter: QPainter) -> None:
        if self.table is None:
            plain_text(
                painter,
                QRectF(16, 12, self.width() - 32, 100),
                "There is no list among the files. Drop a placement list or a bill of materials on the window.",
                "body",
                "soft",
            )
            return
        table = self.table
        plain_text(
            painter,
            QRectF(16, 10, self.width() - 32, 30),
            f"{table.name}    {self.which}{len(table.rows)} rows, {table.how}",
            "lead",
            "ink",
            True,
        )
        line, top = theme.base * 2.5, theme.base * 4.0
        shown = table.rows[: max(1, int((self.height() - top - 12) / line) - 2)]
        widths = self._widths(table)
        while sum(widths[self.first : self.column + 1]) > self.width() - 32 and self.first < self.column:
            self.first += 1
        self.first = min(self.first, self.column)
        x = 16.0
        field_of = {index: name for name, index in table.fields.items()}
        for i in range(self.first, len(widths)):
            if x + min(widths[i], 60) > self.width() - 16:
                break
            width = min(widths[i], self.width() - 16 - x)
            if i == self.column:
                painter.setPen(QPen(theme.colour("ink"), 1.5))
                painter.setBrush(theme.colour("brass_fill", 50))
                painter.drawRoundedRect(QRectF(x - 5, top - 4, width - 4, line * (len(shown) + 2) + 6), 5, 5)
            name = field_of.get(i)
            if name:
                doubt = table.sure.get(name, 1.0) < 1.0
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(theme.colour("care" if doubt else "go", 40))
                painter.drawRoundedRect(QRectF(x - 2, top, width - 10, line - 4), 4, 4)
            self._text(
                painter,
                QRectF(x + 3, top, width - 16, line - 4),
                in_words(name) if name else "–",
                "body",
                "ink" if name else "soft",
                bool(name),
            )
            self._text(
                painter,
                QRectF(x, top + line, width - 12, line),
                table.columns[i] if i < len(table.columns) else "",
                "small",
                "soft",
            )
            for k, row in enumerate(shown):
                self._text(
                    painter,
                    QRectF(x, top + line * (2 + k), width - 12, line),
                    row[i] if i < len(row) else "",
                    "body",
                    "ink",
                )
            x += width

    def _widths(self, table: Table) -> list[float]:
        metrics = QFontMetricsF(theme.font("body"))
        count = max(len(table.columns), max((len(r) for r in table.rows[:WIDTH_ROWS]), default=0))
        texts = [
            [table.columns[i] if i < len(table.columns) else "", *(r[i] for r in table.rows[:WIDTH_ROWS] if i < len(r))]
            for i in range(count)
        ]
        return [min(260.0, max(80.0, max(metrics.horizontalAdvance(t[:40]) for t in column) + 28)) for column in texts]

    def _text(self, painter: QPainter, box: QRectF, text: str, size: str, token: str, bold: bool = False) -> None:
        painter.setFont(theme.font(size, bold))
        painter.setPen(theme.colour(token))
        words = QFontMetricsF(theme.font(size, bold)).elidedText(shown(text), Qt.TextElideMode.ElideRight, box.width())
        painter.drawText(box, int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter), words)


class ListsView(View):
    name = "Lists"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.card = ListCard()
        self.column.addWidget(self.card, 1)
        self.chosen = 0

    def _files(self) -> list[str]:
        return [n.name for n in self.bench.design.files if n.role in ("placements", "bom")]

    @property
    def file(self) -> str | None:
        files = self._files()
        return files[self.chosen % len(files)] if files else None

    def _role(self) -> str:
        return next((n.role for n in self.bench.design.files if n.name == self.file), "placements")

    def refresh(self) -> None:
        name = self.file
        self.card.table = None
        if name:
            with suppress(BadInput):
                picked = self.bench.source.choices.columns.get(name)
                self.card.table = table_of(self.bench.source.files[name], name, self._role(), picked)
        files = self._files()
        self.card.which = f"list {self.chosen % len(files) + 1} of {len(files)},  " if len(files) > 1 else ""
        self.card.setAccessibleName(f"List {name}")
        self.card.update()

    def keys(self) -> list[Key]:
        return [
            Key("P", "this column is …", lambda _: self._pick()),
            Key("Left Right", "choose a column", lambda key: self._move(1 if key == "Right" else -1)),
            Key("Up Down", "other list", lambda key: self._list(1 if key == "Down" else -1)),
        ]

    def _move(self, step: int) -> None:
        if table := self.card.table:
            width = max(len(table.columns), max((len(r) for r in table.rows), default=0))
            self.card.column = max(0, min(width - 1, self.card.column + step))
            self.desk.changed.emit()

    def _list(self, step: int) -> None:
        if files := self._files():
            self.chosen, self.card.column, self.card.first = (self.chosen + step) % len(files), 0, 0
            self.desk.changed.emit()

    def _names(self) -> list[str]:
        return list(LIST_KINDS[self._role()].wording)

    def _pick(self) -> None:
        if self.card.table is not None:
            words = ", ".join(map(in_words, self._names()))
            self.desk.ask(f"Column {self.card.column + 1} is ({words}, nothing)", self._picked)

    def _picked(self, text: str) -> None:
        table, file, wanted = self.card.table, self.file, text.strip().lower()
        if table is None or file is None:
            return
        name = next((n for n in (*self._names(), "nothing") if wanted in (n, in_words(n))), None)
        if name is None:
            self.desk.say(f"“{text}” is none of {', '.join(map(in_words, self._names()))} or nothing.")
            return
        fields = {f: i for f, i in table.fields.items() if i != self.card.column and f != name}
        if name != "nothing":
            fields[name] = self.card.column
        self.desk.do(
            PickColumns(file, fields),
            f"Column {self.card.column + 1} is {text.strip()}. Remembered for lists with this header.",
        )

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        table = self.card.table
        if table is None:
            return "", []
        name = next((f for f, i in table.fields.items() if i == self.card.column), None)
        rows = [("taken for", in_words(name or "nothing"))]
        if name:
            rows.append(("why", _SURE.get(table.sure.get(name, 1.0), "")))
        return f"Column {self.card.column + 1}", rows
