"""Render docs/screenshots from the demo, offscreen: a batch in mid-work, every station once, one in the dim theme."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

import asked as c
from asked import acknowledge_all, marks_seen, taught, well
from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QApplication

from fusilex.bench.programme.programming import clock
from fusilex.bench.record.bench import Bench
from fusilex.bench.record.demos import open_demo
from fusilex.bench.rooms import open_journal
from fusilex.bench.stations.place.machine import point_at
from fusilex.bench.stations.place.programmed import rows_of, task
from fusilex.bench.stations.print.foil_events import STAGES
from fusilex.bench.stations.print.stencil import sheet
from fusilex.core.programme.optimise import optimise
from fusilex.journal.place import sqlite_url
from fusilex.ui import theme as themes
from fusilex.ui.canvas.paths import BoardArt
from fusilex.ui.frame.batches.rack import Batches
from fusilex.ui.frame.batches.thumbnails import keep
from fusilex.ui.frame.start import make_application, make_window
from fusilex.ui.frame.trace import TraceDialog
from fusilex.ui.frame.window import Window
from fusilex.ui.tabbed import TabbedStation
from fusilex.ui.workshop.dialog import Workshop

ROOT = Path(__file__).parents[1]
LOG = (ROOT / "src/fusilex/demo/heron-r2/oven-run-1.csv").read_bytes()


def play(bench: Bench) -> None:
    """Half a batch: panel 1 through to release, panel 2 on paste, panel 3 waiting."""
    acknowledge_all(bench)
    bench.do(c.CountBare(3, True))
    bench.do(c.MixBath(0.5))
    for minutes in (16.5, 18.0, 17.5):
        bench.do(c.LogEtch(minutes, 38.0, 35.0))
    bench.do(c.NoteProcess("the board maker", 0.12))
    bench.do(c.AcceptFiles())
    take_in(bench)
    for line in bench.batch.lines:
        bench.do(c.FillBin(line.key, line.pull, f"L{2600 + bench.batch.bin_number[line.key]}"))
    bench.do(c.CloseKit())
    stroke(bench, 1, 0.331)
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    taught(bench)
    bench.do(c.MachinePlaced(1))
    marks_seen(bench)
    bench.do(c.RecordReflow(1, "oven-run-1.csv", LOG))
    boards = [b.serial for b in bench.state.panel_boards(1)]
    for serial in boards[:5]:
        while part := bench.batch.next_part(bench.state.boards[serial], "Hand"):
            bench.do(c.SolderPart(serial, part.ref))
    for part in bench.batch.parts_of("Hand")[:4]:
        bench.do(c.SolderPart(boards[5], part.ref))
    for serial, ref, word in (
        (boards[1], "U1", "bridge"),
        (boards[2], "C5", "tombstone"),
        (boards[2], "D2", "rotated"),
    ):
        bench.do(c.MarkFault(serial, ref, word))
    for serial in boards[:3]:
        bench.do(c.InspectBoard(serial))
    for pair in bench.batch.own.plan:
        bench.do(c.TakeReading(boards[0], pair.key, well(pair)))
    bench.do(c.TestBoard(boards[0], True, "golden board compared"))
    fault = bench.state.boards[boards[1]].open_faults[0].id
    bench.do(c.RepairFault(boards[1], fault, "fixed"))
    bench.do(c.InspectBoard(boards[1]))
    for pair in bench.batch.own.plan[:11]:
        bench.do(c.TakeReading(boards[1], pair.key, well(pair)))
    bench.do(c.MarkFault(boards[3], "R4", "insufficient"))
    stroke(bench, 2, 0.338)
    bench.do(c.PrintPanel(2, 0.12, "leaded"))
    for part in bench.batch.parts_of("Place")[:22]:
        bench.do(c.PlacePart("H7-07", part.ref))
    for name, dx, dy in (("P1", 0.012, -0.008), ("P2", -0.010, 0.004), ("P3", 0.006, 0.011), ("U1@6", -0.007, -0.006)):
        x, y = point_at(bench.batch, name)
        bench.do(
            c.TeachPoint(
                2,
                name,
                round(x * 0.99998 - y * 0.0061 + 160.3 + dx, 3),
                round(x * 0.0061 + y * 0.99998 + 110.1 + dy, 3),
            )
        )


def run_machine(window: Window) -> None:
    """A programme for the machine, its slots loaded, and a run forty seconds old."""
    bench = window.desk.bench
    done = task(bench.batch, bench.board.panel)
    slots, rows = rows_of(done.job, (found := optimise(done.job, clock(3.0))).plan)
    bench.do(c.KeepProgramme(slots, rows, found.bound_s))
    for n, (line, slot) in enumerate(sorted(slots.items())):
        bench.do(c.LoadSlot(slot, line, 60 + 17 * n))
    window.station.refresh()
    window.station.view._start(False)
    run = window.station.view.run
    run.timer.stop()
    run.advance(41.3)
    run.frame()


def predict(app: QApplication, window: Window) -> None:
    """Settings for the oven, and the run that they make."""
    times, settings = [0.0, 90.0, 180.0, 270.0, 315.0, 316.0], [25.0, 150.0, 190.0, 262.0, 262.0, 0.0]
    window.desk.do(c.KeepSettings(times, settings, True, [[315.0, 0.4]]))
    while window.station.view.search is not None:
        app.processEvents()


def stroke(bench: Bench, panel: int, paste_g: float) -> None:
    """Up to the look at a panel's print, weighed before and after."""
    bench.do(c.WeighPanel(panel, 28.114))
    for stage in STAGES[:-1]:
        bench.do(c.DoStage(panel, stage))
    bench.do(c.WeighPanel(panel, 28.114 + paste_g))


