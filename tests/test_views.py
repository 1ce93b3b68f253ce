"""The pictures of Ready and Kit in the real window, driven by keys as a person would."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from pathlib import Path

import asked as c
import pytest
from asked import CAUTIONS, RULES
from conftest import OpenWindow
from exports import habit_mirrored_inch, shifted
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot
from test_ready_bench import relisted
from test_window import press

from fusilex.bench.common.bins import Bins
from fusilex.bench.common.files import DesignFiles
from fusilex.bench.common.route import Laid
from fusilex.bench.record.bench import Bench
from fusilex.bench.refusal import Refused
from fusilex.bench.rooms import open_journal
from fusilex.bench.stations.kit import typed_input as kit_typed
from fusilex.bench.stations.kit.events import Kitted
from fusilex.bench.stations.ready import typed_input as ready_typed
from fusilex.bench.stations.ready.events import Readied
from fusilex.bench.stations.ready.panel_text import panel as panel_of
from fusilex.bench.workshop.etching import Etching
from fusilex.bench.workshop.habits import Habits
from fusilex.bench.workshop.stock import Lots
from fusilex.core.design.model import Design
from fusilex.core.evidence import Level
from fusilex.core.packages.catalogue import package_of
from fusilex.formats.bundle import Files
from fusilex.formats.panel_file import read_panel, write_panel
from fusilex.journal.place import sqlite_url
from fusilex.ui.frame.window import Window

K = Qt.Key


def tab(window: Window, name: str) -> None:
    """Press Tab until a view is in front."""
    for _ in range(9):
        if window.station.view.name == name:  # type: ignore[attr-defined]
            window.grab()
            return
        QTest.keyClick(window, K.Key_Tab)
    raise AssertionError(f"no view {name}")


def test_a_shifted_list_is_corrected_with_one_key(heron_files: Files, open_window: OpenWindow, tmp_path: Path) -> None:
    files = relisted(heron_files, lambda x, y, s: (x + 9, y - 4))
    bench = Bench.open_batch(open_journal(sqlite_url(tmp_path / "j.sqlite")), files, "Heron", 6, prefix="H", number=1)
    window = open_window(bench)
    assert window.judged.current and window.judged.current.level is Level.STOP
    assert "before and after" in window.now_card.now.detail and not list(window.station.canvas.parts_on(0))
    window.grab()
    press(window, K.Key_Space)
    assert bench.view.step == "Ready", "a stop holds"
    press(window, K.Key_A)
    assert "stay as they are" in window.desk.said and bench.design.part_by_ref["U1"].x == pytest.approx(17, abs=2e-3)
    assert window.station.canvas.design is bench.design, "every picture shows the corrected design"
    press(window, K.Key_D)
    assert not bench.state[DesignFiles].fixes and bench.design.part_by_ref["U1"].x == pytest.approx(26, abs=2e-3)
    press(window, K.Key_A, K.Key_Space)
    assert bench.view.step == "Kit"


def _reds(image: QImage) -> int:
    every = ((x, y) for x in range(0, image.width(), 2) for y in range(0, image.height(), 2))
    return sum(p.red() - p.green() > 90 for p in (image.pixelColor(x, y) for x, y in every))


@pytest.mark.parametrize("what", ["rotations", "layers"])
def test_turns_and_layers_are_shown_before_and_after_too(
    heron_files: Files, open_window: OpenWindow, tmp_path: Path, what: str
) -> None:
    files = {n: d for n, d in heron_files.items() if n not in ("heron-r2.ipc", "panel.json")}
    if what == "rotations":
        rows = [row.split(",") for row in files["heron-r2-placements.csv"].decode().splitlines()]
        turned = [rows[0], *([*r[:3], str(-int(r[3]) % 360), *r[4:]] for r in rows[1:])]
        files["heron-r2-placements.csv"] = "\n".join(",".join(r) for r in turned).encode()
    else:
        files |= {n: shifted(d, 44, 0, True) for n, d in files.items() if n.endswith("-bottom.gbr")}
    bench = Bench.open_batch(open_journal(sqlite_url(tmp_path / "j.sqlite")), files, "Heron", 6, prefix="H", number=1)
    window = open_window(bench)
    canvas = window.station.canvas
    assert canvas.footer.startswith("red: ") and canvas.side == ("top" if what == "rotations" else "bottom")
    before = _reds(canvas.grab().toImage())
    press(window, K.Key_A)
    canvas = window.station.canvas
    after = _reds(canvas.grab().toImage())
    assert before > 10 + after and canvas.footer == "", "nothing red is left once it is applied"


def test_a_mirrored_bottom_is_shown_from_below_before_and_after(
    heron: Design, heron_files: Files, open_window: OpenWindow, tmp_path: Path
) -> None:
    files = habit_mirrored_inch(heron, heron_files)
    bench = Bench.open_batch(open_journal(sqlite_url(tmp_path / "j.sqlite")), files, "Heron", 6, prefix="H", number=1)
    window = open_window(bench)
    canvas = window.station.canvas
    assert canvas.side == "bottom" and "as listed" in canvas.footer, "the side in question is shown by itself"
    listed, true = bench.design.part_by_ref["BT1"], heron.part_by_ref["BT1"]
    image = canvas.grab().toImage()
    for part, red in ((listed, True), (true, False)):
        edge = canvas.to_px(part.x + part.package.size_x / 2, part.y + part.package.size_y / 4)  # off the dashed line
        near = [image.pixelColor(round(edge.x()) + i, round(edge.y())) for i in range(-4, 5)]
        assert any(p.red() - p.green() > 60 for p in near) is red and (red or any(p.lightness() > 190 for p in near))
    press(window, K.Key_F)
    assert canvas.side == "top", "and may be left"
    press(window, K.Key_A)
    assert bench.design.part_by_ref["BT1"].x == pytest.approx(true.x, abs=2e-3) and not window.station.canvas.footer


def test_a_file_is_taken_for_something_else_by_keys(window: Window) -> None:
    bench = window.desk.bench
    press(window, K.Key_Right)
    view = window.station.view  # type: ignore[attr-defined]
    while "paste-bottom" not in view.wall.note.name:
        press(window, K.Key_Right)
    assert dict(window.facts.rows)["how sure"] == "stated"
    press(window, K.Key_R, "marble")
    assert "no kind of file" in window.desk.said
    press(window, K.Key_R, "paste")
    assert "which side" in window.desk.said
    press(window, K.Key_R, "nothing")
    note = next(n for n in bench.design.files if "paste-bottom" in n.name)
    assert (note.role, note.sure) == ("other", "chosen")
    QTest.keyClick(window, K.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert next(n for n in bench.design.files if "paste-bottom" in n.name).role == "paste"


def test_every_view_of_ready_answers_its_keys(window: Window, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    bench = window.desk.bench
    monkeypatch.setattr(
        "fusilex.ui.frame.file_dialogs.QFileDialog.getSaveFileName",
        lambda *a: (str(tmp_path / a[2].split("/")[-1]), ""),
    )
    tab(window, "Lists")
    press(window, K.Key_Down, K.Key_Right, K.Key_P, "feather")
    assert "none of" in window.desk.said and "reference" in window.desk.said
    press(window, K.Key_P, "nothing")
    picked = next(iter(bench.state[DesignFiles].columns.values()))
    assert len(bench.state[DesignFiles].columns) == 1 and 1 not in picked.values()
    QTest.keyClick(window, K.Key_Z, Qt.KeyboardModifier.ControlModifier)
    tab(window, "Packages")
    press(window, K.Key_E, "big")
    assert "Type length" in window.desk.said
    press(window, K.Key_E, "10.2 x 8.2 x 10 mm 2.5 g marked")
    body = next(iter(bench.workshop[Habits].packages.values()))
    assert body.mass_mg == 2500 and body.polarised is True
    tab(window, "Panel")
    press(window, K.Key_P, "2 x 1 gap 2 0 rail 6 0")
    assert (bench.batch.panel.count, len(bench.state.panels)) == (2, 9)
    press(window, K.Key_P, "2 x 1 wobble 3")
    assert "means nothing here" in window.desk.said
    press(window, K.Key_X)
    assert bench.board.scrapped
    tab(window, "Sides")
    press(window, K.Key_S)
    assert bench.state[Laid].order == "lighter-first" and "first" in window.now_card.now.title
    tab(window, "Bare boards")
    assert window.now_card.now.cautions
    press(window, K.Key_Space, K.Key_C, "8 dirty")
    assert (bench.state[Readied].bare_panels, bench.state[Readied].clean) == (8, False)
    press(window, K.Key_F, "own etching 6 mil", K.Key_N)
    assert window.now_card.now.cautions == CAUTIONS["Etching"] and not window.ask.isVisible()
    assert "Etching" not in bench.state.cautions and bench.workshop[Etching].shown["own etching"] == pytest.approx(
        0.1524
    )
    press(window, K.Key_Space, K.Key_N, "0.5", K.Key_E, "14 38 35", K.Key_T, "45 35")
    assert len(bench.workshop[Etching].runs) == 1
    window.grab()
    tab(window, "Next time")
    press(window, K.Key_E)
    assert "pick-up cap" in (tmp_path / "next-time.csv").read_text()
    QTest.keyClick(window, K.Key_Backtab, Qt.KeyboardModifier.ShiftModifier)
    assert window.station.view.name == "Bare boards"  # type: ignore[attr-defined]
    for judgement in window.judged.items:
        assert judgement.rule in RULES


def test_kit_by_keys(window: Window, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    bench = window.desk.bench
    monkeypatch.setattr(
        "fusilex.ui.frame.file_dialogs.QFileDialog.getSaveFileName",
        lambda *a: (str(tmp_path / a[2].split("/")[-1]), ""),
    )
    (tmp_path / "fw.hex").write_bytes(b":00000001FF\n")
    monkeypatch.setattr(
        "fusilex.ui.frame.file_dialogs.QFileDialog.getOpenFileName", lambda *a: (str(tmp_path / "fw.hex"), "")
    )
    press(window, K.Key_Space, K.Key_Space)
    press(window, K.Key_O, K.Key_O, K.Key_O)
    assert bench.state[Bins].order == "kind"
    press(window, K.Key_Y, "1.1M", K.Key_T, "4 6")
    assert bench.state[Kitted].strap.passed and window.station.view.tray.plan.trays == 2  # type: ignore[attr-defined]
    line = bench.batch.lines[0]
    press(window, K.Key_K, "10 uF")
    assert "Wrong bag" in window.desk.said
    press(window, K.Key_Space)
    assert "does not match" in window.desk.said and not bench.state[Bins].filled
    press(window, K.Key_W, "counted it out by hand", K.Key_Space)
    assert bench.state[Bins].filled[line.key].count == line.pull
    press(window, K.Key_G)
    assert "nothing in it to programme" in window.desk.said, "a capacitor is no programmed part"
    window.station.view.tray.chosen = bench.batch.bin_number[bench.batch.line_of["U1"].key] - 1  # type: ignore[attr-defined]
    press(window, K.Key_G, K.Key_Space)
    assert "programmed first" in window.desk.said
    press(window, K.Key_G, "1.0", K.Key_Space)
    assert len(bench.state[Bins].filled) == 2
    tab(window, "Stock")
    press(window, K.Key_N, "barrel")
    assert "Type form" in window.desk.said
    third = bench.batch.lines[1]
    press(window, K.Key_N, f"reel, {third.part_number}, {third.value}, {third.package.code}, 3000, drawer 1, 3")
    press(
        window,
        K.Key_W,
        "heavy",
        K.Key_W,
        "10",
        K.Key_C,
        "strip 400",
        K.Key_V,
        "opened 2 h ago",
        K.Key_M,
        "drawer 9",
        K.Key_R,
    )
    lot = bench.workshop[Lots].lots["R1"]
    assert (lot.count, lot.place, lot.moisture[0][1]) == (200, "drawer 9", "opened")
    assert lot.reserved == {(bench.batch.name, third.key): third.pull}
    tab(window, "Tray")
    press(window, K.Key_Space)
    assert bench.state[Bins].filled[third.key].lot == "R1"
    assert bench.workshop[Lots].lots["R1"].count == 200 - third.pull
    press(window, K.Key_S, "SR-9999: same part, other maker", K.Key_B, K.Key_P, K.Key_X)
    assert bench.state[Bins].skipped_side == "bottom"
    assert (tmp_path / "to-buy.csv").read_text().startswith("part_number,value")
    assert (tmp_path / "labels.pdf").read_bytes().startswith(b"%PDF")
    window.grab()


def test_what_is_typed_is_read_or_refused_with_an_example() -> None:
    panel = panel_of("3 x 2 gap 2 0 rail 7 0 skip 4 turn 0 180 0 0 0 0", 44, 31)
    assert (panel.width, panel.height, panel.skipped, panel.turns[1]) == (150, 62, (3,), 180)
    assert [n for n, *_ in panel.fiducials] == ["P1", "P2", "P3"] and len(panel.scores) == 7
    assert read_panel(write_panel(panel).encode(), "p") == panel
    uneven = panel_of("2 x 1 x 3 60 rail 3 0 tabs", 44, 31)
    assert uneven.column_x == (3, 60) and uneven.width == 107 and len(uneven.tabs) == 8 and not uneven.scores
    assert kit_typed.count("weight 52.5 12.5 80", package_of("SOIC-8"))[0].pieces == 500
    assert kit_typed.count("940", package_of("0402"))[1] == "hand"
    assert kit_typed.lot("bag, , 4k7, 0402, 200").value == "4k7"
    noon = datetime(2026, 11, 25, 12, tzinfo=UTC)
    for text, hours_ago in (("opened 30 h ago", 30), ("baked 1,5 d", 36), ("Out 90 min ago", 1.5)):
        noted = kit_typed.moisture("R1", text, noon)
        assert noted.action == text.split()[0].lower()
        assert datetime.fromisoformat(noted.at) == noon - timedelta(hours=hours_ago)
    day = datetime.fromisoformat(kit_typed.moisture("R1", "opened 2026-11-10 14:30", noon).at)
    assert day.tzinfo is not None and (day.day, day.hour, day.minute) == (10, 14, 30)
    assert kit_typed.moisture("R1", "dry", noon).at == ""
    with pytest.raises(Refused, match="no time: type opened"):
        kit_typed.moisture("R1", "opened last week", noon)
    for parse in (
        lambda: panel_of("wide", 1, 1),
        lambda: kit_typed.count("\u00b2", package_of("0402")),
        lambda: kit_typed.lot("reel, SR-1866, 100 nF, 0402, \u00b2"),
        lambda: panel_of("2 x 2 pitch 1 1", 44, 31),
        lambda: panel_of("99 x 99", 1, 1),
        lambda: kit_typed.count("many", package_of("0402")),
        lambda: kit_typed.count("weight 1 2", package_of("0402")),
        lambda: ready_typed.package("x", "1 2 3"),
        lambda: ready_typed.process("0.3"),
        lambda: ready_typed.etch_run("14"),
        lambda: kit_typed.lot("reel, x"),
    ):
        with pytest.raises(Refused) as caught:
            parse()
        assert str(caught.value).endswith(".")


def test_dropped_single_files_go_with_the_design_on_the_screen(
    window: Window, heron_files: Files, tmp_path: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "second-bom.csv").write_bytes(heron_files["heron-r2-bom.csv"])
    window.files.dropped(str(tmp_path / "second-bom.csv"))
    qtbot.waitUntil(lambda: "Added second-bom.csv" in window.desk.said, timeout=5000)
    assert any(r.rule == "ready.note" for r in window.desk.bench.design.remarks)
    (tmp_path / "torn.gbr").write_bytes(heron_files["heron-r2-copper-top.gbr"][:500])
    both = [str(tmp_path / "torn.gbr"), str(tmp_path / "second-bom.csv")]
    monkeypatch.setattr("fusilex.ui.frame.file_dialogs.QFileDialog.getOpenFileNames", lambda *_: (both, ""))
    QTest.keyClick(window, K.Key_O, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    qtbot.waitUntil(lambda: "end mark" in window.desk.said, timeout=5000)
    assert "torn.gbr" not in window.desk.bench.source.files


def test_turned_cells_are_drawn_where_the_panel_puts_them(window: Window) -> None:
    bench = window.desk.bench
    panel = panel_of("2 x 1 gap 3 0 rail 5 0 turn 0 180", 44, 31)
    window.desk.do(c.DefinePanel(panel))
    tab(window, "Panel")
    canvas = window.station.canvas
    assert canvas
    part = bench.design.part_by_ref["U1"]
    for cell, (x, y) in enumerate(panel.step([(part.x, part.y)])[:, 0]):
        assert canvas.part_at(canvas.transform().map(QPointF(x, y))) == ("U1", cell)
