"""Heron R2 is believable to an engineer, and our own readers see it so."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from shapely.geometry import Point, box

from fusilex.core.checks.reconcile import reconcile
from fusilex.core.design.connectivity import compare_with_netlist
from fusilex.core.design.frames import board_to_part, part_to_board
from fusilex.core.design.model import Design, Part
from fusilex.core.design.outlines import body_polygon
from fusilex.core.panel.layout import Panel
from fusilex.core.printing.apertures import apertures_of
from fusilex.demo.footprints import FOOTPRINTS
from fusilex.demo.heron import HERON as HERON_BOARD


def test_copper_and_netlist_agree_and_the_files_belong_together(heron: Design) -> None:
    assert compare_with_netlist(heron) == []
    assert reconcile(heron) == []
    assert len({p.net for p in heron.netpoints}) >= 40 and len(heron.netpoints) > 200


def test_a_cut_track_and_a_solder_bridge_are_named(heron: Design) -> None:
    from msgspec.structs import replace

    layer = heron.layer("copper", "top")
    assert layer
    sda = [i for i, n in enumerate(layer.nets) if n == "SDA" and not layer.flashed[i]]
    keep = np.array([i for i in range(len(layer)) if i not in sda])
    cut = replace(
        layer,
        polygons=layer.polygons[keep],
        flashed=layer.flashed[keep],
        nets=tuple(layer.nets[i] for i in keep),
        pins=tuple(layer.pins[i] for i in keep),
        functions=tuple(layer.functions[i] for i in keep),
    )
    others = [x for x in heron.layers if x is not layer]
    faults = compare_with_netlist(replace(heron, layers=(*others, cut)))
    assert ("open", ("SDA",)) in [(f.kind, f.nets) for f in faults]
    a, b = (next(p.polygon.centroid for p in heron.pads if p.name == name) for name in ("U1.2", "U1.3"))
    bridged = replace(
        layer,
        polygons=np.append(layer.polygons, shapely.LineString([a, b]).buffer(0.1)),
        flashed=np.append(layer.flashed, False),
        nets=(*layer.nets, None),
        pins=(*layer.pins, None),
        functions=(*layer.functions, None),
    )
    faults = compare_with_netlist(replace(heron, layers=(*others, bridged)))
    assert [(f.kind, set(f.nets)) for f in faults] == [("short", {"OSC_IN", "OSC_OUT"})]


def test_clearances_are_legal(heron: Design) -> None:
    board = heron.outline
    for side in ("top", "bottom"):
        layer = heron.layer("copper", side)
        assert layer
        a, b = layer.tree.query(layer.polygons, predicate="dwithin", distance=0.145)
        close = [
            (layer.nets[i], layer.nets[j])
            for i, j in zip(a, b, strict=True)
            if i < j and layer.nets[i] and layer.nets[j] and layer.nets[i] != layer.nets[j]
        ]
        assert close == []
        pour = [p for p, n in zip(layer.polygons, layer.nets, strict=True) if n is None]
        for piece in pour:
            near = layer.tree.query(piece, predicate="dwithin", distance=0.17)
            assert {layer.nets[i] for i in near} <= {None, "GND"}
        assert all(board.exterior.distance(p) > 0.2 for p in layer.polygons)
    holes = [Point(h.x, h.y).buffer(h.diameter / 2) for h in heron.holes]
    i, j = shapely.STRtree(holes).query(holes, predicate="dwithin", distance=0.2)
    assert all(i == j)


def test_courtyards_do_not_collide_and_silk_stays_off_the_pads(heron: Design) -> None:
    rows = HERON_BOARD.rows
    courts = [
        shapely.Polygon(
            part_to_board(list(box(*FOOTPRINTS[r.body].courtyard).exterior.coords), (r.x, r.y), r.turn, r.side)
        )
        for r in rows
    ]
    for a in range(len(rows)):
        for b in range(a):
            if rows[a].side == rows[b].side:
                assert courts[a].intersection(courts[b]).area < 1e-9, (rows[a].ref, rows[b].ref)
    for side in ("top", "bottom"):
        silk, mask = heron.layer("silk", side), heron.layer("mask", side)
        assert silk and mask and len(silk)
        assert not len(silk.tree.query(mask.polygons, predicate="intersects")[0])


def test_the_scenario_is_there(heron: Design) -> None:
    fitted = [p for p in heron.parts if p.populated]
    assert 42 <= len(fitted) <= 50 and heron.outline.area == pytest.approx(44 * 31, rel=1e-4)
    by_ref = heron.part_by_ref
    assert len(by_ref["U1"].pads) == 33 and {by_ref[r].side for r in ("BT1", "L2")} == {"bottom"}
    assert by_ref["J3"].through_hole and by_ref["S1"].through_hole
    assert not heron.outline.contains(body_polygon(by_ref["J1"])), "the receptacle overhangs"
    windows = [
        i
        for i, (r, p) in enumerate(zip(apertures_of(heron, "top").refs, apertures_of(heron, "top").pins, strict=True))
        if (r, p) == ("U1", "33")
    ]
    assert len(windows) == 4, "the thermal pad is windowed"
    panel = heron.panel
    assert isinstance(panel, Panel) and panel.count == 6 and len(panel.fiducials) == 3 and panel.scores
    for part in heron.parts:
        assert isinstance(part, Part) and part.package.known, part.ref


def test_the_generator_still_describes_what_is_committed(heron: Design) -> None:
    for row in HERON_BOARD.rows:
        for land in FOOTPRINTS[row.body].lands:
            x, y = part_to_board((land.x, land.y), (row.x, row.y), row.turn, row.side)[0]
            pad = next(p for p in heron.pads if (p.ref, p.pin) == (row.ref, land.pin))
            assert pad.polygon.centroid.distance(Point(x, y)) < 1e-3


@pytest.mark.parametrize("side", ["top", "bottom"])
def test_frames_are_inverse_and_the_bottom_is_mirrored(side: str) -> None:
    xy = np.array([[1.0, 2.0], [-3.0, 0.5]])
    there = part_to_board(xy, (10, 20), 37, side)
    assert board_to_part(there, (10, 20), 37, side) == pytest.approx(xy)
    assert part_to_board((1, 0), (0, 0), 90, side)[0] == pytest.approx((0, 1))
    assert part_to_board((1, 0), (0, 0), 0, side)[0][0] == (1 if side == "top" else -1)
