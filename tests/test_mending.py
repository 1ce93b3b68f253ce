"""A journal that is cut, torn or robbed gives back at least what any other reader gets out of it, and quickly."""

from __future__ import annotations

import os
import random
import shutil
import sqlite3
import time
from contextlib import closing
from datetime import date
from pathlib import Path

import asked as c
import pytest
from conftest import OpenWindow, leaving
from torture.torn import PAGE, WAYS, by_sqlite, some_pages

from fusilex.bench.common.mended import Mended
from fusilex.bench.record.bench import Bench
from fusilex.bench.record.rescue import check, mend, rescue
from fusilex.bench.rooms import open_journal
from fusilex.bench.workshop.stock import Lots
from fusilex.core.problems import BadInput
from fusilex.core.progress import Left
from fusilex.formats.bundle import Files
from fusilex.formats.written.whole import LEFT_S, write_whole
from fusilex.journal.backups import daily
from fusilex.journal.pages import Pages, read_log
from fusilex.journal.place import look_at, sqlite_url
from fusilex.journal.salvage import salvage
from fusilex.journal.trouble import NotSaved
from fusilex.ui.frame.waiting import waited_for


@pytest.fixture(scope="module")
def journal_file(tmp_path_factory: pytest.TempPathFactory, heron_files: Files) -> Path:
    """A closed journal of two batches, a hundred lots and some events of each batch."""
    path = tmp_path_factory.mktemp("whole") / "j.sqlite"
    journal = open_journal(sqlite_url(path))
    for n, name in enumerate(("First", "Second"), 1):
        bench = Bench.open_batch(journal, heron_files, name, 12, prefix=name[0], number=n)
        for k in range(50):
            bench.do(c.named("ReceiveLot")("bag", f"SR-{n}-{k}", "1 k", "0402", 10))
            bench.do(c.named("RenameBatch")(f"{name} {k}"))
    journal.close()
    return path


@pytest.fixture
def worn(journal_file: Path, tmp_path: Path) -> Path:
    return Path(shutil.copy(journal_file, tmp_path / "j.sqlite"))


def roots(path: Path) -> dict[str, int]:
    with closing(sqlite3.connect(path)) as raw:
        return dict(raw.execute("SELECT name, rootpage FROM sqlite_master WHERE type = 'table'"))


@pytest.mark.parametrize("how", WAYS)
def test_at_least_what_any_other_reader_gets_is_kept_and_what_is_lost_is_told(worn: Path, how: str) -> None:
    assert roots(worn) == {"alembic_version": 2, "batch": 4, "event": 5, "attachment": 7, "name": 9}
    before = salvage(worn)
    assert before.lost == [] and before.also == [] and len(before.rows["event"]) == 302 and not before.unsure
    data = bytearray(worn.read_bytes())
    WAYS[how](data)
    worn.write_bytes(data)
    found = salvage(worn)
    spoilt_head = data[:16] == bytes(16)
    for name, others in ({} if spoilt_head else by_sqlite(worn)).items():
        whole = {row[0] for row in before.rows[name]}
        assert {row[0] for row in found.rows[name]} >= others & whole, name
        if how != "bits":  # a bit that is another makes another letter
            assert {r for r in found.rows[name] if r not in before.rows[name]} <= set(found.rows[name][-1:])
    if "page" in how or "zeros" in how or how == "its head":  # a tree can be grown again from its leaves
        lost = sum(x.count for x in found.lost if x.table == "event")
        assert len(found.rows["event"]) + lost == 302, found.lost
    if how in ("the first page of event", "zeros for the table", "its head"):
        assert found.rows["event"] == before.rows["event"]
    new = worn.with_name("new.sqlite")
    as_it_was = worn.read_bytes()
    told = rescue(worn, new)
    assert worn.read_bytes() == as_it_was and look_at(new).damage == ""
    assert all("its file" in said for said in check(new).wrong), "nothing but a file that was on a torn page"
    assert told.wrong, "something was wrong, and is told"
    assert sum(len(stream.kept) + len(stream.lost) for stream in told.streams) == len(found.rows["event"])


