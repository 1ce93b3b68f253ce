"""What the workshop owns, as records: shipped, set, shared, and used wherever a number was fixed before."""

from __future__ import annotations

import json
from datetime import date, timedelta
from pathlib import Path

import asked as c
import pytest
from asked import acknowledge_all, marks_seen, taught
from conftest import HERON
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel, QWidget
from windows import WINDOWS

from fusilex.bench.record.bench import Bench
from fusilex.bench.stations.kit.weighing import scale_for
from fusilex.bench.stations.place.programmed import machine_of
from fusilex.bench.stations.reflow.judging import rule_of
from fusilex.bench.workshop.record_kinds import (
    KINDS,
    Instrument,
    Jar,
    Limits,
    Oven,
    PasteSheet,
    Person,
    Stencil,
    Window,
)
from fusilex.bench.workshop.records import Records, port_of, read_record, read_records, shipped, write_records
from fusilex.bench.workshop.stock import Lot
from fusilex.bench.workshop.watch import watch
from fusilex.core.evidence import Level
from fusilex.core.kit.due import judge_due
from fusilex.core.packages.catalogue import Catalogue
from fusilex.core.printing.paste import PASTES
from fusilex.core.problems import BadInput
from fusilex.core.wet_paste.age import LONGEST_H, TACK_H
from fusilex.formats.bundle import Files
from fusilex.ui.frame.batches.new_batch import prefix_for
from fusilex.ui.frame.window import Window as MainWindow
from fusilex.ui.workshop.dialog import Workshop, line_of
from fusilex.ui.workshop.form import Form

LOG = (HERON / "oven-run-1.csv").read_bytes()
K = Qt.Key


def test_what_ships_is_what_was_fixed_before() -> None:
    records = Records()
    assert {n: sheet.paste for n, sheet in records.all(PasteSheet).items()} == PASTES
    windows = {n: w.process_window for n, w in records.all(Window).items()}
    assert {n: windows[n] for n in WINDOWS} == WINDOWS
    for name, soaked in WINDOWS.items():  # the other school: no soak to wait in, the same melting and peak
        ramp = windows[f"{name}, straight ramp"]
        assert (ramp.melting, ramp.peak, ramp.above_melting) == (soaked.melting, soaked.peak, soaked.above_melting)
        assert ramp.soak[1] <= 80 < ramp.to_peak_s < soaked.to_peak_s and ramp.heating[1] < soaked.heating[1]
    assert len(windows) == 2 * len(WINDOWS)
    assert {(s.tack_h, s.longest_h) for s in records.all(PasteSheet).values()} == {(TACK_H, LONGEST_H)}
    assert records.first(Stencil).foil_mm == 0.12 and records.first(Limits) == Limits("shop")
    assert {r.what for r in shipped().values()} >= {"jar", "needle", "placer", "oven", "air", "microscope"}
    assert read_records(write_records(list(shipped().values())), "again") == list(shipped().values())


@pytest.mark.parametrize(
    ("row", "words"),
    [
        ({"kind": "unicorn", "id": "x"}, "a record of the kind jar, paste"),
        ({"kind": "jar", "id": ""}, "length >= 1"),
        ({"kind": "jar"}, "missing required field `id`"),
        ({"kind": "jar", "id": "x", "grams": -1}, r"> 0"),
        ({"kind": "jar", "id": "x", "grams": "many"}, "Expected `float`"),
        ({"kind": "jar", "id": "x", "colour": "red"}, "unknown field `colour`"),
        ({"kind": "jar", "id": "x", "expires": "soon"}, "regex"),
        ({"kind": "paste", "id": "x", "metal_load": 88}, "<= 1"),
        ({"kind": "window", "id": "x", "soak": [120, 60]}, "soak runs from 120 to 60"),
        ({"kind": "window", "id": "x", "peak": [200, 210]}, "peak lies above melting"),
        ({"kind": "oven", "id": "x", "method": "sun"}, "Invalid enum value"),
        (7, "a record of the kind"),
    ],
)
def test_records_that_make_no_sense_are_refused(row: object, words: str) -> None:
    with pytest.raises(BadInput, match=words):
        read_record(row)  # type: ignore[arg-type]
    whole = {"format": "fusilex-workshop-1", "records": [{"kind": "jar", "id": "good"}, row]}
    with pytest.raises(BadInput, match="record 2"):
        read_records(json.dumps(whole).encode(), "shared.json")


