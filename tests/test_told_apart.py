"""Small slips with large ends, each told from what is right: by the standard's printed values, by geometry worked out
another way, by what is painted.
"""

from __future__ import annotations

import math
import re
from itertools import combinations, permutations
from pathlib import Path

import asked as c
import numpy as np
import pytest
from asked import marks_seen, taught
from conftest import HERON, OpenWindow
from msgspec.structs import replace
from test_kit_bench import bin_of
from test_machine_bench import DRY, programmed, prove
from three_causes import at_the_eyes, at_the_oven
from windows import WINDOWS

from fusilex.bench.intake.design import design_from
from fusilex.bench.record.bench import Bench
from fusilex.bench.stations.make.judging import judged
from fusilex.bench.stations.print.thread import doubts as print_doubts
from fusilex.bench.stations.reflow.cooling import solid_and_cool
from fusilex.bench.stations.reflow.live import LiveLog
from fusilex.bench.stations.rework.mending import warmed
from fusilex.bench.verbs.design import read_design
from fusilex.bench.workshop.losses import Losses
from fusilex.core.bare_boards.etching import SLOW_AT_G_PER_L, Refit, judge_etch
from fusilex.core.bare_boards.finest import Finest, judge_finest
from fusilex.core.bare_boards.making import least_ring
from fusilex.core.cost import Cost
from fusilex.core.design.model import Design, Part
from fusilex.core.design.outlines import body_polygon
from fusilex.core.evidence import Level
from fusilex.core.heat.schedule import Schedule
from fusilex.core.inspection.expect import joints_look, light
from fusilex.core.inspection.tour import joints_seen
from fusilex.core.kit.bag import check_bag
from fusilex.core.kit.moisture import FLOOR_LIFE_H
from fusilex.core.measuring.drift import drift
from fusilex.core.measuring.guard import Uncertainty
from fusilex.core.packages.catalogue import package_of
from fusilex.core.panel.cuts import cut_order
from fusilex.core.panel.layout import Panel
from fusilex.core.placing.centring import judge_offset
from fusilex.core.printing.apertures import AREA_GO, AREA_STOP, ASPECT_GO, apertures_of
from fusilex.core.printing.landing import lands_of
from fusilex.core.printing.risks import ground_of, risks
from fusilex.core.rework.heat import heat_radius
from fusilex.core.soldering.handwork import soldering
from fusilex.core.soldering.joint import joint_mm3
from fusilex.core.soldering.order import by_height, hindrances, soldered_from
from fusilex.formats.bundle import Files
from fusilex.ui.theme import theme


def test_floor_life_is_the_printed_table() -> None:
    """IPC/JEDEC J-STD-020, floor life at ≤ 30 °C and 60 % RH: unlimited, a year, four weeks, then hours."""
    printed = {"2": 8760, "2a": 672, "3": 168, "4": 72, "5": 48, "5a": 24, "6": 0}
    assert {level: FLOOR_LIFE_H[level] for level in printed} == printed and FLOOR_LIFE_H["1"] == math.inf


def test_the_ratios_of_a_stencil_are_the_printed_ones() -> None:
    """IPC-7525: area ratio above 0.66, aspect ratio above 1.5."""
    assert (AREA_GO, ASPECT_GO) == (0.66, 1.5) and AREA_STOP == 0.60


