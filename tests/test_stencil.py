"""The stencil's science: alignment, where paste lands, jars, dots, drift, reductions; by closed forms, a second method
or simulation.
"""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from scipy.integrate import quad
from scipy.spatial.distance import pdist

from fusilex.core.convex import shared_area
from fusilex.core.design.model import Design, Pad
from fusilex.core.evidence import GRADES, Level
from fusilex.core.printing.alignment import Alignment, frame_moves, judge_looks, lies, moved, moves
from fusilex.core.printing.apertures import Apertures, apertures_of, narrowest
from fusilex.core.printing.choosing import ways_of
from fusilex.core.printing.dots import dot_volume, judge_dots, judge_needle, plan_dots, weighed_dot
from fusilex.core.printing.jig import blade_mm, edge_excess, judge_blade, judge_step, surround
from fusilex.core.printing.landing import judge_landing, landed, lands_of
from fusilex.core.printing.looking import Mark, fine_parts, judge_print, look_order
from fusilex.core.printing.looks import fine_enough, spread, telling_places
from fusilex.core.printing.paste import PASTES, transfer
from fusilex.core.printing.reduce import reduced, reductions
from fusilex.core.printing.risks import changed, ground_of, judge_missing, judge_risks, judge_windows, risks
from fusilex.core.printing.tinning import plan_tinning, wire_mm
from fusilex.core.printing.weighing import judge_weights, measured_transfer, middle_for, run_chart
from fusilex.core.tours import length, path_bound, short_path
from fusilex.core.wet_paste.ahead import Pace, Waiting, judge_ahead, may_print, pace_of
from fusilex.core.wet_paste.air import dew_point, judge_room
from fusilex.core.wet_paste.jar import (
    LIFE,
    MONTH_H,
    JarState,
    gaps,
    inside_now,
    judge_jar,
    life_h,
    life_used,
    warm_up_min,
)
from fusilex.formats.layers.gerber import read_gerber
from fusilex.formats.written.paste_layer import paste_gerber

BOX, MIDDLE = (0.0, 0.0, 44.0, 31.0), (22.0, 15.5)


def displaced(at: np.ndarray, dx: float, dy: float, turn_deg: float, stretch: float = 0.0) -> np.ndarray:
    """How far paste lies off, by complex numbers: a second way round."""
    p = at[:, 0] + 1j * at[:, 1] - complex(*MIDDLE)
    off = (1 + stretch) * np.exp(1j * np.radians(turn_deg)) * p + complex(dx, dy) - p
    return np.column_stack([off.real, off.imag])


PLACES = np.array([[3.0, 4.0], [41.0, 6.0], [39.0, 28.0], [5.0, 25.0]])


@given(
    st.floats(-0.5, 0.5),
    st.floats(-0.5, 0.5),
    st.floats(-2, 2),
    st.floats(-0.003, 0.003),
    st.sampled_from(("top", "bottom", "left", "right")),
)
def test_the_foil_is_found_as_it_lies_and_moved_back(
    dx: float, dy: float, turn: float, grow: float, hinge: str
) -> None:
    found = lies(PLACES, displaced(PLACES, dx, dy, turn, grow), MIDDLE)
    assert (found.dx, found.dy, found.rotation_deg, found.stretch) == pytest.approx((dx, dy, turn, grow), abs=1e-7)
    two = lies(PLACES[:2], displaced(PLACES[:2], dx, dy, turn), MIDDLE)
    assert (two.dx, two.dy, two.rotation_deg, two.stretch) == pytest.approx((dx, dy, turn, 0), abs=1e-7)
    anywhere = np.array([[11.0, 27.0], [30.0, 2.0]])
    assert found.at(anywhere) == pytest.approx(displaced(anywhere, dx, dy, turn, grow), abs=1e-7)
    made = moves(two, BOX, hinge)
    for move in made:  # the point of the foil that belongs at the hinge's end goes there
        assert displaced(np.array([move.at]), dx, dy, turn)[0] + (move.x, move.y) == pytest.approx((0, 0), abs=1e-7)
        assert move.tape == (move.x if hinge in ("top", "bottom") else move.y)
    assert moved(two, made) == pytest.approx((0, 0, 0), abs=1e-7)
    stops = frame_moves(two, BOX, hinge)
    assert len(stops) == 3 and all(s.x == 0 or s.y == 0 for s in stops)