@given(st.binary(max_size=200) | st.text(max_size=60).map(str.encode))
def test_no_file_of_records_crashes(data: bytes) -> None:
    with pytest.raises(BadInput):
        read_records(data, "x.json")


def note(bench: Bench, kind: str, **body: object) -> None:
    bench.do(c.SetRecord(kind, body))


def test_numbers_come_from_the_records(bench: Bench, heron_files: Files) -> None:
    """Each record changed, and the number it feeds looked at."""
    bench.do(c.AcceptFiles())
    mass = lambda: next(j for j in bench.judgements("Print") if j.rule == "print.mass").quantities[1].value  # noqa: E731
    before = mass()
    note(bench, "paste", id="leaded", alloy="Sn63Pb37", metal_density=4.0, metal_load=0.9, window="leaded")
    assert before != mass() == pytest.approx(1 / (0.9 / 4.0 + 0.1))
    pairs = len(bench.batch.own.plan)
    note(bench, "limits", id="shop", probe_gap_mm=0.3, open_above_ohm=50, good_yield=0.5)
    assert len(bench.batch.own.plan) < pairs and all(p.gap <= 0.3 for p in bench.batch.own.checks.pairs)
    assert max(p.limit for p in bench.batch.own.plan) == 50
    note(bench, "stencil", id="usual foil", foil_mm=0.1)
    note(bench, "oven", id="drawer oven", method="dial oven")
    other = Bench.open_batch(bench.journal, heron_files, "Heron R2", 2, prefix="N")
    assert other.state.foil_mm == 0.1 and other.route.steps.by_id["Reflow"].method == "dial oven"
    assert bench.state.foil_mm == 0.12, "what was begun stays"
    bench.go("Ready")
    bench.do(c.Undo())
    assert bench.workshop[Records].first(Oven).method == "controlled oven"
    note(bench, "serials", id="marsh", design="heron r2", prefix="MR")
    assert prefix_for(bench.workshop[Records], "Heron R2") == "MR" and prefix_for(Records(), "Wren") == "W"
    note(bench, "placer", id="bench placer", feed=1200, travel_z=9)
    with pytest.raises(BadInput):
        note(bench, "placer", id="bench placer", feed=0)


def test_heat_and_the_programme_follow_their_tools(bench: Bench) -> None:
    acknowledge_all(bench)
    bench.do(c.AcceptFiles())
    for line in bench.batch.lines:
        bench.do(c.FillBin(line.key, line.pull))
    bench.do(c.CloseKit())
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    taught(bench)
    note(bench, "placer", id="bench placer", feed=1200, travel_z=18, width=500, depth=360, board=[160, 110])
    assert machine_of(bench.batch).z.speed == 20 and machine_of(bench.batch).top_z == 18
    bench.do(c.MachinePlaced(1))
    marks_seen(bench)
    bench.do(c.RecordReflow(1, "run.csv", LOG))
    board = bench.state.boards["H7-01"]
    judged = [j.key for j in bench.route.judgements(bench.batch.about("H7-01", "Reflow"), "Reflow")]
    note(bench, "window", id="leaded", melting=183, soak_band=[100, 150], peak=[230, 240])
    assert rule_of(bench.batch.about("H7-01", "Reflow"), board) == WINDOWS["leaded"], "judged by what held then"
    assert judged == [j.key for j in bench.route.judgements(bench.batch.about("H7-01", "Reflow"), "Reflow")]
    bench.do(c.PrintPanel(2, 0.12, "leaded"))
    taught(bench, 2)
    bench.do(c.MachinePlaced(2))
    marks_seen(bench)
    bench.do(c.RecordReflow(2, "run.csv", LOG))
    assert bench.state.boards["H7-07"].step == "Reflow", "the new window holds the same run"
    while part := bench.batch.next_part(board, "Hand"):
        bench.do(c.SolderPart("H7-01", part.ref))
    bench.do(c.MarkFault("H7-01", "U1", "bridge"))
    bench.do(c.InspectBoard("H7-01"))
    bench.go("Rework", "H7-01")
    near = lambda: next(j for j in bench.judgements("Rework") if j.rule == "rework.heat").refs  # noqa: E731
    few = near()
    note(bench, "air", id="air gun", nozzle_mm=20, spread_mm=6)
    assert set(few) < set(near()), "a wider nozzle reaches more"


