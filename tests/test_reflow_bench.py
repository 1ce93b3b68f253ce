"""Reflow at the bench: joints after a run, an oven that changed, loads, schools, plates by eye, hot air in held steps."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import asked as c
import numpy as np
import pytest
from asked import acknowledge_all, marks_seen
from msgspec.structs import asdict, force_setattr
from PyQt6.QtCore import QSettings, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit
from test_reflow_twin import DOOR, TIMES

from fusilex.bench.common.doubtful import left_in_doubt
from fusilex.bench.common.heat.heat_limits import body_limits
from fusilex.bench.record.bench import Bench
from fusilex.bench.record.demos import open_demo
from fusilex.bench.report.papers import board_record
from fusilex.bench.rooms import open_journal
from fusilex.bench.stations.reflow.after import joints_after
from fusilex.bench.stations.reflow.cooling import newton_s, solid_and_cool
from fusilex.bench.stations.reflow.live import LiveLog, advice, asked_for, cools
from fusilex.bench.stations.reflow.twin import logs_of, oven_body, oven_of, question
from fusilex.core.evidence import Level
from fusilex.core.heat.oven import parameters_of
from fusilex.core.heat.probes import ALL_SHINY, DOOR_OPEN, FIRST_SHINE, HEAT_OFF
from fusilex.core.heat.schedule import Schedule
from fusilex.core.heat.sheet import COARSE_MM
from fusilex.core.heat.ties import Shine
from fusilex.core.problems import BadInput
from fusilex.devices.oven_world import OvenWorld, jittered, logged
from fusilex.journal.place import sqlite_url
from fusilex.ui.frame.start import make_window
from fusilex.ui.frame.window import Window

K = Qt.Key

pytestmark = pytest.mark.usefixtures("coarse_twin")


@pytest.fixture
def bench(placed: Bench) -> Bench:
    return placed


@pytest.fixture
def window(qtbot, bench: Bench, tmp_path: Path) -> Iterator[Window]:  # type: ignore[no-untyped-def]
    made = make_window(bench, QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat))
    qtbot.addWidget(made)
    made.resize(1280, 800)
    made.show()
    yield made


def keep(bench: Bench, seed: int = 3, until: float = 480.0, weak: float = 1.0) -> bytes:
    """The log of a stand-in oven that runs the settings kept, one of its banks weaker."""
    asked = question(bench.batch)
    sheet, _, _ = asked.load(COARSE_MM)
    assert asked.schedule is not None
    told = asked.schedule
    settings = lambda t: (float(told.set_at(np.array([t]))[0]), float(told.door_at(np.array([t]))[0]))  # noqa: E731
    world = OvenWorld(sheet, settings, jittered(seed), seed=seed)
    world.kind = type(world.kind)(**{**asdict(world.kind), "watts": tuple(w * weak for w in world.kind.watts)})
    names = ["C1@1", "J1@4"]
    time, read = logged(world, names, until)
    rows = [
        f"{t:.1f},{asked.schedule.set_at(np.array([t]))[0]:.1f},{asked.schedule.door_at(np.array([t]))[0]:.2f},"
        + ",".join(f"{read[n][k]:.2f}" for n in names)
        for k, t in enumerate(time)
    ]
    return "\n".join(["time_s,set_c,door,C1@1 °C,J1@4 °C", *rows]).encode()


def levels(bench: Bench, rule: str, step: str = "Reflow") -> list[Level]:
    return [j.level for j in bench.judgements(step) if j.rule == rule]


COOLER = [25.0, 140.0, 170.0, 226.0, 226.0, 0.0]


def test_joints_are_judged_after_a_run_and_inspect_begins_with_those_in_doubt(bench: Bench) -> None:
    bench.do(c.KeepSettings(TIMES, COOLER, True, DOOR))
    asked = question(bench.batch)
    log = keep(bench)
    new = joints_after(asked, log, "first.csv")
    assert new.joints and {g.verdict for g in new.joints} <= {"cold", "open"}, "an unknown oven may doubt, not vouch"
    fitted = asked.fitted([("first.csv", log)], lambda: 0.0)
    typed = {name: fitted.oven[name] for name in parameters_of(asked.oven.method)}
    bench.do(c.SetRecord("oven", {"id": asked.oven.id, "numbers": typed}))
    typed_in = joints_after(question(bench.batch), log, "first.csv")
    assert {g.verdict for g in typed_in.joints} <= {"cold", "open"}, "numbers that somebody typed vouch for nothing"
    body = oven_body(asked.oven, fitted, 1)
    bench.do(c.SetRecord("oven", body))
    known = joints_after(question(bench.batch), log, "first.csv")
    assert known.off_c is not None and known.off_c < 2 and not known.changed
    found = {g.verdict for g in known.joints}
    assert "kept" in found, found
    weak = joints_after(question(bench.batch), keep(bench, weak=0.6), "weak.csv")
    assert weak.changed and weak.off_c is not None and weak.off_c > 8
    assert {g.verdict for g in weak.joints} & {"cold", "short"}
    marks_seen(bench)
    bench.do(c.RecordReflow(1, "weak.csv", keep(bench, weak=0.6)))
    board = bench.state.boards["H7-01"]
    load = board.loads["Reflow"]
    assert load.changed and len(load.joints) == 240 and load.joints[0].verdict in ("cold", "short")
    assert levels(bench, "reflow.oven") == [Level.CARE]
    (judged,) = [j for j in bench.judgements("Reflow") if j.rule == "reflow.joints"]
    assert judged.level in (Level.STOP, Level.CARE) and load.joints[0].part in judged.headline
    assert board.step == "Reflow", "a cold load stays"
    rows = board_record(bench.batch, "H7-01")["loads"][0]
    assert {row["cell"] for row in rows["joints"]} == {0} and rows["changed"] is True
    bench.go("Inspect", "H7-01")
    doubt = left_in_doubt(bench.batch, board)
    assert len(doubt) == sum(g.cell == 0 and g.verdict != "kept" for g in load.joints)
    assert doubt[0][0] == next(g.part for g in load.joints if g.cell == 0 and g.verdict != "kept")
    (first,) = [j for j in bench.judgements("Inspect") if j.rule == "inspect.doubt"]
    assert first.level is Level.UNKNOWN and doubt[0][0] in first.headline
    assert first.refs == tuple(ref for ref, _ in doubt)


@pytest.mark.long
def test_logs_of_a_step_feed_the_fit_newest_first(bench: Bench) -> None:
    bench.do(c.KeepSettings(TIMES, COOLER, True, DOOR))
    marks_seen(bench)
    bench.do(c.RecordReflow(1, "one.csv", keep(bench)))
    marks = b"time_s,set_c,door,seen\n0,25,0,\n90,140,0,\n180,170,0,\n232,198,0,first shine\n246,205,0,all shiny\n270,226,0,\n300,226,0,\n301,0,0,\n305,0,0,door open\n"
    bench.go("Reflow", "H7-01")
    with pytest.raises(BadInput, match="line 2"):
        marks_seen(bench)
        bench.do(c.SeeReflow(1, "shiny", b"time_s,seen\n-4,first shine\n"))
    marks_seen(bench)
    bench.do(c.SeeReflow(1, "all shiny", marks))
    loads = logs_of(bench.batch)
    assert [bool(x.marks) for x in loads] == [True, False]
    asked = question(bench.batch)
    get = bench.journal.attachment
    logs = [(x.log_name or "marks.csv", get(x.log or x.marks)) for x in loads]
    both, eyes = asked.fitted(logs, lambda: 0.0), asked.fitted(logs[:1], lambda: 0.0)
    assert both.residual_c < 3 and len(both.untold) < len(eyes.untold) == len(eyes.names)
    record = c.named("SetRecord")("oven", oven_body(asked.oven, eyes, 0, 1))
    bench.do(record)
    oven = oven_of(bench.batch)
    assert oven is not None and oven.fit.by_eye == 1 and not oven.proven, "eyes prove no oven"


def test_a_load_of_panels_and_the_other_school_by_keys(qtbot, window: Window) -> None:  # type: ignore[no-untyped-def]
    bench = window.desk.bench
    window.desk.go("Reflow", "H7-01")
    window.station.show_view(1)
    view = window.station.view

    def typed(text: str) -> None:
        QTest.keyClick(window, K.Key_N)
        line = next(x for x in window.findChildren(QLineEdit) if x.isVisible())
        line.setText(text)
        QTest.keyClick(line, K.Key_Return)

    typed("9")
    assert "9 panels have no room on a tray of 260 × 210 mm; 3 would" in window.desk.said
    typed("three")
    assert "A number of panels" in window.desk.said
    typed("2")
    assert view.asked.loading.copies == 2 and view.asked.loading.place_mm == (0.0, -36.0)
    bench.go("Reflow", "H7-07")
    assert question(bench.batch).loading.place_mm == (0.0, 36.0), "the second panel lies behind the first"
    bench.go("Reflow", "H7-01")
    QTest.keyClick(window, K.Key_W)
    assert "leaded, straight ramp" in window.desk.said and view.chart.shown.window.soak == (25, 80)
    QTest.keyClick(window, K.Key_W)
    assert view.chart.shown.window.name == "leaded"
    bench.do(c.SetRecord("paste", {"id": "leaded", "window": "my own"}))
    QTest.keyClick(window, K.Key_W)
    assert "no window called my own, straight ramp" in window.desk.said


def test_typed_limits_and_heats_are_what_is_judged_by(bench: Bench) -> None:
    parts = [p for p in bench.design.parts if p.ref in ("U1", "C1", "J1")]
    standard = body_limits(bench.batch.workshop, parts, leaded=False)
    number = bench.design.part_by_ref["C1"].part_number
    assert number
    bench.do(c.SetRecord("limits", {"id": "shop", "bodies_c": {"U1": 231.0, number: 222.0}, "heats": 1}))
    mine = body_limits(bench.batch.workshop, parts, leaded=False)
    assert mine == {**standard, "U1": 231.0, "C1": 222.0} and question(bench.batch).limits["U1"] == 231.0
    assert set(levels(bench, "reflow.heats")) == {Level.CARE}, "the one heat they have"
    marks_seen(bench)
    bench.do(c.RecordReflow(1, "one.csv", keep_plain()))
    bench.do(c.SetRecord("limits", {"id": "shop", "heats": 3}))
    assert not levels(bench, "reflow.heats")


def keep_plain() -> bytes:
    t = np.arange(0, 400, 2.0)
    c_ = np.interp(t, [0, 90, 180, 240, 290, 399], [25, 110, 150, 200, 215, 60])
    return "\n".join(["time_s,board °C", *(f"{a:g},{b:.1f}" for a, b in zip(t, c_, strict=True))]).encode()


DIALLED = Schedule((0.0, 120.0, 240.0), (150.0, 600.0, 0.0), False, ((250.0, 0.5),))
SHINE = Shine("R1", 205.0, "C1", 225.0)


def test_by_eye_the_heat_goes_off_after_the_last_shine_and_a_late_one_is_asked_after() -> None:
    nan = float("nan"), float("nan")
    log = LiveLog((), DIALLED)
    assert advice(log, 30.0, SHINE, nan) == ("Leave the door shut", "Turn to full in 90 s.")
    assert advice(log, 100.0, SHINE, nan)[0] == "Turn to full in 20 s"
    assert advice(log, 241.0, SHINE, nan)[0] == "Does C1 shine?" and not cools(log, 241.0, SHINE)
    log.mark(232.0, FIRST_SHINE)
    log.mark(244.0, ALL_SHINY)
    assert [t for t, _, _ in asked_for(log, SHINE)] == [0.0, 120.0, 259.0, 269.0], "15 s after the last one, as planned"
    assert advice(log, 250.0, SHINE, nan)[0] == "Switch off in 9 s"
    log.mark(261.0, HEAT_OFF)
    assert [(t, w) for t, w, _ in asked_for(log, SHINE)][2:] == [(261.0, "set"), (271.0, "door ajar")]
    log.mark(272.0, DOOR_OPEN)
    assert cools(log, 280.0, SHINE) and advice(log, 280.0, SHINE, (20.0, 300.0)) == (
        "Leave it until it is solid, about 0:20",
        "Below 50 °C in about 5:00.",
    )
    assert advice(log, 300.0, SHINE, (0.0, 0.0))[0] == "Cool enough to touch"
    late = LiveLog((), DIALLED)
    after = Shine("R1", 250.0, "C1", 270.0)  # by the heat that is left
    assert advice(late, 241.0, after, nan)[0] == "Now: switch off"
    assert advice(late, 291.0, after, nan)[0] == "C1 should shine by now"
    late.mark(292.0, ALL_SHINY)
    assert advice(late, 293.0, after, nan)[0].startswith("Leave it until it is solid")
    measured = LiveLog(("C1@1",), Schedule((0.0, 100.0, 200.0), (25.0, 200.0, 0.0)))
    assert advice(measured, 150.0, None, nan)[0] == "Leave the door shut"


def test_newton_says_when_it_is_solid_and_cool() -> None:
    log = LiveLog(("C1@1",), Schedule((0.0, 10.0), (200.0, 0.0), False))
    for t in range(0, 120, 2):
        log.add(float(t), [25 + 190 * np.exp(-t / 150)])
    solid, cool = solid_and_cool(log, 118.0, 183.0, None)
    assert solid == 0.0, "it is at 111 °C"
    assert cool == pytest.approx(150 * np.log(190 / 25) - 118, abs=8)
    assert newton_s(100.0, 0.5, 50.0) != newton_s(100.0, 0.5, 50.0) and newton_s(40.0, -1.0, 50.0) == 0.0
    assert all(s != s for s in solid_and_cool(LiveLog((), DIALLED), 10.0, 183.0, None)), "nothing tells"


@pytest.fixture(params=["plate"])
def wren(qtbot, tmp_path: Path, request: pytest.FixtureRequest) -> Window:  # type: ignore[no-untyped-def]
    bench = open_demo(open_journal(sqlite_url(tmp_path / "w.sqlite")), which="wren")
    acknowledge_all(bench)
    bench.do(c.AcceptFiles())
    bench.do(c.ChooseMethod("Reflow", request.param))
    for line in bench.batch.lines:
        bench.do(c.FillBin(line.key, line.pull + 40))
    bench.do(c.CloseKit())
    board = next(iter(bench.state.boards.values()))
    bench.go(board.step, board.serial)
    bench.do(c.PrintPanel(1, 0.12, bench.state.paste))
    bench.go(board.step, board.serial)
    for part in bench.batch.parts_of(board.step, board):
        bench.do(c.PlacePart(board.serial, part.ref))
    made = make_window(bench, QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat))
    qtbot.addWidget(made)
    made.resize(1280, 800)
    made.show()
    return made


def test_a_board_on_a_skillet_goes_by_eye_and_is_judged_as_such(qtbot, wren: Window) -> None:  # type: ignore[no-untyped-def]
    bench = wren.desk.bench
    wren.desk.go("Reflow", "W3-01")
    assert oven_of(bench.batch).ring_mm == 80, "the skillet that ships"  # type: ignore[union-attr]
    bench.do(c.KeepSettings([0.0, 120.0, 300.0], [140.0, 600.0, 0.0], False, []))
    wren.station.show_view(2)
    assert wren.station.now().title == "Board on, plate cold" and "scrap panel" in wren.station.now().detail
    view = wren.station.view
    QTest.keyClick(wren, K.Key_Return)
    qtbot.waitUntil(lambda: not view.aside.busy, timeout=60_000)
    view.timer.stop()
    assert view.by_eye and view.shine.last and len(view.chart.shown.traces) == 2 and view.list.isVisible()
    assert not any(key.label == "door open" for key in wren.station.keys_now()), "a plate has no door"
    assert view.shine.first_s < view.shine.last_s
    while view.at_s < view.shine.last_s + 4:
        view.tick(3.0)
    assert all(s != s for s in solid_and_cool(view.log, view.at_s, 183.0, view.found)), "nobody saw it melt"
    QTest.keyClick(wren, K.Key_A)
    solid, cool = solid_and_cool(view.log, view.at_s, 183.0, view.found)
    assert 10 < solid < cool, "what shines is not solid, whatever the twin predicted"
    QTest.keyClick(wren, K.Key_H)
    view.tick(30.0)
    assert "solid" in wren.station.now().title and [w for w, _ in view.readout.words][-2:] == ["solid in", "touch in"]
    wren.grab()
    QTest.keyClick(wren, K.Key_X)
    load = bench.state.boards["W3-01"].loads["Reflow"]
    assert "all shiny at" in load.seen and load.marks and not load.log
    assert load.joints[0].part == view.shine.last and {g.verdict for g in load.joints} == {"open"}
    bench.go("Reflow", "W3-01")
    (judged,) = [j for j in bench.judgements("Reflow") if j.rule == "reflow.log"]
    assert judged.level is Level.UNKNOWN and load.joints[0].part in judged.do
    wren.desk.go("Reflow", "W3-02")
    wren.station.show_view(1)
    twin = wren.station.view
    qtbot.waitUntil(lambda: twin.search is None, timeout=60_000)
    QTest.keyClick(wren, K.Key_K)
    qtbot.waitUntil(lambda: twin.search is None, timeout=60_000)
    fit = oven_of(bench.batch).fit  # type: ignore[union-attr]
    assert (fit.runs, fit.by_eye) == (0, 1) and "what was seen" in twin.words + wren.desk.said
    board = bench.state.boards["W3-02"]
    board.soldered = ["U9"]
    part = next(p for p in bench.design.parts if p.side == "top")
    force_setattr(part, "side", "bottom")  # as if it sat below
    board.placed = [part.ref]
    bench.go("Reflow", "W3-02")
    with pytest.raises(c.Refused, match="does not lie flat"):
        question(bench.batch)


def test_a_bottom_pad_part_is_reworked_in_held_steps_by_keys(qtbot, window: Window) -> None:  # type: ignore[no-untyped-def]
    bench = window.desk.bench
    marks_seen(bench)
    bench.do(c.RecordReflow(1, "one.csv", keep_plain()))
    board = bench.state.boards["H7-01"]
    board.step = "Inspect"
    bench.go("Inspect", "H7-01")
    bench.do(c.MarkFault("H7-01", "U1", "cold joint"))
    bench.do(c.InspectBoard("H7-01"))
    assert board.step == "Rework"
    window.desk.go("Rework", "H7-01")
    window.station.show_view(1)
    view = window.station.view
    qtbot.waitUntil(lambda: not view.aside.busy, timeout=60_000)
    assert view.profile.id == "bottom pad, leaded", "hidden pads, and the paste it was printed with"
    assert view.judged.level is Level.UNKNOWN and "Watch until solder is shiny" in window.station.now().detail
    QTest.keyClick(window, K.Key_Return)
    assert window.station.now().title == "Hold: plate on"
    QTest.keyClick(window, K.Key_Return)
    assert "held for 120 s at least" in window.desk.said and not view.held
    view.clock.tick(125.0)
    assert window.station.now().title == "The board lies flat"
    QTest.keyClick(window, K.Key_Return)
    assert len(view.held) == 1 and view.clock.at == 1 and "Plate 150 °C, air 230 °C" in window.desk.said
    view.clock.tick(80.0)
    assert window.station.now().title == "Lift the air away"
    QTest.keyClick(window, K.Key_D)
    assert not view.running and view.held[-1].drifted and "U1 drifted" in window.station.now().title
    QTest.keyClick(window, K.Key_Return)
    for step in view.profile.steps[:3]:
        view.clock.tick(step.least_s + 1)
        QTest.keyClick(window, K.Key_Return)
    QTest.keyClick(window, K.Key_X)  # or the program ended here
    assert window.station.now().title == "Broken off after melt" and len(view.held) == 3
    QTest.keyClick(window, K.Key_Return)
    for step in view.profile.steps[3:]:
        view.clock.tick(step.least_s + 1)
        window.grab()
        QTest.keyClick(window, K.Key_Return)
    assert view.all_held and window.station.now().title == "U1 was held through all steps"
    held = board_record(bench.batch, "H7-01")["held"]
    assert [row["step"] for row in held] == list(range(1, 8)) and not any(row["drifted"] for row in held)
    QTest.keyClick(window, K.Key_Right)
    assert view.profile.id != "bottom pad, leaded" and not view.all_held
    QTest.keyClick(window, K.Key_E)
    line = next(x for x in window.findChildren(QLineEdit) if x.isVisible())
    assert len(line.text().split()) == 5
    line.setText("160 0 0 30 90")
    QTest.keyClick(line, K.Key_Return)
    assert (view.profile.steps[0].plate_c, view.profile.steps[0].least_s) == (160.0, 30.0)
    with pytest.raises(c.Refused, match="Step 1 comes next"):
        bench.do(c.HoldAir("H7-01", "U1", view.profile.id, 3, 60.0))
    with pytest.raises(c.Refused, match="no held steps called"):
        bench.do(c.HoldAir("H7-01", "U1", "nobody's", 1, 60.0))


@pytest.mark.parametrize("wren", ["hot air"], indirect=True)
def test_hot_air_at_reflow_goes_part_by_part_in_an_order_that_undoes_least(qtbot, wren: Window) -> None:  # type: ignore[no-untyped-def]
    bench = wren.desk.bench
    wren.desk.go("Reflow", "W3-01")
    wren.station.show_view(1)
    assert "part by part" in wren.station.now().detail
    wren.station.show_view(3)
    view = wren.station.view
    qtbot.waitUntil(lambda: not view.aside.busy and view.found is not None, timeout=120_000)
    parts = {p.ref for p in bench.batch.parts_on_paste("top")}
    assert set(view.left()) == parts and view.part().ref == view.left()[0]
    while view.left():
        ref = view.left()[0]
        for number, step in enumerate(view.profile.steps, 1):
            bench.do(c.HoldAir("W3-01", ref, view.profile.id, number, step.least_s))
        assert ref not in view.left()
    view.refresh()
    assert "Space puts the run on record" in view.done_words()
    wren.desk.say("")
    marks_seen(bench)
    QTest.keyClick(wren, K.Key_Space)
    load = bench.state.boards["W3-01"].loads["Reflow"]
    assert load.seen == f"hot air in held steps, {len(parts)} parts" and bench.state.boards["W3-01"].step != "Reflow"
