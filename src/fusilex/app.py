"""Starts everything: the window (``fusilex``, ``fusilex --demo``) and the verbs (``fusilex check FOLDER`` …)."""

from __future__ import annotations

import argparse
import gc
import io
import json
import math
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

from fusilex.command_line import MOST_SAID, parser
from fusilex.core.shown import json_shown, shown

if TYPE_CHECKING:
    from fusilex.bench.verbs.answer import Answer


def main(arguments: list[str] | None = None) -> int:
    """Entry of the `fusilex` command. Exit 0 ran, 1 asked for by --fail-on, 2 bad input."""
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # small matrices: threads that wait for each other cost more
    for stream in (sys.stdout, sys.stderr):  # a terminal that knows fewer letters shows them by number
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")
    options = parser().parse_args(arguments)
    return run_verb(options) if options.verb else run_window(options)


def run_verb(options: argparse.Namespace) -> int:
    from fusilex.bench.computer.mishaps import write_down
    from fusilex.core.judgement import Level
    from fusilex.core.problems import BadInput
    from fusilex.journal.trouble import NotSaved

    try:
        answer = _answer(options)
        _print(_as_json(answer) if options.json else _as_text(answer))
    except BrokenPipeError:  # whoever reads has had enough
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except (BadInput, NotSaved) as error:
        return _refused(options.verb, str(error))
    except OSError as error:
        return _refused(options.verb, f"{error.filename or 'A file'} cannot be used: {error.strerror or error}.")
    except Exception as error:  # nobody foresaw it: one sentence all the same, and where the rest stands
        told = f"{type(error).__name__}: {' '.join(str(error).split())[:200]}"
        return _refused(options.verb, f"this went wrong in Fusilex itself: {told}. {write_down(error)}")
    bad = {"stop": (Level.STOP,), "care": (Level.STOP, Level.CARE)}.get(options.fail_on or "", ())
    return 1 if any(j.level in bad for j in answer.judgements) else 0


def _as_json(answer: Answer) -> str:
    whole = {"judgements": [j.as_dict() for j in answer.judgements], "data": answer.data}
    return json_shown(json.dumps(whole, ensure_ascii=False, default=_plain))


def _as_text(answer: Answer) -> str:
    judged = (f"{j.level.value:<8} {j.headline}" for j in answer.judgements)
    return shown("\n".join([*judged, "", answer.text]).strip(), lines=True)


def _print(text: str) -> None:
    try:
        print(text, flush=True)
    except BrokenPipeError:
        raise
    except OSError as error:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())  # nothing is left to be written at the end
        raise OSError(error.errno, error.strerror, "The output") from error


def _on_terminal(share: float, what: str) -> None:
    """How far it is, where somebody looks on."""
    if sys.stderr.isatty():
        said = f"{share:4.0%} {shown(what)[:60]}" if share < 1 else ""
        print(f"\r{said:<66}\r", end="", file=sys.stderr, flush=True)


def _refused(verb: str, why: str) -> int:
    text = shown(" ".join(why.split()))
    print(f"fusilex {verb}: {text if len(text) <= 3 * MOST_SAID else text[: 3 * MOST_SAID] + '…'}", file=sys.stderr)
    return 2


def _plain(value: Any) -> Any:
    number = float(value)
    return number if math.isfinite(number) else None


