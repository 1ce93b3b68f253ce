"""A go is earned: it is made in one place, from an interval and from how much was seen, and nowhere else."""

from __future__ import annotations

import ast
import math
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import shapely
from designs import layer, two_pad_design
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from scipy.interpolate import PchipInterpolator

import fusilex
from fusilex.bench.report.papers import reading_words
from fusilex.bench.verbs.measured import window_by
from fusilex.bench.workshop.paste_care import Air, PasteCare
from fusilex.core.checks.fixes import apply_fixes
from fusilex.core.checks.judge import judge_files
from fusilex.core.checks.pin_ones import pin_ones, quarter_of
from fusilex.core.checks.reconcile import reconcile
from fusilex.core.design.join import join
from fusilex.core.design.model import Design, Placement
from fusilex.core.evidence import Coverage, Level, around, every, exactly, seen, weigh
from fusilex.core.judgement import Judgement
from fusilex.core.kit.bag import check_bag
from fusilex.core.kit.moisture import Exposure, Room, judge_moisture
from fusilex.core.kit.quantities import PullLine, judge_values, pull_list, pull_quantity
from fusilex.core.measuring.lots import Taken, judge_lots, lots
from fusilex.core.packages.catalogue import package_of
from fusilex.core.placing.first_piece import RIGHT, UNKNOWN, WRONG, verdict_of
from fusilex.core.printing.apertures import apertures_of
from fusilex.core.printing.weighing import judge_weights, measured_transfer, run_chart
from fusilex.core.problems import BadInput
from fusilex.core.quantities import Quantity
from fusilex.core.reflow.judge import judge_profile
from fusilex.core.reflow.profile import measure_log, silent_probes
from fusilex.core.soldering.handwork import soldering
from fusilex.core.wet_paste.jar import gaps
from fusilex.core.wording import say
from fusilex.formats.lists.readings import read_readings

SRC = Path(fusilex.__file__).parent
ORDER = (Level.GO, Level.CARE, Level.UNKNOWN, Level.STOP)
ALL = (every("pads", 3),)
numbers = st.floats(-100, 100)
LEADED = window_by("leaded")


def test_no_rule_writes_go_by_itself() -> None:
    """Outside `evidence`, go stands only where levels are compared, or told apart by a table of words."""
    for floor in ("core", "bench", "formats", "devices", "command_line"):
        for path in (SRC / floor).rglob("*.py"):
            tree = ast.parse(path.read_text())
            allowed = {id(n) for c in ast.walk(tree) if isinstance(c, ast.Compare) for n in ast.walk(c)}
            allowed |= {id(n) for d in ast.walk(tree) if isinstance(d, ast.Dict) for n in d.keys if n is not None}
            for node in ast.walk(tree):
                go = isinstance(node, ast.Attribute) and node.attr == "GO" and id(node) not in allowed
                assert not go or path.name == "evidence.py", f"{path.relative_to(SRC)}:{node.lineno}"  # type: ignore[attr-defined]


def test_a_go_without_what_it_stands_on_cannot_be_made() -> None:
    for coverage in ((), (Coverage("pads", 32, 33),), (Coverage("pads", 0, 0),), (*ALL, Coverage("marks", 1, 2))):
        with pytest.raises(ValueError, match="not all was seen"):
            Judgement("x", Level.GO, "s", say("h"), coverage=coverage)
    for span in ((0.6, 0.7), (0.7, 0.9)):
        with pytest.raises(ValueError, match="outside its limits"):
            Judgement("x", Level.GO, "s", say("h"), (Quantity("v", 0.7, "mm", span, (0.65, 0.8)),), coverage=ALL)
    assert Judgement("x", Level.GO, "s", say("h"), (Quantity("v", 0.7, "mm", (0.65, 0.8), (0.65, 0.8)),), coverage=ALL)


