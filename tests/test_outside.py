"""What comes from outside brings data: no command runs that nobody at this computer saw."""

from __future__ import annotations

import json
import os
from collections.abc import Callable
from contextlib import closing
from pathlib import Path
from typing import Any

import asked as c
import pytest
from conftest import OpenWindow
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QPushButton
from pytestqt.qtbot import QtBot
from test_archive import rows_of, sealed
from test_prove_bench import powered, proving, rung  # noqa: F401  (the fixture)

from fusilex.bench.computer.agreed import agreed
from fusilex.bench.record.archive import batch_in, batch_out
from fusilex.bench.record.bench import Bench
from fusilex.bench.rooms import open_journal
from fusilex.bench.stations.test.functions import list_of
from fusilex.bench.stations.test.programming import firmware_of
from fusilex.bench.workshop.proof_kinds import Firmware
from fusilex.bench.workshop.record_kinds import PasteSheet, Person
from fusilex.bench.workshop.records import Records
from fusilex.core.problems import BadInput
from fusilex.devices.command import plan_command, run_command
from fusilex.journal.bundle import write_bundle
from fusilex.journal.place import sqlite_url
from fusilex.ui.frame.window import Window
from fusilex.ui.stations.test.agree_dialog import AgreeDialog, plan_words
from fusilex.ui.workshop.dialog import Workshop

K = Qt.Key


class Asked:
    """Answers what a window asks before it runs something, and keeps what was shown."""

    def __init__(self, window: Window) -> None:
        self.window, self.shown = window, list[str]()

    def press(self, key: Qt.Key, answer: Callable[[AgreeDialog], None] | None = None) -> None:
        def look() -> None:
            dialog = QApplication.activeModalWidget()
            if isinstance(dialog, AgreeDialog):
                self.shown.append(dialog.text.toPlainText())
                (answer or AgreeDialog.reject)(dialog)

        QTimer.singleShot(0, look)
        QTest.keyClick(self.window, key)
        QApplication.processEvents()


def by_enter(dialog: AgreeDialog) -> None:
    QTest.keyClick(dialog, K.Key_Return)


def by_button(dialog: AgreeDialog) -> None:
    next(b for b in dialog.findChildren(QPushButton) if b.text() == "&Run it from now on").click()


def test_a_command_runs_once_somebody_here_saw_it_and_agreed(
    proving: Bench,  # noqa: F811
    open_window: OpenWindow,
    qtbot: QtBot,
    tmp_path: Path,
) -> None:
    bench, script, made = proving, tmp_path / "flash.sh", tmp_path / "made"
    script.write_text(f'#!/bin/sh\necho "$2 in $(pwd)" >> {made}\n')
    script.chmod(0o755)
    file = tmp_path / "image.bin"
    file.write_bytes(b"image")
    there = firmware_of(bench.batch)
    assert there is not None
    record = {"id": there.id, "design": "Heron R2", "file": str(file), "version": "1"}
    bench.do(c.SetRecord("firmware", {**record, "command": [str(script), "{file}", "{serial}"]}))
    rung(bench, "H7-01")
    powered(bench, "H7-01")
    bench.go("Test", "H7-01")
    window = open_window(bench)
    asked = Asked(window)
    while window.station.view.name != "Power and functions":  # type: ignore[attr-defined]
        QTest.keyClick(window, K.Key_Tab)

    window.desk.go("Test", "H7-02")
    asked.press(K.Key_R, by_button)
    assert "has not had its first power" in window.desk.said and not asked.shown, "checked before anything is shown"
    window.desk.go("Release", "H7-01")
    asked.press(K.Key_R, by_button)
    assert not asked.shown and not made.exists()
    window.desk.go("Test", "H7-01")
    for leave in (by_enter, AgreeDialog.reject):
        asked.press(K.Key_R, leave)
        assert window.desk.said == "Nothing was run." and not made.exists(), "nothing runs by a key pressed in passing"
    assert str(script) in asked.shown[0] and "Word 2: H7-01" in asked.shown[0]

    def ran(times: int) -> bool:
        return made.exists() and len(made.read_text().splitlines()) == times

    asked.press(K.Key_R, by_button)
    qtbot.waitUntil(lambda: ran(1) and not window.station.view.beside.busy)  # type: ignore[attr-defined]
    assert made.read_text().startswith("H7-01 in ") and str(tmp_path) not in made.read_text().split(" in ")[1]
    assert window.desk.said.startswith("Programming ended well") and len(asked.shown) == 3
    asked.press(K.Key_R)
    qtbot.waitUntil(lambda: ran(2) and not window.station.view.beside.busy)  # type: ignore[attr-defined]
    assert len(asked.shown) == 3, "asked once"
    script.write_text(script.read_text() + "# \n")
    asked.press(K.Key_R)
    assert len(asked.shown) == 4 and ran(2), "asked again when a byte has changed"
    bench.do(c.SetRecord("firmware", {**record, "command": [str(script), "{file}", "{serial}", "-f"]}))
    asked.press(K.Key_R)
    assert len(asked.shown) == 5 and "-f" in asked.shown[4]
    plan = plan_command([str(script)], {}, 5)
    assert plan.digest.encode() not in batch_out(bench) and not agreed(plan)


