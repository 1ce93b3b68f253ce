"""The bench without a window: a batch walked through all stations, undone, killed, shared and refused."""

from __future__ import annotations

import base64
import math
import os
import signal
import subprocess
import sys
from collections import Counter
from pathlib import Path

import asked as c
import pytest
from asked import acknowledge_all, marks_seen, project, sent_off, taught, well
from conftest import HERON

from fusilex.bench.common.bins import Bins
from fusilex.bench.history.tracing import trace
from fusilex.bench.record.bench import Bench
from fusilex.bench.report.papers import board_record, page_html
from fusilex.bench.rooms import open_journal
from fusilex.bench.stations.place.machine import point_at
from fusilex.bench.stations.place.placements import programme
from fusilex.bench.stations.place.references import fit
from fusilex.bench.stations.print.events import Printing
from fusilex.bench.stations.test.planning import due
from fusilex.bench.workshop.losses import Losses
from fusilex.core.evidence import Level
from fusilex.core.kit.losses import loss_key
from fusilex.core.route.steps import DONE, one_side
from fusilex.formats.written.programme import to_csv
from fusilex.journal.place import sqlite_url
from fusilex.journal.trouble import NotSaved

LOG = (HERON / "oven-run-1.csv").read_bytes()

STEPS = one_side().ids


def kitted(bench: Bench, **short: int) -> None:
    acknowledge_all(bench)
    bench.do(c.AcceptFiles())
    for line in bench.batch.lines:
        bench.do(c.FillBin(line.key, short.get(line.refs[0], line.pull), f"lot {bench.batch.bin_number[line.key]}"))
    for stop in bench.route.open_stops(bench.batch, "Kit"):
        bench.do(c.Overrule(stop.key, "built without"))
    bench.do(c.CloseKit())


def reflowed(bench: Bench, panel: int = 1) -> list[str]:
    bench.do(c.PrintPanel(panel, 0.12, "leaded"))
    taught(bench, panel)
    bench.do(c.MachinePlaced(panel))
    marks_seen(bench)
    bench.do(c.RecordReflow(panel, "oven-run-1.csv", LOG))
    return [b.serial for b in bench.state.panel_boards(panel)]


def soldered(bench: Bench, serial: str) -> None:
    while part := bench.batch.next_part(bench.state.boards[serial], "Hand"):
        bench.do(c.SolderPart(serial, part.ref))


def test_one_run_over_several_panels_is_one_load(bench: Bench) -> None:
    """One log, one number: what is recalled by load is every board that was in the oven."""
    kitted(bench)
    for panel in (1, 2, 3):
        bench.do(c.PrintPanel(panel, 0.12, "leaded"))
        taught(bench, panel)
    bench.do(c.MachinePlaced(1))
    bench.do(c.MachinePlaced(2))
    bench.go("Reflow", "H7-01")
    bench.do(c.SetLoadSize(2))
    assert bench.now("Reflow").title == "Settle marks, panels 1 and 2"
    marks_seen(bench)
    assert bench.now("Reflow").title == "Run the oven with panels 1 and 2"
    bench.do(c.RecordReflow(1, "run.csv", LOG))
    first, second = (bench.state.panel_boards(p) for p in (1, 2))
    assert {b.loads["Reflow"].number for b in (*first, *second)} == {1} and {b.station for b in second} == {"Hand"}
    found = trace("load 1", [bench.journal], bench)
    assert {carrier.serial for carrier in found.boards} == {b.serial for b in (*first, *second)}
    assert "panels 1 and 2" in found.events[0].words
    bench.do(c.Undo())
    bench.go("Reflow", "H7-01")
    bench.do(c.RecordReflow(1, "run.csv", LOG, []))
    assert "Reflow" not in bench.state.panel_boards(2)[0].loads, "what came after the run began was not in the oven"
    bench.do(c.SeeReflow(2, "all shiny"))
    bench.do(c.MachinePlaced(3))
    bench.go("Reflow", bench.state.panel_boards(3)[0].serial)
    marks_seen(bench)
    bench.do(c.SeeReflow(3, "all shiny"))
    assert bench.state.panel_boards(3)[0].loads["Reflow"].beside == ()


