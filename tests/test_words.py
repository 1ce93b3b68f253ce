"""What each station says and judges as a batch moves: the Now card and the judgements, state by state."""

from __future__ import annotations

import re

import asked as c
import pytest
from asked import CAUTIONS, marks_seen, sent_off, taught, well
from conftest import HERON
from msgspec.structs import replace

from fusilex.bench.now import Now
from fusilex.bench.record.bench import Bench
from fusilex.bench.report.papers import board_record, page_html, page_text
from fusilex.bench.rooms import open_journal
from fusilex.bench.stations.print.foil_events import STAGES
from fusilex.bench.stations.reflow.events import Reflowing
from fusilex.bench.stations.test.planning import due, touched
from fusilex.core.evidence import Level
from fusilex.core.judgement import Facts, Judgement
from fusilex.core.route.steps import one_side
from fusilex.formats.bundle import Files

LOG = (HERON / "oven-run-1.csv").read_bytes()

STEPS = one_side().ids


@pytest.fixture
def ready(bench: Bench) -> Bench:
    for station in CAUTIONS:
        bench.do(c.Acknowledge(station))
    return bench


@pytest.fixture
def kitted(ready: Bench) -> Bench:
    ready.do(c.AcceptFiles())
    for line in ready.batch.lines:
        ready.do(c.FillBin(line.key, line.pull, "lot A"))
    ready.do(c.CloseKit())
    return ready


@pytest.fixture
def baked(kitted: Bench) -> Bench:
    kitted.do(c.PrintPanel(1, 0.12, "leaded"))
    taught(kitted)
    kitted.do(c.MachinePlaced(1))
    marks_seen(kitted)
    kitted.do(c.RecordReflow(1, "run.csv", LOG))
    return kitted


@pytest.fixture
def soldered(baked: Bench) -> Bench:
    for serial in ("H7-01", "H7-02", "H7-03"):
        while part := baked.batch.next_part(baked.state.boards[serial], "Hand"):
            baked.do(c.SolderPart(serial, part.ref))
    return baked


def one(bench: Bench, station: str, rule: str) -> Judgement:
    return next(j for j in bench.judgements(station) if j.rule == rule)


def test_before_anything_every_station_points_to_the_work(ready: Bench) -> None:
    assert ready.now("Ready").title == "Accept the files"
    for station in ("Print", "Place", "Reflow", "Hand", "Inspect", "Rework", "Test", "Release"):
        said = ready.now(station)
        assert said.title == f"Nothing at {station}" and "18 boards at Ready: press Ctrl+1" in said.detail
    assert one(ready, "Kit", "kit.waiting").level is Level.UNKNOWN
    assert one(ready, "Reflow", "reflow.log").level is Level.UNKNOWN
    assert one(ready, "Inspect", "inspect.yield").level is Level.UNKNOWN
    assert one(ready, "Rework", "rework.queue").level is Level.GO
    assert one(ready, "Release", "release.record").level is Level.STOP


def test_cautions_stand_before_the_work_once(bench: Bench) -> None:
    said = bench.now("Print")
    assert said.title == "Read first" and said.cautions == CAUTIONS["Print"] and len(said.cautions) >= 3
    bench.do(c.Acknowledge("Print"))
    assert bench.now("Print").cautions == ()
    assert next(e for e in bench.record.history if e.kind == "caution_acknowledged").body["cautions"] == list(
        CAUTIONS["Print"]
    )
    with pytest.raises(c.Refused, match="no cautions"):
        bench.do(c.Acknowledge("Inspect"))


def test_kit_words_follow_the_bins(ready: Bench) -> None:
    ready.do(c.AcceptFiles())
    assert ready.now("Ready").progress == 1.0
    first = ready.batch.lines[0]
    said = ready.now("Kit")
    assert said.title == f"Fill bin 1: {first.value}" and f"{first.pull} pieces" in said.detail and said.progress == 0
    with pytest.raises(c.Refused, match="35 bins are not filled yet; next is bin 1"):
        ready.do(c.CloseKit())
    for line in ready.batch.lines:
        ready.do(c.FillBin(line.key, line.pull))
    assert ready.now("Kit").title == "Close the kit" and one(ready, "Kit", "kit.short").level is Level.GO
    ready.do(c.FillBin(first.key, first.need))
    assert one(ready, "Kit", "kit.spares").level is Level.CARE
    ready.do(c.FillBin(first.key, first.need - 1))
    short = one(ready, "Kit", "kit.short")
    assert ready.now("Kit").title == f"Short of {', '.join(first.refs)}" and short.level is Level.STOP
    with pytest.raises(c.Refused, match="The batch stays at Kit: 1 short of"):
        ready.do(c.CloseKit())
    ready.do(c.Overrule(short.key, "the last board is a spare", Facts.of(short)))
    assert ready.now("Kit").title == f"Start without {', '.join(first.refs)}?"
    with pytest.raises(c.Refused, match="0 or more"):
        ready.do(c.FillBin(first.key, -1))


