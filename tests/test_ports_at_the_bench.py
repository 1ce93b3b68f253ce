"""Instruments and machines at a station: the window goes on while they are waited for, and what they say is kept of
what it was asked of.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from contextlib import suppress

import asked as c
import pytest
from conftest import OpenWindow, read_out
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QLineEdit
from pytestqt.qtbot import QtBot
from test_machine_bench import programmed
from test_ports import Far, far
from test_print_bench import at_print, press

from fusilex.bench.record.bench import Bench
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.place.programmed import kept_of, plan_of, task
from fusilex.bench.stations.place.running.runner import Runner
from fusilex.bench.stations.print.foil_events import Run
from fusilex.devices.placer import SimulatedPlacer
from fusilex.devices.placer_world import World
from fusilex.formats.bundle import Files
from fusilex.formats.written.gcode import gcode_lines
from fusilex.ui.frame.window import Window
from fusilex.ui.stations.place.live_run import LiveRun

K = Qt.Key


@pytest.fixture(autouse=True)
def _impatient(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("fusilex.devices.scale.SETTLED_S", 0.6)


@pytest.fixture
def weighing(bench: Bench, open_window: OpenWindow) -> Callable[[str], Window]:
    def at(port: str) -> Window:
        window = open_window(at_print(bench))
        bench.do(c.SetRecord("instrument", {"id": "scale", "measures": "mass", "port": port}))
        window.desk.go("Print")
        return window

    return at


def test_the_window_goes_on_while_a_silent_scale_is_waited_for(weighing: Callable[[str], Window]) -> None:
    with far() as end:
        window = weighing(end.port)
        press(window, K.Key_G)
        assert window.station.view.port.busy, "the key is over, the reading is not"
        press(window, K.Key_G)
        assert "still under way" in window.desk.said
        press(window, K.Key_A)
        assert "paste" in window.desk.said, "another key works meanwhile"
        read_out(window)
        assert window.desk.said.endswith(".") and not window.desk.bench.state[Run].weighed
        end.always(b"S + 28.115 g\r\n", 0.02)
        press(window, K.Key_G)
        read_out(window)
        assert "weighs 28.115 g before its print" in window.desk.said


def test_a_weight_that_comes_after_the_stroke_is_of_neither(
    weighing: Callable[[str], Window], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("fusilex.devices.scale.SETTLED_S", 30.0)  # it is waited for until it says something
    with far() as end:
        window = weighing(end.port)
        bench = window.desk.bench
        press(window, K.Key_G, *[K.Key_Space] * 5)
        assert window.station.view.port.busy
        end.always(b"S + 28.115 g\r\n", 0.02)
        read_out(window)
        assert "weigh it again" in window.desk.said and not bench.state[Run].before_g


def test_what_comes_when_another_batch_is_on_the_desk_is_dropped(
    weighing: Callable[[str], Window], heron_files: Files
) -> None:
    with far() as end:
        window = weighing(end.port)
        bench, view = window.desk.bench, window.station.view
        press(window, K.Key_G)
        other = at_print(Bench.open_batch(bench.journal, heron_files, "Other", 6, prefix="X"))
        window.desk.bench = other  # its pictures may outlive a batch for a moment
        said = window.desk.said
        end.always(b"S + 28.115 g\r\n", 0.02)
        for _ in range(300):
            QTest.qWait(5)
        assert not other.state[Run].before_g and not bench.state[Run].before_g and window.desk.said == said and view


def machine_at(end: Far, until: int, then: Callable[[Far], None]) -> threading.Thread:
    """The other end of a machine's line: it does so many lines, picks and places in 35 ms, and then something else."""

    def obey() -> None:
        import os

        heard, done = b"", 0
        with suppress(OSError):
            while done < until:
                heard += os.read(end.end, 4096)
                *lines, heard = heard.split(b"\n")
                for line in lines:
                    if line.strip() and line.strip() not in (b"?", b"!", b"~"):
                        time.sleep(0.035 * (b" call" in line))
                        os.write(end.end, b"ok\n")
                        done += 1
            then(end)

    thread = threading.Thread(target=obey, daemon=True)
    thread.start()
    return thread


BROKEN = {
    "goes away": (lambda end: end.close(), "does not answer"),
    "never ends a line": (lambda end: end.send(b"x" * 3000), "without ending a line"),
    "says done before it was told": (lambda end: end.send(b"ok\nok\nok\nok\n"), "before it can be"),
    "refuses": (lambda end: end.send(b"err 9 \x1b[2Jlimit switch\n"), "limit switch"),
}


