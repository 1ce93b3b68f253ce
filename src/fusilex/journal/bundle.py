"""A whole batch as one zip of open files, and back: events as JSON lines, what was handed in, a manifest with digests.

manifest.json       format, name, when it was opened, every other file with its SHA-256
events.jsonl        the batch's events, oldest first, one JSON object a line
workshop.jsonl      the workshop's events up to then, in the same form
handed-in/          design files and oven logs, named by digest and their own name
…                   whatever else the writer adds for people: papers
"""

from __future__ import annotations

import hashlib
import io
import json
import re
import zipfile
from collections.abc import Callable, Iterable, Mapping, Sequence
from datetime import UTC, datetime, timedelta
from functools import partial
from typing import IO

from msgspec import Struct
from msgspec.structs import replace
from sqlalchemy import insert, select

from fusilex.core.problems import UNREADABLE_ZIP, BadInput, read_json
from fusilex.core.shown import json_shown
from fusilex.journal.entries import Entry, Kinds, typed
from fusilex.journal.folding import Redone, Undone
from fusilex.journal.outside import is_line, is_time, row_from
from fusilex.journal.pen import Pen, digest, row_id
from fusilex.journal.schema import batches, events
from fusilex.journal.store import Journal

FORMAT = "fusilex-batch-1"
MOST_BYTES, MOST_FILE_BYTES, MOST_FILES, MOST_EVENTS = 512 * 2**20, 100 * 2**20, 5000, 500_000
MOST_TEXT_BYTES = 200 * 2**20
AHEAD = timedelta(days=1)
"""Clocks of two computers may differ; nothing was done later than that."""
EVENTS, WORKSHOP, MANIFEST, HANDED_IN = "events.jsonl", "workshop.jsonl", "manifest.json", "handed-in/"
DAMAGE = "damage.txt"
_SHA = re.compile(r"\b[0-9a-f]{64}\b")


class Bundle(Struct, frozen=True):
    """A batch as read from a zip: its entries and the workshop's, and attachments by digest: the name of each, and what
    gives its contents, which are kept in the zip as long as nobody needs them.
    """

    name: str
    opened_at: str
    entries: tuple[Entry, ...]
    workshop: tuple[Entry, ...]
    files: Mapping[str, tuple[str, Callable[[], bytes]]]


def write_bundle(journal: Journal, batch: int, made_with: str, papers: Mapping[str, bytes]) -> bytes:
    """The zip of a batch; `papers` are files for people that go with it. KeyError for a batch that is not there.

    A batch that is damaged goes out as far as it can be read; ``damage.txt`` says what is wrong.
    """
    row = next((b for b in journal.batches() if b.id == batch), None)
    if row is None:
        raise KeyError(batch)
    told = {EVENTS: journal.as_far_as(batch), WORKSHOP: journal.as_far_as(journal.workshop)}
    files = {name: _lines(entries) for name, (entries, _) in told.items()}
    if wrong := "".join(f"{name} ends early: {why}\n" for name, (_, why) in told.items() if why):
        files[DAMAGE] = wrong.encode()
    for sha in dict.fromkeys(_SHA.findall(files[EVENTS].decode())):
        if found := journal.attached(sha):
            files[f"{HANDED_IN}{sha[:12]}-{_plain(found[0])}"] = found[1]
    files |= papers
    manifest = {
        "format": FORMAT,
        "made_with": made_with,
        "name": row.name,
        "opened_at": row.opened_at,
        "files": [{"path": name, "sha256": digest(data), "bytes": len(data)} for name, data in files.items()],
    }
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(MANIFEST, json_shown(json.dumps(manifest, indent=1, ensure_ascii=False)) + "\n")
        for name, data in files.items():
            archive.writestr(name, data)
    return out.getvalue()


