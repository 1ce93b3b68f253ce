"""Long batches, long names, and designs of almost nothing: every picture opens, and nothing hides what counts."""

from __future__ import annotations

from pathlib import Path

import asked as c
import pytest
from conftest import OpenWindow
from PyQt6.QtWidgets import QApplication

from fusilex.bench.record.bench import Bench
from fusilex.bench.rooms import open_journal
from fusilex.core.evidence import Level
from fusilex.formats.bundle import Files
from fusilex.journal.place import sqlite_url
from fusilex.ui.tabbed import TabbedStation
from fusilex.ui.widgets.board_strip import BoardStrip

DOT = b"%FSLAX46Y46*%\n%MOMM*%\n%ADD10C,0.2*%\nG01*\nD10*\nX1000000Y1000000D03*\nM02*\n"
NAME = "Heron R2 environmental telemetry controller with radio, revision 2 build 14 for the northern stations"


def test_34_panels_and_a_long_name_hide_neither_batch_nor_boards_nor_clocks(
    heron_files: Files, tmp_path: Path, open_window: OpenWindow
) -> None:
    bench = Bench.open_batch(
        open_journal(sqlite_url(tmp_path / "j.sqlite")), heron_files, NAME, 200, prefix="NORTH-", number=1
    )
    c.acknowledge_all(bench)
    bench.do(c.named("AcceptFiles")())
    window = open_window(bench)
    window.resize(1100, 700)
    for judged in bench.judgements("Kit"):
        if judged.level is Level.STOP:
            bench.do(c.named("Overrule")(judged.key, "counted"))
    for line in bench.batch.lines:
        bench.do(c.named("FillBin")(line.key, line.pull))
    bench.do(c.named("CloseKit")())
    bench.do(c.named("PrintPanel")(1, 0.12, "lead-free"))
    window.desk.go("Print", "NORTH-1-97")
    QApplication.processEvents()
    window.grab()
    assert window.head.shown_batch == "batch 1    200 boards in 34 panels"
    assert "…" in window.head.shown_name and window.head.shown_name.startswith("Heron R2")
    strip = window.station.findChild(BoardStrip)
    assert strip is not None and 17 in strip.shown and 3 <= len(strip.shown) < 34
    boxes = [box for box, _ in strip._boxes]
    assert all(box.width() > 14 and box.right() <= strip.width() for box in boxes)
    assert not any(a.intersects(b) for n, a in enumerate(boxes) for b in boxes[n + 1 :])


@pytest.mark.parametrize(
    "names",
    [("copper-top", "mask-top"), ("copper-bottom", "mask-bottom", "outline"), ("copper-top", "paste-top"), ()],
)
def test_layers_without_parts_open_in_every_picture(
    names: tuple[str, ...], heron_files: Files, tmp_path: Path, open_window: OpenWindow
) -> None:
    files = {k: v for k, v in heron_files.items() if any(name in k for name in names)}
    files = files or {"b-copper-top.gbr": DOT, "b-mask-top.gbr": DOT}
    bench = Bench.open_batch(open_journal(sqlite_url(tmp_path / "j.sqlite")), files, "Bare", 2, prefix="Q")
    window = open_window(bench)
    window.resize(1100, 700)
    for step in bench.route.steps.ids:
        window.desk.go(step)
        station = window.station
        for view in range(len(station.tabs.names) if isinstance(station, TabbedStation) else 1):
            if isinstance(station, TabbedStation):
                station.take(view)
            window.refresh()
            assert window.station.now().title
            window.grab()
    while window.build_next():
        pass
