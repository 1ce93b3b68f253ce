"""Verbs that look after the journal itself: check, rescue, backup, new."""

from __future__ import annotations

from pathlib import Path

from fusilex.bench.record.rescue import Checked, check, rescue
from fusilex.bench.rooms import open_journal
from fusilex.bench.verbs.answer import Answer
from fusilex.core.evidence import Level, every, seen
from fusilex.core.judgement import Judgement
from fusilex.core.progress import Step, quiet
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say
from fusilex.journal.backups import copy_to
from fusilex.journal.place import check_place, look_at, sqlite_url
from fusilex.journal.trouble import NotSaved

MOST_SHOWN = 40
"""Sentences about what is wrong that are printed; all of them are in the data."""


def checked(journal: Path, step: Step = quiet) -> Answer:
    """All of a journal read, and what is wrong with it. Raises `NotSaved`, `NotRead`."""
    check_place(journal, make=False)
    look_at(journal)
    found = check(journal, step)
    step(1.0, "")
    return _answer(journal, found, found.wrong, f"fusilex journal rescue {journal} NEW-FILE keeps what can be read.")


def rescued(journal: Path, target: Path, step: Step = quiet) -> Answer:
    """What can be read of a journal as a new one. Raises `NotSaved`, `NotRead`."""
    check_place(journal, make=False)
    found = rescue(journal, target, step)
    step(1.0, "")
    answer = _answer(journal, found, found.wrong, f"What was left out stands in {target.name}.left-out.jsonl.")
    return Answer(answer.judgements, answer.data, f"{answer.text}\n{target} is written; {journal} is as it was.")


def backed_up(journal: Path, target: Path) -> Answer:
    """A whole copy of a journal, which may be in use. Raises `NotSaved`."""
    check_place(journal, make=False)
    copy_to(journal, target)
    return Answer([], {"journal": str(journal), "copy": str(target)}, f"{target} is a whole copy of {journal}.")


def made(journal: Path) -> Answer:
    """A new, empty journal. Raises `NotSaved` where there is something already."""
    if journal.exists():
        raise NotSaved(f"{journal} is there already.")
    open_journal(sqlite_url(journal)).close()
    return Answer([], {"journal": str(journal)}, f"{journal} is a new journal: fusilex --journal {journal} opens it.")


def _answer(journal: Path, found: Checked, wrong: list[str], do: str) -> Answer:
    counts = {s.title: len(s.kept) for s in found.streams}
    batches = sum(s.row[3] == "batch" for s in found.streams)
    because = (Quantity("batches", batches), Quantity("entries", sum(counts.values())))
    streams = (every("records", len(found.streams)),)
    level = Level.STOP if wrong else seen(*streams)
    words = say("damaged" if wrong else "whole", journal=journal.name, faults=len(wrong))
    advice = say("what to do", do=do) if wrong else None
    judged = Judgement("journal.whole", level, journal.name, words, because, advice, coverage=streams)
    lines = [f"{count:>7} entries  {title}" for title, count in counts.items()]
    more = [f"… and {len(wrong) - MOST_SHOWN} more"] if len(wrong) > MOST_SHOWN else []
    data = {"journal": str(journal), "entries": counts, "wrong": wrong}
    return Answer([judged], data, "\n".join([*lines, *wrong[:MOST_SHOWN], *more, *([do] if wrong else [])]))
