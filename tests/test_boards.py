"""Ready's science: parts from bare pads, the one fault behind many, panels found again, sides, etching, bodies."""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from fusilex.core.bare_boards.etching import USUAL_SCATTER, EtchRun, copper_removed_g, etch_minutes, judge_etch, refit
from fusilex.core.bare_boards.finest import finest_feature, judge_finest
from fusilex.core.checks.advice import suggestions
from fusilex.core.checks.fixes import Fix, apply_fixes
from fusilex.core.checks.reconcile import reconcile
from fusilex.core.checks.repeat import find_panel, one_cell
from fusilex.core.checks.side_order import DROP_LIMIT_MG_PER_MM2, first_side, judge_sides, side_load
from fusilex.core.checks.systematic import FACTORS, Correction, fit_named, fit_unnamed
from fusilex.core.checks.systematic_findings import pad_middles
from fusilex.core.design.clusters import candidates
from fusilex.core.design.connectivity import copper_pieces
from fusilex.core.design.join import join
from fusilex.core.design.model import Design, Hole, Layer
from fusilex.core.design.pad_evidence import mixed_codes, nearest_chip, pattern_of
from fusilex.core.design.pads import drills_at
from fusilex.core.design.roles import guess_roles
from fusilex.core.design.which_side import sides_of_words, top_lead
from fusilex.core.evidence import Level
from fusilex.core.packages.catalogue import Catalogue, package_of
from fusilex.core.packages.chips import CHIP_SIZES, ambiguous_code, chip_code
from fusilex.core.panel.layout import Panel, single

corrections = st.builds(
    Correction,
    st.booleans(),
    st.sampled_from((0, 90, 180, 270)),
    st.sampled_from(FACTORS),
    st.floats(-200, 200),
    st.floats(-200, 200),
)


def listed_as(correction: Correction, true: np.ndarray) -> np.ndarray:
    """What a list says that the correction puts right: its inverse, found by solving."""
    zero = correction.apply([[0.0, 0.0]])[0]
    columns = np.column_stack([correction.apply([[1.0, 0.0]])[0] - zero, correction.apply([[0.0, 1.0]])[0] - zero])
    return np.linalg.solve(columns, (true - zero).T).T


@settings(max_examples=40)
@given(corrections, st.integers(0, 10_000))
def test_a_correction_is_found_among_wrong_placements(correction: Correction, seed: int) -> None:
    """30 % of the placements wrong on their own account, with the pads' names and without."""
    random = np.random.default_rng(seed)
    true = random.uniform(0, 1, (60, 2)) * (80, 50)
    listed = listed_as(correction, true)
    wrong = random.choice(60, 18, replace=False)
    listed[wrong] = random.uniform(listed.min(axis=0), listed.max(axis=0), (18, 2))
    for found in (fit_named(listed, true), fit_unnamed(listed, true[random.permutation(60)])):
        assert found is not None and found.after >= 42 and found.rms_mm < 0.05
        sound = np.delete(np.arange(60), wrong)
        assert np.abs(found.correction.apply(listed[sound]) - true[sound]).max() < 0.02
        moved = abs(correction.factor - 1) > 1e-9 or np.abs(listed[sound] - true[sound]).max() > 1
        assert found.convincing or not moved


def test_nothing_is_corrected_that_is_right_or_random(heron: Design) -> None:
    random = np.random.default_rng(3)
    true = random.uniform(0, 60, (40, 2))
    right = fit_named(true, true)
    assert right is not None and not right.convincing and right.correction.words == "as listed"
    noise = fit_unnamed(random.uniform(0, 60, (40, 2)), true)
    assert noise is None or not noise.convincing
    assert fit_named(true[:3], true[:3]) is None and reconcile(heron) == []
    assert (
        Correction(True, 90, 25.4, 1.0, -2.0).words == "inch taken for mm, mirrored, turned 90° and shifted 1 mm, -2 mm"
    )


