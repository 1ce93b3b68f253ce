"""A search off the window's thread: better and better programmes are told, until time is up or it is left."""

from __future__ import annotations

import time
from collections.abc import Callable

from PyQt6.QtCore import QObject, QThread, pyqtSignal

from fusilex.bench.computer.mishaps import write_down
from fusilex.core.problems import BadInput
from fusilex.core.programme.optimise import Found, Seen, Spent

TOLD_S = 0.15
Work = Callable[[Spent, Seen], object]
"""What is searched for: asked how much time is spent, telling what is found on the way."""


_RUNNING: set[Search] = set()
"""Searches that are under way: a thread outlives the window that asked for it."""


class Search(QThread):
    """Emits what was found so far now and then, and the best at the end; `leave` ends it with what is known."""

    better = pyqtSignal(object, float)
    finished_with = pyqtSignal(object)
    failed = pyqtSignal(str)

    def __init__(self, work: Work, seconds: float) -> None:
        super().__init__()
        self.work, self.seconds = work, seconds
        self.left = False
        self._began = self._told = 0.0
        _RUNNING.add(self)
        self.finished.connect(lambda: _RUNNING.discard(self))

    def leave(self) -> None:
        self.left = True

    def spent(self) -> float:
        """The share of the time that is spent; all of it once the search was left."""
        return 1.0 if self.left else (time.monotonic() - self._began) / self.seconds

    def run(self) -> None:
        self._began = time.monotonic()
        try:
            self.finished_with.emit(self.work(self.spent, self._seen))
        except (ValueError, BadInput) as problem:
            self.failed.emit(f"{problem}.")
        except Exception as error:  # a defect must not take the window with it
            self.failed.emit(f"The search ended in a mistake in Fusilex. {write_down(error)}")

    def _seen(self, found: Found) -> None:
        if time.monotonic() - self._told > TOLD_S:
            self._told = time.monotonic()
            self.better.emit(found, self.spent())


class Aside(QObject):
    """One thing at a time that is worked out beside the window: what was asked for it is told what was found, `failed`
    a sentence. Once the window is gone nobody is told.
    """

    def __init__(self, parent: QObject, failed: Callable[[str], None]) -> None:
        super().__init__(parent)
        self._search: Search | None = None
        self._then: Callable[..., None] = failed
        self._told = failed

    @property
    def busy(self) -> bool:
        return self._search is not None

    def look(self, work: Callable[[], object], then: Callable[..., None], seconds: float = 10.0) -> None:
        """Begin, and tell `then` what was found. Only while nothing else is worked out."""
        assert not self.busy
        self._search, self._then = Search(lambda spent, seen: work(), seconds), then
        self._search.finished_with.connect(self._done)
        self._search.failed.connect(self._failed)
        self._search.start()

    def _done(self, found: object) -> None:
        self._end()
        self._then(found)

    def _failed(self, text: str) -> None:
        self._end()
        self._told(text)

    def _end(self) -> None:
        if self._search is not None:
            self._search.wait()
        self._search = None
