"""The verbs that predict a run of an oven, and plan one."""

from __future__ import annotations

import math
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
from msgspec.structs import replace

from fusilex.bench.common.heat.predicted import doubt_of, judge_predicted
from fusilex.bench.verbs.answer import Answer
from fusilex.bench.verbs.oven_load import OvenLoad, oven_in
from fusilex.bench.verbs.windows import window_by
from fusilex.bench.workshop.oven import Oven
from fusilex.core.evidence import Level, every, seen
from fusilex.core.heat.joints import Joint
from fusilex.core.heat.margins import Margin, helps, margins
from fusilex.core.heat.oven import Loading, cooling_s
from fusilex.core.heat.places import places
from fusilex.core.heat.plan import UNREACHED, Aim, plan
from fusilex.core.heat.predict import Predicted, predict
from fusilex.core.heat.run import RunsAway, Terms, simulate
from fusilex.core.heat.schedule import Schedule
from fusilex.core.heat.sheet import CELL_MM, COARSE_MM, Sheet
from fusilex.core.heat.ties import shine_of, tied
from fusilex.core.judgement import Judgement
from fusilex.core.problems import BadInput
from fusilex.core.quantities import Quantity, write_celsius
from fusilex.core.reflow.part_limits import limits_of
from fusilex.core.reflow.windows import ProcessWindow
from fusilex.core.units import clock
from fusilex.core.wording import say
from fusilex.formats.bundle import read_one
from fusilex.formats.lists.schedule import read_schedule

KEYS = {
    "heating": "max_heating_c_per_s",
    "soak": "soak_s",
    "above melting": "above_melting_s",
    "peak": "peak_c",
    "cooling": "max_cooling_c_per_s",
    "to peak": "to_peak_s",
}
"""What `profile` calls each metric."""


def run(
    what: str,
    files: Sequence[str],
    oven: str,
    setpoints: str | None,
    window: str,
    side: str,
    dial: bool,
    panels: int = 1,
    preheat: float | None = None,
) -> Answer:
    """``predict`` or ``plan`` a run with the board of a folder. Raises `BadInput`."""
    if len(files) != 1:
        raise BadInput("oven", f"{what} FOLDER", f"{len(files)} files")
    if what == "predict" and not setpoints:
        raise BadInput("oven", "predict FOLDER --oven OVEN.json --setpoints SP.csv", "no settings")
    try:
        if what == "plan":
            return plan_run(files[0], oven, window, dial, side, panels, preheat)
        return predict_run(files[0], oven, setpoints or "", window, side, panels, preheat)
    except RunsAway as problem:
        raise BadInput(Path(oven).name, "numbers of one oven", str(problem)) from problem


def predict_run(
    folder: str,
    oven_file: str,
    setpoints: str,
    window: str = "lead-free",
    side: str = "top",
    panels: int = 1,
    preheat: float | None = None,
) -> Answer:
    """What a run with some settings does to every joint."""
    oven, load = oven_in(oven_file), OvenLoad.read(folder, side)
    schedule = read_schedule(read_one(Path(setpoints)), Path(setpoints).name)
    rule, sheet = window_by(window), load.sheet(CELL_MM)
    loading = _loading(oven, load, panels, preheat)
    found = _predicted(load, sheet, oven, schedule, rule, loading)
    data = _as_data(found, oven, schedule, sheet, loading)
    limits = limits_of(load.parts, rule.leaded)
    rows, passing = margins(found, rule, limits)
    data |= {"window": rule.name, "passing": passing, "margins": [_margin(row) for row in rows]}
    judged = judge_predicted(load.design.name, found, rule, limits, oven)
    return Answer([judged], data, "\n".join([judged.headline, *(number.text() for number in judged.quantities)]))


def _margin(row: Margin) -> dict[str, Any]:
    """A metric at its worst joint."""
    ends = {"value": _plain(row.value), "low": row.low, "high": _plain(row.high)}
    return {"metric": row.name, **ends, "part": row.joint.part, "cell": row.joint.cell + 1}


def _loading(oven: Oven, load: OvenLoad, panels: int, preheat: float | None) -> Loading:
    """So many panels, the one that is told of at the first place. Raises `BadInput` where they have no room."""
    if preheat is not None and not 0 < preheat <= 300:
        raise BadInput("--preheat", "0 to 300 °C", f"{preheat:g}")
    if not 1 <= panels <= 50:
        raise BadInput("--panels", "1 to 50", str(panels))
    try:
        there = places(panels, (load.panel.width, load.panel.height), oven.tray_mm) if panels > 1 else [(0.0, 0.0)]
    except ValueError as problem:
        raise BadInput("--panels", "as many as the tray has room for", str(problem)) from problem
    found = oven.loading(panels, there[0])
    return found if preheat is None else replace(found, oven_c=preheat)


def _predicted(
    load: OvenLoad, sheet: Sheet, oven: Oven, schedule: Schedule, rule: ProcessWindow, loading: Loading
) -> Predicted:
    coarse = load.sheet(COARSE_MM)
    beside = coarse, load.joints(coarse)[1]
    return predict(sheet, load.joints(sheet), oven.fitted, schedule, rule.melting, coarse=beside, loading=loading)


