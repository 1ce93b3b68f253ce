"""What real exports hold: inner copper, worn outlines, painted and windowed pads, sides that only names tell."""

from __future__ import annotations

import re
from math import comb

import numpy as np
import pytest
import shapely
from conftest import HERON, LETTERS
from designs import layer, two_pad_design
from msgspec.structs import replace

from fusilex.bench.intake.design import design_from
from fusilex.bench.stations.ready.judging import ready_findings
from fusilex.core.checks.fixes import apply_fixes
from fusilex.core.checks.reconcile import reconcile
from fusilex.core.checks.side_order import judge_sides
from fusilex.core.checks.systematic import _by_chance, fit_unnamed, one_to_one
from fusilex.core.design.connectivity import compare_with_netlist, inner_missing
from fusilex.core.design.derive import paste_from_mask
from fusilex.core.design.edge import board_edge
from fusilex.core.design.hidden_joints import hidden_parts, hides_joints
from fusilex.core.design.join import join
from fusilex.core.design.model import BomLine, Design, Hole, NetPoint, Placement
from fusilex.core.electrical.judge import judge_unseen
from fusilex.core.electrical.probes import probe_plan
from fusilex.core.evidence import Level
from fusilex.core.packages.catalogue import package_of
from fusilex.core.printing.apertures import apertures_of
from fusilex.core.printing.release import judge_hidden
from fusilex.core.problems import BadInput
from fusilex.formats.bundle import Files
from fusilex.formats.layers.excellon import read_excellon
from fusilex.formats.layers.gerber import read_gerber
from fusilex.formats.lists.netlist import read_netlist

HEAD = "%FSLAX46Y46*%\n%MOMM*%\n"


def box(x: float, y: float, w: float, h: float) -> shapely.Polygon:
    return shapely.box(x, y, x + w, y + h)


OLD = {
    "copper-top": "top",
    "copper-bottom": "bot",
    "mask-top": "tsm",
    "mask-bottom": "bsm",
    "silk-top": "tsk",
    "silk-bottom": "bsk",
    "paste-top": "tsp",
    "paste-bottom": "bsp",
}


def bare(files: Files, names: dict[str, str], swap: bool = False) -> Files:
    """Heron's layers without attributes and lists, by other names; `swap` makes the busier side the bottom."""
    found: Files = {}
    for name, data in files.items():
        key = name.removeprefix("heron-r2-").removesuffix(".gbr")
        if key in names:
            other = key.replace("top", "x").replace("bottom", "top").replace("x", "bottom") if swap else key
            found[f"board.{names[other]}"] = re.sub(rb"%T[FAOD][^%]*%\n", b"", data)
        elif name.endswith(".drl"):
            found[name] = data
    return found


@pytest.mark.parametrize("swap", [False, True])
def test_old_endings_tell_the_sides_even_where_the_bottom_is_busier(
    heron: Design, heron_files: Files, swap: bool
) -> None:
    design = design_from(bare(heron_files, OLD, swap), "old")
    busy = design.layer("copper", "bottom" if swap else "top")
    assert busy is not None and len(busy) == len(heron.layer("copper", "top"))  # type: ignore[arg-type]
    assert not [r for r in design.remarks if r.rule == "ready.guessed"]
    for role in ("mask", "paste", "silk"):
        assert {x.side for x in design.layers if x.role == role} >= (
            {"top", "bottom"} if role != "paste" else {"bottom" if swap else "top"}
        )


def test_pads_counted_are_no_telling_of_sides(heron_files: Files) -> None:
    names = {key: f"x{n}.gbr" for n, key in enumerate(LETTERS)}
    files = {n.replace("board.", ""): d for n, d in bare(heron_files, names).items()}
    told = [r for r in design_from(files, "bare").remarks if r.subject == "sides of the copper"]
    assert [r.level for r in told] == [Level.UNKNOWN]


def four_layers(joined_on: str | None, span: tuple[int, int] | None = None) -> Design:
    """Two pads on the top that only an inner track joins, through two holes."""
    pads = [box(0, 0, 1, 1), box(9, 0, 1, 1)]
    layers = [layer("copper", "top", pads), layer("copper", "bottom", [box(0, 8, 1, 1)])]
    if joined_on:
        layers.append(layer("inner", joined_on, [box(0, 0.4, 10, 0.2)], flashed=False))
    holes = tuple(Hole(x, 0.5, 0.3, True, span) for x in (0.5, 9.5))
    points = tuple(NetPoint("A", "R1", str(n), x, 0.5, "top") for n, x in enumerate((0.5, 9.5), 1))
    return Design("four", (), tuple(layers), holes, box(-1, -1, 12, 12), (), (), points, copper_layers=4)


