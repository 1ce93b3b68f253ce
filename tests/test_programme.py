"""The programme of a placing machine: proven by trying everything, by simulation, and by sums of its own."""

from __future__ import annotations

import json
from collections.abc import Callable
from itertools import product
from pathlib import Path

import msgspec
import numpy as np
import pytest
from machines import job, machine, shortest, small_shop
from msgspec.structs import replace

from fusilex.app import main
from fusilex.bench.workshop.placer import Placer
from fusilex.core.machine.calibrate import Timed, calibrated, taken_over
from fusilex.core.machine.controller import Controller, Doing
from fusilex.core.machine.model import STRIP, TRAY, Axis, Machine, Nozzle, Slot
from fusilex.core.machine.motion import axis_time, short_turn
from fusilex.core.machine.rs274 import BadBlock, Reader
from fusilex.core.machine.tapes import tape_of
from fusilex.core.packages.catalogue import package_of
from fusilex.core.placing.angles import Turns
from fusilex.core.problems import BadInput
from fusilex.core.programme.balance import balance
from fusilex.core.programme.bound import lower_bound
from fusilex.core.programme.bound_heads import Heads
from fusilex.core.programme.bound_two import TwoHeads
from fusilex.core.programme.feeding import Sighting, taught_slot
from fusilex.core.programme.job import Job
from fusilex.core.programme.levels import bands, levels, strikes, travel_height
from fusilex.core.programme.make import Piece, job_of
from fusilex.core.programme.many_heads import ManyHeads
from fusilex.core.programme.optimise import optimise
from fusilex.core.programme.plan import programme_time
from fusilex.core.programme.setups import phases
from fusilex.core.programme.who import Feed, choose, slots_for
from fusilex.devices.placer import SimulatedPlacer, run_through
from fusilex.devices.placer_world import NEVER, Chances, World
from fusilex.formats.written.gcode import gcode_lines, to_gcode
from fusilex.formats.written.templated import render

HERON = Path(__file__).parents[1] / "src/fusilex/demo/heron-r2"


def turns(count: int) -> Callable[[], float]:
    """Time that passes by being asked."""
    asked = [0]

    def spent() -> float:
        asked[0] += 1
        return asked[0] / count

    return spent


def small(heads: int, vision: bool, seed: int, n: int, shop: Machine | None = None) -> Job:
    j = job(n, min(n, 3), heads, seed, shop=shop or small_shop(heads, vision))
    return replace(j, xy=np.random.default_rng(seed).uniform(0, 1, (n, 2)) * [50, 40] + [40, 30])


@pytest.mark.parametrize(
    ("heads", "vision", "seed", "n"),
    [(1, False, 2, 6), (1, True, 3, 6), (1, False, 0, 7), (2, True, 2, 4), (2, False, 3, 4)],
)
def test_trying_everything_proves_answer_and_bound(heads: int, vision: bool, seed: int, n: int) -> None:
    j = small(heads, vision, seed, n)
    least = shortest(j)
    found = optimise(j, turns(60))
    assert found.bound_s <= least + 1e-9
    assert found.time_s == pytest.approx(least, rel=1e-9)


def scattered(shop: Machine, seed: int) -> Machine:
    """The same with its slots anywhere on the bed."""
    at = np.random.default_rng(seed).uniform(5, [shop.width - 5, shop.depth - 5], (len(shop.slots), 2)).tolist()
    return replace(shop, slots=tuple(replace(s, x=x, y=y) for s, (x, y) in zip(shop.slots, at, strict=True)))


def test_two_heads_are_bounded_by_the_way_between_slots(monkeypatch: pytest.MonkeyPatch) -> None:
    """Never above the least of all programmes, and where slots lie scattered well above what their mean tells."""
    j = small(2, True, 2, 4, scattered(small_shop(2, True), 2))
    least = shortest(j)
    assert 0.9 * least < lower_bound(j, least).seconds <= least + 1e-9
    j = job(20, 8, 2, shop=scattered(machine(2, 8), 2))
    told = lower_bound(j, 35.0).seconds
    monkeypatch.setattr("fusilex.core.programme.bound.TwoHeads", Heads)
    assert told > 1.05 * lower_bound(j, 35.0).seconds


