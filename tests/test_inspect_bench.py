"""Inspect at the bench and on the screen: fields seen, faults decided, causes planted and named, yield with intervals."""

from __future__ import annotations

import json
from pathlib import Path

import asked as c
import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit
from scipy.stats import beta
from three_causes import CLOGGED, at_the_eyes, at_the_oven, faults_of, kept_of

from fusilex.app import main
from fusilex.bench.common.bins import Bins, Filled
from fusilex.bench.common.doubtful import left_in_doubt
from fusilex.bench.history.findings import find
from fusilex.bench.history.opportunities import words_found
from fusilex.bench.record.archive import batch_out
from fusilex.bench.record.bench import Bench
from fusilex.bench.report.papers import board_record
from fusilex.bench.stations.inspect.touring import fields_of, unseen
from fusilex.bench.stations.print.events import Printing
from fusilex.core.design.model import Design
from fusilex.core.evidence import Level
from fusilex.core.inspection.causes import CAUSES, Evidence, ranked
from fusilex.core.inspection.expect import WAYS, mark_lies
from fusilex.core.inspection.faults import FAULT_WORDS, FAULTS
from fusilex.core.inspection.patterns import patterns
from fusilex.core.inspection.surroundings import copper_near
from fusilex.core.inspection.yields import exact, per_million, rolled

NOZZLE, BIN_OF = "middle 1", "R3"


@pytest.fixture
def eyes(tmp_path: Path) -> Bench:
    return at_the_eyes(tmp_path / "eyes.sqlite")


def planted(bench: Bench) -> Bench:
    for serial, ref, pin, word in faults_of(bench, NOZZLE, bench.batch.line_of[BIN_OF].key):
        bench.do(c.MarkFault(serial, ref, word, pin))
    for serial in bench.state.boards:
        bench.do(c.InspectBoard(serial))
    return bench


def level(bench: Bench, rule: str, step: str = "Inspect") -> Level | None:
    return next((j.level for j in bench.judgements(step) if j.rule == rule), None)


