"""What a station declares of itself, once: the rest of the house walks these."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from msgspec import Struct, field

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.command import Command
from fusilex.bench.declared import Thread
from fusilex.bench.now import Now
from fusilex.core.judgement import Judgement
from fusilex.core.rule import Rule
from fusilex.journal.entries import Event


class Room(Struct, frozen=True):
    """Commands, events and slices of the state that belong together. Workshop rooms keep their slices in the
    workshop's state.
    """

    commands: Sequence[type[Command]] = ()
    events: Sequence[type[Event]] = ()
    slices: Sequence[type] = ()


def _nothing(batch: Batch, board: Board) -> list[str]:
    return []


def _no_remarks(batch: Batch, board: Board) -> list[Judgement]:
    return []


def _no_papers(batch: Batch, board: Board) -> dict[str, Any]:
    return {}


def _knows_nothing(batch: Batch, board: Board) -> Thread:
    return {}


def _doubts_nothing(batch: Batch, board: Board) -> Sequence[tuple[str, str]]:
    return ()


def _always(batch: Batch, board: Board) -> bool:
    return True


def _no_care(batch: Batch) -> tuple[str, ...]:
    return ()


class Station(Room, frozen=True):
    """A station: what is the same at every step there.

    `judge` gives its judgements of the board in hand (or its panel, or the whole batch: `about` says which), `now`
    the one thing to do. `cautions` are texts by name: the station's own under its name, others, such as those of a
    bath, under theirs; `cautions_here` adds what only this design asks for. `rules` are the rules behind its
    judgements, by name, as F1 shows them. For Release, `lacks` names what of this station's work a board's record is
    without, `remarks` are judgements that go out with the board, `papers` what the station writes into the board's
    papers; `thread` is what it knows of each part, for what faults have in common, `doubts` which of them it is unsure
    of, and why. `work` says whether a step has any for a board; without, the board goes past. `aside` is true for what
    boards go to only when something is wrong.
    """

    name: str = ""
    judge: Callable[[Batch], list[Judgement]] = lambda batch: []
    now: Callable[[Batch], Now] = lambda batch: Now("")
    about: str = "board"
    cautions: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    rules: Mapping[str, Rule] = field(default_factory=dict)
    cautions_here: Callable[[Batch], tuple[str, ...]] = _no_care
    lacks: Callable[[Batch, Board], list[str]] = _nothing
    remarks: Callable[[Batch, Board], list[Judgement]] = _no_remarks
    papers: Callable[[Batch, Board], dict[str, Any]] = _no_papers
    thread: Callable[[Batch, Board], Thread] = _knows_nothing
    doubts: Callable[[Batch, Board], Sequence[tuple[str, str]]] = _doubts_nothing
    work: Callable[[Batch, Board], bool] = _always
    aside: bool = False
