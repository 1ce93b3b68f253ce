"""The verbs that predict a run of an oven, and plan one."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from fusilex.bench.verbs.answer import Answer
from fusilex.bench.verbs.oven_load import OvenLoad, oven_in
from fusilex.bench.verbs.windows import window_by
from fusilex.bench.workshop.oven import Oven
from fusilex.core.heat.joints import Joint
from fusilex.core.heat.plan import Planned, plan, run_metrics, scores
from fusilex.core.heat.predict import AFTER_S, Predicted, predict
from fusilex.core.heat.run import RunsAway, simulate
from fusilex.core.heat.schedule import Schedule
from fusilex.core.heat.sheet import CELL_MM, COARSE_MM, Sheet
from fusilex.core.judgement import Because, Judgement, Level
from fusilex.core.problems import BadInput
from fusilex.core.reflow.part_limits import limits_of
from fusilex.core.reflow.windows import ProcessWindow
from fusilex.formats.bundle import read_one
from fusilex.formats.lists.schedule import read_schedule


def run(
    what: str, files: Sequence[str], oven: str, setpoints: str | None, window: str, side: str, dial: bool
) -> Answer:
    """``predict`` or ``plan`` a run with the board of a folder. Raises `BadInput`."""
    if len(files) != 1:
        raise BadInput("oven", f"{what} FOLDER", f"{len(files)} files")
    if what == "predict" and not setpoints:
        raise BadInput("oven", "predict FOLDER --oven OVEN.json --setpoints SP.csv", "no settings")
    try:
        if what == "plan":
            return plan_run(files[0], oven, window, dial, side)
        return predict_run(files[0], oven, setpoints or "", window, side)
    except RunsAway as problem:
        raise BadInput(Path(oven).name, "numbers of one oven", str(problem)) from problem


def predict_run(folder: str, oven_file: str, setpoints: str, window: str = "lead-free", side: str = "top") -> Answer:
    """What a run with some settings does to every joint."""
    oven, load = oven_in(oven_file), OvenLoad.read(folder, side)
    schedule = read_schedule(read_one(Path(setpoints)), Path(setpoints).name)
    rule, sheet = window_by(window), load.sheet(CELL_MM)
    found = _predicted(load, sheet, oven, schedule, rule)
    data = _as_data(found, oven, schedule, sheet)
    data["window"] = rule.name
    last, hot = found.joints[found.last], found.joints[found.hottest]
    never = int(np.isnan(found.molten.melts).sum())
    half = float(found.peak95[found.last])
    index, name, at = _worst(found, rule, limits_of(load.parts, rule.leaded))
    level = Level.STOP if never else Level.CARE if index > 1 else Level.GO
    if never:
        headline = (
            f"{never} of {len(found.joints)} joints do not melt, {last.part} in cell {last.cell + 1} least of all"
        )
    else:
        headline = f"{last.part} in cell {last.cell + 1} melts last, at {found.molten.melts[found.last]:.0f} s"
    numbers = (
        Because("its peak", round(float(found.molten.peak[found.last]), 1), "°C"),
        Because("give or take", round(half, 1), "°C"),
        Because("hottest", f"{hot.part} {found.molten.peak[found.hottest]:.0f} °C"),
        Because("spread", round(found.spread_c, 1), "°C"),
        Because("furthest from the middle of the window", f"{name} at {at.part}, index {100 * index:.0f}"),
    )
    if level is Level.GO and not np.isfinite(found.melts95).all():
        level, headline = Level.UNKNOWN, f"{headline}, in some of the ovens that it may be perhaps never"
    if doubt := _doubt(oven):
        level, headline = Level.UNKNOWN, f"{doubt}: {headline}"
    do = "Log a run with a probe, and fit the oven to it." if doubt else ""
    if level in (Level.STOP, Level.CARE):
        do = "Find other settings with oven plan."
    text = "\n".join([headline, *(number.text() for number in numbers)])
    return Answer([Judgement("reflow.predicted", level, load.design.name, headline, numbers, do)], data, text)


def _worst(found: Predicted, rule: ProcessWindow, limits: Mapping[str, float]) -> tuple[float, str, Joint]:
    """The worst score of all joints (1: at a limit), bodies' own limits among them; of what, and where."""
    curves = found.run.watched[:, :, 0]
    by = scores(run_metrics(found.run.time, curves, rule), rule)
    most = np.array([limits.get(j.part, np.inf) for j in found.joints])
    by["body"] = np.where(found.molten.peak > most, 1 + (found.molten.peak - most), 0.0)
    name = max(by, key=lambda key: float(by[key].max()))
    return float(by[name].max()), name, found.joints[int(by[name].argmax())]


