"""Speed with a full workshop: 200 boards on a two-sided road with 20,000 events behind them, and 1,000 batches."""

from __future__ import annotations

import json
import sys
import tempfile
import time
from pathlib import Path

from asked import acknowledge_all
from asked import named as command

from fusilex.bench.batch_list import listed
from fusilex.bench.bench import Bench
from fusilex.bench.common.events import BatchOpened, BoardCell
from fusilex.bench.rooms import open_journal
from fusilex.bench.stations.test.events import ReadingTaken
from fusilex.core.road.propose import propose
from fusilex.formats.bundle import read_files
from fusilex.journal.store import Journal

ROOT = Path(__file__).parents[1]
EVENTS, BATCHES = 20_000, 1_000


def worked(journal: Journal) -> Bench:
    """Heron on a two-sided road, kitted, with a long record."""
    files = read_files(ROOT / "src/fusilex/demo/heron-r2")
    bench = Bench.open_batch(journal, files, "Heron R2", 200, prefix="H", paste="leaded")
    acknowledge_all(bench)
    bench.do(command("ChooseSides")("glued"))
    bench.do(command("AcceptFiles")())
    for line in bench.batch.lines:
        bench.do(command("FillBin")(line.key, line.pull))
    bench.do(command("CloseKit")())
    serials, pairs = list(bench.state.boards), [p.key for p in bench.derived.plan]
    with journal.writing("x", bench.id) as pen:
        read = (ReadingTaken(serials[n % 200], pairs[n % len(pairs)], None, "OL") for n in range(EVENTS))
        pen.write(bench.id, list(read))
    return bench


def rows(place: Path) -> list[tuple[str, str, str]]:
    from PyQt6.QtCore import QSettings

    from fusilex.ui.frame.start import make_application, make_window

    journal = open_journal(f"sqlite:///{place}/many.sqlite")
    first = worked(journal)
    began = time.perf_counter()
    bench = Bench(journal, first.id)
    assert len(bench.road.steps) == 14
    opened = time.perf_counter() - began
    began = time.perf_counter()
    propose(bench.design, "glued")
    proposed = time.perf_counter() - began
    app = make_application()
    window = make_window(bench, QSettings(str(place / "s.ini"), QSettings.Format.IniFormat))
    window.resize(1280, 800)
    window.show()
    while window.build_next():
        app.processEvents()
    taken = []
    for step in bench.road.steps.ids * 2:
        began = time.perf_counter()
        window.desk.go(step)
        app.processEvents()
        taken.append(time.perf_counter() - began)
    with journal.writing() as pen:
        for n in range(BATCHES):
            boards = [BoardCell(f"Z{100 + n}-{k:02d}", 1, k) for k in range(18)]
            pen.write(pen.open_stream(f"Heron R2 batch {100 + n}"), [BatchOpened("Heron R2", boards, batch=100 + n)])
    began = time.perf_counter()
    assert len(listed(journal, "z777-03")) == 1
    searched = time.perf_counter() - began
    return [
        ("opening 200 boards on two sides with 20,000 events", f"{opened:.2f} s", "≤ 1 s"),
        ("proposing their road", f"{1000 * proposed:.0f} ms", "≤ 100 ms"),
        ("slowest change of step with them", f"{1000 * max(taken[len(taken) // 2 :]):.0f} ms", "≤ 50 ms"),
        ("finding a serial in 1,000 batches", f"{1000 * searched:.0f} ms", "≤ 100 ms"),
    ]


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as folder:
        json.dump(rows(Path(folder)), sys.stdout)
