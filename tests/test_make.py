"""Bare boards made at home: steps of the route before Kit, judged and written down."""

from __future__ import annotations

from pathlib import Path

import asked as c
import pytest
from asked import acknowledge_all
from conftest import OpenWindow
from designs import board_files
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from fusilex.bench.record.bench import Bench
from fusilex.bench.report.papers import board_record
from fusilex.bench.stations.make.typed_input import EXAMPLES, done
from fusilex.bench.workshop.etching import Etching
from fusilex.core.bare_boards.making import METHODS, judge_drill, judge_look, least_ring
from fusilex.core.evidence import Level
from fusilex.core.route.steps import faults

K = Qt.Key


@pytest.fixture
def bench(tmp_path: Path) -> Bench:
    """A board of two leaded parts whose bare boards are made here."""
    files = board_files([("J1", "header", 10, 10, "top"), ("J2", "header", 20, 20, "top")])
    made = Bench.open_batch(
        c.open_journal(f"sqlite:///{tmp_path / 'j.sqlite'}"), files, "Small", 2, prefix="S", number=1
    )
    acknowledge_all(made)
    made.do(c.MakeAtHome())
    return made


def typed(bench: Bench, panel: int, text: str = "") -> None:
    method = bench.route.steps.by_id[bench.state.panel_boards(panel)[0].step].method
    bench.do(done(panel, method, text or EXAMPLES[method]))


def test_the_steps_stand_before_kit(bench: Bench) -> None:
    steps = bench.route.steps
    assert [s.method for s in steps.at_station("Make")] == list(METHODS) and faults(steps) == []
    assert steps.label("Make 4") == "Make etch" and steps.index("Make 7") < steps.index("Kit")
    assert [fault.case for fault in faults(steps.moved("Make 2", 8))] == ["boards made late"]
    with pytest.raises(c.Refused, match="has the steps of making bare boards already"):
        bench.do(c.MakeAtHome())
    bench.do(c.AcceptFiles())
    assert {b.step for b in bench.state.boards.values()} == {"Make"}


def test_a_panel_is_made_and_its_record_kept(bench: Bench) -> None:
    bench.do(c.AcceptFiles())
    typed(bench, 1)
    typed(bench, 1)
    with pytest.raises(c.Refused, match="Type minutes, breaks, pinholes, touched"):
        typed(bench, 1, "6 min")
    typed(bench, 1, "6 min, 3 breaks, 2 pinholes, 4 touched")
    board = bench.state.boards["S1-01"]
    assert board.step == "Make 3", "one flaw is not touched up"
    bench.go(board.step, "S1-01")
    assert "1 flaw in the resist" in bench.now("Make 3").detail
    typed(bench, 1)
    with pytest.raises(c.Refused, match="Note the bath first"):
        typed(bench, 1)
    bench.do(c.MixBath(1.0))
    before = bench.workshop[Etching].bath.held_g  # type: ignore[union-attr]
    typed(bench, 1)
    assert bench.workshop[Etching].bath.held_g > before, "copper went into the bath"  # type: ignore[union-attr]
    typed(bench, 1)
    ring = least_ring(bench.design)
    assert ring == pytest.approx((1.7 - 1.0) / 2, abs=0.003), "circles of the same area"
    typed(bench, 1, "20 min, 0.6 mm, 1 broken, 0.36 run-out")
    assert board.step == "Make 6", "the drill cuts the pads open"
    bench.go(board.step, "S1-01")
    stop = bench.route.open_stops(bench.batch, board.step)[0]
    bench.do(c.Overrule(stop.key, "wired over"))
    typed(bench, 1, "20 min, 0.6 mm, 1 broken, 0.36 run-out")
    typed(bench, 1)
    assert board.step == "Kit" and bench.workshop[Etching].shown["own etching"] == 0.25
    assert bench.state.boards["S1-02"].step == "Make"
    rows = board_record(bench.batch, "S1-01")["made_here"]
    assert [r["method"] for r in rows] == list(METHODS) and rows[3]["celsius"] == 38 and rows[5]["run_out_mm"] == 0.36
    assert board_record(bench.batch, "S1-02")["made_here"] == []


def test_what_a_look_and_a_drill_come_to() -> None:
    assert judge_look(3, 2, 5, "panel 1").level is Level.GO and judge_look(0, 0, 0, "panel 1").level is Level.GO
    assert judge_look(3, 2, 4, "panel 1").level is Level.STOP
    levels = [judge_drill(x, 0.3, "panel 1").level for x in (0.0, 0.21, 0.22, 0.29, 0.3)]
    assert levels == [Level.GO, Level.GO, Level.CARE, Level.CARE, Level.STOP]
    assert judge_drill(0.0, None, "panel 1").level is Level.UNKNOWN


@pytest.mark.parametrize(
    ("method", "text"),
    [
        ("cut", "0"),
        ("cut", "12 3"),
        ("transfer", "8 5 900"),
        ("look", "6 -1 0 0"),
        ("drill", "20 0.6 1"),
        ("cut", "soon"),
    ],
)
def test_numbers_that_make_no_sense_are_refused(bench: Bench, method: str, text: str) -> None:
    bench.do(c.AcceptFiles())
    while bench.route.steps.by_id[bench.state.boards["S1-01"].step].method != method:
        if bench.route.steps.by_id[bench.state.boards["S1-01"].step].method == "etch":
            bench.do(c.MixBath(1.0))
        typed(bench, 1)
    with pytest.raises(c.Refused):
        typed(bench, 1, text)


def test_making_by_keys(bench: Bench, open_window: OpenWindow) -> None:
    bench.do(c.AcceptFiles())
    window = open_window(bench)
    window.desk.go("Make", "S1-01")
    assert window.now_card.now.title == "Cut panel 1" and window.station.name == "Make"
    for text in ("12 min", "8 5 180"):
        QTest.keyClick(window, K.Key_Space)
        window.ask.line.setText(text)
        QTest.keyClick(window.ask.line, K.Key_Return)
        window.desk.go(bench.state.boards["S1-01"].step, "S1-01")
    assert window.now_card.now.title == "Look at panel 1" and "cut, transfer" in window.station.canvas.footer  # type: ignore[union-attr]
    assert not window.station.grab().isNull()