def test_what_is_out_of_step_says_so_and_starts_nothing(proving: Bench, open_window: OpenWindow) -> None:  # noqa: F811
    """A key that is not offered does nothing: the board is elsewhere, or cautions are unread."""
    bench = proving
    there = list_of(bench.batch)
    assert there is not None
    marker = {"id": there.id, "design": "Heron R2", "tests": [{"name": "x", "kind": "run", "command": ["true"]}]}
    bench.do(c.SetRecord("tests", marker))
    bench.do(c.SendBack("H7-01", "Inspect", "to be looked at"))
    window = open_window(bench)
    asked = Asked(window)
    window.desk.go("Test", "H7-01")
    while window.station.view.name != "Power and functions":  # type: ignore[attr-defined]
        QTest.keyClick(window, K.Key_Tab)
    for key in (K.Key_R, K.Key_T, K.Key_P):
        asked.press(key, by_button)
        assert window.desk.said == "Board H7-01 is at Inspect."
    assert not asked.shown
    before = len(bench.record.history)
    with pytest.raises(c.Refused, match="first power"):
        bench.check(c.DoTest("H7-02", "x", "", False))
    rung(bench, "H7-02")
    powered(bench, "H7-02")
    before = len(bench.record.history)
    bench.check(c.DoTest("H7-02", "x", "", False))
    assert len(bench.record.history) == before, "nothing goes on record by asking"


def planted(bench: Bench, **changed: Any) -> bytes:
    """The batch's zip, right in every digest, with a workshop that has a command of somebody else's."""
    data = write_bundle(bench.journal, bench.id, "Fusilex", {})
    evil = {"id": "fw", "design": "Heron R2", "version": "1", "command": ["touch", "/tmp/planted"]}
    row = {"number": 1, "deed": "d", "at": "2026-01-02T03:04:05+00:00", "who": "x", "place": ""}
    rows = [
        {**row, "kind": "record_set", "body": {"what": "firmware", "body": evil}},
        {**row, "number": 2, "kind": "record_removed", "body": {"what": "paste", "id": "leaded"}},
    ]
    return sealed(data, [{**r, **changed} for r in rows], "workshop.jsonl")