def test_one_board_walks_all_ten_stations(bench: Bench) -> None:
    kitted(bench)
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    bench.go("Place", "H7-03")
    placed = 0
    while part := bench.batch.next_part(bench.board, "Place"):
        assert part.ref in bench.now("Place").title
        bench.do(c.PlacePart("H7-03", part.ref))
        placed += 1
    assert placed == len(bench.batch.parts_of("Place")) == 40 and bench.board.station == "Reflow"
    taught(bench)
    bench.do(c.MachinePlaced(1))
    marks_seen(bench)
    bench.do(c.RecordReflow(1, "oven-run-1.csv", LOG))
    assert {b.station for b in bench.state.panel_boards(1)} == {"Hand"}
    soldered(bench, "H7-03")
    bench.do(c.MarkFault("H7-03", "U1", "bridge"))
    bench.do(c.InspectBoard("H7-03"))
    assert bench.board.station == "Rework" and bench.board.first_pass is False
    bench.do(c.RepairFault("H7-03", bench.board.open_faults[0].id, "fixed"))
    assert bench.board.station == "Inspect"
    bench.do(c.InspectBoard("H7-03"))
    wanted = due(bench.batch, bench.board)
    for pair in wanted:
        bench.do(c.TakeReading("H7-03", pair.key, well(pair)))
    assert {p.key for p in bench.batch.own.plan} < {p.key for p in wanted}, "and about the mended part further apart"
    bench.do(c.TestBoard("H7-03", True))
    sent_off(bench, "H7-03")
    record = board_record(bench.batch, "H7-03")
    assert bench.board.station == DONE and record["released_at"]
    assert record["prints"][0]["number"] == 1 and record["loads"][0]["index"] < 100
    assert all(p["how"] and p["lot"] == f"lot {p['bin']}" for p in record["parts"])
    assert [f["result"] for f in record["faults"]] == ["fixed"] and len(record["readings"]) == len(wanted)
    page = page_html(bench.batch, "H7-03")
    drawn = base64.b64decode(page.partition("data:image/svg+xml;base64,")[2].partition('"')[0]).decode()
    assert "H7-03" in page and drawn.count("<polyline") == len(record["loads"][0]["metrics"]) == 2, "the run's curve"
    said = {j.rule: j.level for j in bench.judgements("Release")}
    assert said == {"release.record": Level.GO, "release.cut": Level.GO, "release.picture": Level.CARE}
    reopened = Bench(bench.journal, bench.id)
    assert reopened.state == bench.state and reopened.view.board == "H7-03"


def test_undo_and_redo_are_events(bench: Bench) -> None:
    kitted(bench)
    before = project(bench.record.history)
    bench.do(c.PrintPanel(2, 0.12, "leaded"))
    bench.go("Ready", "H7-01")
    bench.do(c.Undo())
    assert bench.state.boards == before.boards and bench.state[Printing].prints == []
    assert bench.view.board == "H7-07", "eyes return to what it was about"
    bench.do(c.Redo())
    assert {b.station for b in bench.state.panel_boards(2)} == {"Place"}
    bench.do(c.Undo())
    bench.do(c.PrintPanel(3, 0.12, "leaded"))
    with pytest.raises(c.Refused):
        bench.do(c.Redo())
    assert [e.kind for e in bench.record.history].count("undone") == 2
    assert Bench(bench.journal, bench.id).state == bench.state


def test_numbers_and_places_are_checked_where_they_are_meant(bench: Bench) -> None:
    kitted(bench)
    for command, words in (
        (c.PrintPanel(1, 55.0, "leaded"), "A foil is"),
        (c.PrintPanel(1, 0.12, "chocolate"), "no paste called chocolate"),
        (c.TeachPoint(1, "P1", 0.0, 0.0), "not at Place but at Print"),
    ):
        with pytest.raises(c.Refused, match=words):
            bench.do(command)
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    for command, words in (
        (c.TeachPoint(1, "Z9", 0.0, 0.0), "no point"),
        (c.TeachPoint(1, "P1", 9e9, 0.0), "within 2000 mm"),
    ):
        with pytest.raises(c.Refused, match=words):
            bench.do(command)


def handled(bench: Bench) -> dict[str, int]:
    return {k: x.placed + x.lost for k, x in bench.workshop[Losses].logged.items()}


