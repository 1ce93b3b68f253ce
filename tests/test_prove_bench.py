"""Test and Release with a batch on them: what was planted is found, what is not proved is said, boards go and come."""

from __future__ import annotations

import csv
import json
import math
from datetime import timedelta
from pathlib import Path

import asked as c
import pytest
from asked import sent_off, well
from conftest import OpenWindow
from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit
from templates import from_template
from three_causes import at_the_eyes

from fusilex.app import main
from fusilex.bench.common.mended import Mended
from fusilex.bench.common.meters import ohmmeter
from fusilex.bench.history import mentions
from fusilex.bench.history.beads import UNNAMED, beads
from fusilex.bench.history.tracing import recall_rows, trace
from fusilex.bench.record.bench import Bench
from fusilex.bench.report.batch_papers import batch_html, batch_record
from fusilex.bench.report.costing import cost_of, worked
from fusilex.bench.report.papers import board_record, page_html
from fusilex.bench.rooms import EVENT_KINDS
from fusilex.bench.stations.inspect.pictures import Kept, Pictures
from fusilex.bench.stations.inspect.pictures import doubts as pictures_doubt
from fusilex.bench.stations.print.thread import doubts as print_doubt
from fusilex.bench.stations.release.getting_ready import judge_ready, next_cut
from fusilex.bench.stations.test import functions
from fusilex.bench.stations.test.commands import doubt
from fusilex.bench.stations.test.events import NO_BEEP
from fusilex.bench.stations.test.functions import GOLDEN, fixture_proved, instrument_doubt
from fusilex.bench.stations.test.now import next_pair, port_in_hand
from fusilex.bench.stations.test.planning import due, heard, plan_for, unread
from fusilex.bench.stations.test.power import next_step
from fusilex.bench.stations.test.verdicts import suspects
from fusilex.bench.workshop.finished import Finished
from fusilex.bench.workshop.fixtures import Fixtures
from fusilex.core.evidence import Level
from fusilex.core.judgement import Facts, Judgement
from fusilex.devices.bench_meter import QUERIES, measure
from fusilex.devices.command import FAILED, LEFT, plan_command, run_command
from fusilex.devices.meter import NoMeter
from fusilex.ui.frame.trace import TraceDialog
from fusilex.ui.stations.release.labels import labels_pdf

K = Qt.Key
GOOD = {"3V3": "3.30", "current asleep": "0.12", "clock": "32768.0", "sensor in": "0.500", "sensor out": "1.000"}


@pytest.fixture
def proving(tmp_path: Path) -> Bench:
    """Heron's batch with all boards looked over, at Test."""
    return from_template("test", tmp_path / "p.sqlite", _looked_over)


def _looked_over(path: Path) -> Bench:
    bench = at_the_eyes(path)
    for name in c.CAUTIONS:
        bench.do(c.Acknowledge(name))
    for serial in bench.state.boards:
        bench.do(c.InspectBoard(serial))
    bench.go("Test", "H7-01")
    return bench


def rung(bench: Bench, serial: str, wrong: dict[str, str] | None = None) -> int:
    """All that is due is read: ports by ear where that tells, the rest typed. How many keys and entries it took."""
    board, keys = bench.state.boards[serial], 0
    bench.go("Test", serial)
    for pair in due(bench.batch, board):
        if wrong and pair.key in wrong:
            bench.do(c.TakeReading(serial, pair.key, wrong[pair.key]))
            keys += 1
    while pair := next_pair(bench.batch, board):
        keys += 1
        if heard(pair, 30.0):
            bench.do(c.HearPort(serial, port_in_hand(bench.batch, board)))
        else:
            bench.do(c.TakeReading(serial, pair.key, well(pair)))
    return keys


def judged(bench: Bench, serial: str, step: str) -> list[Judgement]:
    return bench.route.judgements(bench.batch.about(serial), step)


def powered(bench: Bench, serial: str) -> None:
    while step := next_step(bench.batch, bench.state.boards[serial]):
        bench.do(c.HoldPower(serial, step.volts, 21.0, step.hold_s))