def test_records_of_a_zip_are_offered_and_accepted_one_by_one(
    bench: Bench, open_window: OpenWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "x.zip").write_bytes(planted(bench))
    with closing(open_journal(sqlite_url(tmp_path / "here.sqlite"))) as journal:
        own = Bench.open_batch(journal, bench.source.files, "Heron R2", 2, prefix="Z", number=3)
        before = own.workshop[Records].all(Firmware), own.workshop[Records].all(PasteSheet)
        window = open_window(own)
        window.batches.read(tmp_path / "x.zip")
        here = window.desk.bench
        assert "2 of its records differ from the ones here: F4 shows them." in window.desk.said
        assert (here.workshop[Records].all(Firmware), here.workshop[Records].all(PasteSheet)) == before
        dialog = Workshop(window, window.desk)
        assert dialog.offer is not None and "taken away" in dialog.list.currentItem().text()
        QTest.keyClick(dialog, K.Key_X)
        assert "touch" in dialog.list.currentItem().text() and "/tmp/planted" in dialog.list.currentItem().text()
        held_down = QKeyEvent(QKeyEvent.Type.KeyPress, K.Key_A, Qt.KeyboardModifier.NoModifier, "a", True)
        dialog.keyPressEvent(held_down)
        assert here.workshop[Records].all(Firmware) == before[0], "a key held down accepts nothing"
        QTest.keyClick(dialog, K.Key_A)
        assert next(iter(here.workshop[Records].all(Firmware).values())).command == ("touch", "/tmp/planted")
        assert here.workshop[Records].all(PasteSheet) == before[1] and dialog.offer is None
        assert not agreed(plan_command(["touch", "/tmp/planted"], {}, 120)), "and it still runs only if somebody agrees"


def test_a_zip_takes_nothing_back_that_was_done_here(bench: Bench, tmp_path: Path) -> None:
    """Whoever was given a batch knows the names of the deeds in it."""
    with closing(open_journal(sqlite_url(tmp_path / "here.sqlite"))) as journal:
        own = Bench.open_batch(journal, bench.source.files, "Heron R2", 2, prefix="Z", number=3)
        own.do(c.SetRecord("person", {"id": "KM", "name": "Kit Marl"}))
        data = write_bundle(bench.journal, bench.id, "Fusilex", {})
        deed, row = own.shop.history[-1].deed, rows_of(data)[0]
        taken_back = {**row, "number": 1, "kind": "undone", "body": {"deed": deed}}
        here = batch_in(journal, sealed(data, [taken_back], "workshop.jsonl"), "x.zip")
        assert "KM" in here.workshop[Records].all(Person)


EARLY = {"number": 0, "at": "2026-01-02T03:04:05", "kind": "Record", "deed": "", "who": "a\x1b[2J", "place": "x" * 41}


ODD: list[dict[str, Any]] = [
    *({name: value} for name, value in EARLY.items()),
    {"number": True},
    {"number": 2**63 - 6},
    {"at": "9999-12-31T23:59:59+00:00"},
    {"at": 7},
    {"who": "\ud800"},
    {"who": "a\u202eb"},
    {"body": []},
    {"body": {"what": "firmware", "body": {"id": "x", "command": "rm -rf"}}},
    {"body": {"what": "nothing", "body": {}}},
    {"kind": "paste_weighed", "body": {"mass": float("inf")}},
    {"kind": "unheard_of", "body": {"a": 2**60}},
    {"kind": "unheard_of", "body": {"a": "\x00"}},
    {"kind": "unheard_of", "body": {"\ud800": 1}},
    {"kind": "unheard_of", "body": {"a": float("nan")}},
    {"kind": "batch_opened", "body": {"design": "x", "boards": []}},
]


def test_a_refused_zip_leaves_nothing(bench: Bench, tmp_path: Path) -> None:
    """One sentence, nothing kept, and the good copy is taken afterwards."""
    with closing(open_journal(sqlite_url(tmp_path / "here.sqlite"))) as journal:
        for changed in ODD:
            with pytest.raises(BadInput) as told:
                batch_in(journal, planted(bench, **changed), "x.zip")
            said = str(told.value)
            assert said.isprintable() and said.startswith(("x.zip", "The journal")) and len(said) < 400, changed
            assert journal.batches() == [] and journal.since(journal.workshop) == []
        assert batch_in(journal, batch_out(bench), "good.zip").state.boards.keys() == bench.state.boards.keys()


