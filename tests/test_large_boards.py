"""Boards that stop a reader or a window: like parts without names, a thousand parts, six poured layers."""

from __future__ import annotations

import signal
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import asked as c
import numpy as np
import pytest
import shapely
from big_board import big_board, six_layers
from conftest import OpenWindow
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot

from fusilex.bench.built import Built, Shop
from fusilex.bench.intake.design import design_from
from fusilex.bench.record.bench import Bench
from fusilex.bench.rooms import open_journal
from fusilex.bench.stations.inspect.touring import Way, fields_of, is_settled, settle, ways_of
from fusilex.core.checks.reconcile import reconcile
from fusilex.core.checks.rotations import fit_turns, kinds_of, odd_turns
from fusilex.core.design.connectivity import compare_with_netlist
from fusilex.core.design.model import Design
from fusilex.core.electrical.checks import checks_of
from fusilex.core.inspection.tour import Tour, joints_seen, tour
from fusilex.core.overlay import GRID_MM, hanging_together, union_of
from fusilex.core.printing.apertures import apertures_of
from fusilex.demo.gerber_out import GerberWriter
from fusilex.formats.bundle import Files
from fusilex.journal.place import sqlite_url

PATIENCE_S = 20
"""Longer than anything here takes on a slow machine, and shorter than for ever."""


@contextmanager
def at_last(seconds: int = PATIENCE_S) -> Iterator[None]:
    """Fails where something does not end."""

    def ring(*_: object) -> None:
        raise TimeoutError("it does not end")

    before = signal.signal(signal.SIGALRM, ring)
    signal.alarm(seconds)
    try:
        yield
    finally:
        signal.alarm(0)
        signal.signal(signal.SIGALRM, before)


def quads(sides: int, pins: int = 20, turns: tuple[int, ...] = (0, 90)) -> Files:
    """Like parts with `sides` rows of pads each and no netlist: nothing names a pad."""
    layers = {role: GerberWriter(f"{role}") for role in ("Copper,L1,Top", "Paste,Top", "Soldermask,Top")}
    rows = ["Ref,X mm,Y mm,Turn deg,Side,Body,Value"]
    for n, turn in enumerate(turns):
        x, y = 20.0 + 30.0 * n, 20.0
        rows.append(f"U{n + 1},{x},{y},{turn},top,LQFP-{sides * pins} 14x14,controller")
        for k in range(sides):
            for pin in range(pins):
                angle = np.radians(90.0 * k + turn)
                along, out = (pin - (pins - 1) / 2) * (8.0 / pins), 5.5
                at = np.array(
                    [along * np.cos(angle) - out * np.sin(angle), along * np.sin(angle) + out * np.cos(angle)]
                )
                for layer in layers.values():
                    layer.flash(x + float(at[0]), y + float(at[1]), f"C,{5.0 / pins:.6f}")
    files = {f"{role.split(',')[0]}.gbr": written.text().encode() for role, written in layers.items()}
    outline = GerberWriter("Profile,NP")
    outline.stroke(list(shapely.box(0, 0, 80, 40).exterior.coords), 0.1, "Profile")
    return {**files, "outline.gbr": outline.text().encode(), "placements.csv": "\n".join(rows).encode()}


@pytest.mark.parametrize(("sides", "turns"), [(4, (0, 90)), (4, (0, 0, 180)), (2, (0, 90, 90)), (4, (0,))])
def test_like_parts_with_many_pads_without_names_come_to_an_end(sides: int, turns: tuple[int, ...]) -> None:
    """More than 64 pads each: a grid tells nothing of turns, and every check says what it can."""
    with at_last():
        design = design_from(quads(sides, 20 if sides == 4 else 40, turns), "quads")
        assert {len(p.pads) for p in design.parts} == {80} and not any(pad.named for pad in design.pads)
        kinds = kinds_of(design.parts)
        assert not kinds and not fit_turns(kinds) and not odd_turns(kinds)
        reconcile(design)
        compare_with_netlist(design)
        checks_of(design)
        assert len(apertures_of(design, "top")) == 80 * len(turns)
        names, boxes = joints_seen(design, "top")
        assert sum(len(s.joints) for s in tour(names, boxes, (20, 15)).stops) >= 80 * len(turns)


