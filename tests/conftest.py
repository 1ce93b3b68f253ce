"""Shared fixtures: the demo design as files and as read, and an open batch of it."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # two workers whose threads wait for each other crawl
os.environ.setdefault("OPENCV_FOR_THREADS_NUM", "1")

import pytest
from hypothesis import settings
from PyQt6.QtCore import QSettings
from pytestqt.qtbot import QtBot

from fusilex.bench.intake.design import read_design
from fusilex.bench.record.bench import Bench
from fusilex.bench.rooms import open_journal
from fusilex.core.design.model import Design
from fusilex.formats.bundle import Files, read_files
from fusilex.journal.place import sqlite_url
from fusilex.journal.store import Journal

if TYPE_CHECKING:
    from fusilex.ui.frame.window import Window

# how long things take is measured by ./run speed: no deadlines
settings.register_profile("fixed", deadline=None, derandomize=True)
settings.register_profile("seeded", deadline=None)
settings.register_profile("long", deadline=None, max_examples=2_000)


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--long", action="store_true", help="property tests with new examples, and many more of them")


def pytest_configure(config: pytest.Config) -> None:
    """The same examples every time, unless a long run or a seed asks for others."""
    seeded = config.getoption("--hypothesis-seed", default=None) is not None
    settings.load_profile("long" if config.getoption("--long") else "seeded" if seeded else "fixed")


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """What takes long for a reason is left to the long run; photographs and ovens begin, for they end last."""
    if not config.getoption("--long"):
        left = [item for item in items if item.get_closest_marker("long")]
        config.hook.pytest_deselected(items=left)
        items[:] = [item for item in items if item not in left]
    items.sort(key=lambda item: not any(word in item.nodeid for word in BEGIN))


BEGIN = ("test_photo", "test_heat", "test_programme", "test_reflow", "test_torture")


@pytest.fixture(scope="session")
def long_run(pytestconfig: pytest.Config) -> bool:
    """True where tests that take long for a reason are wanted in full."""
    return bool(pytestconfig.getoption("--long"))


LETTERS = {
    "copper-top": "gtl",
    "copper-bottom": "gbl",
    "mask-top": "gts",
    "mask-bottom": "gbs",
    "paste-top": "gtp",
    "paste-bottom": "gbp",
    "silk-top": "gto",
    "silk-bottom": "gbo",
    "outline": "gko",
}
"""Heron's layers by the old habit of letters for endings."""
HERON = Path(__file__).parents[1] / "src/fusilex/demo/heron-r2"


@pytest.fixture(autouse=True)
def _own_home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """No test touches the real data folder or settings."""
    for name in ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME"):
        monkeypatch.setenv(name, str(tmp_path / name))
    monkeypatch.delenv("FUSILEX_JOURNAL", raising=False)


@pytest.fixture(scope="session", autouse=True)
def _templates(tmp_path_factory: pytest.TempPathFactory, worker_id: str) -> None:
    """One folder for the journals that all workers copy."""
    base = tmp_path_factory.getbasetemp()
    folder = (base if worker_id == "master" else base.parent) / "templates"
    folder.mkdir(exist_ok=True)
    os.environ["FUSILEX_TEST_TEMPLATES"] = str(folder)


@pytest.fixture(scope="session")
def heron_files() -> Files:
    return read_files(HERON)


@pytest.fixture(scope="session")
def heron() -> Design:
    return read_design(HERON)


@pytest.fixture
def bench(tmp_path: Path, heron_files: Files) -> Bench:
    journal = open_journal(sqlite_url(tmp_path / "journal.sqlite"))
    return Bench.open_batch(journal, heron_files, "Heron R2", 18, prefix="H", paste="leaded", number=7)


OpenWindow = Callable[..., "Window"]


@pytest.fixture
def open_window(qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[OpenWindow]:
    """Opens windows on a bench. They are held until the test is over: one that only its own circles of references
    hold may be collected while it is being painted.
    """
    from fusilex.core.quantities import METRIC, choose
    from fusilex.ui.frame.start import make_application, make_window
    from fusilex.ui.theme import LIGHT, use

    monkeypatch.setattr("fusilex.ui.frame.window.STILL_MS", 3_600_000)  # stations are built where a test goes there
    held = []

    def open_(bench: Bench, settings: QSettings | None = None, home: Journal | None = None) -> Window:
        make_application()
        settings = settings or QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat)
        made = make_window(bench, settings, home)
        qtbot.addWidget(made)
        held.append(made)
        made.show()
        return made

    yield open_
    choose(METRIC)
    use(LIGHT)


@pytest.fixture
def window(bench: Bench, open_window: OpenWindow) -> Window:
    """The window on the demo batch."""
    return open_window(bench)


@pytest.fixture
def coarse_twin(monkeypatch: pytest.MonkeyPatch) -> None:
    """Joints predicted on cells of 3 mm: what keys and records lead to does not hang on the last degree."""
    monkeypatch.setattr("fusilex.bench.stations.reflow.twin.CELL_MM", 3.0)


@pytest.fixture
def at_place(tmp_path: Path) -> Bench:
    """Heron's first panel printed and taught, before a part is on it."""
    from templates import from_template

    return from_template("at place", tmp_path / "p.sqlite", _at_place)


@pytest.fixture
def placed(tmp_path: Path) -> Bench:
    """Heron's first panel with all its parts, before the oven."""
    from templates import from_template

    return from_template("placed", tmp_path / "r.sqlite", _placed)


def _at_place(path: Path) -> Bench:
    import asked as c

    from fusilex.bench.record.demos import open_demo

    bench = open_demo(open_journal(sqlite_url(path)))
    c.acknowledge_all(bench)
    bench.do(c.AcceptFiles())
    for line in bench.batch.lines:
        bench.do(c.FillBin(line.key, line.pull + 40))
    bench.do(c.CloseKit())
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    bench.go("Place", "H7-01")
    for name, x, y in bench.batch.panel.fiducials:
        bench.do(c.TeachPoint(1, name, x + 160.2, y + 110.1))
    return bench


def _placed(path: Path) -> Bench:
    import asked as c

    bench = _at_place(path)
    bench.do(c.MachinePlaced(1))
    bench.go("Reflow", "H7-01")
    return bench


def read_out(window: Window) -> None:
    """Wait until the instrument in use has told what it shows, and the window has taken it."""
    from PyQt6.QtTest import QTest

    port = getattr(getattr(window.station, "view", window.station), "port")  # noqa: B009 - of some stations alone
    for _ in range(2_000):
        QTest.qWait(5)
        if not port.busy:
            return
    raise AssertionError("nothing was read")


def leaving(said: list[float]) -> Callable[[float, str], None]:
    """A step that writes down how far it is, and leaves in the second half."""
    from fusilex.core.progress import Left

    def step(share: float, what: str) -> None:
        said.append(share)
        if share > 0.5:
            raise Left

    return step
