"""A whole batch out as one zip and in again on another machine."""

from __future__ import annotations

import io
import json
import re
import zipfile
from copy import deepcopy
from pathlib import Path
from typing import Any

import asked as c
import pytest
from asked import acknowledge_all, marks_seen, taught
from conftest import HERON
from msgspec.structs import asdict

from fusilex.bench.common.events import BatchOpened, BoardCell, Moved
from fusilex.bench.record.archive import batch_in, batch_out
from fusilex.bench.record.bench import Bench
from fusilex.bench.report.papers import board_record
from fusilex.bench.rooms import open_journal
from fusilex.bench.workshop.stock import Lots
from fusilex.core.problems import BadInput
from fusilex.journal.bundle import is_bundle
from fusilex.journal.pen import digest
from fusilex.journal.place import sqlite_url
from fusilex.journal.store import Journal
from fusilex.journal.trouble import NotSaved

LOG = (HERON / "oven-run-1.csv").read_bytes()


@pytest.fixture
def worked(bench: Bench) -> Bench:
    """A batch with a little of everything: stock, a fix, a fault repaired, one open, an overruling, something undone."""
    acknowledge_all(bench)
    line = bench.batch.line_of["U3"]
    bench.do(c.ReceiveLot("tube", line.part_number, line.value, line.package.code, 50, id="T1"))
    bench.do(c.SetPackage("SOIC-8", 5.0, 4.0, 1.7, 80.0))
    bench.do(c.AcceptFiles())
    for each in bench.batch.lines:
        bench.do(c.FillBin(each.key, each.pull, "T1" if "U3" in each.refs else "other"))
    bench.do(c.CloseKit())
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    taught(bench)
    bench.do(c.MachinePlaced(1))
    marks_seen(bench)
    bench.do(c.RecordReflow(1, "run.csv", LOG))
    bench.go("Hand", "H7-01")
    for part in bench.batch.parts_of("Hand")[:3]:
        bench.do(c.SolderPart("H7-01", part.ref))
    bench.do(c.Undo())
    for serial in ("H7-01", "H7-02"):
        while part := bench.batch.next_part(bench.state.boards[serial], "Hand"):
            bench.do(c.SolderPart(serial, part.ref))
        bench.do(c.MarkFault(serial, "R1", "bridge"))
        bench.do(c.InspectBoard(serial))
    bench.do(c.RepairFault("H7-01", bench.state.boards["H7-01"].faults[0].id, "fixed"))
    bench.go("Rework", "H7-02")
    bench.do(c.Overrule(bench.route.open_stops(bench.batch, "Rework")[0].key, "harmless there"))
    return bench


def elsewhere(tmp_path: Path, name: str = "other", rows: int = 0) -> Journal:
    """Another machine's journal, with a history of its own so that no row has its old number."""
    journal = open_journal(sqlite_url(tmp_path / f"{name}.sqlite"))
    for n in range(rows):
        with journal.writing() as pen:
            stream = pen.open_stream(f"earlier {n}")
            pen.write(stream, [BatchOpened(f"earlier {n}", [BoardCell(f"E{n}-01", 1, 0)], batch=100 + n)])
    return journal


def told(bench: Bench) -> dict[str, Any]:
    """All that a batch is, without the numbers its rows have in this journal."""
    state = deepcopy(bench.state)
    faults = [f for b in state.boards.values() for f in b.faults]
    numbers = "|".join(str(f.id) for f in faults) or "none"
    for n, fault in enumerate(faults):
        fault.id = n

    def plain(value: Any) -> Any:
        return json.loads(re.sub(rf" ({numbers})(?=[\",])", " N", json.dumps(value)))

    return {
        "boards": {s: asdict(b) for s, b in state.boards.items()},
        "slices": state.slices,
        "overruled": {plain(key): why for key, why in state.overruled.items()},
        "cautions": state.cautions,
        "opened": state.opened,
        "deeds": [(d.id, d.station, d.boards, plain(d.words)) for d in state.deeds],
        "undone": [d.id for d in state.undone],
        "papers": plain({s: board_record(bench.batch, s) for s in state.boards}),
        "judged": plain({s.id: [j.key for j in bench.judgements(s.id)] for s in bench.route.steps}),
    }


@pytest.mark.parametrize("rows", [0, 40])
def test_a_batch_goes_out_and_comes_back_equal(worked: Bench, tmp_path: Path, rows: int) -> None:
    data = batch_out(worked)
    other = batch_in(elsewhere(tmp_path, rows=rows), data, "batch.zip")
    assert told(other) == told(worked) and other.view == worked.view
    assert other.workshop[Lots].lots["T1"].count == worked.workshop[Lots].lots["T1"].count
    assert other.source.files == worked.source.files and other.design.part_by_ref["U3"].package.height == 1.7
    # and it goes on there: what refers to an earlier event still finds it
    other.do(c.RepairFault("H7-02", other.state.boards["H7-02"].faults[0].id, "fixed"))
    other.do(c.MarkFault("H7-01", "R2", "bridge"))
    ids = [f.id for b in other.state.boards.values() for f in b.faults]
    assert len(set(ids)) == len(ids) == 3
    again = batch_in(elsewhere(tmp_path, "third"), batch_out(other), "again.zip")
    again.go(other.view.step, other.view.board)
    assert told(again) == told(other), "and once more"
    other.do(c.Undo())
    assert [f.ref for f in other.state.boards["H7-01"].faults] == ["R1"], "the last thing done is taken back there too"


