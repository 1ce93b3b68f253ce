"""Opening designs and batches from the window: menu, folder, zip, drop, recent ones."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMenu, QMessageBox, QProgressDialog

from fusilex import __version__
from fusilex.bench.commands import Redo, Refused, Undo
from fusilex.bench.session import Bench
from fusilex.core.printing.paste import PASTES
from fusilex.core.problems import BadInput
from fusilex.formats.intake import Files
from fusilex.journal.store import NotSaved
from fusilex.ui.reader import Reader

if TYPE_CHECKING:
    from fusilex.ui.window import Window

MOST_RECENT = 6


class Opening:
    """Everything that brings another batch onto the screen. The open batch stays untouched until that has worked."""

    def __init__(self, window: Window) -> None:
        self.window = window
        self.reader: Reader | None = None

    def menu(self) -> None:
        """All that has no key of its own in the strip, with the keys that do it."""
        window = self.window
        menu = QMenu(window)
        for text, key, action in (
            ("Open a folder of design files…", "Ctrl+O", self.choose_folder),
            ("Open a zip of design files…", "Ctrl+Shift+O", self.choose_zip),
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
            ("Undo", "Ctrl+Z", lambda: window.undo(Undo())),
            ("Do again", "Ctrl+Shift+Z", lambda: window.undo(Redo())),
            ("Overrule the chosen judgement…", "F2", window._overrule),
            ("Next judgement", "PgDown", lambda: window.judged.choose(window.judged.chosen + 1)),
            ("Zoom in, out, fit", "+  -  Home", lambda: window._zoom("Home")),
            ("Pan", "Ctrl+arrows", lambda: window._pan("Left")),
            ("Light or dim", "Ctrl+D", window.turn_theme),
            ("Units", "Ctrl+U", window.turn_units),
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

    def choose_zip(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self.window,
            "Zip of design files",
            str(self.window.settings.value("folder", "")),
            "Zip files (*.zip);;All files (*)",
        )
        if name:
            self.dropped(name)

    def dropped(self, name: str) -> None:
        """Read a folder or zip off the thread; ask for the number of boards when it is good."""
        if self.reader and self.reader.isRunning():
            self.window.desk.say("Still reading the last one.")
            return
        self.reader = Reader(Path(name))
        waiting = QProgressDialog(f"Reading {Path(name).name}", "Leave it", 0, 0, self.window)
        waiting.setMinimumDuration(300)
        waiting.canceled.connect(lambda: setattr(self.reader, "left", True))
        self.reader.read.connect(lambda files, title: self._read(name, files, title))
        self.reader.failed.connect(self.window.desk.say)
        self.reader.finished.connect(waiting.reset)
        self.reader.start()

    def _read(self, path: str, files: Files, title: str) -> None:
        boards, sure = QInputDialog.getInt(self.window, "New batch", f"Boards of {title} in this batch", 6, 1, 1000)
        if not sure:
            return
        paste, sure = QInputDialog.getItem(self.window, "New batch", "Paste of this batch", list(PASTES), 0, False)
        if sure:
            self.start_batch(path, files, title, boards, paste)

    def start_batch(self, path: str, files: Files, title: str, boards: int, paste: str = "lead-free") -> None:
        """Open a new batch and put it on the screen."""
        try:
            bench = Bench.open_batch(
                self.window.home, files, title, boards, prefix=(title[:1] or "B").upper(), paste=paste
            )
        except (BadInput, NotSaved, Refused) as problem:
            self.window.desk.say(str(problem))
            return
        self.window.settings.setValue("recent", [path, *(n for n in self.recent() if n != path)][:MOST_RECENT])
        self.window.show_bench(bench)

    def choose_batch(self) -> None:
        journal = self.window.home
        rows = list(reversed(journal.batches()))
        names = [f"{row.name}    opened {row.opened_at[:16].replace('T', ' ')} UTC    [{row.id}]" for row in rows]
        name, sure = QInputDialog.getItem(self.window, "Batches", "Go to batch", names, 0, False)
        if sure:
            self.window.show_bench(Bench(journal, rows[names.index(name)].id))
