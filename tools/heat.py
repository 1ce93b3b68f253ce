"""What the oven's twin takes: a run predicted, a fit, plans, held steps, a frame of the live screen."""

from __future__ import annotations

import json
import sys
import tempfile
import time
from pathlib import Path

import asked as c
import numpy as np
from measured import slowness
from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QApplication

from fusilex.bench.common.heat.hot_air_ahead import air_question
from fusilex.bench.record.bench import Bench
from fusilex.bench.record.demos import open_demo
from fusilex.bench.rooms import open_journal
from fusilex.bench.stations.reflow.after import joints_after
from fusilex.bench.stations.reflow.judging import rule_of
from fusilex.bench.stations.reflow.live import LiveLog
from fusilex.bench.stations.reflow.twin import Question, oven_body, question
from fusilex.bench.workshop.hot_air_profiles import HotAirProfile
from fusilex.bench.workshop.records import Records
from fusilex.core.heat.plan import Aim, plan
from fusilex.core.heat.sheet import COARSE_MM
from fusilex.core.heat.ties import shine_of
from fusilex.devices.oven_world import OvenWorld, jittered, logged
from fusilex.journal.place import sqlite_url
from fusilex.ui.frame.start import make_window
from fusilex.ui.frame.window import Window
from fusilex.ui.stations.reflow.live_traces import predicted_of

SETTINGS = {
    "times": [0.0, 90.0, 180.0, 270.0, 300.0, 420.0],
    "settings": [25.0, 150.0, 175.0, 235.0, 235.0, 0.0],
    "curve": True,
    "door": [[300.0, 1.0]],
}


def seconds(began: float) -> str:
    return f"{(time.perf_counter() - began) / slowness():.1f} s"


def stood_in(asked: Question, seed: int = 6) -> bytes:
    """430 s of a stand-in oven's log, two probes, 1 °C of noise."""
    told = asked.schedule
    assert told is not None

    def settings(t: float) -> tuple[float, float]:
        return float(told.set_at(np.array([t]))[0]), float(told.door_at(np.array([t]))[0])

    sheet, _, _ = asked.load(COARSE_MM)
    names = ["C1@1", "J1@4"]
    at, read = logged(OvenWorld(sheet, settings, jittered(seed), seed=seed), names, 430.0)
    rows = [
        ",".join([f"{t:.1f}", *(f"{v:.2f}" for v in settings(t)), *(f"{read[n][k]:.2f}" for n in names)])
        for k, t in enumerate(at)
    ]
    return "\n".join(["time_s,set_c,door,C1@1 °C,J1@4 °C", *rows]).encode()


def rows(app: QApplication) -> list[tuple[str, str, str]]:
    """Rows of the table."""
    with tempfile.TemporaryDirectory() as folder:
        bench = open_demo(open_journal(sqlite_url(Path(folder) / "h.sqlite")))
        c.acknowledge_all(bench)
        bench.go("Reflow", next(iter(bench.state.boards)))
        bench.do(c.named("KeepSettings")(**SETTINGS))
        asked = question(bench.batch)
        found: list[tuple[str, str, str]] = []
        asked.predicted_likely()  # the board is made into a sheet once
        began = time.perf_counter()
        run = asked.predicted_likely().run
        took = time.perf_counter() - began
        fast = f"{run.time[-1] / took * slowness():,.0f} ×"
        found.append(("Heron × 6 predicted, 1.5 mm cells: times as fast as the oven", fast, "≥ 1,000 ×"))
        log = stood_in(asked)
        began = time.perf_counter()
        fitted = asked.fitted([("log.csv", log)], lambda: 0.0)
        found.append(("fit of a 430 s log, two probes", seconds(began), "≤ 10 s"))
        found.append(("its residual", f"{fitted.residual_c:.1f} °C", "–"))
        bench.do(c.named("SetRecord")("oven", oven_body(asked.oven, fitted, 1)))
        asked = question(bench.batch)
        began = time.perf_counter()
        joints_after(asked, log, "log.csv")
        found.append(("all joints judged after a run", seconds(began), "–"))
        sheet, joints, watch = asked.load(COARSE_MM)
        fine, _, beside = asked.load_fine
        for what, dial in (("plan of a curve", False), ("plan of a dial's turns", True)):
            began = time.perf_counter()
            aim = Aim(asked.window, 280.0, dial, True, asked.limits)
            plan(sheet, (joints, watch), fitted, aim, fine=(fine, beside))
            found.append((what, seconds(began), "≤ 15 s"))
        board, part = bench.board, bench.design.part_by_ref["U1"]
        air = air_question(bench.batch, board, "top", rule_of(bench.batch, board))
        profile = bench.batch.workshop[Records].all(HotAirProfile)["bottom pad, leaded"]
        began = time.perf_counter()
        air.predicted(part, profile.steps)
        found.append(("held steps over one part predicted", seconds(began), "–"))
        frame = live_frame(app, bench_window(bench, folder), asked)
        found.append(("live run, a second taken in and the window painted", f"{frame:.1f} ms", "≤ 16 ms"))
        return found


def bench_window(bench: Bench, folder: str) -> Window:
    window = make_window(bench, QSettings(str(Path(folder) / "s.ini"), QSettings.Format.IniFormat))
    window.resize(1280, 800)
    window.show()
    return window


class Steady:
    """A logger that always says the same."""

    names = ["C1@1", "J1@4"]

    def read(self) -> list[float]:
        return [150.0, 151.0]

    def pass_time(self, seconds: float) -> None:
        """Nothing changes."""


def live_frame(app: QApplication, window: Window, asked: Question) -> float:
    """A second of a live run taken in, and the whole window painted (ms, scaled): median of a hundred, after five
    minutes.
    """
    window.desk.go("Reflow")
    window.station.show_view(2)
    view, names = window.station.view, Steady.names
    view.asked, view.found, view.port = asked, asked.predicted(), Steady()
    view.shine, view.predicted = shine_of(view.found), predicted_of(view.found, names)
    view.log = LiveLog(names, asked.schedule)
    for second in range(300):
        view.log.add(float(second), [25.0 + second / 2, 24.0 + second / 2])
    view.at_s = 300.0
    before, taken = slowness(), []
    for _ in range(110):
        began = time.perf_counter()
        view.tick(1.0)
        app.processEvents()
        taken.append(1000 * (time.perf_counter() - began))
    view.log = None
    window.close()
    return sorted(taken[10:])[50] / ((before + slowness()) / 2)


if __name__ == "__main__":
    from fusilex.ui.frame.start import make_application

    json.dump(rows(make_application()), sys.stdout)
