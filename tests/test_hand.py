"""Hand: working order by height and access, solder by geometry, step by step; pot, wave, wires, harnesses, pull."""

from __future__ import annotations

import math
from itertools import permutations
from pathlib import Path

import asked as c
import numpy as np
import pytest
from asked import marks_seen
from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit
from scipy.integrate import quad
from three_causes import at_the_oven

from fusilex.bench.history.findings import find
from fusilex.bench.record.bench import Bench
from fusilex.bench.refusal import Refused
from fusilex.bench.report.papers import board_record
from fusilex.bench.stations.hand.events import Soldering
from fusilex.bench.stations.hand.extra import Extra
from fusilex.bench.stations.hand.soldering import care_for
from fusilex.bench.stations.hand.typed_input import BATH_EXAMPLE, TASK_EXAMPLE, read_bath, read_task
from fusilex.core.design.model import Design
from fusilex.core.evidence import Level
from fusilex.core.inspection.surroundings import copper_near
from fusilex.core.soldering.bath import judge_bath
from fusilex.core.soldering.handwork import soldering
from fusilex.core.soldering.joint import DENSITY, FLUX_MASS, dose, heating, joint_mm3, lead_joint_mm3, wire_length_mm
from fusilex.core.soldering.minutes import seconds_a_joint
from fusilex.core.soldering.order import by_height, hindrances, soldered_from, turns

WAVE = {"bath_c": 255.0, "dwell_s": 3.0, "preheat_c": 110.0, "flux": "no-clean"}


@pytest.fixture
def hand(tmp_path: Path) -> Bench:
    """Heron's three panels molten, before the iron."""
    bench = at_the_oven(tmp_path / "hand.sqlite")
    bench.go("Reflow", "H7-01")
    for panel in (1, 2, 3):
        marks_seen(bench)
        bench.do(c.SeeReflow(panel, "all shiny"))
    bench.go("Hand", "H7-01")
    return bench


def cone_ring(z: float, land_r: float, lead_r: float, high: float) -> float:
    """Area of solder at a height of the fillet."""
    return math.pi * ((land_r + (lead_r - land_r) * z / high) ** 2 - lead_r**2)


def test_the_joint_is_a_cone_each_side_and_a_filled_hole() -> None:
    rng = np.random.default_rng(0)
    for _ in range(50):
        lead = rng.uniform(0.4, 1.2)
        hole, board, fillet = lead + rng.uniform(0.05, 0.5), rng.uniform(0.8, 2.4), rng.uniform(0.2, 1.5)
        land = hole + rng.uniform(0.1, 1.2)
        cone = quad(cone_ring, 0, fillet, args=(land / 2, lead / 2, fillet))[0]
        whole = 2 * cone + math.pi / 4 * (hole**2 - lead**2) * board
        assert lead_joint_mm3(land, hole, lead, board, fillet) == pytest.approx(whole, rel=1e-9)
    with pytest.raises(ValueError, match="in a hole"):
        lead_joint_mm3(1.0, 0.5, 0.7, 1.6, 0.5)
    for leaded in (True, False):
        length = wire_length_mm(2.0, 0.7, leaded)
        mass = 2.0 * DENSITY[leaded] / (1 - FLUX_MASS)  # of the wire, mg: its metal is the joint's
        flux = mass * FLUX_MASS / 1.05
        assert length * math.pi * 0.7**2 / 4 == pytest.approx(2.0 + flux, rel=1e-9), "metal and flux fill the wire"


def test_solder_and_heat_of_every_part(heron: Design) -> None:
    for part in heron.parts:
        if not part.populated or not part.pads:
            continue
        one = dose(part, 1.6, True)
        assert one.volume_mm3 == pytest.approx(sum(joint_mm3(part, pad, 1.6) for pad in part.joints))
        assert one.wire_mm in (0.3, 0.5, 0.7, 1.0) and one.length_mm > 0
        plain, much = heating(part, False, True), heating(part, True, True)
        assert much.tip_mm >= plain.tip_mm and much.high_c > plain.high_c and plain.high_c <= 330
        assert heating(part, False, False).low_c > plain.low_c and much.dwell_s > plain.dwell_s
        steps = soldering(part).steps
        assert any("Look" in s.text or "look" in s.text for s in steps) and all(s.seconds > 0 for s in steps)
        assert any(("mark checked" in s.text) for s in steps) == part.package.polarised


