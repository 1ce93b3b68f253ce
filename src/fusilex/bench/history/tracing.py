"""One query, both ways: what a board was made with, and which boards a lot, jar, load, feeder or person is on."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence

from msgspec import Struct, field

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.common.events import BoardSentBack
from fusilex.bench.common.mended import Mended
from fusilex.bench.common.standing import title
from fusilex.bench.history.beads import UNNAMED, asked, beads
from fusilex.bench.history.mentions import mentions, naming, numbering
from fusilex.bench.record.bench import Bench
from fusilex.bench.workshop.stock import Lots
from fusilex.core.problems import BadInput
from fusilex.core.route.steps import DONE
from fusilex.journal.entries import Entry
from fusilex.journal.store import Journal

MOST_EVENTS = 2_000


class Carrier(Struct, frozen=True):
    """A board that what was asked for is on: in which batch, where it is now, and at which parts."""

    serial: str
    batch: str
    design: str
    step: str
    released_at: str | None
    refs: tuple[str, ...]
    scrapped: bool = False


class OnBoard(Struct, frozen=True):
    """A lot on a board, with the parts that came from it."""

    lot: str
    serial: str
    refs: tuple[str, ...]
    part_number: str = ""
    value: str = ""
    maker_lot: str = ""


class Told(Struct, frozen=True):
    """Something that happened, in words."""

    at: str
    who: str
    batch: str
    boards: tuple[str, ...]
    step: str
    words: str


class Trace(Struct):
    """What was found of `what`, which is a `kind` of thing ('' for nothing known), in so many `records`; `gaps` are
    batches whose record cannot be read whole, so that something may be missing here.
    """

    what: str
    kind: str = ""
    boards: list[Carrier] = field(default_factory=list)
    lots: list[OnBoard] = field(default_factory=list)
    events: list[Told] = field(default_factory=list)
    returns: list[Told] = field(default_factory=list)
    gaps: list[str] = field(default_factory=list)
    records: int = 0

    @property
    def unread(self) -> str:
        """How many batches cannot be read whole, in words."""
        return "one batch cannot be read whole" if len(self.gaps) == 1 else f"{len(self.gaps)} cannot be read whole"


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
        rows = journal.batches()
        made.records += len(rows)
        some = [r.id for r in rows if r.id in found or (kind in UNNAMED and numbering(journal, r.id, kind))]
        for batch in some:
            _look_into(made, journal, batch, here, kind, name)
        if kind == "part" or (not kind and not made.kind):  # no event names the numbers of parts: files do
            for batch in naming(journal, name, [r.id for r in rows if r.id not in some]):
                _look_into(made, journal, batch, here, "part", name)
    made.events.sort(key=lambda told: told.at)
    del made.events[MOST_EVENTS:]
    return made


def _look_into(made: Trace, journal: Journal, batch: int, here: Bench | None, kind: str, name: str) -> None:
    """Add what a batch has, read as far as it can be; one that cannot be, or lost something, is a gap."""
    try:
        same = here is not None and here.journal is journal and here.id == batch
        bench = here if same and here is not None else Bench(journal, batch, as_far=True)
        if bench.damage or bench.state[Mended].losses:
            made.gaps.append(title(bench.state))
        _in_batch(made, bench, kind, name)
    except BadInput as problem:
        made.gaps.append(str(problem))


_MADE = {"load": "load_reflowed", "print": "panel_printed"}
"""The kind of event by which a numbered thing came about."""


def _in_batch(made: Trace, bench: Bench, kind: str, name: str) -> None:
    """Add what a batch has of it."""
    batch = bench.batch
    serial = next((s for s in batch.state.boards if s.lower() == name.lower()), None)
    if serial is not None and kind in ("", "board"):
        _of_board(made, bench, batch, serial)
        return
    carriers: dict[str, tuple[str, ...]] = {}
    for board in batch.state.boards.values():
        sort, refs = _carried(batch, board, kind, name.lower())
        if sort:
            made.kind = made.kind or sort
            carriers[board.serial] = refs
    by_hand = _touched_by(bench, name) if kind in ("", "person") else set()
    if by_hand:
        made.kind = made.kind or "person"
    if not carriers and not by_hand:
        return
    for board in batch.state.boards.values():
        if board.serial in carriers or board.serial in by_hand:
            made.boards.append(_carrier(batch, board, carriers.get(board.serial, ())))
    made.lots += [row for serial in carriers for row in _lots(batch, batch.state.boards[serial], name)]
    if not by_hand:  # somebody's whole work is no story
        made.events += [t for e in _kept(bench) if _concerns(bench, e, kind, name, carriers) and (t := told(bench, e))]


def _carried(batch: Batch, board: Board, kind: str, wanted: str) -> tuple[str, tuple[str, ...]]:
    """As what a board carries something, '' for not, and at which parts."""
    sort = ""
    refs: list[str] = []
    for (found, bead), own in beads(batch.about(board.serial), board).items():
        if bead.lower() == wanted and (kind == found or (not kind and found not in UNNAMED)):
            sort = sort or found
            refs += own
    if kind in ("", "part") and not sort:
        parts = batch.built(board).values()
        refs = [p.ref for p in parts if wanted == p.part_number.lower() and p.ref in board.put]
        sort = "part" if refs else ""
    return sort, tuple(dict.fromkeys(refs))


def _kept(bench: Bench) -> list[Entry]:
    """Entries that were not taken back."""
    taken = {deed.id for deed in bench.state.deeds}
    return [e for e in bench.record.history if e.event is not None and e.deed in taken]


def _concerns(bench: Bench, entry: Entry, kind: str, name: str, carriers: Mapping[str, object]) -> bool:
    """An entry by which a numbered thing came about on these boards, or that names a thing as one of its words."""
    if kind in UNNAMED:
        touched = bench.state.touched(entry.event) if entry.event else ()
        return entry.kind == _MADE.get(kind) and any(serial in carriers for serial in touched)
    if name.isascii() and f'"{name.lower()}"' not in entry.text.lower():
        return False
    return any(isinstance(v, str) and v.lower() == name.lower() for v in _values(entry.body))


def _values(body: object) -> Iterator[object]:
    """Every value in what was written, however deep."""
    if isinstance(body, dict):
        for value in body.values():
            yield from _values(value)
    elif isinstance(body, list):
        for value in body:
            yield from _values(value)
    else:
        yield body


def _of_board(made: Trace, bench: Bench, batch: Batch, serial: str) -> None:
    """A board's whole story, and what came back of its kind."""
    board = batch.state.boards[serial]
    made.kind = "board"
    made.boards.append(_carrier(batch, board, ()))
    made.lots += _lots(batch, board)
    for entry in _kept(bench):
        if entry.event is not None and serial in batch.state.touched(entry.event) and (words := told(bench, entry)):
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


def told(bench: Bench, entry: Entry) -> Told | None:
    """An entry in words, None for one that says nothing by itself."""
    event = entry.event
    words = event.words if event is not None else ""
    if event is None or not words:
        return None
    boards = tuple(sorted(bench.state.touched(event)))
    step = bench.route.steps.label(entry.place) if entry.place in bench.route.steps.by_id else entry.place
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
