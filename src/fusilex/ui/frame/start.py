"""From command line to window: application, fonts, journal, the batch that was open last."""

from __future__ import annotations

import gc
import signal
import sys
from importlib.resources import as_file, files

from PyQt6.QtCore import QSettings, QTimer
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication

from fusilex.bench.bench import Bench
from fusilex.bench.demos import open_demo
from fusilex.bench.rooms import open_journal
from fusilex.core.problems import BadInput
from fusilex.journal.store import Journal, NotSaved
from fusilex.ui.frame.error_report import Mishaps
from fusilex.ui.frame.window import Window
from fusilex.ui.theme import DIM, LIGHT, load_fonts, use
from fusilex.ui.units import Units


def make_application() -> QApplication:
    """The application with fonts, icon and style; the one that is running already, if any."""
    found = QApplication.instance()
    app = found if isinstance(found, QApplication) else QApplication(sys.argv[:1])
    if app.applicationName() == "fusilex" and app.property("dressed"):
        return app
    app.setProperty("dressed", True)
    app.setApplicationName("fusilex")
    app.setDesktopFileName("fusilex")
    app.setOrganizationName("fusilex")
    load_fonts()
    app.setStyle("Fusion")
    with as_file(files("fusilex") / "assets" / "fusilex.svg") as icon:
        app.setWindowIcon(QIcon(str(icon)))
    return app


def make_window(bench: Bench, settings: QSettings, home: Journal | None = None) -> Window:
    """The window as it was left: theme, units, size."""
    use(DIM if settings.value("theme") == "dim" else LIGHT)
    Units.inch = settings.value("inch") in (True, "true")
    Units.fahrenheit = settings.value("fahrenheit") in (True, "true")
    window = Window(bench, settings, home)
    geometry = settings.value("geometry")
    if geometry is None or not window.restoreGeometry(geometry):
        window.resize(1280, 800)
    return window


def _settle() -> None:
    gc.freeze()
    gc.enable()


def newest_readable(home: Journal, demo_url: str) -> tuple[Bench, str]:
    """The newest batch that can be read, and what was wrong with those after it: one broken batch locks nobody out of
    the others. The demo's where there is none. Raises `NotSaved`.
    """
    unread = ""
    for row in reversed(home.batches()):
        try:
            return Bench(home, row.id), unread
        except BadInput as problem:
            unread = unread or f"{row.name} cannot be opened. {problem}"
    return open_demo(open_journal(demo_url)), unread


def start(url: str, demo_url: str, demo: str = "", fresh: bool = False) -> int:
    """Open the journal and the window, on a `demo` batch if one is named; returns the exit code.

    A workshop without a batch yet looks at the demo, kept in a journal of its own, until it opens a design.
    """
    gc.disable()  # start-up makes many objects and no garbage; collecting them costs a tenth of it
    app = make_application()
    settings = QSettings()
    try:
        home = open_journal(demo_url if demo else url)
        rows, unread = home.batches(), ""
        if demo:
            bench = open_demo(home, fresh, demo)
        else:
            bench, unread = newest_readable(home, demo_url)
    except (NotSaved, BadInput) as problem:
        print(f"fusilex: {problem}", file=sys.stderr)
        return 2
    mishaps = Mishaps()
    try:
        window = make_window(bench, settings, home)
    except Exception as error:  # a batch that cannot be shown must not lock the workshop out of all the others
        mishaps.take(type(error), error, error.__traceback__)
        window = make_window(open_demo(open_journal(demo_url)), settings, home)
    mishaps.window = window
    window.desk.say(unread)
    if not demo and not rows:
        window.desk.say(
            "This is the demo batch. Drop a folder or zip of your design files on the window, or press Ctrl+O."
        )
    window.show()
    QTimer.singleShot(0, _settle)
    signal.signal(signal.SIGINT, lambda *_: app.quit())
    breathe = QTimer()  # lets Python see the signal
    breathe.start(300)
    breathe.timeout.connect(lambda: None)
    return app.exec()
