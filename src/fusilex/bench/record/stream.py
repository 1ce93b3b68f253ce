"""One stream of the journal and what it adds up to: a batch's, or the workshop's."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Generic, TypeVar

from fusilex.journal.entries import Entry, Unreadable
from fusilex.journal.folding import TAIL, Folded, Redone, Undone, apply, begun, checkpoint, fold
from fusilex.journal.store import Journal

State = TypeVar("State", bound=Folded)


class Stream(Generic[State]):
    """`history` is what is on the disk, `state` its fold."""

    def __init__(self, id: int, start: Callable[[], State], happened: Sequence[Entry] = ()) -> None:
        self.id, self._start = id, start
        self.history: list[Entry] = list(happened)
        self.state: State
        self._since, self.state = begun(self.history, start)

    def take(self, happened: Sequence[Entry]) -> bool:
        """Add entries that are on the disk; True when there was something."""
        self.history += happened
        if any(isinstance(entry.event, Undone | Redone) for entry in happened):
            self.state = fold(self.history, self._start, self._since)
            return True
        if len(self.history) - self._since.count > 2 * TAIL:
            self._since = checkpoint(self.history, self._start, self._since)
        for entry in happened:
            apply(self.state, entry)
            if entry.event is not None and entry.event.undoable:
                self.state.undone.clear()  # what was undone before cannot come back after something new
        return bool(happened)

    def forget(self, last: int) -> None:
        """Leave out what came after an entry: it never reached the disk."""
        if self.history and self.history[-1].id > last:
            self.history = [entry for entry in self.history if entry.id <= last]
            self.state = fold(self.history, self._start, self._since)

    @property
    def last(self) -> int:
        return self.history[-1].id if self.history else 0

    def knows(self, deed: str) -> bool:
        return any(entry.deed == deed for entry in self.history)


def as_far_as(journal: Journal, stream: int, start: Callable[[], Folded]) -> tuple[list[Entry], str]:
    """Entries up to the first that cannot be read or does not fit what came before, and what is wrong with it; ''
    where all is well.
    """
    entries, wrong = journal.as_far_as(stream)
    while True:
        try:
            fold(entries, start)
        except Unreadable as problem:
            wrong = str(problem)
            entries = [entry for entry in entries if entry.id < problem.id]
        else:
            return entries, wrong