def test_stops_at_ready_must_be_settled_or_overruled(heron_files: Files, bench: Bench) -> None:
    name = "heron-r2-placements.csv"
    broken = heron_files | {name: heron_files[name].replace(b"U3,27.500", b"U3,87.500")}
    other = Bench.open_batch(bench.journal, broken, "Odd", 6, prefix="Z")
    assert other.now("Ready").title == "Settle U3" and len(other.route.open_stops(other.batch, "Ready")) == 1
    with pytest.raises(c.Refused, match="U3: outside the board outline"):
        other.do(c.AcceptFiles())
    with pytest.raises(c.Refused, match="Say why"):
        other.do(c.Overrule("ready.off-board:U3", "  "))
    other.do(c.Overrule("ready.off-board:U3", "drawn so on purpose"))
    assert other.route.open_stops(other.batch, "Ready") == [] and other.now("Ready").title == "Accept the files"
    other.do(c.AcceptFiles())
    record = board_record(other.batch, other.view.board)
    assert record["overruled"][0]["reason"] == "drawn so on purpose" and "drawn so on purpose" in page_html(
        other.batch, other.view.board
    )


def test_print_and_place_words(kitted: Bench) -> None:
    for stage, title in zip(STAGES, ("Clean", "Seat", "Bead for", "Print", "Lift off", "Look at"), strict=True):
        assert kitted.now("Print").title == f"{title} panel 1"
        if stage != "look":
            kitted.do(c.DoStage(1, stage))
    kitted.do(c.PrintPanel(1, 0.12, "leaded"))
    assert kitted.now("Print").title == "Take board H7-07"
    part = kitted.batch.parts_of("Place")[0]
    said = kitted.now("Place")
    assert said.title == f"Place {part.ref} from bin 1" and said.progress == 0 and "left in the bin" in said.detail
    kitted.do(c.PlacePart("H7-01", part.ref))
    assert kitted.now("Place").progress == pytest.approx(1 / 40)
    turned = next(p for p in kitted.batch.parts_of("Place") if p.rotation_deg == 270)
    for before in kitted.batch.parts_of("Place")[1 : kitted.batch.parts_of("Place").index(turned)]:
        kitted.do(c.PlacePart("H7-01", before.ref))
    assert not turned.package.polarised and "turned 90° left" in kitted.now("Place").detail, "the least that is right"
    with pytest.raises(c.Refused, match="already on board"):
        kitted.do(c.PlacePart("H7-01", part.ref))
    with pytest.raises(c.Refused, match="not placed on paste"):
        kitted.do(c.PlacePart("H7-01", "J3"))
    count = len(kitted.board.placed)
    taught(kitted)
    kitted.do(c.MachinePlaced(1))
    assert kitted.now("Place").title == "Nothing at Place"
    assert set(kitted.board.placed_how.values()) == {"hand", "machine"}
    kitted.do(c.Undo())
    assert kitted.board.station == "Place" and len(kitted.board.placed) == count


