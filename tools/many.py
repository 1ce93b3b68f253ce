"""Speed with a full workshop: 200 boards on a two-sided route with 20,000 events behind them, and 1,000 batches."""

from __future__ import annotations

import json
import sys
import tempfile
import time
from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path

from asked import acknowledge_all
from asked import named as command
from big_board import big_board
from measured import median, scaled, slowness

from fusilex.bench.common.events import BatchOpened, BoardCell
from fusilex.bench.record.batch_list import listed
from fusilex.bench.record.bench import Bench
from fusilex.bench.rooms import open_journal
from fusilex.bench.stations.test.events import ReadingTaken
from fusilex.core.evidence import Level
from fusilex.core.route.propose import propose
from fusilex.formats.bundle import read_files
from fusilex.journal.store import Journal

ROOT = Path(__file__).parents[1]
EVENTS, BATCHES = 20_000, 1_000


def worked(journal: Journal) -> Bench:
    """Heron on a two-sided route, kitted, with a long record."""
    files = read_files(ROOT / "src/fusilex/demo/heron-r2")
    bench = Bench.open_batch(journal, files, "Heron R2", 200, prefix="H", paste="leaded")
    acknowledge_all(bench)
    bench.do(command("ChooseSides")("glued"))
    bench.do(command("AcceptFiles")())
    for line in bench.batch.lines:
        bench.do(command("FillBin")(line.key, line.pull))
    bench.do(command("CloseKit")())
    read_often(journal, bench, EVENTS)
    return bench


def read_often(journal: Journal, bench: Bench, count: int) -> None:
    """So many readings more, a hundred a deed."""
    serials, pairs = list(bench.state.boards), [p.key for p in bench.batch.own.plan]
    for first in range(0, count, 100):
        with journal.writing("x", bench.id, place="Test") as pen:
            numbers = range(first, first + 100)
            pen.write(bench.id, [ReadingTaken(serials[n % 200], pairs[n % len(pairs)], None, "OL") for n in numbers])


def large(place: Path) -> Bench:
    """Heron stepped to 2,142 parts, four boards, kitted."""
    files = big_board(read_files(ROOT / "src/fusilex/demo/heron-r2"), 7, 6)
    bench = Bench.open_batch(open_journal(f"sqlite:///{place}/large.sqlite"), files, "Large", 4, prefix="L")
    acknowledge_all(bench)
    for step, done in (("Ready", ["AcceptFiles"]), ("Kit", []), ("Print", [])):
        bench.go(step)
        for judged in bench.judgements(step):
            if judged.level is Level.STOP:
                bench.do(command("Overrule")(judged.key, "to go on"))
        for name in done:
            bench.do(command(name)())
        if step == "Kit":
            for line in bench.batch.lines:
                bench.do(command("FillBin")(line.key, line.pull))
            bench.do(command("CloseKit")())
    bench.do(command("PrintPanel")(1, 0.12, "lead-free"))
    return bench


class Hands:
    """A window on a batch, and how long things take in it until they are painted."""

    def __init__(self, bench: Bench, place: Path) -> None:
        from PyQt6.QtCore import QSettings

        from fusilex.ui.frame.start import make_application, make_window

        self.app = make_application()
        settings = QSettings(str(place / f"{bench.state.opened['design']}.ini"), QSettings.Format.IniFormat)
        self.window = make_window(bench, settings)
        self.window.resize(1280, 800)
        self.window.show()
        while self.window.build_next():
            self.app.processEvents()

    def scaled(self, actions: Sequence[Callable[[], float]]) -> list[float]:
        """Milliseconds of each, as they would be there."""
        before = slowness()
        taken = [action() for action in actions]
        slow = (before + slowness()) / 2
        return [ms / slow for ms in taken]

    def ms(self, what: Callable[[], object]) -> float:
        self.window._warm.stop()  # what is done while hands are still is no part of a key
        began = time.perf_counter()
        what()
        self.app.processEvents()
        return 1000 * (time.perf_counter() - began)

    def key(self, name: str) -> float:
        """A key as the window takes it, by its name in the strip."""
        key = next(k for k in self.window.keys() if name in k.keys.split(" "))
        return self.ms(lambda: (key.action(name), self.window.strip.show_keys(self.window.keys())))

    def at(self, step: str, board: str | None = None) -> float:
        return self.ms(lambda: self.window.desk.go(step, board))


def rows(place: Path) -> list[tuple[str, str, str]]:
    journal = open_journal(f"sqlite:///{place}/many.sqlite")
    first = worked(journal)
    opened = scaled(lambda: Bench(journal, first.id).route.steps)
    bench = Bench(journal, first.id)
    assert len(bench.route.steps) == 14
    proposed = scaled(lambda: propose(bench.design, "glued"))
    hands = Hands(bench, place)
    steps = hands.scaled([partial(hands.at, step) for step in bench.route.steps.ids * 2])
    hands.at("Print")
    keys = hands.scaled([partial(hands.key, name) for name in ("Space", "Space", "Enter", "Enter")])[1:]
    hands.at("Place", bench.state.at("Place")[0].serial)
    keys += hands.scaled([partial(hands.key, "Space")] * 12)[1:]
    back = median(hands.scaled([partial(hands.key, "Backspace")] * 5))
    hands.at("Release")
    release = median(hands.scaled([partial(hands.ms, hands.window.refresh)] * 5))
    with journal.writing() as pen:
        for n in range(BATCHES):
            boards = [BoardCell(f"Z{100 + n}-{k:02d}", 1, k) for k in range(18)]
            pen.write(pen.open_stream(f"Heron R2 batch {100 + n}"), [BatchOpened("Heron R2", boards, batch=100 + n)])
    assert len(listed(journal, "z777-03")) == 1
    searched = scaled(lambda: listed(journal, "z777-03"))
    read_often(journal, bench, 4 * EVENTS)
    assert len(Bench(journal, first.id).record.history) > 5 * EVENTS
    most = scaled(lambda: Bench(journal, first.id))
    parts = Hands(large(place), place)
    parts.at("Place")
    many = parts.scaled([partial(parts.key, "Space")] * 12)[1:]
    parts.at("Release")
    papers = median(parts.scaled([partial(parts.ms, parts.window.refresh)] * 5))
    return [
        ("opening 200 boards on two sides with 20,000 events", f"{opened:.2f} s", "≤ 1 s"),
        ("opening them with 100,000 events", f"{most:.2f} s", "≤ 0.5 s"),
        ("proposing their route", f"{1000 * proposed:.0f} ms", "≤ 100 ms"),
        ("slowest change of step with 20,000 events", f"{max(steps[len(steps) // 2 :]):.0f} ms", "≤ 50 ms"),
        ("slowest of 14 keys with them", f"{max(keys):.0f} ms", "≤ 50 ms"),
        ("undo with them, painted", f"{back:.0f} ms", "≤ 50 ms"),
        ("Release with them", f"{release:.0f} ms", "≤ 100 ms"),
        ("finding a serial in 1,000 batches", f"{1000 * searched:.0f} ms", "≤ 100 ms"),
        ("slowest of 11 keys at Place with 2,142 parts", f"{max(many):.0f} ms", "≤ 50 ms"),
        ("Release with 2,142 parts", f"{papers:.0f} ms", "≤ 150 ms"),
    ]


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as folder:
        json.dump(rows(Path(folder)), sys.stdout)
