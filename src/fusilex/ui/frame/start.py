"""From command line to window: application, fonts, journal, the batch that was open last."""

from __future__ import annotations

import gc
import signal
import sys
from importlib.resources import as_file, files

from PyQt6.QtCore import QSettings, QTimer
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication

from fusilex.bench.record.bench import Bench
from fusilex.bench.record.demos import open_demo
from fusilex.bench.record.opening import newest_readable
from fusilex.bench.rooms import open_journal
from fusilex.core.problems import BadInput
from fusilex.core.quantities import Units, choose
from fusilex.core.shown import shown
from fusilex.journal.store import Journal
from fusilex.journal.trouble import NotSaved
from fusilex.ui.frame.error_report import Mishaps
from fusilex.ui.frame.stranded import Stranded
from fusilex.ui.frame.window import Window
from fusilex.ui.theme import DIM, LIGHT, load_fonts, use

BACKUP_AFTER_MS = 4000
"""The day's backup waits until the window has been in use for a moment."""


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
    choose(Units(*(settings.value(name) in (True, "true") for name in ("inch", "fahrenheit"))))
    window = Window(bench, settings, home)
    geometry = settings.value("geometry")
    if geometry is None or not window.restoreGeometry(geometry):
        window.resize(1280, 800)
    return window


def _settle() -> None:
    gc.freeze()
    gc.enable()


def open_home(url: str, demo_url: str, make: bool) -> Journal | None:
    """The journal at a URL; where it cannot be opened, the one the user chooses instead, None to leave."""
    while True:
        try:
            journal = open_journal(url, make=make)
            journal.batches()
            return journal
        except (NotSaved, BadInput) as problem:
            print(f"fusilex: {shown(str(problem))}", file=sys.stderr)
            asked = Stranded(str(problem), url, demo_url)
            asked.exec()
            if not asked.url:
                return None
            url, make = asked.url, asked.url == demo_url


def start(url: str, demo_url: str, demo: str = "", fresh: bool = False, make: bool = True) -> int:
    """Open the journal and the window, on a `demo` batch if one is named; returns the exit code.

    A workshop without a batch yet looks at the demo, kept in a journal of its own, until it opens a design. A journal
    that is not there is made unless `make` is False.
    """
    app = make_application()
    settings = QSettings()
    home = open_home(demo_url if demo else url, demo_url, make)
    if home is None:
        return 2
    mishaps = Mishaps()
    try:
        rows, unread = home.batches(), ""
        if demo and not home.only_read:
            bench = open_demo(home, fresh, demo)
        else:
            bench, unread = newest_readable(home, demo_url)
    except (NotSaved, BadInput) as problem:
        print(f"fusilex: {shown(str(problem))}", file=sys.stderr)
        Stranded(str(problem), home.url, home.url).exec()
        return 2
    try:
        window = make_window(bench, settings, home)
    except Exception as error:  # a batch that cannot be shown must not lock the workshop out of all the others
        mishaps.take(type(error), error, error.__traceback__)
        window = make_window(open_demo(open_journal(demo_url)), settings, home)
    mishaps.window = window
    said = [text for text in (home.noticed, unread) if text]
    if not demo and not rows:
        said.append("This is the demo batch. Drop a folder or zip of your design files on the window, or press Ctrl+O.")
    window.desk.say(" ".join(said))
    window.show()
    QTimer.singleShot(0, _settle)
    QTimer.singleShot(BACKUP_AFTER_MS, window.care.back_up_daily)
    for ending in (signal.SIGINT, signal.SIGTERM):
        signal.signal(ending, lambda *_: app.quit())
    breathe = QTimer()  # lets Python see the signal
    breathe.start(300)
    breathe.timeout.connect(lambda: None)
    code = app.exec()
    for journal in {window.home, window.desk.bench.journal}:
        journal.close()
    return code
