"""Rework: the order that melts least again, methods in steps, what killed a part, where a new one is from, what pays."""

from __future__ import annotations

import math
from itertools import permutations
from pathlib import Path

import asked as c
import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit
from three_causes import at_the_eyes

from fusilex.bench.common.bins import Bins
from fusilex.bench.record.bench import Bench
from fusilex.bench.report.papers import board_record
from fusilex.bench.stations.rework.mending import Repairs, boards_in_order, gun_for, mends, method_of, queue
from fusilex.bench.stations.test.now import next_pair
from fusilex.bench.stations.test.planning import due
from fusilex.core.design.hidden_joints import hidden_parts
from fusilex.core.design.model import Design
from fusilex.core.evidence import Level
from fusilex.core.inspection.faults import FAULT_WORDS
from fusilex.core.rework.methods import LIFTED, method_for
from fusilex.core.rework.queue import HEAT, Mend, again_melted, in_order, learnt_seconds, worth_of


@pytest.fixture
def rework(tmp_path: Path) -> Bench:
    """Heron's first board with faults of every kind, at the repair desk."""
    bench = at_the_eyes(tmp_path / "rework.sqlite")
    for ref, word, pin in (
        ("R3", "bridge", "1"),
        ("U1", "bridge", "7"),
        ("U3", "cracked", ""),
        ("R5", "tombstone", ""),
    ):
        bench.do(c.MarkFault("H7-01", ref, word, pin))
    bench.do(c.MarkFault("H7-02", "R3", "insufficient", "2"))
    bench.do(c.InspectBoard("H7-02"))
    bench.do(c.InspectBoard("H7-01"))
    bench.go("Rework", "H7-01")
    return bench


def test_every_fault_of_every_part_has_steps_that_fit_it(heron: Design) -> None:
    hidden = {p.ref for p in hidden_parts(heron)}
    for part in heron.parts:
        if not part.populated:
            continue
        for word in FAULT_WORDS:
            method = method_for(word, part, part.ref in hidden)
            if method is None:
                assert word == "void", word
                continue
            assert method.name in HEAT and method.seconds > 0 and all(step.seconds > 0 for step in method.steps)
            texts = " ".join(step.text for step in method.steps)
            off = ("Lift when", "lift when", "slides off", "lift with", "lift without")
            if word in LIFTED:
                assert "Place" in texts and any(w in texts for w in off) == (word != "missing"), texts
                assert ("mark checked" in texts) == part.package.polarised
            if part.ref in hidden and word in LIFTED:
                assert method.name == "plate and air", "an iron reaches no joint of it"
            if "gun" in texts:
                assert texts.index("Shield") < texts.index("gun away"), "neighbours are shielded before the heat"


def test_the_order_melts_nothing_again_where_any_order_does_not(heron: Design) -> None:
    """By brute force over all orders of small queues: heavy heat first is never worse than the best of them in what it
    melts again, as long as light heat stays within its own part.
    """
    rng = np.random.default_rng(5)
    parts = [p for p in heron.parts if p.populated and p.side == "top"]
    hidden = {p.ref for p in hidden_parts(heron)}
    worse = 0
    for _ in range(60):
        some = rng.choice(len(parts), 5, replace=False)
        made = []
        for n, k in enumerate(some.tolist()):
            air = rng.random() < 0.4
            name = "plate and air" if parts[k].ref in hidden else "air" if air else "iron"
            made.append(Mend(n, parts[k], parts[k].ref in hidden, name, 6.0 if name != "iron" else 0.6))
        order = in_order(made)
        assert sorted(m.fault for m in order) == [0, 1, 2, 3, 4]
        assert [m.hidden for m in order] == sorted((m.hidden for m in order), reverse=True)
        count = sum(map(len, again_melted(order).values()))
        best = min(sum(map(len, again_melted(p).values())) for p in permutations(made))
        worse += count - best
    assert worse <= 6, "an air gun after another one may have to reach it"


def test_the_queue_goes_by_heat_and_says_what_is_reached_again(rework: Bench) -> None:
    bench, board = rework, rework.state.boards["H7-01"]
    assert [f.ref for f in queue(bench.batch, board)] == ["U1", "U3", "R5", "R3"]
    assert [m.method for m in mends(bench.batch, board)] == ["plate and air", "air", "iron both ends", "wick"]
    assert [b.serial for b in boards_in_order(bench.batch)] == ["H7-01", "H7-02"]
    assert bench.now("Rework").title == "Repair U1.7: bridge" and "plate and air" in bench.now("Rework").detail
    waiting = next(j for j in bench.judgements("Rework") if j.rule == "rework.queue")
    total = sum(method_of(bench.batch, f).seconds for b in boards_in_order(bench.batch) for f in b.open_faults)  # type: ignore[union-attr]
    assert waiting.quantities[1].value == round(total / 60)
    bench.do(c.SetRecord("air", {"id": "fine tip", "nozzle_mm": 3.0}))
    bench.do(c.SetRecord("air", {"id": "wide", "nozzle_mm": 8.0}))
    part = bench.design.part_by_ref
    assert gun_for(bench.batch, part["R3"]).id == "fine tip" and gun_for(bench.batch, part["U1"]).nozzle_mm >= 5.0
    assert gun_for(bench.batch, part["J3"]).nozzle_mm == 8.0, "the largest there is"