def test_numbers_of_another_journal_are_never_rows_here(tmp_path: Path, bench: Bench) -> None:
    """A batch whose rows stood high in its journal, or say so, comes into an empty one, and gets faults there."""
    crowded = elsewhere(tmp_path, "crowded", rows=300)
    there = Bench.open_batch(crowded, bench.source.files, "Heron R2", 1, prefix="N", number=9)
    with crowded.writing() as pen:
        pen.write(there.id, [Moved(["N9-01"], "Inspect")])
    there.refresh()
    acknowledge_all(there)
    for ref in ("R1", "R2"):
        there.do(c.MarkFault("N9-01", ref, "bridge"))
    there.do(c.InspectBoard("N9-01"))
    there.do(c.RepairFault("N9-01", there.state.boards["N9-01"].faults[1].id, "fixed"))
    there.do(c.SendBack("N9-01", "Inspect", "to be looked at again"))
    data = batch_out(there)
    numbers = [row["number"] for row in rows_of(data)]
    for name, offset in (("as they were", 0), ("as high as can be", 2**53 - numbers[-1])):
        journal = elsewhere(tmp_path, name)
        here = batch_in(journal, moved_up(data, offset), "x.zip")
        assert [f.ref for f in here.state.boards["N9-01"].open_faults] == ["R1"], "the repair finds its fault"
        for ref in ("R3", "R4"):
            here.do(c.MarkFault("N9-01", ref, "bridge"))
        ids = [f.id for f in here.state.boards["N9-01"].faults]
        assert sorted(set(ids)) == ids and ids[-1] < 60, "each number once, all of them of this journal"
        second = Bench(journal, here.id)
        second.do(c.MarkFault("N9-01", "R5", "bridge"))
        assert here.refresh() and len(here.state.boards["N9-01"].faults) == 5, "another window's entries are seen"
    with pytest.raises(BadInput, match="a number from 1 up; found 9007199254740993"):
        batch_in(elsewhere(tmp_path, "beyond"), moved_up(data, 2**53 + 1 - numbers[-1]), "x.zip")


def rows_of(data: bytes, path: str = "events.jsonl") -> list[dict[str, Any]]:
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        return [json.loads(line) for line in archive.read(path).splitlines()]


def moved_up(data: bytes, offset: int) -> bytes:
    """The zip with the numbers of its rows, and what refers to them, so much higher."""
    rows = rows_of(data)
    for row in rows:
        row["number"] += offset
        if "fault" in row["body"]:
            row["body"]["fault"] += offset
    return sealed(data, rows)


def sealed(data: bytes, rows: list[dict[str, Any]], path: str = "events.jsonl", **manifest: Any) -> bytes:
    """The zip with other rows and a manifest that is right for them, as somebody who knows the format makes it."""
    lines = "".join(json.dumps(row) + "\n" for row in rows).encode()
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        told = json.loads(archive.read("manifest.json")) | manifest
    for file in told["files"]:
        if file["path"] == path:
            file |= {"sha256": digest(lines), "bytes": len(lines)}
    named = {path.replace(".", "_"): lines, "manifest_json": json.dumps(told).encode()}
    return changed(data, **named)


def test_the_zip_is_open_files(worked: Bench) -> None:
    data = batch_out(worked)
    assert is_bundle(data) and not is_bundle(b"PK") and not is_bundle(LOG)
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        names = archive.namelist()
        manifest = json.loads(archive.read("manifest.json"))
        events = [json.loads(line) for line in archive.read("events.jsonl").splitlines()]
        logs = [n for n in names if n.endswith("run.csv")]
        assert archive.read(logs[0]) == LOG and any(n.endswith("Heron R2.zip") for n in names)
        assert json.loads(archive.read("papers/H7-01.json"))["serial"] == "H7-01"
    assert manifest["format"] == "fusilex-batch-1" and {f["path"] for f in manifest["files"]} == {*names} - {
        "manifest.json"
    }
    assert events[0]["kind"] == "batch_opened" and len(events) == len(worked.record.history)


def changed(data: bytes, **files: bytes | None) -> bytes:
    """The zip with files replaced or taken out; underscores stand for dots."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as archive, zipfile.ZipFile(out, "w") as made:
        for name in archive.namelist():
            new = files.get(name.replace(".", "_"), archive.read(name))
            if new is not None:
                made.writestr(name, new)
    return out.getvalue()


def test_what_was_tampered_with_is_refused_whole(worked: Bench, tmp_path: Path) -> None:
    journal, data = elsewhere(tmp_path), batch_out(worked)
    lines = zipfile.ZipFile(io.BytesIO(data)).read("events.jsonl").splitlines(keepends=True)
    for bad, words in (
        (b"no zip", "a zip that can be read"),
        (data[:-400], "a zip that can be read"),
        (changed(data, manifest_json=b"{}"), "manifest.json: expected a batch written as fusilex-batch-1"),
        (changed(data, manifest_json=b"[]"), "manifest.json: expected a batch written as"),
        (changed(data, events_jsonl=None), "expected the file events.jsonl; found it is missing"),
        (changed(data, events_jsonl=b"".join(lines[:-1])), "events.jsonl: expected the file as it was written"),
    ):
        with pytest.raises(BadInput, match=words):
            batch_in(journal, bad, "batch.zip")
    assert journal.batches() == [] and journal.since(journal.workshop) == []
    with pytest.raises(NotSaved, match="There is a batch 7 already"):
        batch_in(worked.journal, data, "batch.zip")
    assert len(worked.journal.batches()) == 1


def test_batches_are_found_by_serial_design_and_lot(worked: Bench) -> None:
    search = worked.journal.search
    kinds = ("batch_opened", "bin_filled")
    assert search("h7-05", kinds) == search("Heron", kinds) == search("T1", kinds) == {worked.id}
    for text in ("H8-05", "h7_05", "H%05"):
        assert search(text, kinds) == set(), text
