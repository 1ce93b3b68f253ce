"""The frame's own pieces: head, line, Now card, judgements, questions; and how the program starts."""

from __future__ import annotations

import argparse
import os
import re
import subprocess
import sys
from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path

import asked as c
import pytest
from asked import CAUTIONS, marks_seen, taught
from conftest import HERON, OpenWindow
from msgspec.structs import replace
from PyQt6.QtCore import QMimeData, QPointF, QSettings, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot

from fusilex.bench import source
from fusilex.bench.clocks import clocks
from fusilex.bench.intake import design as intake
from fusilex.bench.now import Now
from fusilex.bench.record.beginning import Prepared
from fusilex.bench.record.bench import Bench
from fusilex.bench.record.demos import open_demo
from fusilex.bench.rooms import open_journal
from fusilex.bench.source import read_for
from fusilex.bench.verbs.record import find_board
from fusilex.bench.workshop.habits import Habits
from fusilex.command_line.journals import journal_url, journal_urls
from fusilex.command_line.parser import parser
from fusilex.core.checks.fixes import Fix
from fusilex.core.evidence import Level, every
from fusilex.core.judgement import Judgement
from fusilex.core.problems import BadInput
from fusilex.core.quantities import Quantity
from fusilex.core.route.steps import one_side
from fusilex.core.wording import say
from fusilex.formats.bundle import Files
from fusilex.journal.place import sqlite_url
from fusilex.journal.store import Journal
from fusilex.ui.frame.ask import Ask
from fusilex.ui.frame.batches.new_batch import Wanted
from fusilex.ui.frame.error_report import Mishaps
from fusilex.ui.frame.judgement_list import JudgementCard, Judgements
from fusilex.ui.frame.now_card import NowCard
from fusilex.ui.frame.reader import Reader
from fusilex.ui.frame.start import make_application, start
from fusilex.ui.frame.why import why_html
from fusilex.ui.frame.window import Window
from fusilex.ui.theme import DIM, LIGHT, TOKEN_NAMES, theme, use

ROOT = Path(__file__).parents[1]

STEPS = one_side().ids


def to_reflow(bench: Bench) -> None:
    for station in CAUTIONS:
        bench.do(c.Acknowledge(station))
    bench.do(c.AcceptFiles())
    for line in bench.batch.lines:
        bench.do(c.FillBin(line.key, line.pull))
    bench.do(c.CloseKit())
    bench.do(c.PrintPanel(2, 0.12, "leaded"))


def test_the_head_shows_the_clocks_that_matter(window: Window) -> None:
    bench = window.desk.bench
    assert clocks(bench.batch) == []
    to_reflow(bench)
    tacky = (datetime.now(UTC) + timedelta(hours=4)).astimezone().strftime("%H:")
    shown = dict(clocks(bench.batch))
    assert shown.pop("tacky until").startswith(tacky[:2]) and shown == {"paste out": "0 min", "prints": "1"}
    taught(bench, 2)
    bench.do(c.MachinePlaced(2))
    marks_seen(bench)
    bench.do(c.RecordReflow(2, "run.csv", (HERON / "oven-run-1.csv").read_bytes()))
    assert dict(clocks(bench.batch)) == {"prints": "1", "last oven run": "0 min"}, "baked paste needs no clock"


def test_the_line_counts_boards_and_lets_solder_flow(window: Window) -> None:
    bench, line = window.desk.bench, window.line
    assert line.counts()["Ready"] == 18 and line.done_shares() == [0.0] * 10
    to_reflow(bench)
    assert (line.counts()["Print"], line.counts()["Place"]) == (12, 6)
    shares = dict(zip(STEPS, line.done_shares(), strict=True))
    assert shares["Ready"] == shares["Kit"] == 1.0 and shares["Print"] == pytest.approx(6 / 18) and shares["Place"] == 0
    xs = [line._x(i) for i in range(10)]
    assert xs == sorted(xs) and xs[0] > 30 and xs[-1] < line.width() - 30


def test_the_now_card_grows_with_its_words(qtbot: QtBot) -> None:
    make_application()
    card = NowCard()
    qtbot.addWidget(card)
    card.setFixedWidth(340)
    card.show_now(Now("Short"))
    low = card.height()
    card.show_now(
        Now("A title that takes more than a single line", "and words " * 30, 0.5, ("one caution", "another")), "said"
    )
    assert card.height() > low + 100 and "A title" in card.accessibleName()