@pytest.mark.parametrize("count", [2, 3, 4, 6])
def test_what_95_per_cent_stay_within_covers_what_it_claims(count: int) -> None:
    """2,000 readings with 0.02 mm of scatter: 93 to 97 % of the intervals hold the truth."""
    dice = np.random.default_rng(7)
    at = np.vstack([PLACES, [[22.0, 3.0], [20.0, 29.0]]])[:count]
    grow = 0.0 if count == 2 else 5e-4
    truth = {"dx_mm": 0.08, "dy_mm": -0.05, "rotation_deg": 0.3, "stretch": grow}
    inside: dict[str, int] = dict.fromkeys(truth, 0)
    for _ in range(2_000):
        seen = displaced(at, 0.08, -0.05, 0.3, grow) + dice.normal(0, 0.02, (count, 2))
        found = lies(at, seen, MIDDLE)
        values = (found.dx, found.dy, found.rotation_deg, found.stretch)
        for (name, true), value in zip(truth.items(), values, strict=True):
            inside[name] += abs(value - true) <= found.within95[name]
    for name, hits in inside.items():
        assert (name == "stretch" and count == 2) or 0.93 <= hits / 2_000 <= 0.97, (name, hits)


def test_looks_that_do_not_agree_are_told_from_a_foil_that_lies_wrong() -> None:
    at = np.vstack([PLACES, [[22.0, 3.0], [20.0, 29.0]]])
    noise = np.random.default_rng(1).normal(0, 0.004, (6, 2))
    assert judge_looks(lies(at, displaced(at, 0.1, 0.1, 0.5) + noise, MIDDLE)) == []
    wrong = displaced(at, 0.1, 0.1, 0.5) + noise
    wrong[2] += (0.3, -0.2)
    (misread,) = judge_looks(lies(at, wrong, MIDDLE))
    assert misread.rule == "print.misread" and misread.subject == "look 3" and misread.level is Level.STOP
    (long,) = judge_looks(lies(at, displaced(at, 0, 0, 0, 0.003) + noise, MIDDLE))
    assert long.rule == "print.stretch" and "larger" in long.headline
    twice = np.vstack([at, at[:1]])
    slipped = np.vstack([displaced(at, 0.1, 0, 0), [[-0.1, 0.02]]])
    assert [j.rule for j in judge_looks(lies(twice, slipped, MIDDLE))] == ["print.slip"]
    clean = sum(
        bool(judge_looks(lies(at, displaced(at, 0.1, 0, 0.2) + dice.normal(0, 0.02, (6, 2)), MIDDLE)))
        for dice in map(np.random.default_rng, range(300))
    )
    assert clean / 300 < 0.08, "looks that scatter as eyes do are seldom called wrong, or a stretch"
    for places, seen in (
        ([(1, 1)], [(0, 0)]),
        ([(1, 1), (1.2, 1)], [(0, 0), (0, 0)]),
        ([(0, 0), (9, 9)], [(0, math.nan)] * 2),
    ):
        with pytest.raises(ValueError):
            lies(places, seen, MIDDLE)


def test_places_that_tell_most_are_those_of_the_greatest_determinant() -> None:
    """Against all sets, by the information matrix itself, which `spread` stands for."""
    at = np.random.default_rng(3).uniform(0, 40, (14, 2))

    def information(some: tuple[int, ...]) -> float:
        rows = [[[1, 0, -y, x], [0, 1, x, y]] for x, y in at[list(some)]]
        design = np.array(rows).reshape(-1, 4)[:, : 3 if len(some) == 2 else 4]
        return float(np.linalg.det(design.T @ design))

    for count in (2, 3, 4):
        best = max(itertools.combinations(range(14), count), key=information)
        assert information(tuple(telling_places(at, count))) == pytest.approx(information(best))
    many = np.random.default_rng(4).normal(0, 9, (3_000, 2))
    chosen = telling_places(many, 4)
    tried = [many[dice.choice(3_000, 4, replace=False)] for dice in map(np.random.default_rng, range(4_000))]
    assert len(set(chosen)) == 4 and spread(many[chosen]) > 1.2 * max(map(spread, tried))
    assert fine_enough([0.25, 0.9, 0.6, 1.2]).tolist() == [0, 2] and fine_enough([2.0, 3.0]).tolist() == [0]


