"""Words from files and hands: in no output do they become a command, a formula, markup, or half a file."""

from __future__ import annotations

import csv
import io
import json
import os
import re
import resource
import signal
import stat
import zipfile
from html.parser import HTMLParser
from pathlib import Path
from typing import Any

import asked as c
import numpy as np
import pytest
from conftest import OpenWindow
from machines import job
from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QLabel

from fusilex.app import main
from fusilex.bench.computer.user import user_name
from fusilex.bench.record.bench import Bench
from fusilex.bench.refusal import Refused
from fusilex.bench.report.papers import page_html
from fusilex.bench.rooms import open_journal
from fusilex.bench.stations.place.events import Placing
from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement
from fusilex.core.machine.rs274 import Reader
from fusilex.core.problems import BadInput
from fusilex.core.programme.plan import Plan, Trip
from fusilex.core.quantities import Quantity
from fusilex.core.shown import is_shown, json_shown, shown
from fusilex.core.wording import say
from fusilex.formats.bundle import Files
from fusilex.formats.lists.grids import grids_of
from fusilex.formats.lists.stock import StockRow, read_stock, stock_csv
from fusilex.formats.written.csv_lists import to_csv
from fusilex.formats.written.gcode import to_gcode
from fusilex.formats.written.programme import Step
from fusilex.formats.written.programme import to_csv as programme_csv
from fusilex.formats.written.whole import write_whole
from fusilex.journal.place import sqlite_url
from fusilex.journal.trouble import NotSaved
from fusilex.ui.frame.why import why_html
from fusilex.ui.widgets.words import plain_label
from fusilex.ui.workshop.dialog import Workshop

HOSTILE = [
    "10k\nG0 X0 Y0 Z-50",
    "10k) G1 Z-9 (",
    "(((",
    ")\rM3\r(",
    "%\nM30\n%",
    "; G0 Z-5",
    "a\x00b\x0bM5\x0cG0",
    "\u2028G0 Z-5\u2029",
    "\u0085G0 Z-5",
    "=1+1",
    "+cmd|' /C calc'!A0",
    "-2+3",
    "@SUM(A1)",
    "\t=1",
    "\tx",
    "\rx",
    "\r=1",
    " =1",
    "'=1",
    "''@x",
    "＝1+1",
    '="x"',
    '"; =1;"',
    "<b>bold</b><img src=file:///etc/passwd>",
    "<script>x</script>",
    "{{ 7*7 }}",
    "&amp;",
    "x" * 5000,
    "\ud800",
    "\u202egnp.exe",
]
"""What somebody's list might hold."""


def steps_with(words: str) -> list[Step]:
    return [Step(n, words, 1.5 * n, 2.0, 90.0, 0.5, n, words, words) for n in (1, 2)]


def code_with(words: str) -> list[tuple[tuple[str, float], ...]]:
    """What a controller reads of a programme whose lines, parts, slots, nozzles and heads all bear these words."""
    plain = job(8, 3, 2, slots=4)
    m = plain.machine
    named = replace(
        m,
        name=words,
        slots=tuple(replace(s, name=f"{words}{k}") for k, s in enumerate(m.slots)),
        nozzles=tuple(replace(n, name=f"{words}{k}") for k, n in enumerate(m.nozzles)),
        heads=tuple(replace(h, name=f"{words}{k}") for k, h in enumerate(m.heads)),
    )
    names = tuple(f"{words}{k}" for k in range(3))
    hostile = replace(plain, machine=named, names=names, labels=tuple((words, k) for k in range(8)))
    trips = tuple(Trip((0, 1), held, held) for held in (((0, k), (1, k + 1)) for k in range(0, 8, 2)))
    text = to_gcode(hostile, Plan(np.arange(3), trips), words)
    assert all(" " <= ch <= "~" or ch == "\n" for ch in text) and not re.search(r"\([^()\n]*[(%;]", text)
    reader = Reader()
    return [block.words for line in text.split("\n") for block in reader.feed(line) if block.words]


def test_no_word_of_a_list_reaches_the_machine() -> None:
    intended = code_with("R1")
    assert ("Z", -50.0) not in {word for block in intended for word in block} and len(intended) > 100
    for words in HOSTILE:
        assert code_with(words) == intended, words


def test_no_cell_is_a_formula_and_all_read_back_equal() -> None:
    for words in HOSTILE:
        for text in (to_csv(("a", "b"), [(words, -1.5)]), programme_csv(steps_with(words))):
            rows = list(csv.reader(io.StringIO(text, newline="")))
            for cell in (cell for row in rows for cell in row):
                number = re.fullmatch(r"-?\d+(\.\d+)?", cell)
                assert number or not re.match(r"\s*[=+\-@\t\r＝＋－＠]", cell), cell
        if "\x00" not in words:
            grid = next(g for g in grids_of(to_csv(("a", "b"), [(words, 7)]).encode(), "x") if g.rows[0] == ("a", "b"))
            assert len(grid.rows) > 1, repr(words)
            assert grid.rows[1][0].strip() == shown(words).strip() or words == '="x"', words


