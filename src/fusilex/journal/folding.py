"""Folding entries into a state, with undo and redo as entries among them."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import ClassVar, Protocol, TypeVar

from msgspec import Struct, field

from fusilex.journal.entries import Entry, Event, Unreadable, uncollected


class Undone(Event, frozen=True):
    """A deed was taken back: the fold leaves it out."""

    kind: ClassVar[str] = "undone"
    undoable: ClassVar[bool] = False
    deed: str


class Redone(Event, frozen=True):
    """A deed that was taken back is there again."""

    kind: ClassVar[str] = "redone"
    undoable: ClassVar[bool] = False
    deed: str


class Deed(Struct):
    """What one command left in the record: where the eyes were, which boards it was about, and what it was in words."""

    id: str
    last: int
    station: str = ""
    boards: set[str] = field(default_factory=set)
    words: str = ""


class Folded(Protocol):
    """What every state keeps beside its own fields: the newest entry, deeds done, and deeds that can be done again."""

    last_id: int
    deeds: list[Deed]
    undone: list[Deed]

    def started(self, entry: Entry) -> Deed:
        """A deed as its first entry shows it."""

    def touched(self, event: Event) -> Iterable[str]:
        """Boards an event is about."""


State = TypeVar("State", bound=Folded)


def fold(happened: Iterable[Entry], start: Callable[[], State]) -> State:
    """State after all entries, oldest first. A deed is undone by ``undone`` and back again by ``redone``."""
    history = list(happened)
    undone: dict[str, int] = {}  # deed → where it was taken back
    for entry in history:
        if isinstance(entry.event, Undone):
            undone[entry.event.deed] = entry.id
        elif isinstance(entry.event, Redone):
            undone.pop(entry.event.deed, None)
    state = start()
    gone: dict[str, Deed] = {}
    with uncollected():
        for entry in history:
            event = entry.event
            if entry.deed not in undone:
                apply(state, entry)
            elif event is not None and event.undoable:
                note(state, gone.get(entry.deed) or gone.setdefault(entry.deed, state.started(entry)), event, entry.id)
            state.last_id = entry.id
    # after something new was done, what was undone before it cannot come back
    newest = max((deed.last for deed in state.deeds), default=0)
    again = sorted((at, deed) for deed, at in undone.items() if at > newest)
    state.undone = [gone[deed] for _, deed in again if deed in gone]
    return state


def apply(state: Folded, entry: Entry) -> None:
    """Add one entry in place; what is of no known kind is passed over. Raises `Unreadable` for one that speaks of what
    the state does not have.
    """
    event = entry.event
    if entry.id > state.last_id:
        state.last_id = entry.id
    if event is None:
        return
    try:
        event.apply(state, entry)
    except (KeyError, IndexError, ValueError) as problem:
        raise Unreadable(entry.id, entry.kind, entry.at, "what the batch has", f"“{problem.args[0]}”") from problem
    if event.undoable:
        if not state.deeds or state.deeds[-1].id != entry.deed:
            state.deeds.append(state.started(entry))
        note(state, state.deeds[-1], event, entry.id)


def note(state: Folded, deed: Deed, event: Event, last: int) -> None:
    """Write one more event of a deed into what is known of it."""
    deed.last = last
    deed.boards.update(state.touched(event))
    if not deed.words:
        deed.words = event.words
