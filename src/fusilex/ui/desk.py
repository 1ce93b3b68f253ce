"""What stations and frame share: the open bench, commands carried out with their answer, questions to the user."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import TypeVar

from PyQt6.QtCore import QObject, pyqtSignal

from fusilex.bench.batch import Batch
from fusilex.bench.command import Command
from fusilex.bench.common.events import Moved
from fusilex.bench.record.bench import Bench
from fusilex.bench.refusal import Refused
from fusilex.core.judgement import Judgement
from fusilex.core.problems import BadInput
from fusilex.core.route.steps import DONE
from fusilex.core.shown import shown
from fusilex.formats.written.whole import write_whole
from fusilex.journal.entries import Entry
from fusilex.journal.trouble import NotSaved
from fusilex.ui.canvas.paths import BoardArt

T = TypeVar("T")


class Desk(QObject):
    """The one object every station holds. `said` is the answer to the last key, shown on the Now card. `changed`: the
    batch may be another; `ticked`: a clock of the station in view went on, and nothing else.
    """

    changed = pyqtSignal()
    ticked = pyqtSignal()
    looked = pyqtSignal()
    sat = pyqtSignal(str)
    asked = pyqtSignal(str, str, object)
    choosing_file = pyqtSignal(str, str, object)
    saving_file = pyqtSignal(str, str, object)

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self.bench = bench
        self.art = BoardArt(bench.design)
        self.said, self._passed = "", ""
        self.judgement: Judgement | None = None  # the one in hand, for what its fix would do

    @property
    def batch(self) -> Batch:
        """The batch as it stands."""
        return self.bench.batch

    def do(self, command: Command, done: str = "") -> list[Entry] | None:
        """Carry out a command; None when it was refused, with the reason said."""
        try:
            events = self.bench.do(command)
        except (Refused, BadInput, NotSaved) as problem:
            self.say(str(problem))
            return None
        self._passed = self._passed_by(events)
        self.say(f"{done} {self._passed}".strip())
        return events

    def _passed_by(self, entries: Sequence[Entry]) -> str:
        """Steps that had no work for boards just moved, named when the first one goes past."""
        state, steps = self.bench.state, self.bench.route.steps
        found = []
        for moved in (e.event for e in entries if isinstance(e.event, Moved)):
            there = len(moved.boards)
            found += [s for s in moved.passed if sum(s in b.passed for b in state.boards.values()) == there]
        names = " and ".join(dict.fromkeys(steps.label(s) for s in found))
        return f"Nothing to do at {names}." if names else ""

    def went(self, serial: str) -> str:
        """Where a board has gone with the last command, in words."""
        board = self.bench.state.boards[serial]
        if board.step == DONE:
            return f"Board {serial} is done."
        return f"Board {serial} goes to {self.bench.batch.where(board)}. {self._passed}".strip()

    def read(self, parse: Callable[[], T]) -> T | None:
        """What was typed, read; None when it means nothing, with an example said."""
        try:
            return parse()
        except Refused as problem:
            self.say(str(problem))
            return None

    def write(self, name: str | Path, data: bytes | Callable[[], bytes], done: str) -> None:
        """Write a file, made now where `data` makes it, and say so, or say why it cannot be written."""
        self.write_all({Path(name): data}, done)

    def write_all(self, files: Mapping[Path, bytes | Callable[[], bytes]], done: str) -> None:
        """Write files, all of them or none."""
        name = next(iter(files)).name
        try:
            write_whole({path: data() if callable(data) else data for path, data in files.items()})
        except OSError as error:
            self.say(f"{name} cannot be written: {error.strerror or error}.")
        else:
            self.say(done)

    def say(self, text: str) -> None:
        self.said = shown(text, lines=True)
        self.changed.emit()

    def go(self, step: str | None = None, board: str | None = None, said: str = "") -> None:
        """Look at a step and board, with what was `said` still to be read there."""
        try:
            self.bench.go(step, board)
        except Refused as problem:
            self.say(str(problem))
        else:
            self.looked.emit()
            self.say(said)

    def sit(self, who: str) -> None:
        """Somebody sits at this window: what is done from now on is theirs."""
        self.bench.who = who
        self.sat.emit(who)
        self.say(f"{who} is at this window.")

    def ask(self, prompt: str, then: Callable[[str], object], given: str = "") -> None:
        """Ask for a line of text at the foot of the bench."""
        self.asked.emit(shown(prompt), shown(given), lambda text: then(shown(text)))

    def choose_file(self, prompt: str, pattern: str, then: Callable[[str], None]) -> None:
        self.choosing_file.emit(prompt, pattern, then)

    def save_file(self, prompt: str, name: str, then: Callable[[str], None]) -> None:
        self.saving_file.emit(prompt, name, then)