def test_inner_copper_joins_nets_and_its_absence_is_no_open() -> None:
    assert not compare_with_netlist(four_layers("2")) and [f.kind for f in compare_with_netlist(four_layers(None))] == [
        "open"
    ]
    assert [f.kind for f in compare_with_netlist(four_layers("3", (1, 2)))] == ["open"], "a blind hole ends above it"
    assert not compare_with_netlist(four_layers("2", (1, 2)))
    assert inner_missing(four_layers("2")) and not inner_missing(replace(four_layers("2"), copper_layers=3))
    drill = "M48\n; #@! TF.FileFunction,Plated,1,2,Blind\nMETRIC\nT1C0.300\n%\nT1\nX1.0Y2.0\nM30\n"
    assert read_excellon(drill.encode(), "b.drl")[0].span == (1, 2)


def test_a_netlist_against_a_board_whose_inner_layers_are_missing_cannot_tell(heron_files: Files) -> None:
    name = "heron-r2-copper-bottom.gbr"
    text = heron_files[name].decode()
    four = text.replace("Copper,L2,Bot", "Copper,L4,Bot")
    assert four != text
    design = design_from(heron_files | {name: four.encode()}, "four")
    assert [j.level for j in ready_findings(design)[1] if j.rule == "ready.netlist"] == [Level.UNKNOWN]
    inner = {
        f"in{n}.gbr": f"{HEAD}%TF.FileFunction,Copper,L{n},Inr*%\n%ADD10C,0.1*%\nD10*\nX100Y100D03*\nM02*\n".encode()
        for n in (2, 3)
    }
    whole = design_from(heron_files | {name: four.encode()} | inner, "four")
    assert {(x.role, x.side) for x in whole.layers} >= {("inner", "2"), ("inner", "3")}
    assert [j.level for j in ready_findings(whole)[1] if j.rule == "ready.netlist"] == [Level.GO]


def outline(body: str, width: str) -> object:
    return read_gerber(f"{HEAD}%ADD10C,{width}*%\nD10*\n{body}\nM02*\n".encode(), "o", "outline")


def test_worn_outlines_close_and_hold_their_pads() -> None:
    pads = shapely.points([[2, 2], [8, 4]])
    gap = "X5000Y0D02*\nX10000000Y0D01*\nX10000000Y4996000D02*\nX10000000Y5000D01*\nX0Y5000000D02*\nX9995000Y5000000D01*\nX0Y4996000D02*\nX0Y4000D01*"
    for width in ("0", "0.001", "0.1", "0.25"):
        edge = board_edge(outline(gap, width), "x", pads)[0]  # type: ignore[arg-type]
        assert edge.bounds == pytest.approx((0, 0, 10, 5), abs=0.01), width
    half = "X{0}Y2500000D02*\nG75*\nG03*\nX0Y2500000I-5000000J0D01*\nG03*\nX{0}Y2500000I5000000J0D01*\nG01*"
    circle = half.format(10_000_000)
    for drawn in (circle, circle + "\n" + circle):
        round_, _ = board_edge(outline(drawn, "0.1"), "x", pads)  # type: ignore[arg-type]
        assert round_.area == pytest.approx(np.pi * 25, rel=1e-3), "arcs drawn twice are drawn"
    hole = "X4000000Y2000000D02*\nX5000000Y2000000D01*\nX5000000Y3000000D01*\nX4000000Y3000000D01*\nX4000000Y2000000D01*\nX0Y0D02*\nX10000000Y0D01*"
    with pytest.raises(BadInput, match="round no pads"):
        board_edge(outline(hole, "0.1"), "x", pads)  # type: ignore[arg-type]


