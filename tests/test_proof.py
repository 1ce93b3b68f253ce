"""What proves a board, by sums of its own: plans against brute force, samples against simulation, readings by hand."""

from __future__ import annotations

import json
import math
import random
from itertools import combinations, pairwise, permutations
from pathlib import Path

import numpy as np
import pytest
from conftest import HERON
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from shapely.geometry import box

from fusilex.app import main
from fusilex.core.checks.judge import judge_files
from fusilex.core.checks.panelised import judge_board_size
from fusilex.core.design.model import Design
from fusilex.core.electrical.chances import Learnt, chance_of
from fusilex.core.electrical.checks import checks_of, nets, prior
from fusilex.core.electrical.judge import judge_readings, judge_supply
from fusilex.core.electrical.order import Reading, best_in, best_order, expected_seconds, found_chance
from fusilex.core.electrical.plan import plan_readings
from fusilex.core.electrical.power import current_limit, expected_draw, power_level, power_steps
from fusilex.core.electrical.shown import between_nets
from fusilex.core.evidence import Level
from fusilex.core.measuring.drift import drift
from fusilex.core.measuring.guard import Uncertainty
from fusilex.core.measuring.lots import Taken, judge_lots, lots
from fusilex.core.measuring.ratio import Measured, ratio
from fusilex.core.measuring.sampling import boards_to_test, drawn, most_bad
from fusilex.core.measuring.spread import capability, robust_z
from fusilex.core.panel.cuts import SAME_MM, cut_order
from fusilex.core.panel.layout import Panel, single
from fusilex.core.panel.separating import HAND, judge_cuts, plan_cuts
from fusilex.demo.heron import heron_panel

SECONDS = st.sampled_from([1.0, 2.0, 2.5, 4.0])
SOME = st.lists(st.tuples(st.sampled_from("xyz"), SECONDS, st.floats(0.001, 0.7)), min_size=1, max_size=6)


def readings_of(rows: list[tuple[str, float, float]]) -> list[Reading]:
    return [Reading(f"r{n}", port, s, q) for n, (port, s, q) in enumerate(rows)]


def spent(order: list[Reading], land: float = 2.0) -> float:
    """Seconds until the first finding, on average, of readings one by one: parking is paid at each change of port."""
    left, total, at = 1.0, 0.0, ""
    for r in order:
        total += left * (r.seconds + (land if r.port != at else 0.0))
        left, at = left * (1 - r.finds), r.port
    return total


@given(SOME)
def test_the_order_is_the_best_of_all_that_finish_a_port(rows: list[tuple[str, float, float]]) -> None:
    ours = best_order(readings_of(rows))
    flat = [r for port in ours for r in port.readings]
    whole = (o for o in permutations(flat) if _ports_whole(o))
    assert spent(flat) == pytest.approx(expected_seconds(ours)) == pytest.approx(min(spent(list(o)) for o in whole))


def _ports_whole(order: tuple[Reading, ...]) -> bool:
    changes = 1 + sum(a.port != b.port for a, b in pairwise(order))
    return changes == len({r.port for r in order})


@given(SOME, st.sampled_from([3.0, 6.0, 9.5, 14.0]))
def test_the_best_in_some_seconds_is_the_best_of_all_choices(
    rows: list[tuple[str, float, float]], limit: float
) -> None:
    every = readings_of(rows)
    ours = best_in(every, limit)
    fits = [
        some
        for n in range(len(every) + 1)
        for some in combinations(every, n)
        if sum(r.seconds for r in some) + 2.0 * len({r.port for r in some}) <= limit
    ]
    assert tuple(ours) in fits and found_chance(ours) == pytest.approx(max(found_chance(list(f)) for f in fits))


