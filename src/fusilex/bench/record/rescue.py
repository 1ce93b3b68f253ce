"""A damaged journal checked and mended: what can be read and fits goes into a new one, what was left out is told."""

from __future__ import annotations

import json
from collections import defaultdict
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any

from msgspec import Struct, field
from msgspec.structs import replace
from sqlalchemy import insert

from fusilex.bench.common.events import BatchOpened
from fusilex.bench.common.files import FileAdded
from fusilex.bench.common.mended import RecordMended
from fusilex.bench.rooms import EVENT_KINDS, batch_state, workshop_state
from fusilex.core.problems import BadInput
from fusilex.core.progress import Step, part_of, quiet
from fusilex.core.shown import json_shown
from fusilex.journal.backups import Backup, put_back
from fusilex.journal.entries import Entry, as_entry, event_of, uncollected
from fusilex.journal.folding import Folded, misfits
from fusilex.journal.pen import Pen, digest
from fusilex.journal.place import free, sqlite_url
from fusilex.journal.salvage import COLUMNS, Salvaged, salvage
from fusilex.journal.schema import metadata
from fusilex.journal.store import Journal
from fusilex.journal.trouble import NotRead, NotSaved

ROUNDS = 4
"""How often what does not fit what came before is looked for; then the rest of a batch is left out."""


class Stream(Struct):
    """What can be kept of a batch, or of the workshop: its row, its entries, and what was left out, in words."""

    row: tuple[Any, ...]
    kept: list[Entry] = field(default_factory=list)
    lost: list[tuple[int, str, str]] = field(default_factory=list)

    @property
    def title(self) -> str:
        return "the workshop" if self.row[3] == "workshop" else str(self.row[1])


class Known(Struct):
    """What an open window still has of a journal, whole: entries of streams, and files (name, contents)."""

    streams: dict[int, list[Entry]]
    files: list[tuple[str, bytes]]


class Checked(Struct):
    """What a journal holds, and all that is wrong with it, in sentences; `whole` are streams that lost nothing."""

    streams: list[Stream]
    wrong: list[str]
    salvaged: Salvaged
    whole: set[int] = field(default_factory=set)

    @property
    def lost(self) -> int:
        return sum(lost.count for lost in self.salvaged.lost) + sum(len(stream.lost) for stream in self.streams)


def check(path: Path, step: Step = quiet, known: Known | None = None) -> Checked:
    """Read all of a journal without changing it; what is `known` better takes the place of what can be read.

    Raises `NotRead` for a file that is none, `Left`.
    """
    try:
        found = salvage(path, part_of(step, 0.0, 0.6))
    except NotRead as problem:
        if known is None:
            raise
        found = Salvaged({table: [] for table in COLUMNS}, also=[str(problem)], unsure=True)
    by_stream: dict[int, list[tuple[Any, ...]]] = defaultdict(list)
    for row in found.rows["event"]:
        by_stream[row[-1]].append(row)
    for id, kept in known.streams.items() if known else ():
        own = {x.id: (x.id, x.deed, x.at, x.who, x.place, x.kind, x.text, x.origin, id) for x in kept}
        by_stream[id] = sorted(({row[0]: row for row in by_stream[id]} | own).values())
    found.rows["attachment"] += [(0, digest(data), name, data) for name, data in (known.files if known else ())]
    rows = {row[0]: row for row in found.rows["batch"]}
    for id, named in by_stream.items():  # a batch whose own row is torn is known by its entries
        shop = any(row[3] == "workshop" for row in rows.values())
        rows.setdefault(id, (id, *_guessed(named, shop)))
    streams, done, entries = [], 0, max(1, len(found.rows["event"]))
    for id, row in sorted(rows.items()):
        step(0.6 + 0.4 * done / entries, f"Reading {row[1]}")
        streams.append(_stream(row, by_stream[id]))
        done += len(by_stream[id])
    there = {row[1] for row in found.rows["attachment"] if digest(bytes(row[3])) == row[1]}
    wrong = [*found.also, *(str(lost) for lost in found.lost)]
    for stream in streams:
        wrong += [f"{stream.title}: {said}" for _, said, _ in stream.lost]
        if stream.row[3] == "batch":
            wrong += [f"{stream.title}: its file {sha[:12]} is missing." for sha in _files(stream) if sha not in there]
            wrong += [f"{stream.title}: its first entry is missing."] if _headless(stream) else []
    return Checked(streams, wrong, found, set(known.streams) if known else set())


def _guessed(rows: list[tuple[Any, ...]], shop: bool) -> tuple[str, str, str]:
    """Name, date and kind of a stream whose own row is torn; a workshop only where there is none."""
    at = rows[0][2]
    for row in rows:
        if row[5] == BatchOpened.kind:
            with suppress(BadInput):
                if isinstance(opened := event_of(row[5], row[6], row[0], row[2], EVENT_KINDS), BatchOpened):
                    return f"{opened.design} batch {opened.batch}", at, "batch"
    return (f"batch of {at[:10]}", at, "batch") if shop else ("workshop", at, "workshop")