@given(numbers, st.floats(0, 50), st.floats(0, 50), numbers, st.floats(0, 60), st.floats(0, 20), st.booleans())
def test_a_wider_span_or_less_seen_never_makes_it_better(
    middle: float, half: float, more: float, low: float, room: float, band: float, whole: bool
) -> None:
    limit, hard = (low, low + room), (low - band, low + room + band)
    for beyond in (None, hard):
        before = weigh((middle - half, middle + half), limit, ALL, hard=beyond)
        wider = weigh((middle - half - more, middle + half + more), limit, ALL, hard=beyond)
        if before is not Level.STOP:
            assert ORDER.index(wider) >= ORDER.index(before)
        else:
            assert wider in (Level.STOP, Level.UNKNOWN)
        part = weigh((middle - half, middle + half), limit, [Coverage("pads", 2, 3)], hard=beyond)
        assert part is (Level.STOP if before is Level.STOP else Level.UNKNOWN)


def test_levels_by_hand() -> None:
    assert weigh((math.nan, 1.0), (0.0, 2.0), ALL) is Level.UNKNOWN is weigh((2.0, 1.0), (0.0, 3.0), ALL)
    assert weigh(exactly(math.inf), (1.0, math.inf), ALL) is Level.GO
    assert seen(*ALL) is Level.GO and seen(Coverage("pads", 4, 3)) is Level.GO
    dice = np.random.default_rng(3)
    read = np.round(dice.normal(5.0, 0.02, (4000, 6)) + dice.uniform(-0.5, 0.5, (4000, 1)) * 0.1, 1)
    hits = [
        low <= 5.0 <= high
        for row in read
        for low, high in [around(float(row.mean()), float(row.std(ddof=1)) / math.sqrt(6), 0.1, 5)]
    ]
    assert np.mean(hits) > 0.94, "a coarse instrument's interval still covers"


def relisted(design: Design, change: Callable[[Placement], Placement]) -> Design:
    return join(replace(design, pads=(), parts=(), placements=tuple(map(change, design.placements))))


def mended(design: Design) -> Design:
    return join(apply_fixes(replace(design, pads=(), parts=()), [f.fix for f in reconcile(design) if f.fix]))


QUARTER = {90: (0, 1), 180: (-1, 0), 270: (0, -1)}


@pytest.mark.parametrize(("turn", "with_it"), [(0, False), *((q, f) for q in QUARTER for f in (False, True))])
def test_a_list_put_right_leaves_every_part_as_it_lies(heron: Design, turn: int, with_it: bool) -> None:
    """A list counted downwards turns no part; one that was turned may have turned them or not: pin 1 tells."""

    def wrong(p: Placement) -> Placement:
        if not turn:
            return replace(p, y=-p.y)
        (cos, sin), way = QUARTER[turn], 1 if p.side == "top" else -1
        more = turn * way if with_it else 0
        return replace(p, x=cos * p.x - sin * p.y, y=sin * p.x + cos * p.y, rotation_deg=(p.rotation_deg + more) % 360)

    found = relisted(heron, wrong)
    assert [f.kind for f in reconcile(found)] == ["systematic"]
    right = mended(found)
    assert [(p.ref, p.rotation_deg) for p in right.placements] == [(p.ref, p.rotation_deg) for p in heron.placements]
    assert not reconcile(right)


@pytest.mark.parametrize(
    ("refs", "by", "kind", "level"),
    [
        ((), 180, "rotations", Level.STOP),
        (("U1", "U2", "U3"), 180, "rotations", Level.STOP),
        (("U3",), 180, "rotation", Level.STOP),
        (("U2",), 90, "rotation", Level.CARE),
    ],
)
def test_turns_that_pin_1_contradicts_are_named(
    heron: Design, refs: tuple[str, ...], by: int, kind: str, level: Level
) -> None:
    turned = relisted(
        heron, lambda p: replace(p, rotation_deg=(p.rotation_deg + by) % 360) if not refs or p.ref in refs else p
    )
    (found,) = reconcile(turned)
    assert (found.kind, found.level) == (kind, level)
    assert {p.ref for p in turned.parts if p.ref in found.refs or p.ref == found.ref} >= set(refs or ("U1", "D1"))
    right = {p.ref: p.rotation_deg for p in mended(turned).placements}
    assert right == {p.ref: p.rotation_deg for p in heron.placements}
    assert quarter_of(heron.part_by_ref["U2"]) == "A" and len(pin_ones(heron.parts).told) > 10