def test_stock_goes_out_and_comes_back_whatever_it_is_called(bench: Bench) -> None:
    names = [w for w in HOSTILE if w.isprintable() and len(w) < 60 and w == w.strip() and '"' not in w]
    for name in names:
        bench.do(c.named("ReceiveLot")("bag", name, "10 k", "0402", 10))
    blank = StockRow("L1", "bag", "", "10 k", "0402", 10, "", "", "", "")
    made = [replace(blank, id=f"L{n}", part_number=name) for n, name in enumerate(names)]
    assert [row.part_number for row in read_stock(stock_csv(made).encode(), "stock.csv")] == names and len(names) > 9


class Tags(HTMLParser):
    def __init__(self, html: str) -> None:
        super().__init__()
        self.found: list[str] = []
        self.feed(html)

    def handle_starttag(self, tag: str, attrs: object) -> None:
        self.found.append(tag)


def hostile_batch(files: Files, tmp_path: Path) -> Bench:
    """Heron with hostile values in its list."""
    text = files["heron-r2-bom.csv"].decode()
    rows = list(csv.reader(io.StringIO(text)))
    wicked = [w for w in HOSTILE if w != "\ud800"]
    for n, row in enumerate(rows[1:]):
        row[4] = wicked[n % len(wicked)]
        if n % 3 == 0:
            row[2] = wicked[(n + 5) % len(wicked)]
    out = io.StringIO()
    csv.writer(out).writerows(rows)
    made = files | {"heron-r2-bom.csv": out.getvalue().encode()}
    return Bench.open_batch(
        open_journal(sqlite_url(tmp_path / "hostile.sqlite")), made, "<b>Heron</b>", 6, prefix="<i>"
    )


