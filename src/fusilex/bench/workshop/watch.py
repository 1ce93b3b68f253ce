"""What in the workshop wants looking after, as this batch needs it."""

from __future__ import annotations

from datetime import date

from fusilex.bench.batch import Batch
from fusilex.bench.workshop.oven import Oven
from fusilex.bench.workshop.record import Record
from fusilex.bench.workshop.record_kinds import Instrument, Jar, PasteSheet, Stencil, Window
from fusilex.bench.workshop.records import Records
from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement
from fusilex.core.kit.due import judge_due
from fusilex.core.quantities import amount
from fusilex.core.wording import Said, say


def watch(batch: Batch, kind: type[Record]) -> list[Judgement]:
    """Records of a kind that are expired, unchecked, or missing for this batch."""
    records, today = batch.workshop[Records], batch.at.date()
    return {Jar: _jars, Instrument: _instruments, Oven: _ovens, Stencil: _stencils, PasteSheet: _pastes}.get(
        kind, _nothing
    )(batch, records, today)


def _nothing(batch: Batch, records: Records, today: date) -> list[Judgement]:
    return []


def _jars(batch: Batch, records: Records, today: date) -> list[Judgement]:
    jars = records.all(Jar).values()
    found = [j for jar in jars if (j := judge_due(jar.id, jar.expires, today, "shelf life"))]
    good = [
        jar for jar in jars if jar.paste == batch.state.paste and (not jar.expires or jar.expires >= today.isoformat())
    ]
    if batch.steps.at_station("Print") and not good:
        found.append(_missing("jars", say("no jar", paste=batch.state.paste)))
    return found


def _instruments(batch: Batch, records: Records, today: date) -> list[Judgement]:
    there = records.all(Instrument).values()
    return [j for one in there if (j := judge_due(one.id, one.check_by, today, "check"))]


def _ovens(batch: Batch, records: Records, today: date) -> list[Judgement]:
    methods = {oven.method for oven in records.all(Oven).values()} | {"hot air"}
    wanted = dict.fromkeys(s.method for s in batch.steps.at_station("Reflow"))
    return [_missing(method, say("no oven", method=method)) for method in wanted if method not in methods]


def _stencils(batch: Batch, records: Records, today: date) -> list[Judgement]:
    steps = [s for s in batch.steps.at_station("Print") if s.method == "stencil"]
    if not steps or any(s.foil_mm == batch.state.foil_mm for s in records.all(Stencil).values()):
        return []
    return [_missing("stencils", say("no stencil", foil=amount(batch.state.foil_mm, "mm")))]


def _pastes(batch: Batch, records: Records, today: date) -> list[Judgement]:
    windows = records.all(Window)
    return [
        _missing(sheet.id, say("no window", paste=sheet.id, window=sheet.window))
        for sheet in records.all(PasteSheet).values()
        if sheet.window not in windows
    ]


def _missing(what: str, text: Said) -> Judgement:
    return Judgement("workshop.missing", Level.CARE, what, text, (), say("note it here"))