def test_a_turn_that_no_file_tells_is_no_go(heron: Design) -> None:
    bare = relisted(heron, lambda p: replace(p, rotation_deg=0.0, turn_given=False))
    plain = join(replace(bare, pads=(), parts=(), netpoints=(), layers=tuple(map(_nameless, bare.layers))))
    judged = {j.rule: j for j in judge_files(plain, [])}
    assert "ready.agree" not in judged and judged["ready.turns"].level is Level.UNKNOWN
    assert judged["ready.turns"].says.case == "in no file" and "U1" in judged["ready.turns"].refs
    listed = relisted(plain, lambda p: replace(p, turn_given=True))
    assert {j.says.case for j in judge_files(listed, []) if j.rule == "ready.turns"} == {"in the list alone"}
    assert not [j for j in judge_files(heron, []) if j.rule == "ready.turns"]


def _nameless(layer: object) -> object:
    count = len(layer)  # type: ignore[arg-type]
    return replace(layer, pins=(None,) * count, nets=(None,) * count)  # type: ignore[type-var]


POLARITIES = [
    ("CP_Radial_D5.0mm_P2.50mm", "C1", ("known",)), ("RADIAL-5", "C1", ("unknown",)), ("KBU", "X1", ("unknown",)),
    ("", "C9", ("unknown",)), ("0603", "K2", ("unknown",)), ("DO-41", "D1", ("known",)), ("LED_D5.0mm", "D2", ("known",)),
    ("", "LED1", ("known",)), ("XA2812", "D4", ("known",)), ("KBU", "BR1", ("known",)), ("POWER-6", "Q2", ("known",)),
    ("TANT 3216", "C1", ("known",)), ("ELEC_D5", "C1", ("known",)), ("0603", "C1", ("none",)), ("AXIAL-0.4", "R1", ("none",)), ("0805", "FB1", ("none",)),
]  # fmt: skip


@pytest.mark.parametrize(("package", "ref", "polarity"), POLARITIES)
def test_a_package_that_says_nothing_has_no_polarity_none(package: str, ref: str, polarity: tuple[str]) -> None:
    nets = {(ref, "1"): "A", (ref, "2"): "B"}
    made = two_pad_design([Placement(ref, 10, 10, 0, "top", package, "")], nets=nets, apart=3.0)
    (part,) = made.parts
    assert part.pin_one is not None and part.polarity == polarity[0]
    asked = [j for j in judge_files(made, []) if j.rule == "ready.polarity"]
    assert [j.refs for j in asked] == ([(ref,)] if polarity == ("unknown",) else [])
    assert "mark checked" in str(soldering(part)) or "looked up" in str(soldering(part)) or polarity == ("none",)


LABELS = [
    (("1 k", "0603", "R1"), "0603 Qty: 1000", "unknown"),
    (("1 k", "0603", "R1"), "0603 1000 pcs", "unknown"),
    (("10", "0402", "R1"), "0402 100 pcs", "unknown"),
    (("100", "0402", "R1"), "0402 100", "unknown"),
    (("47", "0402", "R1"), "0402 Qty: 47", "unknown"),
    (("231 k", "0402", "R1"), "0402 date 2312", "unknown"),
    (("100n", "0402", "C1"), "100nF metric size 0402", "stop"),
    (("100n", "0402", "C1"), "100nF 0402 (0.4 x 0.2 mm)", "stop"),
    (("100n", "0402", "C1"), "100nF 0402 (1.0 x 0.5 mm) 500 pcs", "go"),
    (("XA358", "SOIC-8", "U1"), "XA358 DIP-8", "stop"),
    (("XA358", "SOIC-8", "U1"), "XA358", "unknown"),
    (("XA358", "SOIC-8", "U1"), "XA358 SO-8", "go"),
    (("XA358", "SOIC-8", "U1"), "XA358 XA324 SOIC-8", "unknown"),
    (("XA1117", "SOT-223", "U1"), "XA1117-3.3 SOT-223", "unknown"),
    (("10k 1%", "0603", "R1"), "10k J 0603", "stop"),
    (("10k 1%", "0603", "R1"), "10k F 0603", "go"),
    (("10k 1%", "0603", "R1"), "10k 0603", "unknown"),
    (("100n X7R 16V", "0603", "C1"), "100n 16V 0603", "unknown"),
    (("0.1", "0603", "C1"), "100n 0603", "unknown"),
    (("0.1", "0603", "C1"), "0.1 0603", "unknown"),
    (("10k", "0603", "R1"), "10k", "unknown"),
]


