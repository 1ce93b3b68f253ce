"""A reading from an instrument's port, off the window's thread: the window only takes finished ones."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from PyQt6.QtCore import QObject

from fusilex.bench.refusal import Refused
from fusilex.ui.desk import Desk
from fusilex.ui.search import Aside

T = TypeVar("T")


class Reading(QObject):
    """One at a time for each picture; where there is none, a sentence is said. What comes when another batch is on the
    desk by then is dropped.
    """

    def __init__(self, parent: QObject, desk: Desk) -> None:
        super().__init__(parent)
        self._aside, self._desk = Aside(self, desk.say), desk

    @property
    def busy(self) -> bool:
        return self._aside.busy

    def ask(self, read: Callable[[], T], then: Callable[[T], None]) -> None:
        """Begin, and hand what was read to `then`; nothing is asked for while the last one is under way.

        `read` raises `Refused`, and must not look at the batch: it goes on meanwhile.
        """
        if self.busy:
            self._desk.say("The last reading is still under way.")
            return
        bench = self._desk.bench

        def kept() -> T | Refused:
            try:
                return read()
            except Refused as problem:
                return problem

        def told(found: T | Refused) -> None:
            if self._desk.bench is not bench:
                return
            if isinstance(found, Refused):
                self._desk.say(str(found))
            else:
                then(found)

        self._aside.look(kept, told)
