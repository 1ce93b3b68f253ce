"""Files and batches of the window: folder, zip, drop, recent ones, what stations read and write."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QProgressDialog

from fusilex.bench.common.route import SidesChosen
from fusilex.bench.record.beginning import Prepared
from fusilex.bench.record.bench import Bench
from fusilex.bench.record.stream import Stream
from fusilex.bench.refusal import Refused
from fusilex.bench.rooms import workshop_state
from fusilex.bench.source import Reading, read_for
from fusilex.bench.state import WorkshopState
from fusilex.bench.stations.ready.files import AddFiles
from fusilex.bench.workshop.habits import Habits
from fusilex.bench.workshop.records import Records
from fusilex.core.problems import BadInput
from fusilex.core.route.steps import FIRST
from fusilex.formats.bundle import Files, check_regular, is_single, read_one
from fusilex.formats.identify import identify
from fusilex.journal.bundle import MOST_BYTES, is_bundle
from fusilex.journal.trouble import NotSaved
from fusilex.ui.frame.batches.new_batch import Wanted, ask_new_batch
from fusilex.ui.frame.host import Host
from fusilex.ui.frame.reader import Reader
from fusilex.ui.widgets.words import plain_label

MOST_RECENT = 6


class FileDialogs:
    """Asks for files, above all for another batch. The open one stays untouched until that has worked."""

    def __init__(self, host: Host) -> None:
        self.host = host
        self.reader: Reader | None = None

    def recent(self) -> list[str]:
        found = self.host.settings.value("recent", [])
        return [str(n) for n in (found if isinstance(found, list) else [found]) if n][:MOST_RECENT]

    def choose_folder(self) -> None:
        if name := QFileDialog.getExistingDirectory(
            self.host.widget(), "Folder of design files", str(self.host.settings.value("folder", ""))
        ):
            self.dropped(name)

    def choose_files(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(
            self.host.widget(), "Zip, or single files", str(self.host.settings.value("folder", ""))
        )
        if names:
            self.dropped(*names)

    def dropped(self, *names: str) -> None:
        """Read a folder, a zip or single files off the thread.

        Single files go with the design on the screen while its files are still open; anything else starts a new
        batch, after the number of boards was asked.
        """
        if self.reader and self.reader.isRunning():
            self.host.desk.say("Still reading the last one.")
            return
        paths = [Path(n) for n in names]
        if len(paths) == 1 and holds_batch(paths[0]):
            self.host.batches.read(paths[0])
            return
        beside = self._go_beside(paths)
        try:
            habits = self._shop()[Habits]
        except BadInput as problem:  # the workshop's record is damaged: nothing new begins on it
            self.host.desk.say(str(problem))
            return
        self.reader = reader = Reader(paths, None if beside else partial(read_for, habits))
        waiting = QProgressDialog("", "Leave it", 0, 100, self.host.widget())
        waiting.setLabel(plain_label(f"Reading {paths[0].name}"))
        waiting.setMinimumDuration(300)
        waiting.canceled.connect(lambda: setattr(reader, "left", True))
        reader.progress.connect(lambda share, _: waiting.setValue(min(share, 99)))
        reader.progress.connect(lambda _, what: waiting.setLabelText(what))
        if beside:
            reader.read.connect(self._added)
        else:
            again = names[0] if len(names) == 1 else ""  # single files are not found again by one name
            reader.read.connect(lambda files, title, read: self._read(again, files, title, read))
        reader.failed.connect(self.host.desk.say)
        reader.finished.connect(waiting.reset)
        reader.start()

    def _shop(self) -> WorkshopState:
        """The workshop of the journal new batches go to."""
        home = self.host.home
        return Stream(home.workshop, workshop_state, home.since(home.workshop)).state

    def _go_beside(self, paths: list[Path]) -> bool:
        """True when single files are dropped at Ready on a design whose files are still open: they go with it."""
        bench = self.host.desk.bench
        open_still = bench.view.step == FIRST[0] and len(bench.state.at(FIRST[0])) == len(bench.state.boards)
        if not open_still or not all(is_single(p) for p in paths):
            return False
        heads = {p.name: _head(p) for p in paths}
        return sum(identify(name, head).kind == "gerber" for name, head in heads.items()) < 3

    def _added(self, files: Files, title: str, read: None) -> None:
        words = ", ".join(files) if len(files) < 4 else f"{len(files)} files"
        self.host.desk.do(AddFiles(files), f"Added {words}.")

    def _read(self, path: str, files: Files, title: str, read: Reading) -> None:
        if wanted := ask_new_batch(self.host.widget(), title, read.design, self._shop()[Records]):
            self.start_batch(path, files, title, wanted, read)

    def start_batch(
        self,
        path: str,
        files: Files,
        title: str,
        wanted: Wanted,
        read: Reading | None = None,
    ) -> None:
        """Open a new batch and put it on the screen."""
        order = [SidesChosen(wanted.order)] if wanted.order else []
        try:
            bench = Bench.open_batch(
                self.host.home,
                files,
                title,
                wanted.boards,
                prefix=wanted.prefix,
                paste=wanted.paste,
                number=wanted.number or None,
                prepared=Prepared(read, order),
            )
        except (BadInput, NotSaved, Refused) as problem:
            self.host.desk.say(str(problem))
            return
        if path:
            self.host.settings.setValue("recent", [path, *(n for n in self.recent() if n != path)][:MOST_RECENT])
        self.host.show_bench(bench)

    def choose_file(self, prompt: str, pattern: str, then: Callable[[str], None]) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self.host.widget(), prompt, str(self.host.settings.value("folder", "")), pattern
        )
        if name:
            self._remember_folder(name)
            then(name)

    def save_file(self, prompt: str, name: str, then: Callable[[str], None]) -> None:
        folder = str(self.host.settings.value("folder", "") or "")
        chosen, _ = QFileDialog.getSaveFileName(self.host.widget(), prompt, f"{folder}/{name}" if folder else name)
        if chosen:
            self._remember_folder(chosen)
            then(chosen)

    def _remember_folder(self, name: str) -> None:
        self.host.settings.setValue("folder", str(Path(name).parent))


def holds_batch(path: Path) -> bool:
    """True for a zip that a whole batch was written to."""
    try:
        return path.suffix.lower() == ".zip" and path.is_file() and is_bundle(read_one(path, MOST_BYTES))
    except BadInput:
        return False


def _head(path: Path) -> bytes:
    """The first of a file, as much as tells what it is."""
    try:
        check_regular(path)
        with path.open("rb") as stream:
            return stream.read(6000)
    except (OSError, BadInput):
        return b""