def test_picking_for_two_costs_the_least_of_all_ways_to_pick() -> None:
    rng = np.random.default_rng(5)
    j = job(9, 4, 2, shop=scattered(machine(2, 5), 1))
    j = replace(j, can=rng.random((4, 5)) < 0.8)
    into, leave, line = rng.uniform(-0.2, 0.6, (5, 2)), rng.uniform(-0.2, 0.6, (5, 2)), rng.uniform(-0.3, 0.3, (4, 5))
    found = TwoHeads(j).picking(into.ravel(), leave.ravel(), line)
    for a, b in product(range(4), repeat=2):
        ways = []
        for s, t in product(range(5), repeat=2):
            if (s == t) is (a == b) and j.can[a, s] and j.can[b, t]:
                way = float(j.leg(j.pick_at[s, 0], j.pick_at[t, 1])) - line[a, s] - line[b, t]
                ways += [way + into[s, 0] + leave[t, 1], way + into[t, 1] + leave[s, 0]]
        assert found.pair[a, b] == pytest.approx(min(ways))
        s, t, first = found.slots[0][a, b], found.slots[1][a, b], found.order[a, b]
        way = float(j.leg(j.pick_at[s, 0], j.pick_at[t, 1])) - line[a, s] - line[b, t]
        ends = into[t, 1] + leave[s, 0] if first else into[s, 0] + leave[t, 1]
        assert way + ends == pytest.approx(min(ways)), "by the slots and the order it says"


@pytest.mark.parametrize("vision", [False, True])
@pytest.mark.parametrize("n", [2, 3])
def test_few_parts_on_two_heads_go_the_best_way_there_is(vision: bool, n: int) -> None:
    """Also where one nozzle has to change its head, or a trip of two is better the other way round."""
    for seed in (0, 3, 5, 7, 13):
        j = small(2, vision, seed, n)
        assert optimise(j, turns(40)).time_s == pytest.approx(shortest(j), rel=1e-9), seed


def test_eight_parts_on_two_heads_are_a_matter_of_a_moment() -> None:
    """Against all orders of the same trips, for fewer; and no better than the annealed answer for eight."""
    j = small(2, True, 3, 5)
    search = ManyHeads(j, phases(j), np.arange(3))
    search.settle()
    settled = programme_time(j, search.plan())
    search = ManyHeads(j, phases(j), np.arange(3), seed=1)
    search.anneal(4000, 0.05)
    search.sequence()
    assert settled <= programme_time(j, search.plan()) + 1e-9
    eight = small(2, True, 3, 8)
    search = ManyHeads(eight, phases(eight), np.arange(3))
    assert search.few
    search.settle()
    placed = [i for trip in search.plan().trips for _, i in trip.places]
    assert sorted(placed) == list(range(8))


@pytest.mark.parametrize(("heads", "vision", "n"), [(1, False, 5), (1, True, 6), (2, True, 4), (2, False, 4)])
def test_nothing_beats_the_bound_where_strips_and_trays_stand(heads: int, vision: bool, n: int) -> None:
    for seed in (2,) if heads == 2 else (2, 3):
        j = small(heads, vision, seed, n)
        shop = with_trays(j.machine)
        j = replace(j, machine=replace(shop, times=replace(shop.times, feed=0.3)))
        least, found = shortest(j), optimise(j, turns(60 if heads == 1 else 20))
        assert found.bound_s <= least + 1e-9 <= found.time_s + 2e-9
        assert found.time_s <= least * 1.12


@pytest.mark.parametrize(("heads", "vision"), [(1, False), (1, True), (2, True)])
def test_the_bound_reaches_into_the_pockets_that_are_near(heads: int, vision: bool) -> None:
    """First pockets at the board, the middle of the tray far from it."""
    j = small(heads, vision, 2 if heads == 2 else 3, 4)
    near = replace(j.machine.slots[0], kind=TRAY, x=60.0, y=44.0, rows=40, row_step=(0.0, -1.05))
    shop = replace(
        j.machine, slots=tuple(replace(near, name=s.name, x=58.0 + 2 * k) for k, s in enumerate(j.machine.slots))
    )
    j = replace(j, machine=shop)
    assert lower_bound(j, 100.0).seconds <= shortest(j) + 1e-9


def test_a_tray_is_where_two_of_its_pockets_were_seen() -> None:
    tray = Slot("T", 100, 50, 24, TRAY, in_row=4, rows=3, step=(12.0, 0.0), row_step=(0.0, 15.0))
    turn, shift = 1.001 * np.exp(1j * np.radians(2.0)), complex(0.4, -0.3)

    def lies(k: int) -> complex:
        return complex(*tray.pocket(k)) * turn + shift

    seen = taught_slot(tray, [Sighting(k, lies(k).real, lies(k).imag) for k in (0, 11)], 8.0)
    for k in range(12):
        assert complex(*seen.pocket(k)) == pytest.approx(lies(k), abs=1e-9)
    moved = taught_slot(tray, [Sighting(5, tray.pocket(5)[0] + 0.2, tray.pocket(5)[1])], 8.0)
    assert moved.pocket(7) == pytest.approx((tray.pocket(7)[0] + 0.2, tray.pocket(7)[1]))


