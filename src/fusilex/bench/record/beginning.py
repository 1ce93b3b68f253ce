"""A batch begins: its files are read, kept, and its boards get their serials."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from fusilex.bench.common.events import BatchOpened, places
from fusilex.bench.common.files import ColumnsPicked, FileAssigned
from fusilex.bench.computer.user import user_name
from fusilex.bench.record.stream import Stream
from fusilex.bench.refusal import Refused
from fusilex.bench.rooms import workshop_state
from fusilex.bench.source import Reading, read_for
from fusilex.bench.state import WorkshopState
from fusilex.bench.workshop.habits import Habits
from fusilex.bench.workshop.losses import Losses
from fusilex.bench.workshop.record_kinds import Stencil
from fusilex.bench.workshop.records import Records
from fusilex.formats.bundle import Files, zip_files
from fusilex.journal.entries import Event
from fusilex.journal.pen import digest
from fusilex.journal.store import Journal

MOST_BOARDS = 1000


class Prepared(Struct, frozen=True):
    """What was done before a batch is opened: its files were read, and things were chosen about it."""

    read: Reading | None = None
    settled: Sequence[Event] = ()


UNPREPARED = Prepared()


class Wanted(Struct, frozen=True):
    """The batch that is wished for; the next free number is taken where `number` is taken or None."""

    boards: int
    prefix: str
    paste: str
    foil_mm: float | None
    number: int | None


def begin(journal: Journal, files: Files, name: str, wanted: Wanted, prepared: Prepared) -> tuple[int, Reading]:
    """The stream of a new batch, and its files as they were read. Raises `BadInput`, or `Refused`, and records
    nothing.
    """
    if not 1 <= wanted.boards <= MOST_BOARDS:
        raise Refused(f"A batch has 1 to {MOST_BOARDS} boards, not {wanted.boards}.")
    shop = Stream[WorkshopState](journal.workshop, workshop_state, journal.since(journal.workshop)).state
    read = prepared.read or read_for(shop[Habits], files, name)
    kept = zip_files(files)
    number, prefix = wanted.number or len(journal.batches()) + 1, wanted.prefix
    with journal.writing(user_name()) as pen:
        taken, used = pen.taken("batch"), pen.taken("board")
        while str(number) in taken or f"{prefix}{number}-01" in used:
            number += 1
        opened = BatchOpened(
            name,
            places([f"{prefix}{number}-{n + 1:02d}" for n in range(wanted.boards)], read.design.panel),
            number,
            digest(kept),
            wanted.paste,
            wanted.foil_mm or Records.first(shop[Records], Stencil).foil_mm,
            {key: [x.placed, x.lost] for key, x in shop[Losses].logged.items()},
        )
        happened: list[Event] = [opened]
        happened += [FileAssigned(f, r, s) for f, (r, s) in read.choices.roles.items()]
        happened += [ColumnsPicked(f, dict(c)) for f, c in read.choices.columns.items()]
        happened += prepared.settled
        batch = pen.open_stream(f"{name} batch {number}")
        pen.attach(f"{name}.zip", kept)
        pen.write(batch, happened)
    return batch, read
