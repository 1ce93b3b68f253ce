"""Routes: proposed from the design, changed by hand, and boards that go along them from files to bag."""

from __future__ import annotations

import random
from datetime import UTC, datetime, timedelta
from itertools import pairwise
from pathlib import Path

import asked as c
import numpy as np
import pytest
from asked import acknowledge_all, marks_seen, sent_off, taught, well
from conftest import HERON, OpenWindow
from designs import board_files
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from fusilex.bench.clocks import clocks
from fusilex.bench.common.wet_paste import judge_wet_paste
from fusilex.bench.record.bench import Bench
from fusilex.bench.record.demos import open_demo
from fusilex.bench.report.papers import board_record, page_html
from fusilex.bench.rooms import open_journal
from fusilex.bench.stations.place.events import Placing
from fusilex.bench.stations.place.placements import programme
from fusilex.bench.stations.ready.typed_input import step as read_step
from fusilex.core.design.model import Design
from fusilex.core.evidence import Level
from fusilex.core.panel.layout import Panel
from fusilex.core.placing.points import on_board
from fusilex.core.route.hanging import judge_reflow_cycles
from fusilex.core.route.propose import Ways, propose, syringe_suits, usual_order
from fusilex.core.route.shares import share_out
from fusilex.core.route.steps import DONE, METHODS, Step, Steps, faults, one_side
from fusilex.core.wording import worded
from fusilex.formats.bundle import Files
from fusilex.journal.place import sqlite_url

LOG = (HERON / "oven-run-1.csv").read_bytes()
K = Qt.Key


def opened(tmp_path: Path, files: Files, boards: int = 2, name: str = "small") -> Bench:
    journal = open_journal(sqlite_url(tmp_path / f"{name}.sqlite"))
    bench = Bench.open_batch(journal, files, name, boards, prefix="S", paste="leaded", number=1)
    acknowledge_all(bench)
    return bench


def kitted(bench: Bench) -> None:
    bench.do(c.AcceptFiles())
    for line in bench.batch.lines:
        bench.do(c.FillBin(line.key, line.pull))
    bench.do(c.CloseKit())


def one_step(bench: Bench, serial: str) -> None:
    """Whatever brings a board on at the step where it is."""
    board = bench.state.boards[serial]
    bench.go(board.step, serial)
    part = bench.batch.next_part(board, board.step)
    match board.station:
        case "Print":
            bench.do(c.PrintPanel(board.panel, 0.12, "leaded"))
        case "Place":
            bench.do(c.PlacePart(serial, part.ref) if part else c.PassStep(serial))
        case "Reflow":
            marks_seen(bench)
            bench.do(c.RecordReflow(board.panel, "run.csv", LOG))
        case "Hand":
            bench.do(c.SolderPart(serial, part.ref) if part else c.PassStep(serial))
        case "Inspect":
            bench.do(c.InspectBoard(serial))
        case "Test":
            for pair in bench.batch.own.plan:
                bench.do(c.TakeReading(serial, pair.key, well(pair)))
            bench.do(c.TestBoard(serial, True, "rung out by hand"))
        case "Release":
            sent_off(bench, serial)


def to_the_bag(bench: Bench) -> dict[str, list[str]]:
    """Take every board on until all are done; the steps each went through."""
    been: dict[str, list[str]] = {serial: [] for serial in bench.state.boards}
    for _ in range(3000):
        board = next((b for b in bench.state.boards.values() if b.step != DONE), None)
        if board is None:
            return been
        behind = [b for b in bench.state.boards.values() if b.panel == board.panel and b.step != DONE]
        last = min(behind, key=lambda b: bench.route.steps.progress(b.place))
        been[last.serial] += [last.step] if been[last.serial][-1:] != [last.step] else []
        one_step(bench, last.serial)
    raise AssertionError("a dead end")


