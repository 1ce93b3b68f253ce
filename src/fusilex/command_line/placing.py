"""Verbs about the pick-and-place machine: reference points, program, dry run."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from fusilex.command_line.verb import FOLDER, MACHINE, SEED, SIDE, verb, word

if TYPE_CHECKING:
    from fusilex.bench.verbs.answer import Answer


@verb(
    "refs",
    "transform from the design to measured reference points",
    FOLDER,
    word("points", metavar="POINTS.csv", nargs="?"),
    word("--suggest", type=int, metavar="N", help="which N points to teach"),
    word("--hidden", default="", metavar="P1,P2", help="points that cannot be seen"),
)
def refs(o: argparse.Namespace) -> Answer:
    from fusilex.bench.verbs import measured

    return measured.refs(o.folder, o.points, o.suggest, o.hidden)


@verb(
    "programme",
    "who places what, and the pick-and-place machine's program for one panel",
    FOLDER,
    word("--machine", required=True, action="append", metavar="MACHINE.json", help="several: they stand in a row"),
    word("--boards", type=int, metavar="N", help="boards of the batch (default: one panel)"),
    word("--seconds", type=float, metavar="S", help="time to search (default: by size)"),
    SEED,
    SIDE,
    word("--gcode", metavar="FILE", help="write the program as RS-274 G-code"),
    word("--template", metavar="FILE", help="fill a template with the program and print it"),
)
def programme(o: argparse.Namespace) -> Answer:
    from fusilex.bench.verbs import placing

    return placing.programme(
        placing.Asked(o.folder, o.machine, o.boards, o.seconds, o.seed, o.gcode, o.template, o.side)
    )


@verb(
    "simulate",
    "what a pick-and-place machine does with a program",
    word("file", metavar="FILE.gcode"),
    MACHINE,
    SEED,
    word("--faults", action="store_true", help="with seeded faults"),
)
def simulate(o: argparse.Namespace) -> Answer:
    from fusilex.bench.verbs import placing

    return placing.simulate(o.file, o.machine, o.seed, o.faults)


VERBS = (refs, programme, simulate)