def test_judgements_are_chosen_by_key_and_explained(window: Window, qtbot: QtBot) -> None:
    listed = Judgements()
    qtbot.addWidget(listed)
    listed.resize(340, 400)
    made = [
        Judgement(
            "print.release",
            level,
            f"s{i}",
            say("will not release"),
            (Quantity("n", float(i), "mm"),),
            say("no stencil thin enough"),
            (f"U{i}",),
            (),
            (every("parts", 1),),
        )
        for i, level in enumerate(Level)
    ]
    listed.show_judgements(made, {made[1].key: "known"})
    assert listed.current is made[0]
    listed.choose(2)
    assert listed.current is made[2]
    listed.choose(-1)
    assert listed.current is made[3]
    listed.show_judgements(made[1:], {})
    assert listed.current is made[3], "what was chosen stays in hand"
    listed.show_judgements(made, {}, "elsewhere")
    assert listed.current is made[0], "the worst is in hand at another station"
    listed.choose(3)
    listed.show_judgements(made[:1], {}, "elsewhere")
    assert listed.current is made[0]
    long = say("thinner stencil", thin="words " * 30)
    many = [replace(made[0], subject=f"s{i}", advice=long) for i in range(9)]
    listed.show_judgements(many, {})
    listed.choose(8)
    cards = listed.findChildren(JudgementCard)[-9:]
    assert [card.brief for card in cards] == [True] * 8 + [False] and cards[0].height() < cards[8].height() / 2
    text = why_html(made[2], overruled="because I say so")
    for words in ("U2: paste will not release", "IPC-7525", "U2", "because I say so", "2", "mm"):
        assert words in text
    strange = Judgement("kit.bag", Level.GO, "s", say("right bag", name="<b>h</b>"), coverage=(every("parts", 1),))
    assert "<h3>Inputs" not in why_html(strange) and "&lt;b&gt;" in why_html(strange)


def test_a_question_is_answered_once_or_left(qtbot: QtBot) -> None:
    make_application()
    ask, answers = Ask(), list[str]()
    qtbot.addWidget(ask)
    ask.ask("How many?", "12", answers.append)
    assert ask.line.text() == "12" and ask.line.hasSelectedText() and ask.isVisibleTo(None)
    QTest.keyClicks(ask.line, " 40 ")
    QTest.keyClick(ask.line, Qt.Key.Key_Return)
    QTest.keyClick(ask.line, Qt.Key.Key_Return)
    assert answers == ["40"]
    ask.ask("Again?", "", answers.append)
    QTest.keyClick(ask.line, Qt.Key.Key_Return)
    assert answers == ["40"], "an empty answer is none"


def test_a_dropped_folder_asks_for_the_number_of_boards(
    window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    wanted = Wanted(5, "H", 0, "bismuth")
    monkeypatch.setattr("fusilex.ui.frame.file_dialogs.ask_new_batch", lambda *a: wanted)
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(HERON))])
    window.dropEvent(
        QDropEvent(
            QPointF(5, 5), Qt.DropAction.CopyAction, mime, Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier
        )
    )
    qtbot.waitUntil(lambda: len(window.desk.bench.state.boards) == 5, timeout=8000)
    assert window.desk.bench.state.opened["design"] == "heron-r2" and window.desk.bench.state.paste == "bismuth"
    assert window.files.recent() == [str(HERON)]
    window.batches.open(window.desk.bench.journal.batches()[0].id)
    assert len(window.desk.bench.journal.batches()) == 2 and len(window.desk.bench.state.boards) == 18