def test_the_plan_of_heron_says_what_it_proves_and_what_not(heron: Design) -> None:
    checks = checks_of(heron)
    rails = {p.a.net for p in checks.rails} | {p.b.net for p in checks.rails}
    assert {"3V3", "VBUS", "VIN_F", "VREG", "GND"} <= rails and "VBUS_S" not in rails and checks.ground == "GND"
    joints = {p.b.name for p in checks.joints} | {p.a.name for p in checks.joints}
    assert not any(name.startswith("U1.") for name in joints), "nobody touches a joint under a body"
    assert {"R1.1", "U3.4"} <= joints and all(p.a.net == p.b.net for p in checks.joints)
    assert len({p.key for p in checks.all}) == len(checks.all)
    parts = {p.ref: p for p in heron.parts}
    plan = plan_readings(checks, heron.parts, 3.0)
    assert plan.total_s <= 180 and {p.key for p in plan.order}.isdisjoint(p.key for p in plan.unproven)
    assert len(plan.order) + len(plan.unproven) == len(checks.all)
    assert sum(plan.seconds[p.key] for p in plan.order) == pytest.approx(plan.total_s)
    assert all(0 < prior(p, parts) < 0.5 for p in checks.all)
    doubted = plan_readings(checks, heron.parts, 0.5, {"J2.1": 500.0})
    assert any("J2.1" in p.names for p in doubted.order[:4]), "what the record doubts comes first"
    known = {p.key: Learnt(12, 3) for p in checks.joints if p.b.name == "R9.1"}
    assert max(plan_readings(checks, heron.parts, 0.5, None, known).chance.items(), key=lambda r: r[1])[0] in known
    must = {p.key for p in checks.rails}
    assert must & {p.key for p in plan_readings(checks, heron.parts, 0.5, must=must).order} == must & {
        p.key for p in checks.all
    }


def test_chances_by_bayes_and_beta_binomial() -> None:
    assert chance_of(0.02, ("U1.1",), ("U1",), {"U1": 9.0, "U1.1": 3.0}, Learnt()) == pytest.approx(
        0.18 / (0.18 + 0.98)
    )
    assert chance_of(0.05, (), (), {}, Learnt(20, 3)) == pytest.approx((1 + 3) / 40)


def test_what_the_meter_shows_beside_ohms(heron: Design) -> None:
    """By hand: C1 and C2 hang on VIN_F, L2 leads VIN to them; D1 conducts from VBUS to VIN_F; C8 is too small to see."""
    between = between_nets(heron)
    assert (
        between.shown("VIN_F", "GND").farad == pytest.approx(57e-6) == pytest.approx(between.shown("VIN", "GND").farad)
    )
    assert between.shown("VIN_F", "GND").climbs_s == pytest.approx(5 * 1e4 * 57e-6)
    assert between.shown("VIN_F", "VBUS").red == "D1.2" == between.shown("VBUS", "VIN_F").red
    assert between.shown("OSC_IN", "GND").words == "" and between.shown("nowhere", "GND").words == ""


def test_readings_are_judged_for_what_they_prove(heron: Design) -> None:
    checks = checks_of(heron)
    r10 = next(p for p in checks.all if nets(p) == {"3V3", "SCL"})
    meter = Uncertainty(0.01, 0.5)
    assert r10.least == pytest.approx(4700 * 0.95, rel=1e-3) and r10.most == pytest.approx(4700 * 1.05, rel=1e-3)
    said = {4700.0: Level.GO, 10_000.0: Level.STOP, 2_200.0: Level.CARE, 4_920.0: Level.UNKNOWN}
    assert {ohm: r10.value_level(ohm, meter) for ohm in said} == said
    assert r10.value_level(math.inf) is Level.STOP and r10.level(math.inf) is Level.GO
    joint = checks.joints[0]
    rules = {ohm: [j.rule for j in judge_readings([joint], {joint.key: ohm}, meter)] for ohm in (0.3, 2.2, 50.0)}
    assert rules[0.3] == ["test.short"] and rules[2.2] == rules[50.0] == ["test.open"]
    assert judge_readings([joint], {joint.key: 2.2}, meter)[0].level is Level.UNKNOWN
    near = replace(r10, expected=math.inf, least=0.0, most=math.inf)
    assert [near.level(v, meter) for v in (98.0, 100.4, 102.0)] == [Level.STOP, Level.UNKNOWN, Level.GO]
    assert judge_readings([r10], {r10.key: 30.0}, silent={r10.key})[0].level is Level.GO