def functioning(bench: Bench, serial: str, read: dict[str, str] | None = None) -> None:
    board = None if serial == GOLDEN else bench.state.boards[serial]
    for test in functions.tests_for(bench.batch, board):
        told = {"ratio": "", "look": "yes", "press": "yes"}.get(test.kind)
        bench.do(
            c.DoTest(serial, test.name, (read or {}).get(test.name, GOOD.get(test.name, "")) if told is None else told)
        )


def proved(bench: Bench, serial: str) -> None:
    rung(bench, serial)
    powered(bench, serial)
    bench.do(c.RecordProgrammed(serial, "by hand", "well", "ab" * 32))
    functioning(bench, serial)
    bench.do(c.TestBoard(serial, True))


def test_a_batch_is_proved_in_a_fraction_of_the_keys_and_what_was_planted_is_found(proving: Bench) -> None:
    bench, boards = proving, proving.state.boards
    pairs = {p.key: p for p in (*bench.batch.own.wider, *bench.batch.own.checks.all)}
    functioning(bench, GOLDEN)
    bench.do(c.DrawSample(2, 90.0))
    drawn = [s for s in boards if len(due(bench.batch, boards[s])) > 60]
    assert "H7-01" in drawn and len(drawn) in (10, 11)
    keys = rung(bench, "H7-01")
    assert keys < 40, "77 pairs and the rails, by ear and by port"
    sampled = next(s for s in boards if s not in drawn)
    assert len(due(bench.batch, boards[sampled])) < 60 and rung(bench, sampled) < 30
    j = next(j for j in judged(bench, sampled, "Test") if j.rule == "test.sample")
    assert j.level is Level.CARE and {b.value for b in j.quantities} >= {len(drawn), 2, "90 %"}
    # a short on a board of the sample: found, and every board is due in full again
    short = next(p for p in bench.batch.own.checks.pairs if p.a.ref == p.b.ref == "U1")
    bad = drawn[1]
    rung(bench, bad, {short.key: "0.4"})
    assert [(s.ref, s.word) for s in suspects(bench.batch, boards[bad])] == [("U1", "bridge")]
    assert len(due(bench.batch, boards[sampled])) > 60, "a finding ends the sample"
    bench.do(c.TestBoard(bad, False, "", "U1 bridged"))
    assert boards[bad].station == "Rework" and boards[bad].tests[-1]["tag"] == "U1 bridged"
    # with ten minutes joints and values are read too: a cold joint and a wrong resistor are found
    bench.do(c.SetMinutes(10))
    cold = next(p for p in due(bench.batch, boards["H7-09"]) if p.purpose == "joined" and p.b.ref == "C4")
    rung(bench, "H7-09", {cold.key: "38"})
    assert [(s.ref, s.pin, s.word) for s in suspects(bench.batch, boards["H7-09"])] == [
        ("C4", cold.b.pin, "cold joint")
    ]
    r10 = next(p for p in pairs.values() if {p.a.net, p.b.net} == {"3V3", "SCL"})
    rung(bench, "H7-12", {r10.key: "47k"})
    (found,) = suspects(bench.batch, boards["H7-12"])
    assert found.word == "wrong part" and found.ref in (r10.a.ref, r10.b.ref)
    assert plan_for(bench.batch, boards["H7-13"]).total_s <= 600
    with pytest.raises(c.Refused, match="not taken"):
        bench.do(c.HoldPower("H7-13", 2.7, 5.0, 5.0))


def test_what_the_record_doubts_is_read_first(proving: Bench) -> None:
    """A picture, a print that lay off, and hands: each raises the chance of a bad reading at its parts."""
    bench, board = proving, proving.board
    before = plan_for(bench.batch, board)
    said = (("C10", "same", 0.1), ("R9", "turned", 0.9), ("C2", "not seen", 0.5))
    bench.state[Pictures].kept.append(Kept(board.put["R9"].at, board.serial, "top", "x.png", "", said))
    assert pictures_doubt(bench.batch, board) == [("R9", "looks turned on its picture")]
    board.prints["Print"] = replace(board.prints["Print"], lay=(0.0, 0.0, 0.0, 0.0))
    assert not [ref for ref, why in print_doubt(bench.batch, board) if "off" in why]
    board.prints["Print"] = replace(board.prints["Print"], lay=(0.09, 0.0, 0.0, 0.0))
    off = {ref for ref, why in print_doubt(bench.batch, board) if why == "had its paste 0.09 mm off"}
    assert "U1" in off and "C1" not in off, "a quarter of the narrowest pad"
    bench.do(c.SetMinutes(0))
    wide = {p.key for p in due(bench.batch, board)} - {p.key for p in bench.batch.own.plan}
    far = [p for p in bench.batch.own.wider if p.key in wide]
    assert far and all(0.6 <= p.gap < 1.2 and {p.a.ref, p.b.ref} & off for p in far), (
        "where paste lay off, further apart"
    )
    bench.do(c.SetMinutes(1))
    after = plan_for(bench.batch, board)
    r9 = next(k for k, p in before.pairs.items() if p.a.ref == p.b.ref == "R9")
    assert after.chance[r9] > 5 * before.chance[r9]


