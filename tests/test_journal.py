"""The record: what is kept, how it folds, and that no sequence of keys breaks it."""

from __future__ import annotations

import random
from pathlib import Path

import pytest
from conftest import HERON
from sqlalchemy import inspect

from fusilex.bench import commands as c
from fusilex.bench.cautions import CAUTIONS
from fusilex.bench.session import Bench, serials
from fusilex.core.board.panel import Panel
from fusilex.core.inspection.faults import FAULT_WORDS
from fusilex.formats.bundle import Files
from fusilex.journal import schema
from fusilex.journal.projection import DONE, STATIONS, project
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


def random_command(bench: Bench, pick: random.Random) -> c.Command:
    board = pick.choice(list(bench.state.boards.values()))
    part = pick.choice([*bench.placing_order, *bench.solder_order]).ref
    line = pick.choice(bench.lines)
    choices: list[c.Command] = [
        c.FillBin(line.key, pick.choice((line.pull, line.need - 1, 0)), "lot"),
        c.PrintPanel(board.panel, 0.12, "leaded"),
        c.WipePrint(board.panel, "smeared"),
        c.PlacePart(board.serial, part),
        c.DropPart(board.serial, part),
        c.TakeBack(board.serial),
        c.TeachPoint(board.panel, pick.choice(("P1", "P2", "U1@2", "nobody")), pick.uniform(0, 90), 3.0),
        c.ForgetPoint(board.panel, "P1"),
        c.MachinePlaced(board.panel),
        c.RecordReflow(board.panel, "leaded", "run.csv", LOG),
        c.SolderPart(board.serial, part),
        c.MarkFault(board.serial, part, pick.choice(list(FAULT_WORDS.values()))),
        c.StrikeFault(board.serial),
        c.InspectBoard(board.serial),
        c.TakeReading(board.serial, pick.choice(bench.plan).key, pick.choice(("OL", "0.2", "33k", "what"))),
        c.TestBoard(board.serial, pick.random() < 0.5, pick.choice(("", "by eye"))),
        c.ReleaseBoard(board.serial),
        c.GoTo(pick.choice(STATIONS), board.serial),
        c.Overrule("some:thing", pick.choice(("", "because"))),
        c.Undo(),
        c.Redo(),
    ]
    if board.open_faults:
        fault = pick.choice(board.open_faults).id
        choices += [c.RepairFault(board.serial, fault, pick.choice(("fixed", "fixed", "fixed", "scrapped")))] * 3
    if following := bench.next_to_solder(board):
        choices += [c.SolderPart(board.serial, following.ref)] * 8
    return pick.choice(choices)


@pytest.mark.parametrize("seed", range(4))
def test_no_sequence_of_commands_breaks_the_record(heron_files: Files, tmp_path: Path, seed: int) -> None:
    """Whatever is done or refused: the state in hand is the fold of the record, and every board is somewhere once."""
    bench = Bench.open_batch(Journal(sqlite_url(tmp_path / "j.sqlite")), heron_files, "Heron", 4, prefix="H", number=7)
    for station in CAUTIONS:
        bench.do(c.Acknowledge(station))
    bench.do(c.AcceptFiles())
    for line in bench.lines:
        bench.do(c.FillBin(line.key, line.pull))
    bench.do(c.CloseKit())
    pick = random.Random(seed)
    refused = 0
    for _ in range(260):
        before = len(bench.history)
        try:
            bench.do(random_command(bench, pick))
        except c.Refused as reason:
            refused += 1
            assert len(bench.history) == before and str(reason).endswith(".")
        for board in bench.state.boards.values():
            assert board.station in (*STATIONS, DONE)
            assert len(set(board.placed)) == len(board.placed) and set(board.placed_how) == set(board.placed)
            assert not (board.released_at and board.open_faults)
    assert 0 < refused < 260
    folded = project(bench.journal.since(bench.batch))
    assert folded == bench.state
    while bench.state.deeds:
        bench.do(c.Undo())
    fresh = project(bench.history[:1])
    assert bench.state.boards == fresh.boards and bench.state.cautions == {}