def test_the_sampling_rule_keeps_its_risk_whatever_the_arrangement() -> None:
    """Boards are bad in runs, as they are in workshops; the draw is at random, a finding ends the rule."""
    rng = random.Random(4)
    serials = [f"b{n}" for n in range(18)]
    for allowed, sure in ((2, 0.9), (4, 0.8)):
        count = boards_to_test(18, allowed, sure)
        assert most_bad(18, count, sure) <= allowed < most_bad(18, count - 1, sure)
        for bad_boards in (allowed + 1, allowed + 3):
            slipped = 0
            for trial in range(4000):
                start = rng.randrange(18)
                bad = {serials[(start + k) % 18] for k in range(bad_boards)}
                tested = set(drawn(serials, count, f"seed {trial}"))
                slipped += not bad & tested
            assert slipped / 4000 <= 1 - sure + 3 * math.sqrt(sure * (1 - sure) / 4000)
    assert boards_to_test(10, 0, 0.9) == 9, "the bound itself is no miss"
    assert drawn(serials, 4, "x", "b0") == drawn(serials, 4, "x", "b0") and "b0" in drawn(serials, 4, "x", "b0")


def test_lots_by_hand() -> None:
    values = [10.0, 10.1, 9.9, 10.0, 10.05, 11.0]
    off = np.abs(np.array(values) - np.median(values))
    assert robust_z(values) == pytest.approx(0.6745 * (np.array(values) - np.median(values)) / np.median(off))
    assert np.isnan(robust_z(values[:5])).all() and not robust_z([3.0] * 9).any()
    many = [*np.linspace(9.0, 11.0, 20)]
    able = capability(many, 8.0, 13.0)
    assert able and able.cpk == pytest.approx((10.0 - 8.0) / (3 * np.std(many, ddof=1)))
    assert capability(many[:19], 8.0, 13.0) is None and capability(many, -math.inf, math.inf) is None
    gain = ratio(Measured(4.0, 0.04), Measured(2.0, 0.04))
    assert gain.uncertainty == pytest.approx(2.0 * math.hypot(0.01, 0.02))
    rng = np.random.default_rng(3)
    alarms = sum((found := drift(rng.normal(size=18))) is not None and found.told for _ in range(2000))
    assert alarms / 2000 < 0.015 and drift(np.arange(9) * 0.1 + rng.normal(0, 0.05, 9)).told  # type: ignore[union-attr]


def test_the_instrument_comes_first_when_many_fail_alike() -> None:
    def of(values: list[float], reference: tuple[float, ...] = ()) -> list[str]:
        rows = [Taken(f"b{n}", "3V3", v, "V", 3.2, 3.4) for n, v in enumerate(values)]
        rows += [Taken("golden", "3V3", v, "V", 3.2, 3.4) for v in reference]
        return [j.rule for j in judge_lots(lots(rows)) if j.level in (Level.CARE, Level.STOP)]

    even = [3.30, 3.31, 3.29, 3.30, 3.32, 3.28, 3.30]
    assert of(even) == [] and judge_lots(lots([Taken("b", "x", 1.0)]))[0].level is Level.UNKNOWN
    assert of([*even[:-1], 3.7]) == ["test.reading", "test.odd"], "one board alone is that board"
    assert "test.instrument" in of([3.5, 3.51, 3.49, 3.52, 3.3, 3.3]) and "test.instrument" in of(even, (3.1,))
    assert "test.instrument" in of([3.25 + 0.01 * n for n in range(8)])
    moved = [Taken("golden", "3V3", v, "V", 3.2, 3.4, 0.005) for v in (3.30, 3.33)]
    assert lots([*moved, *(Taken(f"b{n}", "3V3", v, "V", 3.2, 3.4) for n, v in enumerate(even))])[0].instrument_first