@pytest.mark.parametrize("lay", [(0.12, 0.0, 0.25, 0.0), (0.0, -0.1, -0.3, 0.0), (0.05, 0.05, 0.0, 0.003)])
def test_what_paste_lay_off_is_turned_the_way_the_foil_was(tmp_path: Path, lay: tuple[float, ...]) -> None:
    """Each pad's middle under a rotation matrix about the panel's middle, instead of the small-angle sum."""
    bench = at_the_eyes(tmp_path / "p.sqlite")
    board, panel = bench.state.boards["H7-03"], bench.batch.panel
    step = next(iter(board.prints))
    board.prints[step] = replace(board.prints[step], lay=lay)
    dx, dy, turn, stretch = lay
    angle = math.radians(turn)
    matrix = (1 + stretch) * np.array([[math.cos(angle), -math.sin(angle)], [math.sin(angle), math.cos(angle)]])
    x0, y0, *_ = bench.design.outline.bounds
    middle = np.array([panel.width, panel.height]) / 2
    wanted = {}
    for part in bench.batch.built(board).values():
        if part.side != "top" or part.through_hole or not part.pads:
            continue
        at = panel.on_cell(board.cell, [(part.x - x0, part.y - y0)])[0] - middle
        off = matrix @ at - at + (dx, dy)
        boxes = [pad.polygon.bounds for pad in part.pads]
        wanted[part.ref] = math.hypot(*off), 0.25 * min(min(c - a, d - b) for a, b, c, d in boxes)
    found = {ref for ref, why in print_doubts(bench.batch.about("H7-03"), board) if "mm off" in why}
    clear = {ref for ref, (off, least) in wanted.items() if abs(off - least) > 0.004}
    assert found & clear == {ref for ref in clear if wanted[ref][0] > wanted[ref][1]}
    assert 0 < len(found) < len(wanted), "some lie off by more than others"


def test_an_empty_pocket_is_no_lost_piece_and_a_missed_one_is(bench: Bench) -> None:
    c.acknowledge_all(bench)
    bench.do(c.AcceptFiles())
    for each in bench.batch.lines:
        bench.do(c.FillBin(each.key, each.pull + 40))
    bench.do(c.CloseKit())
    bench.do(c.PrintPanel(1, 0.12, "leaded"))
    bench.go("Place", "H7-01")
    taught(bench)
    programmed(bench)
    prove(bench, DRY)
    line = bench.batch.line_of["R5"]
    lost, before = bench.workshop[Losses].lost, sum(bench.workshop[Losses].lost.values())
    out = bench.batch.out_of_bin(line.key)
    for seen, more in (("empty", 0), ("jam", 0), ("missed", 1), ("on its side", 1)):
        bench.do(c.MachineRan(1, [], [["F1", "S", "R5", 1, seen]]))
        assert sum(lost.values()) - before == more, seen
        assert bench.batch.out_of_bin(line.key) - out == more, seen
        before, out = sum(lost.values()), bench.batch.out_of_bin(line.key)


@pytest.mark.parametrize("melting", [183.0, 217.0])
def test_a_board_is_solid_when_it_has_fallen_below_melting(melting: float) -> None:
    """A probe that cools as the exponential: seconds by its own logarithm, never before the solder is solid."""
    log = LiveLog(("C1@1",), Schedule((0.0, 100.0), (25.0, 25.0)))
    for t in range(0, 60):
        log.add(float(t), [25.0 + 230.0 * math.exp(-t / 300.0)])
    now = 25.0 + 230.0 * math.exp(-59 / 300.0)
    solid, _ = solid_and_cool(log, 59.0, melting, None)
    wanted = max(0.0, 300.0 * math.log((now - 25.0) / (melting - 5.0 - 25.0)))
    at_melting = max(0.0, 300.0 * math.log((now - 25.0) / (melting - 25.0)))
    assert solid == pytest.approx(wanted, abs=1.0) and (solid > at_melting or now < melting - 5)


def test_hand_shows_the_side_that_is_soldered(tmp_path: Path, open_window: OpenWindow) -> None:
    """Of a part with leads the side they come out at, painted: there its pads are, and its body is not."""
    bench = at_the_oven(tmp_path / "h.sqlite")
    bench.go("Reflow", "H7-01")
    for panel in (1, 2, 3):
        marks_seen(bench)
        bench.do(c.SeeReflow(panel, "all shiny"))
    window = open_window(bench)
    window.resize(1280, 800)
    window.desk.go("Hand", "H7-01")
    seen = set()
    for _ in range(12):
        part = window.station.part
        if part is None:
            break
        canvas = window.station.canvas
        image = canvas.grab().toImage()
        wanted = {"top": "bottom", "bottom": "top"}[part.side] if part.through_hole else part.side
        assert canvas.side == wanted, part.ref
        pad = next(p for p in part.pads)
        near = [image.pixelColor(canvas.to_px(pad.polygon.centroid.x, y).toPoint()) for y in ring(pad)]
        assert theme.colour("gold") in near or part.through_hole is False, f"{part.ref}: no pad where it is soldered"
        seen.add(part.ref)
        bench.do(c.SolderPart("H7-01", part.ref))
        window.refresh()
    assert {"J3", "S1"} <= seen, "parts that stand on the top and are soldered from below"