def board(
    *pads: tuple[str, str, float, float, float, float], shift: float = 0.0, net: bool = True
) -> tuple[Apertures, list[Pad]]:
    """Pads (part, net, x, y, width, height) with apertures of their size, and these shifted in x."""
    made = [
        Pad(ref, str(n), "top", shapely.box(x, y, x + w, y + h), of if net else None)
        for n, (ref, of, x, y, w, h) in enumerate(pads)
    ]
    shapes = np.array([shapely.affinity.translate(p.polygon, shift) for p in made], dtype=object)
    at = shapely.get_coordinates(shapely.centroid(shapes))
    own = np.arange(len(made))
    names = tuple(p.ref for p in made), tuple(p.pin for p in made)
    return Apertures(
        "top",
        shapes,
        *names,
        at[:, 0],
        at[:, 1],
        shapely.area(shapes),
        shapely.length(shapes),
        narrowest(shapes),
        (),
        own,
    ), made


def row(shift: float = 0.0) -> tuple[Apertures, list[Pad]]:
    """Four pads of 0.25 × 0.8 mm at 0.5 mm pitch."""
    return board(*[("U1", f"N{n}", 0.5 * n, 0.0, 0.25, 0.8) for n in range(4)], shift=shift)


def shifted(dx: float, dy: float = 0.0) -> Alignment:
    return lies(PLACES, displaced(PLACES, dx, dy, 0), MIDDLE)


@pytest.mark.parametrize(
    ("dx", "level"),
    [(0.0, "go"), (0.051, "go"), (0.07, "care"), (0.11, "care"), (0.13, "stop"), (-0.07, "care"), (0.3, "stop")],
)
def test_share_and_gap_of_a_shifted_row_by_hand(dx: float, level: str) -> None:
    apertures, pads = row()
    made = landed(lands_of(apertures, pads), shifted(dx))
    assert made.on_pad == pytest.approx([max(0.0, 1 - abs(dx) / 0.25)] * 4, abs=1e-9)
    assert made.gap[1:3] == pytest.approx([max(0.0, 0.25 - abs(dx))] * 2, abs=1e-9)
    assert [GRADES[k].value for k in made.levels[1:3]] == [level] * 2
    judged = judge_landing(made)[0]
    assert judged.level.value == level and judged.refs == ("U1",)


def test_what_the_looks_cannot_tell_is_no_go() -> None:
    apertures, pads = row()
    lands = lands_of(apertures, pads)
    seen = displaced(PLACES[:2], 0.0, 0.0, 0.0)
    seen[0, 0] += 0.05  # two places that do not quite agree: one degree of freedom
    vague = landed(lands, lies(PLACES[:2], seen, MIDDLE))
    assert {GRADES[k] for k in vague.levels} == {Level.UNKNOWN}
    sure = landed(lands, lies(np.vstack([PLACES, PLACES + 1]), np.zeros((8, 2)), MIDDLE))
    assert {GRADES[k] for k in sure.levels} == {Level.GO}
    one_net, same = board(*[("U1", "GND", 0.5 * n, 0.0, 0.25, 0.8) for n in range(4)])
    assert np.isinf(lands_of(one_net, same).drawn).all(), "what is one net anyway cannot be bridged"
    alone = lands_of(*board(("U1", "A", 0, 0, 0.25, 0.8)))
    (near,) = landed(alone, shifted(0.058)).levels  # 76.8 %, and read to a hundredth
    assert GRADES[near] is Level.UNKNOWN and GRADES[landed(alone, shifted(0.049)).levels[0]] is Level.GO
    bare, _ = row()
    half = landed(lands_of(replace(bare, pad=np.array([0, 1, 2, -1])), pads), None)
    assert [j.level for j in judge_landing(half)] == [Level.UNKNOWN], "one opening lies nobody knows where"
    nothing = landed(lands_of(replace(bare, pad=np.full(4, -1)), []), shifted(0))
    assert nothing.worst is None and judge_landing(nothing)[0].level is Level.UNKNOWN


def test_a_foil_that_lies_far_off_meets_pads_that_were_no_neighbours() -> None:
    """A pad of 3 mm pushed 0.95 mm towards one that lies 0.9 mm off: nothing of the gap is left."""
    apertures, pads = board(("L1", "A", 0, 0, 3, 3), ("L2", "B", 3.9, 0, 3, 3))
    lands = lands_of(apertures, pads)
    assert np.isinf(lands.drawn).all()
    made = landed(lands, shifted(0.95))
    assert made.gap[0] == 0 and GRADES[made.levels[0]] is Level.STOP and made.on_pad[0] == pytest.approx(2.05 / 3)


