"""Starts everything: the window (``fusilex``, ``fusilex --demo``) and the verbs (``fusilex check FOLDER`` …)."""

from __future__ import annotations

import argparse
import gc
import io
import json
import math
import os
import sys
from typing import TYPE_CHECKING, Any

from fusilex.command_line.journals import journal_url
from fusilex.command_line.parser import MOST_SAID, parser
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
    from fusilex.core.evidence import Level
    from fusilex.core.problems import BadInput
    from fusilex.core.quantities import Units, choose
    from fusilex.journal.trouble import NotSaved

    choose(Units(options.inch, options.fahrenheit))
    try:
        answer = options.answer(options)
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


def _refused(verb: str, why: str) -> int:
    text = shown(" ".join(why.split()))
    print(f"fusilex {verb}: {text if len(text) <= 3 * MOST_SAID else text[: 3 * MOST_SAID] + '…'}", file=sys.stderr)
    return 2


def _plain(value: Any) -> Any:
    number = float(value)
    return number if math.isfinite(number) else None


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
