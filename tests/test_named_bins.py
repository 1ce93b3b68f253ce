"""A bin is what it is, and a board is what was built: whatever else the batch builds beside them."""

from __future__ import annotations

import json
import random
import shutil
from collections import Counter
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import asked as c
import pytest
from asked import acknowledge_all
from msgspec.structs import replace

from fusilex.bench.batch import Batch
from fusilex.bench.common.bins import Bin, Bins, numbered, with_names
from fusilex.bench.history.tracing import trace
from fusilex.bench.record.bench import Bench
from fusilex.bench.record.demos import open_demo
from fusilex.bench.report.papers import board_record
from fusilex.bench.rooms import open_journal
from fusilex.bench.stations.inspect.touring import fields_of
from fusilex.bench.stations.release.getting_ready import cuts_of
from fusilex.bench.workshop.put_right import LinePutRight, PutRight
from fusilex.bench.workshop.stock import Lots
from fusilex.core.design.model import Design
from fusilex.core.evidence import Level
from fusilex.core.kit.quantities import pull_list
from fusilex.journal.place import sqlite_url

OLD = Path(__file__).parent / "data" / "journal-before-named-bins"


def bin_of(bench: Bench, ref: str, serial: str = "H7-01") -> str:
    return bench.batch.lines_of(bench.state.boards[serial])[ref].key


@pytest.fixture
def stocked(bench: Bench) -> Bench:
    """All bins filled, U1's from a lot that was opened 400 h ago; the first panel printed, four parts on its boards."""
    acknowledge_all(bench)
    bench.do(c.AcceptFiles())
    line = bench.batch.line_of["U1"]
    bench.do(c.ReceiveLot("reel", line.part_number, line.value, line.package.code, 500, level="3", id="LOT-U1"))
    for x in bench.batch.lines:
        bench.do(c.FillBin(x.key, x.pull, "LOT-U1" if x is line else ""))
    bench.do(c.CloseKit())
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    for serial in ("H7-01", "H7-02"):
        for ref in ("U1", "R8", "C9", "D2"):
            bench.do(c.PlacePart(serial, ref))
    bench.do(c.DropPart("H7-01", "R9"))
    bench.do(c.NoteMoisture("LOT-U1", "opened", (datetime.now(UTC) - timedelta(hours=400)).isoformat()))
    return bench


def told_of(bench: Bench, serial: str) -> dict[str, Any]:
    """All that is kept of the bins of a board's parts, and what is judged by it."""
    board, batch = bench.state.boards[serial], bench.batch
    bench.go("Place", serial)
    clocks = [(j.subject, j.level) for j in bench.judgements("Place") if j.rule == "kit.moisture"]
    lines = batch.lines_of(board)
    return {
        "count": {ref: batch.left_in_bin(line.key) for ref, line in lines.items()},
        "number": {ref: batch.bin_number[line.key] for ref, line in lines.items()},
        "bag": {ref: bench.state[Bins].filled[line.key].lot for ref, line in lines.items()},
        "papers": [(p["ref"], p["lot"]) for p in board_record(batch, serial)["parts"]],
        "clocks": clocks,
    }


def test_a_second_source_of_one_board_leaves_the_bins_of_all_others(stocked: Bench) -> None:
    before = {serial: told_of(stocked, serial) for serial in ("H7-01", "H7-05", "H7-09")}
    assert before["H7-01"]["clocks"] and ("U1", "LOT-U1") in before["H7-01"]["papers"]
    assert before["H7-01"]["count"]["U1"] == stocked.state[Bins].filled[bin_of(stocked, "U1")].count - 2
    carried = {b.serial for b in trace("LOT-U1", [stocked.journal], stocked).boards}
    stocked.do(c.SetOption(["H7-18"], "U1", "out of stock", part_number="OTHER"))
    assert bin_of(stocked, "U1", "H7-18") != bin_of(stocked, "U1")
    assert {serial: told_of(stocked, serial) for serial in before} == before
    assert {b.serial for b in trace("LOT-U1", [stocked.journal], stocked).boards} == carried == {"H7-01", "H7-02"}
    again = Bench(stocked.journal, stocked.id)
    assert {serial: told_of(again, serial) for serial in before} == before
    assert stocked.batch.left_in_bin(bin_of(stocked, "U1", "H7-18")) is None, "nothing was counted for the other"


