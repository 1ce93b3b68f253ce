"""The oven's twin at the bench: settings kept, runs predicted in the window, an oven fitted to the log of its load."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

import asked as c
import numpy as np
import pytest
from asked import marks_seen
from PyQt6.QtCore import QSettings, Qt
from PyQt6.QtTest import QTest

from fusilex.bench.common.heat.oven_logs import logged_run
from fusilex.bench.record.bench import Bench
from fusilex.bench.stations.reflow.judging import OF_A_RUN
from fusilex.bench.stations.reflow.twin import oven_of, question, settings_of
from fusilex.core.evidence import Level
from fusilex.core.heat.schedule import Schedule
from fusilex.core.problems import BadInput
from fusilex.devices.oven_world import OvenWorld, jittered, logged
from fusilex.ui.frame.start import make_window
from fusilex.ui.frame.window import Window
from fusilex.ui.stations.reflow import twin_view
from fusilex.ui.stations.reflow.settings_list import words_of
from fusilex.ui.widgets.heat_map import colours_of

TIMES, SETTINGS, DOOR = [0.0, 90.0, 180.0, 270.0, 300.0, 301.0], [25.0, 170.0, 200.0, 275.0, 275.0, 0.0], [[300.0, 1.0]]

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
    made.desk.go("Reflow", "H7-01")
    made.station.show_view(1)
    yield made


def test_settings_are_kept_by_step_or_come_from_the_ovens_curve(bench: Bench) -> None:
    assert settings_of(bench.batch) is None
    oven = {"id": "drawer oven", "method": "controlled oven"}
    bench.do(c.SetRecord("oven", {**oven, "curve": [[0, 25], [100, 150]]}))
    assert settings_of(bench.batch) == Schedule((0.0, 100.0), (25.0, 150.0))
    bench.do(c.KeepSettings(TIMES, SETTINGS, True, DOOR))
    kept = settings_of(bench.batch)
    assert kept is not None and kept.end == 301 and kept.door == ((300.0, 1.0),)
    assert [words for _, words in words_of(kept)][-3:] == ["set 275 °C", "door open", "switch off"]
    for times, settings, door, why in (
        ([10.0, 0.0], [1.0, 2.0], [], "times of a schedule rise"),
        ([0.0], [1.0, 2.0], [], "a time for each setting"),
        ([0.0], [900.0], [], "0 to 600"),
        ([0.0], [float("nan")], [], "0 to 600"),
        ([0.0], [100.0], [[5.0, 3.0]], "share from 0 to 1"),
        ([0.0], [100.0], [["x"]], "no schedule"),
    ):
        with pytest.raises(c.Refused, match=why):
            bench.do(c.KeepSettings(times, settings, True, door))
    bench.do(c.Undo())
    assert settings_of(bench.batch) == Schedule((0.0, 100.0), (25.0, 150.0))
    with pytest.raises(BadInput, match="an oven as its fields say; found there is no warp in an oven"):
        bench.do(c.SetRecord("oven", {**oven, "numbers": {"warp": 1.0}}))


def test_only_boards_that_are_there_are_in_the_oven(bench: Bench) -> None:
    whole = question(bench.batch)
    bench.state.boards["H7-04"].scrapped = True
    fewer = question(bench.batch)
    assert len(whole.cells) == 6 and len(fewer.cells) == 5
    sheet, joints, _ = fewer.load(12.0)
    assert {cell for _, cell in sheet.lumps.names} == set(fewer.cells) == {j.cell for j in joints}


def wait(qtbot, view: twin_view.TwinView) -> None:  # type: ignore[no-untyped-def]
    qtbot.waitUntil(lambda: view.search is None, timeout=120_000)


def test_a_run_is_predicted_and_the_oven_fitted_to_its_log_by_keys(qtbot, window: Window, monkeypatch) -> None:  # type: ignore[no-untyped-def]
    bench, K = window.desk.bench, Qt.Key
    monkeypatch.setattr(twin_view, "PLAN_S", 2.0)
    view = window.station.view
    assert window.station.now().title == "Find settings"
    QTest.keyClick(window, K.Key_O)
    assert window.station.now().title == "Looking for settings"
    wait(qtbot, view)
    planned = settings_of(bench.batch)
    assert planned is not None and planned.settings[-1] == 0 and "Index" in window.desk.said
    bench.do(c.KeepSettings(TIMES, SETTINGS, True, DOOR))
    window.desk.say("")
    wait(qtbot, view)
    found = view.found
    last = found.joints[found.last]
    assert f"Watch {last.part} in cell {last.cell + 1}" in window.station.now().title
    assert "never fitted" in view.chart.shown.title and "No log proves" in window.station.now().detail
    assert found.molten.melts[found.last] == np.nanmax(found.molten.melts)
    rules = {j.rule: j for j in window.judged.items}
    assert rules["reflow.predicted"].level is Level.UNKNOWN, "nobody fitted this oven"
    assert next(iter(view.chart.shown.traces)).startswith(last.part)
    at, state = view.chart.at_s, view.map.state.copy()
    assert at == pytest.approx(found.molten.melts[found.last])
    QTest.keyClick(window, K.Key_Left)
    QTest.keyClick(window, K.Key_Left)
    assert view.chart.at_s == pytest.approx(at - 20) and view.map.state.mean() < state.mean()
    low, high = view.map.ends
    assert colours_of(np.array([low, high]), low, high)[0].sum() < colours_of(np.array([low, high]), low, high)[1].sum()
    assert window.grab().width() > 0
    wide = float(np.mean(found.peak95))

    QTest.keyClick(window, K.Key_K)
    assert "has a log on record" in window.desk.said
    sheet, _, _ = view.asked.load(7.5)
    kept = settings_of(bench.batch)
    told = lambda t: (float(kept.set_at(np.array([t]))[0]), float(kept.door_at(np.array([t]))[0]))  # noqa: E731
    time, read = logged(OvenWorld(sheet, told, jittered(3)), ["C1@1", "U1@3"], 430.0)
    rows = "".join(f"{t:.1f},{a:.2f},{b:.2f}\n" for t, a, b in zip(time, read["C1@1"], read["U1@3"], strict=True))
    with pytest.raises(BadInput, match="neither"):
        logged_run(f"time_s,U1 °C\n{rows}".encode(), "bare.csv", sheet, None, None)
    marks_seen(bench)
    bench.do(c.RecordReflow(1, "run.csv", f"time_s,probe C1 °C,U1@3 °C\n{rows}".encode()))
    window.desk.go("Reflow", "H7-01")
    wait(qtbot, view)
    assert not {j.rule for j in window.judged.items} & set(OF_A_RUN), "the picture shows no run"
    predicted_now = next(j for j in window.judged.items if j.rule == "reflow.predicted")
    assert predicted_now.level is Level.UNKNOWN and any(j.rule in OF_A_RUN for j in bench.judgements("Reflow"))
    QTest.keyClick(window, K.Key_K)
    assert window.station.now().title == "Fitting the oven to 1 run"
    wait(qtbot, view)
    oven = oven_of(bench.batch)
    assert oven.fit.runs == 1 and oven.fit.residual_c < 2.5
    wait(qtbot, view)
    assert "fitted to 1 run" in view.chart.shown.title and "No log proves" not in window.station.now().detail
    assert np.mean(view.found.peak95) < wide / 2, "a log makes it surer"
    world = OvenWorld(sheet, told, jittered(3))
    world.advance(290.0)
    k = next(n for n, j in enumerate(view.found.joints) if (j.part, j.cell) == ("C1", 0))
    predicted = float(np.interp(290.0, view.found.run.time, view.found.run.watched[:, k, 0]))
    assert predicted == pytest.approx(world.true("C1@1"), abs=6)
    bench.do(c.Undo())
    assert oven_of(bench.batch).fit.runs == 0


def test_without_an_oven_nothing_is_predicted(window: Window) -> None:
    window.desk.bench.do(c.SetRecord("oven", {"id": "drawer oven", "method": "plate"}))
    window.desk.say("")
    assert window.station.now().title == "Nothing to predict" and "F4" in window.station.now().detail
    QTest.keyClick(window, Qt.Key.Key_O)
    assert "No controlled oven is on record" in window.desk.said


def live(window: Window, qtbot) -> object:  # type: ignore[no-untyped-def]
    """The live view with settings kept, started by its key, its clock in our hands."""
    window.desk.bench.do(c.KeepSettings(TIMES, SETTINGS, True, DOOR))
    window.station.show_view(2)
    view = window.station.view
    QTest.keyClick(window, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: not view.aside.busy, timeout=60_000)
    view.timer.stop()
    return view


def test_a_run_is_watched_live_and_goes_on_record_with_what_was_seen(qtbot, window: Window) -> None:  # type: ignore[no-untyped-def]
    bench, K = window.desk.bench, Qt.Key
    bench.do(c.SetRecord("instrument", {"id": "logger", "measures": "temperature", "port": "stand-in"}))
    view = live(window, qtbot)
    assert len(view.log.names) == 2 and "Leave the door shut" in window.station.now().title
    titles = []
    while view.at_s < 296:
        view.tick(4.0)
        titles.append(window.station.now().title)
    world = view.port.world
    t, curve = view.log.curve(0)
    assert curve[-1] == pytest.approx(world.true(view.log.names[0]), abs=12) and len(t) == 296
    assert view.readout.words[1][1] == f"{curve[-1]:.0f} °C"
    hot = [title for title in titles if "225" in title]
    assert hot and "passes 225 °C in" in hot[0], "this oven is hotter than the usual one: said before it is too late"
    first = titles.index(hot[0]) * 4 + 4
    assert max(np.interp(first, t, curve), np.interp(first, *view.log.curve(1))) < 225
    assert view.next_minute(0) is not None
    QTest.keyClick(window, K.Key_S)
    view.tick(5.0)
    assert "open" in window.station.now().title.lower() or "heat off" in window.station.now().title
    QTest.keyClick(window, K.Key_D)
    kept = view.log.path.read_text().splitlines()
    assert (
        kept[0] == f"time_s,set_c,door,{view.log.names[0]} °C,{view.log.names[1]} °C,seen" and len(kept) == 1 + 301 + 2
    )
    assert kept[-1].endswith(",door open") and window.grab().width() > 0
    for _ in range(60):
        view.tick(5.0)
    assert window.station.now().title in ("Solid: hands off, it is hot", "Cool enough to touch")
    assert [what for what, _ in view.readout.words][-2:] == ["solid in", "touch in"]
    path = view.log.path
    QTest.keyClick(window, K.Key_X)
    load = bench.state.boards["H7-01"].loads["Reflow"]
    assert load.log_name == "live-panel-1.csv" and not path.exists()
    assert len(load.metrics) == 2 and all("@" in name for name in load.metrics)
    assert "first shine at 4:56" in window.desk.said and "door open at 5:01" in window.desk.said


def test_a_run_that_broke_off_is_taken_in_and_one_by_eye_is_recorded_as_such(qtbot, window: Window) -> None:  # type: ignore[no-untyped-def]
    bench, K = window.desk.bench, Qt.Key
    bench.do(c.SetRecord("instrument", {"id": "logger", "measures": "temperature", "port": "stand-in"}))
    view = live(window, qtbot)
    for _ in range(30):
        view.tick(4.0)
    rows = len(view.log.rows)
    view.log = view.port = None  # the program is gone; the file is not
    assert window.station.now().title == "Panel 1 is in the oven", "for all that is known another window writes on"
    assert not any(key.keys == "T" for key in window.station.keys_now())
    path = view._broken()
    os.utime(path, (path.stat().st_atime, path.stat().st_mtime - 10))
    assert window.station.now().title == "A run broke off"
    QTest.keyClick(window, K.Key_T)
    load = bench.state.boards["H7-01"].loads["Reflow"]
    assert load.log and len(bench.journal.attachment(load.log).splitlines()) == rows + 1
    assert view._broken() is None
    bench.do(c.Undo())
    bench.do(c.SetRecord("instrument", {"id": "logger", "measures": "temperature", "port": "none"}))
    view = live(window, qtbot)
    assert view.by_eye
    for _ in range(68):
        view.tick(4.0)
    assert window.station.now().title.startswith("Door open in 28 s")
    QTest.keyClick(window, K.Key_A)
    view.tick(29.0)
    assert window.station.now().title == "Now: door open, switch off"
    QTest.keyClick(window, K.Key_X)
    load = bench.state.boards["H7-01"].loads["Reflow"]
    assert not load.log and load.seen == "all shiny at 4:32"
    marks = bench.journal.attachment(load.marks).decode().splitlines()
    assert len(marks) == 302 + 1 and "272.0,275.0,0.00,all shiny" in marks, "what it was told, and what was seen"
    assert load.joints and {g.verdict for g in load.joints} == {"open"}, "nobody measured: nobody knows"
    assert {j.level for j in bench.judgements("Reflow") if j.rule == "reflow.log"} == {Level.UNKNOWN}