def test_following_the_moves_brings_every_aperture_inside_its_limits(heron: Design) -> None:
    """Heron's top under 60 seeded misalignments, read with 0.01 mm of scatter at four places: after one round of moves,
    made to a hundredth, everything lies on its pad.
    """
    apertures = apertures_of(heron, "top")
    lands = lands_of(apertures, heron.pads)
    fine = fine_enough(apertures.width)
    at = np.column_stack([apertures.x, apertures.y])
    at = at[fine][telling_places(at[fine], 4)]
    dice = np.random.default_rng(11)
    bad = 0
    for _ in range(60):
        dx, dy, turn = dice.uniform(-0.3, 0.3), dice.uniform(-0.3, 0.3), dice.uniform(-1, 1)
        seen = displaced(at, dx, dy, turn) + dice.normal(0, 0.01, (4, 2))
        before = lies(at, seen, MIDDLE)
        rounded = [replace(m, x=round(m.x, 2), y=round(m.y, 2)) for m in moves(before, BOX)]
        truth = lies(PLACES, displaced(PLACES, dx, dy, turn), MIDDLE)
        left = moved(truth, rounded)
        after = lies(PLACES, displaced(PLACES, *left), MIDDLE)
        bad += int((landed(lands, after).levels != 0).any())
    assert bad <= 3, "19 of 20 at least"


def test_shares_of_any_shapes_against_the_general_overlay() -> None:
    dice = np.random.default_rng(2)

    def shapes(corners: int) -> np.ndarray:
        made = [shapely.convex_hull(shapely.multipoints(dice.uniform(-1, 1, (corners, 2)))) for _ in range(400)]
        return np.array(
            [
                *made,
                *(
                    shapely.box(*np.sort(dice.integers(0, 6, 4).reshape(2, 2), axis=0).ravel() / 4 + (0, 0, 0.25, 0.25))
                    for _ in range(400)
                ),
            ],
            dtype=object,
        )

    for a, b in ((shapes(5), shapes(9)), (shapes(30), shapes(4))):
        for first, second in ((a, b), (b, a), (a, a)):
            assert shared_area(first, second) == pytest.approx(
                shapely.area(shapely.intersection(first, second)), abs=1e-9
            )
    bent = shapely.difference(shapely.box(0, 0, 4, 4), shapely.box(1, 1, 3, 5))
    holed = shapely.difference(shapely.box(0, 0, 4, 4), shapely.box(1, 1, 3, 3))
    pair = np.array([bent, holed], dtype=object)
    assert shared_area(pair, np.array([shapely.box(0, 0, 4, 2)] * 2, dtype=object)) == pytest.approx([6.0, 6.0])


def test_life_warmth_and_dew_point_against_tables_and_integrals() -> None:
    for celsius, humidity, table in (
        (20, 40, 6.0),
        (20, 60, 12.0),
        (22, 50, 11.1),
        (25, 60, 16.7),
        (30, 80, 26.2),
        (15, 100, 15.0),
    ):
        assert dew_point(celsius, humidity) == pytest.approx(table, abs=0.1), "psychrometric tables"
    assert life_used([0, MONTH_H], [25, 25]) == pytest.approx(1.0)
    assert life_used([0, 6 * MONTH_H], [4, 4]) == pytest.approx(1.0)
    assert float(life_h(17.5)) == pytest.approx(MONTH_H * math.sqrt(6)), "log-linear: the geometric mean half-way"
    time, temp = [0.0, 10.0, 30.0, 31.0, 90.0], [4.0, 12.0, 31.0, 22.0, 8.0]
    whole = quad(lambda t: 1 / float(life_h(np.interp(t, time, temp))), 0, 90, points=time, limit=400)[0]
    assert life_used(time, temp) == pytest.approx(whole, rel=1e-6)
    with pytest.raises(ValueError):
        life_used([0, 2, 1], [5, 5, 5])
    with pytest.raises(ValueError):
        life_h(20, [(10, 100), (5, 200)])
    # the jar follows the air: against many small steps
    here, step = temp[0], 1e-3
    for t in np.arange(0, 90, step):
        here += step / 1.0 * (np.interp(t, time, temp) - here)
    assert inside_now(time, temp) == pytest.approx(here, abs=0.02)
    assert warm_up_min(5, 22) == pytest.approx(60 * math.log(17 / 2)) and warm_up_min(20.5, 22) == 0
    assert warm_up_min(5, 22, 95) == pytest.approx(60 * math.log(17 / (22 - dew_point(22, 95)))), (
        "damp air: until the dew point"
    )
    assert warm_up_min(5, 22, tau_h=0.25) == pytest.approx(15 * math.log(17 / 2)) and math.isinf(
        warm_up_min(5, 22, 100)
    )
    hourly = [*range(48), *range(120, 168)]
    assert gaps(hourly) == [(47.0, 120.0)] and gaps(range(48)) == []