def test_a_paste_of_ones_own(bench: Bench) -> None:
    note(
        bench,
        "paste",
        id="house 7",
        alloy="Sn62Pb36Ag2",
        metal_density=8.42,
        metal_load=0.89,
        window="leaded",
        tack_h=2,
    )
    bench.do(c.ChoosePaste("house 7"))
    with pytest.raises(c.Refused, match="This batch is printed with house 7 paste"):
        bench.do(c.RemoveRecord("paste", "house 7"))
    with pytest.raises(c.Refused, match="There is no paste called house 8; there are"):
        bench.do(c.ChoosePaste("house 8"))
    bench.do(c.ChoosePaste("leaded"))
    bench.do(c.RemoveRecord("paste", "house 7"))
    assert "house 7" not in bench.workshop[Records].all(PasteSheet)
    with pytest.raises(c.Refused, match="has no paste house 7"):
        bench.do(c.RemoveRecord("paste", "house 7"))


def test_records_are_shared_between_benches(bench: Bench, tmp_path: Path) -> None:
    note(bench, "person", id="KM", name="Kit Marl", rate_per_h=31.5)
    data = write_records([r for kind in KINDS.values() for r in bench.workshop[Records].all(kind).values()])
    other = Bench.open_batch(c.open_journal(f"sqlite:///{tmp_path / 'o.sqlite'}"), bench.source.files, "Heron R2", 1)
    before = {k.what: other.workshop[Records].all(k) for k in KINDS.values()}
    other.do(c.ReadRecords("workshop.json", data))
    assert {k.what: other.workshop[Records].all(k) for k in KINDS.values()} == before, "it is offered, and not used"
    offers = [o for k in KINDS.values() for o in other.workshop[Records].offered(k)]
    assert [(o.what, o.id) for o in offers] == [("person", "KM")] and "rate per h: 31.5" in offers[0].differences(None)
    other.do(c.LeaveOffer("person", "KM"))
    assert other.workshop[Records].offers == {}
    other.do(c.Undo())
    other.do(c.AcceptOffer("person", "KM"))
    with pytest.raises(c.Refused, match="No person KM is offered"):
        other.do(c.AcceptOffer("person", "KM"))
    assert {k.what: other.workshop[Records].all(k) for k in KINDS.values()} == {
        k.what: bench.workshop[Records].all(k) for k in KINDS.values()
    }
    with pytest.raises(c.Refused, match=r"has all of workshop\.json already"):
        other.do(c.ReadRecords("workshop.json", data))
    reopened = Bench(bench.journal, bench.id)
    assert reopened.workshop == bench.workshop and reopened.workshop[Records].all(Person)["KM"].rate_per_h == 31.5


