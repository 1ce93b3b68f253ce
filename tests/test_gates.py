"""No way past a stop: at each station, by the keys of the real window, a stop holds the board, a reason frees it and
stands in its papers.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path

import asked as c
import pytest
from asked import acknowledge_all, marks_seen, taught, well
from conftest import HERON, OpenWindow
from msgspec.structs import replace
from test_window import SPACE, Key, go, press

from fusilex.bench.common.moisture import judge_board_clocks
from fusilex.bench.record.bench import Bench
from fusilex.bench.report.papers import board_record, page_html
from fusilex.bench.rooms import open_journal
from fusilex.core.evidence import Level
from fusilex.core.judgement import Facts
from fusilex.core.route.steps import DONE, one_side
from fusilex.formats.bundle import Files
from fusilex.journal.place import sqlite_url
from fusilex.ui.frame.judgement_list import JudgementCard
from fusilex.ui.frame.window import Window

LOG = (HERON / "oven-run-1.csv").read_bytes()
FIRST = "H7-01"

STEPS = one_side().ids


def cold(log: bytes) -> bytes:
    """The same run with two thirds of the heat: nothing melts."""
    _, head, *rows = log.decode().splitlines()
    cells = ([row.split(",")[0], *(f"{25 + (float(t) - 25) / 1.5:.2f}" for t in row.split(",")[1:])] for row in rows)
    return "\n".join([head, *(",".join(row) for row in cells)]).encode()


def kitted(bench: Bench, **counts: int) -> None:
    bench.do(c.AcceptFiles())
    for line in bench.batch.lines:
        bench.do(c.FillBin(line.key, line.pull))
    bench.do(c.CloseKit())
    for ref, count in counts.items():  # counted again at the bench
        bench.do(c.FillBin(bench.batch.line_of[ref].key, count))


def brought(bench: Bench, station: str) -> None:
    """The first board, with its panel as far as panels go, to a station by the straight way."""
    stop = STEPS.index(station)
    kitted(bench)
    if stop > STEPS.index("Print"):
        bench.do(c.PrintPanel(1, 0.12, "leaded"))
    if stop > STEPS.index("Place"):
        taught(bench)
        bench.do(c.MachinePlaced(1))
    if stop > STEPS.index("Reflow"):
        marks_seen(bench)
        bench.do(c.RecordReflow(1, "run.csv", LOG))
    while stop > STEPS.index("Hand") and (part := bench.batch.next_part(bench.state.boards[FIRST], "Hand")):
        bench.do(c.SolderPart(FIRST, part.ref))
    if stop > STEPS.index("Inspect"):
        bench.do(c.InspectBoard(FIRST))
    if stop > STEPS.index("Test"):
        bench.do(c.TestBoard(FIRST, True, "by functions"))


def short_kit(bench: Bench) -> None:
    bench.do(c.AcceptFiles())
    for line in bench.batch.lines:
        bench.do(c.FillBin(line.key, 3 if line.refs[0] == "U1" else line.pull))


def thick_foil(bench: Bench) -> None:
    brought(bench, "Print")
    bench.do(c.ChooseFoil(0.3))


def empty_bin(bench: Bench) -> None:
    brought(bench, "Place")
    bench.do(c.FillBin(bench.batch.line_of[bench.batch.parts_of("Place")[0].ref].key, 0))


def untaught(bench: Bench) -> None:
    brought(bench, "Place")
    bench.do(c.ChooseWay("machine"))


def never_melted(bench: Bench) -> None:
    brought(bench, "Reflow")
    marks_seen(bench)
    bench.do(c.RecordReflow(1, "cold.csv", cold(LOG)))
    assert bench.state.boards[FIRST].station == "Reflow", "the record is kept, the panel stays"


def nothing_to_solder_with(bench: Bench) -> None:
    brought(bench, "Hand")
    bench.do(c.FillBin(bench.batch.line_of[bench.batch.parts_of("Hand")[0].ref].key, 0))


def faulty(bench: Bench) -> None:
    brought(bench, "Inspect")
    bench.do(c.MarkFault(FIRST, "U3", "bridge"))


def in_rework(bench: Bench) -> None:
    faulty(bench)
    bench.do(c.InspectBoard(FIRST))
    with pytest.raises(c.Refused, match="not repaired"):
        bench.do(c.AcceptAsIs(FIRST))


def joined(bench: Bench) -> None:
    brought(bench, "Test")
    for pair in bench.batch.own.plan:
        bench.do(c.TakeReading(FIRST, pair.key, "5" if pair is bench.batch.own.plan[0] else well(pair)))


def left_out(bench: Bench) -> None:
    """A part the batch started without is there again, and is not on this board."""
    short_kit(bench)
    for stop in bench.route.open_stops(bench.batch, "Kit"):
        bench.do(c.Overrule(stop.key, "comes on Monday"))
    bench.do(c.CloseKit())
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    taught(bench)
    bench.do(c.MachinePlaced(1))
    marks_seen(bench)
    bench.do(c.RecordReflow(1, "run.csv", LOG))
    while part := bench.batch.next_part(bench.state.boards[FIRST], "Hand"):
        bench.do(c.SolderPart(FIRST, part.ref))
    bench.do(c.InspectBoard(FIRST))
    bench.do(c.TestBoard(FIRST, True, "by functions"))
    line = bench.batch.line_of["U1"]
    bench.do(c.FillBin(line.key, line.pull))


Arrange = Callable[[Bench], None]
GATES: dict[str, tuple[str, Arrange, str, str]] = {
    "Ready": ("Ready", lambda bench: None, "U3: outside", "Kit"),
    "Kit": ("Kit", short_kit, "15 short of control 32", "Print"),
    "Print": ("Print", thick_foil, "will not release", "Place"),
    "Place by hand": ("Place", empty_bin, "Only 0 of", "Place"),
    "Place by machine": ("Place", untaught, "0 of 2 reference points taught", "Reflow"),
    "Reflow": ("Reflow", never_melted, "", "Hand"),
    "Hand": ("Hand", nothing_to_solder_with, "Only 0 of", "Hand"),
    "Inspect": ("Inspect", faulty, "", "Test"),
    "Rework": ("Rework", in_rework, "", "Inspect"),
    "Test": ("Test", joined, ": short", "Release"),
    "Release": ("Release", left_out, "lacks U1", DONE),
}


def overrule_all(window: Window, reason: str) -> int:
    """``PgDn`` to each stop that holds, ``F2`` and a reason; how many there were."""
    count = 0
    while window.judged.current:
        state = window.desk.bench.state
        open_ = [j for j in window.judged.items if j.level is Level.STOP and not state.overruling(j)]
        if not open_:
            return count
        while window.judged.current.key != open_[0].key:
            press(window, Key.Key_PageDown)
        press(window, Key.Key_F2, reason)
        count += 1
    return count


@pytest.mark.parametrize("case", GATES)
def test_a_stop_holds_by_keyboard_and_a_reason_frees(
    case: str, heron_files: Files, tmp_path: Path, open_window: OpenWindow
) -> None:
    station, arrange, headline, then = GATES[case]
    files, name = heron_files, "heron-r2-placements.csv"
    if case == "Ready":
        files = heron_files | {name: heron_files[name].replace(b"U3,27.500", b"U3,87.500")}
    journal = open_journal(sqlite_url(tmp_path / "g.sqlite"))
    bench = Bench.open_batch(journal, files, "Heron R2", 18, prefix="H", paste="leaded", number=7)
    acknowledge_all(bench)
    arrange(bench)
    window = open_window(bench)
    go(window, station)
    bench.go(station, FIRST)
    window.refresh()

    def where() -> tuple[str, int]:
        board = bench.state.boards[FIRST]
        return board.station, len(board.placed) + len(board.soldered)

    before, on = where(), Key.Key_R if station == "Release" else SPACE
    if station == "Inspect":  # a fault sends it to Rework, never on; back again
        press(window, Key.Key_Return)
        assert where()[0] == "Rework"
        press(window, Key.Key_Backspace)
    elif station != "Rework":
        press(window, on)
        assert headline in window.desk.said and "F2" in window.desk.said, window.desk.said
    assert where() == before, "held"
    assert overrule_all(window, f"because of {case}")
    press(window, Key.Key_Return if station in ("Print", "Inspect") else on)
    assert where() != before and where()[0] == then, window.desk.said
    record = board_record(bench.batch, FIRST)
    assert f"because of {case}" in {o["reason"] for o in record["overruled"]}
    assert f"because of {case}" in page_html(bench.batch, FIRST)


def test_a_print_keeps_its_paste_and_its_window(bench: Bench) -> None:
    acknowledge_all(bench)
    brought(bench, "Reflow")
    with pytest.raises(c.Refused, match="Panel 1 is printed already"):
        bench.do(c.ChoosePaste("lead-free"))
    bench.do(c.ChoosePaste("lead-free", "the jar is empty"))
    bench.do(c.PrintPanel(2, 0.12, "lead-free"))
    taught(bench, 2)
    bench.do(c.MachinePlaced(2))
    for panel, window, then in ((1, "leaded", "Hand"), (2, "lead-free", "Reflow")):
        marks_seen(bench)
        bench.do(c.RecordReflow(panel, "run.csv", LOG))
        board = bench.state.panel_boards(panel)[0]
        assert (board.loads["Reflow"].window, board.station) == (window, then), "a leaded run"
    changes = [board_record(bench.batch, serial)["changed_in_mid_batch"] for serial in (FIRST, "H7-07")]
    assert not changes[0] and [(x["what"], x["from_panel"]) for x in changes[1]] == [("lead-free paste", 2)]


def test_a_moisture_clock_counts_up_to_the_oven(bench: Bench) -> None:
    acknowledge_all(bench)
    bench.do(c.AcceptFiles())
    line = bench.batch.line_of["U3"]
    ago = [(datetime.now(UTC) - timedelta(hours=h)).isoformat() for h in (80, 70)]
    bench.do(c.ReceiveLot("tube", line.part_number, line.value, line.package.code, 50, level="4", id="T"))
    for each in bench.batch.lines:
        bench.do(c.FillBin(each.key, each.pull, "T" if each is line else ""))
    bench.do(c.CloseKit())
    bench.do(c.NoteMoisture("T", "opened", ago[1]))
    bench.do(c.NoteAir(22.0, 45.0))
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    taught(bench)
    bench.do(c.MachinePlaced(1))
    marks_seen(bench)
    bench.do(c.RecordReflow(1, "run.csv", LOG))
    board = bench.state.boards[FIRST]
    later = replace(bench.batch.about(FIRST, "Reflow"), at=datetime.now(UTC) + timedelta(hours=30))
    assert board.loads and [j.level for j in judge_board_clocks(later, board)] == [Level.CARE], "70 of 72 h in the oven"
    waiting = bench.state.boards["H7-07"]
    assert [j.level for j in judge_board_clocks(later, waiting)] == [Level.STOP], "100 of 72 h on the bench"


def test_a_board_nobody_looked_at_says_so_and_the_next_of_its_panel_follows(
    bench: Bench, open_window: OpenWindow
) -> None:
    acknowledge_all(bench)
    brought(bench, "Hand")
    for panel in (2, 3):
        bench.do(c.PrintPanel(panel, 0.12, "leaded"))
        taught(bench, panel)
        bench.do(c.MachinePlaced(panel))
        marks_seen(bench)
        bench.do(c.RecordReflow(panel, "run.csv", LOG))
    for serial in ("H7-02", "H7-13", "H7-14"):
        while part := bench.batch.next_part(bench.state.boards[serial], "Hand"):
            bench.do(c.SolderPart(serial, part.ref))
    window = open_window(bench)
    bench.go("Inspect", "H7-13")
    window.refresh()
    press(window, Key.Key_Return)
    assert board_record(bench.batch, "H7-13")["passed_unseen"] and bench.view.board == "H7-14"
    press(window, Key.Key_Right, Key.Key_Return)
    assert not board_record(bench.batch, "H7-14")["passed_unseen"] and bench.view.board == "H7-02"


def test_what_was_overruled_is_shown_to_be(bench: Bench, open_window: OpenWindow) -> None:
    acknowledge_all(bench)
    faulty(bench)
    window = open_window(bench)
    bench.go("Inspect", FIRST)
    window.refresh()
    stop = bench.route.open_stops(bench.batch, "Inspect")[0]
    with pytest.raises(c.Refused, match="has changed: U3: bridge"):
        bench.do(c.Overrule(stop.key, "a spare", replace(Facts.of(stop), names={"place": "U3", "word": "tombstone"})))
    assert overrule_all(window, "a spare") == 1
    assert [card.overruled for card in window.judged.findChildren(JudgementCard) if card.overruled] == ["a spare"]


def test_papers_hold_the_reasons_about_their_board(heron_files: Files, tmp_path: Path) -> None:
    journal = open_journal(sqlite_url(tmp_path / "p.sqlite"))
    bench = Bench.open_batch(journal, heron_files, "Heron R2", 120, prefix="H", paste="leaded", number=7)
    acknowledge_all(bench)
    brought(bench, "Print")
    bench.go("Print", FIRST)
    for foil, panel, reason in ((0.3, 1, ""), (0.12, 2, "the thick one was a mistake")):
        bench.do(c.ChooseFoil(foil, reason))
        for stop in bench.route.open_stops(bench.batch, "Print"):
            bench.do(c.Overrule(stop.key, "looked at every deposit"))
        bench.do(c.PrintPanel(panel, foil, "leaded"))
        taught(bench, panel)
        bench.do(c.MachinePlaced(panel))
        marks_seen(bench)
        bench.do(c.RecordReflow(panel, "cold.csv", cold(LOG)))
    bench.go("Reflow", FIRST)
    for stop in bench.route.open_stops(bench.batch, "Reflow"):
        bench.do(c.Overrule(stop.key, "reflowed again by hand"))
    with pytest.raises(c.Refused, match="Panel 2 stays at Reflow"):
        bench.do(c.SendOn(2))
    bench.do(c.SendOn(1))

    def reasons(serial: str) -> set[str]:
        return {o["reason"] for o in board_record(bench.batch, serial)["overruled"]}

    about_panel = {"looked at every deposit", "reflowed again by hand"}
    assert reasons(FIRST) == reasons("H7-02") == about_panel and not reasons("H7-07")
    for serial in ("H7-10", "H7-100"):
        bench.state.boards[serial].step = "Inspect"
        bench.do(c.MarkFault(serial, "R1", "bridge"))
        bench.go("Inspect", serial)
        bench.do(c.Overrule(bench.route.open_stops(bench.batch, "Inspect")[0].key, f"{serial} is a spare"))
    assert (reasons("H7-10"), reasons("H7-100")) == ({"H7-10 is a spare"}, {"H7-100 is a spare"})


def test_a_count_says_what_is_in_the_bin_now(bench: Bench) -> None:
    acknowledge_all(bench)
    brought(bench, "Place")
    taught(bench)
    line = bench.batch.line_of["U1"]
    bench.do(c.FillBin(line.key, 5))
    with pytest.raises(c.Refused, match="Only 5 of control 32 left"):
        bench.do(c.MachinePlaced(1))
    bench.do(c.FillBin(line.key, 6))
    bench.do(c.MachinePlaced(1))
    short = {j.headline for j in bench.judgements("Kit") if j.level is Level.STOP}
    assert bench.batch.left_in_bin(line.key) == 0 and short == {"12 short of control 32 QFN-32 5x5"}
    bench.do(c.FillBin(line.key, 12))
    assert bench.batch.left_in_bin(line.key) == 12
    assert not [j for j in bench.judgements("Kit") if j.level is Level.STOP], "six are on boards"


def test_a_lot_to_be_baked_goes_into_no_bin(bench: Bench) -> None:
    acknowledge_all(bench)
    bench.do(c.AcceptFiles())
    line = bench.batch.line_of["U3"]
    bench.do(c.ReceiveLot("tube", line.part_number, line.value, line.package.code, 50, level="6", id="T6"))
    with pytest.raises(c.Refused, match="bake before use"):
        bench.do(c.FillBin(line.key, 20, "T6"))
    assert "T6" in {j.subject for j in bench.judgements("Kit") if j.level is Level.STOP}
    bench.do(c.NoteMoisture("T6", "baked"))
    bench.do(c.FillBin(line.key, 20, "T6"))


def test_a_filled_bin_of_a_closed_kit_is_not_filled_by_a_stray_key(bench: Bench, open_window: OpenWindow) -> None:
    acknowledge_all(bench)
    brought(bench, "Print")
    window = open_window(bench)
    go(window, "Kit")
    before = bench.state.last_id
    press(window, SPACE)
    assert bench.state.last_id == before and "Space" not in {key.keys for key in window.strip.shown}


def test_a_print_is_with_what_stood_on_the_screen(bench: Bench) -> None:
    acknowledge_all(bench)
    brought(bench, "Print")
    for foil, paste in ((0.1, "leaded"), (0.12, "lead-free")):
        with pytest.raises(c.Refused, match=r"The next print is with .* mm foil and leaded paste"):
            bench.do(c.PrintPanel(1, foil, paste))


def test_what_is_taken_back_here_has_not_gone_on_elsewhere(bench: Bench, open_window: OpenWindow) -> None:
    acknowledge_all(bench)
    brought(bench, "Print")
    window = open_window(bench)
    go(window, "Print")
    press(window, Key.Key_Return)
    assert bench.board.panel == 2, "the next panel that waits here"
    bench.go("Place", FIRST)
    bench.do(c.PlacePart(FIRST, bench.batch.parts_of("Place")[0].ref))
    go(window, "Print")
    assert "Space" not in {key.keys for key in window.strip.shown}, "panel 1 is not here"
    press(window, SPACE)
    assert window.desk.said == f"Board {FIRST} is at Place."
    press(window, Key.Key_Backspace)
    assert "gone on since: take back" in window.desk.said and bench.state.boards[FIRST].station == "Place"
    go(window, "Place")
    press(window, Key.Key_Backspace)
    go(window, "Print")
    press(window, Key.Key_N)
    assert bench.board.panel == 2 and "Space" in {key.keys for key in window.strip.shown}
    press(window, Key.Key_Backspace)
    assert "Taken back: the print of panel 1" in window.desk.said
    assert bench.view.board == FIRST and bench.state.boards[FIRST].station == "Print"