@pytest.mark.parametrize("seed", range(6))
def test_whatever_other_boards_get_bins_stay_what_they_are(stocked: Bench, seed: int) -> None:
    dice = random.Random(seed)
    kept = ["H7-01", "H7-06", "H7-12"]
    others = [s for s in stocked.state.boards if s not in (*kept, "H7-02")]
    before = {serial: told_of(stocked, serial) for serial in kept}
    refs = [p.ref for p in stocked.batch.own.parts]
    for _ in range(12):
        some = dice.sample(others, dice.randint(1, 4))
        ref = dice.choice(refs)
        line = stocked.batch.line_of[ref]
        match dice.randrange(5):
            case 0:
                stocked.do(c.SetOption(some, ref, "short", part_number=f"X-{dice.randrange(4)}", value=line.value))
            case 1:
                stocked.do(c.SetOption(some, ref, "tried", f"{dice.randrange(1, 99)} k"))
            case 2:
                stocked.do(c.SetOption(some, ref, "left out", fitted=dice.random() < 0.5))
            case 3:
                stocked.do(c.ApproveSubstitute(line.key, f"S-{dice.randrange(9)}", "near enough"))
            case _:
                own = stocked.batch.lines_of(stocked.state.boards[some[0]]).get(ref)
                if own is not None and own.key != line.key:
                    stocked.do(c.FillBin(own.key, dice.randrange(50)))
        assert {serial: told_of(stocked, serial) for serial in kept} == before
    numbers = list(stocked.batch.bin_number.values())
    assert len(set(numbers)) == len(numbers) and numbers == sorted(numbers)
    used = sum(len(b.placed) for b in stocked.state.boards.values())
    assert sum(stocked.batch.used.values()) == used == 8, "each piece that is on a board came out of one bin"


def test_a_part_keeps_the_bin_it_came_out_of(stocked: Bench) -> None:
    """A fix that reads a value otherwise makes it another bin: what is on boards came out of the one before."""
    own, left = bin_of(stocked, "R8"), stocked.batch.left_in_bin(bin_of(stocked, "R8"))
    put = stocked.state.boards["H7-01"].put["R8"]
    assert put.bin == own
    stocked.do(c.SetOption([s for s in stocked.state.boards if s not in ("H7-01", "H7-02")], "R8", "cold", "120 k"))
    assert stocked.state.boards["H7-01"].put["R8"] == put and stocked.batch.left_in_bin(own) == left


def test_bins_keep_their_numbers_when_others_come(stocked: Bench) -> None:
    stocked.do(c.SetOption(["H7-17"], "R8", "tried", "990 k"))
    first = bin_of(stocked, "R8", "H7-17")
    stocked.do(c.FillBin(first, 3))
    number = stocked.batch.bin_number[first]
    stocked.do(c.SetOption(["H7-16"], "C9", "tried", "15 pF"))  # sorts before it
    assert stocked.batch.bin_number[first] == number
    assert stocked.batch.bin_number[bin_of(stocked, "C9", "H7-16")] == number + 1
    assert [line.key for line in stocked.batch.lines][-2:] == [first, bin_of(stocked, "C9", "H7-16")]


def test_stock_is_kept_for_a_bin(bench: Bench) -> None:
    acknowledge_all(bench)
    line = bench.batch.line_of["U1"]
    bench.do(c.ReceiveLot("reel", line.part_number, line.value, line.package.code, 25, id="ONE"))
    bench.do(c.ReserveStock())
    lot = bench.workshop[Lots].lots["ONE"]
    assert lot.reserved == {(bench.batch.name, line.key): line.pull}
    bench.do(c.SetOption(["H7-18"], "U1", "two", value=line.value, part_number="OTHER"))
    other = bench.batch.lines_of(bench.state.boards["H7-18"])["U1"]
    assert lot.free_for(bench.batch.name, other.key) == 25 - line.pull, "what is kept for one bin is not the other's"
    assert lot.free_for(bench.batch.name, line.key) == 25
    bench.do(c.FillBin(line.key, line.pull, "ONE"))
    lot = bench.workshop[Lots].lots["ONE"]
    assert lot.count == 25 - line.pull and lot.free == lot.count, "what was taken is not kept any more"