def test_the_board_is_never_smaller_than_its_pads(heron: Design, heron_files: Files) -> None:
    name = "heron-r2-outline.gbr"
    hole = "%ADD99C,0.1*%\nD99*\nX20000000Y20000000D02*\nX22000000Y20000000D01*\nX22000000Y22000000D01*\nX20000000Y22000000D01*\nX20000000Y20000000D01*\n"
    text = heron_files[name].decode()
    first = re.search(r"X-?\d+Y-?\d+D0?2\*", text)
    assert first
    design = design_from(heron_files | {name: (text[: first.start()] + hole + "M02*\n").encode()}, "holes")
    assert all(design.outline.covers(p.polygon.centroid) for p in heron.pads)
    assert any(r.rule == "ready.derived" and r.subject == "outline" for r in design.remarks)


def test_paste_derived_from_painted_rowed_and_marked_windows() -> None:
    strips = [box(0, 0.2 * i, 1.2, 0.25) for i in range(5)]  # a pad painted by strokes
    row = [box(5 + 0.5 * i, 0, 0.2, 1.0) for i in range(6)]  # six pads in one window
    disc = shapely.Point(12, 0.5).buffer(0.5)
    lead, lone = box(15, 0, 1.5, 1.5), box(20, 0, 1, 1)
    windows = [
        box(-0.1, -0.1, 1.4, 1.25),
        box(4.9, -0.1, 2.9, 1.2),
        shapely.Point(12, 0.5).buffer(1.0),
        lead.buffer(0.1),
        box(25, 0, 1, 1),
        lone.buffer(0.05),
        box(30, 0, 20, 1),
    ]
    copper = layer("copper", "top", [*strips, *row, disc, lead, lone, box(30, 0, 20, 1)])
    copper = replace(copper, flashed=np.array([False] * 5 + [True] * 9))
    made = paste_from_mask(layer("mask", "top", windows), (Hole(15.75, 0.75, 1.0, True),), copper)
    assert len(made.layer) == 1 + 6 + 1 and made.layer.area.area == pytest.approx(1.2 * 1.05 + 6 * 0.2 + 1.0)
    assert list(made.without.values()) == [1, 1, 1, 1] and "of fiducials" in str(made.says["left"])
    one = paste_from_mask(
        layer("mask", "top", [box(0, 0, 1, 0.55), box(0, 0.5, 1, 0.5)]), (), layer("copper", "top", [box(0, 0, 1, 1)])
    )
    assert len(one.layer) == 1, "a window drawn in strips is one"


def test_a_part_without_pads_may_or_may_not_drop() -> None:
    design = two_pad_design(
        [Placement("R1", 5, 5, 0, "top", "0603", "1k"), Placement("R2", 10, 5, 0, "top", "0603", "1k")]
    )
    other = Placement("C1", 5, 9, 0, "bottom", "0603", "1u")
    lost = join(replace(design, placements=(*design.placements, other), pads=(), parts=()))
    lost = replace(lost, parts=tuple(replace(p, pads=()) if p.ref == "C1" else p for p in lost.parts))
    assert [(j.level, j.refs) for j in judge_sides(lost, "lighter-first") if j.rule == "ready.drop"] == [
        (Level.UNKNOWN, ("C1",))
    ]


def test_one_place_knows_which_bodies_hide_their_joints(heron: Design) -> None:
    hidden = (
        "QFN-32 5x5|VQFN-20 3x3|UDFN-6 2x2|WSON-8 3x3|LGA-16 3x3|BGA-64"
        " 8x8|WLCSP-9|QFN50P500X500X80-33N|SON-6|MLF-32|CSP-4"
    )
    seen = "SOIC-8|LQFP-48 7x7|SOT-23|0402|RESONATOR 3225|TSSOP-16|HEADER 1x4|PLCC-4"
    assert [t for t in hidden.split("|") if not hides_joints(package_of(t, "U1"))] == []
    assert [t for t in seen.split("|") if hides_joints(package_of(t, "U1"))] == []
    assert [p.ref for p in hidden_parts(heron)] == ["U1"]
    assert [(j.rule, j.refs) for j in judge_hidden(apertures_of(heron, "top"), ["U1"])] == [("print.hidden", ("U1",))]
    plan = probe_plan(heron)
    assert judge_unseen(plan, hidden_parts(heron)) == []
    without = [p for p in plan if "U1.7" not in f"{p.key} {p.also}".replace(",", " ").replace("'", " ").split()]
    assert [j.level for j in judge_unseen(without, hidden_parts(heron))] == [Level.UNKNOWN]