def test_a_jar_is_judged_by_its_life_its_warmth_and_its_label() -> None:
    good = JarState("jar 1", "leaded", 0.3, 21.5, 100.0, 2.0, True)
    assert [j.level for j in judge_jar(good, 22, 50)] == [Level.GO]
    for changed_to, rule, level in (
        ({"life": 0.81}, "jar.life", Level.CARE),
        ({"life": 1.01}, "jar.life", Level.STOP),
        ({"life": None}, "jar.life", Level.UNKNOWN),
        ({"unknown_h": 20.0}, "jar.life", Level.UNKNOWN),
        ({"whole": False}, "jar.life", Level.UNKNOWN),
        ({"coldest_c": -8.0}, "jar.frozen", Level.UNKNOWN),
        ({"now_c": 12.0}, "jar.cold", Level.STOP),
        ({"now_c": None}, "jar.cold", Level.UNKNOWN),
        ({"expired": True}, "jar.expired", Level.STOP),
        ({"opened_h": 30.0}, "jar.opened", Level.CARE),
        ({"stirred": False}, "jar.stirred", Level.CARE),
    ):
        (found,) = judge_jar(replace(good, **changed_to), 22, 50)
        assert (found.rule, found.level) == (rule, level)
    for room in ({"humidity": None}, {"humidity": 50.0, "room_said": False}):
        (found,) = judge_jar(good, 22.0, **room)
        assert (found.rule, found.level) == ("jar.cold", Level.UNKNOWN), "nobody knows the dew point"
    levels = [
        [j.level.value for j in judge_room(c, rh)]
        for c, rh in ((23, 50), (18, 50), (14, 50), (28, 50), (23, 15), (23, 80), (23, None))
    ]
    assert levels == [["go"], ["care"], ["stop"], ["care"], ["care"], ["stop"], ["unknown"]]


def test_a_way_over_all_places_is_near_its_bound_and_the_best_of_few(long_run: bool) -> None:
    dice = np.random.default_rng(5)
    for _ in range(12 if long_run else 4):
        at = dice.uniform(0, 30, (7, 2))
        best = min(length(at, order) for order in itertools.permutations(range(7)))
        bound, found = path_bound(at), length(at, short_path(at))
        assert bound <= best + 1e-9 and best - 1e-9 <= found <= 1.12 * best and bound >= 0.8 * best
    many = dice.uniform(0, 60, (300, 2))
    order = short_path(many, start=17)
    assert sorted(order.tolist()) == list(range(300)) and order[0] == 17
    assert path_bound(many) <= length(many, order) <= 1.12 * path_bound(many)
    line = np.column_stack([np.arange(40.0), np.zeros(40)])
    assert length(line, short_path(line)) == pytest.approx(39) == pytest.approx(path_bound(line))
    assert path_bound([(1, 1), (1, 1)]) == 0 and len(short_path(np.zeros((0, 2)))) == 0 and pdist(many).min() > 0


def test_dots_match_what_a_stencil_would_leave(heron: Design) -> None:
    apertures = apertures_of(heron, "top")
    plan = plan_dots(apertures, 0.12, dot_volume(0.41))
    whole = float(np.sum(apertures.area * 0.12 * transfer(apertures.area_ratio(0.12))))
    assert plan.volume.sum() == pytest.approx(whole) and (plan.dots >= 1).all()
    pads = {(r, p) for r, p in zip(apertures.refs, apertures.pins, strict=True)}
    assert set(plan.names) == pads and len(plan.names) == len(pads), "windows of a pad are one pad"
    big = int(np.argmax(plan.volume))
    assert plan.dots[big] == round(plan.volume[big] / plan.dot_mm3)
    assert plan.bound_mm <= plan.path_mm <= 1.15 * plan.bound_mm
    assert dot_volume(0.82) == pytest.approx(8 * dot_volume(0.41)), "twice the bore, eight times the dot"
    assert weighed_dot(20 * 0.05 * PASTES["leaded"].density / 1000, PASTES["leaded"]) == pytest.approx(0.05)
    assert [judge_needle(b, t).level.value for b, t in ((0.41, 3), (0.25, 3), (0.25, 5), (0.08, 6), (0.41, None))] == [
        "go",
        "stop",
        "go",
        "stop",
        "unknown",
    ]
    (small,) = judge_dots(plan)
    assert small.level is Level.CARE and small.refs == ("U1",)
    assert judge_dots(plan, 15.0)[1].rule == "dots.cold"