def ring(pad) -> list[float]:  # type: ignore[no-untyped-def]
    """Heights on the land between hole and edge."""
    _, low, _, high = pad.polygon.bounds
    return [low + share * (high - low) for share in (0.06, 0.1, 0.14, 0.86, 0.9, 0.94)]


def test_what_hot_air_warmed_lies_on_the_side_of_the_repair(tmp_path: Path) -> None:
    bench = at_the_eyes(tmp_path / "r.sqlite")
    bench.do(c.MarkFault("H7-01", "U3", "cracked", ""))
    bench.do(c.InspectBoard("H7-01"))
    bench.go("Rework", "H7-01")
    board, parts = bench.board, bench.batch.built(bench.board)
    fault = board.open_faults[0]
    found, mended = warmed(bench.batch, board, fault), parts["U3"]
    sides = {parts[ref].side for ref in found}
    assert sides == {mended.side} and len(found) > 2
    nearest = sorted(
        (p for p in parts.values() if p.side == mended.side and p.ref != "U3"),
        key=lambda p: math.hypot(p.x - mended.x, p.y - mended.y),
    )
    assert nearest[0].ref in found and nearest[-1].ref not in found


def test_a_drill_that_ran_out_as_far_as_the_ring_is_a_stop(bench: Bench, heron: Design) -> None:
    widths = [
        (min(p.polygon.bounds[2] - p.polygon.bounds[0], p.polygon.bounds[3] - p.polygon.bounds[1]) - p.drill) / 2
        for p in heron.pads
        if p.drill > 0
    ]
    ring_mm = min(widths)
    assert least_ring(heron) == pytest.approx(ring_mm)
    for run_out, level in ((1.01 * ring_mm, Level.STOP), (0.99 * ring_mm, Level.CARE), (0.05 * ring_mm, Level.GO)):
        (one,) = judged(bench.batch, 1, "drill", {"run_out_mm": run_out})
        assert one.level is level, run_out


def test_a_process_that_manages_the_finest_is_the_one_that_is_named() -> None:
    finest = Finest(0.2, (1.0, 2.0, "top"), 0.3, (3.0, 2.0, "top"))
    for shown, said in (
        ([("coarse", 0.25), ("fine", 0.15)], [("fine", Level.GO)]),
        ([("coarse", 0.25), ("coarser", 0.5)], [("coarse", Level.CARE), ("coarser", Level.STOP)]),
        ([("ten times", 2.0)], [("ten times", Level.STOP)]),
    ):
        assert [(j.subject, j.level) for j in judge_finest(finest, shown)] == said


@pytest.mark.parametrize(
    ("wanted", "label", "differs"),
    [
        ("10 k 1%", "10 k 2%", ["tolerance"]),
        ("10 k 1%", "10 k 0.5%", []),
        ("100 nF 16 V", "100 nF 10 V", ["voltage"]),
        ("100 nF 16 V", "100 nF 25 V", []),
    ],
)
def test_a_looser_tolerance_or_a_lower_voltage_is_another_part(wanted: str, label: str, differs: list[str]) -> None:
    found = check_bag(bin_of(wanted, "0603", "R1" if "k" in wanted else "C1"), f"{label} 0603")
    assert [d.what for d in found.differs] == differs


@pytest.mark.parametrize(("web", "level"), [(0.099, 2), (0.101, 1), (0.149, 1), (0.151, 0)])
def test_a_web_between_apertures_is_judged_by_its_width(heron: Design, web: float, level: int) -> None:
    """0.10 mm and 0.15 mm of steel between two apertures, whatever else they are."""
    here = ground_of(lands_of(apertures_of(heron, "top"), heron.pads))
    wide = replace(here, beyond=np.zeros_like(here.beyond), web=np.full_like(here.web, 9.0))
    narrow = replace(wide, web=np.full_like(here.web, web))
    was, now = (risks(g, 0.1) for g in (wide, narrow))
    assert (now.levels == np.maximum(was.levels, level)).all()