def _as_data(found: Predicted, oven: Oven, schedule: Schedule, sheet: Sheet, loading: Loading) -> dict[str, Any]:
    joints = [
        {
            "part": j.part,
            "pad": j.pad,
            "cell": j.cell + 1,
            "melts_s": _plain(found.molten.melts[k]),
            "molten_s": float(found.molten.seconds[k]),
            "peak_c": float(found.molten.peak[k]),
            "melts_within95_s": _plain(found.melts95[k]),
            "peak_within95_c": _plain(found.peak95[k]),
        }
        for k, j in enumerate(found.joints)
    ]
    board = simulate(
        sheet,
        [oven.fitted.oven],
        schedule,
        schedule.end + cooling_s(oven.method),
        _mean(sheet),
        Terms(step_s=1.0),
        loading,
    )
    return {
        "joints": joints,
        "last_to_melt": _named(found.joints[found.last]),
        "hottest": _named(found.joints[found.hottest]),
        "spread_c": found.spread_c,
        "air": _series(board.time, board.air[:, 0]),
        "board": _series(board.time, board.watched[:, 0, 0]),
        "fitted_runs": oven.fit.runs,
    }


def _mean(sheet: Sheet) -> np.ndarray:
    weights = np.zeros((1, len(sheet) + len(sheet.lumps)))
    weights[0, : len(sheet)] = sheet.heat / sheet.heat.sum()
    return weights


def _named(joint: Joint) -> dict[str, Any]:
    return {"part": joint.part, "pad": joint.pad, "cell": joint.cell + 1}


def _series(time: np.ndarray, values: np.ndarray) -> list[dict[str, float]]:
    return [{"time_s": float(t), "temp_c": round(float(v), 3)} for t, v in zip(time[::2], values[::2], strict=True)]


def _plain(value: float) -> float | None:
    return float(value) if math.isfinite(value) else None


def plan_run(
    folder: str,
    oven_file: str,
    window: str,
    dial: bool = False,
    side: str = "top",
    panels: int = 1,
    preheat: float | None = None,
) -> Answer:
    """Settings, or turns of a dial, that bring every joint through the window; or that there are none; what helps."""
    oven, load = oven_in(oven_file), OvenLoad.read(folder, side)
    dial = dial or not oven.follows
    rule, coarse = window_by(window), load.sheet(COARSE_MM)
    limits = limits_of(load.parts, rule.leaded)
    loading = _loading(oven, load, panels, preheat)
    aim = Aim(rule, oven.hottest_c, dial, oven.opens, limits)
    made = plan(coarse, load.joints(coarse), oven.fitted, aim, loading=loading)
    sheet = load.sheet(CELL_MM)
    found = _predicted(load, sheet, oven, made.schedule, rule, loading)
    rows, _ = margins(found, rule, limits)
    metrics = {KEYS[row.name]: _plain(row.value) for row in rows if row.name in KEYS}
    melt = found.molten.melts
    ties = tied(made.steps, shine_of(found))
    possible = None if made.possible and not oven.proven else made.possible  # no go without a log behind it
    data: dict[str, Any] = {
        "steps": [
            {"at_s": round(t, 1), "do": do, "set_c": None if c is None else round(c, 1), "seen": seen}
            for (t, do, c), seen in zip(made.steps, ties, strict=True)
        ],
        "predicted": {
            **metrics,
            "window_index": round(100 * made.index, 1),
            "at_worst": round(100 * made.index_at_worst, 1),
        },
        "possible": possible,
        "last_to_melt": _named(found.joints[found.last]),
        "first_melts_s": _plain(float(np.nanmin(found.molten.melts)))
        if np.isfinite(found.molten.melts).any()
        else None,
        "last_melts_s": _plain(float(melt[found.last])),
        "helps": [] if possible else helps(made, rows[0], oven.method, panels),
    }
    joints = (every("joints", len(found.joints)),)
    level = {True: seen(*joints), None: Level.UNKNOWN, False: Level.STOP}[possible]
    headline = {
        True: say("possible", oven=oven.id, window=window),
        None: say("not checked", oven=oven.id, window=window, doubt=doubt_of(oven) or say("much open")),
        False: say("not possible", oven=oven.id, window=window),
    }[possible]
    name, joint = made.worst
    numbers = (
        Quantity("index of the worst joint", 100 * made.index),
        Quantity("by the worst oven it may be", _index(made.index_at_worst)),
        Quantity("worst", f"{name} at {joint.part}"),
    )
    do = None if possible or not data["helps"] else say("what helps", helps=" ".join(data["helps"]))
    missing = ("a logged run of this oven",) if level is Level.UNKNOWN else ()
    judged = Judgement("reflow.plan", level, load.design.name, headline, numbers, do, (), missing, joints)
    told = [_step(*step, seen) for step, seen in zip(made.steps, ties, strict=True)]
    return Answer([judged], data, "\n".join([judged.headline, *told, *data["helps"]]))


def _index(score: float) -> float | str:
    """An index; words where a joint never gets to what is measured."""
    return "some joint never melts" if score >= UNREACHED else round(100 * score, 1)


def _step(t: float, what: str, setting: float | None, seen: str) -> str:
    told = f"{clock(t)}  {what}" + ("" if setting is None else f" {write_celsius(setting)}")
    return f"{told}   {seen}".rstrip()