@pytest.mark.parametrize("heads", [1, 2])
def test_pockets_of_strips_and_trays_are_emptied_one_by_one_and_filled_at_a_stop(heads: int) -> None:
    j = job(50, 6, heads, seed=9, slots=9)
    shop = with_trays(j.machine)
    j = replace(j, machine=replace(shop, times=replace(shop.times, feed=0.3)))
    found = optimise(j, turns(20))
    world = World(j.machine)
    steps = list(run_through(to_gcode(j, found.plan), j.machine, world))
    assert sum(s.seconds for s in steps) == pytest.approx(found.time_s, rel=1e-6)
    assert not world.faults and len(world.placed) == 50
    fed = [s.item for s in steps if s.doing is Doing.FEED]
    assert len(fed) == sum(j.count[k] for k, s in enumerate(found.plan.slot) if s > 1), "no strip or tray is pulled"
    assert min(fed) > 1
    waits = sum(s.doing is Doing.WAIT for s in steps)
    counts = {int(s): int(j.count[k]) for k, s in enumerate(found.plan.slot)}
    assert waits == sum((n - 1) // j.machine.slots[s].pockets for s, n in counts.items() if s < 2)
    # the next panel goes on where this one left off, on the machine and in the sum; from the start it finds nothing
    left = {s: n % j.machine.slots[s].pockets for s, n in counts.items() if s < 2}
    assert any(left.values())
    on, anew = World(j.machine, emptied=left), World(j.machine, emptied=left)
    list(run_through("\n".join(text for text, _ in gcode_lines(j, found.plan, emptied=left)), j.machine, on))
    list(run_through(to_gcode(j, found.plan), j.machine, anew))
    assert not on.faults and {f.kind for f in anew.faults} == {"empty", "not picked"}


def with_trays(machine: Machine) -> Machine:
    """The same with a tray in its first slot and a strip that runs aslant in the second."""
    tray = replace(machine.slots[0], kind=TRAY, in_row=2, rows=2, step=(9.0, 0.0), row_step=(0.0, 12.0))
    strip = replace(machine.slots[1], kind=STRIP, in_row=4, step=(3.9, 0.5))
    return replace(machine, slots=(tray, strip, *machine.slots[2:]))


@pytest.mark.parametrize("heads", [1, 2, 6])
def test_no_programme_beats_the_bound_and_every_part_goes_on_once(heads: int) -> None:
    j = job(70, 18, heads, seed=heads, slots=24)
    found = optimise(j, turns(40))
    assert found.bound_s <= found.time_s
    assert found.gap <= (0.05 if heads == 1 else 0.14 if heads == 2 else 0.3)
    placed = [i for trip in found.plan.trips for _, i in trip.places]
    assert sorted(placed) == list(range(70)) and len(set(found.plan.slot.tolist())) == 18
    for trip in found.plan.trips:
        assert sorted(trip.picks) == sorted(trip.places) and len({h for h, _ in trip.picks}) == len(trip.picks)
        assert all(j.fits[j.line[i], trip.nozzles[h]] for h, i in trip.picks)
    order = [int(j.level[i]) for i in placed]
    assert order == sorted(order), "low parts before tall ones"
    # any other set-up is no faster than the bound, either
    rng = np.random.default_rng(3)
    for _ in range(5):
        other = replace(found.plan, slot=rng.permutation(24)[:18])
        assert programme_time(j, other) >= found.bound_s


def test_the_search_only_gets_better_and_a_watcher_may_leave() -> None:
    seen: list[float] = []
    found = optimise(job(60, 15, 2), turns(20), seen=lambda f: seen.append(f.cost_s))
    assert seen == sorted(seen, reverse=True) and seen[-1] == found.cost_s and len(seen) > 2

    class Enough(Exception):
        pass

    def leave(_: object) -> None:
        raise Enough

    with pytest.raises(Enough):
        optimise(job(60, 15, 2), turns(60), seen=leave)


def test_what_stands_stays_where_moving_it_costs_more() -> None:
    free = job(60, 15, 1, slots=20)
    stands = np.arange(15)
    moving = np.full((15, 20), 50.0)
    moving[np.arange(15), stands] = 0.0
    held = optimise(replace(free, moving=moving), turns(60))
    assert held.plan.slot.tolist() == stands.tolist() and held.bound_s <= held.cost_s
    cheap = optimise(replace(free, moving=moving / 1e4), turns(60))
    assert cheap.plan.slot.tolist() != stands.tolist() and cheap.time_s < held.time_s


@pytest.mark.parametrize("heads", [1, 2, 6])
def test_the_simulated_machine_puts_every_part_where_it_is_wanted_in_the_time_predicted(heads: int) -> None:
    j = job(50, 14, heads, seed=9, slots=20)
    found = optimise(j, turns(30))
    world = World(j.machine)
    steps = list(run_through(to_gcode(j, found.plan), j.machine, world))
    assert sum(s.seconds for s in steps) == pytest.approx(found.time_s, rel=1e-3)
    assert not world.faults and len(world.placed) == 50 and world.held == [None] * heads
    wanted = [(h, i) for trip in found.plan.trips for h, i in trip.places]
    for (head, i), put in zip(wanted, world.placed, strict=True):
        assert np.hypot(put.x - j.xy[i, 0], put.y - j.xy[i, 1]) < 1e-3
        slot = j.machine.slots[put.slot]
        assert abs(short_turn(put.turned + slot.turn - j.turn[i])) < 0.01
        assert put.slot == found.plan.slot[j.line[i]] and put.head == head
        assert put.z == pytest.approx(j.machine.board_z + j.height[i])
        assert j.fits[j.line[i], put.nozzle]


def test_moves_take_what_integrating_their_speed_gives() -> None:
    axis = Axis(200.0, 1500.0)
    for d in (0.5, 10.0, 26.6, 300.0):
        top = min(axis.speed, np.sqrt(d * axis.acceleration))
        t = np.linspace(0, float(axis_time(d, axis)), 20001)
        speed = np.minimum(np.minimum(axis.acceleration * t, axis.acceleration * (t[-1] - t)), top)
        assert np.trapezoid(speed, t) == pytest.approx(d, rel=1e-6)
    assert axis_time(0.0, axis) == 0


def test_passes_keep_low_before_tall_and_the_nozzle_off_its_neighbours() -> None:
    assert bands(np.array([0.5, 1.4, 1.6, 4.2]), 1.0).tolist() == [0, 0, 1, 2]
    cone = Nozzle("cone", 0.3, 9, profile=((0.0, 0.5), (2.0, 2.5)))
    xy = np.array([[0.0, 0.0], [2.0, 0.0], [20.0, 0.0]])
    box = np.column_stack([xy - 0.4, xy + 0.4])
    height = np.array([0.5, 1.4, 1.4])
    # beside the middle one its radius is 0.5 + 0.9 = 1.4 where 1.6 − 0.1 of room is left
    assert strikes(xy, box, height, [cone] * 3, 0.1) == []
    assert strikes(xy, box, height, [cone] * 3, 0.21) == [(0, 1)]
    close = xy * (0.5, 1.0)
    beside = strikes(close, np.column_stack([close - 0.4, close + 0.4]), height, [cone] * 3, 0.21)
    assert beside == [(0, 1)], "what is lower stands under the tip, not in its way"
    assert levels(np.zeros(3, dtype=int), [(0, 1)], height).tolist() == [0, 1, 0]
    # the tallest is carried over the second tallest, never over what comes later
    assert travel_height(np.array([0, 0, 1]), np.array([1.0, 2.0, 7.0]), 1.6, 1.0) == pytest.approx(1.6 + 2 + 7 + 1)


def test_what_stands_before_a_run_is_carried_over_and_never_struck() -> None:
    low, tall = package_of("0603", "R1"), package_of("CP_Elec_6.3x7.7", "C1")
    shop = replace(machine(1, 4), board_z=1.6, stands=0.0)
    own = [Piece("R1", 1, "R", 220.0, 160.0, 0.0, low)]
    stands = [Piece("C1", 1, "C", 240.0, 160.0, 0.0, tall)]
    assert tall.height > 5 and tall.known
    assert job_of(shop, own).travel_z == pytest.approx(1.6 + low.height + 1)
    assert job_of(shop, own, there=stands).travel_z == pytest.approx(1.6 + low.height + tall.height + 1)
    assert job_of(shop, own, over=tall.height).travel_z == pytest.approx(1.6 + low.height + tall.height + 1)
    # a clamp of 9 mm on the bed; and while nobody measured what stands there, as high as the machine can
    assert job_of(replace(shop, stands=9.0), own).travel_z == pytest.approx(9 + low.height + 1)
    assert job_of(replace(shop, stands=None), own).travel_z == shop.top_z
    with pytest.raises(ValueError, match="travels at"):
        job_of(replace(shop, top_z=9.0), own, there=stands)
    beside = [replace(stands[0], x=220.0 + tall.size_x / 2 + low.size_x / 2 + 0.1)]
    with pytest.raises(ValueError, match="strike C1"):
        job_of(shop, own, there=beside)
    with pytest.raises(ValueError, match="height"):
        job_of(shop, own, there=[replace(stands[0], package=package_of("XQ-17", "C1"))])


def test_who_places_what_is_the_best_choice_of_all() -> None:
    """Few slots, fewer nozzles: against every subset of lines and nozzles."""
    shop = replace(machine(2, 3), nozzles=(Nozzle("a", 0.3, 1.0), Nozzle("b", 0.7, 2.0), Nozzle("c", 1.5, 9.0)))
    shop = replace(shop, times=replace(shop.times, change=6.0, load=30.0))
    bodies = [("0402", 9), ("0603", 4), ("0805", 7), ("1206", 12), ("SOIC-8", 2), ("0402 (1005)", 3)]
    feeds = [Feed(f"line {k}", package_of(p, "R1"), n) for k, (p, n) in enumerate(bodies)]
    runs, hand, own = 2, 11.0, 2.5
    best = 0.0
    for taken in product((0, 1), repeat=len(feeds)):
        for used in product((0, 1), repeat=3):
            lines = [f for f, x in zip(feeds, taken, strict=True) if x]
            tips = [n for n, x in zip(shop.nozzles, used, strict=True) if x]
            held = all(any(n.least <= min(f.package.size_x, f.package.size_y) <= n.most for n in tips) for f in lines)
            if len(lines) <= 3 and held:
                saved = sum(f.pieces * runs * (hand - own) - 30.0 for f in lines)
                best = max(best, saved - max(0, len(tips) - 2) * 6.0 * runs)
    choice = choose(shop, feeds, runs, {f.name: hand for f in feeds}, own)
    spent = choice.saved_s - best
    assert spent in (pytest.approx(0.0), pytest.approx(12.0)) and choice.gap <= 1e-6 and len(choice.machine) == 3
    assert "others save more" in choice.hand["line 4"] or "loading takes" in choice.hand["line 4"]
    told = choose(shop, feeds, runs, said={"line 4": True, "line 3": False})
    assert "line 4" in told.machine and told.hand["line 3"] == "you said so"


def test_strips_go_where_their_pockets_are_in_step_and_small_parts_stay_in_their_tape() -> None:
    shop = with_trays(machine(1, 4))
    shop = replace(shop, slots=(*shop.slots[:1], replace(shop.slots[1], step=(4.0, 0.0)), *shop.slots[2:]))
    small, body = tape_of(package_of("0603 (1608)")), tape_of(package_of("SOIC-8"))
    taken = {name: [shop.slots[s].name for s in slots_for(shop, tape)] for name, tape in (("s", small), ("b", body))}
    assert taken["s"] == ["F2", "B1", "B2"], "no tray for what is so small"
    assert taken["b"] == ["F1", "B1", "B2"], "the strip's pockets are in step with 4 mm only"


def test_two_machines_in_a_row_share_so_that_no_other_share_is_better_than_the_bound() -> None:
    j = job(24, 6, 1, seed=5)
    slow = replace(j.machine, x=Axis(200, 2000), y=Axis(200, 2000))

    def make(m: int, lines: frozenset[str]) -> Job:
        own = np.flatnonzero([j.names[k] in lines for k in j.line])
        names = tuple(n for n in j.names if n in lines)
        old = [j.names.index(n) for n in names]
        index = {k: i for i, k in enumerate(old)}
        cut = {f: getattr(j, f)[own] for f in ("xy", "turn", "height", "level")}
        line = np.array([index[k] for k in j.line[own].tolist()])
        shop, rows = (slow, j.machine)[m], {f: getattr(j, f)[old] for f in ("fits", "can", "moving")}
        return replace(j, machine=shop, names=names, line=line, labels=tuple(j.labels[i] for i in own), **cut, **rows)

    every = frozenset(j.names)
    shared = balance(2, [every, every], [6, 6], make, turns(60))
    assert shared.lines[0] | shared.lines[1] == every and not shared.lines[0] & shared.lines[1]
    best = np.inf
    for bits in product((0, 1), repeat=6):
        lines = [frozenset(n for n, b in zip(j.names, bits, strict=True) if b == m) for m in (0, 1)]
        best = min(best, max(optimise(make(m, own), turns(4)).time_s for m, own in enumerate(lines) if own))
    assert shared.bound_s <= best and shared.time_s <= 1.05 * best
    with pytest.raises(ValueError, match="no room"):
        balance(2, [every, every], [2, 2], make, turns(5))


def test_a_logged_run_gives_the_machine_its_own_times() -> None:
    rng, shop = np.random.default_rng(1), machine(2, 20)
    true = {"x_speed": 420.0, "x_acceleration": 3100.0, "y_speed": 380.0, "y_acceleration": 2600.0}
    held = {"pick": 0.42, "look": 0.25, "place": 0.37}
    x, y = Axis(420, 3100), Axis(380, 2600)
    covered = []
    for _ in range(30):
        log = []
        for k in range(240):
            what = ("pick", "look", "place")[k % 3]
            dx, dy = rng.uniform(-300, 300) * rng.choice([0.05, 1]), rng.uniform(-250, 250) * rng.choice([0.05, 1])
            way = max(float(axis_time(dx, x)), float(axis_time(dy, y)))
            log.append(Timed(what, dx, dy, way + held[what] + rng.normal(0, 0.01)))
        found = calibrated(shop, log)
        want = true | {f"{k}_whole": v for k, v in held.items()}
        covered += [abs(found.numbers[k] - v) <= found.within95[k] for k, v in want.items()]
    assert 0.88 < np.mean(covered) <= 1 and found.rms_s == pytest.approx(0.01, rel=0.2)
    assert taken_over(shop, found, {"pick": 0.1}).times.pick == pytest.approx(0.32, abs=0.01)
    still = calibrated(shop, [Timed("pick", 0.0, 0.0, 0.4 + rng.normal(0, 0.01)) for _ in range(20)])
    assert {"x_speed", "y_acceleration"} <= set(still.unknown), "standing still tells nothing of axes"
    with pytest.raises(ValueError, match="12 at least"):
        calibrated(shop, log[:5])


def test_tapes_and_turns_go_by_the_standard() -> None:
    assert [tape_of(package_of(p, "R1")).width for p in ("0402", "0603", "SOIC-8", "QFN-32 5x5")] == [8, 8, 12, 12]
    assert tape_of(package_of("0402", "R1")).pitch == 2 and tape_of(package_of("SOIC-8", "U1")).pitch == 8
    # handbook: CAD + package zero − tape zero + cell + taught; below the sign of the cell's turn is the other
    turned = Turns(90, footprint=180, tape=90, slot=90, cell=90, taught=1.5, fixed=0)
    assert turned.machine == pytest.approx((90 + 180 - 90 - 90 + 90 + 1.5) % 360)
    assert replace(turned, side="bottom").machine == pytest.approx((90 + 180 - 90 - 90 - 90 + 1.5) % 360)


def blocks(text: str) -> list[tuple[tuple[str, float], ...]]:
    reader = Reader()
    found = [block.words for line in text.splitlines() for block in reader.feed(line)]
    reader.finish()
    return found


def test_programmes_are_read_as_the_language_has_it() -> None:
    text = "#<up>=[2+3*4]\no<go> sub\nG0 X#1 Y[#2/2-#<up>] ; later\no<go> endsub\n(why) o<go> call [1.5] [4]\nN10 g1 z-.5(a)f100\n%"
    with pytest.raises(BadBlock):
        blocks(text)  # a call stands alone on its line
    assert [b for b in blocks(text.replace("(why) ", "")) if b] == [
        (("G", 0.0), ("X", 1.5), ("Y", 4 / 2 - 14)),
        (("G", 1.0), ("Z", -0.5), ("F", 100.0)),
    ]
    for bad in (
        "G0 X", "G0 X1..2", "(open", "o<a> sub", "o<a> call", "G0 X#9", "X[1/0]", "X[1", "?", "o<a> sub\no<b> sub",
        "o<a> sub\no<a> call\no<a> endsub\no<a> call", "G0 X１", "#=3", "#<a=3", "o<a> if [1]", "#[3]=1", "#[500.5]=1",
        "o<a> sub\no<b> if [1]\no<a> endsub\no<a> call", "o<a> sub\no<b> endif\no<a> endsub\no<a> call", "X[5 MOD 0]",
    ):  # fmt: skip
        with pytest.raises(BadBlock):
            blocks(bad)


def test_conditions_and_counters_are_read_as_the_language_has_them() -> None:
    text = """o<go> sub
    o<out> if [#[500+#1] GE 2]
    #[500+#1]=0
    o<in> if [#1 EQ 4]
    G4 P9
    o<in> endif
    o<out> endif
    G0 X[#503 MOD 3 * 10 + 1] Y[7 MOD 4 LT 2]
    #[500+#1]=[#[500+#1]+1]
    o<go> endsub
    #503=1
    o<go> call [3]
    o<go> call [3]
    o<go> call [3]"""
    assert [dict(words) for words in blocks(text) if words] == [
        {"G": 0.0, "X": 11.0, "Y": 0.0},
        {"G": 0.0, "X": 1.0, "Y": 0.0},
        {"G": 0.0, "X": 11.0, "Y": 0.0},
    ]


def test_the_controller_moves_tips_by_hand_sums() -> None:
    c = Controller(machine(2, 4))
    steps = [
        s
        for b in ("G21 G90", "G43 H2", "G0 X130 Y100", "G0 A90 B0", "G91 G0 X10", "G90 G1 Z20 F600", "G20 G0 Y1")
        for w in Reader().feed(b)
        for s in c.obey(w)
    ]
    assert [(s.x, s.y) for s in steps] == [(100, 100), (100, 100), (110, 100), (110, 100), (110, 25.4)]
    assert steps[0].seconds == pytest.approx(max(100 / 500 + 500 / 4000, 100 / 500 + 500 / 4000))
    assert steps[1].seconds == pytest.approx(2 * np.sqrt(90 / 14400)) or steps[1].seconds == pytest.approx(
        90 / 1080 + 1080 / 14400
    )
    assert steps[3].seconds == pytest.approx(5 / 10 + 10 / 5000)
    for bad in (
        "G2 X1",
        "M3",
        "G43 H3",
        "G43",
        "T9 M6",
        "M64",
        "C0",
        "G0 X1e5",
        "G0 X200000",
        "G1 X1 F0",
        "G4 P-1",
        "M102 P9",
        "S1",
    ):
        with pytest.raises(BadBlock):
            list(c.obey(next(Reader().feed(bad))))


def test_the_stand_in_speaks_stops_and_fails_as_a_machine_does() -> None:
    j = job(40, 10, 2, seed=4, slots=12)
    text = to_gcode(j, optimise(j, turns(20)).plan)
    world = World(j.machine, Chances(miss=0.1, side=0.2, lost=0.05), 3, left=dict.fromkeys(range(12), 2))
    port = SimulatedPlacer(j.machine, world)
    for line in text.splitlines():
        port.send(line)
    port.advance(5.0)
    port.send("!")
    port.send("?")
    paused = port.lines()[-1]
    port.advance(100.0)
    port.send("?")
    assert port.lines() == [paused] and " paused " in paused
    port.send("~")
    port.send("%50")
    before = world.time_s
    port.advance(8.0)
    assert world.time_s - before == pytest.approx(4.0, abs=1.6)
    port.send("%100")
    port.advance(1e4)
    said = port.lines()
    assert "end" in said and {f.kind for f in world.faults} >= {"missed", "empty", "lost on the way"}
    lost = {f.kind for f in world.faults if f.kind in ("rejected", "lost on the way")}
    assert lost and len(world.placed) < 40 and sum(word.startswith("fault ") for word in said) > 0
    again = World(j.machine, Chances(miss=0.1, side=0.2, lost=0.05), 3, left=dict.fromkeys(range(12), 2))
    list(run_through(text, j.machine, again))
    assert [f.kind for f in again.faults] == [f.kind for f in world.faults], "seeded"
    tilted = World(j.machine, Chances(miss=0.0, side=0.3, lost=0.0, jam=0.0), 5)
    list(run_through(text, j.machine, tilted))
    seen = [f.kind for f in tilted.faults]
    assert 0 < seen.count("on its side") == seen.count("rejected") == 40 - len(tilted.placed)
    port.send("stop")
    port.send("G0 X0")
    assert port.lines()[-1].startswith("err")
    with pytest.raises(BadBlock, match="no nozzle"):
        list(run_through("G43 H1\nT1 M6\nT0 M6\nM64 P1", j.machine, World(j.machine)))
    with pytest.raises(BadBlock, match="is on head 1"):
        list(run_through("G43 H1\nT1 M6\nG43 H2\nT1 M6", j.machine, World(j.machine)))


VALUES = {"trips": [{"places": [{"ref": "R1\nG0 Z-9 (", "x_mm": 1.23456}]}] * 3, "time_s": 2.5}


def test_a_nozzle_that_is_not_in_its_place_stops_the_machine_until_a_person_puts_it_on() -> None:
    j = job(60, 12, 2, seed=6, slots=12)
    found = optimise(j, turns(10))
    world = World(j.machine, replace(NEVER, missing=1.0))
    port = SimulatedPlacer(j.machine, world)
    for line in to_gcode(j, found.plan).splitlines():
        port.send(line)
    said: list[str] = []
    for _ in range(200):
        port.advance(60.0)
        said += (now := port.lines())
        if "wait" in now:
            assert port.lines() == [] and any("nozzle missing" in word for word in now)
            port.send("~")
        if "end" in now:
            break
    assert "end" in said and not [word for word in said if word.startswith("err")]
    assert len(world.placed) == 60 and {f.kind for f in world.faults} == {"nozzle missing"}
    assert said.count("wait") == len(world.faults) > 0


def test_a_template_makes_lines_and_nothing_else() -> None:
    made = render(
        "{% for t in trips %}\n{% for p in t.places %}\n{{ p.ref|note }} X{{ p.x_mm|fixed(2) }}\n{% endfor %}\n{% endfor %}\nT{{ time_s * 2 }}",
        VALUES,
    )
    assert made == "(R1 G0 Z-9) X1.23\n" * 3 + "T5.0"
    for attack in (
        "{{ ''.__class__.__mro__ }}", "{{ trips.__class__ }}", "{% include 'x' %}", "{% import 'x' as y %}", "{{ range(9) }}",
        "{{ 'a' * 9999999999 }}", "{{ 9 ** 9999 }}", "{% set x = 'a' ~ 'b' %}", "{{ trips.items.append(1) }}", "{{ time_s.hex() }}",
        "{% for a in 'abc' %}{% endfor %}", "{% macro m() %}{{ m() }}{% endmacro %}{{ m() }}", "{{ nothing }}", "{{ 1 / 0 }}",
        "{{ 'a' + 'b' }}", "{{ '%999999999d' % 1 }}", "{% for a in trips recursive %}{% endfor %}", "{{ trips|join }}", "{% raw",
        "{{ 1|fixed(99) }}", "{{ time_s.__init__.__globals__ }}", "{{ self }}{{ loop }}", "{{ [1,2] }}", "{{ (1).real }}{{ x }}",
    ):  # fmt: skip
        with pytest.raises(BadInput):
            render(attack, VALUES)
    deep = "".join(f"{{% for a{k} in trips %}}" for k in range(16)) + "{% endfor %}" * 16
    with pytest.raises(BadInput, match="turns"):
        render(deep, VALUES)


def ask(capsys: pytest.CaptureFixture[str], *words: str) -> dict[str, object]:
    assert main([*words, "--json"]) == 0
    return json.loads(capsys.readouterr().out)["data"]


def test_the_verbs_agree_with_each_other_and_with_the_design(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    records = json.loads((HERON.parents[1] / "assets/workshop.json").read_text())["records"]
    shop = tmp_path / "shop.json"
    shop.write_text(
        json.dumps({k: v for k, v in next(r for r in records if r["id"] == "bench placer").items() if k != "kind"})
    )
    (tmp_path / "t.j2").write_text("{% for s in slots %}{{ s.slot }} {{ s.line }};{% endfor %}")
    gcode = str(tmp_path / "p.ngc")
    words = ("programme", str(HERON), "--machine", str(shop), "--boards", "18", "--seconds", "1")
    data = ask(capsys, *words, "--gcode", gcode, "--template", str(tmp_path / "t.j2"))
    run = ask(capsys, "simulate", gcode, "--machine", str(shop))
    assert run["time_s"] == pytest.approx(data["time_s"], rel=1e-3) and not run["faults"]
    assert data["bound_s"] <= data["time_s"] and data["gap"] == pytest.approx(data["time_s"] / data["bound_s"] - 1)
    places = [p for t in data["trips"] for p in t["places"]]
    picks = {(k, p["head"]): p["slot"] for k, t in enumerate(data["trips"]) for p in t["picks"]}
    slots = [picks[k, p["head"]] for k, t in enumerate(data["trips"]) for p in t["places"]]
    for wanted, slot, put in zip(places, slots, run["placed"], strict=True):
        assert (put["slot"], put["head"]) == (slot, wanted["head"])
        assert np.hypot(put["x_mm"] - wanted["x_mm"], put["y_mm"] - wanted["y_mm"]) < 1e-3
        assert abs(short_turn(put["rotation_deg"] - wanted["rotation_deg"])) < 0.01
    # where the design wants it: the list's x and y, the cell's step, the clamp's corner
    listed = {r.split(",")[0]: r.split(",") for r in (HERON / "heron-r2-placements.csv").read_text().splitlines()}
    one = next(p for p in places if p["ref"] == "R5" and p["cell"] == 5)
    head = listed[next(iter(listed))]
    x, y = (float(listed["R5"][next(k for k, h in enumerate(head) if h.lower().startswith(a))]) for a in ("x", "y"))
    assert one["x_mm"] == pytest.approx(160 + 7 + 46 + x, abs=1e-3) and one["y_mm"] == pytest.approx(
        110 + 31 + y, abs=1e-3
    )
    assert data["templated"].startswith("F1 ") and {h["ref"] for h in data["hand"]} == {"J1", "J2"}
    faulty = ask(capsys, "simulate", gcode, "--machine", str(shop), "--faults", "--seed", "2")
    assert faulty["faults"] and len(faulty["placed"]) <= len(run["placed"])
    wren = ("programme", str(HERON.parent / "wren"), "--machine", str(shop), "--boards", "300", "--seconds", "0.2")
    assert main([*wren, "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert not told["data"]["hand"] and told["judgements"][0]["level"] == "care", (
        "marks whose lie is only usual are no go"
    )
    for bad in ('{"id": "x", "slots": []}', '{"id": "x", "heds": 2}', "[]", "{", '{"id": "x", "park": [900, 0]}'):
        shop.write_text(bad)
        assert main(["simulate", gcode, "--machine", str(shop)]) == 2
        assert capsys.readouterr().err.count("\n") == 1


def test_the_schema_of_a_machine_is_the_one_that_is_written_down() -> None:
    written = json.loads((Path(__file__).parents[1] / "docs/placer.schema.json").read_text())
    assert written == json.loads(msgspec.json.encode(msgspec.json.schema(Placer)))
    fields = set(written["$defs"]["Placer"]["properties"]) - {"id", "note"}
    told = (Path(__file__).parents[1] / "docs/formats.md").read_text()
    assert not [f for f in fields if f not in told], "every field stands in the text, too"
