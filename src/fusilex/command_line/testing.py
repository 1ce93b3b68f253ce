"""Verbs about testing: what to probe, and what readings of many boards say."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from fusilex.command_line.verb import FOLDER, verb, word

if TYPE_CHECKING:
    from fusilex.bench.verbs.answer import Answer


@verb(
    "probes",
    "what to probe, each reading with its chance of being bad and its time",
    FOLDER,
    word("--max-gap", type=float, default=0.6, metavar="MM"),
    word("--minutes", type=float, metavar="M", help="the best plan in so many minutes, and what stays open"),
)
def probes(o: argparse.Namespace) -> Answer:
    from fusilex.bench.verbs import proving

    return proving.probes(o.folder, o.max_gap, o.minutes)


@verb(
    "readings",
    "outliers, limits, capability and drift in readings of many boards",
    word("file", metavar="FILE.csv", help="board,measurement,value,unit[,low,high][,uncertainty]"),
)
def readings(o: argparse.Namespace) -> Answer:
    from fusilex.bench.verbs import proving

    return proving.readings(o.file)


VERBS = (probes, readings)
