"""The journal as a file: backed up, gone back to, checked and mended, from the menu."""

from __future__ import annotations

import threading
from collections.abc import Callable
from datetime import date
from pathlib import Path

from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtWidgets import QInputDialog, QMessageBox

from fusilex.bench.record.opening import newest_readable
from fusilex.bench.record.rescue import Checked, check, gone_back, mend
from fusilex.bench.rooms import open_journal
from fusilex.core.problems import BadInput
from fusilex.core.progress import Left, Step
from fusilex.core.shown import shown
from fusilex.journal.backups import copy_to, daily, kept
from fusilex.journal.trouble import NotSaved
from fusilex.ui.frame.host import Host
from fusilex.ui.frame.waiting import waited_for

MOST_SHOWN = 5


class JournalCare(QObject):
    """Looks after the journal new batches go to."""

    told = pyqtSignal(str)

    def __init__(self, host: Host, demo_url: str = "") -> None:
        super().__init__()
        self.host, self.demo_url = host, demo_url
        self.told.connect(self._say)

    def _say(self, text: str) -> None:
        self.host.desk.say(text)  # the desk of then: another batch may be on it by now

    @property
    def path(self) -> Path | None:
        return self.host.home.path

    def back_up_daily(self) -> threading.Thread | None:
        """The day's copy, made beside the window's own work; only what goes wrong is said."""
        path = self.path
        if path is None or self.host.home.only_read:
            return None

        def work() -> None:
            try:
                daily(path, date.today())
            except NotSaved as problem:
                self.told.emit(str(problem))

        thread = threading.Thread(target=work, daemon=True)
        thread.start()
        return thread

    def back_up(self) -> None:
        """A whole copy where the user wants it."""
        if self.path is None:
            self.host.desk.say("This journal is a database with backups of its own.")
            return
        name = f"{self.path.stem}-{date.today().isoformat()}.sqlite"
        self.host.files.save_file("Back up the journal", name, self._back_up_to)

    def _back_up_to(self, name: str) -> None:
        assert self.path is not None
        try:
            copy_to(self.path, Path(name))
        except NotSaved as problem:
            self.host.desk.say(str(problem))
        else:
            self.host.desk.say(f"{Path(name).name} is a whole copy of the journal.")

    def go_back(self) -> None:
        """Choose one of the daily copies; the journal as it is now is set aside."""
        path = self.path
        copies = kept(path) if path else []
        if path is None or not copies:
            self.host.desk.say("There is no backup yet: one is made each day the window is opened.")
            return
        words = [copy.words for copy in copies]
        prompt = "The journal as it is now is set aside beside it. Go back to"
        chosen, sure = QInputDialog.getItem(self.host.widget(), "Go back to a backup", prompt, words, 0, False)
        if sure:
            self._swap(lambda step: gone_back(path, copies[words.index(chosen)]))

    def mend(self) -> None:
        """Check all of it; where something is wrong, keep what can be read."""
        path, widget = self.path, self.host.widget()
        if path is None:
            self.host.desk.say("This journal is a database with tools of its own.")
            return
        try:
            found = waited_for(widget, "Checking the journal", lambda step: check(path, step))
        except BadInput as problem:
            self.host.desk.say(str(problem))
            return
        except Left:
            return
        entries = sum(len(stream.kept) for stream in found.streams)
        if not found.wrong and not self.host.home.only_read:
            self.host.desk.say(f"The journal is whole: {entries:,} entries.")
            return
        box = QMessageBox(QMessageBox.Icon.Warning, "Mend the journal", _told(found, entries), parent=widget)
        box.setTextFormat(Qt.TextFormat.PlainText)
        yes = box.addButton("Mend it", QMessageBox.ButtonRole.AcceptRole)
        box.addButton("Leave it", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        if box.clickedButton() is yes:
            self._swap(lambda step: mend(path, step))

    def _swap(self, swap: Callable[[Step], str]) -> None:
        """Put another file in the journal's place and open it; the newest batch of it comes on the screen."""
        home = self.host.home
        self.host.desk.bench.busy = True  # nobody looks into the file meanwhile
        home.close()
        try:
            said = waited_for(self.host.widget(), "Mending the journal", swap)
        except (NotSaved, BadInput) as problem:
            said = str(problem)
        except Left:
            said = "The journal is as it was."
        self.host.home = open_journal(home.url)
        bench, unread = newest_readable(self.host.home, self.demo_url or home.url)
        self.host.show_bench(bench)
        self.host.desk.say(f"{said} {unread}".strip())


def _told(found: Checked, entries: int) -> str:
    more = len(found.wrong) - MOST_SHOWN
    lines = [*found.wrong[:MOST_SHOWN], *([f"… and {more} more."] if more > 0 else [])]
    return (
        shown("\n".join(lines), lines=True)
        + f"\n\nMending keeps {entries:,} entries and leaves out {found.lost}, which are written beside it. The file as"
        " it is now is set aside. Batches that lost something say so at Release and in their papers."
    )
