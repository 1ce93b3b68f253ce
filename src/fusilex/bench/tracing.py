"""One query, both ways: what a board was made with, and which boards a lot, jar, load, feeder or person is on."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from fusilex.bench.batch import Batch
from fusilex.bench.bench import Bench
from fusilex.bench.boards import Board
from fusilex.bench.common.events import BoardSentBack
from fusilex.bench.common.standing import title
from fusilex.bench.workshop.stock import Lots
from fusilex.core.road.steps import DONE
from fusilex.journal.entries import Entry
from fusilex.journal.store import Journal

BEADS = {
    "lot": "lot",
    "bin": "bin",
    "feeder": "feeder",
    "nozzle": "nozzle",
    "jar": "jar",
    "print": "print",
    "oven load": "load",
    "person": "person",
    "soldered by": "person",
}
"""Attributes of the thread that can be asked for, by the word they are asked by; in the order of the thread."""
NUMBERED = ("print", "load", "bin", "panel")
"""Beads with numbers for names: they are asked for with their word before it, ``load 3``."""
_NUMBERED = re.compile(rf"({'|'.join(NUMBERED)})\s*(\d+)$", re.IGNORECASE)
_NAMED = re.compile(r"(lot|jar|feeder|nozzle|person|part|board)\s+(\S.*)$", re.IGNORECASE)
CODE = "FUSILEX "
"""What a board's label says before its serial."""
MOST_EVENTS = 2_000
HAND_MADE = ("hand", "machine", "iron", "pot", "wave")
"""Ways of work that stand where a person's name might."""
Bead = tuple[str, str]


@dataclass(frozen=True)
class Carrier:
    """A board that what was asked for is on: in which batch, where it is now, and at which parts."""

    serial: str
    batch: str
    design: str
    step: str
    released_at: str | None
    refs: tuple[str, ...]
    scrapped: bool = False


@dataclass(frozen=True)
class OnBoard:
    """A lot on a board, with the parts that came from it."""

    lot: str
    serial: str
    refs: tuple[str, ...]
    part_number: str = ""
    value: str = ""
    maker_lot: str = ""


@dataclass(frozen=True)
class Told:
    """Something that happened, in words."""

    at: str
    who: str
    batch: str
    boards: tuple[str, ...]
    step: str
    words: str


@dataclass
class Trace:
    """What was found of `what`, which is a `kind` of thing ('' for nothing known)."""

    what: str
    kind: str = ""
    boards: list[Carrier] = field(default_factory=list)
    lots: list[OnBoard] = field(default_factory=list)
    events: list[Told] = field(default_factory=list)
    returns: list[Told] = field(default_factory=list)


def beads(batch: Batch, board: Board) -> dict[Bead, tuple[str, ...]]:
    """What a board's thread holds: each bead with the parts that hang on it, () where it is about the whole board."""
    found: dict[Bead, list[str]] = {}
    for station in batch.stations.values():
        for attribute, value in station.thread(batch, board).items():
            if attribute not in BEADS or isinstance(value, str):
                continue
            for ref, name in value.items():
                if name and not (BEADS[attribute] == "person" and name in HAND_MADE):
                    found.setdefault((BEADS[attribute], name), []).append(ref)
    found.setdefault(("panel", str(board.panel)), [])
    return {bead: tuple(refs) for bead, refs in found.items()}


def asked(text: str) -> tuple[str, str]:
    """The kind and name in a query, ('', name) where it may be of any kind.

    >>> asked("load 3"), asked("jar jar 12"), asked("H7-05"), asked("FUSILEX H7-05 Heron R2")
    (('load', '3'), ('jar', 'jar 12'), ('', 'H7-05'), ('board', 'H7-05'))
    """
    words = " ".join(text.split())
    if words.upper().startswith(CODE):
        return "board", words[len(CODE) :].split(" ")[0]
    if found := _NUMBERED.match(words):
        return found[1].lower(), found[2]
    named = _NAMED.match(words)
    if named and not (named[1].lower() in ("lot", "jar") and named[2].isdecimal()):  # “lot 3”, “jar 12” are names
        return named[1].lower(), named[2]
    return "", words


def trace(text: str, journals: Sequence[Journal], here: Bench | None = None) -> Trace:
    """Everything on record about something, in all batches of the journals; `here` is open already. Only batches that
    mention it are read.
    """
    kind, name = asked(text)
    made = Trace(text.strip())
    if not name:
        return made
    for journal in journals:
        found = mentions(journal, kind, name)
        for row in journal.batches():
            if row.id not in found and not (kind in NUMBERED and _may(journal, row.id, kind)):
                continue
            same = here is not None and here.journal is journal and here.id == row.id
            bench = here if same and here is not None else Bench(journal, row.id, as_far=True)
            _in_batch(made, bench, kind, name)
    made.events.sort(key=lambda told: told.at)
    del made.events[MOST_EVENTS:]
    return made


def mentions(journal: Journal, kind: str, name: str) -> set[int]:
    """Batches that a name may be in: where an event holds it, or somebody of that name did something."""
    if kind in NUMBERED:
        return set()
    return journal.search(name, _KINDS) | journal.worked_in(name)


_KINDS = (
    "batch_opened",
    "bin_filled",
    "panel_printed",
    "paste_used",
    "slot_loaded",
    "panel_run",
    "parts_placed",
    "part_replaced",
    "programme_recorded",
    "dots_dispensed",
)
"""Kinds of events that name a board, a lot, a jar or a feeder."""


_MADE = {"load": "load_reflowed", "print": "panel_printed"}
"""The kind of event by which a numbered thing came about."""