def test_what_no_file_tells_of_a_joint_is_no_go(hand: Bench) -> None:
    part = hand.design.part_by_ref["S1"]
    assert care_for(hand.batch, part).untold == ""
    dry = replace(part, pads=tuple(replace(pad, drill=0.0) for pad in part.joints))
    assert "holes" in care_for(hand.batch, dry).untold
    bare = replace(hand.design, layers=tuple(x for x in hand.design.layers if x.role != "copper"))
    assert copper_near(bare, list(part.pads)) == [""] * len(part.pads)


def test_low_before_tall_joints_before_what_covers_them_and_few_turns(heron: Design) -> None:
    parts = [p for p in heron.parts if p.populated and (p.through_hole or p.side == "bottom")]
    order = by_height(parts)
    assert sorted(p.ref for p in order) == sorted(p.ref for p in parts)
    before = hindrances(parts)
    seen: set[str] = set()
    for part in order:
        assert before[part.ref] <= seen, f"{part.ref} would stand over or beside {before[part.ref] - seen}"
        seen.add(part.ref)
    best = min(
        turns(p) for p in permutations(parts[:6]) if sorted(q.through_hole for q in p) == [q.through_hole for q in p]
    )
    assert turns(by_height(parts[:6])) <= best
    # a holder on the other side, right over the pins of a terminal: the terminal first, tall as it is
    terminal = next(p for p in heron.parts if p.ref == "J3")
    holder = next(p for p in heron.parts if p.ref == "BT1")
    over = replace(holder, x=terminal.x, y=terminal.y)
    assert soldered_from(terminal) == "bottom" and [p.ref for p in by_height([over, terminal])] == ["J3", "BT1"]
    assert [p.ref for p in by_height([holder, terminal])] == ["BT1", "J3"]


def test_minutes_are_learnt_and_pauses_do_not_count(hand: Bench) -> None:
    rng = np.random.default_rng(1)
    found = [seconds_a_joint([(2, 2 * s) for s in np.exp(rng.normal(math.log(20), 0.4, 40))]) for _ in range(100)]
    assert abs(np.mean(np.log(np.array(found) / 20))) < 0.12
    assert seconds_a_joint([(2, 4000.0), (0, 10.0), (8, 0.5)]) == 8.0
    board = hand.state.boards["H7-01"]
    first = [p.ref for p in hand.batch.parts_of("Hand")][:2]
    for ref in first:
        hand.do(c.SolderPart(board.serial, ref))
    assert [ref for ref, _ in hand.state[Soldering].timed] == first[1:]
    assert "min to go" in hand.now("Hand").detail