def test_a_repair_counts_also_where_the_next_fault_is_accepted(proving: Bench) -> None:
    bench, board = proving, proving.board
    rung(bench, "H7-01")
    bench.do(c.MarkFault("H7-01", "R9", "cold joint"))
    bench.do(c.MarkFault("H7-01", "C2", "excess"))
    bench.do(c.TestBoard("H7-01", False))
    bench.do(c.RepairFault("H7-01", board.faults[0].id, "fixed"))
    bench.go("Rework", "H7-01")
    stop = next(j for j in bench.judgements("Rework") if j.rule == "inspect.fault")
    bench.do(c.Overrule(stop.key, "it holds", Facts.of(stop)))
    bench.do(c.AcceptAsIs("H7-01"))
    left = [p for p in unread(bench.batch, board) if "R9" in p.refs]
    assert left and any(p.purpose == "joined" for p in left), "what the iron was at is read again, its joints too"


def test_limits_between_pins_of_a_bare_die_are_read_with_the_rest(proving: Bench) -> None:
    """Gate to source above 1 MΩ, drain to source from 10 kΩ to 10 MΩ: too little is as wrong as too much."""
    rows = [["1", "2", 1e6, 0.0], ["3", "2", 1e4, 1e7]]
    proving.do(c.SetRecord("pins", {"id": "the pMOS", "part": "pMOS 30 V", "between": rows}))
    own = {p.key: p for p in due(proving.batch, proving.board) if p.strict}
    assert set(own) == {"Q1.1 – Q1.2", "Q1.3 – Q1.2"}
    gate, channel = own["Q1.1 – Q1.2"], own["Q1.3 – Q1.2"]
    assert [gate.value_level(v) for v in (2e6, math.inf, 4e5)] == [Level.GO, Level.GO, Level.STOP]
    assert [channel.value_level(v) for v in (1e5, 2e7, 5e3)] == [Level.GO, Level.STOP, Level.STOP]
    proving.do(c.TakeReading("H7-01", gate.key, "4k"))
    assert [(s.ref, s.word) for s in suspects(proving.batch, proving.board)] == [("Q1", "wrong part")]


def test_power_goes_on_low_first_and_ends_at_its_limit(proving: Bench) -> None:
    bench = proving
    rung(bench, "H7-01")
    bench.do(c.HoldPower("H7-01", 2.7, 3.0, 2.0))
    assert "held less" in next(j for j in bench.judgements("Test") if j.rule == "test.power").headline
    powered(bench, "H7-01")
    assert next_step(bench.batch, bench.board) is None and bench.now("Test").title == "Programme H7-01"
    with pytest.raises(c.Refused, match="Its programming and 8 of 8 tests and proof of the fixture"):
        bench.do(c.TestBoard("H7-01", True))
    rung(bench, "H7-02")
    bench.do(c.HoldPower("H7-02", 2.7, 40.0, 1.0))
    stop = next(j for j in judged(bench, "H7-02", "Test") if j.rule == "test.power")
    assert stop.level is Level.STOP and "drew 40 mA" in stop.headline
    with pytest.raises(c.Refused, match="Mark the part you suspect"):
        bench.do(c.TestBoard("H7-02", False))
    bench.do(c.MarkFault("H7-02", "U2", "burnt"))
    bench.do(c.TestBoard("H7-02", False))
    bench.do(c.RepairFault("H7-02", bench.state.boards["H7-02"].open_faults[0].id, "fixed", 0, "a short of its output"))
    left = {p.key for p in unread(bench.batch, bench.state.boards["H7-02"])}
    near = {p.key for p in bench.batch.own.plan if "U2" in p.refs}
    assert near <= left and len(left) < 60, "what the repair cannot have touched is not read again"
    assert next_step(bench.batch, bench.state.boards["H7-02"]) is not None, "and it gets its first power anew"


