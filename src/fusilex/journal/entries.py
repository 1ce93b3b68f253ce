"""What is written in the journal: typed events, and the entries they stand in."""

from __future__ import annotations

import gc
import json
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from functools import cache
from typing import Any, ClassVar

import msgspec
from msgspec.structs import replace

from fusilex.core.problems import BadInput


class Unreadable(BadInput):
    """An entry of the journal is not what its kind says, or speaks of what is not there."""

    def __init__(self, id: int, kind: str, at: str, expected: str, found: str) -> None:
        super().__init__("The journal", expected, found, f"entry {id}, {kind} of {at[:16]}")
        self.id = id


class Event(msgspec.Struct, frozen=True, gc=False):
    """Something that happened, with its numbers: subclasses are the kinds there are, `apply` says what each does to
    the state.

    `kind` names it in the journal for ever. `older` gives fields the names older versions of the program wrote them
    by. `about` is the field that says which boards it is about: serials, boards or a panel. `undoable` is False for
    what nobody wants back, such as looking elsewhere. `refers` are fields that name an earlier entry by its number.
    """

    kind: ClassVar[str] = ""
    older: ClassVar[Mapping[str, str]] = {}
    about: ClassVar[str] = ""
    undoable: ClassVar[bool] = True
    refers: ClassVar[tuple[str, ...]] = ()

    def apply(self, state: Any, entry: Entry) -> None:
        """Change the state in place, as the fold goes past."""

    @property
    def words(self) -> str:
        """What it was, for ``Taken back: …``; '' where another event of its deed says it."""
        return ""

    def claims(self) -> list[tuple[str, str]]:
        """Names (of what, name) that nobody else may use from now on."""
        return []

    @classmethod
    def upcast(cls, body: dict[str, Any]) -> dict[str, Any]:
        """The body an older version wrote, in the words of this one."""
        return {cls.older.get(key, key): value for key, value in body.items()}

    @classmethod
    def renumbered(cls, body: dict[str, Any], numbers: Mapping[int, int]) -> dict[str, Any]:
        """The body with the `numbers` (new by old) that earlier entries have in another journal, 0 for none."""
        names = {*cls.refers, *(old for old, new in cls.older.items() if new in cls.refers)}
        return body | {name: numbers.get(body[name], 0) for name in names & body.keys()}


Kinds = Mapping[str, type[Event]]


class Entry(msgspec.Struct, frozen=True, gc=False):
    """One row of the journal; `text` is what was written, as JSON. `place` is the step it was done at, '' in older
    journals. `event` is None for a kind that nobody here knows: it is kept, and passed over. `origin` is the row it had
    in the journal it came from, where an older version took it in; 0 else.
    """

    kind: str
    text: str = "{}"
    id: int = 0
    deed: str = ""
    at: str = ""
    who: str = ""
    place: str = ""
    event: Event | None = None
    origin: int = 0

    @property
    def number(self) -> int:
        """What later events name it by: its row, or the row it had in the journal it came from."""
        return self.origin or self.id

    @property
    def body(self) -> dict[str, Any]:
        """What was written, read again."""
        body: dict[str, Any] = json.loads(self.text)
        return body


@contextmanager
def uncollected() -> Iterator[None]:
    """Without the collection of garbage: many thousand entries are made at once, and none of them is any."""
    was = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was:
            gc.enable()


def as_entry(event: Event, deed: str, at: str, who: str, place: str) -> Entry:
    """The entry an event makes; it has no number yet."""
    text = json.dumps(msgspec.to_builtins(event, str_keys=True))
    return Entry(event.kind, text, 0, deed, at, who, place, event)


def typed(entry: Entry, kinds: Kinds) -> Entry:
    """The entry with its event, checked against what its kind says. Raises `Unreadable`."""
    event = event_of(entry.kind, entry.text, entry.id, entry.at, kinds)
    return entry if event is None else replace(entry, event=event)


def event_of(kind: str, text: str, id: int, at: str, kinds: Kinds) -> Event | None:
    """The event a row holds, None where nobody knows its kind. Raises `Unreadable`."""
    made = kinds.get(kind)
    read = reader_of(made)
    if read is not None:
        try:
            return read(text)
        except READS_NOT:
            pass  # what is wrong is said below; numbers such as NaN are read below, too
    try:
        body = json.loads(text)
    except (ValueError, RecursionError, TypeError) as problem:
        raise Unreadable(id, kind, at, "JSON", str(text)[:40]) from problem
    if not isinstance(body, dict):
        raise Unreadable(id, kind, at, "what its kind says", str(text)[:40])
    if made is None:
        return None
    try:
        return msgspec.convert(made.upcast(body), made, strict=False)
    except (msgspec.ValidationError, AttributeError, KeyError, TypeError, ValueError, OverflowError) as problem:
        raise Unreadable(id, kind, at, "what its kind says", str(problem)) from problem


READS_NOT = (msgspec.DecodeError, RecursionError, ValueError, TypeError)
"""What a reader raises at what is none of its events."""


@cache
def reader_of(kind: type[Event] | None) -> Callable[[str], Event] | None:
    """Reads an event at once, where every version wrote its kind by the same names."""
    if kind is None or kind.older or kind.upcast.__func__ is not Event.upcast.__func__:  # type: ignore[attr-defined]
        return None
    return msgspec.json.Decoder(kind, strict=False).decode
