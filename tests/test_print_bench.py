"""Print as hands do it, by keys in the real window and headless: the foil, the run, weights, jars, dots; its verbs."""

from __future__ import annotations

import json
from datetime import UTC, datetime, timedelta
from pathlib import Path

import asked as c
import numpy as np
import pytest
import shapely
from asked import acknowledge_all, project, project_workshop
from conftest import HERON, OpenWindow, read_out
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from fusilex.app import main
from fusilex.bench.record.bench import Bench
from fusilex.bench.report.papers import page_html
from fusilex.bench.stations.print.commands import PrintPanel
from fusilex.bench.stations.print.dots import Dots, done_on, plan
from fusilex.bench.stations.print.events import Printing
from fusilex.bench.stations.print.foil_events import STAGES, Foil, Run
from fusilex.bench.stations.print.jars import jar_in_use, state_of
from fusilex.bench.stations.print.scales import carried_g
from fusilex.bench.stations.print.stencil import alignment, landing, looks_at, moves_for, sheet
from fusilex.bench.workshop.paste_care import JarHandled, JarLogged, PasteCare, jar_state
from fusilex.bench.workshop.record_kinds import Jar, PasteSheet
from fusilex.bench.workshop.records import Records
from fusilex.core.design.model import Design
from fusilex.core.evidence import Level
from fusilex.core.panel.layout import Panel
from fusilex.core.printing.apertures import apertures_of
from fusilex.core.printing.stepped import plain_ref, stepped
from fusilex.devices.air_sensor import SimulatedAir, parse_air, read_air
from fusilex.formats.bundle import Files, read_files
from fusilex.formats.layers.gerber import read_gerber
from fusilex.journal.entries import Entry
from fusilex.journal.place import sqlite_url
from fusilex.ui.frame.window import Window

K = Qt.Key
ARROWS = {"Left": K.Key_Left, "Right": K.Key_Right, "Up": K.Key_Up, "Down": K.Key_Down}


def at_print(bench: Bench) -> Bench:
    """Every panel waits at Print, its cautions read."""
    acknowledge_all(bench)
    bench.do(c.AcceptFiles())
    for line in bench.batch.lines:
        bench.do(c.FillBin(line.key, line.pull))
    for stop in bench.route.open_stops(bench.batch, "Kit"):
        bench.do(c.Overrule(stop.key, "for the test"))
    bench.do(c.CloseKit())
    bench.go("Print", next(iter(bench.state.boards)))
    return bench


def press(window: Window, *keys: Qt.Key) -> None:
    for key in keys:
        QTest.keyClick(window, key)


def answer(window: Window, text: str) -> None:
    assert window.ask.isVisible()
    window.ask.line.setText(text)
    QTest.keyClick(window.ask.line, K.Key_Return)


def shift(window: Window, dx: float, dy: float) -> None:
    """What is seen, by arrow keys of a hundredth."""
    for value, plus, minus in ((dx, "Right", "Left"), (dy, "Up", "Down")):
        press(window, *[ARROWS[plus if value > 0 else minus]] * round(abs(value) * 100))


def at_view(window: Window, name: str) -> None:
    """The view of a name, by Tab."""
    window.desk.go("Print")
    station = window.station
    while station.view.name != name:  # type: ignore[attr-defined]
        press(window, K.Key_Tab)


def levels(bench: Bench, rule: str) -> list[Level]:
    return [j.level for j in bench.judgements("Print") if j.rule == rule]


