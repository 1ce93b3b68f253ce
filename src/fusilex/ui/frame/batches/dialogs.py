"""Batches of the window: the rack, a batch as a zip, and back."""

from __future__ import annotations

from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QLineEdit

from fusilex.bench.command import Command
from fusilex.bench.common.bins import Bins
from fusilex.bench.common.standing import (
    ARCHIVED,
    CLOSED,
    OPEN,
    PAUSED,
    RenameBatch,
    RestBatch,
    Standing,
    TakeUpBatch,
    aged,
    title,
)
from fusilex.bench.history.beads import asked
from fusilex.bench.record.archive import batch_in, rows_out
from fusilex.bench.record.batch_list import Listed, listed
from fusilex.bench.record.bench import Bench
from fusilex.bench.record.opening import opened
from fusilex.bench.refusal import Refused
from fusilex.bench.report.papers import local_time
from fusilex.bench.workshop.record_kinds import KINDS
from fusilex.bench.workshop.records import Records
from fusilex.core.problems import BadInput
from fusilex.core.progress import Left, Step
from fusilex.core.shown import shown
from fusilex.formats.bundle import read_one
from fusilex.journal.bundle import MOST_BYTES
from fusilex.journal.store import Journal
from fusilex.journal.trouble import NotSaved
from fusilex.ui.frame.batches.rack import Batches
from fusilex.ui.frame.host import Host
from fusilex.ui.frame.waiting import waited_for

RESTS = {"close": CLOSED, "archive": ARCHIVED, "pause": PAUSED}


class BatchDialogs:
    """The open batch stays as it is until another one could be opened."""

    def __init__(self, host: Host) -> None:
        self.host = host

    def choose(self, text: str = "") -> None:
        """The rack, with what has a text; a batch that was paused is taken up again when it is opened."""
        rack = Batches(self.host.widget(), self.host.home, self.host.desk.bench.id, self.act)
        rack.line.setText(text)
        if rack.exec() and rack.chosen is not None:
            self.open(rack.chosen)
        self.host.widget().setFocus()

    def open(self, batch: int) -> None:
        """Put a batch on the screen, and say what has aged in one that was paused."""
        try:
            bench, damaged = opened(self.host.home, batch)
        except (BadInput, NotSaved) as problem:
            self.host.desk.say(str(problem))
            return
        self.host.show_bench(bench)
        if damaged:
            self.host.desk.say(damaged)
            return
        held = replace(bench.state[Standing])
        if held.status == PAUSED and self.host.desk.do(TakeUpBatch()):
            found = "; ".join(j.headline for j in aged(bench.batch)) or "nothing has aged"
            why = f" ({held.reason})" if held.reason else ""
            self.host.desk.say(f"Paused since {local_time(held.at)}{why}. Taken up again: {found}.")
        elif held.status != OPEN:
            self.host.desk.say("This batch is at rest: look as you like; Ctrl+B and F5 take it up again.")

    def find(self, text: str) -> None:
        """Go to a board of any batch by its serial; a lot or anything else opens the rack with what has it."""
        kind, name = asked(text)
        wanted = name.lower() if kind == "board" else text.strip().lower()  # what a label's code says is a serial
        rows = listed(self.host.home, wanted)
        for row in rows:
            bench = self.host.desk.bench if row.id == self.host.desk.bench.id else Bench(self.host.home, row.id)
            if serial := next((s for s in bench.state.boards if s.lower() == wanted), None):
                if bench is not self.host.desk.bench:
                    self.open(row.id)
                self._go_to(serial)
                return
        if rows:
            self.choose(text)
        else:
            self.host.desk.say(f"Nothing here is called {text}.")

    def _go_to(self, serial: str) -> None:
        board, desk = self.host.desk.bench.state.boards[serial], self.host.desk
        desk.go(board.step if board.step in desk.bench.route.steps.by_id else None, serial)
        lots = {f.lot for f in desk.bench.state[Bins].filled.values() if f.lot}
        where = "released" if board.released_at else f"at {desk.bench.batch.where(board)}"
        desk.say(
            f"{serial} is {where}; parts of {len(lots)} lots went into its batch." if lots else f"{serial} is {where}."
        )

    def act(self, what: str, row: Listed) -> None:
        """Something is done with a batch of the rack, the open one or another."""
        here = self.host.desk.bench
        if what == "write":
            self._write(row.name, self.host.home, row.id)
            return
        try:
            bench = (
                here if (here.id, here.journal.url) == (row.id, self.host.home.url) else Bench(self.host.home, row.id)
            )
            if command := self._command(what, bench):
                bench.do(command)
        except (Refused, BadInput, NotSaved) as problem:
            self.host.desk.say(str(problem))
        else:
            self.host.refresh()

    def _command(self, what: str, bench: Bench) -> Command | None:
        status, name = bench.state[Standing].status, title(bench.state)
        if what == "rename":
            prompt = "Name of the batch; nothing gives it its design and number again"
            text, sure = QInputDialog.getText(
                self.host.widget(), name, prompt, QLineEdit.EchoMode.Normal, bench.state[Standing].name
            )
            return RenameBatch(text) if sure else None
        if what == "pause" and status != OPEN:
            return TakeUpBatch()
        reason, sure = QInputDialog.getText(self.host.widget(), name, "Why, or what for")
        return RestBatch(RESTS[what], reason) if sure else None

    def write(self) -> None:
        """The open batch as a zip."""
        bench = self.host.desk.bench
        self._write(title(bench.state), bench.journal, bench.id)

    def _write(self, name: str, journal: Journal, batch: int) -> None:
        name = shown(f"{name}.zip").replace("/", "-")
        self.host.files.save_file(
            "Write the whole batch",
            name,
            lambda path: self.host.desk.write(path, rows_out(journal, batch), f"{name} is written."),
        )

    def take_in(self) -> None:
        """A batch from a zip."""
        name, _ = QFileDialog.getOpenFileName(self.host.widget(), "Take in a batch", "", "Batches (*.zip)")
        if name:
            self.read(Path(name))

    def read(self, path: Path) -> None:
        """Take a batch's zip in and open it."""
        home = self.host.home

        def taken_in(step: Step) -> Bench:
            return batch_in(home, read_one(path, MOST_BYTES), path.name, step)

        try:
            bench = waited_for(self.host.widget(), "Taking in a batch", taken_in)
        except (BadInput, NotSaved) as problem:
            self.host.desk.say(str(problem))
        except Left:
            self.host.desk.say(f"{path.name} was left: nothing was taken in.")
        else:
            self.host.show_bench(bench)
            offers = sum(len(bench.workshop[Records].offered(kind)) for kind in KINDS.values())
            more = f" {offers} of its records differ from the ones here: F4 shows them." if offers else ""
            self.host.desk.say(f"{title(bench.state)} was taken in.{more}")
