"""Verbs about paste: stencil, jar, needle and scale."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from fusilex.command_line.verb import FOIL, FOLDER, PASTE, SIDE, verb, word

if TYPE_CHECKING:
    from fusilex.bench.verbs.answer import Answer


@verb(
    "align",
    "how the stencil is aligned by what was seen, what to move, and where paste would land",
    FOLDER,
    word("seen", metavar="SEEN.csv"),
    FOIL,
    SIDE,
    word("--hinge", choices=("top", "bottom", "left", "right"), default="top"),
)
def align(o: argparse.Namespace) -> Answer:
    from fusilex.bench.verbs import printing

    return printing.align(o.folder, o.seen, o.foil, o.side, o.hinge)


@verb(
    "jar",
    "life of a jar of paste by the temperatures it was kept at, and how long it has to warm up",
    word("log", metavar="TEMPERATURES.csv"),
    word("--paste", required=True, metavar="ID"),
    word("--room", metavar="C,RH", help="temperature and humidity of the room, such as 22,45"),
)
def jar(o: argparse.Namespace) -> Answer:
    from fusilex.bench.verbs import printing

    return printing.jar(o.log, o.paste, o.room)


@verb(
    "dots",
    "paste by syringe: dots a pad, and a short way over them",
    FOLDER,
    word("--needle", type=float, required=True, metavar="MM"),
    PASTE,
)
def dots(o: argparse.Namespace) -> Answer:
    from fusilex.bench.verbs import printing

    return printing.dots(o.folder, o.needle, o.paste)


@verb(
    "weighed",
    "prints on the scale against what the apertures predict",
    FOLDER,
    word("weights", metavar="WEIGHTS.csv"),
    FOIL,
    PASTE,
)
def weighed(o: argparse.Namespace) -> Answer:
    from fusilex.bench.verbs import printing

    return printing.weighed(o.folder, o.weights, o.foil, o.paste)


VERBS = (align, jar, dots, weighed)