def test_a_seeded_misalignment_is_found_and_moved_away_by_keys(bench: Bench, open_window: OpenWindow) -> None:
    window = open_window(at_print(bench))
    at_view(window, "Foil")
    assert "Look at place 1" in window.now_card.now.title and levels(bench, "print.aligned") == [Level.UNKNOWN]
    turn, off = np.radians(0.12), np.array([0.10, -0.06])
    panel = bench.batch.panel
    middle = np.array([panel.width / 2, panel.height / 2])

    def lies(place: tuple[float, float]) -> np.ndarray:
        arm = np.array(place) - middle
        return off + turn * np.array([-arm[1], arm[0]])

    view = window.station.view  # type: ignore[attr-defined]
    for _ in range(2):
        shift(window, *lies(view.place).round(2).tolist())
        assert window.station.view.picture.shown.seen[view.place] == pytest.approx(lies(view.place), abs=0.006)  # type: ignore[attr-defined]
        press(window, K.Key_Space)
    assert len(looks_at(bench.batch)) == 2 and Level.STOP in levels(bench, "print.aligned")
    assert "Move the foil" in window.now_card.now.title and "Left end" in window.now_card.now.detail
    for move in moves_for(bench.batch):
        assert (move.x, move.y) == pytest.approx(-lies(move.at), abs=0.02)
    with pytest.raises(c.Refused, match="would bridge or miss"):
        bench.do(PrintPanel(1, 0.12, "leaded"))
    press(window, K.Key_X, K.Key_Return)
    assert looks_at(bench.batch) == () and bench.state[Foil].moved["Print"] == 1
    press(window, K.Key_Space, K.Key_Space)
    assert levels(bench, "print.aligned") == [Level.GO] and "lies well" in window.now_card.now.title
    press(window, K.Key_Backspace)
    assert len(looks_at(bench.batch)) == 1
    press(window, K.Key_T)
    answer(window, "0.02 -0.01")
    assert looks_at(bench.batch)[1][2:] == (0.02, -0.01)
    press(window, K.Key_K)
    assert bench.state[Foil].holding["Print"] == ("tape", "bottom")
    for text, said in (("9 0", "laid anew"), ("one", "is no offset")):
        press(window, K.Key_T)
        answer(window, text)
        assert said in window.desk.said