def test_every_pad_is_tinned(heron: Design) -> None:
    """One pad of a QFN's 33 is no paste for it: what gets no solder, no heat melts."""
    apertures = apertures_of(heron, "top")
    made = plan_tinning(apertures)
    assert sorted(made.names) == sorted(zip(apertures.refs, apertures.pins, strict=True))
    assert len(made.order) == len(apertures) and sum(ref == "U1" for ref, _ in made.names) >= 33
    assert made.volume == pytest.approx(apertures.area * 0.05) and made.bound_mm <= made.path_mm <= 1.2 * made.bound_mm
    assert wire_mm(math.pi * 0.25**2 * 0.9 * 7) == pytest.approx(7), "seven millimetres of half-millimetre wire"


def test_drift_is_found_soon_and_seldom_for_nothing() -> None:
    """A seeded tenth less paste after ten prints at 3 % scatter is found within six (median); without any, fewer than
    one print in a hundred is called wrong.
    """
    dice = np.random.default_rng(9)
    found = []
    for _ in range(120):
        y = dice.normal(0, 0.03, 30)
        y[10:] += math.log(0.9)
        late = [a for a in run_chart(np.exp(y)).alarms if a.index >= 10]
        found.append(late[0].index - 9 if late else 99)
        assert not late or late[0].less
    assert np.median(found) <= 6 and np.mean(np.array(found) > 15) < 0.05
    stays = run_chart(np.exp(np.concatenate([dice.normal(0, 0.02, 8), dice.normal(math.log(0.9), 0.02, 120)])))
    assert len([a for a in stays.alarms if a.index >= 20]) == 108, "what is at alarm does not become usual"
    charts = [run_chart(np.exp(dice.normal(0, 0.03, 60))) for _ in range(150)]
    judged = sum(int(np.isfinite(c.score).sum()) for c in charts)
    assert sum(len(c.alarms) for c in charts) / judged <= 0.011
    y = np.exp(dice.normal(0, 0.01, 12))
    y[9] *= 1.2
    assert run_chart(y, apart=[9]).alarms == () and [a.index for a in run_chart(y).alarms][:1] == [9]
    assert np.isnan(run_chart(y[:4]).score).all() and np.isfinite(run_chart(y[:1], history=y).score).all()


def test_the_transfer_and_the_middle_of_its_curve_are_found_again(heron: Design) -> None:
    apertures = apertures_of(heron, "top")
    volume, ratio = apertures.area * 0.12, apertures.area_ratio(0.12)
    for middle in (0.35, 0.5, 0.62):
        share = float(np.sum(volume * transfer(ratio, middle)) / np.sum(volume * transfer(ratio)))
        assert middle_for(apertures, 0.12, share) == pytest.approx(middle, abs=1e-6)
    assert math.isnan(middle_for(apertures, 0.12, 5.0))
    dice = np.random.default_rng(4)
    inside = 0
    for _ in range(1_500):
        found = measured_transfer(100 * dice.normal(0.93, 0.04, 6), 100.0, apertures, 0.12)
        inside += abs(found.factor - 0.93) <= found.within95
    assert 0.93 <= inside / 1_500 <= 0.97
    falling = np.array([1.0, 1.01, 0.99, 1.0, 1.01, 0.99, 0.9, 0.89, 0.9])
    judged = judge_weights(run_chart(falling), measured_transfer(100 * falling, 100, apertures, 0.12), 100)
    assert judged[0].rule == "print.drift" and judged[0].level is Level.CARE and "Less paste" in judged[0].headline
    alike = run_chart([1.0] * 8 + [0.9])
    assert [a.index for a in alike.alarms] == [8], "prints that a coarse scale shows alike are history too"
    last = run_chart([*falling[:6], 1.0], apart=[6])
    assert judge_weights(last, found, 100)[0].level is Level.UNKNOWN, "a first print says nothing of the next"
    assert judge_weights(run_chart(falling[:3]), found, 100)[0].level is Level.UNKNOWN
    with pytest.raises(ValueError):
        measured_transfer([100, -1], 100, apertures, 0.12)


