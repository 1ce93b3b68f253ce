"""Shared fixtures: the demo design as files and as read, and an open batch of it."""

from __future__ import annotations

import os
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import pytest
from hypothesis import settings

from fusilex.bench.session import Bench
from fusilex.core.board.model import Design
from fusilex.formats.bundle import Files, read_files
from fusilex.formats.intake import read_design
from fusilex.journal.store import Journal, sqlite_url

settings.register_profile("untimed", deadline=None)  # how long things take is measured by ./run speed
settings.load_profile("untimed")

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
    for name in ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_STATE_HOME"):
        monkeypatch.setenv(name, str(tmp_path / name))
    monkeypatch.delenv("FUSILEX_JOURNAL", raising=False)


@pytest.fixture(scope="session")
def heron_files() -> Files:
    return read_files(HERON)


@pytest.fixture(scope="session")
def heron() -> Design:
    return read_design(HERON)


@pytest.fixture
def bench(tmp_path: Path, heron_files: Files) -> Bench:
    journal = Journal(sqlite_url(tmp_path / "journal.sqlite"))
    return Bench.open_batch(journal, heron_files, "Heron R2", 18, prefix="H", paste="leaded", number=7)