@pytest.mark.parametrize(("line", "label", "level"), LABELS)
def test_a_bag_is_right_by_what_is_on_its_label(line: tuple[str, str, str], label: str, level: str) -> None:
    value, body, ref = line
    assert check_bag(PullLine(value, package_of(body, ref), "", (ref,), 18, 20, 0.0, 1), label).level.value == level


@pytest.mark.parametrize(
    ("value", "label"),
    [("10k 1%", "10k F 0603 reel 500"), ("100n X7R 16V", "CAP 100nF X7R 25V 0603"), ("XA358", "XA358 SOIC-8 lot 7")],
)
def test_a_label_that_says_less_is_no_better(value: str, label: str) -> None:
    """Any words left out, from a right bag and from wrong ones: never a go that was none."""
    body, ref = ("SOIC-8", "U1") if "XA" in value else ("0603", "C1" if "n" in value else "R1")
    line = PullLine(value, package_of(body, ref), "", (ref,), 18, 20, 0.0, 1)
    for full in (label, label.replace("10k", "12k").replace("100nF", "120nF"), label.replace("0603", "0805")):
        whole, words = check_bag(line, full).level, full.split()
        for mask in range(1 << len(words)):
            less = check_bag(line, " ".join(w for n, w in enumerate(words) if mask >> n & 1)).level
            assert less is not Level.GO or whole is Level.GO, (full, mask)


def test_what_is_pulled_is_enough() -> None:
    dice = np.random.default_rng(11)
    for need, loss, extra in ((36, 0.03, 8), (100, 0.1, 5), (100, 0.3, 5), (400, 0.02, 5), (18, 0.0, 1)):
        pulled = pull_quantity(need, loss, extra)
        assert np.mean(dice.binomial(pulled, 1 - loss, 4000) >= need) >= 0.945
    assert pull_quantity(100, 0.1, 3, 100) > pull_quantity(100, 0.1, 3, 100_000) == pull_quantity(100, 0.1, 3)


def test_a_first_piece_is_told_from_the_next_value_of_its_series() -> None:
    for value, family, read, told in (
        ("31.6 k", "resistor", 32_400, UNKNOWN),
        ("31.6 k", "resistor", 31_600, RIGHT),
        ("10 k", "resistor", 10_100, RIGHT),
        ("10 k 5%", "resistor", 10_350, RIGHT),
        ("100n", "capacitor", 119e-9, UNKNOWN),
        ("100n", "capacitor", 130e-9, WRONG),
    ):
        assert verdict_of(value, family, read)[0] == told


def test_lines_that_say_nothing_share_no_bin() -> None:
    for nothing in ("(unknown)", "-", "?", "n/a", "~", ""):
        parts = [Placement(ref, 5 + 3 * n, 5, 0, "top", "0402", nothing) for n, ref in enumerate(("C1", "C2", "R1"))]
        lines = pull_list(two_pad_design(parts), 6)
        assert [(x.refs, x.need) for x in lines] == [(("C1",), 6), (("C2",), 6), (("R1",), 6)]
        assert len({x.key for x in lines}) == 3 and [j.level for j in judge_values(lines)] == [Level.UNKNOWN]
    same = [Placement(ref, 5 + 3 * n, 5, 0, "top", "0402", "10") for n, ref in enumerate(("C1", "R1", "R2"))]
    lines = pull_list(two_pad_design(same), 6)
    assert sorted(x.refs for x in lines) == [("C1",), ("R1", "R2")] and len({x.key for x in lines}) == 2


@pytest.mark.parametrize(
    ("room", "level"),
    [
        (Room(22.0, 45.0), Level.GO),
        (Room(30.0, 60.0), Level.GO),
        (Room(34.0, 45.0), Level.UNKNOWN),
        (Room(24.0, 85.0), Level.UNKNOWN),
        (Room(24.0, None), Level.UNKNOWN),
        (Room(), Level.UNKNOWN),
    ],
)
def test_floor_life_counts_in_the_room_it_is_given_for(room: Room, level: Level) -> None:
    assert judge_moisture("R", "3", Exposure(20.0, True), room=room).level is level
    assert judge_moisture("R", "3", Exposure(168.0, True), room=room).level is Level.STOP
    assert judge_moisture("R", "3", Exposure(0.0, False), room=room).level is Level.GO, "it was never open"


