"""The demo batches: invented designs that ship with the program, each on its own route."""

from __future__ import annotations

from importlib.resources import as_file, files
from pathlib import Path

import msgspec
from msgspec import Struct
from msgspec.structs import asdict, replace

from fusilex.bench.common.route import WaysChosen
from fusilex.bench.record.beginning import Prepared
from fusilex.bench.record.bench import Bench
from fusilex.bench.rooms import workshop_state
from fusilex.bench.workshop.placer import STAND_IN, Placer
from fusilex.bench.workshop.records import Records, RecordSet, read_records, shipped
from fusilex.core.route.propose import Ways
from fusilex.formats.bundle import read_files
from fusilex.journal.folding import fold
from fusilex.journal.store import Journal


class Demo(Struct, frozen=True):
    """A batch as it is opened: `folder` of files, `ways` of working where they are not the usual ones."""

    folder: str
    title: str
    boards: int
    prefix: str
    number: int
    paste: str = "leaded"
    ways: Ways | None = None


DEMOS = {
    "heron": Demo("heron-r2", "Heron R2", 18, "H", 7),
    "wren": Demo("wren", "Wren", 8, "W", 3, ways=Ways("syringe", "hand", "plate")),
}


def open_demo(journal: Journal, fresh: bool = False, which: str = "heron") -> Bench:
    """The newest batch of a demo design, or a new one. KeyError for a design that does not ship."""
    demo = DEMOS[which]
    rows = [row for row in journal.batches() if row.name.startswith(demo.title)]
    if rows and not fresh:
        return Bench(journal, rows[-1].id)
    _note_records(journal)
    with as_file(files("fusilex") / "demo" / demo.folder) as folder:
        bench = Bench.open_batch(
            journal,
            read_files(Path(folder)),
            demo.title,
            demo.boards,
            prefix=demo.prefix,
            paste=demo.paste,
            number=demo.number,
            prepared=Prepared(settled=[WaysChosen(**asdict(demo.ways))] if demo.ways else []),
        )
    return bench


def _note_records(journal: Journal) -> None:
    """The made-up workshop's own records of these designs, as far as nobody has set or taken them away here."""
    data = (files("fusilex") / "assets" / "demo-workshop.json").read_bytes()
    known = fold(journal.since(journal.workshop), workshop_state)[Records].own
    placers = [replace(r, port=STAND_IN) for r in shipped().values() if isinstance(r, Placer)]
    own = [*read_records(data, "demo-workshop.json"), *placers]
    fresh = [r for r in own if r.id not in known.get(r.what, {})]
    if fresh:
        with journal.writing("demo") as pen:
            pen.write(journal.workshop, [RecordSet(r.what, msgspec.to_builtins(r)) for r in fresh])
