"""What a two-sided board of a thousand parts on six poured layers takes: its files, its batch, every station, a key."""

from __future__ import annotations

import json
import resource
import sys
import tempfile
import time
from pathlib import Path

import asked as c
from big_board import big_board, six_layers
from measured import median, scaled, slowness
from PyQt6.QtCore import QSettings, Qt
from PyQt6.QtTest import QTest

from fusilex.bench.intake.design import _image, design_from
from fusilex.bench.record.bench import Bench
from fusilex.bench.rooms import open_journal
from fusilex.core.evidence import Level
from fusilex.formats.bundle import read_files
from fusilex.ui.frame.start import make_application, make_window
from fusilex.ui.frame.window import Window

HERON = Path(__file__).parents[1] / "src/fusilex/demo/heron-r2"
BOARDS, PRESSES = 4, 5
KEYS = {"Place": Qt.Key.Key_Space, "Inspect": Qt.Key.Key_Right, "Ready": Qt.Key.Key_Down, "Kit": Qt.Key.Key_Down}
"""What is pressed at a station; another board elsewhere."""
Rows = list[tuple[str, str, str]]


def on_the_way(bench: Bench) -> None:
    """Files taken, kit counted, the first panel printed."""
    c.acknowledge_all(bench)
    for judged in bench.judgements("Ready"):
        if judged.level is Level.STOP:
            bench.do(c.named("Overrule")(judged.key, "to go on"))
    bench.do(c.named("AcceptFiles")())
    for line in bench.batch.lines:
        bench.do(c.named("FillBin")(line.key, line.pull))
    bench.do(c.named("CloseKit")())
    bench.do(c.named("PrintPanel")(1, 0.12, "lead-free"))


def key_ms(window: Window, step: str, key: Qt.Key) -> float:
    """The median of some presses at a step, from acting to painted (ms, scaled)."""
    from PyQt6.QtWidgets import QApplication

    window.desk.go(step)
    QApplication.processEvents()
    before, taken = slowness(), []
    for _ in range(PRESSES + 1):
        window._warm.stop()  # what is done while hands are still is no part of a key
        began = time.perf_counter()
        QTest.keyClick(window, key)
        QApplication.processEvents()
        taken.append(time.perf_counter() - began)
    return 1000 * median(taken[1:]) / ((before + slowness()) / 2)


def rows() -> Rows:
    files = six_layers(big_board(read_files(HERON), 6, 4, "{0}{1:02d}"))
    app = make_application()
    found: Rows = []
    with tempfile.TemporaryDirectory() as folder:
        journal = open_journal(f"sqlite:///{folder}/thousand.sqlite")
        batch = Bench.open_batch(journal, files, "Thousand", BOARDS, prefix="T").id
        parts = len(design_from(files, "thousand").parts)

        def opened() -> Bench:
            _image.cache_clear()
            bench = Bench(journal, batch)
            assert bench.design
            return bench

        told = f"{scaled(opened, 3):.2f} s"
        found.append((f"opening the batch of a board of {parts:,} parts, six poured layers", told, "≤ 2 s"))
        bench = opened()
        c.acknowledge_all(bench)
        window = make_window(bench, QSettings(f"{folder}/s.ini", QSettings.Format.IniFormat))
        window.resize(1280, 800)
        window.show()
        app.processEvents()
        visits: dict[str, float] = {}
        for step in bench.route.steps.ids:
            before, began = slowness(), time.perf_counter()
            window.desk.go(step)
            window._warm.stop()  # what is done while hands are still is no part of a visit
            app.processEvents()
            visits[step] = (time.perf_counter() - began) / ((before + slowness()) / 2)
        slowest = max(visits, key=lambda step: visits[step])
        found.append((f"slowest first visit of a station with it, {slowest}", f"{visits[slowest]:.2f} s", "≤ 0.3 s"))
        on_the_way(bench)
        window.refresh()
        other = Qt.Key.Key_BracketRight
        keys = {step: key_ms(window, step, KEYS.get(step, other)) for step in bench.route.steps.ids}
        slowest = max(keys, key=lambda step: keys[step])
        found.append((f"slowest key of ten stations with it, {slowest}", f"{keys[slowest]:.0f} ms", "≤ 50 ms"))
        used = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        found.append(("memory with it, most used", f"{used:.0f} MB", "≤ 400 MB"))
    return found


if __name__ == "__main__":
    json.dump(rows(), sys.stdout)