def test_powder_land_web_and_what_is_missing() -> None:
    apertures, pads = row()
    ground = ground_of(lands_of(apertures, pads))
    assert ground.web == pytest.approx([0.25] * 4) and ground.beyond == pytest.approx([0.0] * 4)
    assert risks(ground, 0.1, 3).levels.tolist() == [0] * 4, "five balls of 45 µm in 0.25 mm"
    coarse = risks(ground_of(lands_of(*board(("U1", "A", 0, 0, 0.2, 0.8)))), 0.1, 3)
    assert coarse.levels.tolist() == [2] and judge_risks(coarse, 3)[0].rule == "print.powder"
    thick = risks(ground, 0.16, 4)
    assert changed(risks(ground, 0.1, 4), thick) == {"U1": (Level.GO, Level.STOP)}
    assert risks(ground, 0.16, 4, coated=True).levels.max() < 2, "a coated foil releases from 0.5 on"
    beside, on = row(shift=0.05)
    over = risks(ground_of(lands_of(beside, on)), 0.1, 4)
    assert over.beyond == pytest.approx([0.2] * 4) and judge_risks(over, 4)[0].rule == "print.land"
    close = ground_of(lands_of(*board(("R1", "A", 0, 0, 1, 1), ("R1", "B", 1.12, 0, 1, 1))))
    assert risks(close, 0.1, 4).levels.tolist() == [1, 1] and close.web == pytest.approx([0.12, 0.12])


def test_apertures_made_better_read_back_to_the_same_areas(heron: Design) -> None:
    wide = board(("U1", "A", 0, 0, 4, 4), ("R1", "B", 6, 0, 1, 1), ("R1", "C", 7.1, 0, 1, 1))
    apertures, pads = wide
    (windows,) = judge_windows(lands_of(apertures, pads))
    assert windows.refs == ("U1",) and "undivided" in windows.headline
    made = reductions(ground_of(lands_of(apertures, pads)), 0.12)
    assert [(r.ref, len(r.polygons)) for r in made] == [("U1", 4), ("R1", 2)]
    assert made[0].share(apertures) == pytest.approx(0.65, abs=0.01) and made[1].share(apertures) == pytest.approx(0.9)
    polygons, names = reduced(apertures, made)
    after = read_gerber(paste_gerber(polygons, names, "top", "board").encode(), "p.gbr", "paste", "top")
    assert shapely.area(after.polygons) == pytest.approx(shapely.area(polygons), rel=1e-6)
    assert [p[0] for p in after.pins if p] == [ref for ref, _ in names]
    assert len(shapely.get_parts(shapely.union_all(polygons))) == 6, "webs stay between the windows"
    for side in ("top", "bottom"):
        here = apertures_of(heron, side)
        same, names = reduced(here, reductions(ground_of(lands_of(here, heron.pads)), 0.12))
        back = read_gerber(paste_gerber(same, names, side).encode(), "p.gbr", "paste", side)
        assert np.sort(shapely.area(back.polygons)) == pytest.approx(np.sort(shapely.area(same)), rel=1e-6)
    hostile = paste_gerber(polygons[:1], [("R1*%\nG04", "1,2")], "top", "x*%M02*")
    assert read_gerber(hostile.encode(), "p.gbr", "paste", "top").pins[0] is not None and hostile.count("M02*") == 1


def test_parts_without_apertures_are_missed(heron: Design) -> None:
    apertures = apertures_of(heron, "top")
    assert judge_missing(lands_of(apertures, heron.pads), heron.parts) == []
    without = np.array(
        [ref != "C5" and (ref, pin) != ("U2", "1") for ref, pin in zip(apertures.refs, apertures.pins, strict=True)]
    )
    kept = np.flatnonzero(without)
    fewer = Apertures(
        "top", apertures.polygons[kept], tuple(apertures.refs[i] for i in kept), tuple(apertures.pins[i] for i in kept),
        apertures.x[kept], apertures.y[kept], apertures.area[kept], apertures.perimeter[kept], apertures.width[kept], (), apertures.pad[kept],
    )  # fmt: skip
    none, some = judge_missing(lands_of(fewer, heron.pads), heron.parts)
    assert (none.level, none.refs, some.level, some.refs) == (Level.STOP, ("C5",), Level.CARE, ("U2",))