def test_functions_fail_and_the_drifting_instrument_is_doubted_first(proving: Bench) -> None:
    bench, boards = proving, proving.state.boards
    functioning(bench, GOLDEN)
    for n, serial in enumerate(list(boards)[:8]):
        rung(bench, serial)
        powered(bench, serial)
        bench.do(c.RecordProgrammed(serial, "by hand", "well", "ab" * 32))
        functioning(bench, serial, {"clock": f"{32767.9 + 0.18 * n:.2f}"})
    assert {name: said.case for name, said in instrument_doubt(bench.batch).items()} == {"clock": "readings drift"}
    assert fixture_proved(bench.batch)
    assert not fixture_proved(replace(bench.batch, at=bench.batch.at + timedelta(hours=13))), "a day later it is not"
    assert "instrument is to be proved" in doubt(bench.batch, boards["H7-01"])
    with pytest.raises(c.Refused, match="the instrument first"):
        bench.do(c.TestBoard("H7-08", False))
    bench.do(c.DoTest(GOLDEN, "clock", "32769.2"))
    assert instrument_doubt(bench.batch)["clock"].case == "golden board outside"
    bench.do(c.DoTest(GOLDEN, "clock", "32768.6"))
    assert instrument_doubt(bench.batch)["clock"].case == "golden board moved", "within its limits, and yet not as ever"
    bench.do(c.DoTest(GOLDEN, "clock", "32768.0"))
    assert not instrument_doubt(bench.batch), "the golden board reads as ever: now the boards are believed"
    assert bench.workshop[Fixtures].cycles == {"Heron bed": 9}
    bench.do(c.DoTest("H7-08", "sensor out", "0.700"))
    bench.do(c.DoTest("H7-08", "gain", ""))
    gain = judged(bench, "H7-08", "Test")
    assert {j.subject for j in gain if j.rule == "test.function"} >= {"gain of H7-08", "sensor out of H7-08"}
    with pytest.raises(c.Refused, match="yes or no"):
        bench.do(c.DoTest("H7-08", "lamps", "perhaps"))
    with pytest.raises(c.Refused, match="is not in V"):
        bench.do(c.DoTest("H7-08", "3V3", "3.3 A"))
    with pytest.raises(c.Refused, match="64 digits"):
        bench.do(c.RecordProgrammed("H7-08", "by hand", "well", "abc"))


def test_meters_by_a_port_and_commands_beside_the_program() -> None:
    for true in (0.2, 4_700.0, math.inf):
        with ohmmeter("stand-in", lambda true=true: true) as meter:
            read = measure(meter)
            assert read == true == math.inf or read == pytest.approx(true + 0.15, rel=0.01)
            assert meter.ask("*IDN?").startswith("Fusilex")

    class Dumb:
        def ask(self, query: str) -> str:
            assert query == QUERIES["resistance"]
            return "PLEASE WAIT"

    with pytest.raises(NoMeter, match="PLEASE WAIT"):
        measure(Dumb())
    with pytest.raises(NoMeter, match="No meter"), ohmmeter("/dev/nothing-there", lambda: 1.0):
        pass
    assert run_command(plan_command(["sh", "-c", "echo 3.31; exit 3"], {}, 5)).output == "3.31"
    gone = replace(plan_command(["true"], {}, 5), filled=("/no-such-thing",))
    assert run_command(plan_command(["sh", "-c", "exit 3"], {}, 5)).ended == run_command(gone).ended == FAILED
    assert run_command(plan_command(["sleep", "30"], {}, 60), lambda: True).ended == LEFT
    assert "longer than 0.2 s" in run_command(plan_command(["sleep", "30"], {}, 0.2)).said