def test_candidates_of_heron_are_its_parts(heron: Design) -> None:
    """Names taken away, the pads gather into the parts they belong to."""
    right = wrong = 0
    for side in ("top", "bottom"):
        pads = [
            p
            for p in heron.pads
            if p.side == side and p.ref in heron.part_by_ref and heron.part_by_ref[p.ref].populated
        ]
        found = candidates(np.array([p.polygon for p in pads], dtype=object), np.array([p.drill for p in pads]))
        assert sorted(i for c in found for i in c.pads) == list(range(len(pads))), "every pad in one candidate"
        wanted: dict[str, set[int]] = {}
        for i, pad in enumerate(pads):
            wanted.setdefault(pad.ref, set()).add(i)
        sets = [set(c.pads) for c in found]
        right += sum(s in sets for s in wanted.values())
        wrong += sum(s not in sets for s in wanted.values())
    assert right >= 44 and wrong <= 6
    assert candidates(np.empty(0, dtype=object)) == []


def test_what_one_silk_line_holds_is_one_part() -> None:
    """Two leads far apart and four tabs of a connector, each in its box; a frame round everything joins nothing."""
    leads = [shapely.Point(x, 0).buffer(0.8) for x in (0, 19)]
    tabs = [shapely.box(x, y, x + 1.8, y + 1.2) for x, y in ((30, 0), (30, 8), (36, 0.1), (36, 7.9))]
    chips = [shapely.box(x, 20, x + 0.6, 20.6) for x in (0, 1, 5, 6, 10, 11)]
    shapes = np.array([*leads, *tabs, *chips], dtype=object)
    drills = np.array([0.9, 0.9, *[0.0] * 10])
    boxes = ((-2, -2, 21, 2), (28, -2, 40, 12), (-4, -4, 50, 30))
    silk = shapely.union_all([shapely.box(*b).exterior.buffer(0.08) for b in boxes])
    alone, boxed = candidates(shapes, drills), candidates(shapes, drills, silk)
    assert {c.pads for c in boxed if c.kind == "boxed"} == {(0, 1), (2, 3, 4, 5)}
    assert len(boxed) == 5 < len(alone) and {c.pads for c in boxed} >= {(6, 7), (8, 9), (10, 11)}


@given(st.integers(2, 12), st.sampled_from((0.4, 0.5, 0.65, 0.8, 1.27)), st.sampled_from((0, 90)))
def test_a_dual_row_chip_is_one_candidate(pins: int, pitch: float, turn: int) -> None:
    if pins * 2 < 5:
        pins = 3
    width, length, apart = 0.55 * pitch, 1.2, max(4.0, pins * pitch)
    boxes = [
        shapely.box(i * pitch - width / 2, y - length / 2, i * pitch + width / 2, y + length / 2)
        for y in (0.0, apart)
        for i in range(pins)
    ]
    shapes = np.array([shapely.affinity.rotate(b, turn, origin=(0, 0)) for b in boxes], dtype=object)
    found = candidates(shapes)
    assert len(found) == 1 and len(found[0].pads) == 2 * pins


def stepped(design: Design, columns: int, rows: int, px: float, py: float, rail: float = 0.0) -> Design:
    """A design as a panelised layer set: everything repeated, one outline round all."""
    shifts = [(i * px, j * py) for j in range(rows) for i in range(columns)]
    layers = tuple(
        Layer(
            x.role,
            x.side,
            np.array([shapely.affinity.translate(p, *s) for s in shifts for p in x.polygons], dtype=object),
            np.tile(x.flashed, len(shifts)),
            x.nets * len(shifts),
            (None,) * (len(x) * len(shifts)),
            x.functions * len(shifts),
        )
        for x in design.layers
        if x.role != "outline"
    )
    x0, y0, x1, y1 = design.outline.bounds
    box = shapely.box(x0 - rail, y0, x1 + (columns - 1) * px + rail, y1 + (rows - 1) * py)
    holes = tuple(Hole(h.x + dx, h.y + dy, h.diameter, h.plated) for dx, dy in shifts for h in design.holes)
    return replace(design, layers=layers, outline=box, holes=holes, panel=None, netpoints=())