def test_routes_are_proposed_with_reasons(heron: Design) -> None:
    assert usual_order(heron, 18) == "hand", "six parts on the bottom are sooner soldered by hand"
    assert propose(heron, "hand").ids == one_side().ids
    two = propose(heron, "glued", Ways("stencil", "machine", "dial oven"))
    assert [(s.station, s.side) for s in two.all[2:8]] == [
        ("Print", "bottom"), ("Place", "bottom"), ("Reflow", "bottom"), ("Inspect", "bottom"), ("Print", "top"), ("Place", "top"),
    ]  # fmt: skip
    assert {s.method for s in two if s.station in ("Place", "Reflow")} == {"machine", "dial oven"}
    assert all(s.why for s in two) and "160 % of the limit" in two.by_id["Reflow 2"].why
    assert [two.label(s) for s in ("Print", "Print 2", "Hand", DONE)] == ["Print bottom", "Print top", "Hand", DONE]
    shared = share_out(heron.parts, two)
    assert {s: len(p) for s, p in shared.items()} == {"Place": 6, "Place 2": 40, "Hand": 2, "": 0}
    everything = [p.ref for parts in shared.values() for p in parts]
    assert sorted(everything) == sorted(p.ref for p in heron.parts if p.populated), "each part at one step"
    for order in ("hand", "glued", "lighter-first"):
        assert faults(propose(heron, order)) == []
    with pytest.raises(KeyError):
        propose(heron, "sideways")
    assert not syringe_suits(heron, "top"), "0.5 mm pitch"


