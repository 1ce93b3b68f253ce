"""Boards that differ within a batch: every station shows each its own, and papers say so."""

from __future__ import annotations

import asked as c
import pytest
from asked import acknowledge_all, marks_seen, taught
from conftest import OpenWindow
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from fusilex.bench.common.bins import older_name
from fusilex.bench.record.bench import Bench
from fusilex.bench.report.papers import board_record, page_html
from fusilex.bench.stations.place.placements import programme
from fusilex.bench.stations.ready.options_text import option
from fusilex.core.design.model import Design
from fusilex.core.kit.quantities import pull_for, pull_list
from fusilex.core.kit.variants import PartChange, built, varied
from fusilex.ui.frame.window import Window

K = Qt.Key
EARLY, LATE = [f"H7-{n:02d}" for n in range(1, 7)], [f"H7-{n:02d}" for n in range(7, 19)]


@pytest.fixture
def mixed(bench: Bench) -> Bench:
    """Two options, amber and red, and a change from board 7 on: R8 is another value, C11 is left out."""
    acknowledge_all(bench)
    bench.do(c.SetOption(["H7-02", "H7-09"], "D2", "the marsh wants red", "red", "SR-0611"))
    bench.do(c.SetOption(LATE, "R8", "runs too cold", "120 k"))
    bench.do(c.SetOption(LATE, "C11", "rings", fitted=False))
    return bench


def kitted(bench: Bench) -> None:
    bench.do(c.AcceptFiles())
    for line in bench.batch.lines:
        bench.do(c.FillBin(line.key, line.pull))
    bench.do(c.CloseKit())


def test_bins_follow_the_boards(mixed: Bench, heron: Design) -> None:
    lines = {older_name(line): line for line in mixed.batch.lines}
    drawn = [older_name(line) for line in pull_list(heron, 18)]
    assert len(lines) == len(drawn) + 2 and {"red | LED 0603", "120 k | 0402 (1005)"} == set(lines) - set(drawn)
    assert list(lines)[-2:] == ["120 k | 0402 (1005)", "red | LED 0603"], "new bins stand after the old ones"
    assert (lines["red | LED 0603"].need, lines["amber | LED 0603"].need) == (2, 16)
    assert (lines["120 k | 0402 (1005)"].need, lines["100 k | 0402 (1005)"].need) == (12, 18 + 6)
    for key in drawn:  # by counting boards one by one
        count = sum(
            p.populated and f"{p.value} | {p.package.code}" == key
            for b in mixed.state.boards.values()
            for p in mixed.batch.built(b).values()
        )
        assert lines[key].need == count, key
    everything = sum(line.need for line in lines.values())
    assert everything == 18 * 48 - 12, "twelve boards go without C11"


def test_every_station_shows_the_right_part(mixed: Bench, open_window: OpenWindow) -> None:
    kitted(mixed)
    for panel in (1, 2):
        mixed.do(c.PrintPanel(panel, 0.12, "leaded"))
    batch = mixed.batch
    for serial, value, parts in (("H7-01", "100 k", 40), ("H7-07", "120 k", 39)):
        board = mixed.state.boards[serial]
        order = {p.ref: p for p in batch.parts_of("Place", board)}
        assert order["R8"].value == value and len(order) == parts and ("C11" in order) == (serial == "H7-01")
        assert batch.lines_of(board)["R8"].value == value
    with pytest.raises(c.Refused, match="C11 is not placed"):
        mixed.do(c.PlacePart("H7-07", "C11"))
    window = open_window(mixed)
    window.desk.go("Place", "H7-09")
    while "D2" not in window.now_card.now.title:
        window.desk.do(c.PlacePart("H7-09", mixed.batch.next_part(mixed.board, "Place").ref))  # type: ignore[union-attr]
    assert f"bin {len(mixed.batch.lines)}" in window.now_card.now.title and "red" in window.now_card.now.detail
    assert {p.ref: p.value for p in window.station.on_board()}.get("R8", "120 k") == "120 k"
    mixed.go("Place", "H7-07")
    taught(mixed, 2)
    steps = programme(mixed.batch, 2)
    assert {s.value for s in steps if s.ref == "R8"} == {"120 k"} and not [s for s in steps if s.ref == "C11"]
    early = batch.lines_of(mixed.state.boards["H7-01"])["R8"].key
    left_before = mixed.batch.left_in_bin(early)
    by_hand = "R13" in mixed.state.boards["H7-09"].placed
    mixed.do(c.MachinePlaced(2))
    assert mixed.batch.left_in_bin(early) == left_before - 6 + by_hand, "only R13 comes from it"  # type: ignore[operator]
    late, early = board_record(mixed.batch, "H7-09"), board_record(mixed.batch, "H7-01")
    assert {(p["ref"], p["value"]) for p in late["parts"]} >= {("R8", "120 k"), ("D2", "red")}
    assert "C11" not in {p["ref"] for p in late["parts"]} and "C11" in {p["ref"] for p in early["parts"]}
    assert {(o["what"], o["reason"]) for o in late["otherwise"]} == {
        ("D2 red, SR-0611", "the marsh wants red"), ("R8 120 k", "runs too cold"), ("C11 not fitted", "rings"),
    }  # fmt: skip
    assert early["otherwise"] == [] and "runs too cold" in page_html(mixed.batch, "H7-09")
    mixed.go("Release", "H7-09")
    assert "C11" not in mixed.judgements("Release")[0].headline
    window.desk.go("Inspect", "H7-09")
    shown = {p.ref: p.value for p in window.station.whole_board()}
    assert shown["D2"] == "red" and "C11" not in shown