def is_bundle(data: bytes) -> bool:
    """True for a zip that holds a batch."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            return {MANIFEST, EVENTS} <= set(archive.namelist())
    except UNREADABLE_ZIP:
        return False


def read_bundle(data: bytes, name: str, kinds: Kinds) -> Bundle:
    """Read a batch's zip; every file must be what the manifest says, every event what its kind says. Raises
    `BadInput`.
    """
    digests, texts = _unpacked(data, name)
    manifest = read_json(texts.get(MANIFEST, b""), name, MANIFEST)
    if not isinstance(manifest, dict) or manifest.get("format") != FORMAT:
        raise BadInput(name, f"a batch written as {FORMAT}", "something else", MANIFEST)
    try:
        listed = {str(f["path"]): str(f["sha256"]) for f in manifest["files"]}
        title, opened_at = manifest["name"], manifest["opened_at"]
    except (KeyError, TypeError) as problem:
        raise BadInput(name, "name, date and files of the batch", f"no {problem.args[0]}", MANIFEST) from problem
    if not is_line(title, 120) or not is_time(opened_at):
        raise BadInput(
            name, "the batch's name in one line and when it was opened", ascii((title, opened_at))[:60], MANIFEST
        )
    for path in (*listed, EVENTS, WORKSHOP):
        if path not in digests:
            raise BadInput(name, f"the file {path}", "it is missing")
        if digests[path] != listed.get(path):
            raise BadInput(name, "the file as it was written", "it was changed since", path)
    attached = {
        sha: (path.removeprefix(HANDED_IN).partition("-")[2], partial(_content, data, path))
        for path, sha in digests.items()
        if path.startswith(HANDED_IN)
    }
    entries, shop = (_entries(texts[path], name, path, kinds) for path in (EVENTS, WORKSHOP))
    if not entries:
        raise BadInput(name, "at least one event", "none", EVENTS)
    return Bundle(title, opened_at, entries, shop, attached)


def take_in(journal: Journal, bundle: Bundle) -> int:
    """Add a batch to a journal, all of it or nothing; its id. Raises `NotSaved`, as for a serial that is here already.

    Events get numbers of their own, and what refers to them is put right. Of the workshop's events those go with it
    that this batch wrote; all of them where the workshop here has none yet. What was done here before is not undone.
    """
    own = {entry.deed for entry in bundle.entries}
    shop, there = journal.workshop, bool(journal.since(journal.workshop))
    with journal.writing() as pen:
        known = {row.deed for row in pen.connection.execute(select(events.c.deed).where(events.c.batch_id == shop))}
        row = insert(batches).values(name=bundle.name, opened_at=bundle.opened_at)
        batch = row_id(pen.connection.execute(row))
        for name, content in bundle.files.values():
            pen.attach(name, content())
        stocked = [e for e in bundle.workshop if e.deed not in known and (not there or e.deed in own)]
        _add(pen, shop, [e for e in stocked if not (isinstance(e.event, Undone | Redone) and e.event.deed in known)])
        _add(pen, batch, bundle.entries)
    return batch


def _add(pen: Pen, stream: int, entries: Iterable[Entry]) -> None:
    numbers: dict[int, int] = {}
    for entry in entries:
        if entry.event is not None:
            for scope, name in entry.event.claims():
                pen.claim(scope, name)
            if entry.event.refers:
                entry = replace(entry, text=json.dumps(type(entry.event).renumbered(entry.body, numbers)))
        numbers[entry.number] = pen.add(stream, entry)


def _lines(entries: Sequence[Entry]) -> bytes:
    rows = (
        {"number": e.number, "deed": e.deed, "at": e.at, "who": e.who, "place": e.place, "kind": e.kind, "body": e.body}
        for e in entries
    )
    return "".join(json_shown(json.dumps(row, ensure_ascii=False)) + "\n" for row in rows).encode()


def _entries(data: bytes, file: str, path: str, kinds: Kinds) -> tuple[Entry, ...]:
    found: list[Entry] = []
    latest = datetime.now(UTC) + AHEAD
    for n, line in enumerate(io.BytesIO(data), 1):
        place = f"{path}, line {n}"
        entry = row_from(read_json(line, file, place), file, place)
        if datetime.fromisoformat(entry.at) > latest:
            raise BadInput(file, "times up to now", entry.at, place)
        if len(found) >= MOST_EVENTS or (found and entry.origin <= found[-1].origin):
            raise BadInput(file, "events in order", f"number {entry.origin}", place)
        try:
            found.append(typed(entry, kinds))
        except BadInput as problem:
            raise BadInput(file, problem.expected, problem.found, f"{place}, {entry.kind}") from problem
    return tuple(found)


def _unpacked(data: bytes, name: str) -> tuple[dict[str, str], dict[str, bytes]]:
    """Digests of all files, and the contents of those that tell of the others. Raises `BadInput`."""
    told = {MANIFEST, EVENTS, WORKSHOP}
    digests: dict[str, str] = {}
    texts: dict[str, bytes] = {}
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            there = [i for i in archive.infolist() if not i.is_dir()]
            if len(there) > MOST_FILES or sum(i.file_size for i in there) > MOST_BYTES:
                raise BadInput(name, f"at most {MOST_FILES} files and {MOST_BYTES >> 20} MB", "more")
            if any(i.compress_type not in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED) for i in there):
                raise BadInput(name, "files stored or deflated", "another way of packing")
            for one in there:
                most = MOST_TEXT_BYTES if one.filename in told else MOST_FILE_BYTES
                if one.file_size > most:
                    raise BadInput(name, f"at most {most >> 20} MB", f"{one.file_size >> 20} MB", one.filename)
                with archive.open(one) as content:
                    digests[one.filename] = _digest(content)
                if one.filename in told:
                    texts[one.filename] = archive.read(one)
    except UNREADABLE_ZIP as problem:
        raise BadInput(name, "a zip that can be read", str(problem)) from problem
    return digests, texts


def _digest(content: IO[bytes]) -> str:
    found = hashlib.sha256()
    while some := content.read(2**20):
        found.update(some)
    return found.hexdigest()


def _content(data: bytes, path: str) -> bytes:
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        return archive.read(path)


def _plain(name: str) -> str:
    return re.sub(r"[^\w. +-]", "_", name)[-80:] or "file"