def test_chips_and_legs_come_straight_as_far_as_solder_pulls(heron: Design) -> None:
    """Half of the end over its pad by the overlap of two rectangles; a quarter of a lead's width."""
    chip = next(p for p in heron.parts if p.package.chip == "0402" and p.rotation_deg % 180 == 0)
    widths = [p.polygon.bounds[3] - p.polygon.bounds[1] for p in chip.pads]
    for share, level in ((0.45, Level.GO), (0.55, Level.CARE)):
        assert judge_offset(chip, 0.0, share * min(widths)).level is level, share
    legs = next(p for p in heron.parts if p.package.family in ("ic", "transistor") and 3 <= len(p.pads) <= 8)
    narrow = min(min(b[2] - b[0], b[3] - b[1]) for b in (p.polygon.bounds for p in legs.pads))
    for share, level in ((0.2, Level.GO), (0.3, Level.CARE)):
        assert judge_offset(legs, share * narrow, 0.0).level is level, share


def test_hands_solder_low_parts_first_and_joints_before_what_covers_them(heron: Design) -> None:
    parts = [p for p in heron.parts if p.populated and p.pads]
    order = by_height(parts)
    assert sorted(p.ref for p in order) == sorted(p.ref for p in parts)
    assert [p.through_hole for p in order] == sorted(p.through_hole for p in order)
    before = hindrances(order)
    place = {p.ref: n for n, p in enumerate(order)}
    covered = [(ref, other) for ref, others in before.items() for other in others]
    assert covered and all(place[other] < place[ref] for ref, other in covered)
    free = [p for p in order if not before[p.ref] and not any(p.ref in others for others in before.values())]
    for side in ("top", "bottom"):
        heights = [p.package.height for p in free if p.side == side and not p.through_hole]
        assert heights == sorted(heights) and len(set(heights)) > 1
    holder = next(p for p in parts if p.ref == "BT1")
    beneath = {
        p.ref
        for p in parts
        if p.side != holder.side and soldered_from(p) == holder.side
        for pad in p.pads
        if body_polygon(holder).intersects(pad.polygon)
    }
    assert beneath <= before["BT1"], "what comes out under a body is soldered before it"
    tall = replace(heron.part_by_ref["J3"], ref="X", side="bottom", x=holder.x, y=holder.y, pads=())
    covering = replace(holder, ref="Y", side="bottom", x=heron.part_by_ref["S1"].x, y=heron.part_by_ref["S1"].y)
    assert "S1" in hindrances([covering, heron.part_by_ref["S1"], tall])["Y"]


def heron_like(scores: tuple[tuple[tuple[float, float], tuple[float, float]], ...]) -> Panel:
    """Two boards of 40 × 30 mm side by side, with rails of 5 mm above and below."""
    return Panel(2, 1, 40.0, 30.0, 0.0, 5.0, 80.0, 40.0, 40.0, 30.0, scores=scores)


RAILS = (((0.0, 5.0), (80.0, 5.0)), ((0.0, 35.0), (80.0, 35.0)))


def test_a_score_that_ends_inside_cuts_nothing_and_few_cuts_part_all() -> None:
    whole = cut_order(heron_like((*RAILS, ((40.0, 0.0), (40.0, 40.0)))))
    assert len(whole.cuts) == 3 and not whole.stranded, "two rails along both boards, then one between them"
    assert whole.cuts[-1].ends == (40.0, 5.0, 40.0, 35.0)
    short = cut_order(heron_like((*RAILS, ((40.0, 15.0), (40.0, 25.0)))))
    assert short.stranded, "from edge to edge of the piece in hand, or it cannot be cut"