def test_a_wave_is_recorded_and_its_faults_are_its_own(hand: Bench) -> None:
    bench = hand
    with pytest.raises(c.Refused, match="has no leads"):
        bench.do(c.SolderInBath("H7-01", "wave", WAVE))
    for board in bench.state.boards.values():
        for part in bench.batch.parts_of("Hand", board):
            if not part.through_hole:
                bench.do(c.SolderPart(board.serial, part.ref))
    for settings, why in (
        ({"bath_c": 500.0, "dwell_s": 3.0}, "runs from"),
        ({"bath_c": 255.0}, "how long"),
        ({"bath_c": 255.0, "dwell_s": 3.0, "song": 1.0}, "no song"),
        ({"bath_c": "hot"}, "number"),
    ):
        with pytest.raises(c.Refused, match=why):
            bench.do(c.SolderInBath("H7-01", "wave", settings))
    for n, serial in enumerate(list(bench.state.boards)):
        bench.do(c.SolderInBath(serial, "wave" if n < 9 else "pot", WAVE | {"dwell_s": 1.0 if n < 9 else 3.0}))
        if n < 9:  # 1 s is no contact: it is on record, and the board stays until somebody says why
            assert bench.state.boards[serial].step == "Hand"
            with pytest.raises(c.Refused, match="Contact"):
                bench.do(c.PassStep(serial))
            bench.go("Hand", serial)
            (short,) = [j for j in bench.judgements("Hand") if j.rule == "hand.bath"]
            bench.do(c.Overrule(short.key, "inspected at once"))
            bench.do(c.PassStep(serial))
        assert bench.state.boards[serial].step == "Inspect"
    remarks = bench.batch.stations["Hand"].remarks(bench.batch, bench.state.boards["H7-18"])
    assert [j.level for j in remarks] == [Level.UNKNOWN], "no depth, no solder named"
    baths = board_record(bench.batch, "H7-01")["baths"]
    assert {row["ref"] for row in baths} == {"S1", "J3"} and baths[0]["bath_c"] == 255.0
    for n, serial in enumerate(list(bench.state.boards)):
        if n < 9:
            for ref, pin in (("J3", "1"), ("J3", "2"), ("S1", "1")):
                bench.do(c.MarkFault(serial, ref, "insufficient", pin))
        bench.do(c.InspectBoard(serial))
    found = [one for one in find(bench.batch).found if one.word == "insufficient"]
    told = {
        (name, value)
        for one in found
        for name, value in ((one.pattern.attribute, one.pattern.value), *one.pattern.also)
    }
    assert ("soldered with", "wave") in told or ("dwell", "1 s") in told
    first = find(bench.batch).causes("insufficient")[0]
    assert first.cause.station == "Hand" and "dwell too short" in first.cause.text and first.speaks_for


def test_wires_and_harnesses_hold_the_board_until_they_hold_their_pull(hand: Bench) -> None:
    bench = hand
    bench.do(c.AddTask("Hand", "wire", "TP3 to the buzzer", "red", "J1", 10.0))
    bench.do(c.AddTask("Hand", "harness", "four ways, latch heard"))
    wire, harness = bench.state[Extra].tasks
    with pytest.raises(c.Refused, match="comes before it"):
        bench.do(c.DoTask("H7-01", wire, 12.0))
    while part := bench.batch.next_part(bench.state.boards["H7-01"], "Hand"):
        bench.do(c.SolderPart("H7-01", part.ref))
    board = bench.state.boards["H7-01"]
    assert board.step == "Hand" and bench.now("Hand").title == "Wire red: TP3 to the buzzer, J1"
    assert [j.level for j in bench.judgements("Hand") if j.rule == "hand.task"] == [Level.STOP] * 2
    with pytest.raises(c.Refused, match="left to do"):
        bench.do(c.PassStep("H7-01"))
    with pytest.raises(c.Refused, match="hold 10 N"):
        bench.do(c.DoTask("H7-01", wire, 9.9))
    bench.do(c.DoTask("H7-01", wire, 12.5))
    bench.do(c.DoTask("H7-01", harness))
    assert board.step == "Inspect"
    done = board_record(bench.batch, "H7-01")["hand_tasks"]
    assert done[0] == {"what": "wire red: TP3 to the buzzer, J1", "pull_n": 12.5} and len(done) == 2
    bench.do(c.RemoveTask(harness))
    with pytest.raises(c.Refused, match="no such task"):
        bench.do(c.RemoveTask(harness))