def test_pages_are_read_as_sqlite_reads_them(tmp_path: Path) -> None:
    dice = random.Random(3)
    for size in (512, 4096, 65536):
        path = tmp_path / f"{size}.sqlite"
        rows = []
        for n in range(1, 200):
            ints = [0, 1, -1, 127, -128, 2**15, -(2**23), 2**31 - 1, -(2**47), 2**63 - 1]
            long = dice.randrange(10, 3 * size)
            rows.append((n * 7, dice.choice(ints), dice.random(), None, "ü" * dice.randrange(60), dice.randbytes(long)))
        with closing(sqlite3.connect(path)) as raw:
            raw.execute(f"PRAGMA page_size = {size}")
            raw.execute("CREATE TABLE t (id INTEGER PRIMARY KEY, a, b, c, d, e)")
            raw.executemany("INSERT INTO t VALUES (?, ?, ?, ?, ?, ?)", rows)
            raw.commit()
        pages = Pages(path.read_bytes())
        found = [pages.row(page, at) for _, page in pages.leaves for at in pages.cells(page)]
        got = {row.number: row.values for row in found if row and len(row.values) == 6}
        assert got == {row[0]: (None, *row[1:]) for row in rows}, size


def test_newest_entries_beside_the_file_are_kept_as_far_as_deeds_are_whole(
    tmp_path: Path, heron_files: Files, capsys: pytest.CaptureFixture[str]
) -> None:
    journal = open_journal(sqlite_url(tmp_path / "open.sqlite"))
    bench = Bench.open_batch(journal, heron_files, "Open", 2, prefix="A", number=1)
    for k in range(30):
        bench.do(c.named("ReceiveLot")("bag", f"SR-{k}", "1 k", "0402", 10))
    file, log = (tmp_path / "open.sqlite").read_bytes(), (tmp_path / "open.sqlite-wal").read_bytes()
    path, frames = tmp_path / "j.sqlite", (len(log) - 32) // (24 + PAGE)

    def laid(file: bytes, log: bytes) -> int:
        for ending in ("", "-wal", "-shm"):
            Path(f"{path}{ending}").unlink(missing_ok=True)
        path.write_bytes(file)
        Path(f"{path}-wal").write_bytes(log)
        return len(salvage(path).rows["event"])

    everything = laid(file, log)
    assert everything == 61 and read_log(Path(f"{path}-wal")).torn is False and look_at(path).damage == ""
    for frame in (2, frames // 2, frames - 16):
        torn = bytearray(log)
        torn[32 + frame * (24 + PAGE) + 24 + 999] ^= 64
        kept = laid(file, bytes(torn))
        assert "torn in the middle" in look_at(path).damage
        assert salvage(path).unsure and any("torn in the middle" in said for said in check(path).wrong)
        with closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as raw:
            assert kept >= raw.execute("SELECT count(*) FROM event").fetchone()[0]
        assert everything - kept <= 2, "only the deed whose page is torn"
    for share in (0.9, 0.5, 0.2):
        kept = laid(file, log[: int(len(log) * share)])
        assert kept % 2 == 1 and abs(kept - share * everything) < 12, "up to the last deed that is whole"
        assert look_at(path).damage == "", "a kill while a deed is written leaves the same"
    assert laid(file[: len(file) // 2], log) == everything
    laid(b"", log)
    assert "newer entries lie beside it" in look_at(path).damage
    with pytest.raises(NotSaved, match="Mend it, or go back to a backup"):
        open_journal(sqlite_url(path))
    assert "mended" in mend(path) and len(Bench(open_journal(sqlite_url(path)), 2).workshop[Lots].lots) == 30


def test_what_a_killed_writer_left_behind_the_end_is_no_damage(tmp_path: Path, heron_files: Files) -> None:
    """Its deed was on the disk and never counted; a shorter one of somebody else was written over its beginning."""
    path = tmp_path / "j.sqlite"
    killed = Bench.open_batch(open_journal(sqlite_url(path)), heron_files, "Open", 2, prefix="A", number=1)
    other = Bench(open_journal(sqlite_url(path)), killed.id)
    for bench in (other, killed, other):
        bench.do(c.named("RenameBatch")("Named"))
    log, index = Path(f"{path}-wal"), Path(f"{path}-shm").read_bytes()
    killed.do(c.named("AddFiles")({"x.txt": random.Random(1).randbytes(40_000)}))  # a long deed
    long = log.read_bytes()
    with Path(f"{path}-shm").open("r+b") as shared:
        shared.write(index[:136])  # as if it had been killed before it said how far the log goes
    other.do(c.named("RenameBatch")("Short"))
    written = log.read_bytes()
    assert len(written) == len(long) and written[32:999] == long[32:999], "the same log goes on"
    assert written != long and written[-9_000:] == long[-9_000:], "with what was left of the long deed at its end"
    assert read_log(log).torn is False and look_at(path).damage == ""
    assert Bench(open_journal(sqlite_url(path)), killed.id).state.opened["design"] == "Open"


def test_few_questions_are_asked_however_high_the_numbers(
    worn: Path, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    with closing(sqlite3.connect(worn)) as raw:
        raw.execute("UPDATE event SET id = 2000000000 WHERE id = (SELECT max(id) FROM event)")
        raw.commit()
    data = bytearray(worn.read_bytes())
    asked: list[str] = []
    from fusilex.journal import salvage as at

    connected = at.connected

    def counted(path: Path, mode: str) -> sqlite3.Connection:
        made = connected(path, mode)
        made.set_trace_callback(asked.append)
        return made

    monkeypatch.setattr(at, "connected", counted)
    some_pages(6)(data)
    worn.write_bytes(data)
    found = salvage(worn)
    assert len(asked) < 1_000 and found.rows["event"] and len(found.lost) < 40
    with closing(sqlite3.connect(worn)) as raw:
        raw.execute("PRAGMA writable_schema = 1")
        raw.execute("UPDATE sqlite_master SET sql = 'CREATE TABLE event (no' WHERE name = 'event'")
        raw.commit()
    asked.clear()
    assert salvage(worn).rows["event"] == found.rows["event"] and len(asked) < 20
    said: list[float] = []
    with pytest.raises(Left):
        rescue(worn, tmp_path / "new.sqlite", leaving(said))
    assert said == sorted(said) and len(said) > 2 and not list(tmp_path.glob("new*")), "nothing is half there"


def test_what_does_not_fit_is_left_out_and_what_follows_is_kept(worn: Path) -> None:
    with closing(sqlite3.connect(worn)) as raw:
        raw.execute('UPDATE event SET body = \'{"boards": ["X"], "to": "Kit"}\', kind = \'moved\' WHERE id % 29 = 0')
        raw.commit()
    told = check(worn)
    odd = list(range(29, 303, 29))
    assert sorted(id for stream in told.streams for id, _, _ in stream.lost) == odd
    assert sum(len(stream.kept) for stream in told.streams) == 302 - len(odd)


@pytest.mark.parametrize("share", [0.9, 0.3, 0.0])
def test_a_journal_cut_short_under_an_open_window_is_written_on_from_memory(
    worn: Path, open_window: OpenWindow, share: float
) -> None:
    journal = open_journal(sqlite_url(worn))
    bench = Bench(journal, 3)
    window = open_window(bench, None, journal)
    desk = window.desk
    assert desk.do(c.named("ReceiveLot")("bag", "SR-kept", "1 k", "0402", 10))
    history, lots = list(bench.record.history), len(bench.workshop[Lots].lots)
    os.truncate(worn, int(worn.stat().st_size * share))
    assert desk.do(c.named("ReceiveLot")("bag", "SR-not", "1 k", "0402", 10)) is None
    assert desk.said.startswith("Not saved: The journal") and "cut short while it was open" in desk.said
    assert "Do it again." in desk.said and len(bench.workshop[Lots].lots) == lots
    asides = [p for p in worn.parent.glob("j.sqlite.damaged-*") if p.name in desk.said]
    assert asides and "a new one stands in its place" in desk.said
    assert desk.do(c.named("ReceiveLot")("bag", "SR-again", "1 k", "0402", 10)), desk.said
    if share == 0.9:  # a second time, and not from what was set aside before; else the other batch has no beginning
        Bench(journal, 2).do(c.named("RenameBatch")("Between"))
        os.truncate(worn, int(worn.stat().st_size * 0.9))
        assert desk.do(c.named("RenameBatch")("No")) is None and "a new one stands in its place" in desk.said
        assert "Between" in {entry.body.get("name") for entry in journal.since(2)}
    journal.close()
    again = Bench(open_journal(sqlite_url(worn)), 3)
    assert [lot.part_number for lot in again.workshop[Lots].lots.values()][-2:] == ["SR-kept", "SR-again"]
    assert again.record.history[: len(history)] == history and again.state[Mended].losses == []
    assert again.design.parts, "its files were in memory, too"
    assert check(worn).wrong == []


def test_an_empty_journal_beside_backups_says_so_and_drafts_of_killed_work_are_tidied(worn: Path) -> None:
    daily(worn, date.today())
    old = [worn.parent / "j.sqlite.mended-1.part", worn.parent / "backups" / "j-2020-01-01.sqlite.part"]
    table = worn.parent / "table.csv"
    for draft in [*old, worn.parent / ".table.csv.0a1b2c3d.fusilex-part", worn.parent / ".mine.part"]:
        draft.write_bytes(b"half")
        os.utime(draft, (0, time.time() - LEFT_S - 10))
    fresh = worn.parent / ".table.csv.ffffffff.fusilex-part"
    fresh.write_bytes(b"another window writes this now")
    daily(worn, date.today())
    write_whole({table: b"a,b"})
    assert (
        sorted(p.name for p in worn.parent.iterdir() if "part" in p.name)
        == [
            ".mine.part",
            ".table.csv.ffffffff.fusilex-part",
        ]
        and not old[1].exists()
    )
    os.truncate(worn, 0)
    assert "there are backups of it" in open_journal(sqlite_url(worn)).noticed


ACTS = {
    "trigger t": "CREATE TRIGGER t AFTER INSERT ON event BEGIN DELETE FROM event; END",
    "view v": "CREATE VIEW v AS SELECT 1",
    "another program": "ALTER TABLE event RENAME TO other; CREATE VIEW event AS SELECT 1 AS id, 1 AS batch_id",
}


@pytest.mark.parametrize("what", ACTS)
def test_a_file_from_elsewhere_brings_rows_and_no_deeds(worn: Path, what: str) -> None:
    with closing(sqlite3.connect(worn)) as raw:
        raw.executescript(ACTS[what])
    as_it_was = worn.read_bytes()
    with pytest.raises(NotSaved, match=what):
        open_journal(sqlite_url(worn))
    assert worn.read_bytes() == as_it_was
    told = rescue(worn, worn.with_name("new.sqlite"))
    assert sum(len(stream.kept) for stream in told.streams) == 302
    with closing(sqlite3.connect(worn.with_name("new.sqlite"))) as raw:
        assert raw.execute("SELECT count(*) FROM sqlite_master WHERE type IN ('trigger', 'view')").fetchone() == (0,)


def test_long_work_is_waited_for_with_a_way_to_leave_it(open_window: OpenWindow, worn: Path) -> None:
    journal = open_journal(sqlite_url(worn))
    widget = open_window(Bench(journal, 3), None, journal)
    assert waited_for(widget, "Counting", lambda step: 7) == 7
    with pytest.raises(NotSaved, match="no room"):
        waited_for(widget, "Writing", lambda step: (_ for _ in ()).throw(NotSaved("no room")))
    with pytest.raises(BadInput):
        waited_for(widget, "Checking", lambda step: check(worn.with_name("none.sqlite"), step))
