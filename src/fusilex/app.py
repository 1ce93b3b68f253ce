"""Starts everything: the window (``fusilex``, ``fusilex --demo``) and the verbs (``fusilex check FOLDER`` …)."""

from __future__ import annotations

import argparse
import io
import json
import math
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any, NoReturn

from fusilex import __version__

if TYPE_CHECKING:
    from fusilex.bench.verbs.answer import Answer

DEMO_NAMES = ("heron", "wren")
WINDOW_NAMES = ("lead-free", "leaded", "bismuth")
MOST_SAID = 300


class Parser(argparse.ArgumentParser):
    """Says what is wrong with the words of a command in one sentence."""

    def error(self, message: str) -> NoReturn:
        text = " ".join(message.split())
        shown = text if len(text) <= MOST_SAID else f"{text[:MOST_SAID]}…"
        self.exit(2, f"{self.prog}: {shown}. `{self.prog} --help` says more.\n")


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

    def verb(name: str, text: str) -> argparse.ArgumentParser:
        made = verbs.add_parser(name, help=text, description=text)
        made.add_argument("--json", action="store_true", help="print one JSON object with judgements and data")
        made.add_argument("--fail-on", choices=("care", "stop"), help="exit 1 when a judgement is this bad or worse")
        return made

    def of_board(name: str, text: str) -> argparse.ArgumentParser:
        made = verb(name, text)
        made.add_argument("folder")
        return made

    of_board("check", "what each file is, and whether they belong together")
    one = of_board("kit", "pull quantities with losses")
    one.add_argument("--boards", type=int, required=True, metavar="N")
    one = of_board("openings", "stencil openings with area and aspect ratio")
    one.add_argument("--foil", type=float, required=True, metavar="MM")
    one.add_argument("--paste", choices=WINDOW_NAMES, default="lead-free")
    one.add_argument("--coated", action="store_true", help="a coated or electroformed foil")
    one.add_argument("--reduced", metavar="FILE", help="write the paste layer with better openings as Gerber X2")
    one = of_board("align", "how the foil lies by what was seen, what to move, and where paste would land")
    one.add_argument("seen", metavar="SEEN.csv")
    one.add_argument("--foil", type=float, required=True, metavar="MM")
    one.add_argument("--side", choices=("top", "bottom"), default="top")
    one.add_argument("--hinge", choices=("top", "bottom", "left", "right"), default="top")
    one = verb("jar", "life of a jar of paste by the temperatures it lived at, and how long it has to warm up")
    one.add_argument("log", metavar="TEMPERATURES.csv")
    one.add_argument("--paste", required=True, metavar="ID")
    one.add_argument("--room", metavar="C,RH", help="temperature and humidity of the room, such as 22,45")
    one = of_board("dots", "paste by syringe: dots a pad, and a short way over them")
    one.add_argument("--needle", type=float, required=True, metavar="MM")
    one.add_argument("--paste", default="lead-free", metavar="ID")
    one = of_board("weighed", "prints on the scale against what the openings predict")
    one.add_argument("weights", metavar="WEIGHTS.csv")
    one.add_argument("--foil", type=float, required=True, metavar="MM")
    one.add_argument("--paste", default="lead-free", metavar="ID")
    one = of_board("refs", "transform from the design to measured reference points")
    one.add_argument("points", metavar="POINTS.csv", nargs="?")
    one.add_argument("--suggest", type=int, metavar="N", help="which N points to teach")
    one.add_argument("--hidden", default="", metavar="P1,P2", help="points that cannot be seen")
    one = of_board("programme", "who places what, and the placing machine's programme for one panel")
    one.add_argument(
        "--machine", required=True, action="append", metavar="MACHINE.json", help="several: they stand in a row"
    )
    one.add_argument("--boards", type=int, metavar="N", help="boards of the batch (default: one panel)")
    one.add_argument("--seconds", type=float, metavar="S", help="time to search (default: by size)")
    one.add_argument("--seed", type=int, default=0, metavar="K")
    one.add_argument("--side", choices=("top", "bottom"), default="top")
    one.add_argument("--gcode", metavar="FILE", help="write the programme as RS-274 G-code")
    one.add_argument("--template", metavar="FILE", help="fill a template with the programme and print it")
    one = verb("simulate", "what a placing machine does with a programme")
    one.add_argument("file", metavar="FILE.gcode")
    one.add_argument("--machine", required=True, metavar="MACHINE.json")
    one.add_argument("--seed", type=int, default=0, metavar="K")
    one.add_argument("--faults", action="store_true", help="with seeded faults")
    one = verb("profile", "metrics of an oven run against a paste's window")
    one.add_argument("log", metavar="LOG.csv")
    one.add_argument("--window", metavar="ID", required=True, help="a window that ships, or its record in a file")
    one = verb("oven", "fit an oven to its logs, predict a run, plan one")
    one.add_argument("what", choices=("fit", "predict", "plan"))
    one.add_argument("files", nargs="+", metavar="FILE", help="fit LOG.csv …; predict FOLDER; plan FOLDER")
    one.add_argument("--oven", required=True, metavar="OVEN.json")
    one.add_argument("--design", metavar="FOLDER", help="fit: the board that was in the oven")
    one.add_argument("--out", metavar="OVEN2.json", help="fit: write the oven's record with what was found")
    one.add_argument("--setpoints", metavar="SP.csv", help="predict: time_s,set_c or time_s,dial_c, and door")
    one.add_argument("--window", metavar="ID", default="lead-free", help="a window that ships, or a record's file")
    one.add_argument("--side", choices=("top", "bottom"), default="top")
    one.add_argument("--dial", action="store_true", help="plan: turns of a dial, not a curve")
    one.add_argument("--panels", type=int, default=1, metavar="N", help="so many panels in the oven at once")
    one.add_argument("--preheat", type=float, metavar="C", help="the oven is preheated to so many °C")
    one = of_board("tour", "the fewest fields of a microscope that show every joint, and a short way over them")
    one.add_argument("--field", metavar="W,H", required=True, help="what the microscope shows, mm")
    one.add_argument("--overlap", type=float, default=0.1, metavar="SHARE")
    one.add_argument("--side", choices=("top", "bottom"), default="top")
    one = verb("patterns", "what the faults of a record have in common")
    one.add_argument("file", metavar="RECORD.csv", help="a row an opportunity, a column fault 0/1, any other columns")
    one = of_board("probes", "pairs of pads to probe, worst first")
    one.add_argument("--max-gap", type=float, default=0.6, metavar="MM")
    one = verb("papers", "the record of one board")
    one.add_argument("serial")
    one.add_argument("--pdf", metavar="FILE", help="also write the papers as PDF")
    one = verb("journal", "check a journal, keep what can be read of a damaged one, back it up, make a new one")
    one.add_argument("what", choices=("check", "rescue", "backup", "new"))
    one.add_argument("files", nargs="*", metavar="FILE", help="check [FILE]; rescue FILE NEW; backup NEW; new FILE")
    return top