def test_boards_are_cut_packed_come_back_and_are_recalled(proving: Bench, tmp_path: Path) -> None:
    bench, boards = proving, proving.state.boards
    functioning(bench, GOLDEN)
    line = bench.batch.lines_of(boards["H7-01"])["R5"]
    bench.do(c.FillBin(line.key, 400, "LOT-77"))
    for serial in ("H7-01", "H7-02"):
        bench.do(c.SendBack(serial, "Inspect", "R5 to be changed"))
        bench.do(c.MarkFault(serial, "R5", "wrong part"))
        bench.do(c.InspectBoard(serial))
        bench.do(c.RepairFault(serial, boards[serial].open_faults[0].id, "fixed", 60.0, "none"))
        bench.do(c.InspectBoard(serial))
        proved(bench, serial)
    near = {s for s, b in boards.items() if any(j.level is Level.STOP for j in judge_ready(bench.batch.about(s), b))}
    assert near == {s for s, b in boards.items() if b.cell < 3}, "C2 is near a cut in the lower row alone"
    with pytest.raises(c.Refused, match="Cut 1 of panel 1 comes before"):
        bench.do(c.TickCut(1, 3))
    sent_off(bench, "H7-01")
    assert next_cut(bench.batch, 1) is None and bench.workshop[Finished].count("Heron R2") == 1
    sent_off(bench, "H7-02")
    bench.do(c.PackBoards(("H7-01",), "order 12"))
    assert bench.workshop[Finished].count("Heron R2") == 1
    with pytest.raises(c.Refused, match="in the parcel order 12 already"):
        bench.do(c.PackBoards(("H7-01",), "order 13"))
    for n, serial in enumerate(list(boards)[2:8]):
        boards[serial].step = "Release"
        bench.do(c.WeighBoard(serial, 8.10 + 0.01 * n + (0.4 if n == 5 else 0.0)))
    weighed = [j for j in judged(bench, "H7-08", "Release") if j.rule == "release.weight"]
    assert weighed[0].level is Level.CARE
    # it comes back, its story is told, and the lot it carries is recalled
    bench.do(c.TakeBack("H7-01", "display dark"))
    assert boards["H7-01"].station == "Rework" and not boards["H7-01"].readings
    story = trace("FUSILEX H7-01 Heron R2", [bench.journal], bench)
    assert story.kind == "board" and [t.words for t in story.returns] == ["display dark"]
    assert any(lot.lot == "LOT-77" and lot.refs == ("R5",) for lot in story.lots) and len(story.events) > 20
    cold = trace("lot-77", [bench.journal])
    assert (
        [b.serial for b in cold.boards]
        == ["H7-01", "H7-02"]
        == [b.serial for b in trace("LOT-77", [bench.journal], bench).boards]
    )
    assert cold.kind == "lot" and all(b.refs == ("R5",) for b in cold.boards)
    assert {b.serial for b in trace("load 1", [bench.journal], bench).boards} == {f"H7-0{n}" for n in range(1, 7)}
    assert not trace("lot-7", [bench.journal]).boards and not trace("", [bench.journal]).kind
    assert "sending H7-01 back" in [t.words for t in story.events]
    bench.do(c.Undo())
    story = trace("H7-01", [bench.journal], bench)
    assert not story.returns, "what was taken back was never so"
    assert [t.words for t in story.events].count("sending H7-01 back") == 1, "but for the time it went to Inspect"
    assert main(["--journal", bench.journal.url, "trace", "LOT-77", "--csv", str(tmp_path / "recall.csv")]) == 0
    rows = list(csv.reader((tmp_path / "recall.csv").read_text().splitlines()))
    assert rows[0][0] == "serial" and [r[0] for r in rows[1:]] == ["H7-01", "H7-02"] == [
        r[0] for r in recall_rows(cold)[1:]
    ]