def test_a_bath_is_judged_by_what_was_noted() -> None:
    good = {
        "bath_c": 262.0,
        "preheat_c": 115.0,
        "dwell_s": 4.0,
        "depth_mm": 0.7,
        "flux": "no-clean",
        "alloy": "lead-free",
    }
    level = lambda **other: judge_bath("H7-01", {**good, **other}, 1.6)[0].level  # noqa: E731
    assert level() is Level.GO
    for name, wrong in (("bath_c", 230.0), ("preheat_c", 40.0), ("dwell_s", 0.2), ("depth_mm", 1.5)):
        assert level(**{name: wrong}) is Level.STOP, name
        assert level(**{name: None}) is Level.UNKNOWN, name
    assert level(bath_c=255.0) is Level.UNKNOWN, "a bath read to a degree"
    for flux in ("", "-", "?", "n/a"):
        assert level(flux=flux) is Level.UNKNOWN, flux
    assert level(flux="none") is Level.STOP and level(flux="No flux") is Level.STOP
    assert level(alloy="") is Level.UNKNOWN and level(alloy="", bath_c=250.0) is Level.UNKNOWN, "paste tells no bath"
    lead = {"bath_c": 250.0, "dwell_s": 3.0, "alloy": "leaded"}
    assert level(**lead, preheat_c=95.0, flux="rosin in alcohol") is Level.GO
    assert level(**lead, preheat_c=95.0, flux="water-based") is Level.STOP
    # flux that does not say what it is in (one that washes off in water may be in alcohol): what both ranges hold
    for flux in ("no-clean", "water-soluble"):
        assert level(**lead, preheat_c=105.0, flux=flux) is Level.GO
        assert level(**lead, preheat_c=95.0, flux=flux) is Level.UNKNOWN
        assert level(**lead, preheat_c=140.0, flux=flux) is Level.STOP


def test_what_is_typed_at_hand() -> None:
    bath = read_bath("H7-01", BATH_EXAMPLE)
    assert bath.settings == {
        "bath_c": 250,
        "preheat_c": 105,
        "speed_mm_s": 12,
        "dwell_s": 3,
        "depth_mm": 0.7,
        "alloy": "leaded",
        "flux": "rosin",
    }
    assert read_bath("H7-01", "pot 260 4 rosin").settings == {"bath_c": 260, "dwell_s": 4, "flux": "rosin"}
    for wrong in ("", "tub 260 4", "pot 260", "wave 1 2 3", "pot hot 4"):
        with pytest.raises(Refused):
            read_bath("H7-01", wrong)
    task = read_task("Hand", TASK_EXAMPLE)
    assert (task.sort, task.colour, task.what, task.where, task.pull_n) == (
        "wire",
        "red",
        "TP3 to the buzzer",
        "J1",
        10.0,
    )
    plain = read_task("Hand", "late part, C20")
    assert (plain.what, plain.colour, plain.where, plain.pull_n) == ("C20", "", "", 0.0)
    for wrong in ("", "rope, red", "wire", "wire, 10 N", "wire, at J1"):
        with pytest.raises(Refused):
            read_task("Hand", wrong)


def test_a_board_is_soldered_step_by_step_by_keys(qtbot, hand: Bench, open_window) -> None:  # type: ignore[no-untyped-def]
    window = open_window(hand)
    window.desk.go("Hand", "H7-01")
    station, key = window.station, Qt.Key

    def answer(text: str) -> None:
        line = next(x for x in window.findChildren(QLineEdit) if x.isVisible())
        line.setText(text)
        QTest.keyClick(line, key.Key_Return)

    QTest.keyClicks(window, "w")
    answer("wire, red, TP3 to the buzzer, 5 N")
    assert len(hand.state[Extra].tasks) == 1
    first = station.part
    QTest.keyClick(window, key.Key_Return)
    assert window.now_card.now.title.startswith(f"{first.ref}: ") and station.steps.at == 0
    QTest.keyClick(window, key.Key_Space)
    assert station.part.ref != first.ref and station.steps.at == -1
    while station.part and not station.part.through_hole:
        QTest.keyClick(window, key.Key_Space)
    del hand.state.cautions["Bath"]
    QTest.keyClicks(window, "b")
    assert window.now_card.now.title == "Read first"
    QTest.keyClick(window, key.Key_Space)
    QTest.keyClicks(window, "b")
    answer("tub 1 2")
    assert "such as" in window.desk.said
    QTest.keyClicks(window, "b")
    answer("pot 250 3 rosin")
    assert station.task and hand.state.boards["H7-01"].step == "Hand"
    QTest.keyClick(window, key.Key_Space)
    answer("four")
    QTest.keyClick(window, key.Key_Space)
    answer("6 N")
    assert hand.state.boards["H7-01"].step == "Inspect" and hand.view.board == "H7-02"