@pytest.mark.parametrize(
    ("columns", "rows", "px", "py", "rail"), [(3, 2, 46, 31, 7), (2, 1, 44, 31, 0), (1, 3, 44, 33.5, 5)]
)
def test_a_panel_hidden_in_the_layers_is_found_and_undone(
    heron: Design, columns: int, rows: int, px: float, py: float, rail: float
) -> None:
    whole = stepped(heron, columns, rows, px, py, rail)
    found = find_panel(whole)
    assert found is not None and (found.columns, found.rows) == (columns, rows)
    assert columns == 1 or found.pitch_x == pytest.approx(px, abs=0.01)
    assert rows == 1 or found.pitch_y == pytest.approx(py, abs=0.01)
    one = join(one_cell(whole, found))
    copper, alone = one.layer("copper", "top"), heron.layer("copper", "top")
    assert copper and alone and np.count_nonzero(copper.flashed) == np.count_nonzero(alone.flashed)
    assert len(one.holes) == len(heron.holes) and reconcile(one) == []
    assert find_panel(heron) is None


def test_cells_turned_and_skipped_lie_where_the_transform_says() -> None:
    panel = Panel(2, 2, 50, 40, 5, 0, 110, 80, 44, 31, turns=(0, 90, 180, 270), column_x=(5, 60), row_y=(0, 40))
    corners = np.array([[0, 0], [44, 0], [44, 31], [0, 31]])
    for cell, points in enumerate(panel.step(corners)):
        x0, y0, x1, y1 = panel.box(cell)
        assert points.min(axis=0) == pytest.approx((x0, y0)) and points.max(axis=0) == pytest.approx((x1, y1))
        turn = math.degrees(math.atan2(*(points[1] - points[0])[::-1])) % 360
        assert turn == pytest.approx(panel.turn(cell))
    assert replace(panel, skipped=(1, 2)).cells == [0, 3] and single(4, 3).faults() == []
    for change, words in (
        ({"turns": (0, 90)}, "one a cell"),
        ({"turns": (0, 45, 0, 0)}, "quarter turns"),
        ({"column_x": (5,)}, "one position"),
        ({"column_x": (5, 20)}, "overlap"),
        ({"width": 60}, "beyond"),
        ({"skipped": (0, 1, 2, 3)}, "every cell"),
    ):
        assert any(words in f for f in replace(panel, **change).faults()), words


def test_roles_are_told_by_shapes_alone(heron: Design) -> None:
    layers = {f"{x.role} {x.side}": x for x in heron.layers}
    found = guess_roles(layers, {}, heron.holes, heron.placements)
    assert {n: f"{g.role} {g.side}" for n, g in found.items()} == {n: n for n in layers}
    some = {n: x for n, x in layers.items() if "mask" not in n}
    known = {(x.role, x.side): x for n, x in layers.items() if "mask" in n}
    found = guess_roles(some, known, heron.holes, ())
    assert {n: f"{g.role} {g.side}" for n, g in found.items()} == {n: n for n in some}


def test_the_drop_check_against_the_rule(heron: Design) -> None:
    top, bottom = side_load(heron, "top"), side_load(heron, "bottom")
    for load in (top, bottom):
        for check in load.checks:
            pads = sum(p.polygon.area for p in check.part.pads if p.drill == 0)
            assert check.load * 645.16 / 1000 == pytest.approx(30 * check.share, rel=1e-3), "30 g per square inch"
            assert check.area_mm2 == pytest.approx(pads)
    assert pytest.approx(46.5, abs=0.01) == DROP_LIMIT_MG_PER_MM2
    assert top.worst and bottom.worst and bottom.worst.part.ref == "L2" and bottom.worst.level is Level.STOP
    assert (first_side(top, bottom), first_side(top, bottom, "glued"), first_side(top, bottom, "hand")) == (
        "top",
        "bottom",
        "top",
    )
    with pytest.raises(KeyError):
        first_side(top, bottom, "magnets")
    alone = replace(heron, parts=tuple(p for p in heron.parts if p.side == "top"))
    assert [j.level for j in judge_sides(alone, "lighter-first")] == [Level.GO]
    judged = {j.subject: j.level for j in judge_sides(heron, "lighter-first")}
    assert judged == {"sides": Level.GO, "J1": Level.STOP}