def test_a_reader_that_was_left_stays_silent(qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    heard: list[object] = []
    reader = Reader([tmp_path / "nowhere"])
    reader.failed.connect(heard.append)
    reader.run()
    assert "nothing there" in str(heard[0])
    reader.left = True
    reader.run()
    monkeypatch.setattr("fusilex.ui.frame.reader.read_paths", lambda path: 1 / 0)
    reader.run()
    assert len(heard) == 1
    reader.left = False
    reader.run()
    assert "a mistake in Fusilex" in str(heard[1]), "a defect is said, not thrown through the window"


def test_reading_says_how_far_it_is_and_stops_where_it_is_left(
    bench: Bench, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    reads: list[str] = []
    real = intake.read_gerber
    monkeypatch.setattr(intake, "read_gerber", lambda data, file: reads.append(file) or real(data, file))
    monkeypatch.setattr("fusilex.ui.frame.waiting.BETWEEN_S", 0.0)
    joined: list[int] = []
    join_files = source.unjoined_design
    monkeypatch.setattr(source, "unjoined_design", lambda *a, **k: joined.append(1) or join_files(*a, **k))
    intake._image.cache_clear()
    shares: list[int] = []
    found: list[tuple[object, ...]] = []
    reader = Reader([HERON], partial(read_for, bench.workshop[Habits]))
    reader.progress.connect(lambda share, what: shares.append(share))
    reader.read.connect(lambda *read: found.append(read))
    reader.run()
    assert shares == sorted(shares) and shares[0] == 0 and shares[-1] == 100 and len(set(shares)) > 10
    layers = len(reads)
    assert layers == len(set(reads)) > 8, "every layer once"
    files, name, read = found[0]
    opened = Bench.open_batch(bench.journal, files, name, 4, prepared=Prepared(read))  # type: ignore[arg-type]
    assert len(reads) == layers and opened.design is read.design, "nothing is read again"  # type: ignore[attr-defined]
    part = opened.design.parts[0]
    opened.do(c.ApplyFix(Fix("leave-out", part.ref, {}, "out")))
    assert not opened.design.part_by_ref[part.ref].populated and len(joined) == 1, "a fix joins anew and reads nothing"
    opened.do(c.AssignFile("heron-r2-silk-top.gbr", "other"))
    assert len(reads) == layers, "nor does another role"
    intake._image.cache_clear()
    stopped = Reader([HERON], partial(read_for, bench.workshop[Habits]))
    stopped.read.connect(lambda *read: found.append(read))
    stopped.progress.connect(lambda share, what: setattr(stopped, "left", share > 40))
    stopped.run()
    assert len(found) == 1 and 0 < len(reads) - layers < layers, "it stopped on the way"


def test_the_demo_is_opened_where_it_was_left(tmp_path: Path) -> None:
    journal = open_journal(sqlite_url(tmp_path / "demo.sqlite"))
    first = open_demo(journal)
    assert next(iter(first.state.boards)) == "H7-01" and len(first.state.boards) == 18 and first.state.paste == "leaded"
    first.do(c.AcceptFiles())
    assert open_demo(journal).state == first.state
    assert open_demo(journal, fresh=True).state.at("Ready") and len(journal.batches()) == 2


def test_a_journal_that_cannot_be_opened_is_said_in_a_window_too(
    capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    shown: list[str] = []
    monkeypatch.setattr(
        "fusilex.ui.frame.stranded.Stranded.exec", lambda asked: shown.append(asked.said.text()) or asked.reject()
    )
    assert start(sqlite_url(HERON / "README.txt" / "j.sqlite"), sqlite_url(HERON / "d.sqlite")) == 2
    assert "cannot be opened" in capsys.readouterr().err and "cannot be opened" in shown[0]


def test_what_nobody_foresaw_is_said_once_and_written_down(
    window: Window, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path))
    monkeypatch.setattr("sys.excepthook", None)
    mishaps = Mishaps(window)
    notes = tmp_path / "fusilex" / "log" / "mishaps.txt"

    def fail() -> None:
        raise ValueError("no such number")

    for _ in range(2):
        try:
            fail()
        except ValueError as error:
            sys.excepthook(type(error), error, error.__traceback__)
    assert mishaps.box is not None and "no such number" in mishaps.box.text() and str(notes) in mishaps.box.text()
    assert mishaps.box.isVisible() and notes.read_text().count("ValueError: no such number") == 1
    mishaps.box.accept()
    box = mishaps.box
    (tmp_path / "fusilex" / "log" / "mishaps.txt").chmod(0o400)
    mishaps.take(KeyError, KeyError("x"), None)
    assert mishaps.box is not box and "saved" in mishaps.box.text()
    mishaps.box.accept()


def test_a_batch_that_cannot_be_shown_locks_nobody_out(
    heron_files: Files, monkeypatch: pytest.MonkeyPatch, tmp_path: Path, qtbot: QtBot, open_window: OpenWindow
) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path))
    monkeypatch.setattr("sys.excepthook", sys.__excepthook__)
    home, demo = sqlite_url(tmp_path / "home.sqlite"), sqlite_url(tmp_path / "demo.sqlite")
    Bench.open_batch(open_journal(home), heron_files, "Mine", 6)
    shown: list[Window] = []

    def show(bench: Bench, settings: QSettings, journal: Journal) -> Window:
        if "Mine" in bench.state.opened["design"]:
            raise OverflowError("too large")
        shown.append(open_window(bench, None, journal))
        return shown[0]

    monkeypatch.setattr("fusilex.ui.frame.start.make_window", show)
    monkeypatch.setattr("fusilex.ui.frame.start.QApplication.exec", lambda *_: 0)
    assert start(home, demo) == 0
    assert shown[0].desk.bench.state.opened["design"] == "Heron R2"
    assert "OverflowError: too large" in (tmp_path / "fusilex" / "log" / "mishaps.txt").read_text()
    box = sys.excepthook.__self__.box  # type: ignore[attr-defined]
    qtbot.addWidget(box)
    assert "too large" in box.text() and sys.excepthook.__self__.window is shown[0]  # type: ignore[attr-defined]