def test_a_piece_counts_once_however_often_its_part_comes_off(bench: Bench) -> None:
    """Against a count by hand: pieces on boards, and one more for each that was lost."""
    kitted(bench)
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    while part := bench.batch.next_part(bench.state.boards["H7-01"], "Place"):
        bench.do(c.PlacePart("H7-01", part.ref))
    by_hand = Counter(loss_key(p.package) for p in bench.batch.parts_of("Place"))
    assert handled(bench) == by_hand
    last = bench.batch.parts_of("Place")[-1]
    for _ in range(4):
        bench.do(c.Undo())
        assert not any(handled(bench).values()), "a board's pieces count when it leaves, not before"
        bench.do(c.PlacePart("H7-01", last.ref))
    assert handled(bench) == by_hand
    left = bench.batch.left_in_bin(bench.batch.line_of["U1"].key)
    bench.do(c.Undo())
    bench.do(c.PlacePart("H7-01", last.ref))
    taught(bench)
    bench.do(c.MachinePlaced(1))
    assert handled(bench) == {k: 6 * n for k, n in by_hand.items()}, "the other five boards by machine"
    marks_seen(bench)
    bench.do(c.RecordReflow(1, "run.csv", (HERON / "oven-run-1.csv").read_bytes()))
    while part := bench.batch.next_part(bench.state.boards["H7-01"], "Hand"):
        bench.do(c.SolderPart("H7-01", part.ref))
    soldered = Counter(loss_key(p.package) for p in bench.batch.parts_of("Hand"))
    bench.do(c.MarkFault("H7-01", "U1", "cracked"))
    bench.do(c.InspectBoard("H7-01"))
    before = bench.batch.left_in_bin(bench.batch.line_of["U1"].key)
    bench.do(c.RepairFault("H7-01", bench.state.boards["H7-01"].open_faults[0].id, "fixed", 0.0, "moisture"))
    whole = (
        Counter({k: 6 * n for k, n in by_hand.items()})
        + soldered
        + Counter({loss_key(bench.design.part_by_ref["U1"].package): 1})
    )
    assert handled(bench) == whole and bench.workshop[Losses].logged["QFN-32 5x5"].lost == 1
    assert (
        left is not None and before is not None and bench.batch.left_in_bin(bench.batch.line_of["U1"].key) == before - 1
    )
    assert Bench(bench.journal, bench.id).state == bench.state


@pytest.mark.parametrize(
    ("command", "words"),
    [
        (c.PrintPanel(1, 0.12, "leaded"), "not at Print"),
        (c.FillBin("nothing", 3), "no bin"),
        (c.InspectBoard("H7-99"), "no board"),
        (c.MarkFault("H7-01", "U1", "bridge"), "is at Ready"),
        (c.TeachPoint(1, "P1", 0, 0), "not at Place"),
        (c.TeachPoint(99, "P1", 0.0, 0.0), "no such panel"),
        (c.PrintPanel(1, math.nan, "leaded"), "Foil mm cannot be nan"),
        (c.FillBin("nothing", 1.5), "Count cannot be 1.5"),  # type: ignore[arg-type]
        (c.MixBath(math.inf), "cannot be inf"),
        (c.Undo(), "nothing to take back at Ready"),
    ],
)
def test_commands_out_of_turn_are_refused_and_nothing_happens(bench: Bench, command: c.Command, words: str) -> None:
    if not isinstance(command, c.Undo):
        acknowledge_all(bench)
    count = len(bench.record.history)
    with pytest.raises(c.Refused, match=words):
        bench.do(command)
    assert len(bench.journal.since(bench.id)) == count


def test_cautions_come_before_work(bench: Bench) -> None:
    bench.do(c.AcceptFiles())
    with pytest.raises(c.Refused, match="cautions of Kit"):
        bench.do(c.FillBin(bench.batch.lines[0].key, 10))
    bench.do(c.Acknowledge("Kit"))
    bench.do(c.FillBin(bench.batch.lines[0].key, 10))
    assert bench.state.cautions.keys() == {"Kit"}


def test_start_without_a_missing_part(bench: Bench) -> None:
    kitted(bench, J1=0)
    assert bench.state[Bins].without == ["J1"]
    assert "J1" not in [p.ref for p in bench.batch.parts_of("Place")]
    assert any(j.rule == "kit.short" and "J1" in j.refs for j in bench.judgements("Kit"))


def test_test_fails_on_a_short_and_loops_back(bench: Bench) -> None:
    kitted(bench)
    serial = reflowed(bench)[0]
    soldered(bench, serial)
    bench.do(c.InspectBoard(serial))
    for pair in bench.batch.own.plan[1:]:
        bench.do(c.TakeReading(serial, pair.key, well(pair)))
    bench.do(c.TakeReading(serial, bench.batch.own.plan[0].key, "0.4"))
    with pytest.raises(c.Refused, match="short"):
        bench.do(c.TestBoard(serial, True))
    with pytest.raises(c.Refused, match="no resistance"):
        bench.do(c.TakeReading(serial, bench.batch.own.plan[0].key, "banana"))
    bench.do(c.TestBoard(serial, False))
    board = bench.state.boards[serial]
    assert board.station == "Rework" and board.open_faults[0].word == "bridge"
    bench.do(c.RepairFault(serial, board.open_faults[0].id, "fixed"))
    assert board.station == "Inspect" and bench.batch.own.plan[0].key not in board.readings
    beyond = [p.key for p in bench.batch.own.plan if "U1" not in p.refs and "J1" in p.refs]
    assert beyond and set(beyond) <= set(board.readings), "what no repair reached needs no second reading"


