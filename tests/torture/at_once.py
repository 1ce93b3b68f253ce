"""Several processes flat out on one batch: nothing unseen, nothing doubled, and every state the replay's."""

from __future__ import annotations

import multiprocessing
import random
from collections import Counter
from pathlib import Path
from typing import Any

import asked as c
from asked import project, project_workshop

from fusilex.bench.command import Command
from fusilex.bench.record.bench import Bench
from fusilex.bench.rooms import open_journal
from fusilex.bench.workshop.stock import Lots
from fusilex.formats.bundle import read_files
from fusilex.journal.place import sqlite_url
from fusilex.journal.store import Journal

HERON = Path(__file__).parents[2] / "src/fusilex/demo/heron-r2"
SPAWN = multiprocessing.get_context("spawn")


def next_command(bench: Bench, name: str, n: int, dice: random.Random) -> Command:
    lots = list(bench.workshop[Lots].lots)
    match dice.randrange(8):
        case 0 if lots:
            return c.named("CountLot")(dice.choice(lots), dice.randrange(1, 900))
        case 1:
            return c.named("Undo")()
        case 2:
            return c.named("Redo")()
        case 3:
            return c.named("Acknowledge")(dice.choice(sorted(c.CAUTIONS)))
        case 4:
            return c.named("RenameBatch")(f"{name} {n}")
        case _:
            return c.named("ReceiveLot")("bag", f"SR-{name}{n}", "1 k", "0402", 10)


def _worker(url: str, batch: int, name: str, count: int, ready: Any, out: Any) -> None:
    bench = Bench(open_journal(url), batch)
    dice, kept = random.Random(name), []
    ready.wait()
    for n in range(count):
        bench.go("Kit")
        try:
            kept += [entry.id for entry in bench.do(next_command(bench, name, n, dice))]
        except c.Refused:
            continue
    ready.wait()
    bench.refresh()
    out.put((kept, told(bench)))


def told(bench: Bench) -> Counter[str]:
    """What a bench missed of the journal, saw twice, or adds up otherwise than a replay."""
    found: Counter[str] = Counter()
    for stream, state, replay in (
        (bench.record, bench.state, project),
        (bench.shop, bench.workshop, project_workshop),
    ):
        there = bench.journal.since(stream.id)
        seen = [entry.id for entry in stream.history]
        found["unseen"] += len({e.id for e in there} - set(seen))
        found["doubled"] += len(seen) - len(set(seen))
        found["states unlike the replay"] += replay(there) != state
    return found


def flat_out(place: Path, processes: int, count: int) -> Counter[str]:
    """`processes` × `count` commands on one batch; what went wrong, and how much was done."""
    url = sqlite_url(place / "at-once.sqlite")
    bench = Bench.open_batch(open_journal(url), read_files(HERON), "Heron R2", 6, prefix="H", number=7)
    ready, out = SPAWN.Barrier(processes), SPAWN.Queue()
    names = "ABCDEFGH"[:processes]
    busy = [SPAWN.Process(target=_worker, args=(url, bench.id, name, count, ready, out)) for name in names]
    for process in busy:
        process.start()
    found: Counter[str] = Counter({"commands": processes * count})
    kept: list[int] = []
    for _ in busy:
        mine, what = out.get(timeout=900)
        kept += mine
        found += what
    for process in busy:
        process.join(60)
    bench.refresh()
    there = {e.id for stream in (bench.record, bench.shop) for e in bench.journal.since(stream.id)}
    found["entries"] = len(there)
    found["lost"] += len(set(kept) - there)
    found["doubled"] += len(kept) - len(set(kept))
    found["doubled"] += len(there) - len(set(kept)) - len(bench.record.history[:1]) - _opening(bench)
    lots = [e.event for e in bench.shop.history if e.kind == "lot_received"]
    found["lots with one name"] += len(lots) - len({lot.id for lot in lots})  # type: ignore[union-attr]
    return found + told(bench)


def _opening(bench: Bench) -> int:
    """Entries beside the first that opening the batch wrote."""
    first = bench.record.history[0].deed
    return sum(e.deed == first for e in bench.record.history) - 1


def first_start(place: Path, processes: int, rounds: int) -> Counter[str]:
    """`processes` that make one journal at the same moment: all succeed, and there is one workshop."""
    found: Counter[str] = Counter({"first starts": rounds * processes})
    for n in range(rounds):
        url = sqlite_url(place / f"new {n} %?.sqlite")
        ready, out = SPAWN.Barrier(processes), SPAWN.Queue()
        busy = [SPAWN.Process(target=_make, args=(url, ready, out)) for _ in range(processes)]
        for process in busy:
            process.start()
        answers = [out.get(timeout=120) for _ in busy]
        for process in busy:
            process.join(60)
        found["first starts that failed"] += sum(isinstance(a, str) for a in answers)
        found["second workshops"] += len(set(answers)) - 1
    return found


def _make(url: str, ready: Any, out: Any) -> None:
    ready.wait()
    try:
        journal = Journal(url)
        out.put(journal.workshop)
        journal.close()
    except Exception as problem:
        out.put(str(problem))