def _answer(o: argparse.Namespace) -> Answer:
    from fusilex.bench.verbs import (
        design,
        faults,
        inspecting,
        measured,
        oven_fit,
        oven_run,
        placing,
        printing,
        proving,
        record,
    )

    match o.verb:
        case "journal":
            return _journal(o)
        case "check":
            return design.check(o.folder)
        case "kit":
            return design.kit(o.folder, o.boards)
        case "openings":
            return design.openings(o.folder, o.foil, o.paste, o.coated, o.reduced)
        case "align":
            return printing.align(o.folder, o.seen, o.foil, o.side, o.hinge)
        case "jar":
            return printing.jar(o.log, o.paste, o.room)
        case "dots":
            return printing.dots(o.folder, o.needle, o.paste)
        case "weighed":
            return printing.weighed(o.folder, o.weights, o.foil, o.paste)
        case "refs":
            return measured.refs(o.folder, o.points, o.suggest, o.hidden)
        case "programme":
            asked = placing.Asked(o.folder, o.machine, o.boards, o.seconds, o.seed, o.gcode, o.template, o.side)
            return placing.programme(asked)
        case "simulate":
            return placing.simulate(o.file, o.machine, o.seed, o.faults)
        case "profile":
            return measured.profile(o.log, o.window)
        case "oven":
            if o.what == "fit":
                return oven_fit.fit(o.files, o.oven, o.design, o.out, o.side)
            return oven_run.run(o.what, o.files, o.oven, o.setpoints, o.window, o.side, o.dial, o.panels, o.preheat)
        case "tour":
            return inspecting.lay_tour(o.folder, o.field, o.overlap, o.side)
        case "compare":
            return inspecting.compare_photo(o.good, o.photo, o.folder, o.side)
        case "patterns":
            return faults.find_patterns(o.file)
        case "causes":
            return faults.why(o.fault, o.batch)
        case "probes":
            return proving.probes(o.folder, o.max_gap, o.minutes)
        case "trace":
            return record.trace_what(o.what, journal_urls(o.journal), o.csv)
        case "cuts":
            return design.cuts(o.folder)
        case "readings":
            return proving.readings(o.file)
        case _:
            found = record.papers(o.serial, journal_urls(o.journal))
            if o.html:
                from fusilex.formats.written.whole import write_whole

                write_whole({Path(o.html): found.page.encode("utf-8", "backslashreplace")})
            if o.pdf:
                from fusilex.ui.widgets.paper import write_pdf_headless

                write_pdf_headless(found.page, Path(o.pdf))
            return found.answer


def _journal(options: argparse.Namespace) -> Answer:
    from fusilex.bench.verbs import journal
    from fusilex.core.problems import BadInput
    from fusilex.journal.place import path_of

    files = [Path(name).absolute() for name in options.files]
    usual = path_of(journal_url(options.journal))
    if usual is None:
        raise BadInput("journal", "a journal in a file", "a database, which has its own tools")
    match options.what, files:
        case "check", [*given] if len(given) < 2:
            return journal.checked(given[0] if given else usual, _on_terminal)
        case "rescue", [damaged, target]:
            return journal.rescued(damaged, target, _on_terminal)
        case "backup", [target]:
            return journal.backed_up(usual, target)
        case "new", [target]:
            return journal.made(target)
    wanted = "check [FILE], rescue FILE NEW, backup NEW, or new FILE"
    raise BadInput("journal", wanted, f"{options.what} and {len(files)} files")


def data_folder() -> Path:
    from platformdirs import user_data_path

    return user_data_path("fusilex", appauthor=False)


def journal_url(given: str | None, demo: bool = False) -> str:
    """Database URL: as given (URL or file), from FUSILEX_JOURNAL, else in the XDG data folder. The demo has its own."""
    text = given or os.environ.get("FUSILEX_JOURNAL")
    if text:
        return text if "://" in text else f"sqlite:///{Path(text).absolute()}"
    return f"sqlite:///{data_folder() / ('demo.sqlite' if demo else 'journal.sqlite')}"


def journal_urls(given: str | None) -> list[str]:
    """Journals to look for a board in: the one asked for, else the workshop's and then the demo's, where they exist."""
    if given or os.environ.get("FUSILEX_JOURNAL"):
        return [journal_url(given)]
    return [url for url in (journal_url(None), journal_url(None, demo=True)) if Path(url[len("sqlite:///") :]).exists()]


def run_window(options: argparse.Namespace) -> int:
    from fusilex.display import no_display

    if why := no_display():
        print(f"fusilex: {why}", file=sys.stderr)
        return 2
    gc.disable()  # a start makes many objects and no garbage; collecting them costs a tenth of it
    from fusilex.ui.frame.start import start

    return start(
        journal_url(options.journal),
        journal_url(options.journal if options.demo else None, True),
        options.demo,
        options.fresh,
        make=not (options.journal or os.environ.get("FUSILEX_JOURNAL")),
    )
