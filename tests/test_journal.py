"""The record: what is kept, how it folds, and that no sequence of keys breaks it."""

from __future__ import annotations

from pathlib import Path

import pytest
from conftest import HERON
from sqlalchemy import inspect

from fusilex.bench.session import serials
from fusilex.core.panel.layout import Panel
from fusilex.journal import schema
from fusilex.journal.projection import project
from fusilex.journal.store import Event, Journal, NotSaved, digest, sqlite_url

LOG = (HERON / "oven-run-1.csv").read_bytes()


@pytest.fixture
def journal(tmp_path: Path) -> Journal:
    return Journal(sqlite_url(tmp_path / "deep" / "er" / "journal.sqlite"))


def test_the_migration_makes_the_schema(journal: Journal) -> None:
    found = inspect(journal.engine)
    for table in schema.metadata.tables.values():
        columns = {column["name"]: column["nullable"] for column in found.get_columns(table.name)}
        assert columns == {column.name: column.nullable for column in table.columns}
    with journal.engine.connect() as connection:
        pragma = connection.exec_driver_sql
        assert pragma("PRAGMA journal_mode").scalar() == "wal" and pragma("PRAGMA synchronous").scalar() == 2
        assert pragma("SELECT version_num FROM alembic_version").scalar() == schema.HEAD


def test_opening_again_migrates_nothing_and_finds_everything(journal: Journal) -> None:
    batch = journal.open_batch("one", {"a.bin": b"abc"}, [Event("batch_opened", {"boards": []})], "K")
    kept = journal.append(
        batch, [Event("noted", {"n": 1}), Event("noted", {"n": 2})], "K", {"b.bin": b"xyz", "c": b"abc"}
    )
    again = Journal(journal.url)
    assert [b.name for b in again.batches()] == ["one"]
    assert again.since(batch, kept[0].id - 1) == kept and kept[0].deed == kept[1].deed
    assert again.attachment(digest(b"xyz")) == b"xyz" and again.attachment(digest(b"abc")) == b"abc"
    with pytest.raises(KeyError):
        again.attachment(digest(b"never"))


def test_a_command_is_all_or_nothing(journal: Journal) -> None:
    batch = journal.open_batch("one", {}, [Event("batch_opened", {"boards": []})])
    with pytest.raises(TypeError):
        journal.append(batch, [Event("noted", {"n": 1}), Event("noted", {"n": object()})])
    assert len(journal.since(batch)) == 1
    with pytest.raises(NotSaved, match="Not saved"):
        journal.append(batch + 7, [Event("noted", {})])


def test_events_of_a_newer_program_are_passed_over() -> None:
    boards = serials("H", 7, 4, Panel(2, 1, 10, 10, 0, 0, 20, 10, 10, 10))
    opened = Event("batch_opened", {"boards": boards, "design": "x"}, 1, "a", "t")
    state = project([opened, Event("levitated", {"board": "H7-01"}, 2, "b", "t")])
    assert [b.serial for b in state.boards.values()] == ["H7-01", "H7-02", "H7-03", "H7-04"]
    assert [b.panel for b in state.boards.values()] == [1, 1, 2, 2] and state.last_id == 2 and state.deeds == []
