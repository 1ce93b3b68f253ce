"""What is written in the journal: typed events, and the entries they stand in."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar

import msgspec

from fusilex.core.problems import BadInput


class Unreadable(BadInput):
    """An entry of the journal is not what its kind says, or speaks of what is not there."""

    def __init__(self, id: int, kind: str, at: str, expected: str, found: str) -> None:
        super().__init__("The journal", expected, found, f"entry {id}, {kind} of {at}")


class Event(msgspec.Struct, frozen=True):
    """Something that happened, with its numbers: subclasses are the kinds there are, `apply` says what each does to
    the state.

    `kind` names it in the journal for ever. `older` gives fields the names older versions of the program wrote them
    by. `undoable` is False for what nobody wants back, such as looking elsewhere.
    """

    kind: ClassVar[str] = ""
    older: ClassVar[Mapping[str, str]] = {}
    undoable: ClassVar[bool] = True

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


Kinds = Mapping[str, type[Event]]


@dataclass(frozen=True)
class Entry:
    """One row of the journal. `place` is the step it was done at, '' in older journals. `event` is None for a kind that
    nobody here knows: it is kept, and passed over.
    """

    kind: str
    body: dict[str, Any] = field(default_factory=dict)
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


def as_entry(event: Event, deed: str, at: str, who: str, place: str) -> Entry:
    """The entry an event makes; it has no number yet."""
    return Entry(event.kind, msgspec.to_builtins(event, str_keys=True), 0, deed, at, who, place, event)


def typed(entry: Entry, kinds: Kinds) -> Entry:
    """The entry with its event, checked against what its kind says. Raises `Unreadable`."""
    kind = kinds.get(entry.kind)
    if kind is None:
        return entry
    try:
        event = msgspec.convert(kind.upcast(entry.body), kind, strict=False)
    except (msgspec.ValidationError, AttributeError, KeyError, TypeError, ValueError) as problem:
        raise Unreadable(entry.id, entry.kind, entry.at, "what its kind says", str(problem)) from problem
    return replace(entry, event=event)
