"""The verbs of faults: what those of a record have in common, and where a fault comes from."""

from __future__ import annotations

import math
import re
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from fusilex.bench.history.findings import Findings, find
from fusilex.bench.record.archive import batch_in
from fusilex.bench.rooms import open_journal
from fusilex.bench.verbs.answer import Answer
from fusilex.core.evidence import Level
from fusilex.core.inspection.causes import ranked
from fusilex.core.inspection.faults import FAULT_WORDS, fault_named
from fusilex.core.inspection.patterns import Pattern, Suspect, patterns, suspect
from fusilex.core.judgement import Judgement
from fusilex.core.problems import BadInput
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say
from fusilex.formats.bundle import read_one
from fusilex.formats.lists.opportunities import read_opportunities
from fusilex.journal.bundle import is_bundle
from fusilex.journal.place import sqlite_url

RISING = re.compile(r"since|hours|minutes|\bage\b", re.IGNORECASE)
"""Columns that count what may make faults more frequent."""


def find_patterns(file: str) -> Answer:
    """What the faults of a record have in common: of a batch's zip, or of a CSV with a row an opportunity, `fault` 0 or
    1, any other columns. Raises `BadInput`.
    """
    data, name = read_one(Path(file)), Path(file).name
    if is_bundle(data):
        return _of_batch(data, name)
    attributes, fault = read_opportunities(data, name)
    found = patterns(attributes, fault, [one for one in attributes if RISING.search(one)])
    doubt = None if found else suspect(attributes, fault)
    boards = len(set(attributes.get("board", ()))) or None
    more = None if doubt is None or doubt.times is None or boards is None else math.ceil(boards * (doubt.times - 1))
    told: dict[str, Any] = {"findings": [_row(one) for one in found], "more_boards": more}
    told |= {"opportunities": len(fault), "faults": sum(fault)}
    judged = [_judged(one, name) for one in found]
    if not found:
        judged = [_nothing(doubt, more, sum(fault), len(fault), name)]
    return Answer(judged, told, "\n".join(j.headline for j in judged))


def _found_in(data: bytes, name: str) -> Findings:
    """What the faults of a batch's zip have in common, by a journal of its own. Raises `BadInput`."""
    with TemporaryDirectory() as folder:
        journal = open_journal(sqlite_url(Path(folder) / "batch.sqlite"))
        try:
            return find(batch_in(journal, data, name).batch)
        finally:
            journal.close()


def _of_batch(data: bytes, name: str) -> Answer:
    """The same of all faults of a batch, by their words."""
    found = _found_in(data, name)
    counts = {word: one.faults for word, one in found.evidence.items()}
    rows = [{"fault": one.word, **_row(one.pattern), "sentence": one.sentence} for one in found.found]
    more = [one.more_boards for one in found.doubts if one.more_boards]
    told: dict[str, Any] = {"findings": rows, "more_boards": max(more, default=None), "faults": counts}
    judged = [one.judgement for one in found.found] + [one.judgement for one in found.doubts]
    if not judged:
        text = say("nothing in common") if counts else say("too few")
        judged = [Judgement("inspect.pattern", Level.UNKNOWN, name, text, missing=("more boards",))]
    return Answer(judged, told, "\n".join(j.headline for j in judged))


def why(fault: str, file: str | None = None) -> Answer:
    """Causes of a fault, likeliest first, with what of a batch's zip speaks for and against. Raises `BadInput`."""
    word = fault_named(fault)
    if word is None:
        raise BadInput("causes", f"a fault word: {', '.join(FAULT_WORDS)}", fault)
    rows = _found_in(read_one(Path(file)), Path(file).name).causes(word) if file else ranked(word)
    causes = [
        {
            "station": r.cause.station,
            "cause": r.cause.text,
            "check": r.cause.check,
            "share": r.share,
            "evidence": list(r.cause.evidence),
            "for": list(r.speaks_for),
            "against": list(r.speaks_against),
        }
        for r in rows
    ]
    text = [f"{n}. {r.cause.station}: {r.cause.text}. {r.cause.check}" for n, r in enumerate(rows, 1)]
    text_of_it, missing = say("begin", word=word, cause=rows[0].cause.text), ("which cause it is",)
    judged = Judgement("inspect.causes", Level.UNKNOWN, word, text_of_it, missing=missing)
    return Answer([judged], {"fault": word, "causes": causes}, "\n".join(text))


def _row(one: Pattern) -> dict[str, Any]:
    row = {name: getattr(one, name) for name in ("attribute", "value", "faults", "of", "p", "q", "ratio")}
    return {**row, "ratio_within95": list(one.within95), "also": [list(pair) for pair in one.also]}


def _judged(one: Pattern, subject: str) -> Judgement:
    place = {"attribute": one.attribute, "value": one.value}
    ratio = Quantity("ratio", one.ratio, "", one.within95)
    headline = say("times as often", **place, defects=one.faults, of=one.of, ratio=ratio)
    numbers = (
        Quantity("within 95 %", f"{one.within95[0]:.1f} to {one.within95[1]:.1f} times"),
        Quantity("chance of it, over all looked at", f"{one.q:.2g}"),
        *(Quantity("cannot be told from", f"{name} {value}") for name, value in one.also),
    )
    return Judgement("inspect.pattern", Level.CARE, subject, headline, numbers, say("there first", **place))


def _nothing(doubt: Suspect | None, more: int | None, faults: int, of: int, subject: str) -> Judgement:
    """No finding: nothing common, or not enough to tell."""
    numbers, missing = (Quantity("defects", faults), Quantity("opportunities", of)), ("more boards",)
    if doubt is None:
        text = say("no pattern" if faults else "no defects", defects=faults)
        return Judgement("inspect.pattern", Level.UNKNOWN, subject, text, numbers, missing=missing)
    place = {"attribute": doubt.attribute, "value": doubt.value}
    text = say("too little data there", **place, defects=doubt.faults, of=doubt.of)
    do = say("so many boards", boards=more) if more else say("many boards")
    return Judgement("inspect.pattern", Level.UNKNOWN, subject, text, numbers, do, (), missing)
