"""What every command is, and what it leads to."""

from __future__ import annotations

from dataclasses import dataclass, field

from fusilex.journal.store import Event


class Refused(Exception):
    """The command makes no sense now; the sentence says why and what to do first."""


@dataclass(frozen=True)
class Result:
    """Events of the batch and of the workshop that a command leads to, and files to keep with them."""

    events: list[Event] = field(default_factory=list)
    workshop: list[Event] = field(default_factory=list)
    files: dict[str, bytes] = field(default_factory=dict)


@dataclass(frozen=True)
class Command:
    pass
