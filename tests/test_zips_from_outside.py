"""Zips of a batch that somebody has put together: each is refused in one sentence that names it, and leaves nothing."""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import asked as c
import pytest
from conftest import leaving
from torture.bombs import HERON

from fusilex.bench.record.archive import batch_in, batch_out
from fusilex.bench.record.bench import Bench
from fusilex.bench.rooms import open_journal
from fusilex.core.problems import BadInput
from fusilex.core.progress import Left
from fusilex.core.shown import is_shown
from fusilex.formats.bundle import read_files
from fusilex.journal.place import sqlite_url
from fusilex.journal.trouble import NotSaved

Rows = list[dict[str, Any]]
Change = Callable[[Rows], object]


@pytest.fixture(scope="module")
def good(tmp_path_factory: pytest.TempPathFactory) -> bytes:
    """A batch with some stock, as it goes out."""
    journal = open_journal(sqlite_url(tmp_path_factory.mktemp("good") / "j.sqlite"))
    bench = Bench.open_batch(journal, read_files(HERON), "Heron R2", 6, prefix="Q", number=7)
    c.acknowledge_all(bench)
    bench.do(c.named("AcceptFiles")())
    bench.do(c.named("ReceiveLot")("bag", "SR-1", "1 k", "0402", 10))
    bench.do(c.named("FillBin")(bench.batch.lines[0].key, 5))
    return batch_out(bench)


def changed(good: bytes, file: str, change: Change) -> bytes:
    """The zip with other events, and the digests that go with them."""
    with zipfile.ZipFile(io.BytesIO(good)) as archive:
        files = {name: archive.read(name) for name in archive.namelist()}
    rows: Rows = [json.loads(line) for line in files[file].splitlines()]
    change(rows)
    files[file] = b"".join(json.dumps(row).encode() + b"\n" for row in rows)
    manifest = json.loads(files["manifest.json"])
    for listed in manifest["files"]:
        listed["sha256"] = hashlib.sha256(files[listed["path"]]).hexdigest()
    files["manifest.json"] = json.dumps(manifest).encode()
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return out.getvalue()


def more(kind: str, **body: Any) -> Change:
    """One more event, as if it were done last."""
    return lambda rows: rows.append({**rows[-1], "number": rows[-1]["number"] + 1, "kind": kind, "body": body})


def other(kind: str, **body: Any) -> Change:
    """Another body where an event of the kind stands."""
    return lambda rows: [row["body"].update(body) for row in rows if row["kind"] == kind]


BATCH, SHOP = "events.jsonl", "workshop.jsonl"
LOT = {"id": "B9", "form": "bag", "part_number": "x", "value": "1 k", "package": "0402", "count": 10}
WAYS: dict[str, tuple[str, Change]] = {
    "a move in the workshop": (SHOP, more("moved", boards=["Q7-01"], to="Kit")),
    "a lot in the batch": (BATCH, more("lot_received", **LOT)),
    "opened twice": (BATCH, lambda rows: rows.append({**rows[0], "number": rows[-1]["number"] + 1})),
    "opened after it was worked on": (BATCH, lambda rows: rows.__setitem__(0, {**rows[1], "number": 1})),
    "its opening taken back": (BATCH, lambda rows: more("undone", deed=rows[0]["deed"])(rows)),
    "half a batch": (BATCH, other("batch_opened", batch=1.5)),
    "a batch that is true": (BATCH, other("batch_opened", batch=True)),
    "a foil thinner than nothing": (BATCH, other("batch_opened", foil_mm=-1.0)),
    "no foil": (BATCH, other("batch_opened", foil_mm=0.0)),
    "somebody written backwards": (BATCH, lambda rows: rows[0].update(who="a\u202eb")),
    "a name with a terminal's command": (BATCH, more("batch_renamed", name="a\x1b[2Jb")),
    "a name without width": (BATCH, more("batch_renamed", name="a\u200bb")),
    "a board nowhere": (BATCH, more("moved", boards=["Q7-01"], to="Nowhere")),
    "done next century": (BATCH, lambda rows: rows[-1].update(at="2099-01-01T00:00:00+00:00")),
    "done before there were clocks": (BATCH, lambda rows: rows[0].update(at="1999-01-01T00:00:00+00:00")),
    "a lot of less than nothing": (SHOP, other("lot_received", count=-5)),
    "more parts than there are": (SHOP, other("lot_received", count=10**15)),
    "a foil as thick as a board": (BATCH, other("batch_opened", foil_mm=1.6)),
    "less than nothing in a bin": (BATCH, other("bin_filled", count=-1)),
    "a panel before the first": (BATCH, more("panel_printed", panel=-1, foil_mm=0.12, paste="leaded", boards=[])),
    "colder than cold": (SHOP, more("air_noted", celsius=-300.0, humidity=40.0)),
    "files that are not there": (BATCH, other("batch_opened", files="0" * 64)),
    "a number that ends the journal": (BATCH, lambda rows: rows[-1].update(number=2**63 - 6)),
    "numbers that fall": (BATCH, lambda rows: rows[-1].update(number=1)),
    "an event that lacks a field": (BATCH, more("moved", boards=["Q7-01"])),
    "a board of another batch": (BATCH, more("moved", boards=["X9-01"], to="Kit")),
}


@pytest.mark.parametrize("way", WAYS)
def test_a_zip_put_together_is_refused_and_leaves_nothing(good: bytes, tmp_path: Path, way: str) -> None:
    file, change = WAYS[way]
    journal = open_journal(sqlite_url(tmp_path / "j.sqlite"))
    entries = journal.since(journal.workshop)
    with pytest.raises((BadInput, NotSaved)) as told:
        batch_in(journal, changed(good, file, change), "b.zip")
    said = str(told.value)
    assert said.startswith("b.zip") and is_shown(said) and "class" not in said and "/" not in said, said
    assert journal.batches() == [] and journal.since(journal.workshop) == entries
    assert batch_in(journal, good, "b.zip").state.boards, "a good copy goes in afterwards"


def test_a_zip_that_is_left_half_way_leaves_nothing(good: bytes, tmp_path: Path) -> None:
    journal = open_journal(sqlite_url(tmp_path / "j.sqlite"))
    said: list[float] = []
    with pytest.raises(Left):
        batch_in(journal, good, "b.zip", leaving(said))
    assert said == sorted(said) and len(said) > 5 and journal.batches() == []
