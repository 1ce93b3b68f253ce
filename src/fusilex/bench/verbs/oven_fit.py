"""The verb that fits an oven to its logs."""

from __future__ import annotations

import math
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from fusilex.bench.common.heat.oven_logs import logged_run
from fusilex.bench.verbs.answer import Answer
from fusilex.bench.verbs.oven_load import OvenLoad, oven_in
from fusilex.bench.workshop.oven import GOOD_C, fit_row, parameters_told
from fusilex.core.evidence import Level, exactly, weigh
from fusilex.core.heat.fit import Fitted, fit_oven
from fusilex.core.heat.oven import PARAMETERS
from fusilex.core.heat.sheet import COARSE_MM, plain_sheet
from fusilex.core.judgement import Judgement
from fusilex.core.problems import BadInput
from fusilex.core.quantities import Quantity, amount
from fusilex.core.wording import say
from fusilex.formats.bundle import read_one
from fusilex.formats.written.whole import write_whole

PLAIN_MM = (100.0, 80.0)
"""A board that nobody describes."""


def fit(
    logs: Sequence[str], oven_file: str, folder: str | None = None, out: str | None = None, side: str = "top"
) -> Answer:
    """An oven's numbers from its logs, with what they leave open."""
    oven = oven_in(oven_file)
    load = OvenLoad.read(folder, side) if folder else None
    sheet = load.sheet(COARSE_MM) if load else plain_sheet(*PLAIN_MM, cell_mm=COARSE_MM)
    board = (load.design, load.panel) if load else None
    runs = [logged_run(read_one(Path(file)), Path(file).name, sheet, oven.told, board) for file in logs]
    try:
        found = fit_oven(oven.model, runs)
    except ValueError as problem:
        raise BadInput(Path(oven_file).name, "an oven that its logs can be fitted to", str(problem)) from problem
    told = [_told(found, name) for name in found.names if name in PARAMETERS]
    data: dict[str, Any] = {
        "parameters": told,
        "residual_c": found.residual_c,
        "untold": found.untold,
        "runs": len(logs),
    }
    if out:
        record = msgspec.structs.replace(oven, fit=fit_row(found, len(logs), load is not None))
        body = {"kind": oven.what, **msgspec.to_builtins(record)}
        write_whole({Path(out): msgspec.json.format(msgspec.json.encode(body), indent=1) + b"\n"})
    text = [_line(one, one["name"] in found.untold) for one in told]
    told_of = (parameters_told(found.names, np.diag(found.covariance).tolist()),)
    level = weigh(exactly(found.residual_c), (0.0, GOOD_C), told_of, hard=(0.0, math.inf)) if load else Level.CARE
    numbers = (Quantity("RMS residual", found.residual_c, "K"), Quantity("runs", len(logs)))
    do = say("name the board") if load is None else None if level is Level.GO else say("check the logs")
    headline, missing = say("calibrated", oven=oven.id, off=amount(found.residual_c, "K")), ("a log of a whole run",)
    if level is Level.UNKNOWN:
        headline, do = say("not told", oven=oven.id), say("log a whole run")
    lacking = missing if level is Level.UNKNOWN else ()
    judged = Judgement("reflow.fit", level, oven.id, headline, numbers, do, (), lacking, told_of)
    return Answer([judged], data, "\n".join(text))


def _line(told: dict[str, Any], untold: bool) -> str:
    low, high = told["within95"]
    words = f"{PARAMETERS[told['name']].words}: {told['value']:.3g} {told['unit']} ({low:.3g} to {high:.3g})"
    return words + (", which the logs cannot tell" if untold else "")


def _told(found: Fitted, name: str) -> dict[str, Any]:
    return {
        "name": name,
        "value": found.oven[name],
        "within95": list(found.within95(name)),
        "unit": PARAMETERS[name].unit,
    }