def test_every_bead_is_found_by_its_name_as_by_looking_at_every_board(proving: Bench) -> None:
    """Cold, by what the raw record mentions, against brute force over all boards of the batch."""
    bench = proving
    for n, line in enumerate(bench.batch.lines[:5]):
        bench.do(c.FillBin(line.key, 300, f"Lot {n}"))
    for serial, lot in (("H7-03", 'Größe "7"'), ("H7-04", "100%_a")):
        bench.do(c.SendBack(serial, "Inspect", "R5 to be changed"))
        bench.do(c.FillBin(bench.batch.line_of["R5"].key, 300, lot))
        bench.do(c.MarkFault(serial, "R5", "wrong part"))
        bench.do(c.InspectBoard(serial))
        bench.do(c.RepairFault(serial, bench.state.boards[serial].open_faults[0].id, "fixed", 9.0, "none"))
        assert [b.serial for b in trace(lot.lower(), [bench.journal]).boards] == [serial]
    hung: dict[tuple[str, str], set[str]] = {}
    for serial, board in bench.state.boards.items():
        for bead in beads(bench.batch.about(serial), board):
            hung.setdefault(bead, set()).add(serial)
    assert {"feeder", "nozzle", "jar", "print", "load", "person", "bin", "panel"} <= {kind for kind, _ in hung}
    assert set(mentions.KINDS) <= set(EVENT_KINDS)
    for (kind, name), serials in hung.items():
        cold = trace(f"{kind} {name}", [bench.journal], bench)
        found = {b.serial for b in cold.boards}
        assert serials <= found if kind == "person" else serials == found, (kind, name)
        assert mentions.mentions(bench.journal, kind, name) or kind in UNNAMED, (kind, name)
    assert not trace("load 1", [bench.journal], bench).gaps
    bench.state[Mended].losses.append(("2026-01-01T00:00:00+00:00", 3, "three entries"))
    whole = trace("load 1", [bench.journal], bench)
    assert whole.gaps == [bench.batch.name] and whole.unread.startswith("one batch"), "a recall may lack boards"
    parts = {b.serial: b.refs for b in trace("SR-0410", [bench.journal]).boards}
    assert len(parts) == 18 and set(parts.values()) == {("U1",)}