def test_the_worst_air_while_parts_lay_open_counts() -> None:
    care = PasteCare()
    for hour, celsius, damp in ((1, 21.0, 40.0), (5, 33.0, 50.0), (9, 22.0, None)):
        care.airs.append(Air(f"2026-03-02T{hour:02d}:00:00+00:00", celsius, damp, "typed"))
    day = "2026-03-02T"
    assert care.room_over(f"{day}02:00:00+00:00", f"{day}04:00:00+00:00") == Room(21.0, 40.0)
    assert care.room_over(f"{day}02:00:00+00:00", f"{day}06:00:00+00:00") == Room(33.0, 50.0)
    assert care.room_over(f"{day}02:00:00+00:00", f"{day}10:00:00+00:00") == Room(33.0, None)
    assert care.room_over(f"{day}00:10:00+00:00", f"{day}00:30:00+00:00") == Room()


@pytest.mark.parametrize("silent", [(0, 83 * 24), (0, 1, 83 * 24), (0, 8, 16, 24, 24 + 83 * 24), (0, 30, 60, 90)])
def test_a_hole_in_a_jars_log_is_no_go(silent: tuple[int, ...]) -> None:
    assert gaps(silent)
    assert not gaps(range(0, 83 * 24, 8)) and not gaps((0, 24, 48))


KNOTS = ((0, 50, 140, 185, 210, 290, 420), (25, 100, 150, 190, None, 100, 40))


def logged(peak: float, apart: float, sigma: float, step: float, seed: int, most: float = 999.0) -> list[Judgement]:
    """A leaded run as an oven makes it, seen through a logger: samples so far apart, noise, steps, a clipped top."""
    dice = np.random.default_rng(seed)
    time = np.arange(dice.uniform(0, apart), 420, apart)
    true = PchipInterpolator(KNOTS[0], [peak if c is None else c for c in KNOTS[1]])(time)
    seen_c = np.minimum(true + dice.normal(0, sigma, len(time)), most)
    read = np.round(seen_c / step) * step
    return judge_profile(measure_log(time, {"a": read}, LEADED), LEADED)


@pytest.mark.parametrize(
    ("apart", "sigma", "step"),
    [(1, 0.3, 0.1), (1, 1.5, 0.1), (2, 0.5, 0.25), (1, 0.05, 1.0), (5, 0.2, 0.1), (10, 0.2, 0.1)],
)
@pytest.mark.parametrize("peak", [204.4, 225.6])
def test_a_peak_just_beyond_its_limit_is_no_go(apart: float, sigma: float, step: float, peak: float) -> None:
    """The truth lies beyond the limit, seen through a realistic logger: at most 2.5 % go (99.9 % binomial: 6 of 80)."""
    assert sum(logged(peak, apart, sigma, step, seed)[0].level is Level.GO for seed in range(80)) <= 6
    if apart < 3:
        assert sum(logged(215.0, apart, sigma, step, seed)[0].level is Level.GO for seed in range(20)) >= 15


def test_a_log_that_stands_still_or_samples_seldom_is_no_go() -> None:
    clipped = logged(235.0, 1, 0.3, 0.1, 1, 222.0)
    assert [j.level for j in clipped if "peak" in str(j.says)] == [Level.UNKNOWN]
    assert "stands still" in str(clipped[0].says)
    fast = np.interp(
        np.arange(0, 400, 10.0), (0, 45, 55, 145, 190, 205, 215, 300, 400), (25, 93, 133, 150, 200, 215, 215, 100, 40)
    )
    (shown,) = (m for m in measure_log(np.arange(0, 400, 10.0), {"a": fast}, LEADED).values())
    assert shown.doubts["max_heating_c_per_s"].high >= 4.0, (
        "4 °C/s for ten seconds is hidden by ten seconds between samples"
    )


