"""Verbs about reflow: a log against its window, an oven fitted, predicted, planned."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from fusilex.command_line.verb import SIDE, verb, word

if TYPE_CHECKING:
    from fusilex.bench.verbs.answer import Answer


@verb(
    "profile",
    "metrics of an oven run against a paste's window",
    word("log", metavar="LOG.csv"),
    word("--window", metavar="ID", required=True, help="a window that ships, or its record in a file"),
)
def profile(o: argparse.Namespace) -> Answer:
    from fusilex.bench.verbs import measured

    return measured.profile(o.log, o.window)


@verb(
    "oven",
    "fit an oven to its logs, predict a run, plan one",
    word("what", choices=("fit", "predict", "plan")),
    word("files", nargs="+", metavar="FILE", help="fit LOG.csv …; predict FOLDER; plan FOLDER"),
    word("--oven", required=True, metavar="OVEN.json"),
    word("--design", metavar="FOLDER", help="fit: the board that was in the oven"),
    word("--out", metavar="OVEN2.json", help="fit: write the oven's record with what was found"),
    word("--setpoints", metavar="SP.csv", help="predict: time_s,set_c or time_s,dial_c, and door"),
    word("--window", metavar="ID", default="lead-free", help="a window that ships, or a record's file"),
    SIDE,
    word("--dial", action="store_true", help="plan: turns of a dial, not a curve"),
    word("--panels", type=int, default=1, metavar="N", help="so many panels in the oven at once"),
    word("--preheat", type=float, metavar="C", help="the oven is preheated to so many °C"),
)
def oven(o: argparse.Namespace) -> Answer:
    from fusilex.bench.verbs import oven_fit, oven_run

    if o.what == "fit":
        return oven_fit.fit(o.files, o.oven, o.design, o.out, o.side)
    return oven_run.run(o.what, o.files, o.oven, o.setpoints, o.window, o.side, o.dial, o.panels, o.preheat)


VERBS = (profile, oven)