def test_papers_say_what_was_tested_and_what_not(
    proving: Bench, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    bench = proving
    functioning(bench, GOLDEN)
    first = unread(bench.batch, bench.board)[0]
    bench.do(c.WaiveReading("H7-01", first.key, "under a wire"))
    proved(bench, "H7-01")
    told = board_record(bench.batch, "H7-01")
    apart = told["proved"]["apart"]
    assert apart["read"] == apart["of"] - 1 and told["waived"] == [{"pair": first.key, "reason": "under a wire"}]
    assert told["proved"]["functions"] == {"done": 8, "of": 8} and told["proved"]["joints"]["read"] == 0
    typed = [p for p in bench.batch.own.checks.all if bench.board.readings.get(p.key, (0, NO_BEEP))[1] != NO_BEEP]
    values = told["proved"]["values"]
    assert values["read"] == sum(math.isfinite(p.most) for p in typed) < values["of"], "silence proves no value"
    page = page_html(bench.batch, "H7-01")
    assert "under a wire" in page and "What was tested, and what was not" in page and "32768 Hz" in page
    assert "http" not in page.replace("http://www.w3.org", ""), "the page needs nothing beside itself"
    whole = batch_record(bench)
    assert len(whole["boards"]) == 18 and whole["boards"][0]["functions"]["done"] == 8 and "H7-18" in batch_html(bench)
    for words in (["H7-01"], ["7"], ["batch 7"]):
        assert (
            main(["--journal", bench.journal.url, "papers", *words, "--html", str(tmp_path / "p.html"), "--json"]) == 0
        )
        data = json.loads(capsys.readouterr().out)["data"]
        assert data["format"].startswith("fusilex-b") and (tmp_path / "p.html").read_text().startswith(
            "<!DOCTYPE html>"
        )
    assert main(["--journal", bench.journal.url, "papers", "Q9-99"]) == 2 and "Q9-99" in capsys.readouterr().err


def test_cost_by_hand(proving: Bench) -> None:
    bench = proving
    made = cost_of(bench)
    assert made is not None and made.at_work == 18 and made.cost.good == 0 and math.isinf(made.cost.per_good)
    prices = {"SR-0410": 2.1, "SR-0422": 0.6, "SR-0305": 0.9, "SR-0701": 0.5}
    per_board = sum(prices.get(p.part_number, 0.0) for p in bench.design.parts if p.populated)
    assert made.cost.parts == pytest.approx(18 * per_board) and made.cost.consumables == pytest.approx(18 * 0.35)
    assert made.cost.total == pytest.approx(made.cost.parts + 18 * 0.35 + 28 + made.cost.minutes / 2)
    entry = bench.record.history[-1]
    at = ("10:00:00", "10:02:00", "12:00:00")
    rows = [type(entry)("x", at=f"2026-01-01T{t}+00:00", who="ab", place="Test") for t in at]
    assert worked(rows) == {"Test": pytest.approx(2 + 5)}, "a pause counts five minutes at most"


def test_the_window_brings_a_board_from_tips_to_parcel_by_keys(
    proving: Bench, open_window: OpenWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    bench, now = proving, [100.0]
    window = open_window(bench)
    monkeypatch.setattr("time.monotonic", lambda: now[0])

    def keys(*some: Qt.Key) -> None:
        for key in some:
            QTest.keyClick(window, key)

    def answer(text: str) -> None:
        line = next(x for x in window.findChildren(QLineEdit) if x.isVisible())
        line.setText(text)
        QTest.keyClick(line, K.Key_Return)

    window.go("Test")
    keys(K.Key_L)
    answer("4")
    assert "stay unproven" in window.desk.said
    keys(K.Key_L)
    answer("0")
    keys(K.Key_S)
    answer("2 90%")
    assert "boards in full: 01, " in window.desk.said
    keys(K.Key_S)
    answer("0")
    keys(K.Key_Tab)
    assert window.now_card.now.title == "Readings first", "no key is named here that belongs to another picture"
    keys(K.Key_P)
    assert "No power yet: " in window.desk.said and window.now_card.now.title == "Readings first"
    keys(*[K.Key_Tab] * 2)
    beeps = next(p for p in due(bench.batch, bench.board) if not heard(p, 30.0))
    window.station.view.chosen = beeps.key  # type: ignore[attr-defined]
    keys(K.Key_Return)
    assert "type what the meter says" in window.desk.said and beeps.key not in bench.board.readings
    rung(bench, "H7-01")
    window.desk.changed.emit()
    keys(K.Key_Tab, K.Key_P)
    assert window.now_card.now.title == "2.7 V is on"
    keys(K.Key_BracketRight)
    assert window.now_card.now.title != "2.7 V is on", "the clock is that of the other board"
    keys(K.Key_BracketLeft)
    now[0] += 6.0
    keys(K.Key_P)
    answer("2.7 4")
    keys(K.Key_P)
    now[0] += 11.0
    keys(K.Key_P)
    answer("9.0 21")
    keys(K.Key_R)
    answer("well")
    keys(K.Key_G)
    for text in ("3.30", "0.12", "32768", "0.5", "1.0"):
        keys(K.Key_T)
        answer(text)
    keys(K.Key_T, K.Key_G)
    for text in ("3.31", "0.11", "32768", "yes", "yes", "0.5", "1.01"):
        keys(K.Key_T)
        answer(text)
    keys(K.Key_T, K.Key_Tab)
    strip = window.station.view.strip  # type: ignore[attr-defined]
    assert strip.lot.name == "3V3" and [t.board for t in strip.lot.taken] == ["H7-01"]
    keys(K.Key_Tab, K.Key_Space)
    assert bench.state.boards["H7-01"].station == "Release", window.desk.said
    window.go("Release")
    bench.go("Release", "H7-01")
    window.desk.changed.emit()
    keys(*[K.Key_Space] * 9)
    assert next_cut(bench.batch, 1) is None and window.now_card.now.title == "Clean the flux off: H7-01"
    keys(*[K.Key_Space] * 5)
    assert bench.state.boards["H7-01"].released_at, window.desk.said
    keys(K.Key_Tab, K.Key_C)
    answer("order 4")
    assert labels_pdf(bench.batch, ["H7-01"], window.station.view.card.stock).startswith(b"%PDF")  # type: ignore[attr-defined]
    window.station.view.write_list(str(tmp_path / "list.csv"))  # type: ignore[attr-defined]
    assert "order 4,H7-01" in (tmp_path / "list.csv").read_text()
    dialog = TraceDialog(window, bench, bench.journal, "H7-01")
    QTest.qWait(10)
    while dialog.aside.busy:
        QTest.qWait(10)
    assert [r[0] for r in dialog.boards.rows] == ["H7-01"] and ("board", "H7-01") in dialog.thread_card.lit
    assert ("load", "1") in dialog.thread_card.lit and ("load", "2") not in dialog.thread_card.lit
    dialog.write(str(tmp_path / "recall.csv"))
    assert (tmp_path / "recall.csv").read_text().count("\n") == 2