@pytest.mark.parametrize(
    ("field", "value"),
    [
        ("boards", []),
        ("boards", [{"serial": f"Q{n}", "panel": 1, "cell": 0} for n in range(1001)]),
        ("boards", [{"serial": "Q1", "panel": 1, "cell": 99}]),
        ("boards", [{"serial": "Q1", "panel": 1, "cell": -1}]),
        ("foil_mm", 0.0),
        ("foil_mm", -1.0),
        ("paste", "\u0007"),
        ("files", "0" * 64),
        ("files", ""),
        ("losses", {"x": [0, 0, 0, 0]}),
        ("batch", -5),
    ],
)
def test_a_batch_that_cannot_be_is_not_taken_in(bench: Bench, tmp_path: Path, field: str, value: Any) -> None:
    data = write_bundle(bench.journal, bench.id, "Fusilex", {})
    rows = rows_of(data)
    assert rows[0]["kind"] == "batch_opened" and field in rows[0]["body"]
    rows[0]["body"][field] = value
    with closing(open_journal(sqlite_url(tmp_path / "here.sqlite"))) as journal:
        with pytest.raises(BadInput) as told:
            batch_in(journal, sealed(data, rows), "x.zip")
        assert str(told.value).isprintable() and journal.batches() == [] and journal.since(journal.workshop) == []


@pytest.mark.parametrize(
    ("words", "values", "said"),
    [
        ([], {}, "a program of this computer first"),
        (["no-such-program"], {}, "a program of this computer first"),
        (["{serial}"], {"serial": "ls"}, "a program of this computer first"),
        (["ls", "a\x1b[2J"], {}, "without control characters"),
        (["ls", "a\u202eb"], {}, "without control characters"),
        (["ls", "{serial}"], {"serial": "-rf"}, "begins with no -"),
        (["ls", "{serial}"], {"serial": "a\nb"}, "holds no control characters"),
        (["sh", "-c", "echo {serial}"], {"serial": "a; touch b"}, "for a shell"),
        (["sh", "-c", "echo {serial}"], {"serial": "$(id)"}, "for a shell"),
    ],
)
def test_words_say_what_they_show(words: list[str], values: dict[str, str], said: str) -> None:
    with pytest.raises(BadInput, match=said):
        plan_command(words, values, 5)


def test_what_is_agreed_to_is_all_of_it(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Every byte of words, program, scripts and time makes another plan; what is written into a board does not."""
    script, image = tmp_path / "a.py", tmp_path / "image.bin"
    script.write_text("print(7)")
    image.write_bytes(b"1")
    values = {"file": str(image), "serial": "H7-01"}

    def digest(*words: str, seconds: float = 5.0) -> str:
        return plan_command(words, values, seconds, ("file",)).digest

    option = digest("sh", f"--script={script}")
    first = digest("sh", str(script), "{file}")
    others = [digest("sh", str(script), "{file}", "x"), digest("env", str(script), "{file}")]
    others.append(digest("sh", str(script), "{file}", seconds=6.0))
    image.write_bytes(b"2")
    assert digest("sh", str(script), "{file}") == first
    script.write_text("print(8)")
    others.append(digest("sh", str(script), "{file}"))
    assert first not in others and len(set(others)) == 4
    assert digest("sh", f"--script={script}") != option, "a file that an option names is read, too"
    plan = plan_command(["sh", str(script), "{serial}"], values, 5)
    assert plan.shell and "It is a shell" in plan_words(plan) and plan.filled[2] == "H7-01"
    assert not plan_command(["env", "true"], values, 5).shell
    monkeypatch.setenv("PATH", f"{tmp_path}:{os.environ['PATH']}")
    (tmp_path / "flasher").write_text("#!/bin/sh\ntrue\n")
    (tmp_path / "flasher").chmod(0o755)
    started = plan_command(["env", "flasher", "board.bin"], {}, 5)
    assert [Path(path).name for path, _ in started.files] == ["env", "flasher"], "what it starts is agreed to, too"
    (tmp_path / "flasher").write_text("#!/bin/sh\nfalse\n")
    assert plan_command(["env", "flasher", "board.bin"], {}, 5).digest != started.digest
    ran = run_command(plan_command(["sh", "-c", "pwd; ls -A | wc -l"], {}, 5))
    folder, count = ran.output.split()
    assert count == "0" and not Path(folder).exists(), "an empty folder of its own, gone afterwards"
    assert json.loads(json.dumps(plan.files))
