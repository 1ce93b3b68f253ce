"""Verbs about looking: the way under the microscope, pictures, what defects have in common, where they come from."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from fusilex.command_line.verb import FOLDER, SIDE, verb, word

if TYPE_CHECKING:
    from fusilex.bench.verbs.answer import Answer


@verb(
    "tour",
    "the fewest fields of a microscope that show every joint, and a short way over them",
    FOLDER,
    word("--field", metavar="W,H", required=True, help="what the microscope shows, mm"),
    word("--overlap", type=float, default=0.1, metavar="SHARE"),
    SIDE,
)
def tour(o: argparse.Namespace) -> Answer:
    from fusilex.bench.verbs import inspecting

    return inspecting.lay_tour(o.folder, o.field, o.overlap, o.side)


@verb(
    "compare",
    "what differs in a picture of a board from one of a good board, part by part",
    word("good", metavar="GOOD.png"),
    word("photo", metavar="PHOTO.jpg"),
    FOLDER,
    SIDE,
)
def compare(o: argparse.Namespace) -> Answer:
    from fusilex.bench.verbs import inspecting

    return inspecting.compare_photo(o.good, o.photo, o.folder, o.side)


@verb(
    "patterns",
    "what the defects of a record have in common",
    word(
        "file",
        metavar="BATCH.zip|RECORD.csv",
        help="a batch's zip, or a CSV: a row an opportunity, a column fault 0/1, any other columns",
    ),
)
def patterns(o: argparse.Namespace) -> Answer:
    from fusilex.bench.verbs import faults

    return faults.find_patterns(o.file)


@verb(
    "causes",
    "where a defect comes from, likeliest first, and what to check",
    word("fault", metavar="FAULT"),
    word("--batch", metavar="BATCH.zip", help="rank by what this batch's defects have in common"),
)
def causes(o: argparse.Namespace) -> Answer:
    from fusilex.bench.verbs import faults

    return faults.why(o.fault, o.batch)


VERBS = (tour, compare, patterns, causes)
