"""The record: what is kept, how it folds, who may write, and that journals of older versions open without loss."""

from __future__ import annotations

import json
import random
import re
import shutil
from pathlib import Path
from typing import Any

import asked as c
import pytest
from asked import project
from conftest import HERON
from msgspec import Struct
from msgspec.structs import replace
from sqlalchemy import inspect

from fusilex.bench.common.bins import Bins, older_name
from fusilex.bench.common.events import BatchOpened, BoardCell, places
from fusilex.bench.record import stream
from fusilex.bench.record.bench import Bench
from fusilex.bench.record.opening import newest_readable
from fusilex.bench.report.papers import board_record
from fusilex.bench.rooms import EVENT_KINDS, batch_state, open_journal
from fusilex.bench.stations.print.events import PanelPrinted
from fusilex.bench.workshop.stock import Lots
from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement
from fusilex.core.panel.layout import Panel
from fusilex.core.problems import BadInput
from fusilex.formats.bundle import Files
from fusilex.journal import folding, schema
from fusilex.journal.entries import Entry, Event, Unreadable, as_entry, typed
from fusilex.journal.pen import digest
from fusilex.journal.place import sqlite_url
from fusilex.journal.store import Journal
from fusilex.journal.trouble import NotSaved

OLD = Path(__file__).parent / "data" / "journal-before-rooms"
LOG = (HERON / "oven-run-1.csv").read_bytes()


@pytest.fixture
def journal(tmp_path: Path) -> Journal:
    return open_journal(sqlite_url(tmp_path / "deep" / "er" / "journal.sqlite"))


def opened(journal: Journal, name: str = "x", number: int = 1) -> int:
    with journal.writing("K") as pen:
        batch = pen.open_stream(name)
        pen.attach("a.bin", b"abc")
        pen.write(batch, [BatchOpened(name, [BoardCell(f"{name}-1", 1, 0)], number)])
    return batch


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
    batch = opened(journal)
    with journal.writing("K", batch) as pen:
        pen.attach("b.bin", b"xyz")
        pen.attach("c", b"abc")
        kept = pen.write(batch, [PanelPrinted(1, 0.12, "leaded"), PanelPrinted(1, 0.1, "leaded")])
    again = open_journal(journal.url)
    assert [b.name for b in again.batches()] == ["x"]
    assert again.since(batch, kept[0].id - 1) == kept and kept[0].deed == kept[1].deed
    assert again.attachment(digest(b"xyz")) == b"xyz" and again.attachment(digest(b"abc")) == b"abc"
    with pytest.raises(BadInput, match="it is missing"):
        again.attachment(digest(b"never"))