def test_a_dead_part_is_replaced_when_it_is_known_what_killed_it(rework: Bench) -> None:
    bench, board = rework, rework.state.boards["H7-01"]
    dead = next(f for f in board.open_faults if f.word == "cracked")
    with pytest.raises(c.Refused, match="what killed U3"):
        bench.do(c.RepairFault("H7-01", dead.id, "fixed", 300.0))
    key = bench.batch.lines_of(board)["U3"].key
    left = bench.batch.left_in_bin(key)
    bench.do(c.RepairFault("H7-01", dead.id, "fixed", 300.0, "bent when the panel was cut"))
    assert left is not None and bench.batch.left_in_bin(key) == left - 1
    assert board.put["U3"].at == dead.repaired and not board.put["U3"].nozzle
    assert board_record(bench.batch, "H7-01")["killed_by"] == [
        {"ref": "U3", "word": "cracked", "cause": "bent when the panel was cut"}
    ]
    assert bench.state[Repairs].seconds == {"air": [300.0]} and bench.state[Repairs].ended == {"fixed": 1}
    bench.do(c.Undo())
    bench.do(c.RepairFault("H7-02", bench.state.boards["H7-02"].open_faults[0].id, "scrapped", 50.0))
    assert bench.state[Repairs].seconds == {} and bench.state[Repairs].ended == {"scrapped": 1}, "no time to learn from"
    bench.do(c.Undo())
    assert bench.state[Repairs].seconds == {} and bench.batch.left_in_bin(key) == left
    bench.state[Bins].filled[key] = type(bench.state[Bins].filled[key])(0, "", "", 0)
    with pytest.raises(c.Refused, match="left"):
        bench.do(c.RepairFault("H7-01", dead.id, "fixed", 0.0, "static"))


def test_what_was_mended_is_probed_first(rework: Bench) -> None:
    for fault in list(rework.state.boards["H7-02"].open_faults):
        rework.do(c.RepairFault("H7-02", fault.id, "fixed"))
    rework.do(c.InspectBoard("H7-02"))
    board = rework.state.boards["H7-02"]
    assert board.step == "Test"
    pairs = [p for p in rework.batch.own.plan if "R3" in (p.a.ref, p.b.ref)]
    assert pairs and next_pair(rework.batch, board) in pairs
    for pair in pairs:
        rework.do(c.TakeReading("H7-02", pair.key, "OL"))
    left = next_pair(rework.batch, board)
    assert left and left not in pairs and left in due(rework.batch, board)


def test_times_are_learnt_and_the_sum_says_when_to_scrap(rework: Bench) -> None:
    rng = np.random.default_rng(2)
    true = 150.0
    errors = []
    for _ in range(200):
        timed = np.exp(rng.normal(math.log(true), 0.5, 30)).tolist()
        errors.append(math.log(learnt_seconds(60.0, timed) / true))
    assert abs(np.mean(errors)) < 0.12 and np.std(errors) < 0.12, "thirty repairs outweigh the usual time"
    one = worth_of(3600, 50.0, 60.0, {"fixed": 40, "scrapped": 10})
    assert one.cost == 50.0 and one.chance == pytest.approx(49 / 60) and one.saves == pytest.approx(60 * 49 / 60 - 50)

    def judged(bench: Bench) -> list[Level]:
        return [j.level for j in bench.judgements("Rework") if j.rule == "rework.worth"]

    assert judged(rework) == [], "nobody said what a board is worth"
    rework.do(c.SetRecord("person", {"id": "K", "rate_per_h": 60.0}))
    rework.do(c.SetRecord("limits", {"id": "shop", "board_worth": 200.0}))
    assert judged(rework) == [Level.GO]
    rework.do(c.SetRecord("limits", {"id": "shop", "board_worth": 5.0}))
    assert judged(rework) == [Level.CARE]
    said = next(j for j in rework.judgements("Rework") if j.rule == "rework.worth")
    cost = next(b.value for b in said.quantities if b.what == "costs")
    board = rework.state.boards["H7-01"]
    seconds = sum(method_of(rework.batch, f).seconds for f in board.open_faults)  # type: ignore[union-attr]
    assert cost == pytest.approx(seconds / 60, abs=0.01), "at sixty an hour"


def test_a_board_is_mended_step_by_step_by_keys(qtbot, rework: Bench, open_window) -> None:  # type: ignore[no-untyped-def]
    window = open_window(rework)
    window.desk.go("Rework", "H7-01")
    view, key = window.station.view, Qt.Key

    def press(*keys: object) -> None:
        for one in keys:
            if isinstance(one, str):
                line = next((x for x in window.findChildren(QLineEdit) if x.isVisible()), None)
                if line is not None:
                    line.setText(one)
                    QTest.keyClick(line, key.Key_Return)
                else:
                    QTest.keyClicks(window, one)
            else:
                QTest.keyClick(window, one)

    assert "U1.7" in window.now_card.now.title
    steps = view.steps.method.steps
    press(key.Key_Return)
    assert window.now_card.now.title == steps[0].text and view.steps.at == 0
    press(*[key.Key_Return] * len(steps))
    assert window.now_card.now.title == steps[-1].text, "past the last one there is none"
    view._began -= 100
    press(key.Key_Space)
    assert rework.state[Repairs].seconds["plate and air"][0] >= 100 and "U3" in window.now_card.now.title
    press(key.Key_Down)
    assert view.fault.ref == "R5" and view.steps.at == -1
    press(key.Key_Space)
    assert [f.ref for f in rework.state.boards["H7-01"].open_faults] == ["R3", "U3"]
    press(key.Key_Space, "static")
    assert rework.state[Repairs].causes and [f.ref for f in rework.state.boards["H7-01"].open_faults] == ["R3"]
    press(key.Key_Space)
    assert rework.state.boards["H7-01"].step == "Inspect" and rework.view.board == "H7-02"
    window.desk.go("Inspect", "H7-01")
    assert window.now_card.now.title.startswith("Look again at"), "this spot first"
