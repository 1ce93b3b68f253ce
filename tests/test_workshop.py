"""What outlives a batch: the workshop's stream, old journals, stock seen by several batches, orders and trays."""

from __future__ import annotations

import json
from datetime import UTC, datetime, timedelta
from pathlib import Path

import asked as c
import msgspec
import pytest
from asked import project_workshop
from msgspec.structs import replace
from sqlalchemy import create_engine, text

from fusilex.app import main
from fusilex.bench.common.bins import Bins
from fusilex.bench.common.events import BatchOpened, BoardCell
from fusilex.bench.record.bench import Bench
from fusilex.bench.refusal import Refused
from fusilex.bench.rooms import open_journal
from fusilex.bench.stations.kit.events import Kitted
from fusilex.bench.stations.kit.fitting import have, lots_for
from fusilex.bench.workshop.stock import Lots
from fusilex.core.design.hidden_joints import hides_joints
from fusilex.core.evidence import Level
from fusilex.core.kit.quantities import PLACING_ORDERS
from fusilex.core.kit.stock import judge_cover
from fusilex.core.problems import BadInput
from fusilex.formats.bundle import Files
from fusilex.formats.lists.stock import COLUMNS, read_stock, stock_csv
from fusilex.formats.written.csv_lists import suggestions_csv, to_csv
from fusilex.journal.place import sqlite_url


def levels(bench: Bench, rule: str) -> list[Level]:
    return [j.level for j in bench.judgements("Kit") if j.rule == rule]


def at_kit(bench: Bench) -> Bench:
    bench.do(c.Acknowledge("Kit"))
    bench.do(c.AcceptFiles())
    return bench


def test_a_journal_of_the_first_version_is_taken_along(bench: Bench, tmp_path: Path) -> None:
    """Back to the first schema with its rows, then opened again: nothing lost, the workshop's stream made anew."""
    url = sqlite_url(tmp_path / "old.sqlite")
    journal = open_journal(url)
    with journal.writing("K") as pen:
        batch = pen.open_stream("old one")
        pen.write(batch, [BatchOpened("old one", [BoardCell("O1-01", 1, 0)])])
    journal.close()
    engine = create_engine(url)
    with engine.begin() as connection:
        connection.execute(text("DROP TABLE name"))
        connection.execute(text("DROP INDEX ix_event_kind"))
        for column in ("place", "origin"):
            connection.execute(text(f"ALTER TABLE event DROP COLUMN {column}"))
        connection.execute(text("ALTER TABLE batch DROP COLUMN kind"))
        connection.execute(text("UPDATE alembic_version SET version_num = '0001'"))
    engine.dispose()
    again = open_journal(url)
    assert [b.name for b in again.batches()] == ["old one"] and len(again.since(batch)) == 1
    assert again.workshop != batch and again.workshop == open_journal(url).workshop
    assert [b.name for b in again.batches()] == ["old one"], "the workshop is no batch"


def test_two_batches_share_one_stock(bench: Bench, heron_files: Files) -> None:
    other = Bench.open_batch(bench.journal, heron_files, "Heron R2", 6, prefix="H", number=8)
    line = bench.batch.line_of["C5"]
    bench.do(c.ReceiveLot("reel", line.part_number, line.value, line.package.code, 120, id="A"))
    bench.do(c.ReserveStock())
    assert other.refresh() and other.workshop == bench.workshop
    assert have(other.batch, other.batch.line_of["C5"]) == 120 - line.pull, "what another batch reserved is not there"
    assert have(bench.batch, line) == 120
    with pytest.raises(c.Refused, match="No lot in stock"):
        other.do(c.CountLot("A", line.pull))
        other.do(c.ReserveStock())
    at_kit(bench)
    bench.do(c.FillBin(line.key, 101, "A"))
    with pytest.raises(c.Refused, match="holds 0 pieces"):
        at_kit(other).do(c.FillBin(other.batch.line_of["C5"].key, 10, "A"))
    bench.do(c.Undo())
    assert bench.workshop[Lots].lots["A"].count == line.pull, "undo puts the pieces back into the lot"
    assert project_workshop(bench.journal.since(bench.shop.id)) == bench.workshop


