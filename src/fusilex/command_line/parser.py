"""The words of the command, gathered from the verbs."""

from __future__ import annotations

import argparse
from typing import NoReturn

from fusilex import __version__
from fusilex.command_line import designs, heat, inspecting, placing, printing, records, testing
from fusilex.command_line.verb import Verb
from fusilex.core.shown import shown

DEMO_NAMES = ("heron", "wren")
MOST_SAID = 300
VERBS: tuple[Verb, ...] = (
    *designs.VERBS,
    *printing.VERBS,
    *placing.VERBS,
    *heat.VERBS,
    *inspecting.VERBS,
    *testing.VERBS,
    *records.VERBS,
)


class Parser(argparse.ArgumentParser):
    """Says what is wrong with the words of a command in one sentence."""

    def error(self, message: str) -> NoReturn:
        text = shown(" ".join(message.split()))
        said = text if len(text) <= MOST_SAID else f"{text[:MOST_SAID]}…"
        self.exit(2, f"{self.prog}: {said}. `{self.prog} --help` says more.\n")


def parser() -> argparse.ArgumentParser:
    top = Parser(
        prog="fusilex",
        description="Bench companion for small-batch circuit board assembly. Without a verb it opens its window.",
    )
    top.add_argument("--version", action="version", version=f"Fusilex {__version__}")
    top.add_argument(
        "--demo", nargs="?", const="heron", default="", choices=DEMO_NAMES, help="open a demo batch: heron, or wren"
    )
    top.add_argument("--fresh", action="store_true", help="with --demo: start the demo batch anew")
    top.add_argument(
        "--journal", metavar="URL", help="database URL or file of the journal (default: the XDG data folder)"
    )
    verbs = top.add_subparsers(dest="verb", metavar="VERB")
    for verb in VERBS:
        made = verbs.add_parser(verb.name, help=verb.text, description=verb.text)
        made.add_argument("--json", action="store_true", help="print one JSON object with judgements and data")
        made.add_argument("--fail-on", choices=("care", "stop"), help="exit 1 when a judgement is this bad or worse")
        made.add_argument("--inch", action="store_true", help="lengths in inches in what people read (JSON: mm)")
        made.add_argument("--fahrenheit", action="store_true", help="temperatures in °F in what people read")
        for word in verb.words:
            made.add_argument(*word.names, **word.how)
        made.set_defaults(answer=verb.answer)
    return top