def test_the_finest_feature_against_every_pair(heron: Design) -> None:
    found = finest_feature(heron)
    assert found is not None
    copper = copper_pieces(heron)
    least = math.inf
    for side, layer in copper.layers.items():
        pieces = copper.pieces[side]
        groups = [shapely.union_all(layer.polygons[pieces == n]) for n in np.unique(pieces)]
        tree = shapely.STRtree(groups)
        for i, group in enumerate(groups):
            near = [j for j in tree.query(group.buffer(0.3)) if j != i]
            least = min([least, *(group.distance(groups[j]) for j in near)])
    assert found.gap_mm == pytest.approx(least, abs=1e-6) and found.width_mm == pytest.approx(0.15, abs=1e-6)
    levels = {mm: judge_finest(found, [("p", mm)])[0].level for mm in (0.1, 0.15, 0.18, 0.3)}
    assert list(levels.values()) == [Level.GO, Level.GO, Level.CARE, Level.STOP]
    assert judge_finest(found, [])[0].level is Level.UNKNOWN
    assert [j.subject for j in judge_finest(found, [("coarse", 0.3), ("fine", 0.1)])] == ["fine"]


def test_etching_by_the_closed_forms() -> None:
    assert copper_removed_g(100 * 160, 0.25, 35) == pytest.approx(0.75 * 16 * 10 * 0.0035 * 8.96)
    fresh = etch_minutes(35, 37.5, 0, 0, 1)
    assert fresh == pytest.approx(12.5) and etch_minutes(70, 37.5, 0, 0, 1) == pytest.approx(25)
    assert etch_minutes(35, 27.5, 0, 0, 1) == pytest.approx(2 * fresh) and etch_minutes(
        35, 37.5, 30, 0, 1
    ) == pytest.approx(2 * fresh)
    assert etch_minutes(35, 37.5, 60, 0, 1) == math.inf == etch_minutes(35, 37.5, 30, 30, 1)
    steps = [etch_minutes(35, 37.5, 50 + k / 1000, 0, 1) for k in range(9500)]  # the law, summed in a thousand steps
    assert etch_minutes(35, 37.5, 50, 9.5, 1) == pytest.approx(np.mean(steps), rel=1e-2)
    runs = [EtchRun(m, 37.5, 35, 0.0, 1, 0.0) for m in (10.0, 25.0)]
    fit = refit(runs)
    assert fit.factor == pytest.approx(math.sqrt(0.8 * 2.0)) and fit.n == 2
    own = math.log(2.5) ** 2 / 2
    assert math.log(fit.scatter) == pytest.approx(math.sqrt((4 * math.log(USUAL_SCATTER) ** 2 + own) / 5))
    assert refit([]).factor == 1
    dice, hits = np.random.default_rng(2), 0
    for _ in range(400):
        took = 14.0 * np.exp(dice.normal(0, 0.14, 5))
        told = refit([EtchRun(float(m), 37.5, 35, 1e-6, 1.0, 0.0) for m in took[:4]])
        hits += abs(math.log(took[4] / (12.5 * told.factor))) <= math.log(told.within95)
    assert 0.91 < hits / 400 < 0.99, "the next run within its 95 %"
    assert [j.level for j in judge_etch(1, math.inf, fit, 60, 1)] == [Level.STOP]
    for bad in (lambda: copper_removed_g(1, 2, 3), lambda: etch_minutes(1, 1, 1, 1, 0)):
        with pytest.raises(ValueError):
            bad()


def test_size_codes_in_both_readings() -> None:
    for inch, row in CHIP_SIZES.items():
        assert chip_code(inch) == inch and chip_code(f"{inch} ({row[0]})") == inch == chip_code(
            f"{inch} ({row[0]})", True
        )
        if row[0] not in CHIP_SIZES:
            assert chip_code(row[0]) == inch and ambiguous_code(row[0]) is None
    assert chip_code("0603", True) == "0201" and package_of("0603", "R1", True).size_x == 0.6
    assert ambiguous_code("0603") == "0603" and ambiguous_code("0603 (1608)") is None
    own = replace(package_of("0603", "C1"), height=0.45)
    assert Catalogue(own={"0603": own}).package("0603", "C1").height == 0.45