def test_filling_a_bin_again_takes_only_what_is_more(bench: Bench) -> None:
    line = bench.batch.line_of["R4"]
    bench.do(c.ReceiveLot("reel", line.part_number, line.value, line.package.code, 60, id="A"))
    at_kit(bench)
    for count, left in ((20, 40), (50, 10), (45, 15)):
        bench.do(c.FillBin(line.key, count, "A"))
        assert bench.workshop[Lots].lots["A"].count == left
    bench.do(c.FillBin(line.key, 30, "someone else's"))
    assert bench.workshop[Lots].lots["A"].count == 15, "a lot that is not in stock is only a name"


def test_a_substitute_serves_from_stock_and_passes_the_bag(bench: Bench) -> None:
    at_kit(bench)
    line = bench.batch.line_of["R9"]
    bench.do(c.ReceiveLot("reel", "SR-7000", "31.5 k", "0402", 500, id="S"))
    assert lots_for(bench.batch, line) == []
    bench.do(c.CheckBag(line.key, "SR-7000 31.5k"))
    assert levels(bench, "kit.bag") == [Level.STOP]
    with pytest.raises(c.Refused, match="and why"):
        bench.do(c.ApproveSubstitute(line.key, "SR-7000", " "))
    bench.do(c.ApproveSubstitute(line.key, "SR-7000", "within the divider's tolerance"))
    bench.do(c.CheckBag(line.key, "SR-7000 31.5k"))
    assert levels(bench, "kit.bag") == [] and [x.id for x in lots_for(bench.batch, line)] == ["S"]
    bench.do(c.FillBin(line.key, line.pull, "S"))
    bench.do(c.Undo())
    bench.do(c.Undo())
    bench.do(c.Undo())
    assert bench.state[Kitted].substitutes == {} and lots_for(bench.batch, line) == []


def test_an_expired_lot_needs_a_bake_or_a_reason(bench: Bench) -> None:
    at_kit(bench)
    line = bench.batch.line_of["U3"]
    hours = lambda h: (datetime.now(UTC) - timedelta(hours=h)).isoformat()  # noqa: E731
    bench.do(c.ReceiveLot("tube", line.part_number, line.value, line.package.code, 50, level="4", id="T"))
    bench.do(c.NoteMoisture("T", "opened", hours(100)))
    bench.do(c.NoteMoisture("T", "dry", hours(60)))
    assert levels(bench, "kit.moisture") == [Level.UNKNOWN], "nobody read the room"
    bench.do(c.NoteAir(22.0, 45.0))
    assert levels(bench, "kit.moisture") == [Level.GO], "forty of 72 hours, then the cabinet"
    bench.do(c.NoteMoisture("T", "out", hours(20)))
    assert levels(bench, "kit.moisture") == [Level.CARE]
    bench.do(c.NoteMoisture("T", "out", hours(35)))
    assert levels(bench, "kit.moisture") == [Level.STOP]
    with pytest.raises(c.Refused, match="floor life exceeded"):
        bench.do(c.FillBin(line.key, 20, "T"))
    bench.do(c.Overrule("kit.moisture:T", "engineering samples"))
    bench.do(c.FillBin(line.key, 20, "T"))
    assert bench.state[Bins].filled[line.key].count == 20


def test_bins_follow_the_order_and_a_side_can_wait(bench: Bench) -> None:
    at_kit(bench)
    orders = {}
    for school in PLACING_ORDERS:
        bench.do(c.ChooseOrder(school))
        orders[school] = [x.key for x in bench.batch.lines]
        by_paste = [bench.batch.line_of[p.ref].key for p in bench.batch.parts_of("Place")]
        assert sorted({*by_paste}, key=by_paste.index)[0] == orders[school][0] or school == "area"
    assert orders["kind"] != orders["hidden-first"] != orders["area"]
    assert (
        hides_joints(bench.batch.line_of["U1"].package) and bench.batch.line_of["U1"].key == orders["hidden-first"][0]
    )
    bench.do(c.SkipSide("bottom"))
    for line in bench.batch.lines:
        if line.side != "bottom":
            bench.do(c.FillBin(line.key, line.pull))
    with pytest.raises(c.Refused, match="filled already"):
        bench.do(c.ChooseOrder("kind"))
    bench.do(c.CloseKit())
    waiting = {ref for line in bench.batch.lines if line.side == "bottom" for ref in line.refs}
    assert waiting == set(bench.state[Bins].without) == {"BT1", "C14", "L2", "R17"}, (
        "100 nF serves both sides and is there"
    )
    assert not waiting & {p.ref for p in bench.batch.parts_of("Hand")}