def test_the_mouse_pulls_the_paste_picture(bench: Bench, open_window: OpenWindow) -> None:
    window = open_window(at_print(bench))
    window.resize(1280, 800)
    at_view(window, "Foil")
    window.grab()
    view = window.station.view  # type: ignore[attr-defined]
    _, circle, scale = view.picture._loupes[1]
    start = circle.center()
    QTest.mousePress(view.picture, Qt.MouseButton.LeftButton, pos=start.toPoint())
    end = QPointF(start.toPoint()) + QPointF(0.2 * scale, 0.1 * scale)
    moved = QMouseEvent(
        QMouseEvent.Type.MouseMove,
        end,
        view.picture.mapToGlobal(end),
        Qt.MouseButton.NoButton,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    QApplication.sendEvent(view.picture, moved)
    assert view._current == 1 and view.seen()[view.place] == pytest.approx((0.2, -0.1), abs=0.01)
    assert bench.state[Foil].looks == {}, "a pull is not a look until it is noted"


def test_the_panel_is_printed_stage_by_stage_looked_at_wiped_and_printed_again(
    bench: Bench, open_window: OpenWindow
) -> None:
    window = open_window(at_print(bench))
    window.desk.go("Print")
    press(window, *[K.Key_Space] * 5)
    assert bench.state[Run].stages["Print", 1] == list(STAGES[:5]) and "Look at" in window.now_card.now.title
    look = window.station.view.look  # type: ignore[attr-defined]
    while look.part != "U1":
        press(window, K.Key_Right)
    press(window, K.Key_Down, K.Key_Down, K.Key_2)
    assert look.marks() == {"U1 pad 2": "little"} and look.part == "U1" and window.station.grab().width() > 0
    press(window, K.Key_0, K.Key_Up, K.Key_Up, K.Key_4)
    assert look.marks() == {"U1": "bridged"}
    assert levels(bench, "print.look") == [Level.STOP] and bench.state[Foil].faults_after == [1]
    press(window, K.Key_Return)
    assert "bridged" in window.desk.said and {b.station for b in bench.state.panel_boards(1)} == {"Print"}
    press(window, K.Key_W)
    answer(window, "bridged at U1")
    assert bench.state[Run].misprints == 1 and bench.state[Run].stages.get(("Print", 1)) is None
    assert window.now_card.now.title == "Clean panel 1" and not bench.state[Run].marks.get(("Print", 1))
    press(window, K.Key_U)
    assert bench.state[Foil].wiped_after["Print"] == 1 and levels(bench, "print.first") == [Level.CARE]
    press(window, *[K.Key_Space] * 5)
    window.station.canvas.selected = "C5"  # picked on the board
    assert look.part == "C5" and look.pad == ""
    press(window, *[K.Key_Space] * 24)
    assert "every board were looked at" in window.desk.said and levels(bench, "print.look") == [Level.GO]
    press(window, K.Key_Space)
    boards = bench.state.panel_boards(1)
    assert {b.station for b in boards} == {"Place"} and bench.board.panel == 2
    assert [w.reason for w in bench.state[Printing].wiped] == ["bridged at U1"]
    assert boards[0].prints["Print"].jar == "jar 12" and bench.workshop[PasteCare].jars["jar 12"].used_mg > 100
    jar = jar_in_use(bench.batch)
    used = bench.workshop[PasteCare].jars["jar 12"].used_mg
    assert jar and state_of(bench.batch, jar).left_g == pytest.approx(180 - used / 1000)
    again = project(bench.record.history), project_workshop(bench.shop.history)
    assert again[0] == bench.state and again[1][PasteCare] == bench.workshop[PasteCare]


def test_stages_come_in_their_order_and_stops_hold_the_stroke(bench: Bench) -> None:
    at_print(bench)
    with pytest.raises(c.Refused, match="Next for panel 1 is: clean"):
        bench.do(c.DoStage(1, "stroke"))
    bench.do(c.ChooseFoil(0.3))
    with pytest.raises(c.Refused, match="Panel 1 is not printed"):
        bench.do(c.DoStage(1, "clean"))
    bench.do(c.ChooseFoil(0.12))
    for stage in STAGES[:-1]:
        bench.do(c.DoStage(1, stage))
    with pytest.raises(c.Refused, match="accepted, or wiped"):
        bench.do(c.DoStage(1, "look"))
    for ref, word, pin, said in (
        ("C5", "ugly", "", "Paste is none"),
        ("J3", "none", "", "no opening"),
        ("C5", "none", "9", "pad 9"),
    ):
        with pytest.raises(c.Refused, match=said):
            bench.do(c.MarkDeposit("H7-01", ref, word, pin))
    bench.do(c.MarkDeposit("H7-01", "C5", "much"))
    bench.do(c.MarkDeposit("H7-01", "C5", ""))
    assert bench.state[Run].marks["Print", 1] == []


def test_a_clogging_trend_says_wipe_before_a_fault(tmp_path: Path, heron_files: Files) -> None:
    """Fourteen panels weighed: ten that scatter by 2 %, then one in ten less."""
    bench = at_print(
        Bench.open_batch(
            c.open_journal(sqlite_url(tmp_path / "w.sqlite")), heron_files, "Heron R2", 84, prefix="W", paste="leaded"
        )
    )
    dice = np.random.default_rng(2)
    alarmed = 0
    for panel in range(1, 15):
        predicted = bench.state[Run].weighed[-1].predicted_mg if bench.state[Run].weighed else 334.0
        bench.go("Print", bench.state.panel_boards(panel)[0].serial)
        if panel == 1:
            with pytest.raises(c.Refused, match="weighs between"):
                bench.do(c.WeighPanel(panel, -1.0))
        bench.do(c.WeighPanel(panel, 28.0))
        for stage in STAGES[:5]:
            bench.do(c.DoStage(panel, stage))
        if panel == 2:
            with pytest.raises(c.Refused, match="before its print"):
                bench.do(c.WeighPanel(panel, 27.9))
        less = 0.88 if panel > 10 else 1.0
        bench.do(c.WeighPanel(panel, 28.0 + predicted * less * float(np.exp(dice.normal(0, 0.02))) / 1000))
        drift = next(j for j in bench.judgements("Print") if j.rule == "print.drift")
        if panel == 1:
            for place in sheet(bench.batch).places[:2]:
                bench.do(c.LookThrough(*place, 0.0, 0.0))
        (lies,) = [j for j in bench.judgements("Print") if j.rule == "print.aligned"]
        assert lies.level is (Level.GO if panel < 6 else Level.UNKNOWN), "five prints after the look nobody knows"
        alarmed = alarmed or (panel if drift.level is Level.CARE else 0)
        bench.do(PrintPanel(panel, 0.12, "leaded"))
    assert 11 <= alarmed <= 13 and "Less paste" in drift.headline and "Wipe" in drift.do
    told = bench.state[Run].weighed
    assert len(told) == 14 and told[0].apart and not told[5].apart, "the first print stands apart"
    care = bench.workshop[PasteCare]
    assert care.history("leaded", bench.batch.name) == [] and len(care.history("leaded", "another batch")) == 13
    assert [w.number for w in told] == list(range(1, 15))
    own = bench.route.station("Print").papers(bench.batch, bench.state.boards["W1-01"])
    assert own["weighed_mg"][0]["print"] == 1
    page = page_html(bench.batch, "W1-01")
    assert "mg a panel" in page and "from jar 12" in page


def test_weights_belong_to_the_print_they_were_of(bench: Bench) -> None:
    """Two panels under way at once, the later one accepted first; a third is wiped off."""
    at_print(bench)
    for panel in (1, 2, 3):
        bench.do(c.WeighPanel(panel, 28.0))
        for stage in STAGES[:5]:
            bench.do(c.DoStage(panel, stage))
        bench.do(c.WeighPanel(panel, 28.3 + 0.01 * panel))
    bench.do(c.WipePrint(3, "smeared"))
    for panel in (2, 1):
        bench.do(PrintPanel(panel, 0.12, "leaded"))
    assert [(w.panel, w.number) for w in bench.state[Run].weighed] == [(1, 2), (2, 1), (3, 0)]
    told = bench.route.station("Print").papers(bench.batch, bench.state.boards["H7-01"])
    assert told["weighed_mg"] == [{"print": 2, "measured": 310.0, "predicted": pytest.approx(333.9, abs=0.1)}]
    assert project(bench.record.history) == bench.state


def test_a_cold_jar_stays_closed_and_its_life_counts_where_it_stood(bench: Bench, open_window: OpenWindow) -> None:
    at_print(bench)
    yesterday = (datetime.now(UTC) - timedelta(days=30)).date().isoformat()
    bench.do(c.SetRecord("jar", {"id": "jar 13", "paste": "leaded", "grams": 250.0, "received": yesterday}))
    assert jar_in_use(bench.batch) is None and levels(bench, "jar.life") == [Level.UNKNOWN]
    window = open_window(bench)
    at_view(window, "Paste")
    assert window.now_card.now.title == "Choose a jar"
    press(window, K.Key_J, K.Key_J)
    jar = jar_in_use(bench.batch)
    assert jar and jar.id == "jar 13" and state_of(bench.batch, jar).life == pytest.approx(30.5 / 182.6, rel=0.03)
    press(window, K.Key_R)
    answer(window, "22 45")
    press(window, K.Key_E, K.Key_O)
    assert "too cold to open" in window.desk.said and not bench.workshop[PasteCare].jars["jar 13"].opened_at
    assert "Leave it closed" in window.now_card.now.title and window.grab().width() > 0
    with pytest.raises(c.Refused, match="too cold"):
        bench.do(PrintPanel(1, 0.12, "leaded"))
    log = "time_h,temp_c\n" + "\n".join(f"{h},22" for h in range(0, 100))
    bench.do(c.LogJar("jar 13", "room.csv", log.encode()))
    known = state_of(bench.batch, jar)
    before = (datetime.now(UTC) - datetime.fromisoformat(yesterday).replace(tzinfo=UTC)).total_seconds() / 3600 - 99
    logged = 99 / (730.5 * 6 ** (3 / 15))
    assert known.now_c == pytest.approx(22, abs=0.1)
    assert known.life == pytest.approx(logged + before / (6 * 730.5), rel=1e-3), "what lies before the log counts too"
    press(window, K.Key_O, K.Key_S)
    assert levels(bench, "jar.stirred") == [] and levels(bench, "jar.cold") == []
    press(window, K.Key_R)
    answer(window, "500 9")
    assert "Rooms have" in window.desk.said
    bench.do(c.SetRecord("instrument", {"id": "wall", "measures": "air", "port": "stand-in"}))
    press(window, K.Key_R)
    read_out(window)
    assert "The sensor says" in window.desk.said and bench.workshop[PasteCare].air.how == "sensor"


def test_a_jar_warms_up_from_what_it_was_inside() -> None:
    """By hand: an hour in the fridge's cold, half an hour in the room, as events with their times."""
    at = datetime(2026, 5, 4, 12, tzinfo=UTC)
    care = PasteCare()
    state = {PasteCare: care}
    for when, event in (
        (at - timedelta(hours=3), JarLogged("j", "log", 0.25, 5.0, 5.0)),
        (at - timedelta(minutes=30), JarHandled("j", "out", 22.0)),
    ):
        event.apply(state, Entry(event.kind, at=when.isoformat(), event=event))  # type: ignore[arg-type]
    known = jar_state(care, Jar(id="j"), PasteSheet(id="p"), at)
    assert known.now_c == pytest.approx(22 - 17 * np.exp(-0.5))
    assert known.life == pytest.approx(0.25 + 2.5 / (6 * 730.5) + 0.5 / (730.5 * 6 ** (3 / 15)), abs=1e-6)
    assert jar_state(care, Jar(id="j", form="syringe"), PasteSheet(id="p"), at).now_c == pytest.approx(
        22 - 17 * np.exp(-2)
    )


def test_wren_gets_its_paste_pad_by_pad(tmp_path: Path, open_window: OpenWindow) -> None:
    files = read_files(HERON.parent / "wren")
    made = Bench.open_batch(
        c.open_journal(sqlite_url(tmp_path / "n.sqlite")), files, "Wren", 3, prefix="W", paste="leaded"
    )
    bench = at_print(made)
    assert bench.batch.step.method == "syringe"
    window = open_window(bench)
    window.desk.go("Print")
    count = len(plan(bench.batch).order)
    assert levels(bench, "dots.size") == [Level.UNKNOWN], "what a dot holds, nobody weighed yet"
    press(window, *[K.Key_Space] * 5, K.Key_Backspace)
    assert done_on(bench.batch, "W1-01") == 4 and "pad" in window.now_card.now.title
    assert window.station.grab().width() > 0
    press(window, K.Key_D)
    answer(window, "25G")
    assert bench.state[Dots].bore_mm == 0.25 and levels(bench, "dots.needle") == [Level.STOP]
    press(window, K.Key_D)
    answer(window, "0.41")
    before = int(plan(bench.batch).dots.sum())
    press(window, K.Key_G)
    answer(window, "0.0028")
    assert plan(bench.batch).dot_mm3 == pytest.approx(0.0028 * 1000 / 20 / 4.785, rel=0.01)
    assert int(plan(bench.batch).dots.sum()) > before
    for text in ("9", "x"):
        press(window, K.Key_G)
        answer(window, text)
    assert bench.state[Dots].dot_mm3 == pytest.approx(0.0292, abs=0.001), "nonsense weighs nothing"
    assert levels(bench, "dots.size") == [Level.GO]
    at_view(window, "Openings")
    view, last = window.station.view, bench.state.last_id  # type: ignore[attr-defined]
    press(window, *[K.Key_Plus] * 2)
    assert (
        view.bore == 0.60 and view.differences() and bench.state.last_id == last and window.station.grab().width() > 0
    )
    assert {Level.CARE, Level.STOP} >= {now for _, now in view.differences().values()}
    press(window, K.Key_Escape, K.Key_Minus, K.Key_Return)
    assert bench.state[Dots].bore_mm == 0.34
    at_view(window, "Print")
    press(window, K.Key_B, K.Key_Space)
    assert bench.state.boards["W1-01"].station == "Place" and bench.board.serial == "W1-02", (
        "a panel of one board is done"
    )
    with pytest.raises(c.Refused, match=f"{count} pads left"):
        bench.do(c.DotPads("W1-02", count + 1))


def test_what_if_changes_nothing_until_it_is_taken(bench: Bench, open_window: OpenWindow, tmp_path: Path) -> None:
    window = open_window(at_print(bench))
    at_view(window, "Openings")
    last = bench.state.last_id
    view = window.station.view  # type: ignore[attr-defined]
    press(window, *[K.Key_Plus] * 4)
    assert view.foil == pytest.approx(0.16) and view.differences() == {"U1": (Level.GO, Level.STOP)}
    assert "U1 go to stop" in view.canvas.footer and bench.state.last_id == last
    press(window, K.Key_C)
    assert view.differences() == {"U1": (Level.GO, Level.CARE)}
    press(window, *[K.Key_Minus] * 20)
    assert view.foil == pytest.approx(0.08)
    press(window, *[K.Key_Plus] * 2, K.Key_Return)
    assert bench.state.foil_mm == pytest.approx(0.10) and not view.trying
    press(window, K.Key_Q, K.Key_Escape)
    assert not view.trying
    press(window, K.Key_R)
    assert "Nothing to better" in window.desk.said
    window.desk.go("Print")
    assert window.grab().width() > 0


def test_suggestions_are_taken_or_left_part_by_part(bench: Bench, open_window: OpenWindow, tmp_path: Path) -> None:
    bench.do(c.ChooseSides("glued"))
    window = open_window(at_print(bench))
    at_view(window, "Openings")
    view = window.station.view  # type: ignore[attr-defined]
    press(window, K.Key_R)
    assert [r.ref for r in view.taken()] == ["BT1", "BT1"] and "4 windows" in view.canvas.footer
    press(window, K.Key_Space)
    assert len(view.taken()) == 1 and window.station.grab().width() > 0
    press(window, K.Key_X)
    out = tmp_path / "paste.gbr"
    answer(window, str(out))
    back = read_gerber(out.read_bytes(), "paste.gbr", "paste", "bottom")
    before = apertures_of(bench.design, "bottom")
    assert len(back) == len(before) + 3, "one opening of BT1 became four, the other stays"
    assert before.area.sum() - shapely.area(back.polygons).sum() == pytest.approx(11.04 - 6.21, abs=0.01)
    bench.go("Print 2")
    window.refresh()
    assert view.taken() == [] and not view.trying, "what was suggested for one side is not shown on the other"


def test_apertures_stepped_over_a_panel_lie_where_a_second_way_puts_them(heron: Design) -> None:
    """By complex numbers: a cell turned by a quarter, a skipped one, and the bottom as it is seen from below."""
    panel = Panel(2, 2, 50, 50, 3, 4, 106, 104, 44, 31, turns=(0, 90, 180, 270), skipped=(2,))
    for side in ("top", "bottom"):
        apertures = apertures_of(heron, side)
        whole, pads = stepped(apertures, heron.pads, panel, (0.0, 0.0))
        assert len(whole) == 3 * len(apertures) and np.tile(apertures.area, 3) == pytest.approx(whole.area)
        assert shapely.area(whole.polygons) == pytest.approx(whole.area)
        for k, cell in enumerate(panel.cells):
            turn, shift_ = panel.place(cell)
            unit = complex(turn[0, 0], turn[1, 0])
            at = (apertures.x + 1j * apertures.y) * unit + complex(*shift_)
            x = panel.width - at.real if side == "bottom" else at.real
            here = slice(k * len(apertures), (k + 1) * len(apertures))
            assert whole.x[here] == pytest.approx(x) and whole.y[here] == pytest.approx(at.imag)
            assert {plain_ref(r) for r in whole.refs[here]} == set(apertures.refs)
            own = [pads[i] for i in whole.pad[here] if i >= 0]
            assert all(
                p.polygon.intersects(g) for p, g in zip(own, whole.polygons[here][whole.pad[here] >= 0], strict=True)
            )


def test_the_foil_as_drawn_is_go_and_the_places_lie_far_apart(bench: Bench) -> None:
    at_print(bench)
    made = landing(bench.batch)
    assert (made.levels == 0).all() and alignment(bench.batch) is None
    places = np.array(sheet(bench.batch).places)
    assert np.hypot(*(places[0] - places[1])) > 0.7 * np.hypot(bench.batch.panel.width, bench.batch.panel.height)


def test_the_stand_in_scale_shows_a_foil_that_clogs(bench: Bench, open_window: OpenWindow) -> None:
    window = open_window(at_print(bench))
    bench.do(c.SetRecord("instrument", {"id": "scale", "measures": "mass", "port": "stand-in"}))
    window.desk.go("Print")
    press(window, K.Key_G)
    read_out(window)
    press(window, *[K.Key_Space] * 5, K.Key_G)
    read_out(window)
    (one,) = bench.state[Run].weighed
    assert (one.number, one.panel, one.apart) == (0, 1, True) and one.ratio == pytest.approx(1, abs=0.06)
    assert window.station.grab().width() > 0 and "Too few" in window.station.view.chart.said  # type: ignore[attr-defined]
    window.desk.go("Kit")
    window._built("Print").refresh()  # as it is while it is made in the background, at a step without apertures
    light = bench.batch.about("H7-01", "Print")
    bare = carried_g(light, 2)
    assert bare == pytest.approx(150 * 62 * 0.003 + 0.1, abs=0.01) and carried_g(light, 1) - bare > 0.2


def test_the_sensor_of_the_room_speaks_in_lines() -> None:
    assert parse_air("22.4 C 41 %") == (22.4, 41.0) and parse_air("22,4;41") == (22.4, 41.0)
    assert parse_air("hello") is None and parse_air("22 C 140 %") is None
    celsius, humidity = read_air(SimulatedAir())
    assert 20 < celsius < 24 and 40 < humidity < 50


def ask(capsys: pytest.CaptureFixture[str], *arguments: str) -> dict:
    assert main([*arguments, "--json"]) == 0
    return json.loads(capsys.readouterr().out)


def test_the_verbs_of_the_stencil(tmp_path: Path, capsys: pytest.CaptureFixture[str], heron: Design) -> None:
    heron_folder = str(HERON)
    seen = tmp_path / "seen.csv"
    seen.write_text("x_mm,y_mm,dx_mm,dy_mm\n3,4,0.10,0.02\n41,6,0.10,0.02\n39,28,0.10,0.02\n5,25,0.10,0.02\n")
    told = ask(capsys, "align", heron_folder, str(seen), "--foil", "0.12", "--hinge", "left")
    data = told["data"]
    assert data["transform"] == pytest.approx({"dx_mm": 0.1, "dy_mm": 0.02, "rotation_deg": 0, "stretch": 0}, abs=1e-9)
    assert set(data["within95"]) == set(data["transform"]) and len(data["openings"]) == 136
    assert [(m["at_x_mm"], m["x_mm"], m["y_mm"]) for m in data["moves"]] == [
        (0.0, pytest.approx(-0.1), pytest.approx(-0.02))
    ] * 2
    thin = next(o for o in data["openings"] if o["part"] == "U1" and o["pad"] == "1")
    assert thin["on_pad"] < 1 and data["worst"] == "U1" and {"part", "pad", "on_pad", "gap_mm", "level"} <= thin.keys()
    log = tmp_path / "t.csv"
    log.write_text("time_h,temp_c\n0,5\n720,5\n")
    data = ask(capsys, "jar", str(log), "--paste", "leaded", "--room", "22,50")["data"]
    assert data["life_used"] == pytest.approx(720 / (6 * 730.5)) and data["warm_up_min"] == pytest.approx(
        60 * np.log(17 / 2)
    )
    assert data["dew_point_c"] == pytest.approx(11.1, abs=0.1)
    assert ask(capsys, "jar", str(log), "--paste", "leaded")["data"]["dew_point_c"] is None
    data = ask(capsys, "dots", str(HERON.parent / "wren"), "--needle", "0.41")["data"]
    assert data["path_bound_mm"] <= data["path_mm"] <= 1.15 * data["path_bound_mm"] and len(data["pads"]) == 34
    weights = tmp_path / "w.csv"
    masses = [0.334, 0.33, 0.337, 0.331, 0.335, 0.332, 0.336, 0.30, 0.29, 0.295]
    weights.write_text(
        "print,before_g,after_g\n" + "".join(f"{n},28.1,{28.1 + m:.4f}\n" for n, m in enumerate(masses, 1))
    )
    data = ask(capsys, "weighed", heron_folder, str(weights), "--foil", "0.12", "--paste", "leaded")["data"]
    assert data["transfer"] == pytest.approx(np.mean(masses) * 1000 / data["predicted_mg"]) and data["boards"] == 6
    assert data["alarms"][0]["print"] in ("8", "9") and "less" in data["alarms"][0]["why"]
    out = tmp_path / "better.gbr"
    data = ask(capsys, "openings", heron_folder, "--foil", "0.12", "--coated", "--reduced", str(out))["data"]
    assert data["coated"] and [Path(f).name for f in data["files"]] == ["better.gbr", "better-bottom.gbr"]
    back = read_gerber(out.read_bytes(), "better.gbr", "paste", "top")
    assert float(shapely.area(back.polygons).sum()) == pytest.approx(
        float(apertures_of(heron, "top").area.sum()), rel=1e-5
    )


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (("align", "{heron}", "{one}", "--foil", "0.12"), "two places"),
        (("align", "{heron}", "{word}", "--foil", "0.12"), "line 2, column dx mm: expected a number"),
        (("align", "{heron}", "{seen}", "--foil", "9"), "0.02 to 1 mm thick"),
        (("jar", "{fall}", "--paste", "leaded"), "do not fall"),
        (("jar", "{hot}", "--paste", "chalk"), "lead-free or leaded or bismuth"),
        (("jar", "{hot}", "--paste", "leaded", "--room", "99,x"), "such as 22,45"),
        (("dots", "{heron}", "--needle", "9"), "between 0.05 and 3 mm"),
        (("align", "{heron}", "{off}", "--foil", "0.12"), "line 2: expected paste at most 10 mm off"),
        (("align", "{heron}", "{away}", "--foil", "0.12"), "look 2: expected places on the board"),
        (("openings", "{heron}", "--foil", "0.12", "--reduced", "/nowhere/x.gbr"), "/nowhere/x.gbr cannot be used"),
        (("weighed", "{heron}", "{less}", "--foil", "0.12"), "weighs more after its print"),
        (("weighed", "{heron}", "{seen}", "--foil", "0.12"), "print, before, after"),
    ],
)
def test_verbs_refuse_in_one_sentence(
    arguments: tuple[str, ...], said: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    texts = {
        "one": "x_mm,y_mm,dx_mm,dy_mm\n1,1,0,0\n1.2,1,0,0\n",
        "word": "x_mm,y_mm,dx_mm,dy_mm\n1,1,left,0\n9,9,0,0\n",
        "off": "x_mm,y_mm,dx_mm,dy_mm\n1,1,1e9,0\n30,9,0,0\n",
        "away": "x_mm,y_mm,dx_mm,dy_mm\n1,1,0,0\n300,9,0,0\n",
        "seen": "x_mm,y_mm,dx_mm,dy_mm\n1,1,0,0\n30,9,0,0\n",
        "fall": "time_h,temp_c\n5,5\n1,5\n",
        "hot": "time_h,temp_c\n0,5\n1,5\n",
        "less": "print,before_g,after_g\n1,40,39\n",
    }
    for name, text in texts.items():
        (tmp_path / f"{name}.csv").write_text(text)
    places = {name: str(tmp_path / f"{name}.csv") for name in texts} | {"heron": str(HERON)}
    assert main([a.format(**places) for a in arguments]) == 2
    told = capsys.readouterr().err
    assert said in told and told.count("\n") == 1 and "Traceback" not in told


def test_records_of_paste_say_how_long_they_keep() -> None:
    from fusilex.bench.workshop.records import read_record
    from fusilex.core.problems import BadInput

    made = read_record({"kind": "paste", "id": "x", "life": [[5.0, 4000.0], [25.0, 700.0]], "powder": 5})
    assert (
        isinstance(made, PasteSheet)
        and made.life[1] == (25.0, 700.0)
        and Records().all(PasteSheet)["leaded"].powder == 4
    )
    for wrong in ([[25.0, 100.0], [5.0, 400.0]], [[5.0, -1.0]], []):
        with pytest.raises(BadInput):
            read_record({"kind": "paste", "id": "x", "life": wrong})
    assert QPoint(1, 1) and made.paste.density > 4