def test_patterns_give_sizes_in_the_parts_own_frame(heron: Design) -> None:
    for ref, count, pitch in (("U1", 33, 0.5), ("U3", 8, 1.27), ("C5", 2, None), ("J3", 2, 5.08), ("Q1", 3, None)):
        part = heron.part_by_ref[ref]
        pattern = pattern_of(part.pads, (part.x, part.y), part.rotation_deg, part.side)
        assert pattern.count == count and (pitch is None or pattern.pitch == pytest.approx(pitch, abs=0.02))
    for ref in ("R4", "C12", "R14"):
        part = heron.part_by_ref[ref]
        turned = pattern_of(part.pads, (part.x, part.y), part.rotation_deg, part.side)
        assert nearest_chip(turned) == chip_code(part.package.code)
    with pytest.raises(ValueError):
        pattern_of((), (0, 0), 0, "top")
    assert mixed_codes(heron) == ()
    unknown = join(apply_fixes(replace(heron, pads=(), parts=()), [Fix("package", "U3", {"package": "mystery"})]))
    guessed = unknown.part_by_ref["U3"].package
    assert not guessed.known and guessed.mass_from == "volume" and max(guessed.size_x, guessed.size_y) > 4


def test_holes_belong_to_the_pad_round_them(heron: Design) -> None:
    polygons = np.array([p.polygon for p in heron.pads], dtype=object)
    found = drills_at(heron.holes, polygons)
    for polygon, size in zip(polygons, found, strict=True):
        middle = polygon.centroid
        want = max((h.diameter for h in heron.holes if math.hypot(h.x - middle.x, h.y - middle.y) < 0.05), default=0.0)
        assert size == want
    middles = pad_middles(heron.pads)
    x0, y0, x1, y1 = shapely.total_bounds([p.polygon for p in heron.pads if p.ref == "J2"])
    assert middles["J2"] == pytest.approx(((x0 + x1) / 2, (y0 + y1) / 2))


def test_what_could_be_better_next_time(heron: Design) -> None:
    found = {(s.kind, s.ref) for s in suggestions(heron, heron.panel)}
    assert found == {
        ("fiducial", "bottom"),
        ("through-hole", "J3"),
        ("through-hole", "S1"),
        ("nozzle", "J1"),
        ("nozzle", "J2"),
        ("edge", "J1"),
        ("edge", "C2"),
        ("edge", "C3"),
    }
    alone = {(s.kind, s.ref) for s in suggestions(heron, None)}
    assert ("edge", "C2") not in alone, "nothing is broken out of a single board"
    bare = replace(heron, parts=tuple(p for p in heron.parts if p.package.family != "fiducial"))
    assert ("fiducial", "top") in {(s.kind, s.ref) for s in suggestions(bare, heron.panel)}


