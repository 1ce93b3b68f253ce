"""Machines in a row: how many of each stand there, what each takes, and how often a panel comes out at the end."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import (
    QApplication,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QHeaderView,
    QProgressBar,
    QSpinBox,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
)

from fusilex.bench.programme.machine_row import MachineRow, row_values
from fusilex.bench.programme.programming import Programme
from fusilex.bench.stations.place.machine import place_step
from fusilex.bench.stations.place.programmed import machine_from, parts_of_panel, placer_of
from fusilex.bench.workshop.placer import Placer
from fusilex.bench.workshop.put_right import PutRight
from fusilex.bench.workshop.records import Records
from fusilex.core.machine.model import Machine
from fusilex.core.shown import json_shown, shown
from fusilex.formats.written.gcode import to_gcode
from fusilex.ui.desk import Desk
from fusilex.ui.search import Search
from fusilex.ui.theme import theme
from fusilex.ui.widgets.words import plain_label

MOST_ALIKE, TICK_MS = 4, 100
COLUMNS = ("machine", "lines", "parts a panel", "s a panel", "none faster than")


class RowDialog(QDialog):
    """Counts of machines above, what each would do below; nothing of it goes on record."""

    def __init__(self, desk: Desk, panel: int) -> None:
        super().__init__(QApplication.activeWindow())
        self.desk, self.panel = desk, panel
        self.search: Search | None = None
        self.made: list[Programme] = []
        self.bound_s = 0.0
        self.setWindowTitle(f"Machines in a row for panel {panel}")
        self.resize(round(theme.base * 88), round(theme.base * 52))
        form = QFormLayout()
        self.counts: dict[str, QSpinBox] = {}
        here = placer_of(desk.batch).id
        for name in desk.batch.workshop[Records].all(Placer):
            count = QSpinBox()
            count.setRange(0, MOST_ALIKE)
            count.setValue(2 if name == here else 0)
            count.setSuffix(" in the row")
            count.setAccessibleName(name)
            self.counts[name] = count
            form.addRow(name, count)
        self.table = QTableWidget(0, len(COLUMNS))
        self.table.setHorizontalHeaderLabels(COLUMNS)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setAccessibleName("What each machine does")
        if header := self.table.horizontalHeader():
            header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
            header.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
            header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        if rows := self.table.verticalHeader():
            rows.hide()
        self.bar = QProgressBar()
        self.bar.setRange(0, 100)
        self.said = plain_label(
            "Lines are dealt out so that the slower machine is done as soon as can be. Each has the panel in the corner"
            " of its clamp: teach its points there.",
            wrapped=True,
        )
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        self.go = buttons.addButton("Search", QDialogButtonBox.ButtonRole.ActionRole)
        self.write = buttons.addButton("Write programmes", QDialogButtonBox.ButtonRole.ActionRole)
        assert self.go and self.write
        self.go.setDefault(True)
        self.go.clicked.connect(self._go_or_leave)
        self.write.clicked.connect(self._write)
        self.write.setEnabled(False)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.addLayout(form)
        column.addWidget(self.said)
        column.addWidget(self.bar)
        column.addWidget(self.table, 1)
        column.addWidget(buttons)
        self._timer = QTimer(self)
        self._timer.setInterval(TICK_MS)
        self._timer.timeout.connect(self._tick)

    def machines(self) -> list[Machine]:
        """Those that stand in the row, in its order."""
        known = self.desk.batch.workshop[Records].all(Placer)
        return [machine_from(known[name]) for name, box in self.counts.items() for _ in range(box.value())]

    def _row(self) -> MachineRow:
        batch, panel = self.desk.batch, self.panel
        boards = {b.cell: b for b in batch.state.panel_boards(panel) if not b.scrapped}
        lines = {cell: {ref: line.key for ref, line in batch.lines_of(b).items()} for cell, b in boards.items()}
        put, bins, parts = batch.workshop[PutRight], batch.lines, parts_of_panel(batch, panel)
        side = place_step(batch).side
        return MachineRow(
            batch.design,
            batch.panel,
            parts,
            lambda cell, p: lines[cell][p.ref],
            side,
            put.turns(bins),
            put.shifts(bins),
        )

    def _go_or_leave(self) -> None:
        if self.search is not None:
            self.search.leave()
            return
        machines, row = self.machines(), self._row()
        if not machines:
            self.said.setText("No machine stands in this row: say how many of each.")
            return
        runs, seconds = max(1, len(self.desk.batch.state.panels)), row.usual_seconds(len(machines))
        self.search = Search(lambda spent, _: row.found(machines, runs, None, clock=lambda _: spent), seconds)
        self.search.finished_with.connect(self._found)
        self.search.failed.connect(self._failed)
        self._say_go("Take what is found")
        self.search.start()
        self._timer.start()

    def _tick(self) -> None:
        if self.search is not None:
            self.bar.setValue(min(100, round(100 * self.search.spent())))

    def _end(self) -> None:
        self._timer.stop()
        if self.search is not None:
            self.search.wait()
        self.search = None
        self._say_go("Search")

    def _say_go(self, words: str) -> None:
        if self.go is not None:
            self.go.setText(words)

    def _failed(self, text: str) -> None:
        self._end()
        self.said.setText(text)

    def _found(self, found: tuple[list[Programme], float]) -> None:
        self._end()
        self.made, self.bound_s = found
        self.bar.setValue(100)
        if self.write is not None:
            self.write.setEnabled(bool(self.made))
        self.table.setRowCount(len(self.made))
        for k, one in enumerate(self.made):
            job, best = one.job, one.found
            names = ", ".join(sorted(name.partition(" | ")[0] for name in job.names))
            cells = (job.machine.name, names, f"{len(job)}", f"{best.time_s:.1f}", f"{best.bound_s:.1f}")
            for column, words in enumerate(cells):
                item = QTableWidgetItem(shown(words))
                item.setTextAlignment(Qt.AlignmentFlag.AlignTop)
                self.table.setItem(k, column, item)
        self.table.resizeRowsToContents()
        self.said.setText(_told(self.made, self.bound_s))

    def _write(self) -> None:
        made, bound = self.made, self.bound_s
        title = f"{self.desk.batch.name}, panel {self.panel}"

        def write(name: str) -> None:
            base = Path(name).with_suffix("")
            values = json_shown(json.dumps(row_values(made, bound), indent=1, ensure_ascii=False)) + "\n"
            files = {base.with_suffix(".json"): values.encode()}
            for n, one in enumerate(made, 1):
                files[base.with_name(f"{base.name}-{n}.ngc")] = to_gcode(one.job, one.found.plan, title).encode()
            self.desk.write_all(files, f"{len(made)} programmes beside {base.name}.json.")

        self.desk.save_file("Write the row's programmes as G-code and JSON", f"row-{self.panel}.ngc", write)

    def reject(self) -> None:
        if self.search is not None:
            self.search.leave()
            self._end()
        super().reject()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.reject()


def _told(made: Sequence[Programme], bound: float) -> str:
    if not made:
        return "No line is worth a machine here, or can be placed by one: place them all by hand."
    slowest = max(one.found.time_s for one in made)
    hand = len(made[0].by_hand)
    rest = f" {hand} parts of a board stay for the hand." if hand else ""
    if len(made) == 1:
        return f"One machine does it all: a panel every {slowest:.0f} s, none faster than {bound:.0f} s.{rest}"
    return f"A panel every {slowest:.0f} s; no sharing out takes less than {bound:.0f} s.{rest}"
