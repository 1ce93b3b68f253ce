"""The menu: all that has no key of its own in the strip, with the keys that do it."""

from __future__ import annotations

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QMenu, QMessageBox

from fusilex import __version__
from fusilex.bench.common.commands import Redo, Undo
from fusilex.ui.frame.frame_keys import FrameKeys
from fusilex.ui.frame.host import Host
from fusilex.ui.widgets.words import menu_words


class Menu:
    """Opens above the strip of keys."""

    def __init__(self, host: Host, keys: FrameKeys) -> None:
        self.host, self.keys = host, keys

    def open(self) -> None:
        """All that has no key of its own in the strip, with the keys that do it."""
        host, window = self.host, self.host.widget()
        menu = QMenu(window)
        for text, key, action in (
            ("Open a folder of design files…", "Ctrl+O", host.files.choose_folder),
            ("Open a zip, or add single files…", "Ctrl+Shift+O", host.files.choose_files),
            ("Batches…", "Ctrl+B", host.batches.choose),
            ("Write the whole batch as a zip…", "", host.batches.write),
            ("Take in a batch from a zip…", "", host.batches.take_in),
        ):
            menu.addAction(f"{text}\t{key}", action)
        recent = menu.addMenu("Recent designs")
        if recent is not None:
            for name in host.files.recent():
                recent.addAction(menu_words(name), lambda n=name: host.files.dropped(n))
            recent.setEnabled(bool(host.files.recent()))
        journal = menu.addMenu("Journal")
        if journal is not None:
            journal.addAction("Back up the journal…", host.care.back_up)
            journal.addAction("Go back to a backup…", host.care.go_back)
            journal.addAction("Check it, and mend it…", host.care.mend)
        menu.addSeparator()
        for text, key, action in (
            ("Take back the last thing done here", "Ctrl+Z", lambda: self.keys.turn(Undo())),
            ("Do again", "Ctrl+Shift+Z", lambda: self.keys.turn(Redo())),
            ("Overrule the chosen judgement…", "F2", self.keys.overrule),
            ("Workshop…", "F4", host.workshop),
            ("Send this board back, or take one back…", "F3", self.keys.send_back),
            ("Find a serial or lot…", "Ctrl+F", lambda: self.keys.desk.ask("Find a serial or lot", host.batches.find)),
            ("Trace a board, lot, jar, load…", "Ctrl+T", self.keys.trace),
            ("Next judgement", "PgDown", lambda: self.keys.step_judgement(1)),
            ("Step after, before this one", "Alt+Right  Alt+Left", lambda: self.keys.step_route(1)),
            ("View before this one", "Shift+Tab", self.keys.view_before),
            ("Zoom in, out, fit", "+  -  Home", lambda: self.keys.zoom("Home")),
            ("Pan", "Ctrl+arrows", lambda: self.keys.pan("Left")),
            ("Light or dim", "Ctrl+D", self.keys.turn_theme),
            ("Units", "Ctrl+U", self.keys.turn_units),
            ("About Fusilex", "", self.about),
            ("Quit", "Ctrl+Q", host.close),
        ):
            menu.addAction(f"{text}\t{key}", action)
        menu.popup(window.mapToGlobal(QPoint(20, window.height() - menu.sizeHint().height() - 40)))

    def about(self) -> None:
        QMessageBox.about(
            self.host.widget(),
            "About Fusilex",
            f"Fusilex {__version__}\nBench companion for small-batch circuit board assembly.\n\nGPL-3.0-or-later. Fonts"
            " B612 and B612 Mono, SIL Open Font License 1.1.",
        )