def test_a_new_batch_goes_to_the_workshops_journal_not_to_the_demos(
    bench: Bench, heron_files: Files, open_window: OpenWindow, tmp_path: Path
) -> None:
    home = open_journal(sqlite_url(tmp_path / "home.sqlite"))
    made = open_window(bench, None, home)
    made.files.start_batch("x", heron_files, "Mine", Wanted(6, "M", 0, "leaded"))
    assert [b.name for b in home.batches()] == ["Mine batch 1"] and made.desk.bench.journal is home
    assert len(bench.journal.batches()) == 1


def test_undo_says_what_it_undid(window: Window) -> None:
    window.desk.do(c.AcceptFiles())
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.desk.said == "Taken back: accepting the files." and window.desk.bench.state.at("Ready")
    window.go("Ready")
    both = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    QTest.keyClick(window, Qt.Key.Key_Z, both)
    assert window.desk.said == "Done again: accepting the files." and window.desk.bench.state.at("Kit")
    QTest.keyClick(window, Qt.Key.Key_Z, both)
    assert "nothing to do again" in window.desk.said


def test_journals_by_url_file_environment_and_default(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, bench: Bench
) -> None:
    assert journal_url(str(tmp_path / "a.sqlite")) == f"sqlite:///{tmp_path}/a.sqlite"
    assert journal_url("postgresql://host/db") == "postgresql://host/db"
    assert journal_url(None).endswith("fusilex/journal.sqlite") and journal_url(None, True).endswith("demo.sqlite")
    assert journal_urls(None) == []
    monkeypatch.setenv("FUSILEX_JOURNAL", bench.journal.url)
    assert journal_urls(None) == [bench.journal.url]
    assert find_board("H7-18", [bench.journal]) is not None and find_board("Q1-01", [bench.journal]) is None
    assert isinstance(parser(), argparse.ArgumentParser)


def test_themes_have_the_same_tokens_and_none_is_missing() -> None:
    make_application()
    for tokens in (LIGHT, DIM):
        for name in TOKEN_NAMES:
            assert re.fullmatch(r"#[0-9a-f]{6}", getattr(tokens, name)), name
    for _ in range(12):
        use(DIM)
        use(LIGHT)
    assert theme.colour("ink").name() == LIGHT.ink and theme.colour("ink", 40).alpha() == 40


def test_no_widget_names_a_colour() -> None:
    for path in (ROOT / "src/fusilex/ui").rglob("*.py"):
        if path.name != "theme.py":
            assert not re.search(r"#[0-9a-fA-F]{6}\b|QColor\(", path.read_text()), path.name


def test_the_readme_shows_every_screenshot_and_its_links_lead_somewhere() -> None:
    text = (ROOT / "README.md").read_text()
    shots = {p.name for p in (ROOT / "docs/screenshots").glob("*.png")}
    assert shots and len(shots) < 20 and all(f"docs/screenshots/{name}" in text for name in shots)
    for page in (ROOT / "README.md", *(ROOT / "docs").glob("*.md")):
        for link in re.findall(r"\]\(([^)#:]+)\)", page.read_text()):
            assert (page.parent / link).exists(), (page.name, link)


def test_run_without_a_word_says_what_it_can_do() -> None:
    done = subprocess.run([str(ROOT / "run")], check=False, capture_output=True, text=True)
    assert done.returncode == 2
    for word in ("demo", "test", "plant", "wheel", "app", "shots", "speed", "torture"):
        assert f"./run {word}" in done.stdout


@pytest.mark.parametrize("display", ["", ":4747", "nowhere:0"])
def test_without_a_display_one_sentence_says_so(display: str, tmp_path: Path) -> None:
    there = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")}
    there |= {"DISPLAY": display} if display else {"WAYLAND_DISPLAY": "wayland-77", "XDG_RUNTIME_DIR": str(tmp_path)}
    command = [sys.executable, "-m", "fusilex", "--demo"]
    done = subprocess.run(command, check=False, capture_output=True, text=True, env=there, cwd=tmp_path)
    assert done.returncode == 2 and done.stdout == ""
    assert done.stderr.startswith("fusilex: No window can be opened") and done.stderr.count("\n") == 1
    assert not list(tmp_path.rglob("*.sqlite")), "nothing was made"


def test_bad_input_is_one_line() -> None:
    problem = BadInput("a.csv", "a number", "some\n  text", "line 3")
    assert str(problem) == "a.csv, line 3: expected a number; found some text."
    assert (problem.file, problem.place) == ("a.csv", "line 3")