def test_first_power_by_what_parts_draw(heron: Design) -> None:
    fitted = [p for p in heron.parts if p.populated]
    draw = expected_draw(fitted, {"U1": 12.0, "SR-0422": 4.0})
    assert draw.milliamps == 16.0 and {"U2", "Q1", "D2"} <= set(draw.unknown) and "R1" not in draw.unknown
    low, full = power_steps(9.0, current_limit(draw, 1.5))
    assert low.volts < full.volts == 9.0 and full.most_ma == 24.0
    assert power_level(full, 9.0, 12.0, 10.0) is Level.GO and power_level(full, 9.0, 12.0, 3.0) is Level.UNKNOWN
    assert power_level(full, 9.0, 24.0, 10.0) is power_level(full, 8.5, 12.0, 10.0) is Level.STOP
    assert power_level(full, 12.0, 12.0, 10.0) is Level.STOP, "a supply set too high"
    assert power_level(full, math.nan, 1.0, 10.0) is Level.UNKNOWN


PANELS = st.tuples(st.integers(1, 4), st.integers(1, 4), st.sampled_from([0.0, 2.0]), st.sampled_from([0.0, 5.0]))


@given(PANELS)
def test_cuts_never_strand_a_board(made: tuple[int, int, float, float]) -> None:
    """By geometry: each cut crosses the piece in hand from edge to edge, and in the end every board is alone."""
    columns, rows, strip, rail = made
    wide, high = 20.0, 12.0
    width, height = 2 * rail + columns * wide + (columns - 1) * strip, rows * high
    xs = {round(rail + c * (wide + strip) + e, 6) for c in range(columns) for e in (0.0, wide)} - {0.0, width}
    ys = {r * high for r in range(1, rows)}
    scores = [((x, 0.0), (x, height)) for x in xs] + [((0.0, y), (width, y)) for y in ys]
    panel = Panel(columns, rows, wide + strip, high, rail, 0.0, width, height, wide, high, scores=tuple(scores))
    found = cut_order(panel)
    pieces = [box(0, 0, width, height)]
    for cut in found.cuts:
        x1, y1, x2, y2 = cut.ends
        (piece,) = [p for p in pieces if p.equals(box(*cut.piece))]
        px0, py0, px1, py1 = piece.bounds
        assert (y1, y2) == (py0, py1) if x1 == x2 else (x1, x2) == (px0, px1), "from edge to edge"
        pieces.remove(piece)
        pieces += [box(*half) for half in cut.line.parts(cut.piece)]
        assert sum(p.area for p in pieces) == pytest.approx(width * height)
    assert not found.stranded
    for cell in panel.cells:
        board = box(*panel.box(cell))
        assert any(p.symmetric_difference(board).area < SAME_MM for p in pieces), (
            "each board is out, and nothing else on it"
        )


def test_herons_cuts_by_hand_where_the_receptacle_overhangs(heron: Design, tmp_path: Path) -> None:
    plan = plan_cuts(heron, heron_panel(), [p for p in heron.parts if p.populated])
    by_hand = {s.ends[0] for s in plan.strokes if s.tool == HAND}
    assert by_hand == {7.0, 53.0, 99.0}, "J1 overhangs at the left of each column"
    assert len(plan.strokes) == 9 and {(s.ref, s.level) for s in plan.care} == {("C2", Level.STOP), ("C3", Level.CARE)}
    c2 = next(s for s in plan.care if s.ref == "C2")
    assert c2.away == pytest.approx(31.0 - 28.9 - 0.4) and not c2.across
    apart = replace(heron_panel(), scores=(((0.0, 31.0), (150.0, 31.0)), ((51.0, 0.0), (51.0, 20.0))))
    assert plan_cuts(heron, apart, []).order.stranded, "a score that ends inside strands what it should part"


