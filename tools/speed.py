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
from pathlib import Path
from typing import TYPE_CHECKING

from measured import additions, median, scaled

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QApplication

ROOT = Path(__file__).parents[1]
HERON = ROOT / "src/fusilex/demo/heron-r2"


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
    seconds = scaled(lambda: (_image.cache_clear(), design_from(files, "big")), 3)
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
            f"{1000 * scaled(lambda: reconcile(design), 5):.0f} ms",
            "≤ 200 ms",
        ),
        (
            "the one fault of 2,000 placements, 30 % wrong, named pads",
            f"{1000 * scaled(lambda: fit_named(listed, true), 5):.0f} ms",
            "≤ 500 ms",
        ),
        ("the same without names", f"{1000 * scaled(lambda: fit_unnamed(listed, true), 5):.0f} ms", "≤ 500 ms"),
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

    pan = scaled(frame, 40)
    canvas.close()
    return [
        ("its first picture", f"{first:.2f} s", ""),
        ("it, a frame while panning", f"{1000 * pan:.1f} ms", "≤ 16 ms"),
    ]


def beside(name: str, *words: str) -> list[tuple[str, str, str]]:
    """Rows of another tool, measured in a process of its own, for the sake of memory."""
    command = [sys.executable, str(ROOT / "tools" / name), *words]
    done = subprocess.run(command, check=True, capture_output=True, text=True)
    return [tuple(row) for row in json.loads(done.stdout)]


def painted(app: QApplication, place: Path) -> list[tuple[str, str, str]]:
    """Frames of the demo's board and panel."""
    from PyQt6.QtCore import QPointF, QSettings
    from shots import play

    from fusilex.bench.record.demos import open_demo
    from fusilex.bench.rooms import open_journal
    from fusilex.ui.frame.start import make_window

    bench = open_demo(open_journal(f"sqlite:///{place}/frames.sqlite"))
    window = make_window(bench, QSettings(str(place / "s.ini"), QSettings.Format.IniFormat))
    window.resize(1280, 800)
    window.show()
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
        return scaled(lambda: (canvas.pan(3, 2), canvas.repaint()), 40)

    def zoom() -> None:
        canvas.zoom(1.25 if canvas.scale < 60 else 0.05, QPointF(200, 200))
        canvas.repaint()

    used = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    return [
        ("panel of 6, a frame while panning", f"{1000 * pan(True):.1f} ms", "≤ 16 ms"),
        ("one board, a frame while panning", f"{1000 * pan(False):.1f} ms", "≤ 16 ms"),
        ("one zoom step, painted anew", f"{1000 * scaled(zoom, 25):.1f} ms", "–"),
        ("memory, most used", f"{used:.0f} MB", "≤ 400 MB"),
    ]


def tell(rows: list[tuple[str, str, str]]) -> None:
    """Rows of the table as soon as they are there: the whole run takes a quarter of an hour."""
    for row in rows:
        print("| " + " | ".join(row) + " |", flush=True)


def main() -> None:
    print(f"{platform.machine()}, {os.cpu_count()} cores, Python {platform.python_version()}, no graphics hardware\n")
    print("| what | measured | wanted |\n|---|---|---|")
    tell([("the machine itself: three million additions", f"{median([additions() for _ in range(5)]):.2f} s", "–")])
    tell(beside("keys.py"))
    tell(beside("thousand.py"))
    from fusilex.bench.intake.design import _image, read_design
    from fusilex.core.design.connectivity import compare_with_netlist
    from fusilex.ui.frame.start import make_application

    read = scaled(lambda: (_image.cache_clear(), read_design(HERON)))
    design = read_design(HERON)
    tell([("reading Heron's files", f"{read:.2f} s", "≤ 1 s")])
    measured = subprocess.run(
        [sys.executable, str(ROOT / "tools/other_sets.py")], check=True, capture_output=True, text=True
    )
    others: dict[str, float] = json.loads(measured.stdout)
    worst, middle = max(others, key=lambda name: others[name]), median(list(others.values()))
    tell([("reading whole sets, against another reader's parsing alone, median of 7", f"{middle:.1f} ×", "≤ 2 ×")])
    tell([(f"the same, worst ({worst})", f"{others[worst]:.1f} ×", "≤ 4 ×")])
    tell([("netlist against copper", f"{1000 * scaled(lambda: compare_with_netlist(design)):.0f} ms", "–")])
    app = make_application()
    with tempfile.TemporaryDirectory() as folder:
        tell(painted(app, Path(folder)))
    for words in ("heat.py", "many.py", "stencil.py", "placing.py --json", "inspection.py", "proving.py"):
        tell(beside(*words.split()))
    tell(beside("speed.py", "--large"))


def main_large() -> None:
    """The rows of the large board as JSON, from a process of its own."""
    from fusilex.ui.frame.start import make_application

    rows = large_board() + large_picture(make_application())
    used = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(json.dumps([*rows, ("memory with the large board, most used", f"{used:.0f} MB", "–")]))


if __name__ == "__main__":
    main_large() if "--large" in sys.argv else main()