@given(st.integers(2, 40), st.integers(1, 40), st.floats(0, 0.8), st.integers(0, 10**6))
def test_sides_are_told_by_the_pads_under_the_parts(tops: int, bottoms: int, wrong: float, seed: int) -> None:
    """Two-pad parts thrown on both sides: words for them are told apart as long as most stand in the middle of their
    pads.
    """
    random = np.random.default_rng(seed)
    at = {"top": random.uniform(0, 90, (tops, 2)), "bottom": random.uniform(0, 90, (bottoms, 2))}
    layers = {}
    for side, places in at.items():
        pads = (places[:, None, :] + np.array([[-0.8, 0.0], [0.8, 0.0]])).reshape(-1, 2)
        boxes = shapely.box(pads[:, 0] - 0.3, pads[:, 1] - 0.3, pads[:, 0] + 0.3, pads[:, 1] + 0.3)
        nothing = (None,) * len(boxes)
        layers[side] = Layer("paste", side, boxes, np.ones(len(boxes), dtype=bool), nothing, nothing, nothing)
    for places in at.values():
        astray = random.random(len(places)) < wrong * 0.5
        astray[0] = False
        places[astray] += random.uniform(2, 4, (int(astray.sum()), 2))
    leads = {
        word: top_lead(at[side], layers["top"], layers["bottom"]) for word, side in (("a", "top"), ("z", "bottom"))
    }
    assert leads["a"] > 0 > leads["z"] or len(at["bottom"]) < 4 or len(at["top"]) < 4
    if leads["a"] > leads["z"]:
        assert sides_of_words(leads, set()) == {"a": "top", "z": "bottom"}
    assert sides_of_words({"z": leads["z"]}, {"top"}) == {"z": "bottom"}, "one word beside a known side is the other"
    assert sides_of_words({"a": 0.0, "b": 0.0}, set()) == {} == sides_of_words({"a": 0.0}, {"top", "bottom"})
    assert top_lead(at["top"], None, layers["bottom"]) <= 0 <= top_lead(at["top"], layers["top"], None)


@pytest.mark.parametrize(
    ("name", "ref", "size", "kind"),
    [
        ("RESC1608X55N", "R1", (1.6, 0.8, 0.55), "resistor"),
        ("CAPC0603X33N", "C1", (0.6, 0.3, 0.33), "capacitor"),
        ("SOIC127P600X175-8N", "U1", (3.9, 4.9, 1.75), "ic"),
        ("SOP65P640X120-16N", "U1", (4.4, 5.0, 1.2), "ic"),
        ("QFN50P500X500X80-33N", "U1", (5, 5, 0.8), "ic"),
        ("QFP50P900X900X120-48N", "U1", (7, 7, 1.2), "ic"),
        ("SOT95P237X112-3N", "Q1", (1.3, 2.9, 1.12), "transistor"),
        ("BGA256C100P16X16_1700X1700X140", "U1", (17, 17, 1.4), "ic"),
        ("TSSOP-20", "U1", (4.4, 6.5, 1.1), "ic"),
        ("SO-16 wide", "U1", (7.5, 10.3, 2.5), "ic"),
        ("TO-252-2", "Q1", (6.1, 6.6, 2.3), "transistor"),
        ("D_SMA", "D1", (4.3, 2.6, 2.2), "diode"),
        ("TANT-A 3216-18", "C1", (3.2, 1.6, 1.6), "capacitor"),
        ("MELF 0204", "R1", (3.6, 1.5, 1.5), "resistor"),
        ("2512", "R1", (6.3, 3.2, 0.6), "resistor"),
        ("XTAL_3225-4", "Y1", (3.2, 2.5, 0.9), "crystal"),
        ("DIP-14", "U1", (6.4, 17.78, 3.8), "ic"),
        ("Header 1x04 P2.54", "J1", (2.54, 10.16, 8.5), "connector"),
        ("Elec_8x10", "C1", (8.3, 8.3, 10), "electrolytic"),
    ],
)
def test_bodies_by_the_names_of_land_patterns_and_outlines(
    name: str, ref: str, size: tuple[float, float, float], kind: str
) -> None:
    """Nominal sizes of IPC-7351 names, JEDEC MS-012, MS-013, MO-153, EIA cases; leads are taken off to a fifth of a
    millimetre.
    """
    body = package_of(name, ref)
    assert body.known and body.family == kind
    assert (body.size_x, body.size_y, body.height) == pytest.approx(size, abs=0.2)
    assert 1 < body.mass_mg / (body.size_x * body.size_y * body.height) < 6, "mg/mm³"


def test_names_that_mean_no_size_guess_none() -> None:
    assert package_of("SMA", "J1").family != "diode", "a socket"
    for text in ("panel 600 x 400", "part 10000x2"):
        assert (
            max(package_of(text, "U1").size_x, package_of(text, "U1").size_y) < 5 and not package_of(text, "U1").known
        )
    assert chip_code("CAPC0603X33N") == "0201" and ambiguous_code("CAPC0603X33N") is None