def test_what_nobody_knows_is_no_go(heron: Design) -> None:
    """A body nobody knows, a panel without parts, boards on tabs alone, a netlist without ground."""
    panel, fitted = heron_panel(), [p for p in heron.parts if p.populated and p.ref not in ("C2", "C3")]
    levels = lambda parts, panel: [j.level for j in judge_cuts(plan_cuts(heron, panel, parts), panel)]  # noqa: E731
    assert levels(fitted, panel) == [Level.GO]
    strange = replace(fitted[0], package=replace(fitted[0].package, known=False))
    assert levels([strange, *fitted[1:]], panel) == levels([], panel) == [Level.UNKNOWN]
    pair = Panel(2, 1, 46, 31, 0, 0, 90, 31, 44, 31, tabs=((45, 10, 3.0), (45, 20, 3.0)))
    on_tabs = plan_cuts(heron, pair, fitted)
    assert not on_tabs.order.stranded and {s.ends[0] for s in on_tabs.strokes} == {44.0, 46.0}
    assert plan_cuts(heron, replace(pair, tabs=((-1, 10, 3.0),)), fitted).order.stranded, "the second hangs on nothing"
    assert judge_supply(checks_of(heron)) == []
    (asked,) = judge_supply(replace(checks_of(heron), ground=None))
    assert asked.level is Level.UNKNOWN


def test_cuts_that_no_file_earns(heron: Design) -> None:
    """A frame without scores, rails that no score parts, a panel of other boards, scores that end inside, no panel."""
    fitted = [p for p in heron.parts if p.populated and p.ref not in ("C2", "C3")]

    def told(panel: Panel | None) -> list[tuple[str, str]]:
        plan = plan_cuts(heron, panel or single(44.0, 31.0), fitted)
        assert panel or not plan.overhangs or {p for p, _ in plan.overhangs} == {"J1"}
        return [(j.level.value, j.says.case) for j in judge_cuts(plan, panel)]

    framed = Panel(1, 1, 44, 31, 5, 5, 54, 41, 44, 31)
    assert told(framed) == told(None) == [("unknown", "cuts unknown")] and told(single(44, 31)) == [("go", "no panel")]
    pair = Panel(2, 1, 44, 31, 0, 5, 88, 41, 44, 31, scores=(((44, 0), (44, 41)),))
    assert told(pair) == [("stop", "no free edge")], "both keep their rails"
    assert told(replace(pair, scores=(((44, 10), (44, 20)),))) == [("stop", "no free edge")]
    rails = (((0, 5), (88, 5)), ((0, 36), (88, 36)))
    assert told(replace(pair, scores=(*pair.scores, *rails))) == [("go", "all cuts clear")]
    other = replace(heron_panel(), board_w=30.0, board_h=20.0)
    assert ("stop", "board size differs") in told(other)
    assert "board size differs" in {j.says.case for j in judge_files(replace(heron, panel=other), [])}
    assert not judge_board_size(heron, replace(heron_panel(), board_w=44.1))


def test_verbs_of_proof(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    def told(*words: str) -> dict[str, object]:
        assert main([*words, "--json"]) == 0
        return json.loads(capsys.readouterr().out)["data"]  # type: ignore[no-any-return]

    data = told("probes", str(HERON), "--minutes", "2")
    rows = [*data["pairs"], *data["rails"], *data["connect"], *data["values"]]  # type: ignore[misc]
    assert all(0 < r["chance"] < 1 and r["seconds"] > 0 for r in rows) and data["plan_seconds"] <= 120  # type: ignore[operator]
    assert len(data["unproven"]) + len(data["plan"]) == len({(r["a"], r["b"]) for r in rows})  # type: ignore[arg-type]
    text = "board,measurement,value,unit,low,high\n"
    text += "".join(f"b{n},gain,{2000 + 3 * (n % 5)} mV,,,\n".replace(" mV,", ",mV") for n in range(24))
    (tmp_path / "r.csv").write_text(f"{text}b30,gain,2.9,V,1.8,2.4\n")
    data = told("readings", str(tmp_path / "r.csv"))
    (odd,) = data["odd"]  # type: ignore[misc]
    assert odd["board"] == "b30" and odd["value"] == pytest.approx(2900) and data["cpk"] == {"gain": None}
    (tmp_path / "bad.csv").write_text("board,measurement,value,unit\nb1,gain,much,V\n")
    assert main(["readings", str(tmp_path / "bad.csv")]) == 2 and "line 2" in capsys.readouterr().err
    data = told("cuts", str(HERON))
    assert [c["order"] for c in data["cuts"]] == [*range(1, 10)] and data["care"][0]["ref"] == "C2"  # type: ignore[index, attr-defined]