def test_netlists_in_si_units_and_with_a_padded_comment_at_the_end(heron_files: Files) -> None:
    text = heron_files["heron-r2.ipc"].decode()
    plain = read_netlist(text.encode(), "n")
    assert read_netlist(re.sub(r"UNITS CUST 1", "UNITS SI    ", text).encode(), "n") == plain
    assert read_netlist((text + "C  the end" + " " * 60 + "\n").encode(), "n") == plain
    assert (HERON / "heron-r2.ipc").exists()


def parts_of(design: Design, **changes: object) -> Design:
    return join(replace(design, pads=(), parts=(), **changes))  # type: ignore[arg-type]


def test_fifty_parts_outside_the_outline_are_one_finding() -> None:
    spots = [Placement(f"R{n}", 3.0 * (n % 10), 3.0 * (n // 10), 0, "top", "0402", "1k") for n in range(50)]
    design = replace(two_pad_design(spots, board=(4.0, 4.0)), placements=tuple(spots))
    off = [f for f in reconcile(design) if f.kind == "off-board"]
    assert len(off) == 1 and len(off[0].refs) >= 46 and off[0].fix is None
    named = two_pad_design(
        spots,
        nets={(p.ref, n): p.ref + n for p in spots for n in "12"},
        bom=[BomLine(tuple(p.ref for p in spots), "1k", "0402", "", None)],
    )
    few = parts_of(named, placements=tuple(spots[:30]))
    (lost,) = [f for f in reconcile(few) if f.kind == "missing"]
    assert len(lost.refs) == 20 and lost.fix is not None
    mended = join(apply_fixes(replace(few, pads=(), parts=()), [lost.fix]))
    assert len(mended.parts) == 50 and not [f for f in reconcile(mended) if f.kind == "missing"]


def test_sides_are_told_by_most_of_a_parts_own_pads() -> None:
    """A chip on the bottom with a land for its heat on the top; listed for the bottom, and for the top."""
    legs = [box(5 + 0.5 * i, 5, 0.3, 0.8) for i in range(6)]
    land = box(5.5, 5, 2, 1)
    copper = [
        replace(layer("copper", "bottom", legs), pins=tuple(("U1", str(i)) for i in range(6))),
        replace(layer("copper", "top", [land]), pins=(("U1", "EP"),)),
    ]
    whole = Design(
        "land",
        (),
        tuple(copper),
        (),
        box(0, 0, 20, 20),
        (Placement("U1", 6.4, 5.4, 0, "bottom", "SOIC-8", "x"),),
        (),
        (),
    )
    assert not [f for f in reconcile(join(whole)) if f.kind == "side"]
    wrong = replace(whole, placements=(replace(whole.placements[0], side="top"),))
    assert [f.fix.with_["side"] for f in reconcile(join(wrong)) if f.kind == "side" and f.fix] == ["bottom"]
    assert [p.side for p in join(replace(whole, placements=())).placements] == ["bottom"]


def test_leads_on_the_bill_alone_are_parts_and_no_faults(heron: Design, heron_files: Files) -> None:
    leads = [p.ref for p in heron.parts if p.through_hole]
    name = "heron-r2-placements.csv"
    rows = heron_files[name].decode().splitlines()
    design = design_from(
        heron_files | {name: "\n".join(r for r in rows if r.split(",")[0] not in leads).encode()}, "smd"
    )
    assert {p.ref for p in design.parts if p.through_hole} == set(leads)
    found, judged = ready_findings(design)
    assert not found and Level.STOP not in {j.level for j in judged}
    assert [r.subject for r in design.remarks] == ["through-hole parts"]


@pytest.mark.parametrize("factor", [1.0, 25.4, 0.0254, 1000.0, 0.001])
def test_partial_lists_and_lists_in_other_units_are_offered_their_fix(factor: float) -> None:
    random = np.random.default_rng(1113)
    true = random.uniform(0, 1, (80, 2)) * (90, 60)
    corner = true[np.hypot(*(true - (20, 20)).T).argsort()[:14]]  # a list of one corner alone
    for some in (true, corner):
        found = fit_unnamed(some / factor, true)
        assert found is not None and found.after == len(some) and found.rms_mm < 1e-6
        if factor != 1.0:
            assert found.correction.factor == pytest.approx(factor) and found.convincing
    assert len(one_to_one(true / 1000, true, 0.5)[0]) <= 1, "many placements on one pad are one"
    stray = true + np.where(np.arange(80)[:, None] < 20, random.uniform(0.25, 0.29, (80, 1)), 0.0)
    mended = fit_unnamed(stray - 7.0, true)
    assert mended is not None and mended.correction.dx == pytest.approx(7.0, abs=0.03)


@pytest.mark.parametrize(("n", "m", "count"), [(6, 500, 4), (40, 60, 10), (12, 2000, 12)])
def test_the_chance_of_a_fit_is_the_binomials_tail(n: int, m: int, count: int) -> None:
    targets = np.random.default_rng(1).uniform(0, 1, (m, 2)) * (90, 60)
    width, height = np.ptp(targets, axis=0)
    share = m * np.pi * 0.3**2 / (width * height)
    tail = sum(comb(n - 1, k) * share**k * (1 - share) ** (n - 1 - k) for k in range(count - 1, n))
    assert _by_chance(count, n, targets, 8) == pytest.approx(n * m * 8 * tail, rel=1e-9)
    assert _by_chance(1100, 2000, targets, 8) < 1e-9, "no number too large"


def test_few_placements_meet_many_pads_by_chance_alone(long_run: bool) -> None:
    false = 0
    for seed in range(60 if long_run else 12):
        random = np.random.default_rng(seed)
        found = fit_unnamed(random.uniform(0, 60, (5, 2)), random.uniform(0, 60, (1500, 2)))
        false += found is not None and found.convincing
    assert false == 0, "of twelve, some five meet most of their pads by one shift or other"


@pytest.mark.parametrize(
    ("shift", "named"), [((0.2, 0.0), True), ((0.08, 0.08), True), ((0.04, 0.03), False), ((0.0, 0.0), False)]
)
def test_small_offsets_that_all_parts_share_are_named(shift: tuple[float, float], named: bool) -> None:
    random = np.random.default_rng(3)
    spots = [Placement(f"R{n}", 4.0 + 3 * (n % 8), 4.0 + 3 * (n // 8), 0, "top", "0402", "1k") for n in range(40)]
    design = two_pad_design(spots, nets={(p.ref, n): p.ref + n for p in spots for n in "12"})
    moved = tuple(
        replace(p, x=p.x + shift[0] + random.normal(0, 0.01), y=p.y + shift[1] + random.normal(0, 0.01)) for p in spots
    )
    found = [f for f in reconcile(parts_of(design, placements=moved)) if f.kind == "systematic"]
    assert bool(found) is named
    if named and found[0].fix:
        assert (found[0].fix.with_["correction"]["dx"], found[0].fix.with_["correction"]["dy"]) == pytest.approx(
            (-shift[0], -shift[1]), abs=0.01
        )


@pytest.mark.parametrize("turn", [0.0, 45.0, 30.0])
def test_a_chip_that_lies_askew_with_tracks_under_it_is_one_part(turn: float) -> None:
    chip = [box(x, -1.905 + 1.27 * i - 0.3, 1.5, 0.6) for x in (-3.45, 1.95) for i in range(4)]
    quad = [box(12 + 0.5 * i - 0.125, y, 0.25, 0.8) for i in range(8) for y in (-2.7, 1.9)]
    quad += [box(13.75 + x, 0.5 * i - 1.75 - 0.125, 0.8, 0.25) for i in range(8) for x in (-2.7, 1.9)] + [
        box(12.25, -1.5, 3, 3)
    ]
    pair = [box(-8, 0, 0.6, 0.7), box(-6.9, 0, 0.6, 0.7)]
    pads = [shapely.affinity.rotate(p, turn, origin=(0, 0)) for p in (*chip, *quad, *pair)]
    tracks = [shapely.affinity.rotate(p, turn, origin=(0, 0)) for p in (box(-6, -0.1, 20, 0.2), box(-0.1, -6, 0.2, 12))]
    copper = layer("copper", "top", [*pads, *tracks])
    copper = replace(copper, flashed=np.array([True] * len(pads) + [False] * len(tracks)))
    paste = layer("paste", "top", pads)
    bare = join(Design("askew", (), (copper, paste), (), box(-30, -30, 60, 60), (), (), ()))
    assert sorted(len(p.pads) for p in bare.parts) == [2, 8, 33]
    at = {len(p.pads): (p.x, p.y) for p in bare.parts}
    want = shapely.affinity.rotate(shapely.Point(13.75, 0), turn, origin=(0, 0))
    assert at[33] == pytest.approx((want.x, want.y), abs=0.01)