def test_looking_marks_and_the_risky_few(heron: Design) -> None:
    apertures = apertures_of(heron, "top")
    found = risks(ground_of(lands_of(apertures, heron.pads)), 0.12, 4)
    route = look_order(found, 0.12, ["U1"], 6)
    assert len(route.refs) == 6 and "U1" in route.refs and route.path_mm == pytest.approx(length(route.at, range(6)))
    fine, near = fine_parts(apertures, found.web), fine_parts(apertures, found.web, 0.5)
    assert "U1" in fine and "C5" not in fine and "R4" in near - fine
    seen = dict.fromkeys(route.refs, True)
    for marks, level in (
        ([], "go"),
        ([Mark("C5", "1", "much")], "care"),
        ([Mark("C5", "1", "none")], "stop"),
        ([Mark("R4", "1", "much")], "care"),
        ([Mark("R4", "1", "bridged")], "stop"),
        ([Mark("U1", "3", "little")], "stop"),
        ([Mark("C5", "1", "much"), Mark("U1", "", "bridged")], "stop"),
    ):
        assert judge_print(marks, fine, near, "panel 2", seen).level.value == level
    assert judge_print([], fine, near, "panel 2", {**seen, "U1": False}).level is Level.UNKNOWN
    assert judge_print([], fine, near, "panel 2", {}).level is Level.UNKNOWN, "nothing to look at is nothing seen"


def test_no_more_is_printed_than_is_placed_in_time() -> None:
    assert pace_of([10.0 * n + (500 if n > 20 else 0) for n in range(40)]).mean_s > 22, "paste ages through a pause"
    pace = pace_of([10.0 * n + (2500 if n > 20 else 0) for n in range(40)])
    assert pace.mean_s == pytest.approx(10) and pace.sd_s == pytest.approx(0) and pace.count == 38, "a pause is no pace"
    assert may_print(Waiting(0, 0), pace, (4, 8), (300, 6)).panels == 4
    assert may_print(Waiting(700, 14, 1.0), pace, (4, 8), (300, 6)).panels == 2, "7,000 s wait already"
    late = may_print(Waiting(700, 14, 3.0), pace, (4, 8), (300, 6))
    assert (
        late.panels == 0
        and late.minutes_left == 60
        and judge_ahead(late, pace, Waiting(700, 14), 4).level is Level.CARE
    )
    slow = Waiting(0, 0, 0, load_boards=1, load_min=60)
    assert may_print(slow, pace, (4, 8), (30, 6)).limit == "oven"
    assert [may_print(Waiting(0, 0), pace, (4, 8), (3, 6), left).panels for left in (1, 3)] == [1, 3], (
        "no more than are left"
    )
    assert (
        judge_ahead(may_print(Waiting(0, 0), pace, (4, 8), (3, 6), 0), pace, Waiting(0, 0), 4).says.case
        == "all printed"
    )
    assert (
        judge_ahead(may_print(Waiting(0, 0), Pace(), (4, 8), (300, 6)), Pace(), Waiting(0, 0), 4).level is Level.UNKNOWN
    )
    dice = np.random.default_rng(6)
    held = [dice.lognormal(2, 0.6, 40) for _ in range(800)]
    covered = np.mean(
        [
            Pace(float(h.mean()), float(h.std(ddof=1)), 40).at_most(200) >= dice.lognormal(2, 0.6, 200).sum()
            for h in held
        ]
    )
    assert 0.90 <= covered <= 0.99


def test_jig_blade_supports_and_ways(heron: Design) -> None:
    assert [judge_step(s, 0.12).level.value for s in (0.05, -0.05, 0.06, -0.1, 0.11)] == [
        "go",
        "go",
        "care",
        "care",
        "stop",
    ]
    assert edge_excess(2.0, -0.1) == pytest.approx(0.1) and blade_mm(100) == 120
    assert [judge_blade(b, 100).level.value for b in (120, 110, 90)] == ["go", "care", "stop"]
    found = surround(BOX, [(60, 25), (60, 25), (40, 25), (40, 25)])
    assert found.bare_mm == 0 and len(found.supports) == 4
    shapes = [shapely.box(*s.box) for s in found.supports]
    assert all(not shapely.box(*BOX).intersection(s).area for s in shapes)
    assert sum(shapely.box(*BOX).exterior.intersection(s).length for s in shapes) == pytest.approx(150, abs=0.01)
    assert surround(BOX, [(40, 25)]).bare_mm == pytest.approx(150 - 40)
    ways = ways_of(apertures_of(heron, "top"), 18, 6, hidden=1, has_stencil=True)
    assert ways[0].method == "stencil" and ways[-1].method == "tinned pads" and ways[-1].why.case == "under a body"
    assert [w.level for w in ways[1:3]] == [Level.CARE] * 2 and ways[1].why.case == "hidden joints"
    plain = ways_of(row()[0], 2, 1, 0, False)
    assert {w.method: w.level.value for w in plain} == {
        "stencil": "care",
        "syringe": "care",
        "dots": "care",
        "tinned pads": "care",
    }
    assert LIFE[0][0] == 2.0