def test_cover_counts_what_stock_knows(bench: Bench) -> None:
    a, b, other = bench.batch.lines[:3]
    full = {a.key: a.pull, b.key: b.pull, other.key: other.pull}
    found = {
        "all": judge_cover([a, b, other], full)[0],
        "thin": judge_cover([a, b, other], {**full, a.key: a.need})[0],
        "short": judge_cover([a, b, other], {**full, a.key: a.need - 1, b.key: 0})[0],
        "unknown": judge_cover([a, b, other], {a.key: a.pull})[0],
    }
    assert [j.level for j in found.values()] == [Level.GO, Level.CARE, Level.STOP, Level.UNKNOWN]
    assert set(found["short"].refs) == {*a.refs, *b.refs}


def test_lists_are_written_so_that_spreadsheets_read_them(bench: Bench) -> None:
    assert to_csv(("a", "b"), [(1, 'x, "y"')]) == 'a,b\n1,"x, ""y"""\n'
    written = suggestions_csv(bench.derived.suggestions).splitlines()
    assert written[0] == "kind,ref,better,because" and len(written) == 1 + len(bench.derived.suggestions)


def test_check_says_how_sure_it_is_and_what_would_mend_it(
    heron_files: Files, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    for name, data in heron_files.items():
        if name.endswith("placements.csv"):
            rows = data.decode().splitlines()
            data = "\n".join([r for r in rows if not r.startswith("R4,")]).encode()
        (tmp_path / name).write_bytes(data)
    assert main(["check", str(tmp_path), "--json", "--fail-on", "stop"]) == 1
    said = json.loads(capsys.readouterr().out)["data"]
    assert {f["sure"] for f in said["files"] if f["name"].endswith(".gbr")} == {"stated"}
    assert said["findings"] == [
        {
            "kind": "missing",
            "ref": "R4",
            "where": "placements",
            "text": "R4: in the BOM, not in the placement list",
            "fix": "R4 put on its pads, turn unknown",
        }
    ]


STOCK_LISTS = {
    "ours.csv": (
        'Manufacturer Part,Description,Qty,Location,MSL\nSR-1777,1 uF 0402,"4,000",drawer 3,\nSR-0410,controller,25'
        " pcs,cabinet,MSL 3\nTotal,,4025,,\n"
    ),
    "theirs.csv": (
        "Artikelnummer;Wert;Bauform;Bestand;Fach;Verpackung\nSR-1777;1 uF;0402;4000;drawer"
        " 3;Rolle\nSR-0410;controller;QFN-32 5x5;~25;cabinet;Tablett\n"
    ),
}


def test_a_stock_list_comes_in_whole_is_written_and_read_back(bench: Bench) -> None:
    rows = read_stock(STOCK_LISTS["ours.csv"].encode(), "ours.csv")
    assert [(r.part_number, r.package, r.count, r.level) for r in rows] == [
        ("SR-1777", "0402", 4000, "1"),
        ("SR-0410", "", 25, "3"),
    ]
    assert read_stock(stock_csv(rows).encode(), "again.csv") == tuple(replace(r, line=n) for n, r in enumerate(rows, 2))
    for name, words in (
        ("theirs.csv", "line 3, column form: expected a form"),
        ("half.csv", "a whole number of pieces"),
    ):
        text = STOCK_LISTS.get(name, "value,count\n10k,12.5\n")
        with pytest.raises(BadInput, match=words):
            read_stock(text.encode(), name)
    lots = tuple(c.ReceiveLot(**{k: getattr(r, k) for k in COLUMNS}) for r in rows)
    bench.do(c.ReceiveList(lots, "ours.csv"))
    ids = list(bench.workshop[Lots].lots)
    assert (
        len(set(ids)) == 2
        and have(bench.batch, next(x for x in bench.batch.lines if x.part_number == "SR-1777")) == 4000
    )
    again = msgspec.structs.replace
    anew = (again(lots[0], id=ids[0], count=3900), lots[1], again(lots[1], level="9"))
    with pytest.raises(Refused, match=r"again\.csv, lot 3: Moisture levels"):
        bench.do(c.ReceiveList(anew, "again.csv"))
    assert [lot.count for lot in bench.workshop[Lots].lots.values()] == [4000, 25], "all or none"
    bench.do(c.ReceiveList(anew[:2], "again.csv"))
    assert [lot.count for lot in bench.workshop[Lots].lots.values()] == [3900, 25, 25]
    bench.do(c.Undo())
    assert [lot.count for lot in bench.workshop[Lots].lots.values()] == [4000, 25]
