"""The demo batches: invented designs that ship with the program, each on its own road."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from importlib.resources import as_file, files
from pathlib import Path

from fusilex.bench.bench import Bench
from fusilex.bench.common.road import WaysChosen
from fusilex.core.road.propose import Ways
from fusilex.formats.bundle import read_files
from fusilex.journal.store import Journal


@dataclass(frozen=True)
class Demo:
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
    with as_file(files("fusilex") / "demo" / demo.folder) as folder:
        bench = Bench.open_batch(
            journal,
            read_files(Path(folder)),
            demo.title,
            demo.boards,
            prefix=demo.prefix,
            paste=demo.paste,
            number=demo.number,
            settled=[WaysChosen(**asdict(demo.ways))] if demo.ways else [],
        )
    return bench
