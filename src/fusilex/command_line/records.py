"""Verbs about what is on record: traces, papers, and the journal itself."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from fusilex.command_line.journals import journal_url, journal_urls
from fusilex.command_line.verb import verb, word
from fusilex.core.shown import shown

if TYPE_CHECKING:
    from fusilex.bench.verbs.answer import Answer


@verb(
    "trace",
    "what a board was made with; which boards a lot, jar, load, feeder, part or operator is on",
    word("what", metavar="WHAT", help="a serial, lot, jar, feeder, part number, operator, or: load 3"),
    word("--csv", metavar="FILE", help="also write the boards as a list for a recall"),
)
def trace(o: argparse.Namespace) -> Answer:
    from fusilex.bench.verbs import record

    return record.trace_what(o.what, journal_urls(o.journal), o.csv)


@verb(
    "papers",
    "the record of one board, or of a whole batch",
    word("serial", metavar="SERIAL|BATCH", help="a serial, what its label says, or a batch's number"),
    word("--html", metavar="FILE", help="also write the report as one HTML page"),
    word("--pdf", metavar="FILE", help="also write the report as PDF"),
)
def papers(o: argparse.Namespace) -> Answer:
    from fusilex.bench.verbs import record

    found = record.papers(o.serial, journal_urls(o.journal))
    if o.html:
        from fusilex.formats.written.whole import write_whole

        write_whole({Path(o.html): found.page.encode("utf-8", "backslashreplace")})
    if o.pdf:
        from fusilex.ui.widgets.paper import write_pdf_headless

        write_pdf_headless(found.page, Path(o.pdf))
    return found.answer


@verb(
    "journal",
    "check a journal, keep what can be read of a damaged one, back it up, make a new one",
    word("what", choices=("check", "rescue", "backup", "new")),
    word("files", nargs="*", metavar="FILE", help="check [FILE]; rescue FILE NEW; backup NEW; new FILE"),
)
def journal(o: argparse.Namespace) -> Answer:
    from fusilex.bench.verbs import journal as journals
    from fusilex.core.problems import BadInput
    from fusilex.journal.place import path_of

    files = [Path(name).absolute() for name in o.files]
    usual = path_of(journal_url(o.journal))
    if usual is None:
        raise BadInput("journal", "a journal in a file", "a database, which has its own tools")
    match o.what, files:
        case "check", [*given] if len(given) < 2:
            return journals.checked(given[0] if given else usual, _on_terminal)
        case "rescue", [damaged, target]:
            return journals.rescued(damaged, target, _on_terminal)
        case "backup", [target]:
            return journals.backed_up(usual, target)
        case "new", [target]:
            return journals.made(target)
    wanted = "check [FILE], rescue FILE NEW, backup NEW, or new FILE"
    raise BadInput("journal", wanted, f"{o.what} and {len(files)} files")


def _on_terminal(share: float, what: str) -> None:
    """How far it is, where somebody looks on."""
    if sys.stderr.isatty():
        said = f"{share:4.0%} {shown(what)[:60]}" if share < 1 else ""
        print(f"\r{said:<66}\r", end="", file=sys.stderr, flush=True)


VERBS = (trace, papers, journal)