def main(arguments: list[str] | None = None) -> int:
    """Entry of the `fusilex` command. Exit 0 ran, 1 asked for by --fail-on, 2 bad input."""
    for stream in (sys.stdout, sys.stderr):  # a terminal that knows fewer letters shows them by number
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")
    options = parser().parse_args(arguments)
    return run_verb(options) if options.verb else run_window(options)


def run_verb(options: argparse.Namespace) -> int:
    from fusilex.bench.mishaps import write_down
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
    return json.dumps(whole, ensure_ascii=False, default=_plain)


def _as_text(answer: Answer) -> str:
    judged = (f"{j.level.value:<8} {j.headline}" for j in answer.judgements)
    return "\n".join([*judged, "", answer.text]).strip()


def _print(text: str) -> None:
    try:
        print(text, flush=True)
    except BrokenPipeError:
        raise
    except OSError as error:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())  # nothing is left to be written at the end
        raise OSError(error.errno, error.strerror, "The output") from error


def _refused(verb: str, why: str) -> int:
    text = " ".join(why.split())
    print(f"fusilex {verb}: {text if len(text) <= 3 * MOST_SAID else text[: 3 * MOST_SAID] + '…'}", file=sys.stderr)
    return 2


def _plain(value: Any) -> Any:
    number = float(value)
    return number if math.isfinite(number) else None


def _answer(o: argparse.Namespace) -> Answer:
    from fusilex.bench.verbs import design, inspecting, measured, oven_fit, oven_run, placing, printing, record

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
        case "patterns":
            return inspecting.find_patterns(o.file)
        case "probes":
            return design.probes(o.folder, o.max_gap)
        case _:
            found = record.papers(o.serial, journal_urls(o.journal))
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
            return journal.checked(given[0] if given else usual)
        case "rescue", [damaged, target]:
            return journal.rescued(damaged, target)
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
    from fusilex.ui.frame.start import start

    return start(
        journal_url(options.journal),
        journal_url(options.journal if options.demo else None, True),
        options.demo,
        options.fresh,
        make=not (options.journal or os.environ.get("FUSILEX_JOURNAL")),
    )