def test_reflow_waits_for_the_whole_panel_and_judges_the_run(kitted: Bench) -> None:
    kitted.do(c.PrintPanel(1, 0.12, "leaded"))
    for part in kitted.batch.parts_of("Place"):
        kitted.do(c.PlacePart("H7-01", part.ref))
    assert kitted.now("Reflow").title == "Finish panel 1 first"
    with pytest.raises(
        c.Refused, match="Reflow takes whole panels: board H7-02 of panel 1 is at Place, and 4 more are not here"
    ):
        kitted.do(c.RecordReflow(1, "run.csv", LOG))
    taught(kitted)
    kitted.do(c.MachinePlaced(1))
    assert kitted.now("Reflow").title == "Settle marks, panel 1"
    marks_seen(kitted)
    assert kitted.now("Reflow").title == "Run the oven with panel 1"
    cold = b"time,temp C\n" + b"\n".join(b"%d,%.1f" % (t, min(25 + t * 0.8, 315 - t * 0.8)) for t in range(0, 300, 2))
    kitted.do(c.RecordReflow(1, "cold.csv", cold))
    stops = kitted.route.open_stops(kitted.batch, "Reflow")
    assert stops and all(", load 1" in j.key for j in stops) and kitted.now("Reflow").title == "Load 1 is stopped"
    assert {b.station for b in kitted.state.panel_boards(1)} == {"Reflow"}, "on record, and going nowhere"
    assert kitted.state[Reflowing].loads[0].index is None or kitted.state[Reflowing].loads[0].index > 100
    with pytest.raises(c.Refused, match=re.escape(f"Panel 1 stays at Reflow: {stops[0].headline}")):
        kitted.do(c.SendOn(1))
    kitted.do(c.Undo())
    assert kitted.board.station == "Reflow" and kitted.state[Reflowing].loads == []
    marks_seen(kitted)
    kitted.do(c.RecordReflow(1, "run.csv", LOG))
    assert one(kitted, "Reflow", "reflow.index").level is Level.GO


def test_hand_soldering_goes_low_to_high(baked: Bench) -> None:
    heights = []
    while part := baked.batch.next_part(baked.board, "Hand"):
        said = baked.now("Hand")
        assert part.ref in said.title and ("on the bottom" in said.title) == (part.side == "bottom")
        heights.append((part.through_hole, part.package.height))
        baked.do(c.SolderPart(baked.board.serial, part.ref))
    assert heights == sorted(heights) and baked.board.station == "Inspect"
    baked.do(c.Undo())
    assert baked.board.station == "Hand", "the last joint is open again"


def test_inspect_counts_first_passes_and_keeps_faults(soldered: Bench) -> None:
    for serial, ref in (("H7-01", None), ("H7-02", "C5"), ("H7-03", None)):
        if ref:
            soldered.do(c.MarkFault(serial, ref, "tombstone"))
        soldered.do(c.InspectBoard(serial))
    share = one(soldered, "Inspect", "inspect.yield")
    assert share.level is Level.CARE and share.headline.startswith("First-pass yield 2 of 3 (small batch")
    assert [round(n) for n in (share.quantities[0].value, *share.quantities[0].interval)] == [67, 21, 94]
    assert one(soldered, "Inspect", "inspect.hidden").refs == ("U1",)
    soldered.go("Rework", "H7-02")
    assert soldered.now("Rework").title == "Repair C5: tombstone"
    heat = one(soldered, "Rework", "rework.heat")
    assert heat.level is Level.CARE and set(heat.refs) >= {"U1", "U3"}
    with pytest.raises(c.Refused, match="not open"):
        soldered.do(c.RepairFault("H7-02", 999_999, "fixed"))
    with pytest.raises(c.Refused, match="fixed or scrapped"):
        soldered.do(c.RepairFault("H7-02", soldered.board.open_faults[0].id, "prayed"))
    soldered.do(c.RepairFault("H7-02", soldered.board.open_faults[0].id, "fixed"))
    soldered.do(c.InspectBoard("H7-02"))
    assert soldered.board.first_pass is False and soldered.board.inspections == 2, (
        "a repair does not make it a first pass"
    )
    assert one(soldered, "Inspect", "inspect.yield").headline.startswith("First-pass yield 2 of 3")


def test_two_faults_are_repaired_before_the_board_goes_back(soldered: Bench) -> None:
    for word in ("bridge", "excess"):
        soldered.do(c.MarkFault("H7-01", "U1", word))
    soldered.do(c.MarkFault("H7-01", "D2", "rotated"))
    soldered.do(c.Undo())
    soldered.do(c.InspectBoard("H7-01"))
    board = soldered.state.boards["H7-01"]
    assert [f.word for f in board.open_faults] == ["bridge", "excess"]
    soldered.do(c.RepairFault("H7-01", board.open_faults[0].id, "fixed"))
    assert board.station == "Rework"
    soldered.do(c.RepairFault("H7-01", board.open_faults[0].id, "fixed"))
    assert board.station == "Inspect"
    with pytest.raises(c.Refused, match="no fault word"):
        soldered.do(c.MarkFault("H7-01", "U1", "ugly"))
    with pytest.raises(c.Refused, match="no part"):
        soldered.do(c.MarkFault("H7-01", "U99", "bridge"))
    said = soldered.now("Inspect")
    assert said.title == "Look again at U1" and "U1 (bridge), U1 (excess)" in said.detail


