"""Measure the numbers of docs/speed.md on this machine and print them as a table."""

from __future__ import annotations

import json
import os
import platform
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QApplication

ROOT = Path(__file__).parents[1]
HERON = ROOT / "src/fusilex/demo/heron-r2"
START = """
import gc, sys, time
gc.disable()
from PyQt6.QtCore import QSettings
from fusilex.bench.rooms import open_journal
from fusilex.bench.demos import open_demo
from fusilex.ui.frame.start import make_application, make_window
app = make_application()
window = make_window(open_demo(open_journal(sys.argv[1])), QSettings(sys.argv[2], QSettings.Format.IniFormat))
window.show()
for _ in range(3):
    app.processEvents()
window.grab()
print(time.time())
"""


def median(action: Callable[[], object], times: int = 9) -> float:
    taken = []
    for _ in range(times):
        began = time.perf_counter()
        action()
        taken.append(time.perf_counter() - began)
    return sorted(taken)[len(taken) // 2]


def additions() -> None:
    total = 0
    for i in range(3_000_000):
        total += i * i


def start_seconds(place: Path) -> float:
    """From starting the process to the painted window, interpreter and imports included: median of five warm runs."""
    taken = []
    for _ in range(6):
        began = time.time()
        command = [sys.executable, "-c", START, f"sqlite:///{place}/demo.sqlite", str(place / "s.ini")]
        done = subprocess.run(command, check=True, capture_output=True, text=True)
        taken.append(float(done.stdout) - began)
    return sorted(taken[1:])[2]


def large_board() -> list[tuple[str, str, str]]:
    """Reading, reconciling and correcting a design of two thousand placements."""
    import numpy as np

    from fusilex.bench.intake.design import _image, design_from, unjoined_design
    from fusilex.core.checks.reconcile import reconcile
    from fusilex.core.checks.systematic import fit_named, fit_unnamed
    from fusilex.core.design.join import join
    from fusilex.formats.bundle import read_files

    sys.path.insert(0, str(ROOT / "tools"))
    from big_board import big_board

    files = big_board(read_files(HERON), 7, 6)
    seconds = median(lambda: (_image.cache_clear(), design_from(files, "big")), 3)
    unjoined = unjoined_design(files, "big")
    design = join(unjoined)
    shapes = sum(len(x) for x in design.layers)
    random = np.random.default_rng(1)
    true = random.uniform(0, 1, (2000, 2)) * (300, 200)
    listed = (true - (12.0, -7.0)) / 25.4
    wrong = random.random(2000) < 0.3
    listed[wrong] = random.uniform(listed.min(axis=0), listed.max(axis=0), (int(wrong.sum()), 2))
    return [
        (
            f"reading {len(design.parts):,} placements, {shapes:,} drawn shapes",
            f"{seconds:.2f} s",
            "≤ 3 s for 60,000, first picture included",
        ),
        (
            f"reconciling {len(design.parts):,} placements",
            f"{1000 * median(lambda: reconcile(design), 5):.0f} ms",
            "≤ 200 ms",
        ),
        (
            "the one fault of 2,000 placements, 30 % wrong, named pads",
            f"{1000 * median(lambda: fit_named(listed, true), 5):.0f} ms",
            "≤ 500 ms",
        ),
        ("the same without names", f"{1000 * median(lambda: fit_unnamed(listed, true), 5):.0f} ms", "≤ 500 ms"),
    ]


def large_picture(app: QApplication) -> list[tuple[str, str, str]]:
    """First picture and panning of the large board."""
    from big_board import big_board

    from fusilex.bench.intake.design import design_from
    from fusilex.core.panel.layout import single
    from fusilex.formats.bundle import read_files
    from fusilex.ui.canvas.paths import BoardArt
    from fusilex.ui.canvas.view import BoardCanvas

    design = design_from(big_board(read_files(HERON), 7, 6), "big")
    canvas = BoardCanvas()
    canvas.resize(900, 600)
    canvas.fitted = lambda cell: design.parts
    canvas.show()
    app.processEvents()
    began = time.perf_counter()
    canvas.show_design(design, BoardArt(design), single(322, 198))
    canvas.repaint()
    first = time.perf_counter() - began

    def frame() -> None:
        canvas.pan(3, 2)
        canvas.repaint()

    pan = median(frame, 40)
    canvas.close()
    return [
        ("its first picture", f"{first:.2f} s", ""),
        ("it, a frame while panning", f"{1000 * pan:.1f} ms", "≤ 16 ms"),
    ]


def main() -> None:
    rows = [("the machine itself: three million additions", f"{median(additions, 5):.2f} s", "–")]
    large = subprocess.run([sys.executable, __file__, "--large"], check=True, capture_output=True, text=True)
    many = subprocess.run([sys.executable, str(ROOT / "tools/many.py")], check=True, capture_output=True, text=True)
    placing = subprocess.run(
        [sys.executable, str(ROOT / "tools/placing.py"), "--json"], check=True, capture_output=True, text=True
    )
    foil = subprocess.run([sys.executable, str(ROOT / "tools/stencil.py")], check=True, capture_output=True, text=True)
    eyes, tips = (
        subprocess.run([sys.executable, str(ROOT / "tools" / name)], check=True, capture_output=True, text=True)
        for name in ("inspection.py", "proving.py")
    )
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        rows.append(("demo to usable window, warm", f"{start_seconds(place):.2f} s", "≤ 1.2 s"))
        import asked as c
        import heat
        from PyQt6.QtCore import QPointF, QSettings, Qt
        from PyQt6.QtTest import QTest

        from fusilex.bench.demos import open_demo
        from fusilex.bench.intake.design import _image, read_design
        from fusilex.bench.rooms import open_journal
        from fusilex.core.design.connectivity import compare_with_netlist
        from fusilex.ui.frame.start import make_application, make_window

        rows.append(
            ("reading Heron's files", f"{median(lambda: (_image.cache_clear(), read_design(HERON))):.2f} s", "≤ 1 s")
        )
        design = read_design(HERON)
        measured = subprocess.run(
            [sys.executable, str(ROOT / "tools/other_sets.py")], check=True, capture_output=True, text=True
        )
        others: dict[str, float] = json.loads(measured.stdout)  # a process of its own, for the sake of memory
        worst = max(others, key=lambda name: others[name])
        middle = sorted(others.values())[len(others) // 2]
        rows.append(("reading whole sets, against gerbonara's parsing alone, median of 7", f"{middle:.1f} ×", "≤ 2 ×"))
        rows.append((f"the same, worst ({worst})", f"{others[worst]:.1f} ×", "≤ 4 ×"))
        rows.append(("netlist against copper", f"{1000 * median(lambda: compare_with_netlist(design)):.0f} ms", "–"))
        app = make_application()
        bench = open_demo(open_journal(f"sqlite:///{place}/keys.sqlite"))
        window = make_window(bench, QSettings(str(place / "s.ini"), QSettings.Format.IniFormat))
        window.resize(1280, 800)
        window.show()
        sys.path.insert(0, str(ROOT / "tools"))
        from shots import play

        play(bench)
        while window.build_next():
            app.processEvents()
        window.desk.go("Release", "H7-01")
        canvas = window.station.canvas
        app.processEvents()

        def pan(whole: bool) -> float:
            canvas.whole_panel = whole
            canvas.fit()
            canvas.repaint()

            def frame() -> None:
                canvas.pan(3, 2)
                canvas.repaint()

            return median(frame, 40)

        rows.append(("panel of 6, a frame while panning", f"{1000 * pan(True):.1f} ms", "≤ 16 ms"))
        rows.append(("one board, a frame while panning", f"{1000 * pan(False):.1f} ms", "≤ 16 ms"))

        def zoom() -> None:
            canvas.zoom(1.25 if canvas.scale < 60 else 0.05, QPointF(200, 200))
            canvas.repaint()

        rows.append(("one zoom step, painted anew", f"{1000 * median(zoom, 25):.1f} ms", "–"))

        def key(station: str, board: str, *keys: object) -> float:
            window.desk.go(station, board)
            app.processEvents()
            at = iter(keys * 40)

            def press() -> None:
                QTest.keyClick(window, next(at))
                app.processEvents()

            taken = []
            for _ in range(14):
                began = time.perf_counter()
                press()
                taken.append(time.perf_counter() - began)
            return max(taken[1:])

        for name, board, keys in (
            ("Place", "H7-08", (Qt.Key.Key_Space,)),
            ("Inspect", "H7-05", (Qt.Key.Key_Right, Qt.Key.Key_1)),
            ("Hand", "H7-06", (Qt.Key.Key_BracketRight,)),
            ("Test", "H7-02", (Qt.Key.Key_O,)),
            ("Print", "H7-14", (Qt.Key.Key_F,)),
        ):
            rows.append(
                (
                    f"slowest key of 13 at {name}, saved and painted",
                    f"{1000 * key(name, board, *keys):.0f} ms",
                    "≤ 50 ms",
                )
            )

        def stations() -> float:
            taken = []
            for _ in range(2):
                for digit in (
                    Qt.Key.Key_1,
                    Qt.Key.Key_2,
                    Qt.Key.Key_3,
                    Qt.Key.Key_4,
                    Qt.Key.Key_5,
                    Qt.Key.Key_6,
                    Qt.Key.Key_7,
                    Qt.Key.Key_8,
                    Qt.Key.Key_9,
                    Qt.Key.Key_0,
                ):
                    began = time.perf_counter()
                    QTest.keyClick(window, digit, Qt.KeyboardModifier.ControlModifier)
                    app.processEvents()
                    taken.append(time.perf_counter() - began)
            return max(taken[10:]), max(taken[:10])

        again, first = stations()
        rows.append(("slowest change of station, first visit", f"{1000 * first:.0f} ms", "≤ 50 ms"))
        rows.append(("slowest change of station, later", f"{1000 * again:.0f} ms", "≤ 50 ms"))
        window.desk.go("Place", "H7-08")
        for _ in range(5):
            bench.do(c.Undo())
        rows.append(
            ("undo with the batch's whole history", f"{1000 * median(lambda: bench.do(c.Undo()), 5):.0f} ms", "≤ 50 ms")
        )
        rows.append(
            ("memory, most used", f"{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB", "≤ 400 MB")
        )
    rows += heat.rows(app)
    rows += [tuple(row) for run in (many, foil, placing, eyes, tips, large) for row in json.loads(run.stdout)]
    print(
        f"{platform.machine()}, {os.cpu_count()} cores, Python {platform.python_version()}, no graphics hardware"
        " (software painting)\n"
    )
    print("| what | measured | wanted |\n|---|---|---|")
    for row in rows:
        print("| " + " | ".join(row) + " |")


def main_large() -> None:
    """The rows of the large board as JSON, from a process of its own."""
    from fusilex.ui.frame.start import make_application

    rows = large_board() + large_picture(make_application())
    used = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(json.dumps([*rows, ("memory with the large board, most used", f"{used:.0f} MB", "–")]))


if __name__ == "__main__":
    main_large() if "--large" in sys.argv else main()
