"""Files and batches of the window: menu, folder, zip, drop, recent ones, what stations read and write."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMenu, QMessageBox, QProgressDialog

from fusilex import __version__
from fusilex.bench.commands import AddFiles, Redo, Refused, Undo
from fusilex.bench.session import Bench, Reading, read_for
from fusilex.bench.workshop import Workshop
from fusilex.core.printing.paste import PASTES
from fusilex.core.problems import BadInput
from fusilex.formats.bundle import Files, is_single
from fusilex.formats.identify import identify
from fusilex.journal.store import NotSaved
from fusilex.ui.reader import Reader

if TYPE_CHECKING:
    from fusilex.ui.window import Window

MOST_RECENT = 6


class Opening:
    """What asks for files, above all for another batch. The open one stays untouched until that has worked."""

    def __init__(self, window: Window) -> None:
        self.window = window
        self.reader: Reader | None = None

    def menu(self) -> None:
        """All that has no key of its own in the strip, with the keys that do it."""
        window = self.window
        menu = QMenu(window)
        for text, key, action in (
            ("Open a folder of design files…", "Ctrl+O", self.choose_folder),
            ("Open a zip, or add single files…", "Ctrl+Shift+O", self.choose_files),
            ("Go to another batch…", "Ctrl+B", self.choose_batch),
        ):
            menu.addAction(f"{text}\t{key}", action)
        recent = menu.addMenu("Recent designs")
        if recent is not None:
            for name in self.recent():
                recent.addAction(name, lambda n=name: self.dropped(n))
            recent.setEnabled(bool(self.recent()))
        menu.addSeparator()
        for text, key, action in (
            ("Undo", "Ctrl+Z", lambda: window.everywhere.undo(Undo())),
            ("Do again", "Ctrl+Shift+Z", lambda: window.everywhere.undo(Redo())),
            ("Overrule the chosen judgement…", "F2", window.everywhere.overrule),
            ("Next judgement", "PgDown", lambda: window.everywhere.step_judgement(1)),
            ("View before this one", "Shift+Tab", window.everywhere.view_before),
            ("Zoom in, out, fit", "+  -  Home", lambda: window.everywhere.zoom("Home")),
            ("Pan", "Ctrl+arrows", lambda: window.everywhere.pan("Left")),
            ("Light or dim", "Ctrl+D", window.everywhere.turn_theme),
            ("Units", "Ctrl+U", window.everywhere.turn_units),
            ("About Fusilex", "", self.about),
            ("Quit", "Ctrl+Q", window.close),
        ):
            menu.addAction(f"{text}\t{key}", action)
        menu.popup(window.mapToGlobal(QPoint(20, window.height() - menu.sizeHint().height() - 40)))

    def about(self) -> None:
        QMessageBox.about(
            self.window,
            "About Fusilex",
            f"Fusilex {__version__}\nBench companion for small-batch circuit board assembly.\n\nGPL-3.0-or-later. Fonts B612 and B612 Mono, SIL Open Font License 1.1.",
        )

    def recent(self) -> list[str]:
        found = self.window.settings.value("recent", [])
        return [str(n) for n in (found if isinstance(found, list) else [found]) if n][:MOST_RECENT]

    def choose_folder(self) -> None:
        if name := QFileDialog.getExistingDirectory(
            self.window, "Folder of design files", str(self.window.settings.value("folder", ""))
        ):
            self.dropped(name)

    def choose_files(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(
            self.window, "Zip, or single files", str(self.window.settings.value("folder", ""))
        )
        if names:
            self.dropped(*names)

    def dropped(self, *names: str) -> None:
        """Read a folder, a zip or single files off the thread.

        Single files go with the design on the screen while its files are still open; anything else starts a new batch, after
        the number of boards was asked.
        """
        if self.reader and self.reader.isRunning():
            self.window.desk.say("Still reading the last one.")
            return
        paths = [Path(n) for n in names]
        beside = self._go_beside(paths)
        workshop = Workshop(self.window.home)
        self.reader = reader = Reader(paths, None if beside else partial(read_for, workshop))
        waiting = QProgressDialog(f"Reading {paths[0].name}", "Leave it", 0, 100, self.window)
        waiting.setMinimumDuration(300)
        waiting.canceled.connect(lambda: setattr(reader, "left", True))
        reader.progress.connect(lambda share, what: (waiting.setValue(min(share, 99)), waiting.setLabelText(what)))
        if beside:
            reader.read.connect(self._added)
        else:
            again = names[0] if len(names) == 1 else ""  # single files are not found again by one name
            reader.read.connect(lambda files, title, read: self._read(again, files, title, read))
        reader.failed.connect(self.window.desk.say)
        reader.finished.connect(waiting.reset)
        reader.start()

    def _go_beside(self, paths: list[Path]) -> bool:
        """True when single files are dropped at Ready on a design whose files are still open: they go with it."""
        bench = self.window.desk.bench
        open_still = bench.state.station == "Ready" and len(bench.state.at("Ready")) == len(bench.state.boards)
        if not open_still or not all(is_single(p) for p in paths):
            return False
        heads = {p.name: _head(p) for p in paths}
        return sum(identify(name, head).kind == "gerber" for name, head in heads.items()) < 3

    def _added(self, files: Files, title: str, read: None) -> None:
        words = ", ".join(files) if len(files) < 4 else f"{len(files)} files"
        self.window.desk.do(AddFiles(files), f"Added {words}.")

    def _read(self, path: str, files: Files, title: str, read: Reading) -> None:
        boards, sure = QInputDialog.getInt(self.window, "New batch", f"Boards of {title} in this batch", 6, 1, 1000)
        if not sure:
            return
        paste, sure = QInputDialog.getItem(self.window, "New batch", "Paste of this batch", list(PASTES), 0, False)
        if sure:
            self.start_batch(path, files, title, boards, paste, read)

    def start_batch(
        self,
        path: str,
        files: Files,
        title: str,
        boards: int,
        paste: str = "lead-free",
        read: Reading | None = None,
    ) -> None:
        """Open a new batch and put it on the screen."""
        try:
            bench = Bench.open_batch(
                self.window.home, files, title, boards, prefix=(title[:1] or "B").upper(), paste=paste, read=read
            )
        except (BadInput, NotSaved, Refused) as problem:
            self.window.desk.say(str(problem))
            return
        if path:
            self.window.settings.setValue("recent", [path, *(n for n in self.recent() if n != path)][:MOST_RECENT])
        self.window.show_bench(bench)

    def choose_batch(self) -> None:
        journal = self.window.home
        rows = list(reversed(journal.batches()))
        names = [f"{row.name}    opened {row.opened_at[:16].replace('T', ' ')} UTC    [{row.id}]" for row in rows]
        name, sure = QInputDialog.getItem(self.window, "Batches", "Go to batch", names, 0, False)
        if sure:
            self.window.show_bench(Bench(journal, rows[names.index(name)].id))

    def choose_file(self, prompt: str, pattern: str, then: Callable[[str], None]) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self.window, prompt, str(self.window.settings.value("folder", "")), pattern
        )
        if name:
            self._remember_folder(name)
            then(name)

    def save_file(self, prompt: str, name: str, then: Callable[[str], None]) -> None:
        folder = str(self.window.settings.value("folder", "") or "")
        chosen, _ = QFileDialog.getSaveFileName(self.window, prompt, f"{folder}/{name}" if folder else name)
        if chosen:
            self._remember_folder(chosen)
            then(chosen)

    def _remember_folder(self, name: str) -> None:
        self.window.settings.setValue("folder", str(Path(name).parent))


def _head(path: Path) -> bytes:
    """The first of a file, as much as tells what it is."""
    try:
        with path.open("rb") as stream:
            return stream.read(6000)
    except OSError:
        return b""