def test_a_silent_probe_is_named() -> None:
    time = np.arange(0, 420, 1.0)
    curve = PchipInterpolator(KNOTS[0], [215.0 if c is None else c for c in KNOTS[1]])(time)
    few = np.where(np.arange(len(time)) < 9, 25.0, np.nan)
    probes = {"board": curve, "U1": few}
    measured = measure_log(time, probes, LEADED)
    silent = silent_probes(probes, measured, ("spare",))
    assert silent == ["U1", "spare"]
    (told,) = judge_profile(measured, LEADED, silent)
    assert (told.level, told.says.case) == (Level.UNKNOWN, "silent") and told.coverage[0].seen == 1
    assert [j.level for j in judge_profile(measured, LEADED)] == [Level.GO]


def series(*rows: tuple[str, float], room: float = 0.01) -> list[tuple[str, str]]:
    """What a series of readings of 3.3 V says, by level and case."""
    taken = [Taken(board, "3V3", value, "V", 3.2, 3.4, room) for board, value in rows]
    return [(j.level.value, j.says.case) for j in judge_lots(lots(taken)) if j.says.case != "too few"]


def test_readings_prove_no_more_than_their_instrument() -> None:
    boards = [(f"b{n}", 3.3 + 0.001 * (n % 3)) for n in range(8)]
    assert series(("golden", 3.3), *boards, ("golden", 3.3)) == [("go", "all within")]
    for name in ("golden1", "ref", "Golden board 2", "REFERENCE"):
        assert series((name, 3.6), *boards)[0] == ("care", "verify first"), name
    out = series(("golden", 3.3), *boards[:4], ("golden", 3.6), *boards[4:], ("golden", 3.3))
    assert ("unknown", "while off") in out and "go" not in dict(out)
    moved = series(("golden", 3.30), *boards, ("golden", 3.35), room=0.0)
    assert ("unknown", "moved unknown") in moved and "go" not in dict(moved)
    drifting = [(f"b{n}", 3.25 + 0.01 * n) for n in range(9)]
    assert ("care", "boards drift") in series(("golden", 3.3), *drifting, ("golden", 3.3))
    assert ("care", "verify first") in series(*drifting), "without a reference the instrument may be it"
    two = [
        Taken(b, what, 3.3, "V", 3.2, 3.4) for b, _ in boards for what in ("3V3", "VBAT") if (b, what) != ("b3", "VBAT")
    ]
    assert [(j.level.value, j.says.case) for j in judge_lots(lots(two))] == [("unknown", "some missing")]
    with pytest.raises(BadInput, match=r"1004 or 1\.004"):
        read_readings(b'board,measurement,value,unit\nb1,x,"1,004",V\n', "r.csv")


@pytest.mark.parametrize(("share", "level"), [(0.72, Level.CARE), (1.30, Level.CARE), (0.45, Level.STOP), (1.0, None)])
def test_prints_that_are_steady_and_wrong_are_named(heron: Design, share: float, level: Level | None) -> None:
    apertures = apertures_of(heron, "top")
    prints = 334.0 * share * (1 + 0.01 * np.array([0.3, -0.8, 0.5, 0.9, -1.0, 0.2, -0.4, 0.6]))
    judged = judge_weights(run_chart(prints / 334.0), measured_transfer(prints, 334.0, apertures, 0.12), 334.0)
    assert [j.level for j in judged if j.rule == "print.transfer"] == ([] if level is None else [level])
    two = judge_weights(run_chart(prints[:5] / 334.0), measured_transfer(prints[:2], 334.0, apertures, 0.12), 334.0)
    assert level is not None or [j.level for j in two if j.rule == "print.transfer"] in ([], [Level.UNKNOWN])


def test_slivers_are_no_apertures(heron: Design) -> None:
    paste = heron.layer("paste", "top")
    assert paste is not None
    slivers = layer("paste", "top", [*paste.polygons, *(shapely.box(x, 1, x + 0.01, 1.05) for x in range(1, 41))])
    other = replace(heron, layers=tuple(slivers if x is paste else x for x in heron.layers))
    assert len(apertures_of(other, "top")) == len(apertures_of(heron, "top"))


def test_the_silence_of_a_beeper_is_no_number() -> None:
    row = {"open": False, "ohm": None, "no_beep_above_ohm": 30.0}
    assert reading_words(row) == "no beep (above 30 Ω)"
    assert reading_words({"open": True, "ohm": None}) == "OL"
    assert "30 Ω" in reading_words({"open": False, "ohm": 30.0})
