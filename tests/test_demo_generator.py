"""The generator's own parts: lands, router, pour, writers, oven run."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from conftest import HERON
from msgspec.structs import replace
from shapely.geometry import Point, box
from windows import WINDOWS

from fusilex.core.reflow.metrics import window_index
from fusilex.core.reflow.profile import measure
from fusilex.demo import oven_run
from fusilex.demo.copper import VIA_PAD, Copper, PlacedLand, ground_groups, place_lands, pour_ground
from fusilex.demo.described import PartRow
from fusilex.demo.footprints import Land
from fusilex.demo.gerber_out import GerberWriter, excellon, ipc356
from fusilex.demo.heron import HERON as BOARD
from fusilex.demo.heron import heron_panel
from fusilex.demo.router import route
from fusilex.formats.identify import identify
from fusilex.formats.layers.excellon import read_excellon
from fusilex.formats.layers.gerber import read_gerber
from fusilex.formats.lists.netlist import read_netlist
from fusilex.formats.lists.temperature_log import read_log
from fusilex.formats.panel_file import read_panel


def land(
    ref: str, net: str, x: float, y: float, side: str = "top", size: float = 1.0, drill: float = 0.0
) -> PlacedLand:
    return PlacedLand(ref, "1", net, side, x, y, size, size, Land("1", 0, 0, size, size, drill=drill), 0)


def test_the_router_joins_nets_that_must_cross_and_keeps_them_apart() -> None:
    lands = [land("A", "N1", 8, 15), land("B", "N1", 30, 15), land("C", "N2", 19, 8), land("D", "N2", 19, 24)]
    lands += [land("E", "N3", 8, 9), land("F", "N3", 30, 22, side="bottom")]
    copper = route(replace(BOARD, track_widths={"N1": 0.3}), lands)
    assert copper.vias, "two of them cross, so one goes below"
    assert {t.width for t in copper.tracks if t.net == "N1"} == {0.3}
    for layer in ("top", "bottom"):
        items = copper.items(layer)
        for i, (net, shape) in enumerate(items):
            for other, there in items[:i]:
                assert net == other or shape.distance(there) >= 0.149
    for net in ("N1", "N2", "N3"):
        shapes = [(lay, s) for lay in ("top", "bottom") for n, s in copper.items(lay) if n == net]
        joined, left = [shapes[0]], shapes[1:]
        while grown := [
            s for s in left if any(s[1].intersects(j[1]) and (s[0] == j[0] or _through(copper, s[1])) for j in joined)
        ]:
            joined += grown
            left = [s for s in left if s not in grown]
        assert not left, net


def _through(copper: Copper, shape: shapely.Geometry) -> bool:
    return any(shape.equals(v.shape()) for v in copper.vias)


def test_ground_is_poured_round_everything_else_with_spokes() -> None:
    signal, ground = land("A", "N1", 10, 10), land("B", "GND", 20, 15)
    copper = Copper(BOARD, [signal, ground])
    pour_ground(copper)
    pour = shapely.union_all(copper.pour["top"])
    assert pour.distance(signal.shape()) == pytest.approx(0.2, abs=0.01)
    moat = ground.shape().buffer(0.24, join_style="mitre").difference(ground.shape())
    share = pour.intersection(moat).area / moat.area
    assert pour.intersects(ground.shape()) and 0.02 < share < 0.35, "joined by spokes, not flooded"
    assert len(ground_groups(copper)) == 1
    assert copper.pour["bottom"] == [], "a pour that touches no ground is left out"


def test_lands_stand_where_their_footprint_says() -> None:
    row = PartRow("Q1", "SOT-23", "x", 10, 20, 90, "top", ("G", "S", "D"))
    found = {p.pin: (p.x, p.y, p.net, p.w, p.h) for p in place_lands([row])}
    assert found["1"] == (9.05, 18.85, "G", 0.6, 1.05) and found["3"] == (10.0, 21.15, "D", 0.6, 1.05)
    mirrored = {p.pin: (p.x, p.y) for p in place_lands([PartRow("Q1", "SOT-23", "x", 10, 20, 0, "bottom", ())])}
    assert mirrored["1"] == (11.15, 20.95)
    assert {p.net for p in place_lands([PartRow("Q1", "SOT-23", "x", 10, 20, 0, "top", ())])} == {
        "Q1.1",
        "Q1.2",
        "Q1.3",
    }


def test_what_is_written_is_read_back() -> None:
    layer = GerberWriter("Copper,L1,Top")
    outer, inner = box(0, 0, 10, 10).difference(box(2, 2, 8, 8)), box(4, 4, 6, 6)
    layer.regions([inner, outer], {".N": "GND"})
    layer.stroke([(12, 0), (12, 5), (15, 8)], 0.25, "Conductor", {".N": "SDA"})
    layer.flash(20, 3, "R,2.000000X1.000000", "SMDPad,CuDef", {".P": "R1,2", ".N": "SDA", ".C": "R1"})
    image = read_gerber(layer.text().encode(), "x.gbr", "copper", "top")
    guess = identify("x.gbr", layer.text().encode())
    assert (guess.role, guess.side, guess.sure) == ("copper", "top", "stated")
    assert image.area.area == pytest.approx(64 + 4 + 0.25 * (5 + np.hypot(3, 3)) + np.pi * 0.125**2 + 2, rel=1e-3)
    last = len(image) - 1
    assert image.pins[last] == ("R1", "2") and image.nets[last] == "SDA" and image.flashed[last]
    assert image.functions[last] == "SMDPad,CuDef"
    holes = read_excellon(excellon([(1.5, 2.25, 0.3), (10, 0, 1.3)], True).encode(), "p.drl")
    assert [(h.x, h.y, h.diameter, h.plated) for h in holes] == [(1.5, 2.25, 0.3, True), (10, 0, 1.3, True)]
    assert not read_excellon(excellon([(1, 1, 2.2)], False).encode(), "n.drl")[0].plated
    records = [
        ("SDA", "R1", "2", 20.125, 3.0, 2.0, 1.0, 0.0, "bottom"),
        ("GND", "", "", 1.0, 1.0, VIA_PAD, VIA_PAD, 0.3, None),
    ]
    points = read_netlist(ipc356(records).encode(), "n.ipc")
    assert (points[0].net, points[0].ref, points[0].pin, points[0].side) == ("SDA", "R1", "2", "bottom")
    assert (points[0].x, points[0].y) == (pytest.approx(20.125), pytest.approx(3.0)) and points[1].ref == ""


def test_the_committed_run_and_panel_are_the_generators() -> None:
    text = oven_run.run()
    assert text == (HERON / "oven-run-1.csv").read_text() and oven_run.run(8) != text
    log = read_log(text.encode(), "run")
    assert all(
        window_index(measure(log.time_s, v, WINDOWS["leaded"]), WINDOWS["leaded"]) < 100 for v in log.probes_c.values()
    )
    assert read_panel((HERON / "panel.json").read_bytes(), "panel.json") == heron_panel()
    panel = heron_panel()
    boards = [box(x, y, x + panel.board_w, y + panel.board_h) for x, y in panel.origins()]
    assert not any(a.intersection(b).area for i, a in enumerate(boards) for b in boards[:i])
    assert all(not any(b.intersects(Point(x, y).buffer(1)) for b in boards) for _, x, y in panel.fiducials)


def test_stock_numbers_are_one_to_a_line() -> None:
    lines = {(r.value, r.body) for r in BOARD.rows if not r.ref.startswith(("FID", "TP"))}
    assert len({BOARD.part_number(*line) for line in lines}) == len(lines)