def test_leads_are_soldered_where_their_copper_is(heron: Design, heron_files: Files) -> None:
    """Wren has copper on top alone, and no barrels; Heron's pins are two, whichever layers draw their pads."""
    wren = read_design(str(HERON.parent / "wren"))
    own, usual = wren.part_by_ref["J1"], heron.part_by_ref["J3"]
    assert (soldered_from(own), soldered_from(usual)) == ("top", "bottom")
    assert [(p.barrel, p.side) for p in own.joints] == [(False, "top")] * 3
    assert "turn the board over" not in str(soldering(own)) and "turn the board over" in str(soldering(usual))
    assert "no barrel" in joints_look(own) and joints_look(usual) == "2 pins, a hollow cone about each, hole filled"
    assert "copper side" in light(own) and "through the hole" in light(usual)
    assert {n for n in joints_seen(wren, "top")[0] if n.startswith("J1.")} == {"J1.1", "J1.2", "J1.3"}
    assert not joints_seen(wren, "bottom")[0]
    pad = own.pads[0]
    assert joint_mm3(own, pad, 1.6) == joint_mm3(own, pad, 0.8) < joint_mm3(own, replace(pad, barrel=True), 0.8)
    plain = {n: re.sub(rb"%T[AOD][^%]*%\n", b"", d) for n, d in heron_files.items() if not n.endswith(".ipc")}
    assert [len(design_from(plain, "x").part_by_ref[r].joints) for r in ("J3", "S1")] == [2, 2]


def test_a_board_more_costs_no_tooling() -> None:
    made = Cost(**{**dict.fromkeys(Cost.__struct_fields__, 0.0), "parts": 90.0, "tooling": 60.0, "good": 10})
    assert (made.per_good, made.each) == (15.0, 9.0)


@pytest.mark.parametrize(
    ("reading", "level"),
    [(10.0, Level.GO), (10.89, Level.GO), (10.95, Level.UNKNOWN), (11.05, Level.UNKNOWN), (9.05, Level.UNKNOWN),
     (8.0, Level.STOP), (12.0, Level.STOP)],
)  # fmt: skip
def test_a_value_is_go_only_with_all_of_its_uncertainty_inside(reading: float, level: Level) -> None:
    """1 % of the reading within 9 to 11: 10.89 reaches up to 10.999, 10.95 beyond."""
    assert Uncertainty(0.01, 0.0).within(reading, 9.0, 11.0) is level


def test_the_nozzle_warms_as_far_as_its_spread() -> None:
    part = Part("U9", 0, 0, 0, "top", "", replace(package_of("0603", "R1"), size_x=4.0, size_y=3.0))
    assert heat_radius(part, 1.5, 3.0) == pytest.approx(2.0 + 3.0), "half of the longer side, and the spread"
    assert heat_radius(part, 5.0, 3.0) == pytest.approx(8.0), "a wider nozzle reaches further"


def test_leaded_solder_melts_lower() -> None:
    assert WINDOWS["leaded"].leaded and not WINDOWS["lead-free"].leaded


def test_a_bath_is_spent_at_what_it_holds() -> None:
    """Copper held and to be removed against litres times what slows it, whatever the fit."""
    holds = 2.0 * SLOW_AT_G_PER_L
    for share, level in ((1.01, Level.STOP), (0.9, Level.CARE), (0.5, Level.GO)):
        judged_so = judge_etch(1.0, 10.0, Refit(1.0, 1.25, 0), share * holds - 1.0, 2.0)
        bath = next(j for j in judged_so if j.rule == "ready.bath")
        assert bath.level is level, share


def test_ties_narrow_what_a_trend_is_told_by() -> None:
    """Kendall's variance with ties against all orders of the values, counted: exact for eight of them."""
    values = [1, 1, 1, 2, 2, 3, 3, 3]
    scores = [sum(int(b > a) - int(b < a) for a, b in combinations(order, 2)) for order in set(permutations(values))]
    spread = float(np.var(scores))
    told = drift([float(v) for v in values])
    score = sum(int(b > a) - int(b < a) for a, b in combinations(values, 2))
    assert told is not None
    assert told.chance == pytest.approx(math.erfc((score - 1) / math.sqrt(2 * spread)), rel=1e-6)