def test_a_journal_somebody_else_writes_in_says_so(journal: Journal, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("fusilex.journal.engine.PATIENCE_S", 0.2)
    batch, other = opened(journal), open_journal(journal.url)
    with other.engine.connect() as connection:
        connection.exec_driver_sql("PRAGMA busy_timeout=50")
    busy = pytest.raises(NotSaved, match="another program holds the journal")
    with journal.writing("K", batch), busy, other.writing("L", batch):
        pass


def test_a_command_is_all_or_nothing_and_names_are_unique(journal: Journal) -> None:
    batch = opened(journal)
    with pytest.raises(ValueError, match="half way"), journal.writing("K", batch) as pen:
        pen.write(batch, [PanelPrinted(1, 0.12, "leaded")])
        raise ValueError("half way")
    with pytest.raises(NotSaved, match="There is a board x-1 already"):
        opened(journal, number=2)
    with pytest.raises(NotSaved, match="Not saved"), journal.writing("K") as pen:
        pen.write(batch + 7, [PanelPrinted(1, 0.12, "leaded")])
    assert len(journal.since(batch)) == 1 and len(journal.batches()) == 1


def test_entries_are_read_as_they_were_written_whatever_they_share(tmp_path: Path) -> None:
    """Rows of one deed are alike here; from elsewhere they may come in any mixture."""
    dice, journal = random.Random(4), open_journal(sqlite_url(tmp_path / "mixed.sqlite"))
    kinds = {"cautions_read": '{"station": "Ready"}', "moved": '{"boards": [], "to": "Kit"}', "unheard_of": "{}"}
    put = []
    for id in range(7, 207):
        deed, at, who, place, kind = (dice.choice(words) for words in ("ab", "tu", "KM", "xy", sorted(kinds)))
        put.append(typed(Entry(kind, kinds[kind], id, deed, at, who, place, None, dice.choice((0, 9))), EVENT_KINDS))
    with journal.writing() as pen:
        batch = pen.open_stream("mixed")
        pen.put(batch, put)
    assert journal.since(batch) == put and journal.since(batch, 100) == put[94:]


def test_entries_are_checked_when_they_are_read() -> None:
    for kind in EVENT_KINDS.values():
        with pytest.raises(Unreadable, match=f"The journal, entry 7, {kind.kind} of t: expected "):
            odd = '{"board": 7, "panel": "x", "deed": 1, "columns": 3, "key": []}' if kind.__struct_fields__ else "[1]"
            typed(Entry(kind.kind, odd, 7, "d", "t"), EVENT_KINDS)


@pytest.mark.parametrize(
    ("body", "found"),
    [
        ('{"boards": ["H7-99"], "to": "Kit"}', "expected what the batch has; found “H7-99”"),
        ("{not json", "expected JSON; found {not json"),
        ('{"boards": 7, "to": "Kit"}', "Expected `array`, got `int`"),
    ],
)
def test_a_broken_batch_is_named_and_locks_nobody_out(
    bench: Bench, heron_files: Files, tmp_path: Path, body: str, found: str
) -> None:
    journal = bench.journal
    broken = Bench.open_batch(journal, heron_files, "Broken", 2, prefix="Z")
    with journal.writing("K") as pen:
        row = {"batch_id": broken.id, "deed": "d", "at": "2026-01-01T00:00:00+00:00", "who": "", "kind": "moved"}
        pen.connection.execute(schema.events.insert().values(**row, body=body))
    with pytest.raises(BadInput, match=re.escape(found)):
        Bench(journal, broken.id)
    opened, said = newest_readable(journal, sqlite_url(tmp_path / "demo.sqlite"))
    assert opened.id == bench.id and "Broken batch 2 cannot be opened" in said and found in said


def test_events_of_a_newer_program_are_passed_over() -> None:
    rows = places(["H7-01", "H7-02", "H7-03", "H7-04"], Panel(2, 1, 10, 10, 0, 0, 20, 10, 10, 10))
    first = replace(as_entry(BatchOpened("x", rows), "a", "t", "K", ""), id=1)
    state = project([first, typed(Entry("levitated", '{"board": "H7-01"}', 2, "b", "t"), EVENT_KINDS)])
    assert [b.serial for b in state.boards.values()] == ["H7-01", "H7-02", "H7-03", "H7-04"]
    assert [b.panel for b in state.boards.values()] == [1, 1, 2, 2] and state.last_id == 2 and state.deeds == []


def old_words(record: dict[str, Any]) -> dict[str, Any]:
    """A board's record of today as the version before the rooms would have written it."""
    parts = [{("body" if k == "package" else k): v for k, v in p.items() if k != "programme"} for p in record["parts"]]
    load = next(({k: v for k, v in x.items() if k not in ("seen", "step", "rule")} for x in record["loads"]), None)
    rest = ("step", "side", "method")
    made = next(({k: v for k, v in x.items() if k not in rest} for x in record["prints"]), None)
    wiped = [{k: v for k, v in x.items() if k != "step"} for x in record["wiped_prints"]]
    station = {"station": record["step"], "print": made, "load": load, "wiped_prints": wiped}
    return {**record, "parts": parts, **station}


def test_a_journal_of_the_version_before_opens_without_loss(tmp_path: Path) -> None:
    shutil.copy(OLD.with_suffix(".sqlite"), tmp_path / "j.sqlite")
    told = json.loads(OLD.with_suffix(".json").read_text())
    journal = open_journal(sqlite_url(tmp_path / "j.sqlite"))
    bench = Bench(journal, journal.batches()[0].id)
    kinds = {e.kind for e in (*bench.record.history, *bench.shop.history)}
    assert kinds <= set(EVENT_KINDS) and all(e.event for e in bench.record.history), "every kind of then is known now"
    for serial, then in told["papers"].items():
        now = old_words(board_record(bench.batch, serial))
        rest = {"format", "made_with", "overruled", "faults"}
        assert {k: now[k] for k in then if k not in rest} == {k: v for k, v in then.items() if k not in rest}
        assert [(o["reason"], o["at"]) for o in now["overruled"]] == [(o["reason"], o["at"]) for o in then["overruled"]]
        assert [(f["ref"], f["when"], f["result"]) for f in now["faults"]] == [
            (f["ref"], f["when"], f["result"]) for f in then["faults"]
        ]
    state, lots = told["state"], told["workshop"]["lots"]
    bins = {older_name(line): bench.state[Bins].filled.get(line.key) for line in bench.batch.lines}
    assert {k: (b.count, b.lot) for k, b in bins.items() if b} == {
        k: (b["count"], b["lot"]) for k, b in state["bins"].items()
    }
    assert {k: (x.count, x.place, x.package) for k, x in bench.workshop[Lots].lots.items()} == {
        k: (x["count"], x["place"], x["body"]) for k, x in lots.items()
    }
    assert (bench.view.step, bench.view.board) == (state["station"], state["board"])
    assert [d.id for d in bench.state.deeds] == state["deeds"]
    for station in bench.route.steps.ids:
        assert bench.now(station).title and bench.judgements(station)
    finest = Judgement("ready.finest", Level.STOP, "own etching", "Too fine")
    assert bench.state.overruling(finest), "an overruling of then still counts"
    bench.go("Place", "H7-01")  # the eyes were there, without a window
    bench.do(c.Undo())
    assert bench.board.serial == "H7-02" and not bench.board.tests, "and what was done then can be taken back"


def test_older_words_are_read_in_the_words_of_today() -> None:
    body = '{"key": "ready.turn:U1", "reason": "seen"}'
    assert typed(Entry("judgement_overruled", body), EVENT_KINDS).event.key == "ready.rotation:U1"  # type: ignore[union-attr]
    fix = {"kind": "several", "ref": "", "with": {"fixes": [{"kind": "turns", "with": {"turns": {"U1": 90}}}]}}
    read: Any = typed(Entry("fix_applied", json.dumps(fix)), EVENT_KINDS).event
    assert read.meant.with_["fixes"][0] == {
        "kind": "rotations",
        "ref": "",
        "with": {"rotations": {"U1": 90}},
        "words": "",
    }


def test_batches_opened_at_once_get_numbers_of_their_own(heron_files: Files, tmp_path: Path) -> None:
    journal = open_journal(sqlite_url(tmp_path / "j.sqlite"))
    made = [Bench.open_batch(journal, heron_files, "Heron R2", 2, prefix="H", number=7) for _ in range(3)]
    assert [b.state.opened["batch"] for b in made] == [7, 8, 9]
    assert len({serial for b in made for serial in b.state.boards}) == 6


def test_every_event_says_what_it_was() -> None:
    silent = {"moved", "went", "batch_opened", "undone", "redone", "pieces_counted", "pieces_uncounted"}
    silent |= {
        "part_replaced",
        "readings_cleared",
        "parts_back",
        "way_chosen",
        "batch_renamed",
        "batch_stands",
        "bin_named",
        "record_mended",
    }
    for kind in EVENT_KINDS.values():
        in_batch = not kind.__module__.startswith("fusilex.bench.workshop")
        says = kind.words is not Event.words and kind.__name__ != "Moved"
        assert says == (in_batch and kind.kind not in silent), kind.kind


@pytest.mark.parametrize("seed", range(6))
def test_from_a_checkpoint_the_state_is_the_same(bench: Bench, monkeypatch: pytest.MonkeyPatch, seed: int) -> None:
    """Deeds, undone and done again in any order: whatever the fold goes on from, it comes to the same."""
    monkeypatch.setattr(folding, "TAIL", 6)
    monkeypatch.setattr(stream, "TAIL", 6)
    pick = random.Random(seed)
    c.acknowledge_all(bench)
    bench.do(c.AcceptFiles())
    lines = bench.batch.lines
    for n in range(60):
        do = pick.choice(["fill", "fill", "undo", "undo", "redo"])
        try:
            if do == "fill":
                bench.do(c.FillBin(pick.choice(lines).key, 40 + n))
            else:
                bench.do(c.Undo() if do == "undo" else c.Redo())
        except c.Refused:
            continue
        whole = folding.fold(bench.record.history, batch_state)
        assert bench.state == whole and [d.id for d in bench.state.undone] == [d.id for d in whole.undone]
    assert 0 < bench.record._since.count < len(bench.record.history)


def test_a_copy_of_a_state_shares_nothing_that_can_change(bench: Bench) -> None:
    c.acknowledge_all(bench)
    bench.do(c.AcceptFiles())
    assert all(issubclass(kind, Struct) for kind in bench.state.slices), "plain objects are copied slowly"
    made = folding.copied(bench.state)
    assert made == bench.state
    before = folding.fold(bench.record.history, batch_state)
    made.boards["H7-01"].placed.append("R1")
    made.boards["H7-01"].readings["x"] = (1.0, "1")
    made.cautions["Test"] = "read"
    for kept in made.slices.values():
        for name in kept.__struct_fields__:
            if isinstance(held := getattr(kept, name), dict):
                held["x"] = "y"
            elif isinstance(held, list):
                held.append("y")
    assert bench.state == before != made