def _doubt(oven: Oven) -> str:
    """Why the twin of an oven is no proof, '' where it is one."""
    if not oven.fit.runs:
        return f"Nobody fitted {oven.id} to a log"
    if not oven.fit.board:
        return f"{oven.id} was fitted without its board"
    return "" if oven.proven else f"The twin of {oven.id} is {oven.fit.residual_c:.0f} °C off its logs"


def _predicted(load: OvenLoad, sheet: Sheet, oven: Oven, schedule: Schedule, rule: ProcessWindow) -> Predicted:
    coarse = load.sheet(COARSE_MM)
    beside = coarse, load.joints(coarse)[1]
    return predict(sheet, load.joints(sheet), oven.fitted, schedule, rule.melting, coarse=beside)


def _as_data(found: Predicted, oven: Oven, schedule: Schedule, sheet: Sheet) -> dict[str, Any]:
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
    board = simulate(sheet, [oven.fitted.oven], schedule, schedule.end + AFTER_S, _mean(sheet), step=1.0)
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


def plan_run(folder: str, oven_file: str, window: str, dial: bool = False, side: str = "top") -> Answer:
    """Settings, or turns of a dial, that bring every joint through the window; or that there are none; what helps."""
    oven, load = oven_in(oven_file), OvenLoad.read(folder, side)
    dial = dial or not oven.follows
    rule, coarse = window_by(window), load.sheet(COARSE_MM)
    limits = limits_of(load.parts, rule.leaded)
    made = plan(coarse, load.joints(coarse), oven.fitted, rule, oven.hottest_c, dial, oven.opens, limits)
    sheet = load.sheet(CELL_MM)
    found = _predicted(load, sheet, oven, made.schedule, rule)
    metrics, melt = _worst_metrics(found, rule), found.molten.melts
    possible = None if made.possible and not oven.proven else made.possible  # no go without a log behind it
    data: dict[str, Any] = {
        "steps": [
            {"at_s": round(t, 1), "do": do, "set_c": None if c is None else round(c, 1)} for t, do, c in made.steps
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
        "helps": [] if possible else _helps(made, dial),
    }
    level = {True: Level.GO, None: Level.UNKNOWN, False: Level.STOP}[possible]
    headline = {
        True: f"{oven.id} brings every joint through the {window} window",
        None: f"Whether {oven.id} keeps the {window} window is not known: {_doubt(oven) or 'its logs leave much open'}",
        False: f"{oven.id} cannot bring this board through the {window} window",
    }[possible]
    name, joint = made.worst
    numbers = (
        Because("index of the worst joint", 100 * made.index),
        Because("by the worst oven it may be", 100 * made.index_at_worst),
        Because("worst", f"{name} at {joint.part}"),
    )
    do = "" if possible else " ".join(data["helps"])
    text = [headline, *(_step(t, what, c) for t, what, c in made.steps)]
    return Answer([Judgement("reflow.plan", level, load.design.name, headline, numbers, do)], data, "\n".join(text))


def _step(t: float, what: str, setting: float | None) -> str:
    return f"{int(t) // 60}:{int(t) % 60:02d}  {what}" + ("" if setting is None else f" {setting:.0f} °C")


def _worst_metrics(found: Predicted, rule: ProcessWindow) -> dict[str, float | None]:
    """Each metric at the joint where it is furthest from the middle of its range."""
    metrics = run_metrics(found.run.time, found.run.watched[:, :, 0], rule)
    ranges = {"heating": rule.heating, "soak": rule.soak, "above melting": rule.above_melting, "peak": rule.peak}
    ranges |= {"cooling": rule.cooling, "to peak": (0.0, rule.to_peak_s)}
    keys = {
        "heating": "max_heating_c_per_s",
        "soak": "soak_s",
        "above melting": "above_melting_s",
        "peak": "peak_c",
        "cooling": "max_cooling_c_per_s",
        "to peak": "to_peak_s",
    }
    told: dict[str, float | None] = {}
    for name, values in metrics.items():
        low, high = ranges[name]
        far = np.where(np.isnan(values), np.inf, np.abs(values - (low + high) / 2))
        told[keys[name]] = _plain(float(values[int(far.argmax())]))
    return told


def _helps(made: Planned, dial: bool) -> list[str]:
    """What would help, by what is worst."""
    name, joint = made.worst
    if made.possible is not False:
        return ["Log a run with a probe on the part that melts last, and fit the oven to it."]
    if name in ("peak", "above melting"):
        found = [f"{joint.part} is the one: a smaller load, or a plate from below, brings it up."]
    elif name in ("heating", "cooling"):
        found = ["Open the door less, or later." if name == "cooling" else "A smaller first setting."]
    elif name == "body":
        found = [f"{joint.part} gets too hot: solder it by hand, or by a paste that melts lower."]
    else:
        found = ["A straight ramp to the peak does without the soak, where the paste's sheet allows it."]
    return [*found, "Leaded or bismuth paste needs less heat; a service with a longer oven is an honest answer."]