@pytest.mark.parametrize("how", BROKEN)
def test_a_run_whose_machine_fails_stops_and_says_what_was_done(
    how: str, at_place: Bench, open_window: OpenWindow, monkeypatch: pytest.MonkeyPatch, qtbot: QtBot
) -> None:
    then, said = BROKEN[how]
    bench = at_place
    bench.do(c.ChooseWay("machine"))
    programmed(bench)
    for where in ("fusilex.ui.stations.place.live_run", "fusilex.bench.stations.place.running.commands"):
        monkeypatch.setattr(f"{where}.judge_proof", lambda batch, panel: [])
    window = open_window(bench)
    window.desk.go("Place")
    window.station.show_view(2)
    view = window.station.view
    with far() as end:
        from fusilex.devices.placer import SerialPlacer

        monkeypatch.setattr(LiveRun, "_open", lambda run, left: SerialPlacer(end.port))
        thread = machine_at(end, 120, then)
        view._start(False)
        qtbot.waitUntil(lambda: view.run is None, timeout=20_000)
        thread.join(5)
    told = window.desk.said
    assert told.startswith("The run ended: ") and said in told and "press its own stop" in told and told.isprintable()
    put = int(told.split(" of ")[0].rsplit(" ", 1)[1])
    placed = sum(len(b.placed) for b in bench.state.panel_boards(1))
    assert 0 < put == placed, told
    assert placed < 60 and "They are on record." in told


def test_no_part_is_placed_faster_than_a_nozzle_moves(bench: Bench) -> None:
    programmed(bench)
    left = task(bench.batch, 1)
    plan = plan_of(left.job, kept_of(bench.batch))
    world = World(left.job.machine)
    now = [0.0]
    lines = list(gcode_lines(left.job, plan))
    runner = Runner(left.job, plan, lines, SimulatedPlacer(left.job.machine, world), clock=lambda: now[0])
    runner.go()
    for _ in range(200):
        if runner.state != "running":
            break
        now[0] += 0.01
        runner.heard(["ok"])
    assert runner.state == "failed" and not runner.put and "before it can be" in runner.said


def test_the_room_is_read_beside_the_window_too(weighing: Callable[[str], Window]) -> None:
    window = weighing("stand-in")
    bench = window.desk.bench
    bench.do(c.SetRecord("instrument", {"id": "wall", "measures": "air", "port": "/dev/nowhere"}))
    views = (n for n in range(9) if type(window.station.show_view(n) or window.station.view).__name__ == "PasteView")
    assert next(views) is not None
    press(window, K.Key_R)
    read_out(window)
    assert "cannot be opened" in window.desk.said


def test_no_key_reaches_beyond_the_record_before_cautions_are_read_and_the_board_is_there(
    bench: Bench, open_window: OpenWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    reached: list[str] = []

    def spy(where: str) -> None:
        def called(*given: object, **named: object) -> object:
            reached.append(where)
            raise Refused(where)

        monkeypatch.setattr(where, called)

    for kind, port in (("scale", "mass"), ("meter", "component"), ("probe", "resistance"), ("logger", "temperature")):
        bench.do(c.SetRecord("instrument", {"id": kind, "measures": port, "port": "stand-in"}))
    bench.do(c.ChooseWay("machine"))
    programmed(bench)
    for where in (
        "fusilex.ui.stations.place.live_run.LiveRun._open",
        "fusilex.ui.stations.reflow.live_view.open_port",
        "fusilex.ui.stations.test.beside.run_command",
        "fusilex.ui.stations.print.run_view.weigh",
        "fusilex.ui.stations.test.probe_view.read_quantity",
        "fusilex.ui.stations.test.prove_view.read_quantity",
    ):
        spy(where)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *given: ("", ""))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *given: ("", ""))
    monkeypatch.setattr(QInputDialog, "getText", lambda *given: ("", False))
    window = open_window(bench)
    for step in ("Print", "Place", "Reflow", "Test"):
        window.desk.go(step)
        for view, _ in enumerate(window.station.view_classes):  # type: ignore[attr-defined]
            window.station.show_view(view)  # type: ignore[attr-defined]
            for key in [*range(K.Key_A, K.Key_Z + 1), *range(K.Key_0, K.Key_9 + 1), K.Key_Return]:
                QTest.keyClick(window, K(key))
                for line in window.findChildren(QLineEdit):  # a question was asked: Esc leaves it
                    if line.isVisible():
                        QTest.keyClick(line, K.Key_Escape)
                if window.desk.bench.view.step != step:
                    window.desk.go(step)
    for _ in range(40):
        QTest.qWait(5)
    assert reached == []
