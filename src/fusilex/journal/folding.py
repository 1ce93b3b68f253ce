"""Folding entries into a state, with undo and redo as entries among them."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from copy import copy, deepcopy
from itertools import chain, groupby
from operator import attrgetter
from typing import Any, ClassVar, Protocol, TypeVar

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
Value = TypeVar("Value")
TAIL = 400
"""Entries that an undo reaches back at least without folding everything anew."""
_TURNS = {Undone, Redone}
_DEED = attrgetter("deed")
_FIXED = {str, int, float, bool, type(None), bytes, frozenset}


class Checkpoint(Struct):
    """A state part of the way: after `count` entries, without the deeds `undone` by then, which are `gone`."""

    count: int
    state: Any
    gone: dict[str, Deed]
    undone: set[str]


def fold(happened: Iterable[Entry], start: Callable[[], State], since: Checkpoint | None = None) -> State:
    """State after all entries, oldest first. A deed is undone by ``undone`` and back again by ``redone``. Begun from a
    checkpoint of the same entries where one is given and still holds.
    """
    history = list(happened)
    return _fold(history, start, since, _undone(history))


def misfits(history: Sequence[Entry], start: Callable[[], Folded]) -> list[Unreadable]:
    """All entries that do not fit what came before, in one pass: each is left out, and what follows goes on without."""
    undone, state, found = _undone(history), start(), []
    with uncollected():
        for entry in history:
            if entry.deed not in undone:
                try:
                    apply(state, entry)
                except Unreadable as problem:
                    found.append(problem)
    return found


def begun(history: Sequence[Entry], start: Callable[[], State]) -> tuple[Checkpoint, State]:
    """A checkpoint and the state after all entries, as `checkpoint` and `fold` have them."""
    undone = _undone(history)
    since = _checkpoint(history, start, None, undone)
    return since, _fold(history, start, since, undone)


def _fold(
    history: Sequence[Entry], start: Callable[[], State], since: Checkpoint | None, undone: Mapping[str, int]
) -> State:
    holds = since is not None and _holds(since, history, undone)
    first = copied(since) if since is not None and holds else Checkpoint(0, start(), {}, set())
    state: State = first.state
    gone = first.gone
    _go_on(state, gone, history[first.count :], undone)
    # after something new was done, what was undone before it cannot come back
    newest = max((deed.last for deed in state.deeds), default=0)
    again = sorted((at, deed) for deed, at in undone.items() if at > newest)
    state.undone = [gone[deed] for _, deed in again if deed in gone]
    return state


def checkpoint(history: Sequence[Entry], start: Callable[[], Folded], before: Checkpoint | None) -> Checkpoint:
    """The state after all but the last `TAIL` entries and what belongs to the same deed, from an earlier checkpoint,
    which is used up, where that still holds.
    """
    return _checkpoint(history, start, before, _undone(history))


def _checkpoint(
    history: Sequence[Entry], start: Callable[[], Folded], before: Checkpoint | None, undone: Mapping[str, int]
) -> Checkpoint:
    count = max(0, len(history) - TAIL)
    while 0 < count < len(history) and history[count].deed == history[count - 1].deed:
        count -= 1
    if before is None or before.count > count or not _holds(before, history, undone):
        before = Checkpoint(0, start(), {}, set())
    _go_on(before.state, before.gone, history[before.count : count], undone)
    later = {entry.deed for entry in history[count:]}
    return Checkpoint(count, before.state, before.gone, {deed for deed in undone if deed not in later})


def _undone(history: Iterable[Entry]) -> dict[str, int]:
    """Deeds that are undone in the end, and where they were taken back."""
    undone: dict[str, int] = {}
    for entry in [entry for entry in history if type(entry.event) in _TURNS]:  # few of many
        if isinstance(entry.event, Undone):
            undone[entry.event.deed] = entry.id
        elif isinstance(entry.event, Redone):
            undone.pop(entry.event.deed, None)
    return undone


def _holds(since: Checkpoint, history: Sequence[Entry], undone: Iterable[str]) -> bool:
    """True while nothing before a checkpoint was undone or done again since."""
    later = {entry.deed for entry in history[since.count :]}
    return since.count <= len(history) and {deed for deed in undone if deed not in later} == since.undone


def _go_on(state: Folded, gone: dict[str, Deed], entries: Sequence[Entry], undone: Mapping[str, int]) -> None:
    with uncollected():
        for deed, run in groupby(entries, _DEED):
            if deed not in undone:
                _apply(state, run)
                continue
            for entry in run:
                if (event := entry.event) is not None and event.undoable:
                    taken_back = gone.get(deed) or gone.setdefault(deed, state.started(entry))
                    taken_back.last = entry.id
                    note(state, taken_back, (event,))
        if entries:
            state.last_id = max(state.last_id, entries[-1].id)


def copied(value: Value, seen: dict[int, Any] | None = None) -> Value:
    """A copy of a state that shares what cannot change: an undo must not take as long as the record is.

    >>> was = {"a": [1, (2, 3)]}
    >>> now = copied(was); now["a"].append(4); was
    {'a': [1, (2, 3)]}
    """
    kind = type(value)
    if kind in _FIXED:
        return value
    seen = {} if seen is None else seen
    if id(value) in seen:
        found: Value = seen[id(value)]
        return found
    made: Any = value
    if kind is dict:
        made = seen[id(value)] = dict(value)  # type: ignore[call-overload]
        if not _flat(made.values()):
            for key, item in made.items():
                if type(item) not in _FIXED:
                    made[key] = copied(item, seen)
    elif kind is list:
        made = seen[id(value)] = list(value)  # type: ignore[call-overload]
        for n, item in enumerate(made):
            if type(item) not in _FIXED:
                made[n] = copied(item, seen)
    elif kind is set:
        made = set(value)  # type: ignore[call-overload]
    elif kind is tuple:
        items: Any = value
        if not all(type(item) in _FIXED for item in items):
            made = tuple(copied(item, seen) for item in items)
    elif isinstance(value, Struct):
        if not value.__struct_config__.frozen:
            made = seen[id(value)] = copy(value)
            for name in value.__struct_fields__:
                item = getattr(value, name)
                if type(item) not in _FIXED:
                    setattr(made, name, copied(item, seen))
    else:
        made = deepcopy(value)
    seen.setdefault(id(value), made)
    return made  # type: ignore[no-any-return]


def _flat(values: Collection[Any]) -> bool:
    """True for plain values and tuples of such alone: there is nothing in them to copy."""
    kinds = set(map(type, values)) - _FIXED
    if kinds != {tuple}:
        return not kinds
    within: set[type] = set()
    for item in values:
        if type(item) is tuple:
            within.update(map(type, item))
    return within <= _FIXED


def apply(state: Folded, entry: Entry) -> None:
    """Add one entry in place; what is of no known kind is passed over. Raises `Unreadable` for one that speaks of what
    the state does not have.
    """
    _apply(state, (entry,))


def _apply(state: Folded, run: Iterable[Entry]) -> None:
    """Add entries of one deed."""
    deed: Deed | None = None
    events, id = [], 0
    try:
        for entry in run:  # there may be very many
            event, id = entry.event, entry.id
            if event is None:
                continue
            event.apply(state, entry)
            if event.undoable:
                if deed is None:
                    deed = _begun(state, entry)
                events.append(event)
                deed.last = id
    except (KeyError, IndexError, ValueError, AttributeError, TypeError) as problem:
        named = problem.args[0] if problem.args else ""
        belongs = isinstance(named, str | int) and not isinstance(problem, AttributeError | TypeError)
        found = f"“{named}”" if belongs else "something of another kind of record"
        raise Unreadable(id, entry.kind, entry.at, "what the batch has", found) from problem
    finally:
        if id > state.last_id:
            state.last_id = id
        if deed is not None:
            note(state, deed, events)


def _begun(state: Folded, entry: Entry) -> Deed:
    """The deed that an entry belongs to: the last one, or a new one."""
    if not state.deeds or state.deeds[-1].id != entry.deed:
        state.deeds.append(state.started(entry))
    return state.deeds[-1]


def note(state: Folded, deed: Deed, events: Iterable[Event]) -> None:
    """Write more events of a deed into what is known of it."""
    deed.boards.update(chain.from_iterable(map(state.touched, events)))
    for event in events if not deed.words else ():
        if words := event.words:
            deed.words = words
            break