def test_the_three_planted_causes_are_named_and_nothing_else(
    eyes: Bench, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    bench = planted(eyes)
    found = {one.word: one for one in find(bench.batch).found}
    assert found.keys() == {"no solder", "misaligned", "wrong part"}
    cell, ref, pin = CLOGGED
    opening = found["no solder"].pattern
    assert (opening.attribute, opening.value) == ("opening", f"{ref}.{pin} in cell {cell + 1}") and opening.of == 3
    nozzle = found["misaligned"].pattern
    put = sum(one.nozzle == NOZZLE for b in bench.state.boards.values() for one in b.put.values())
    assert (nozzle.attribute, nozzle.value, nozzle.of) == ("nozzle", NOZZLE, put)
    wrong = found["wrong part"].pattern
    number = bench.batch.bin_number[bench.batch.line_of[BIN_OF].key]
    assert (wrong.attribute, wrong.value) == ("bin", str(number)) and wrong.faults == found["wrong part"].faults
    for word, station in (("no solder", "Print"), ("misaligned", "Place"), ("wrong part", "Kit")):
        first, *others = find(bench.batch).causes(word)
        assert first.cause.station == station and first.speaks_for and first.share > 2 * others[0].share
    file = tmp_path / "batch.zip"
    file.write_bytes(batch_out(bench))
    assert main(["patterns", str(file), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)["data"]
    assert {(f["fault"], f["attribute"], f["value"]) for f in told["findings"]} == {
        (word, one.pattern.attribute, one.pattern.value) for word, one in found.items()
    }
    assert main(["causes", "misaligned", "--batch", str(file), "--json"]) == 0
    causes = json.loads(capsys.readouterr().out)["data"]["causes"]
    assert causes[0]["for"] and sum(cause["share"] for cause in causes) == pytest.approx(1)
    assert main(["causes", "ugly"]) == 2 and "fault word" in capsys.readouterr().err


def test_the_thread_of_a_part_is_what_the_programme_and_the_bins_say(eyes: Bench) -> None:
    kept = kept_of(eyes.batch.about("H7-01", "Place"))
    board = eyes.state.boards["H7-01"]
    lines = eyes.batch.lines_of(board)
    seen = 0
    for nozzles, picks, _ in kept.trips:  # type: ignore[union-attr]
        for head, ref, cell in picks:
            if cell == board.cell + 1:
                put = board.put[ref]
                assert (put.slot, put.nozzle, put.head) == (kept.slots[lines[ref].key], nozzles[head], str(head + 1))  # type: ignore[union-attr]
                seen += 1
    assert seen > 30 and {put.head for put in board.put.values()} >= {"1", "2"}
    assert eyes.state[Printing].since_wipe == {1: 1, 2: 2, 3: 3}
    since = eyes.route.station("Print").thread(eyes.batch, eyes.state.boards["H7-13"])["prints since wipe"]
    assert set(since.values()) == {"3"} and "U1" in since  # type: ignore[union-attr]
    bins = Bins(fillings={"k": [Filled(9, "A", "2026-01-01"), Filled(9, "B", "2026-01-03")]})
    assert [bins.lot_at("k", f"2026-01-0{day}") for day in (1, 2, 3, 4)] == ["A", "A", "B", "B"]
    assert bins.lot_at("k", "2025-12-31") == "" == bins.lot_at("other", "2026-01-01")


def test_prints_are_counted_from_the_wipe(bench: Bench) -> None:
    c.acknowledge_all(bench)
    bench.do(c.AcceptFiles())
    for line in bench.batch.lines:
        bench.do(c.FillBin(line.key, line.pull + 40))
    bench.do(c.CloseKit())
    bench.go("Print", "H7-01")
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    bench.do(c.PrintPanel(2, 0.12, "leaded"))
    bench.do(c.WipeFoil())
    bench.do(c.PrintPanel(3, 0.12, "leaded"))
    assert bench.state[Printing].since_wipe == {1: 1, 2: 2, 3: 1}


def test_every_fault_has_causes_and_a_key_of_its_own() -> None:
    assert CAUSES.keys() == FAULT_WORDS.keys()
    assert len({fault.key for fault in FAULTS}) == len(FAULTS)
    for word in FAULT_WORDS:
        rows = ranked(word)
        assert [r.cause for r in rows] == list(CAUSES[word]), "without evidence the order is the table's"
        assert sum(r.share for r in rows) == pytest.approx(1)
    nozzle = next(r for r in ranked("misaligned") if "nozzle" in r.cause.evidence)
    seen = Evidence((), frozenset({"nozzle"}), 5)
    against = next(r for r in ranked("misaligned", seen) if r.cause is nozzle.cause)
    assert against.share < nozzle.share and "do not gather at any nozzle" in against.speaks_against[0]
    few = next(r for r in ranked("misaligned", Evidence((), frozenset({"nozzle"}), 2)) if r.cause is nozzle.cause)
    assert few.share == pytest.approx(nozzle.share) and not few.speaks_against, "two faults tell nothing"


def test_what_rises_is_found_by_its_cut_and_chance_is_not() -> None:
    rng = np.random.default_rng(4)
    since = rng.integers(1, 13, 6000)
    bad = rng.uniform(size=since.size) < np.where(since >= 8, 0.02, 0.001)
    table = {"prints since wipe": [str(v) for v in since], "cell": [str(v) for v in rng.integers(1, 7, since.size)]}
    (found,) = patterns(table, bad, ["prints since wipe"])
    assert found.value.endswith(" or more") and 7 <= int(found.value.split()[0]) <= 9
    (among,) = patterns(table, bad, ["prints since wipe"], among=4)
    assert among.q / found.q == pytest.approx(4) and among.p == found.p, "held over four tables"
    wrong = 0
    for _ in range(200):
        wrong += bool(patterns(table, rng.uniform(size=since.size) < 0.004, ["prints since wipe"]))
    assert wrong <= 18, "one in twenty, and what chance adds"


def test_fields_are_seen_one_by_one_and_what_was_mended_again(eyes: Bench) -> None:
    bench, board = eyes, eyes.state.boards["H7-01"]
    fields = fields_of(bench.batch)
    shown = {joint for field in fields for joint in field.joints}
    open_ = {f"{p.ref}.{pad.pin}" for p in bench.design.parts if p.populated for pad in p.pads}
    assert shown == open_, "every joint is whole in some field"
    for number in range(1, len(fields) + 1):
        assert len(unseen(bench.batch, board)) == len(fields) - number + 1
        bench.do(c.SeeField("H7-01", number))
    assert not unseen(bench.batch, board) and "is seen" in bench.now("Inspect").title
    with pytest.raises(c.Refused, match="none of the number"):
        bench.do(c.SeeField("H7-01", len(fields) + 1))
    bench.do(c.MarkFault("H7-01", "R3", "bridge", "1"))
    with pytest.raises(c.Refused, match="open"):
        bench.do(c.SignFirstArticle("H7-01"))
    with pytest.raises(c.Refused, match="marked already"):
        bench.do(c.MarkFault("H7-01", "R3", "bridge", "1"))
    with pytest.raises(c.Refused, match="no joint 9"):
        bench.do(c.MarkFault("H7-01", "R3", "bridge", "9"))
    bench.do(c.TouchUp("H7-01", board.open_faults[0].id))
    left = unseen(bench.batch, board)
    assert left and all("R3" in field.refs for field in left), "only where something was mended"
    assert board.reflow_cycles["R3"] == 2
    with pytest.raises(c.Refused, match="not seen yet"):
        bench.do(c.SignFirstArticle("H7-01"))
    for field in left:
        bench.do(c.SeeField("H7-01", fields.index(field) + 1))
    assert level(bench, "inspect.first") is Level.CARE
    bench.do(c.SignFirstArticle("H7-01"))
    assert level(bench, "inspect.first") is Level.GO
    bench.do(c.SeeField("H7-02", 1))
    bench.do(c.InspectBoard("H7-01"))
    bench.do(c.InspectBoard("H7-02"))
    papers = board_record(bench.batch, "H7-01")
    assert papers["fields_seen"] == {"Inspect": [len(fields)] * 2} and papers["first_article"][0]["step"] == "Inspect"
    assert papers["faults"][0]["joint"] == "1" and papers["faults"][0]["result"] == "touched up"
    said = [j.headline for j in bench.route.station("Inspect").remarks(bench.batch, bench.state.boards["H7-02"])]
    assert said == [f"1 of {len(fields)} fields of board H7-02 inspected"]
    bench.do(c.SendBack("H7-01", "Inspect", "it rattles"))
    assert len(unseen(bench.batch, bench.state.boards["H7-01"])) == len(fields), "toured anew"


def test_what_lies_within_the_shops_limit_is_no_fault(eyes: Bench) -> None:
    bench, board = eyes, eyes.state.boards["H7-01"]
    bench.do(c.MarkFault("H7-01", "R3", "misaligned"))
    bench.do(c.MarkFault("H7-01", "U1", "bridge"))
    shifted, bridge = board.open_faults
    with pytest.raises(c.Refused, match="at most 50 %"):
        bench.do(c.AcceptFault("H7-01", shifted.id, 0.6))
    with pytest.raises(c.Refused, match="no limit"):
        bench.do(c.AcceptFault("H7-01", bridge.id, 0.1))
    with pytest.raises(c.Refused, match="No iron reaches"):
        bench.do(c.TouchUp("H7-01", bridge.id))
    with pytest.raises(c.Refused, match="comes off"):
        bench.do(c.TouchUp("H7-01", shifted.id))
    bench.do(c.SetRecord("limits", {"id": "shop", "workmanship": "high reliability"}))
    with pytest.raises(c.Refused, match="at most 25 %"):
        bench.do(c.AcceptFault("H7-01", shifted.id, 0.3))
    bench.do(c.AcceptFault("H7-01", shifted.id, 0.25))
    assert [f.id for f in board.open_faults] == [bridge.id]
    bench.do(c.Undo())
    assert len(board.open_faults) == 2 or len(bench.state.boards["H7-01"].open_faults) == 2
    bench.do(c.Redo())
    bench.do(c.Undo())
    bench.do(c.Redo())
    bench.do(c.MarkFault("H7-02", "R3", "misaligned"))
    bench.do(c.AcceptFault("H7-02", bench.state.boards["H7-02"].open_faults[0].id, 0.1))
    bench.do(c.InspectBoard("H7-02"))
    assert bench.state.boards["H7-02"].first_pass is True and bench.state.boards["H7-02"].step != "Rework"
    assert "misaligned" not in words_found(bench.batch), "nor is it one for patterns"
    accepted = [f["accepted"] for f in board_record(bench.batch, "H7-02")["faults"]]
    assert accepted == ["overhang 10 %, high reliability workmanship wants at most 25 %"]


def test_yields_by_a_second_method_and_their_intervals_cover() -> None:
    for good, n in ((10, 12), (0, 5), (18, 18), (997, 1000)):
        share = exact(good, n)
        low = beta.ppf(0.025, good, n - good + 1) if good else 0.0
        high = beta.ppf(0.975, good + 1, n - good) if good < n else 1.0
        assert (share.low, share.high) == pytest.approx((low, high), abs=1e-9)
    assert per_million(7, 14_000).value == 500
    rng = np.random.default_rng(1)
    hits = 0
    for _ in range(2000):
        shares = [exact(int(rng.binomial(n, p)), n) for n, p in ((18, 0.8), (15, 0.9))]
        both = rolled(shares)
        hits += both.low <= 0.8 * 0.9 <= both.high
    assert hits >= 0.95 * 2000


def test_a_small_batch_is_said_to_be_small_and_proves_nothing(eyes: Bench) -> None:
    for serial in eyes.state.boards:
        eyes.do(c.InspectBoard(serial))
    judged = next(j for j in eyes.judgements("Inspect") if j.rule == "inspect.yield")
    assert judged.level is Level.UNKNOWN and "18 of 18" in judged.headline
    assert "more boards without a defect would show" in judged.do
    assert "small batch" in judged.headline


def test_marks_and_copper_by_the_boards_own_geometry(heron: Design) -> None:
    """The bottom is seen mirrored; a plane under a pad is much copper, a lone pad little."""
    for part in heron.parts:
        word = mark_lies(part)
        if part.polarity != "known":
            assert word == ""
            continue
        pad = part.pin_one
        assert pad is not None
        dx = (pad.polygon.centroid.x - part.x) * (-1 if part.side == "bottom" else 1)
        dy = pad.polygon.centroid.y - part.y
        if abs(dx) > 3 * abs(dy):
            assert word == ("right" if dx > 0 else "left")
        elif abs(dy) > 3 * abs(dx):
            assert word == ("up" if dy > 0 else "down")
        assert word in WAYS
    pads = [pad for part in heron.parts if part.populated for pad in part.pads]
    near = copper_near(heron, pads)
    copper = {layer.side: layer.area for layer in heron.layers if layer.role == "copper"}
    for pad, word in list(zip(pads, near, strict=True))[::9]:
        if pad.side not in copper:
            continue
        ring = pad.polygon.centroid.buffer(2.0).exterior
        share = ring.intersection(copper[pad.side]).length / ring.length
        assert {"much": share > 0.5, "some": 0.15 < share < 0.7, "little": share < 0.35}[word], (pad.name, share)


def test_what_earlier_steps_doubt_is_looked_at_first(eyes: Bench) -> None:
    board = eyes.state.boards["H7-01"]
    doubts = dict(left_in_doubt(eyes.batch, board))
    by_hand = [r for r in board.placed if board.placed_how[r] == "hand"]
    marked = [r for r in by_hand if eyes.design.part_by_ref[r].package.polarised]
    assert marked and all("by hand" in doubts[ref] for ref in marked)
    field = unseen(eyes.batch, board)[0]
    assert any(ref in eyes.now("Inspect").detail for ref in doubts if ref in field.refs)


def test_before_the_oven_bodies_are_toured_and_put_right_where_they_lie(tmp_path: Path) -> None:
    bench = at_the_oven(tmp_path / "wet.sqlite", look=True)
    board = bench.state.boards["H7-01"]
    bench.go(board.step, "H7-01")
    fields = fields_of(bench.batch)
    there = {p.ref for p in bench.design.parts if p.populated and p.side == "top" and not p.through_hole}
    assert {ref for field in fields for ref in field.refs} == there and not any(field.joints for field in fields)
    assert "All there, square, the right way round" in bench.now(board.step).detail
    assert level(bench, "inspect.first", board.step) is None
    bench.do(c.MarkFault("H7-01", "D1", "rotated"))
    heats = dict(board.reflow_cycles)
    bench.do(c.TouchUp("H7-01", board.open_faults[0].id))
    assert not board.open_faults and board.reflow_cycles == heats and board.faults[0].result == "put right"
    with pytest.raises(c.Refused, match="after soldering"):
        bench.do(c.SignFirstArticle("H7-01"))


def press(window, *keys) -> None:  # type: ignore[no-untyped-def]
    for key in keys:
        if isinstance(key, str):
            line = next((x for x in window.findChildren(QLineEdit) if x.isVisible()), None)
            if line is not None:
                line.setText(key)
                QTest.keyClick(line, Qt.Key.Key_Return)
            else:
                QTest.keyClicks(window, key)
        else:
            QTest.keyClick(window, key)


def test_a_board_is_toured_marked_and_signed_by_keys(qtbot, eyes: Bench, open_window) -> None:  # type: ignore[no-untyped-def]
    window = open_window(eyes)
    window.desk.go("Inspect", "H7-01")
    key, fields = Qt.Key, fields_of(eyes.batch)
    first = window.now_card.now.title
    press(window, key.Key_Space)
    assert window.now_card.now.title != first and "field 2 of" in window.station.canvas.caption
    press(window, key.Key_Backspace)
    assert window.now_card.now.title == first, "taken back"
    press(window, *[key.Key_Space] * len(fields), "g")
    assert "signed" in window.desk.said and eyes.state.boards["H7-01"].station == "Inspect"
    press(window, key.Key_Slash, "R3", ".", "1")
    assert [(f.place, f.word) for f in eyes.state.boards["H7-01"].open_faults] == [("R3.1", "bridge")]
    press(window, ".", key.Key_Slash, "D1", "9")
    assert eyes.state.boards["H7-01"].open_faults[-1].place == "D1", "the joint in hand was another part's"
    eyes.do(c.Undo())
    del eyes.state.cautions["Touch up"]  # as if nobody had read them yet
    press(window, key.Key_Slash, "R3", "t")
    assert window.now_card.now.title == "Read first" and eyes.state.boards["H7-01"].open_faults
    press(window, key.Key_Space, "t")
    assert not eyes.state.boards["H7-01"].open_faults and "Look again at R3" in window.now_card.now.title
    press(window, "8", "y", "30")
    assert not eyes.state.boards["H7-01"].open_faults, window.desk.said
    while eyes.state.boards["H7-01"].step == "Inspect":
        press(window, key.Key_Space)
    assert eyes.state.boards["H7-01"].step == "Test" and eyes.view.board == "H7-02"


def test_the_patterns_stand_in_the_window_with_their_causes(qtbot, eyes: Bench, open_window) -> None:  # type: ignore[no-untyped-def]
    planted(eyes)
    window = open_window(eyes)
    window.desk.go("Inspect", "H7-01")
    press(window, Qt.Key.Key_Tab, Qt.Key.Key_Tab)
    view = window.station.view
    qtbot.waitUntil(lambda: bool(view.findings.found), timeout=20_000)
    named = [row[0] for row in view.found.rows]
    assert named[:3] == ["wrong part", "misaligned", "no solder"] and set(named[3:]) == {"insufficient", "cold joint"}
    assert "bin" in window.now_card.now.title and view.causes.rows[0][0] == "Kit"
    press(window, Qt.Key.Key_Down)
    assert NOZZLE in window.now_card.now.title and "nozzle" in view.causes.rows[0][1]
    press(window, *[Qt.Key.Key_Down] * 3)
    assert "too few to tell" in window.now_card.now.title