def test_the_scale_hangs_on_a_record(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.delenv("FUSILEX_SCALE", raising=False)
    lot, package = Lot("L", "reel", "", "1 k", "0603", 100), Catalogue(False).package("0603")
    with pytest.raises(c.Refused, match="No scale is attached"):
        scale_for(lot, package, 0.0, port_of(bench.workshop[Records]))
    note(bench, "instrument", id="kitchen scale", measures="mass", port="stand-in")
    assert scale_for(lot, package, 0.0, port_of(bench.workshop[Records]))[1], "the stand-in, and said to be"


def test_what_wants_looking_after(bench: Bench) -> None:
    today = date.today()
    assert watch(bench.batch, Jar) == [] and watch(bench.batch, Oven) == []
    note(bench, "jar", id="jar 12", paste="leaded", expires=(today - timedelta(days=1)).isoformat())
    assert [(j.level, j.rule) for j in watch(bench.batch, Jar)] == [
        (Level.STOP, "workshop.due"), (Level.CARE, "workshop.missing"),
    ]  # fmt: skip
    note(bench, "instrument", id="meter", check_by=(today + timedelta(days=3)).isoformat())
    assert [j.level for j in watch(bench.batch, Instrument)] == [Level.CARE]
    bench.do(c.ChooseMethod("Reflow", "dial oven"))
    assert "No dial oven on record" in watch(bench.batch, Oven)[0].headline
    note(bench, "paste", id="odd", window="nowhere")
    assert "window nowhere not on record" in watch(bench.batch, PasteSheet)[0].headline
    assert judge_due("x", "", today, "v") is None and judge_due("x", today.isoformat(), today, "v").level is Level.CARE  # type: ignore[union-attr]


def test_the_workshop_by_keys(window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    opened: list[Workshop] = []
    monkeypatch.setattr(Workshop, "exec", lambda self: opened.append(self) or 0)
    QTest.keyClick(window, K.Key_F4)
    (shop,) = opened
    assert shop.kind is Jar and shop.record == shipped()["jar", "jar 12"]
    QTest.keyClick(shop, K.Key_Tab)
    assert shop.record is not None and shop.record.id == "syringe 4"
    for key, kind in ((K.Key_Right, "paste"), (K.Key_Down, "oven"), (K.Key_Down, "limits"), (K.Key_Left, "person")):
        QTest.keyClick(shop, key)
        assert shop.top.kind == kind
    form = Form(shop, Person)
    form.lines["id"].setText("KM")
    form.lines["rate_per_h"].setText("plenty")
    form.keep()
    assert "float" in form.said.text() and form.made is None
    form.lines["rate_per_h"].setText("31,5")
    form.keep()
    assert form.made == Person("KM", rate_per_h=31.5)
    shop.keep(form.made)
    assert shop.record == form.made and "KM is noted" in window.desk.said
    QTest.keyClick(shop, K.Key_P)
    window.desk.do(c.ChooseFoil(0.1))
    assert window.desk.bench.record.history[-1].who == "KM" and "at this window" in line_of(form.made, "KM")
    assert window.settings.value("who") == "KM"
    (tmp_path / "bad.json").write_text("{}")
    shop.read(tmp_path / "bad.json")
    assert "expected records written as fusilex-workshop-1" in shop.said.text()
    QTest.keyClick(shop, K.Key_Delete)
    assert shop.list.count() == 0 and not shop.grab().isNull()
    edited = Form(shop, Window, window.desk.bench.workshop[Records].all(Window)["leaded"])
    edited.lines["peak"].setText("200 to 190")
    edited.keep()
    assert "peak runs from 200 to 190" in edited.said.text()


def test_every_kind_has_a_form_that_keeps_what_it_shows(qtbot) -> None:  # type: ignore[no-untyped-def]
    shop = QWidget()
    qtbot.addWidget(shop)
    for kind in KINDS.values():
        assert Form(shop, kind).lines["id"].text() == ""
    for record in shipped().values():
        form = Form(shop, type(record), record)
        form.made = None
        form.keep()
        assert form.made == record, form.said.text()
        assert line_of(record, record.id)
    placer = next(r for r in shipped().values() if r.what == "placer")
    form = Form(shop, type(placer), placer)
    assert "slots" not in form.lines and any("JSON" in label.text() for label in form.findChildren(QLabel))
    assert form.lines["board"].text() == "160, 110", "a place, no range"
    form.lines["feed"].setText("900")
    form.keep()
    assert form.made.feed == 900 and form.made.slots == placer.slots, "parts of its own stay as they are"
