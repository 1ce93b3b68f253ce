"""The panel's geometry and the programme made from it."""

from __future__ import annotations

import csv
import io

import asked as c
import numpy as np
import pytest

from fusilex.bench.record.bench import Bench
from fusilex.bench.stations.place.events import Placing
from fusilex.bench.stations.place.machine import point_at
from fusilex.bench.stations.place.placements import programme
from fusilex.bench.stations.place.references import judge_machine
from fusilex.core.evidence import Level
from fusilex.core.panel.layout import Panel, single
from fusilex.formats.written.programme import Step, to_csv


def test_cells_count_row_by_row_from_the_lower_left() -> None:
    panel = Panel(3, 2, 46, 31, 7, 0, 150, 62, 44, 31)
    assert panel.origins().tolist() == [[7, 0], [53, 0], [99, 0], [7, 31], [53, 31], [99, 31]]
    stepped = panel.step([(1, 2), (3, 4)])
    assert stepped.shape == (6, 2, 2) and stepped[4].tolist() == [[54, 33], [56, 35]]
    assert single(44, 31).step([(1, 2)])[0].tolist() == [[1, 2]] and single(44, 31).count == 1


def test_points_of_a_panel_by_name(bench: Bench) -> None:
    assert point_at(bench.batch, "P2") == (146.5, 5.0) == point_at(bench.batch, "p2")
    u1 = bench.design.part_by_ref["U1"]
    assert point_at(bench.batch, "U1@5") == pytest.approx((53 + u1.x, 31 + u1.y))
    assert point_at(bench.batch, "U1") == point_at(bench.batch, "u1@1")
    for name in ("U1@7", "U1@0", "U1@x", "Q99", ""):
        with pytest.raises(c.Refused, match="no point"):
            point_at(bench.batch, name)


def printed(bench: Bench) -> None:
    for station in ("Kit", "Print", "Place"):
        bench.do(c.Acknowledge(station))
    bench.do(c.AcceptFiles())
    for line in bench.batch.lines:
        bench.do(c.FillBin(line.key, line.pull))
    bench.do(c.CloseKit())
    bench.do(c.PrintPanel(1, 0.12, "leaded"))


def teach(bench: Bench, turn: float, *names: str, noise: float = 0.0) -> None:
    random = np.random.default_rng(5)
    for name in names:
        z = complex(*point_at(bench.batch, name)) * np.exp(1j * np.radians(turn)) + complex(30, -4)
        bench.do(c.TeachPoint(1, name, z.real + random.normal(0, noise or 1e-9), z.imag))


def test_the_programme_reaches_every_placement_left_to_do(bench: Bench) -> None:
    printed(bench)
    bench.do(c.PlacePart("H7-02", "C7"))
    with pytest.raises(c.Refused, match="at least 2 points"):
        programme(bench.batch, 1)
    bench.do(c.ChooseWay("machine"))
    assert "Teach P1" in bench.now("Place").title
    teach(bench, 12.5, "P1", "P2")
    assert [j.level for j in judge_machine(bench.batch, 1)] == [Level.UNKNOWN], "two points do, and prove nothing"
    assert "Teach P3" in bench.now("Place").title
    teach(bench, 12.5, "P3")
    assert "Run panel 1" in bench.now("Place").title and judge_machine(bench.batch, 1)[0].level is Level.GO
    steps = programme(bench.batch, 1)
    assert len(steps) == 6 * 40 - 1 and (2, "C7") not in {(s.cell, s.ref) for s in steps}
    for step in steps[::17]:
        z = complex(*point_at(bench.batch, f"{step.ref}@{step.cell}")) * np.exp(1j * np.radians(12.5)) + complex(30, -4)
        assert (step.x, step.y) == pytest.approx((z.real, z.imag), abs=1e-6)
        turn = bench.design.part_by_ref[step.ref].rotation_deg + 12.5
        assert step.rotation_deg % 360 == pytest.approx(turn % 360)
        assert step.bin_number == bench.batch.bin_number[bench.batch.line_of[step.ref].key]


def test_a_fourth_point_finds_the_wrong_one(bench: Bench) -> None:
    printed(bench)
    teach(bench, 0.4, "P1", "P2", "P3", "U1@6", "J2@3", noise=0.004)
    assert {j.level for j in judge_machine(bench.batch, 1)} == {Level.GO}
    x, y = bench.state[Placing].taught[1, "Place"]["P3"]
    bench.do(c.TeachPoint(1, "P3", x + 0.8, y))
    worst = judge_machine(bench.batch, 1)[0]
    assert (worst.rule, worst.subject, worst.level) == ("place.suspect", "P3, panel 1", Level.STOP)
    assert bench.judgements("Place")[0].rule == "place.suspect"
    bench.do(c.ForgetPoint(1, "P3"))
    assert {j.level for j in judge_machine(bench.batch, 1)} == {Level.GO}


def test_programme_files_say_the_same() -> None:
    steps = [
        Step(1, "C1", 10.12345, -2.5, 370.0, 0.5, 3, "100 nF", "0402 (1005)"),
        Step(2, "U1", 0.0, 0.0, -90.0, 0.85, 25, "control (new)", "QFN"),
    ]
    rows = list(csv.DictReader(io.StringIO(to_csv(steps))))
    assert rows[0]["x_mm"] == "10.1235" and rows[0]["rotation_deg"] == "10.000" and rows[1]["rotation_deg"] == "270.000"
