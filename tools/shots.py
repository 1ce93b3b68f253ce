"""Render docs/screenshots from the demo, offscreen: a batch in mid-work, every station once, one in the dim theme."""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QApplication

from fusilex.bench import commands as c
from fusilex.bench.cautions import CAUTIONS
from fusilex.bench.machine import point_at
from fusilex.bench.session import Bench
from fusilex.journal.store import Journal, sqlite_url
from fusilex.ui import theme as themes
from fusilex.ui.start import make_application, make_window, open_demo

ROOT = Path(__file__).parents[1]
LOG = (ROOT / "src/fusilex/demo/heron-r2/oven-run-1.csv").read_bytes()


def play(bench: Bench) -> None:
    """Half a batch: panel 1 through to release, panel 2 on paste, panel 3 waiting."""
    for station in CAUTIONS:
        bench.do(c.Acknowledge(station))
    bench.do(c.AcceptFiles())
    for line in bench.lines:
        bench.do(c.FillBin(line.key, line.pull, f"L{2600 + bench.bin_number[line.key]}"))
    bench.do(c.CloseKit())
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    bench.do(c.MachinePlaced(1))
    bench.do(c.RecordReflow(1, "leaded", "oven-run-1.csv", LOG))
    boards = [b.serial for b in bench.state.panel_boards(1)]
    for serial in boards[:5]:
        while part := bench.next_to_solder(bench.state.boards[serial]):
            bench.do(c.SolderPart(serial, part.ref))
    for part in bench.solder_order[:4]:
        bench.do(c.SolderPart(boards[5], part.ref))
    for serial, ref, word in ((boards[1], "U1", "bridge"), (boards[2], "C5", "on end"), (boards[2], "D2", "turned")):
        bench.do(c.MarkFault(serial, ref, word))
    for serial in boards[:3]:
        bench.do(c.InspectBoard(serial))
    for pair in bench.plan:
        bench.do(c.TakeReading(boards[0], pair.key, "OL" if len(pair.key) % 3 else "2.2M"))
    bench.do(c.TestBoard(boards[0], True))
    fault = bench.state.boards[boards[1]].open_faults[0].id
    bench.do(c.RepairFault(boards[1], fault, "fixed"))
    bench.do(c.InspectBoard(boards[1]))
    for pair in bench.plan[:11]:
        bench.do(c.TakeReading(boards[1], pair.key, "4.7M"))
    bench.do(c.MarkFault(boards[3], "R4", "too little"))
    bench.do(c.PrintPanel(2, 0.12, "leaded"))
    for part in bench.placing_order[:22]:
        bench.do(c.PlacePart("H7-07", part.ref))
    for name, dx, dy in (("P1", 0.012, -0.008), ("P2", -0.010, 0.004), ("P3", 0.006, 0.011), ("U1@6", -0.007, -0.006)):
        x, y = point_at(bench, name)
        bench.do(
            c.TeachPoint(
                2, name, round(x * 0.99998 - y * 0.0061 + 12.3 + dx, 3), round(x * 0.0061 + y * 0.99998 + 8.1 + dy, 3)
            )
        )


VIEWS = (
    ("ready", "Ready", "H7-01"),
    ("kit", "Kit", "H7-01"),
    ("print", "Print", "H7-13"),
    ("place", "Place", "H7-07"),
    ("machine", "Place", "H7-07"),
    ("reflow", "Reflow", "H7-01"),
    ("hand", "Hand", "H7-06"),
    ("inspect", "Inspect", "H7-04"),
    ("rework", "Rework", "H7-03"),
    ("test", "Test", "H7-02"),
    ("release", "Release", "H7-01"),
    ("place-dim", "Place", "H7-07"),
)


def shoot(folder: Path, size: tuple[int, int] = (1280, 800), only: tuple[str, ...] = (), scale: float = 1.0) -> None:
    """Write the pictures of `VIEWS` (or `only` some) into a folder."""
    app = make_application()
    with tempfile.TemporaryDirectory() as place:
        bench = open_demo(Journal(sqlite_url(Path(place) / "shots.sqlite")))
        settings = QSettings(str(Path(place) / "settings.ini"), QSettings.Format.IniFormat)
        themes.theme.base *= scale
        window = make_window(bench, settings)
        window.resize(*size)
        window.show()
        early = {"ready": lambda: None}
        for name, action in early.items():
            if not only or name in only:
                action()
                _grab(app, window, folder / f"{name}.png")
        play(bench)
        for name, station, serial in VIEWS[1:]:
            if only and name not in only:
                continue
            themes.use(themes.DIM if name.endswith("-dim") else themes.LIGHT)
            window.desk.said = ""
            window.desk.go(station, serial)
            if hasattr(window.station, "machine"):
                window.station.machine = name == "machine"
            if name == "inspect":
                window.station.canvas.selected = "U3"
            window.desk.say("")
            _grab(app, window, folder / f"{name}.png")
        window.close()


def _grab(app: QApplication, window: object, path: Path) -> None:
    for _ in range(6):
        app.processEvents()
    path.parent.mkdir(parents=True, exist_ok=True)
    window.grab().save(str(path))  # type: ignore[attr-defined]
    print(path.name, file=sys.stderr)


if __name__ == "__main__":
    shoot(ROOT / "docs/screenshots")