def _stream(row: tuple[Any, ...], rows: list[tuple[Any, ...]]) -> Stream:
    made = Stream(row)
    with uncollected():
        for id, deed, at, who, place, kind, body, origin, _ in rows:
            try:
                event = event_of(kind, body, id, at, EVENT_KINDS)
            except BadInput as problem:
                made.lost.append((id, str(problem), str(body)))
            else:
                made.kept.append(Entry(kind, body, id, deed, at, who, place, event, origin))
    start: Callable[[], Folded] = workshop_state if row[3] == "workshop" else batch_state
    for _ in range(ROUNDS):  # without one entry another may not fit either
        if not (found := misfits(made.kept, start)):
            return made
        _leave_out(made, {problem.id: str(problem) for problem in found})
    while last := misfits(made.kept, start):
        rest = {entry.id: str(last[0]) for entry in made.kept if entry.id >= last[0].id}
        _leave_out(made, rest)
    return made


def _leave_out(made: Stream, why: dict[int, str]) -> None:
    made.lost += [(entry.id, why[entry.id], entry.text) for entry in made.kept if entry.id in why]
    made.kept = [entry for entry in made.kept if entry.id not in why]


def _headless(stream: Stream) -> bool:
    return not any(entry.kind == "batch_opened" for entry in stream.kept)


def _files(stream: Stream) -> list[str]:
    """Digests of the files a batch speaks of."""
    events = [entry.event for entry in stream.kept]
    opened = [event.files for event in events if isinstance(event, BatchOpened)]
    return list(dict.fromkeys([*opened, *(event.sha256 for event in events if isinstance(event, FileAdded))]))


def rescue(path: Path, target: Path, step: Step = quiet, known: Known | None = None) -> Checked:
    """Write all of a journal that can be kept to a new one at `target`, with what was left out beside it as JSON lines.

    Batches without their first entry go there whole: nothing could open them. Raises `NotSaved`, `NotRead`, `Left`.
    """
    if target.exists():
        raise NotSaved(f"{target} is there already: choose a new name.")
    checked = check(path, part_of(step, 0.0, 0.8), known)
    step(0.8, f"Writing {target.name}")
    draft = target.with_name(target.name + ".part")
    draft.unlink(missing_ok=True)
    out: list[dict[str, Any]] = []
    try:
        journal = Journal(sqlite_url(draft), EVENT_KINDS)
        with journal.writing() as pen:
            _fill(pen, checked, out)
        journal.close()
        if out:
            text = "".join(json_shown(json.dumps(row, ensure_ascii=False)) + "\n" for row in out)
            target.with_name(target.name + ".left-out.jsonl").write_text(text, encoding="utf-8")
        draft.replace(target)
    except OSError as problem:
        raise NotSaved(f"{target} cannot be written: {problem.strerror or problem}.") from problem
    finally:
        draft.unlink(missing_ok=True)
    return checked


def mend(path: Path, step: Step = quiet) -> str:
    """Put what can be read of a journal in its place; what was done, in words. Raises `NotSaved`, `NotRead`, `Left`."""
    new = free(path, "mended")
    lost = rescue(path, new, step).lost
    left = new.with_name(f"{new.name}.left-out.jsonl")
    said = _instead(path, new, f"The journal is mended; {lost} entries were left out.")
    new.unlink(missing_ok=True)
    return f"{said} What was left out stands in {left.name}." if left.exists() else said


def gone_back(path: Path, copy: Backup) -> str:
    """Put a backup in a journal's place; what was done, in words. Raises `NotSaved`."""
    return _instead(path, copy.path, f"This is the journal of {copy.words}.")


def _instead(path: Path, copy: Path, said: str) -> str:
    aside = put_back(path, copy)
    return f"{said} The one before lies in {aside.name}." if aside else said


def _fill(pen: Pen, checked: Checked, out: list[dict[str, Any]]) -> None:
    tables, rows = metadata.tables, checked.salvaged.rows
    for row in rows["attachment"]:
        if digest(bytes(row[3])) == row[1]:
            pen.attach(str(row[2]), bytes(row[3]))
    torn = sum(lost.count for lost in checked.salvaged.lost if lost.table == "event")
    torn = torn or checked.salvaged.unsure
    last = max((entry.id for stream in checked.streams for entry in stream.kept), default=0)
    claimed = {(str(row[1]), str(row[2])) for row in rows["name"]}
    for stream in checked.streams:
        out += [{"batch": stream.title, "number": id, "why": said, "body": body} for id, said, body in stream.lost]
        if stream.row[3] == "batch" and _headless(stream):
            lines = ({"batch": stream.title, "number": e.id, "kind": e.kind, "body": e.text} for e in stream.kept)
            out += [{**line, "why": "the first entry of the batch is missing"} for line in lines]
            continue
        pen.connection.execute(insert(tables["batch"]).values(dict(zip(COLUMNS["batch"], stream.row, strict=True))))
        pen.put(stream.row[0], stream.kept)
        claimed |= {name for entry in stream.kept if entry.event for name in entry.event.claims()}
        if stream.lost or (torn and stream.row[0] not in checked.whole):  # nobody knows whose a torn row was
            last += 1
            first = stream.lost[0][1] if stream.lost else "rows of the journal were torn"
            mark = RecordMended(len(stream.lost) + torn, first[:300])
            pen.put(stream.row[0], [replace(as_entry(mark, pen.deed, pen.at, "", ""), id=last)])
    if claimed:
        rows_of_names = sorted({(scope, name[:120]) for scope, name in claimed})
        pen.connection.execute(insert(tables["name"]), [{"scope": s, "name": n} for s, n in rows_of_names])