def test_such_a_board_goes_through_every_station_by_keys(tmp_path: Path, open_window: OpenWindow) -> None:
    with at_last(60):
        journal = open_journal(sqlite_url(tmp_path / "q.sqlite"))
        bench = Bench.open_batch(journal, quads(4), "Quads", 2, prefix="Q")
        window = open_window(bench)
        for step in bench.route.steps.ids:
            window.desk.go(step)
            for key in (Qt.Key.Key_Tab, Qt.Key.Key_Space, Qt.Key.Key_Right, Qt.Key.Key_F):
                QTest.keyClick(window, key)
            assert window.now_card.now.title


@pytest.fixture(scope="module")
def poured(heron_files: Files) -> Files:
    """A quarter of a thousand parts on six poured layers."""
    return six_layers(big_board(heron_files, 3, 2, "{0}{1:02d}"))


@pytest.fixture(scope="module")
def poured_design(poured: Files) -> Design:
    return design_from(poured, "poured")


def test_six_poured_layers_are_read_to_their_area(poured_design: Design) -> None:
    """Against the sum: the plane less its clearances, where they overlap or leave it, by another way of cutting."""
    layers = {(x.role, x.side): x for x in poured_design.layers}
    assert len([role for role, _ in layers if role == "inner"]) == 4
    holes = [(h.x, h.y) for h in poured_design.holes]
    plane = poured_design.outline.buffer(-0.5, join_style="mitre")
    for number in (2, 5):
        clear = [shapely.Point(x, y).buffer(0.45, 64) for n, (x, y) in enumerate(holes) if (n + number) % 5]
        pads = [shapely.Point(x, y).buffer(0.25, 64) for x, y in holes]
        wanted = plane.difference(shapely.union_all(clear)).union(shapely.union_all(pads))
        found = layers["inner", str(number)]
        assert found.area.area == pytest.approx(wanted.area, rel=2e-4)


def test_a_union_by_what_touches_is_the_union() -> None:
    dice = np.random.default_rng(3)
    for count, room in ((40, 60.0), (200, 40.0), (300, 8.0)):
        boxes = [shapely.box(0, 0, w, h) for w, h in dice.uniform(0.2, 2.0, (count, 2))]
        moved = [shapely.affinity.translate(b, *dice.uniform(0, room, 2)) for b in boxes]
        whole = shapely.union_all(moved, grid_size=GRID_MM)
        assert union_of(moved).symmetric_difference(whole).area < 1e-5 * count, "but for the grid"
    a, b = dice.integers(0, 60, 50), dice.integers(0, 60, 50)
    first, group = hanging_together(60, a, b), list(range(60))
    for i, j in zip(a.tolist(), b.tolist(), strict=True):  # one by one
        low, high = sorted((group[i], group[j]))
        group = [low if g == high else g for g in group]
    assert first.tolist() == group


def test_a_large_board_goes_through_every_station_by_keys(
    poured: Files, tmp_path: Path, open_window: OpenWindow, qtbot: QtBot
) -> None:
    """There is a way under the microscope at once, and a better one once it was worked out beside the window."""
    journal = open_journal(sqlite_url(tmp_path / "l.sqlite"))
    bench = Bench.open_batch(journal, poured, "Poured", 2, prefix="P")
    c.acknowledge_all(bench)
    window = open_window(bench)
    with at_last(120):
        for step in bench.route.steps.ids:
            window.desk.go(step)
            for key in (Qt.Key.Key_Tab, Qt.Key.Key_Right, Qt.Key.Key_BracketRight):
                QTest.keyClick(window, key)
            assert window.now_card.now.title
        window.desk.go("Inspect")
        batch = bench.batch
        names = {name for side in ("top", "bottom") for name in joints_seen(bench.design, side)[0]}
        assert {j for f in fields_of(batch) for j in f.joints} >= names, "no joint is left out of the first way"
        before = len(fields_of(batch))
        qtbot.waitUntil(lambda: all(map(is_settled, ways_of(batch))), timeout=60_000)
        assert len(fields_of(batch)) <= before and {j for f in fields_of(batch) for j in f.joints} >= names


def test_where_no_shorter_way_is_found_nobody_waits_for_one(
    poured_design: Design, monkeypatch: pytest.MonkeyPatch
) -> None:
    way = Way(Built(poured_design, poured_design, Shop()), "top", False, (9.0, 7.0), 0.2)
    assert not is_settled(way)

    def at_once(*asked: Any) -> Tour:
        if not asked[-1]:
            raise ValueError("no way")
        return tour(*asked)

    monkeypatch.setattr("fusilex.bench.stations.inspect.touring.tour", at_once)
    with pytest.raises(ValueError, match="no way"):
        settle(way)
    assert is_settled(way)
