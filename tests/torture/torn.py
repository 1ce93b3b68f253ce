"""Journals cut, torn and flipped: mending keeps at least what any other reader gets, and says the rest."""

from __future__ import annotations

import os
import random
import sqlite3
import time
from collections import Counter
from collections.abc import Callable
from contextlib import closing, suppress
from pathlib import Path

import asked as c

from fusilex.bench.record.bench import Bench
from fusilex.bench.record.rescue import rescue
from fusilex.bench.rooms import open_journal
from fusilex.bench.workshop.stock import Lots
from fusilex.core.problems import BadInput
from fusilex.formats.bundle import read_files
from fusilex.journal.place import sqlite_url
from fusilex.journal.salvage import COLUMNS, salvage
from fusilex.journal.trouble import NotSaved
from torture.bombs import HERON
from torture.defused import MOST_S

PAGE = 4096
Spoil = Callable[[bytearray], None]


def by_sqlite(path: Path) -> dict[str, set[object]]:
    """What SQLite gives out of a copy padded to the size its header states, forwards and backwards."""
    raw = path.read_bytes()
    padded = path.with_name("padded.sqlite")
    padded.write_bytes(raw.ljust(int.from_bytes(raw[28:32], "big") * PAGE, b"\x00"))
    found: dict[str, set[object]] = {}
    with closing(sqlite3.connect(padded)) as connection:
        for table in COLUMNS:
            found[table] = set()
            for order in ("", " ORDER BY rowid DESC"):
                try:
                    for row in connection.execute(f"SELECT rowid, * FROM {table} NOT INDEXED{order}"):
                        found[table].add(row[0])
                except sqlite3.DatabaseError:
                    continue
    return found


def noise(data: bytearray, page: int) -> None:
    data[(page - 1) * PAGE : page * PAGE] = random.Random(page).randbytes(PAGE)


def some_pages(count: int) -> Spoil:
    def spoil(data: bytearray) -> None:
        pages = range(2, len(data) // PAGE)
        for page in random.Random(count).sample(pages, min(count, len(pages))):
            noise(data, page)

    return spoil


def flips(data: bytearray) -> None:
    dice = random.Random(7)
    for _ in range(60):
        data[dice.randrange(PAGE, len(data))] ^= 1 << dice.randrange(8)


def cut(share: float) -> Spoil:
    def spoil(data: bytearray) -> None:
        del data[int(len(data) * share) :]

    return spoil


def head(data: bytearray) -> None:
    data[:100] = bytes(100)


def table(name: str, fill: bytes = b"") -> Spoil:
    """Noise, or zeros, over the first page of a table."""

    def spoil(data: bytearray) -> None:
        page = {"batch": 4, "event": 5, "name": 9}[name]
        noise(data, page)
        if fill:
            data[(page - 1) * PAGE : page * PAGE] = fill * PAGE

    return spoil


WAYS = {
    **{f"cut to {share}": cut(share) for share in (0.95, 0.75, 0.4)},
    **{f"{count} pages": some_pages(count) for count in (1, 3, 9)},
    **{f"the first page of {name}": table(name) for name in ("batch", "event", "name")},
    "zeros for the table": table("event", b"\x00"),
    "its head": head,
    "bits": flips,
}


def worked(path: Path, lots: int = 60) -> Path:
    """A closed journal of two batches with some stock."""
    journal = open_journal(sqlite_url(path))
    for n, name in enumerate(("First", "Second"), 1):
        bench = Bench.open_batch(journal, read_files(HERON), name, 12, prefix=name[0], number=n)
        for k in range(lots):
            bench.do(c.named("ReceiveLot")("bag", f"SR-{n}-{k}", "1 k", "0402", 10))
    journal.close()
    return path


def mended(place: Path, count: int, seed: int) -> Counter[str]:
    """So many journals damaged at random, and each mended; what fell."""
    found: Counter[str] = Counter()
    dice, whole = random.Random(seed), worked(place / "whole.sqlite").read_bytes()
    before = salvage(place / "whole.sqlite")
    for n in range(count):
        data = bytearray(whole)
        for _ in range(dice.randrange(1, 4)):
            dice.choice([*WAYS.values(), *map(some_pages, (1, 5, 20))])(data)
        path, new = place / f"{n}.sqlite", place / f"{n}-new.sqlite"
        path.write_bytes(data)
        began = time.monotonic()
        found["damaged journals"] += 1
        try:
            kept = salvage(path)
            others = by_sqlite(path) if data[:16] == whole[:16] else {}
            for name, rows in others.items():
                there = {row[0] for row in before.rows[name]}
                found["lost"] += len((rows & there) - {row[0] for row in kept.rows[name]})
            rescue(path, new)
            opened = open_journal(sqlite_url(new))
            for batch in opened.batches():
                with suppress(BadInput):  # its files were on a page that is gone
                    Bench(opened, batch.id)
            opened.close()
        except BadInput:
            found["refused"] += 1  # nothing that could be read was left
        except Exception:
            found["tracebacks"] += 1
        found["over budget"] += time.monotonic() - began > MOST_S
        for file in place.glob(f"{n}*"):
            file.unlink()
    return found


def cut_open(place: Path, count: int, seed: int) -> Counter[str]:
    """Journals cut short while somebody works in them; an acknowledged entry that is not there afterwards."""
    found: Counter[str] = Counter()
    dice, whole = random.Random(seed), worked(place / "whole.sqlite", 5).read_bytes()
    for n in range(count):
        path = place / f"{n}.sqlite"
        path.write_bytes(whole)
        bench = Bench(open_journal(sqlite_url(path)), 3)
        sure = len(bench.workshop[Lots].lots)
        for k in range(12):
            if k in (3, 7) and dice.random() < 0.8:
                os.truncate(path, int(path.stat().st_size * dice.random()))
                found["cut short while open"] += 1
            try:
                bench.do(c.named("ReceiveLot")("bag", f"SR-{k}", "1 k", "0402", 10))
                sure += 1
            except NotSaved:
                found["refused"] += 1
        bench.journal.close()
        again = open_journal(sqlite_url(path))
        found["lost"] += max(0, sure - len(Bench(again, 3).workshop[Lots].lots))
        again.close()
        found["acknowledged"] += sure
        for file in place.glob(f"{n}.sqlite*"):
            file.unlink()
    return found