def _may(journal: Journal, batch: int, kind: str) -> bool:
    """True for a batch that has something with such numbers."""
    wanted = {"load": "load_reflowed", "print": "panel_printed", "bin": "bin_filled", "panel": "batch_opened"}[kind]
    return batch in journal.latest(wanted)


def _in_batch(made: Trace, bench: Bench, kind: str, name: str) -> None:
    """Add what a batch has of it."""
    batch = bench.batch
    serial = next((s for s in batch.state.boards if s.lower() == name.lower()), None)
    if serial is not None and kind in ("", "board"):
        _of_board(made, bench, batch, serial)
        return
    wanted = name.lower()
    carriers: dict[str, tuple[str, ...]] = {}
    for board in batch.state.boards.values():
        refs: list[str] = []
        hit = False
        for (sort, bead), own in beads(batch.about(board.serial), board).items():
            if bead.lower() == wanted and (kind == sort or (not kind and sort not in NUMBERED)):
                made.kind, hit = made.kind or sort, True
                refs += own
        if kind in ("", "part"):
            named = [
                p.ref for p in batch.built(board).values() if wanted == p.part_number.lower() and p.ref in board.put
            ]
            if named and not hit:
                made.kind, hit = made.kind or "part", True
                refs += named
        if hit:
            carriers[board.serial] = tuple(dict.fromkeys(refs))
    by_hand = _touched_by(bench, name) if kind in ("", "person") else set()
    if by_hand:
        made.kind = made.kind or "person"
    for board in batch.state.boards.values():
        if board.serial in carriers or board.serial in by_hand:
            made.boards.append(_carrier(batch, board, carriers.get(board.serial, ())))
    made.lots += [row for serial in carriers for row in _lots(batch, batch.state.boards[serial], name)]
    if kind in _MADE:
        made.events += [
            t
            for e in bench.record.history
            if e.kind == _MADE[kind] and e.event and carriers.keys() & set(batch.state.touched(e.event))
            if (t := told(bench, e))
        ]
    elif kind not in NUMBERED and not by_hand:
        made.events += [t for e in bench.record.history if _names(e, name) and (t := told(bench, e))]


def _of_board(made: Trace, bench: Bench, batch: Batch, serial: str) -> None:
    """A board's whole story, and what came back of its kind."""
    board = batch.state.boards[serial]
    made.kind = "board"
    made.boards.append(_carrier(batch, board, ()))
    made.lots += _lots(batch, board)
    taken = {deed.id for deed in batch.state.deeds}
    for entry in bench.record.history:
        if entry.event is None or entry.deed not in taken or serial not in batch.state.touched(entry.event):
            continue
        if words := told(bench, entry):
            made.events.append(words)
    made.returns = returned(bench.journal, batch.state.opened["design"])


def _carrier(batch: Batch, board: Board, refs: tuple[str, ...]) -> Carrier:
    where = "Done" if board.step == DONE else batch.where(board)
    design = str(batch.state.opened["design"])
    return Carrier(board.serial, title(batch.state), design, where, board.released_at, refs, board.scrapped)


def _lots(batch: Batch, board: Board, only: str = "") -> list[OnBoard]:
    """Lots on a board with their parts, as the stock knows them."""
    stock, lines = batch.workshop[Lots].lots, batch.lines_of(board)
    found = []
    for (kind, lot), refs in beads(batch.about(board.serial), board).items():
        if kind != "lot" or (only and lot.lower() != only.lower()):
            continue
        known, line = stock.get(lot), lines.get(refs[0])
        number = known.part_number if known else line.part_number if line else ""
        value = known.value if known else line.value if line else ""
        found.append(OnBoard(lot, board.serial, refs, number, value, known.maker_lot if known else ""))
    return found


def _touched_by(bench: Bench, who: str) -> set[str]:
    """Boards somebody did something to."""
    found: set[str] = set()
    for entry in bench.record.history:
        if entry.event is not None and entry.who.lower() == who.lower() and entry.kind != "batch_opened":
            found.update(bench.state.touched(entry.event))
    return found


def _names(entry: Entry, name: str) -> bool:
    """An event that names a thing as one of its own words."""
    return f'"{name.lower()}"' in entry.text.lower()


def told(bench: Bench, entry: Entry) -> Told | None:
    """An entry in words, None for one that says nothing by itself."""
    event = entry.event
    words = event.words if event is not None else ""
    if event is None or not words:
        return None
    boards = tuple(sorted(bench.state.touched(event)))
    step = bench.road.steps.label(entry.place) if entry.place in bench.road.steps.by_id else entry.place
    return Told(entry.at, entry.who, title(bench.state), boards[:12], step, words)


def returned(journal: Journal, design: str) -> list[Told]:
    """Boards of a design that came back from their users, in all batches, and what those found."""
    found = []
    for batch, at, who, body in journal.every(BoardSentBack.kind):
        if body.get("start") != DONE:
            continue
        opened = journal.first(batch)
        if str(opened.get("design")) == design:
            board = str(body.get("board"))
            name = f"{design} {opened.get('batch')}"
            found.append(Told(at, who, name, (board,), "", str(body.get("reason", ""))))
    return found


def recall_rows(found: Trace) -> list[tuple[str, ...]]:
    """A recall list: a header, and a row a board."""
    rows: Iterable[tuple[str, ...]] = (
        (c.serial, c.batch, c.design, "scrapped" if c.scrapped else c.step, c.released_at or "", " ".join(c.refs))
        for c in found.boards
    )
    return [("serial", "batch", "design", "where", "released_at", "parts"), *rows]