def test_a_hostile_list_in_every_picture_paper_and_file(
    heron_files: Files, tmp_path: Path, open_window: OpenWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    bench = hostile_batch(heron_files, tmp_path)
    for n, words in enumerate(word for word in HOSTILE if len(word) < 60 and word != "\ud800"):
        bench.do(c.named("ReceiveLot")("bag", words, words, "0402", 10 + n))
    window = open_window(bench)
    out = tmp_path / "out"
    out.mkdir()
    monkeypatch.setattr(
        "fusilex.ui.frame.file_dialogs.QFileDialog.getSaveFileName", lambda *a: (str(out / Path(str(a[2])).name), "")
    )
    for judged in bench.judgements("Ready"):
        if judged.level is Level.STOP:
            bench.do(c.named("Overrule")(judged.key, "to see the rest"))
    bench.do(c.named("AcceptFiles")())
    c.acknowledge_all(bench)
    painted: set[str] = set()
    draw = QPainter.drawText

    def spied(painter: QPainter, *given: Any) -> Any:
        painted.update(word for word in given if isinstance(word, str))
        return draw(painter, *given)

    monkeypatch.setattr(QPainter, "drawText", spied)
    for step in bench.route.steps.ids:
        window.go(step)
        window.grab()
        for key in window.keys():
            if key.keys in ("B", "E", "J", "P"):
                key.action(key.keys)
        for n, _ in enumerate(getattr(window.station, "view_classes", ())):
            window.station.show_view(n)
            window.grab()
    for words in [*painted, *(label.text() for label in window.findChildren(QLabel)), window.windowTitle()]:
        assert all(map(is_shown, words.split("\n"))), ascii(words)
    assert len(painted) > 200
    for label in [*window.findChildren(QLabel), *Workshop(window, window.desk).findChildren(QLabel)]:
        assert label.textFormat() == Qt.TextFormat.PlainText, label.text()
    plain = Tags(page_html(bench.batch, next(iter(bench.state.boards)))).found
    assert not {"b>", "img", "script", "i"} & set(plain)
    bench.state[Placing].taught[1, "Place"] = {name: (x, y) for name, x, y in bench.batch.panel.fiducials}
    bench.go("Place")
    written = {p.suffix for p in out.iterdir()}
    assert {".csv", ".pdf"} <= written and not [p for p in out.iterdir() if "part" in p.suffix], written
    for path in out.glob("*.json"):
        json.loads(path.read_text())
    for path in (p for p in out.iterdir() if p.suffix in (".csv", ".json", ".html", ".ngc", ".txt")):
        assert all(map(is_shown, path.read_text().split("\n"))) and is_shown(path.name), path


def test_nothing_leaves_that_does_not_show(
    heron_files: Files,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
    bench: Bench,
    qapp: object,
) -> None:
    for words in HOSTILE:
        for sentence in (BadInput(words, words, words, words), Refused(words), NotSaved(words)):
            assert is_shown(str(sentence))
        told = plain_label(words)
        told.setText(words)
        assert all(map(is_shown, told.text().split("\n"))), words
        assert json.loads(json_shown(json.dumps({"a": words}, ensure_ascii=False))) == {"a": words}
        if "\x00" in words or "/" in words:
            continue
        monkeypatch.setenv(
            "LOGNAME",
            words.encode("utf-8", "surrogateescape" if words != "\ud800" else "replace").decode("utf-8", "replace"),
        )
        assert is_shown(user_name())
    sheet = tmp_path / "heron"
    sheet.mkdir()
    for name, data in heron_files.items():
        (sheet / name).write_bytes(data.replace(b"10 k", "10\u202e k\x1b[2J\x9b".encode()) if "bom" in name else data)
    for verb in (
        ["openings", str(sheet), "--foil", "0.12"],
        ["check", str(sheet), "--json"],
        ["check", str(sheet)],
        ["probes", str(sheet)],
    ):
        assert main(verb) in (0, 1, 2)
        said = capsys.readouterr()
        assert said.out and all(map(is_shown, (said.out + said.err).split("\n"))), verb
    with pytest.raises(SystemExit):
        main(["check", str(sheet), "--\x1b[2J"])
    assert all(map(is_shown, capsys.readouterr().err.split("\n")))
    (sheet / "a\x1b[2J.csv").write_text("x")
    assert main(["check", str(sheet)]) == 2
    assert "whose names can be shown" in (said := capsys.readouterr().err) and all(map(is_shown, said.split("\n")))
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as made:
        made.writestr("gnp\u202e.gbr", "x")
    (tmp_path / "z.zip").write_bytes(out.getvalue())
    assert main(["check", str(tmp_path / "z.zip")]) == 2 and is_shown(capsys.readouterr().err.strip())


def test_reasons_are_escaped() -> None:
    for words in HOSTILE:
        text = say("label unclear", name=words)
        do = say("used all the same", reason=words)
        judged = Judgement("kit.bag", Level.STOP, words, text, (Quantity(words, words),), do, (words,), (words,))
        assert set(Tags(why_html(judged, overruled=words)).found) <= {"h2", "h3", "p", "b", "table", "tr", "td"}


def test_files_are_whole_or_as_they_were(tmp_path: Path) -> None:
    old, new, link = tmp_path / "a.csv", tmp_path / "b.ngc", tmp_path / "link.csv"
    old.write_bytes(b"before")
    old.chmod(0o640)
    link.symlink_to(old)
    limit = resource.getrlimit(resource.RLIMIT_FSIZE)
    was = signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
    resource.setrlimit(resource.RLIMIT_FSIZE, (50_000, limit[1]))  # stands for a disk that is full
    try:
        with pytest.raises(OSError, match="too large"):
            write_whole({old: b"after", new: b"x" * 100_000})
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, limit)
        signal.signal(signal.SIGXFSZ, was)
    assert old.read_bytes() == b"before" and sorted(os.listdir(tmp_path)) == ["a.csv", "link.csv"]
    write_whole({link: b"after"})
    assert link.is_symlink() and old.read_bytes() == b"after" and stat.S_IMODE(old.stat().st_mode) == 0o640
    for place in (Path("/dev/full"), Path("/dev/null"), tmp_path, tmp_path / "no" / "x", tmp_path / ("n" * 300)):
        with pytest.raises(OSError):
            write_whole({place: b"x"})
    assert sorted(os.listdir(tmp_path)) == ["a.csv", "link.csv"]


def test_written_is_said_only_of_what_is_written(window: Any, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(
        "fusilex.formats.written.whole.os.fsync",
        lambda fd: (_ for _ in ()).throw(OSError(28, "No space left on device")),
    )
    window.go("Release")
    window.station.show_view(2)
    old = tmp_path / "p.pdf"
    old.write_bytes(b"before")
    window.station.view.write(str(old))
    assert window.desk.said == "p.pdf cannot be written: No space left on device." and old.read_bytes() == b"before"
    monkeypatch.undo()
    window.station.view.write(str(old))
    assert old.read_bytes().startswith(b"%PDF") and "are in p.pdf" in window.desk.said
    monkeypatch.setattr("fusilex.ui.widgets.paper.QPainter.begin", lambda *a: False)
    window.station.view.write(str(old))
    assert "cannot be painted" in window.desk.said