@pytest.mark.parametrize(
    ("top", "bottom", "boards", "order"),
    [(12, 9, 6, "lighter-first"), (12, 8, 6, "hand"), (9, 12, 6, "lighter-first"), (12, 8, 200, "lighter-first")],
)
def test_few_parts_on_a_side_are_soldered_by_hand(
    tmp_path: Path, top: int, bottom: int, boards: int, order: str
) -> None:
    """By sums: 128 s a board with the iron; 64 s to place, a twentieth of 6 min a panel, an hour for the stencil."""
    sides = ["top"] * top + ["bottom"] * bottom
    rows = [(f"R{n}", "0805", 6.0 + 7 * (n % 5), 4.0 + 5 * (n // 5), side) for n, side in enumerate(sides, 1)]
    design = opened(tmp_path, board_files(rows)).design
    design = replace(design, panel=Panel(5, 4, 50, 40, 0, 0, 250, 160, 40, 30))
    assert usual_order(design, boards) == order
    pasted = [s.side for s in propose(design, order) if s.station == "Print"]
    assert len(pasted) == 1 + (order != "hand") and (pasted[0] == "top") == (top < bottom or order == "hand")


def test_a_turned_cell_counts_the_other_way_from_below(bench: Bench) -> None:
    """A cell turned by a quarter: from below a part's angle turns the other way, and its place goes along."""
    x0, y0, x1, y1 = bench.design.outline.bounds
    bench.do(
        c.DefinePanel(
            Panel(
                1, 1, 50, 50, 5, 5, 60, 60, x1 - x0, y1 - y0, (("P1", 2, 2), ("P2", 58, 2), ("P3", 2, 58)), turns=(90,)
            )
        )
    )
    acknowledge_all(bench)
    bench.do(c.ChooseSides("glued"))
    kitted(bench)
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    bench.go("Place", "H7-01")
    taught(bench)
    by_ref = {s.ref: s for s in programme(bench.batch, 1)}
    turned = bench.design.part_by_ref["L2"].rotation_deg - 90
    assert by_ref["L2"].rotation_deg % 360 == pytest.approx(turned % 360)
    c13, r16 = (bench.design.part_by_ref[r] for r in ("C13", "R16"))
    drawn = complex(r16.x - c13.x, r16.y - c13.y)  # along x by design, up by the cell's turn, mirrored it stays up
    seen = complex(by_ref["R16"].x - by_ref["C13"].x, by_ref["R16"].y - by_ref["C13"].y)
    assert abs(seen - complex(-(drawn * 1j).real, (drawn * 1j).imag)) < 1e-6


def wrong_with(steps: Steps) -> list[str]:
    return [worded("ready.road", fault) for fault in faults(steps)]


def test_what_is_wrong_with_a_route_is_said() -> None:
    route = one_side()
    assert wrong_with(route) == [] and wrong_with(route.without("Test")) == []
    assert wrong_with(route.without("Print")) == [
        "Place has no paste: a print of the top comes before it",
    ]
    assert "paste of the top is wet" in wrong_with(route.without("Reflow"))[0]
    assert "nothing to melt" in wrong_with(route.without("Place"))[0]
    assert wrong_with(route.without("Kit")) == ["a route begins with Ready and Kit"]
    assert wrong_with(route.without("Release"))[0] == "a route ends with Release"
    again = route.with_step(3, Step("Print 2", "Print", "bottom"))
    assert "turns a board whose paste is wet" in wrong_with(again)[0]
    look = route.with_step(4, Step("Inspect 2", "Inspect", "top", "before the oven"))
    assert wrong_with(look) == [] and look.label("Inspect 2") == "Inspect top"
    assert wrong_with(look.changed("Inspect 2", method="after soldering")) == [
        "Inspect top comes while paste is wet: look before the oven, or reflow first"
    ]
    with pytest.raises(c.Refused, match="Type a station first"):
        read_step("weld top", "Test")
    with pytest.raises(c.Refused, match="not by magic"):
        read_step("print top magic", "Test")
    assert read_step("Inspect top before the oven", "Reflow") == c.AddStep(
        "Inspect", "top", "Reflow", "before the oven"
    )


@given(
    st.lists(st.tuples(st.sampled_from(("move", "drop", "add")), st.integers(0, 12), st.integers(-3, 3)), max_size=12)
)
def test_changed_routes_keep_their_ids(changes: list[tuple[str, int, int]]) -> None:
    """Whatever is done to a route: ids stay one of a kind and belong to their station, progress never falls."""
    route, pick = one_side(), random.Random(1)
    for what, at, by in changes:
        step = route.all[at % len(route)]
        if what == "add":
            station = pick.choice(list(METHODS))
            route = route.with_step(at % len(route), Step(route.free_id(station), station, "top"))
        else:
            route = route.moved(step.id, by) if what == "move" else route.without(step.id) if len(route) > 2 else route
    assert len(set(route.ids)) == len(route) and all(s.id.startswith(s.station) for s in route)
    assert len({route.label(s) for s in route.ids}) == len(route), "no two steps are called alike"
    assert all(a <= b for a, b in pairwise([route.progress(s) for s in route.ids]))


@pytest.mark.parametrize(
    ("rows", "steps"),
    [
        ([("J1", "header", 10, 10, "top"), ("J2", "header", 20, 20, "top")], ["Hand", "Inspect", "Test", "Release"]),
        (
            [("R1", "0805", 10, 10, "top"), ("R2", "0805", 20, 20, "top")],
            ["Print", "Place", "Reflow", "Inspect", "Test", "Release"],
        ),
        (
            [("R1", "0805", 10, 10, "bottom"), ("J1", "header", 20, 20, "top")],
            ["Print", "Place", "Reflow", "Hand", "Inspect", "Test", "Release"],
        ),
    ],
    ids=["all through-hole", "all surface-mount", "paste below"],
)
def test_boards_go_from_files_to_bag(
    tmp_path: Path, rows: list[tuple[str, str, float, float, str]], steps: list[str]
) -> None:
    bench = opened(tmp_path, board_files(rows))
    assert bench.route.steps.ids == (
        "Ready",
        "Kit",
        *[s for s in steps if s not in ("Test", "Release")],
        "Rework",
        "Test",
        "Release",
    )
    kitted(bench)
    been = to_the_bag(bench)
    assert {tuple(b) for b in been.values()} <= {tuple(steps), tuple(s for s in steps if s not in ("Print", "Reflow"))}
    record = board_record(bench.batch, "S1-01")
    assert record["released_at"] and all(p["how"] for p in record["parts"])
    assert len(record["prints"]) == len(record["loads"]) == int("Print" in steps)


def test_wren_takes_its_own_route(tmp_path: Path) -> None:
    """One side of copper: a syringe, tweezers, a skillet seen by eye, and a cable soldered in the end."""
    journal = open_journal(sqlite_url(tmp_path / "demo.sqlite"))
    heron, bench = open_demo(journal), open_demo(journal, which="wren")
    assert open_demo(journal).id == heron.id != bench.id == open_demo(journal, which="wren").id
    design, steps = bench.design, bench.route.steps
    assert len([p for p in design.parts if p.populated]) == 14 and {p.side for p in design.parts} == {"top"}
    assert [(s.station, s.method) for s in steps.all[2:6]] == [
        ("Print", "syringe"), ("Place", "hand"), ("Reflow", "plate"), ("Hand", "iron"),
    ]  # fmt: skip
    assert syringe_suits(design, "top") and {j.level for j in bench.judgements("Ready")} == {Level.GO}
    there = {j.rule for j in bench.judgements("Print")}
    assert "print.mass" in there and not there & {"print.release", "print.aligned", "print.wipe"}, (
        "no stencil, no release"
    )
    acknowledge_all(bench)
    kitted(bench)
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    while part := bench.batch.next_part(bench.state.boards["W3-01"], "Place"):
        bench.do(c.PlacePart("W3-01", part.ref))
    marks_seen(bench)
    assert "heat from below" in bench.route.now(bench.batch.about("W3-01", "Reflow"), "Reflow").detail
    bench.do(c.SeeReflow(1, "all shiny, U1 last"))
    been = to_the_bag(bench)
    assert been["W3-01"][0] == "Hand" and set(been["W3-02"]) == {
        "Print",
        "Place",
        "Reflow",
        "Hand",
        "Inspect",
        "Test",
        "Release",
    }
    record = board_record(bench.batch, "W3-01")
    assert record["loads"][0]["seen"] == "all shiny, U1 last" and record["prints"][0]["method"] == "syringe"


def two_sided(bench: Bench, order: str = "glued") -> Bench:
    acknowledge_all(bench)
    bench.do(c.ChooseSides(order))
    kitted(bench)
    return bench


def test_heron_goes_bottom_first(bench: Bench, open_window: OpenWindow) -> None:
    two_sided(bench)
    window = open_window(bench)
    for step, side in (("Print", "bottom"), ("Place 2", "top"), ("Inspect", "bottom"), ("Print 2", "top")):
        window.desk.go(step)
        assert window.station.canvas.side == side, "the picture lies as the board does"  # type: ignore[union-attr]
    window.desk.go("Ready")
    assert {b.step for b in bench.state.boards.values()} == {"Print"} and bench.route.steps.label(
        "Print"
    ) == "Print bottom"
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    with pytest.raises(c.Refused, match="U1 is not placed on paste at Place bottom"):
        bench.do(c.PlacePart("H7-01", "U1"))
    bench.go("Place", "H7-01")
    taught(bench)
    bench.do(c.MachinePlaced(1))
    marks_seen(bench)
    bench.do(c.RecordReflow(1, "run.csv", LOG))
    board = bench.state.boards["H7-01"]
    assert board.step == "Inspect" and set(board.reflow_cycles.values()) == {1} and len(board.reflow_cycles) == 6
    bench.do(c.MarkFault("H7-01", "C13", "bridge"))
    bench.do(c.InspectBoard("H7-01"))
    for n in range(2, 7):
        bench.do(c.InspectBoard(f"H7-0{n}"))
    assert board.step == "Rework" and bench.state.boards["H7-02"].step == "Print 2"
    with pytest.raises(c.Refused, match="Print takes whole panels: board H7-01 of panel 1 is at Rework"):
        bench.do(c.PrintPanel(1, 0.12, "leaded"))
    bench.do(c.RepairFault("H7-01", board.faults[0].id, "fixed"))
    assert board.step == "Inspect" and board.reflow_cycles["C13"] == 2
    bench.do(c.InspectBoard("H7-01"))
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    bench.go("Place 2", "H7-01")
    taught(bench)
    bench.do(c.MachinePlaced(1))
    marks_seen(bench)
    bench.do(c.RecordReflow(1, "run.csv", LOG))
    care = [
        j for j in bench.route.judgements(bench.batch.about("H7-01", "Reflow 2"), "Reflow 2") if j.rule == "ready.drop"
    ]
    assert [(j.level, j.refs) for j in care] == [(Level.CARE, ("L2",))], "glued: look whether it is"
    assert (
        board.step == "Hand"
        and board.reflow_cycles["L2"] == 2
        and board.reflow_cycles["U1"] == 1
        and board.reflow_cycles["C13"] == 3
    )
    record = board_record(bench.batch, "H7-01")
    assert [(p["side"], p["step"]) for p in record["prints"]] == [("bottom", "Print"), ("top", "Print 2")]
    bench.state.boards["H7-08"].reflow_cycles["C13"] = 3
    for number in range(7, 13):
        bench.state.boards[f"H7-{number:02d}"].step = "Reflow 2"
    stops = bench.route.open_stops(bench.batch.about("H7-07", "Reflow 2"), "Reflow 2")
    bench.state.boards["H7-08"].placed.append("C13")
    again = bench.route.open_stops(bench.batch.about("H7-07", "Reflow 2"), "Reflow 2")
    assert not stops and [j.subject for j in again] == ["4 heats, H7-08"], "any board of the panel holds the panel"
    assert record["heats"]["C13"] == 3 and "Print bottom" in {s["step"] for s in record["road"]}
    bench.refresh()
    fresh = Bench(bench.journal, bench.id)
    while part := fresh.batch.next_part(fresh.state.boards["H7-01"], "Hand"):
        fresh.do(c.SolderPart("H7-01", part.ref))
    assert fresh.state.boards["H7-01"].step == "Inspect 2"


def test_what_would_drop_is_held_at_the_moment_of_turning(bench: Bench) -> None:
    """The order of sides says by iron, but the route was changed by hand: second side on paste, J1 hanging below."""
    acknowledge_all(bench)
    for n, station in enumerate(("Print", "Place", "Reflow"), 2):
        bench.do(c.AddStep(station, "bottom", "Hand"))
        assert bench.route.steps.ids[3 + n] == f"{station} 2"
    bench.do(c.AddStep("Inspect", "top", "Print 2"))
    stop = next(j for j in bench.judgements("Ready") if j.level is Level.STOP)
    assert (stop.rule, stop.refs) == ("ready.drop", ("J1",))
    with pytest.raises(c.Refused, match="J1: drops off upside down"):
        bench.do(c.AcceptFiles())
    bench.do(c.Overrule(stop.key, "looked at later"))
    kitted(bench)
    bench.state.overruled.clear()  # as if nobody had looked: what holds at the moment of turning
    judged = [j for j in bench.judgements("Reflow 2") if j.rule == "ready.drop"]
    assert not judged, "nothing hangs on an empty board"
    for panel in (1,):
        bench.do(c.PrintPanel(panel, 0.12, "leaded"))
        taught(bench)
        bench.do(c.MachinePlaced(panel))
        marks_seen(bench)
        bench.do(c.RecordReflow(panel, "run.csv", LOG))
        for board in bench.state.panel_boards(panel):
            bench.do(c.InspectBoard(board.serial))
        bench.do(c.PrintPanel(panel, 0.12, "leaded"))
        bench.go("Place 2", "H7-01")
        taught(bench)
        bench.do(c.MachinePlaced(panel))
    bench.go("Reflow 2", "H7-01")
    assert "J1: drops off upside down" in bench.now("Reflow 2").detail
    marks_seen(bench)
    bench.do(c.RecordReflow(1, "run.csv", LOG))
    assert bench.state.boards["H7-01"].step == "Reflow 2", "it stays until somebody has a reason"
    stop = bench.route.open_stops(bench.batch, "Reflow 2")[0]
    bench.do(c.Overrule(stop.key, "J1 was wired down"))
    bench.do(c.SendOn(1))
    assert bench.state.boards["H7-01"].step == "Hand"
    assert "J1 was wired down" in page_html(bench.batch, "H7-01")


def test_heats_are_counted_and_end() -> None:
    assert judge_reflow_cycles({"U1": 1, "R1": 0}, 1) == []
    (care,) = judge_reflow_cycles({"U1": 2, "R1": 0}, 1)
    (stop,) = judge_reflow_cycles({"U1": 3, "R1": 2}, 1)
    assert (care.level, care.refs) == (Level.CARE, ("U1",)) and (stop.level, stop.refs) == (Level.STOP, ("U1",))


def test_one_board_with_too_many_heats_holds_its_panel(bench: Bench) -> None:
    acknowledge_all(bench)
    kitted(bench)
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    taught(bench)
    bench.do(c.MachinePlaced(1))
    bench.state.boards["H7-04"].reflow_cycles["U1"] = 3
    marks_seen(bench)
    bench.do(c.RecordReflow(1, "run.csv", LOG))
    assert {b.step for b in bench.state.panel_boards(1)} == {"Reflow"}
    with pytest.raises(c.Refused, match="Panel 1 stays at Reflow: U1: 4 of 3 reflow cycles used"):
        bench.do(c.SendOn(1))
    bench.go("Reflow", "H7-01")
    assert bench.route.open_stops(bench.batch, "Reflow")[0].subject == "4 heats, H7-04", "said at every board of it"
    bench.do(c.Overrule(bench.route.open_stops(bench.batch, "Reflow")[0].key, "its sheet says five"))
    bench.do(c.SendOn(1))
    reasons = {s: {o["reason"] for o in board_record(bench.batch, s)["overruled"]} for s in ("H7-01", "H7-04")}
    assert reasons == {"H7-01": set(), "H7-04": {"its sheet says five"}}, "it stands in its own papers"
    bench.go("Release", "H7-01")
    assert not [j for j in bench.judgements("Release") if j.rule == "reflow.heats"]


def test_a_bottom_programme_is_mirrored_properly(bench: Bench) -> None:
    """A panel turned over and laid askew on the machine: places and angles against complex numbers."""
    two_sided(bench)
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    bench.go("Place", "H7-01")
    panel, turn = bench.batch.panel, np.exp(1j * np.radians(7.0))

    def seen(x: float, y: float) -> complex:
        """Turned over about the vertical axis, then as the clamp holds it."""
        return complex(complex(panel.width - x, y) * turn + complex(40, 9))

    for name, x, y in panel.fiducials:
        z = seen(x, y)
        bench.do(c.TeachPoint(1, name, z.real, z.imag))
    steps = programme(bench.batch, 1)
    assert len(steps) == 6 * 6 and {s.ref for s in steps} == {"L2", "BT1", "C13", "C14", "R16", "R17"}
    corner = np.asarray(bench.design.outline.bounds[:2])
    for step in steps:
        part = bench.design.part_by_ref[step.ref]
        x, y = on_board(bench.design, [part])[0] + panel.origins()[step.cell - 1]
        assert abs(complex(step.x, step.y) - seen(float(x), float(y))) < 1e-6
        # pin 1 from the part's middle, by the pads themselves, as the machine sees it from below
        pin = part.pads[0].polygon.centroid
        far = seen(*(np.array([pin.x, pin.y]) - corner + panel.origins()[step.cell - 1]).tolist()) - complex(
            step.x, step.y
        )
        own = -complex(part.x - pin.x, 0) if part.rotation_deg == 0 else None
        if own is not None and abs(own) > 0.1:
            lies = complex(-own.real, 0) * np.exp(
                1j * np.radians(step.rotation_deg)
            )  # the part's frame is seen from below
            assert abs(far - lies) < 0.05, step.ref
    assert bench.state[Placing].taught.keys() == {(1, "Place")}


def test_steps_are_changed_until_boards_have_gone_past(bench: Bench) -> None:
    acknowledge_all(bench)
    bench.do(c.ChooseMethod("Print", "syringe"))
    bench.do(c.AddStep("Inspect", "top", "Reflow", "before the oven"))
    assert (
        bench.route.steps.ids[3:6] == ("Place", "Inspect 2", "Reflow")
        and bench.route.steps.by_id["Print"].method == "syringe"
    )
    bench.do(c.DropStep("Reflow"))
    with pytest.raises(c.Refused, match="paste of the top is wet"):
        bench.do(c.AcceptFiles())
    bench.do(c.Undo())
    for command, words in (
        (c.DropStep("Kit"), "Kit stands on every route"),
        (c.DropStep("Rework"), "Rework stands on every route"),
        (c.MoveStep("Release", -2), "Release stands on every route"),
        (c.AddStep("Kit", "", "Print"), "Every route has one Kit"),
        (c.ChooseMethod("Test", "prayer"), "Test is done in one way"),
        (c.ChooseMethod("Print", "prayer"), "not by prayer"),
    ):
        with pytest.raises(c.Refused, match=words):
            bench.do(command)
    bench.do(c.DropStep("Hand"))
    assert "No step places" in bench.judgements("Ready")[0].headline
    bench.do(c.ChooseSides("hand"))
    assert bench.route.steps.ids == one_side().ids, "taken anew"
    bench.do(c.AddStep("Inspect", "top", "Reflow", "before the oven"))
    kitted(bench)
    assert not [j for j in bench.judgements("Print") if j.rule == "print.release"], "a syringe has no openings"
    with pytest.raises(c.Refused, match="Boards are at Print or past it"):
        bench.do(c.ChooseMethod("Print", "stencil"))
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    with pytest.raises(c.Refused, match="Boards are at Print or past it"):
        bench.do(c.DropStep("Print"))
    with pytest.raises(c.Refused, match="gone past there"):
        bench.do(c.MoveStep("Reflow", -3))
    with pytest.raises(c.Refused, match=r"Boards are under way: .*wet"):
        bench.do(c.DropStep("Reflow"))
    with pytest.raises(c.Refused, match="no step would place"):
        bench.do(c.DropStep("Hand"))
    with pytest.raises(c.Refused, match="take that back"):
        bench.do(c.ChooseSides("glued"))
    taught(bench)
    bench.do(c.MachinePlaced(1))
    assert bench.state.boards["H7-01"].step == "Inspect 2"
    bench.do(c.InspectBoard("H7-01"))
    assert bench.state.boards["H7-01"].step == "Reflow", "the look before the oven is a step of its own"


def test_tinned_pads_do_not_dry(bench: Bench) -> None:
    acknowledge_all(bench)
    bench.do(c.ChooseMethod("Print", "tinned pads"))
    kitted(bench)
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    later = replace(bench.batch.about("H7-01", "Place"), at=datetime.now(UTC) + timedelta(hours=30))
    assert bench.judgements("Print") == [] and judge_wet_paste(later, bench.state.boards["H7-01"]) == []
    assert "paste out" not in dict(clocks(bench.batch)) and bench.state.boards["H7-01"].step == "Place"


def test_separating_may_come_before_the_test(tmp_path: Path) -> None:
    bench = opened(tmp_path, board_files([("J1", "header", 10, 10, "top")]))
    bench.do(c.AddStep("Release", "", "Test", "separate"))
    kitted(bench)
    been = to_the_bag(bench)["S1-01"]
    assert been == ["Hand", "Inspect", "Release 2", "Test", "Release"]
    assert bench.state.boards["S1-01"].released_at


def test_a_step_without_work_is_passed_and_said_once(tmp_path: Path, open_window: OpenWindow) -> None:
    rows = [("R1", "0805", 10, 10, "top"), ("J1", "header", 20, 20, "top")]
    bench = opened(tmp_path, board_files(rows))
    bench.do(c.AcceptFiles())
    for line in bench.batch.lines:
        bench.do(c.FillBin(line.key, 0 if "J1" in line.refs else line.pull))
        for stop in bench.route.open_stops(bench.batch, "Kit"):
            bench.do(c.Overrule(stop.key, "it comes next week"))
    bench.do(c.CloseKit())
    window = open_window(bench)
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    bench.do(c.PlacePart("S1-01", "R1"))
    marks_seen(bench)
    window.desk.do(c.SeeReflow(1, "shiny"))
    assert window.desk.said == "Nothing to do at Hand." and bench.state.boards["S1-01"].passed == ["Hand"]
    bench.do(c.PrintPanel(2, 0.12, "leaded"))
    bench.do(c.PlacePart("S1-02", "R1"))
    marks_seen(bench)
    window.desk.do(c.SeeReflow(2, "shiny"))
    assert window.desk.said == "" and {b.step for b in bench.state.boards.values()} == {"Inspect"}
    assert [s["step"] for s in board_record(bench.batch, "S1-01")["road"] if s["passed"]] == ["Hand"]


def test_a_board_is_sent_back_and_comes_back(tmp_path: Path) -> None:
    bench = opened(tmp_path, board_files([("R1", "0805", 10, 10, "top"), ("J1", "header", 20, 20, "top")]), 1)
    kitted(bench)
    while bench.state.boards["S1-01"].step != "Test":
        one_step(bench, "S1-01")
    with pytest.raises(c.Refused, match="Say why"):
        bench.do(c.SendBack("S1-01", "Hand", " "))
    with pytest.raises(c.Refused, match="a step it has been through"):
        bench.do(c.SendBack("S1-01", "Release", "forward"))
    bench.do(c.SendBack("S1-01", "Reflow", "dull joints"))
    board = bench.state.boards["S1-01"]
    assert board.step == "Reflow" and bench.now("Reflow").title
    to_the_bag(bench)
    assert board.reflow_cycles["R1"] == 2 and board.released_at
    with pytest.raises(c.Refused, match="comes back by its serial"):
        bench.do(c.SendBack("S1-01", "Test", "again"))
    bench.do(c.TakeBack("S1-01", "does not start"))
    assert board.step == "Rework" and board.released_at is None and not board.readings
    bench.go("Rework", "S1-01")
    assert "came back" in bench.now("Rework").title and "does not start" in bench.now("Rework").detail
    bench.do(c.AcceptAsIs("S1-01"))
    assert board.step == "Inspect"
    to_the_bag(bench)
    sent = board_record(bench.batch, "S1-01")["sent_back"]
    assert [(s["start"], s["to"], s["reason"]) for s in sent] == [
        ("Test", "Reflow", "dull joints"), (DONE, "Rework", "does not start"),
    ]  # fmt: skip
    assert "does not start" in page_html(bench.batch, "S1-01") and board.released_at


def test_two_windows_look_at_two_steps(bench: Bench) -> None:
    acknowledge_all(bench)
    other = Bench(bench.journal, bench.id)
    kitted(bench)
    other.refresh()
    other.go("Test", "H7-05")
    bench.go("Print", "H7-01")
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    other.refresh()
    assert (other.view.step, other.view.board) == ("Test", "H7-05"), "not pulled along"
    with pytest.raises(c.Refused, match="nothing to take back at Test"):
        other.do(c.Undo())
    other.go("Print")
    other.do(c.Undo())
    bench.refresh()
    assert not bench.board.prints and bench.state == other.state


def test_the_route_by_keys(window: object, bench: Bench) -> None:
    w = window
    QTest.keyClick(w, K.Key_1, Qt.KeyboardModifier.ControlModifier)  # type: ignore[arg-type, call-overload]
    for _ in range(5):
        QTest.keyClick(w, K.Key_Tab)  # type: ignore[arg-type, call-overload]
    here = w.desk.bench  # type: ignore[attr-defined]
    press = lambda *keys: [QTest.keyClick(w, k) for k in keys]  # noqa: E731
    press(K.Key_S, K.Key_S)
    assert here.batch.state[c.Laid].order == "glued" and len(here.route.steps) == 14
    assert "Print bottom" in w.now_card.now.title  # type: ignore[attr-defined]
    press(K.Key_M)
    assert {s.method for s in here.route.steps.at_station("Print")} == {"syringe"}
    press(K.Key_Right, K.Key_Right, K.Key_I)
    w.ask.line.setText("inspect bottom before the oven")  # type: ignore[attr-defined]
    QTest.keyClick(w.ask.line, K.Key_Return)  # type: ignore[attr-defined]
    assert here.route.steps.ids[4] == "Inspect 3" and "before the oven" in w.now_card.now.title  # type: ignore[attr-defined]
    press(K.Key_X)
    assert "Inspect 3" not in here.route.steps.ids
    QTest.keyClick(w, K.Key_Right, Qt.KeyboardModifier.AltModifier)  # type: ignore[arg-type, call-overload]
    assert here.view.step == "Kit"
    QTest.mouseClick(w.line, Qt.MouseButton.LeftButton, pos=w.line.rect().center())  # type: ignore[attr-defined]
    assert here.view.step in here.route.steps.ids[6:9]


@pytest.mark.parametrize("order", ["glued", "hand"])
def test_a_two_sided_batch_goes_to_the_bag_by_keyboard(tmp_path: Path, open_window: OpenWindow, order: str) -> None:
    """Nothing but keys and typed answers, from the files to the bag, whatever the route asks for."""
    rows = [
        ("R1", "0805", 8, 8, "bottom"),
        ("R2", "0805", 20, 8, "bottom"),
        ("R3", "0805", 8, 20, "top"),
        ("J1", "header", 30, 20, "top"),
    ]
    journal = open_journal(sqlite_url(tmp_path / "keys.sqlite"))
    bench = Bench.open_batch(journal, board_files(rows), "small", 1, prefix="S", paste="leaded", number=1)  # type: ignore[arg-type]
    window = open_window(bench)

    def press(*keys: K) -> None:
        for key in keys:
            QTest.keyClick(window, key)

    def answer(text: str) -> None:
        if window.ask.isVisible():
            window.ask.line.setText(text)
            QTest.keyClick(window.ask.line, K.Key_Return)

    for _ in range(5):
        press(K.Key_Tab)
    while bench.batch.state[c.Laid].order != order:
        press(K.Key_S)
    board, been = bench.state.boards["S1-01"], []
    for _ in range(200):
        step = board.step
        if step == DONE:
            break
        been += [bench.route.steps.label(step)] if been[-1:] != [bench.route.steps.label(step)] else []
        index = bench.route.steps.index(step)
        while bench.view.step != step:
            if index < 10:
                QTest.keyClick(window, K(K.Key_0 + (index + 1) % 10), Qt.KeyboardModifier.ControlModifier)
            else:
                QTest.keyClick(window, K.Key_Right, Qt.KeyboardModifier.AltModifier)
        if window.now_card.now.cautions or board.station not in ("Reflow", "Test"):
            press(K.Key_Space)
            answer("6")
        elif board.station == "Reflow":
            press(K.Key_V)
            answer("all shiny")
        elif any(pair.key not in board.readings for pair in bench.batch.own.plan):
            press(K.Key_Return)
        else:
            press(K.Key_Space)
            answer("rung out by hand")
    sides = ["Print bottom", "Place bottom", "Reflow bottom", "Inspect bottom", "Print top", "Place top", "Reflow top"]
    pasted = sides if order == "glued" else ["Print", "Place", "Reflow"]
    last = "Inspect both sides" if order == "glued" else "Inspect"
    assert been == ["Ready", "Kit", *pasted, "Hand", last, "Test", "Release"], window.desk.said
    assert board.released_at and all(p["how"] for p in board_record(bench.batch, "S1-01")["parts"])