def weigh_and_stroke(bench: Bench) -> None:
    """The jar, the room, and panel 3 under the foil, weighed before and after its stroke, looked at in part."""
    bench.do(c.NoteAir(22.4, 44.0))
    bench.do(c.SetRecord("jar", {"id": "jar 12", "paste": "leaded", "grams": 180.0, "received": "2026-09-14"}))
    fridge_then_room = "".join(f"{h},{5 if h < 700 else 22}\n" for h in range(0, 712, 4))
    bench.do(c.LogJar("jar 12", "sensor.csv", f"time_h,temp_c\n{fridge_then_room}".encode()))
    bench.do(c.HandleJar("jar 12", "opened"))
    bench.do(c.HandleJar("jar 12", "stirred"))
    stroke(bench, 3, 0.329)
    for ref in ("J1", "C5"):
        bench.do(c.LookAtPart("H7-13", ref))


def look_through(bench: Bench) -> None:
    """What was seen at three places of a foil that lies turned and to the right."""
    for (x, y), (dx, dy) in zip(
        sheet(bench.batch).places[:3], ((0.11, -0.02), (0.05, 0.13), (0.12, 0.12)), strict=False
    ):
        bench.do(c.LookThrough(x, y, dx, dy))


def take_in(bench: Bench) -> None:
    """Some of the parts from stock, the controller's tray opened yesterday, a few bags checked."""
    for ref, form, count, place in (
        ("C7", "reel", 4000, "drawer 1"),
        ("C5", "reel", 9500, "drawer 1"),
        ("R6", "reel", 5000, "drawer 2"),
        ("D2", "strip", 60, "drawer 4"),
        ("U2", "strip", 30, "shelf 2"),
        ("U1", "tray", 42, "dry cabinet"),
        ("U3", "tube", 50, "shelf 2"),
    ):
        line = bench.batch.line_of[ref]
        name = f"L{2600 + bench.batch.bin_number[line.key]}"
        level = "3" if ref == "U1" else "1"
        bench.do(
            c.ReceiveLot(form, line.part_number, line.value, line.package.code, count, place, "2638", "", level, name)
        )
    opened = (datetime.now(UTC) - timedelta(hours=29)).isoformat()
    bench.do(c.NoteMoisture(f"L{2600 + bench.batch.bin_number[bench.batch.line_of['U1'].key]}", "opened", opened))
    bench.do(c.StrapTest("1.1M"))
    bench.do(c.WantProgramme(bench.batch.line_of["U1"].key))
    bench.do(c.RecordProgramme(bench.batch.line_of["U1"].key, "heron.hex", b":00000001FF", "2.1"))
    for line in bench.batch.lines[:9]:
        bench.do(c.CheckBag(line.key, f"{line.part_number} {line.value}"))
    bench.do(c.ReserveStock())


VIEWS = (
    ("ready", "Ready", "H7-01"),
    ("ready-route", "Ready", "H7-01"),
    ("kit", "Kit", "H7-01"),
    ("print", "Print", "H7-13"),
    ("print-foil", "Print", "H7-13"),
    ("place", "Place", "H7-07"),
    ("machine", "Place", "H7-07"),
    ("reflow", "Reflow", "H7-01"),
    ("reflow-predicted", "Reflow", "H7-01"),
    ("hand", "Hand", "H7-06"),
    ("inspect", "Inspect", "H7-04"),
    ("rework", "Rework", "H7-03"),
    ("test", "Test", "H7-02"),
    ("test-power", "Test", "H7-02"),
    ("release", "Release", "H7-01"),
    ("inspect-photo", "Inspect", "H7-04"),
)
VIEW_OF = {
    "test-power": 1,
    "ready-route": 5,
    "print-foil": 2,
    "inspect-photo": 1,
    "machine": 2,
    "reflow-predicted": 1,
}