def test_test_words_and_judgements(soldered: Bench) -> None:
    soldered.do(c.InspectBoard("H7-01"))
    soldered.go("Test", "H7-01")
    pair = due(soldered.batch, soldered.state.boards["H7-01"])[0]
    tips = touched(soldered.batch, soldered.state.boards["H7-01"], pair)
    assert soldered.now("Test").title == f"Probe {tips[0].name} and {tips[1].name}"
    assert {tip.net for tip in tips} == {pair.a.net, pair.b.net}, "wherever the tips stand they stand on its nets"
    with pytest.raises(c.Refused, match="85 pairs of board H7-01 are not read"):
        soldered.do(c.TestBoard("H7-01", True))
    for each in soldered.batch.own.plan:
        soldered.do(c.TakeReading("H7-01", each.key, well(each)))
    judged = {j.rule: j.level for j in soldered.judgements("Test")}
    assert judged.pop("test.power") is Level.UNKNOWN, "nobody said how this design gets its power"
    assert set(judged.values()) == {Level.GO}, "parts that join two nets are no short"
    assert soldered.now("Test").title == "Pass board H7-01"
    soldered.do(c.TakeReading("H7-01", pair.key, "3"))
    assert soldered.now("Test").title == "Fail board H7-01"
    short = one(soldered, "Test", "test.short")
    assert short.level is Level.STOP and set(short.refs) == {pair.a.ref, pair.b.ref}
    with pytest.raises(c.Refused, match="not in the probe plan"):
        soldered.do(c.TakeReading("H7-01", "U1.1 – U9.9", "OL"))


def test_release_says_what_is_lacking_and_what_was_left_out(soldered: Bench) -> None:
    assert "inspection and passed test" in one(soldered, "Release", "release.record").headline
    soldered.do(c.InspectBoard("H7-01"))
    soldered.do(c.TestBoard("H7-01", True, "golden board compared"))
    record = one(soldered, "Release", "release.record")
    assert record.level is Level.UNKNOWN and "0 of 85 readings" in record.headline, "a note is no reading"
    soldered.go("Release", "H7-01")
    assert soldered.now("Release").title == "Cut 1 of 9, panel 1" and soldered.now("Release").progress == 0
    with pytest.raises(c.Refused, match="C2 on H7-01 may crack: too close to a cut"):
        soldered.do(c.ReleaseBoard("H7-01"))
    sent_off(soldered, "H7-01")
    with pytest.raises(c.Refused, match="not at Release"):
        soldered.do(c.ReleaseBoard("H7-01"))
    text = page_text(board_record(soldered.batch, "H7-01"))
    assert "parts    48 of 48" in text and "index 57" in text


def test_where_the_work_is_when_a_station_is_empty(soldered: Bench) -> None:
    for name in list(STEPS)[1:]:
        soldered.go(name, "H7-07")
        said: Now = soldered.now(name)
        assert said.title
        if not soldered.state.at(name):
            assert "press Ctrl+" in said.detail or said.progress == 1.0
    with pytest.raises(c.Refused, match="There is no"):
        soldered.go("Heaven", "H7-01")


def test_a_design_without_panel_is_built_board_by_board(heron_files: Files, bench: Bench) -> None:
    lone = {n: d for n, d in heron_files.items() if n != "panel.json"}
    made = Bench.open_batch(bench.journal, lone, "Lone", 3, prefix="L", number=2)
    assert made.batch.panel.count == 1 and [b.panel for b in made.state.boards.values()] == [1, 2, 3]
    assert list(made.state.boards) == ["L2-01", "L2-02", "L2-03"]
    with pytest.raises(c.Refused, match="1 to 1000"):
        Bench.open_batch(bench.journal, lone, "Lone", 0)
    again = Bench(open_journal(bench.journal.url), made.id)
    assert again.state == made.state and replace(again.design, files=()).name == "Lone"