def test_what_cannot_differ_is_refused(mixed: Bench) -> None:
    kitted(mixed)
    mixed.do(c.PrintPanel(1, 0.12, "leaded"))
    mixed.do(c.PlacePart("H7-01", "C7"))
    for command, words in (
        (c.SetOption(["H7-01"], "C7", "late", "2 uF"), "C7 is on board H7-01 already"),
        (c.SetOption(["H7-01"], "C9", " ", "2 uF"), "Say why they differ"),
        (c.SetOption(["H7-01"], "Z9", "why", "2 uF"), "There is no part Z9"),
        (c.SetOption(["H7-99"], "C9", "why", "2 uF"), "no board H7-99"),
        (c.SetOption([], "C9", "why", "2 uF"), "for which boards"),
        (c.SetOption(["H7-01"], "C9", "why"), "what is otherwise about C9"),
        (c.SetOption(["H7-01"], "C9", "why", "2 uF", None, False), "cannot be left out and have a value"),
        (c.SkipStep(["H7-01"], "Print", "why"), "paste, parts and heat go together"),
        (c.SkipStep(["H7-01"], "Hand", " "), "Say why"),
        (c.SkipStep(["H7-01"], "Release", "why"), "no step Release that boards could skip"),
    ):
        with pytest.raises(c.Refused, match=words):
            mixed.do(command)
    mixed.do(c.SetOption(["H7-01"], "R9", "trimmed", "32 k"))
    mixed.go("Place", "H7-01")
    while (part := mixed.batch.next_part(mixed.board, "Place")) and part.ref != "R9":
        mixed.do(c.PlacePart("H7-01", part.ref))
    assert [j.headline for j in mixed.judgements("Place") if j.level.value == "care"] == [
        "Bin 38, 32 k: not filled at Kit"
    ]
    before = mixed.state.boards["H7-03"].variant
    mixed.do(c.SetOption(["H7-03"], "C9", "tried", "15 pF"))
    mixed.do(c.Undo())
    assert mixed.state.boards["H7-03"].variant == before


def test_a_skipped_step_is_gone_past(mixed: Bench) -> None:
    mixed.do(c.SkipStep(["H7-02"], "Hand", "the customer solders the rest"))
    kitted(mixed)
    mixed.do(c.PrintPanel(1, 0.12, "leaded"))
    taught(mixed)
    mixed.do(c.MachinePlaced(1))
    marks_seen(mixed)
    mixed.do(c.SeeReflow(1, "shiny"))
    assert [mixed.state.boards[s].step for s in ("H7-01", "H7-02")] == ["Hand", "Inspect"]
    assert "not through Hand" in {o["what"] for o in board_record(mixed.batch, "H7-02")["otherwise"]}
    mixed.go("Release", "H7-02")
    assert "lacks" in mixed.judgements("Release")[0].headline, "parts that are not on it are still said"


def test_variants_by_hand(heron: Design) -> None:
    variant = varied(varied((), PartChange("R8", "120 k")), PartChange("C11", fitted=False))
    parts = {p.ref: p for p in built(heron.parts, variant)}
    assert (parts["R8"].value, parts["C11"].populated, parts["R9"].value) == ("120 k", False, "31.6 k")
    assert parts["R8"].package == heron.part_by_ref["R8"].package and parts["R8"].part_number == ""
    lines = {older_name(x): x.need for x in pull_for([(heron.parts, 3), (list(parts.values()), 2)])}
    assert lines["10 nF | 0402 (1005)"] == 3 and lines["120 k | 0402 (1005)"] == 2


@pytest.mark.parametrize(
    ("text", "boards", "ref"),
    [
        ("d2 green from 7", LATE, "D2"),
        ("D2 green, SR-0644 from h7-07", LATE, "D2"),
        ("R5 not fitted 1-6", EARLY, "R5"),
        ("R5 not fitted H7-01 to H7-06", EARLY, "R5"),
        ("R5 4.7 k 2,9", ["H7-02", "H7-09"], "R5"),
        ("R5 10 k all", [*EARLY, *LATE], "R5"),
    ],
)
def test_options_are_typed(bench: Bench, text: str, boards: list[str], ref: str) -> None:
    command = option(text, list(bench.state.boards), bench.route.steps)("why")
    assert isinstance(command, c.SetOption) and (list(command.boards), command.ref) == (boards, ref)
    assert command.fitted is (False if "not" in text else None)
    assert command.value == {"d2": "green", "D2": "green"}.get(
        text[:2], None if "not" in text else text[3:].split(" 2,")[0].removesuffix(" all")
    )


@pytest.mark.parametrize(
    "text", ["D2 green", "D2 from 7", "D2 green from 77", "D2 green 9-2", "skip nothing from 2", "", "from 7"]
)
def test_what_is_no_option_says_an_example(bench: Bench, text: str) -> None:
    with pytest.raises(c.Refused):
        option(text, list(bench.state.boards), bench.route.steps)


def test_options_by_keys(window: Window) -> None:
    QTest.keyClick(window, K.Key_1, Qt.KeyboardModifier.ControlModifier)
    for _ in range(6):
        QTest.keyClick(window, K.Key_Tab)
    for text in ("D2 green from 7", "green is what is there"):
        if not window.ask.isVisible():
            QTest.keyClick(window, K.Key_O)
        window.ask.line.setText(text)
        QTest.keyClick(window.ask.line, K.Key_Return)
    bench = window.desk.bench
    assert "2 kinds of board" in window.now_card.now.title
    assert (
        bench.state.boards["H7-07"].variant == (PartChange("D2", "green"),) and not bench.state.boards["H7-06"].variant
    )
    assert not window.station.grab().isNull()
