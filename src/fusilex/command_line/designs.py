"""Verbs about a design: what its files are, what it takes, how its panel is cut."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from fusilex.command_line.verb import FOIL, FOLDER, WINDOW_NAMES, verb, word

if TYPE_CHECKING:
    from fusilex.bench.verbs.answer import Answer


@verb("check", "what each file is, and whether they belong together", FOLDER)
def check(o: argparse.Namespace) -> Answer:
    from fusilex.bench.verbs import design

    return design.check(o.folder)


@verb("kit", "pull quantities with attrition", FOLDER, word("--boards", type=int, required=True, metavar="N"))
def kit(o: argparse.Namespace) -> Answer:
    from fusilex.bench.verbs import design

    return design.kit(o.folder, o.boards)


@verb(
    "openings",
    "stencil apertures with area and aspect ratio",
    FOLDER,
    FOIL,
    word("--paste", choices=WINDOW_NAMES, default="lead-free"),
    word("--coated", action="store_true", help="a coated or electroformed stencil"),
    word("--reduced", metavar="FILE", help="write the paste layer with better apertures as Gerber X2"),
)
def apertures(o: argparse.Namespace) -> Answer:
    from fusilex.bench.verbs import design

    return design.apertures(o.folder, o.foil, o.paste, o.coated, o.reduced)


@verb("cuts", "the order in which a panel is cut, each cut with its tool, and what may crack", FOLDER)
def cuts(o: argparse.Namespace) -> Answer:
    from fusilex.bench.verbs import design

    return design.cuts(o.folder)


VERBS = (check, kit, apertures, cuts)