def compare(app: QApplication, window: Window, place: Path) -> None:
    """A good board's photograph, then one with a part missing and one turned round, as a renderer makes them up."""
    sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))
    import cv2
    from photos import Scene, photograph

    bench, view = window.desk.bench, window.station.view
    good = Scene(tilt=(2, 3), turn=-3, uneven=0.2, seed=1)
    bad = Scene(gone=("R3",), moved={"D1": (0, 0, 180)}, tilt=(-6, 8), turn=7, uneven=0.5, shadow=True, seed=2)
    for serial, name, scene in (("H7-05", "good.jpg", good), ("H7-04", "H7-04.jpg", bad)):
        window.desk.go("Inspect", serial)
        cv2.imwrite(str(place / name), photograph(bench.design, "top", scene))
        view.take(str(place / name))
        while view.aside.busy:
            app.processEvents()
            time.sleep(0.02)
        if serial == "H7-05":
            kept = view.kept
            bench.do(c.TeachPicture(serial, kept.sha, True))
    view.canvas.selected = "D1"


def shoot(folder: Path, size: tuple[int, int] = (1280, 800), only: tuple[str, ...] = (), scale: float = 1.0) -> None:
    """Write the pictures of `VIEWS` (or `only` some) into a folder."""
    app = make_application()
    with tempfile.TemporaryDirectory() as place:
        os.environ["XDG_CACHE_HOME"] = place  # small pictures of boards stay out of the real cache
        bench = open_demo(open_journal(sqlite_url(Path(place) / "shots.sqlite")))
        settings = QSettings(str(Path(place) / "settings.ini"), QSettings.Format.IniFormat)
        themes.theme.base *= scale
        window = make_window(bench, settings)
        window.resize(*size)
        window.show()
        if not only or "ready" in only:
            _grab(app, window, folder / "ready.png")
        play(bench)
        for name, station, serial in VIEWS[1:]:
            if only and name not in only:
                continue
            themes.use(themes.DIM if name == "inspect-photo" else themes.LIGHT)
            window.desk.said = ""
            window.desk.go(station, serial)
            if station == "Place":
                bench.do(c.ChooseWay("machine" if name == "machine" else "hand"))
            if isinstance(window.station, TabbedStation):
                window.station.show_view(VIEW_OF.get(name, 0))
            before = {
                "print": lambda: weigh_and_stroke(bench),
                "print-foil": lambda: look_through(bench),
                "machine": lambda: run_machine(window),
                "reflow-predicted": lambda: predict(app, window),
                "inspect-photo": lambda: compare(app, window, Path(place)),
            }
            before.get(name, lambda: None)()
            window.desk.say("")
            _grab(app, window, folder / f"{name}.png")
            if name == "machine":
                window.station.view.run.halt()
        shoot_dialogs(app, window, folder, only)
        window.close()


def shoot_dialogs(app: QApplication, window: Window, folder: Path, only: tuple[str, ...]) -> None:
    """The rack of batches and the workshop, with a second batch and a jar that is past its day."""
    themes.use(themes.LIGHT)
    bench = window.desk.bench
    wren = open_demo(bench.journal, which="wren")
    wren.do(c.RestBatch("paused", "the marsh comes first"))
    keep(window.desk.art, bench.state.opened["files"])
    keep(BoardArt(wren.design), wren.state.opened["files"])
    window.desk.do(c.SetRecord("jar", {"id": "jar 9", "paste": "leaded", "grams": 60, "expires": "2026-01-31"}))
    for name, dialog in (
        ("batches", Batches(window, bench.journal, bench.id, window.batches.act)),
        ("workshop", Workshop(window, window.desk)),
        ("trace", TraceDialog(window, bench, bench.journal, "load 1")),
    ):
        if not only or name in only:
            dialog.show()
            while getattr(getattr(dialog, "aside", None), "busy", False):
                app.processEvents()
            _grab(app, dialog, folder / f"{name}.png")
            dialog.close()


def _grab(app: QApplication, window: object, path: Path) -> None:
    for _ in range(6):
        app.processEvents()
    path.parent.mkdir(parents=True, exist_ok=True)
    window.grab().save(str(path))  # type: ignore[attr-defined]
    print(path.name, file=sys.stderr)


if __name__ == "__main__":
    shoot(ROOT / "docs/screenshots")
