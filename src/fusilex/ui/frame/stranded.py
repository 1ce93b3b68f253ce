"""When the journal cannot be opened: what is wrong, and the ways on."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QDialog, QFileDialog, QPushButton, QVBoxLayout

from fusilex.bench.record.rescue import gone_back, mend
from fusilex.core.problems import BadInput
from fusilex.core.progress import Left, Step
from fusilex.journal.backups import kept
from fusilex.journal.place import path_of, sqlite_url
from fusilex.journal.trouble import NotSaved
from fusilex.ui.frame.waiting import waited_for
from fusilex.ui.theme import theme
from fusilex.ui.widgets.words import plain_label


class Stranded(QDialog):
    """One sentence and what can be done; `url` is the journal to try next, '' to leave."""

    def __init__(self, why: str, url: str, demo_url: str) -> None:
        super().__init__()
        self.setWindowTitle("Fusilex: the journal")
        self.setMinimumWidth(round(theme.base * 50))
        self.url, self._tried = "", url
        self.said = plain_label(why, wrapped=True)
        column = QVBoxLayout(self)
        column.addWidget(self.said)
        path = path_of(url)
        self.backups = kept(path) if path else []
        self._button("Try again", lambda: self._leave(url), column)
        if path and self.backups:
            newest = self.backups[0]
            words = f"Go back to the backup of {newest.words}"
            self._button(words, lambda: self._instead(lambda step: gone_back(path, newest)), column)
        if path and path.is_file():
            self._button("Mend it: keep what can be read", lambda: self._instead(lambda step: mend(path, step)), column)
        self._button("Open another journal…", self.other, column)
        if demo_url != url:
            self._button("Look at the demo", lambda: self._leave(demo_url), column)
        self._button("Quit", self.reject, column)

    def _button(self, text: str, action: Callable[[], object], column: QVBoxLayout) -> None:
        button = QPushButton(text)
        button.clicked.connect(action)
        column.addWidget(button)

    def _leave(self, url: str) -> None:
        self.url = url
        self.accept()

    def _instead(self, put: Callable[[Step], str]) -> None:
        """Put another file in the journal's place and try that; what lay there is set aside."""
        try:
            waited_for(self, "Mending the journal", put)
        except (NotSaved, BadInput) as problem:
            self.said.setText(str(problem))
        except Left:
            pass
        else:
            self._leave(self._tried)

    def other(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "A journal", "", "Journals (*.sqlite)")
        if name:
            self._leave(sqlite_url(Path(name)))