def test_a_line_put_right_stays_so_beside_a_second_source(stocked: Bench) -> None:
    line = stocked.batch.line_of["R8"]
    older = f"{line.value} | {line.package.code}"
    with stocked.journal.writing("x", stocked.shop.id) as pen:
        pen.write(stocked.shop.id, [LinePutRight(older, 90.0, 0.1, 0.0, "seen")])
    stocked.refresh()
    assert stocked.workshop[PutRight].turns(stocked.batch.lines) == {line.key: 90.0}
    stocked.do(c.SetOption(["H7-17"], "R8", "second source", value=line.value, part_number="SECOND"))
    assert stocked.workshop[PutRight].turns(stocked.batch.lines)[line.key] == 90.0, "not lost beside another source"
    stocked.go("Place", "H7-01")
    stocked.do(c.PutLineRight("R8", 180.0, 0.0, 0.2, "seen again"))
    stocked.do(c.SetOption(["H7-18"], "R8", "other maker", value=line.value, part_number="OTHER"))
    put, lines = stocked.workshop[PutRight], stocked.batch.lines
    assert put.turns(lines)[line.key] == 270.0 and put.shifts(lines)[line.key] == (0.1, 0.2)


@pytest.mark.parametrize(("which", "seed"), [("heron", 0), ("heron", 1), ("wren", 0), ("wren", 1)])
def test_every_station_goes_by_what_is_built(tmp_path: Path, which: str, seed: int) -> None:
    """Each part of a board is placed once, looked at, read, in its papers and in a bin; each that is not is in none."""
    dice = random.Random(seed)
    bench = open_demo(open_journal(sqlite_url(tmp_path / "b.sqlite")), which=which)
    serials, drawn = list(bench.state.boards), [p for p in bench.design.parts if p.package.mount != "none"]
    for part in dice.sample(drawn, min(len(drawn), 9)):
        some = dice.sample(serials, dice.randint(1, len(serials)))
        if dice.random() < 0.6:
            bench.do(c.SetOption(some, part.ref, "tried", fitted=not part.populated))
        else:
            bench.do(c.SetOption(some, part.ref, "tried", f"{dice.randrange(2, 99)} k"))
    batch, carried = bench.batch, Counter[str]()
    for serial, board in bench.state.boards.items():
        on_it = {p.ref: p for p in batch.built(board).values() if p.populated}
        carried.update(on_it.keys())
        assert Counter(p.ref for s in batch.steps for p in batch.parts_of(s.id, board)) == Counter(
            dict.fromkeys(on_it, 1)
        )
        for step in batch.steps.at_station("Inspect"):
            fields = fields_of(batch.about(serial, step.id))
            assert {ref for f in fields for ref in f.refs} == set(on_it), serial
            joints = [joint for f in fields for joint in f.joints]
            assert {joint.rpartition(".")[0] for joint in joints} == set(on_it)
        checks = batch.as_built(board).checks
        assert {p.a.ref for p in checks.joints} | {p.b.ref for p in checks.joints} <= {*on_it, *untold_pads(batch)}
        assert set(on_it) <= {ref for p in checks.all for ref in p.refs}
        papers = {p["ref"]: p["value"] for p in board_record(batch, serial)["parts"]}
        assert papers == {ref: p.value for ref, p in on_it.items()}
        assert {ref: line.value for ref, line in batch.lines_of(board).items()} == papers
    assert sum(line.need for line in batch.lines) == carried.total()
    assert {p.ref for p in batch.any_board.parts} == set(carried)
    for panel in bench.state.panels:
        boards = bench.state.panel_boards(panel)
        bench.go(board=boards[0].serial)
        union = {p.ref for b in boards for p in batch.built(b).values() if p.populated}
        assert {p.ref for p in bench.batch.on_panel.parts} == union


def untold_pads(batch: Batch) -> set[str]:
    """Test pads and fiducials: pads of which nothing is fitted anywhere."""
    return {pad.ref for pad in batch.drawn.pads} - {p.ref for p in batch.drawn.parts if p.package.mount != "none"}