def test_machine_programme_lands_on_the_panel(bench: Bench) -> None:
    kitted(bench)
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    for name in ("P1", "P2", "U1@6"):
        x, y = point_at(bench.batch, name)
        bench.do(c.TeachPoint(1, name, 10 - y, 20 + x))
    transform = fit(bench.batch, 1)
    assert transform and transform.rotation_deg == pytest.approx(90) and transform.rms_mm < 1e-9
    steps = programme(bench.batch, 1)
    assert len(steps) == 6 * 40
    u1 = next(s for s in steps if s.ref == "U1" and s.cell == 2)
    x, y = point_at(bench.batch, "U1@2")
    assert (u1.x, u1.y, u1.rotation_deg % 360) == pytest.approx((10 - y, 20 + x, 90))
    assert to_csv(steps).count("\n") == len(steps) + 1


def test_bad_log_leaves_the_batch_untouched(bench: Bench) -> None:
    from fusilex.core.problems import BadInput

    kitted(bench)
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    taught(bench)
    bench.do(c.MachinePlaced(1))
    count = len(bench.record.history)
    broken = LOG.replace(b"60.0,", b"60.0,warm", 1)
    with pytest.raises(BadInput, match=r"run\.csv, line 123, column probe U1 C: expected a number; found “warm"):
        bench.do(c.RecordReflow(1, "run.csv", broken))
    assert len(bench.journal.since(bench.id)) == count and bench.state.at("Reflow")


_CHILD = """
import sys
from fusilex.bench.stations.place.commands import PlacePart
from fusilex.bench.record.bench import Bench
from fusilex.bench.rooms import open_journal
from fusilex.journal.store import Journal
bench = Bench(open_journal(sys.argv[1]), int(sys.argv[2]))
for part in bench.batch.parts_of("Place"):
    bench.do(PlacePart("H7-01", part.ref))
    print(part.ref, flush=True)
"""


def test_killed_at_any_instant_nothing_acknowledged_is_lost(bench: Bench, tmp_path: Path) -> None:
    kitted(bench)
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    child = subprocess.Popen(
        [sys.executable, "-c", _CHILD, bench.journal.url, str(bench.id)], stdout=subprocess.PIPE, text=True
    )
    assert child.stdout
    acknowledged = [child.stdout.readline().strip() for _ in range(7)]
    os.kill(child.pid, signal.SIGKILL)
    acknowledged += child.stdout.read().split()
    child.wait()
    placed = Bench(open_journal(bench.journal.url), bench.id).state.boards["H7-01"].placed
    assert placed[: len(acknowledged)] == acknowledged and len(placed) <= len(acknowledged) + 1
    assert bench.refresh() and bench.state.boards["H7-01"].placed == placed


def test_two_windows_on_one_journal(bench: Bench) -> None:
    other = Bench(open_journal(bench.journal.url), bench.id)
    kitted(bench)
    other.do(c.PrintPanel(1, 0.12, "leaded"))
    with pytest.raises(c.Refused, match="not at Print"):
        bench.do(c.PrintPanel(1, 0.12, "leaded"))
    assert bench.state == other.state


def test_full_disk_says_so_and_changes_nothing(bench: Bench) -> None:
    from sqlalchemy import event, text

    before = bench.state.last_id
    with bench.journal.engine.connect() as connection:
        pages = connection.execute(text("PRAGMA page_count")).scalar()
    bench.journal.engine.dispose()

    @event.listens_for(bench.journal.engine, "connect")
    def _small(connection: object, _record: object) -> None:
        connection.execute(f"PRAGMA max_page_count={pages}")  # type: ignore[attr-defined]

    with pytest.raises(NotSaved, match="full"):
        for _ in range(200):
            bench.do(c.ChooseFoil(0.12, "z" * 4000))
    bench.refresh()
    assert bench.state == project(bench.journal.since(bench.id)) and bench.state.last_id >= before


def test_every_station_says_what_to_do(bench: Bench) -> None:
    acknowledge_all(bench)
    for station in STEPS:
        assert bench.now(station).title
        assert bench.judgements(station)
    with pytest.raises(NotSaved, match="cannot be opened"):
        open_journal(sqlite_url(HERON / "README.txt" / "x.sqlite"))