def test_bins_of_older_journals_are_read_as_they_were_meant(tmp_path: Path) -> None:
    shutil.copy(OLD.with_suffix(".sqlite"), tmp_path / "j.sqlite")
    told = json.loads(OLD.with_suffix(".json").read_text())
    journal = open_journal(sqlite_url(tmp_path / "j.sqlite"))
    bench = Bench(journal, journal.batches()[0].id)
    written = [e.text for e in bench.record.history]
    own = bench.batch.lines_of(bench.state.boards["H7-01"])
    assert {ref: bench.batch.left_in_bin(own[ref].key) for ref in told["left"]} == told["left"]
    for serial, then in told["papers"].items():
        now = json.loads(json.dumps(board_record(bench.batch, serial)))
        assert now["parts"] == then["parts"] and now["step"] == then["step"]
    assert [b.serial for b in trace("LOT-U1", [journal], bench).boards] == told["trace"] == ["H7-01"]
    for key in bench.state[Bins].filled:
        assert key in {line.key for line in bench.batch.lines}, key
    bench.do(c.PlacePart("H7-01", "R2"))
    assert [e.text for e in Bench(journal, bench.id).record.history][: len(written)] == written
    assert bench.batch.left_in_bin(bin_of(bench, "R2")) == told["left"]["R2"] - 1


def test_a_panel_is_judged_by_all_that_its_boards_carry(bench: Bench) -> None:
    """What one board goes without, the stencil still prints for its neighbours; what all go without is no question."""
    acknowledge_all(bench)
    bench.go("Print", "H7-01")

    def hidden(serial: str) -> list[str]:
        bench.go("Print", serial)
        return [j.headline for j in bench.judgements("Print") if j.rule == "print.hidden"]

    def near_cuts(serial: str) -> set[str]:
        bench.go("Release", serial)
        return set(cuts_of(bench.batch).refs)

    near = near_cuts("H7-01")
    assert hidden("H7-01") and near
    first, panel = min(near), [f"H7-{n:02d}" for n in range(1, 7)]
    bench.do(c.SetOption(["H7-01"], "U1", "next month", fitted=False))
    bench.do(c.SetOption(["H7-01"], first, "next month", fitted=False))
    assert hidden("H7-01") and near_cuts("H7-01") == near
    bench.do(c.SetOption(panel, "U1", "next month", fitted=False))
    bench.do(c.SetOption(panel, first, "next month", fitted=False))
    assert not hidden("H7-03") and near_cuts("H7-03") == near - {first}
    assert hidden("H7-07") and near_cuts("H7-07") == near


def test_no_two_bins_have_one_name_or_one_number(heron: Design) -> None:
    """Whatever a record from outside says of them."""
    lines = pull_list(heron, 2)
    lines += [replace(lines[0], value="a|b"), replace(lines[0], value="a¦b")]

    def bin_for(n: int, number: int) -> Bin:
        return Bin(lines[n].value, lines[n].package.code, lines[n].part_number, lines[n].refs, number)

    odd = {"x": bin_for(3, 5), "y": bin_for(4, 5), "z": bin_for(5, 10**6), "again": bin_for(3, 7)}
    odd |= {lines[6].article: bin_for(7, -3)}
    named = with_names(lines, odd)
    assert len({line.key for line in named}) == len(lines)
    assert [named[3].key, named[4].key, named[5].key, named[7].key] == ["x", "y", "z", lines[6].article]
    numbers = numbered(named, odd)
    assert len(set(numbers.values())) == len(lines) and set(numbers.values()) <= set(
        range(1, len(lines) + len(odd) + 1)
    )
    assert numbers["x"] == 5 and with_names(lines, {})[:3] == lines[:3]


def test_the_clock_goes_by_the_lot_that_the_bin_held_and_by_what_is_said_late(stocked: Bench) -> None:
    def clocks(serial: str) -> set[str]:
        stocked.go("Place", serial)
        return {j.subject for j in stocked.judgements("Place") if j.rule == "kit.moisture" and j.level is Level.STOP}

    line = stocked.batch.line_of["U1"]
    stocked.do(c.ReceiveLot("reel", line.part_number, line.value, line.package.code, 500, level="3", id="FRESH"))
    stocked.do(c.FillBin(line.key, 40, "FRESH"))
    assert clocks("H7-01") == {"LOT-U1"}, "what is on the board came out before"
    assert clocks("H7-03") == set(), "what is to come is fresh"
    other = stocked.batch.line_of["U2"]
    stocked.do(c.PlacePart("H7-03", "U2"))
    stocked.do(c.ReceiveLot("reel", other.part_number, other.value, other.package.code, 500, level="3", id="LATE"))
    stocked.do(c.FillBin(other.key, 10, "LATE"))
    stocked.do(c.NoteMoisture("LATE", "opened", (datetime.now(UTC) - timedelta(hours=400)).isoformat()))
    assert clocks("H7-03") == {"LATE"}, "nobody said which lot it was of: what was said later counts"
