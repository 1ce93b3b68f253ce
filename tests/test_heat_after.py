"""After a run, by held steps and by eye: what joints had, an oven that changed, an order that undoes least."""

from __future__ import annotations

from itertools import permutations

import numpy as np
import pytest
from msgspec.structs import replace
from test_heat import FIRST, HERON, SECOND, loaded, stand_in
from windows import WINDOWS

from fusilex.bench.common.heat.oven_logs import logged_run
from fusilex.bench.intake.design import read_design
from fusilex.core.design.model import Design
from fusilex.core.heat.after import After, after_run, groups
from fusilex.core.heat.fit import Fitted, fit_oven, unfitted
from fusilex.core.heat.group import Group
from fusilex.core.heat.hot_air import Gun, HotAirStep, best_order, held, hot_steps, plate_of, stream_of, undone
from fusilex.core.heat.joints import Joint, joints_of, molten
from fusilex.core.heat.oven import AIR, PLATE, OvenModel
from fusilex.core.heat.probes import ALL_SHINY, FIRST_SHINE, Logged, Probe, one_hot
from fusilex.core.heat.run import Terms, simulate
from fusilex.core.heat.sheet import Sheet
from fusilex.core.placing.order import placed_by_paste
from fusilex.devices.oven_world import OvenWorld, logged

MELTING = 183.0


@pytest.fixture(scope="module")
def heron() -> Design:
    return read_design(str(HERON))


@pytest.fixture(scope="module")
def twin(heron: Design) -> tuple[Sheet, Fitted, list[str], np.ndarray]:
    """A stand-in of another kind, fitted to one log: the sheet, the fit, four places by name and their rows."""
    sheet = loaded(heron, 7.5)
    count = len(sheet) + len(sheet.lumps)
    cells = sheet.at(np.array([[75.0, 31.0], [12.0, 10.0], [120.0, 50.0]]))
    names = ["C1@1", *(f"cell@{c}" for c in cells)]
    rows = [one_hot(len(sheet) + sheet.lumps.names.index(("C1", 0)), count), *(one_hot(int(c), count) for c in cells)]
    time, read = logged(stand_in(sheet, 6, FIRST), names[:2], 430.0)
    probes = tuple(Probe(name, time, read[name], rows[k]) for k, name in enumerate(names[:2]))
    return sheet, fit_oven(OvenModel(), [Logged(sheet, FIRST, probes)]), names, np.array(rows)


def truth(world: OvenWorld, names: list[str], probe: str) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A run as one probe logs it, and what all places truly had."""
    world.read([probe])
    time, read, true = [], [], []
    while world.time < 500:
        world.advance(1.0)
        time.append(world.time)
        read.append(world.read([probe])[probe])
        true.append([world.true(name) for name in names])
    return np.array(time), np.array(read), np.array(true)


@pytest.mark.xdist_group("one twin")  # it is fitted once
def test_joints_without_a_probe_had_what_is_said_of_them(twin: tuple[Sheet, Fitted, list[str], np.ndarray]) -> None:
    sheet, fitted, names, rows = twin
    time, read, true = truth(stand_in(sheet, 6, SECOND), names, names[0])
    joints = [Joint(name, "1", 0) for name in names]
    log = Logged(sheet, SECOND, (Probe(names[0], time, read, rows[0]),))
    found = after_run(log, (joints, rows), fitted, MELTING)
    real = molten(time, true, MELTING)
    assert np.abs(found.molten.melts - real.melts).max() < 6
    assert (np.abs(found.molten.peak - real.peak) < found.peak95).all()
    assert (np.abs(found.molten.seconds - real.seconds) < found.seconds95).all()
    assert not found.changed and found.off_c < 5
    lost = after_run(replace(log, probes=(replace(log.probes[0], weights=None),)), (joints, rows), fitted, MELTING)
    assert lost.peak95.mean() > 1.3 * found.peak95.mean(), "nobody knows where the probe was"
    nobody = after_run(log, (joints, rows), unfitted(OvenModel()), MELTING)
    assert nobody.peak95.mean() > found.peak95.mean()
    with pytest.raises(ValueError, match="no probe"):
        after_run(replace(log, probes=()), (joints, rows), fitted, MELTING)


@pytest.mark.xdist_group("one twin")
def test_an_oven_that_lost_an_element_is_not_the_one_of_its_logs(
    twin: tuple[Sheet, Fitted, list[str], np.ndarray],
) -> None:
    sheet, fitted, names, rows = twin
    world = stand_in(sheet, 6, SECOND)
    world.kind = replace(world.kind, watts=(world.kind.watts[0], world.kind.watts[1] * 0.3))
    time, read, _ = truth(world, names, names[0])
    log = Logged(sheet, SECOND, (Probe(names[0], time, read, rows[0]),))
    found = after_run(log, ([Joint("C1", "1", 0)], rows[:1]), fitted, MELTING)
    assert found.changed and found.off_c > 8


def test_groups_are_judged_by_their_worst_joint_and_an_open_one_is_never_kept() -> None:
    window = WINDOWS["leaded"]

    def one(seconds: float, peak: float, wide: float = 5.0, high: float = 3.0) -> str:
        time = np.arange(0.0, 400.0)
        curve = np.where(time < 100, 25.0, np.where(time < 100 + seconds, peak, 25.0))
        found = molten(time, curve[:, None], window.melting)
        half = np.array([wide]), np.array([high])
        after = After((Joint("U1", "1", 0),), found, *half, 1.0, 0.0, 1.0)
        (made,) = groups(after, window, {"U1": 235.0})
        assert isinstance(made, Group) and (made.part, made.cell) == ("U1", 0)
        return made.verdict

    assert one(60, 214) == "kept"
    assert one(60, 170) == "cold" and one(60, 181) == "open", "two degrees short, give or take three"
    assert one(30, 214) == "short" and one(37, 214) == "open" and one(43, 214) == "open"
    assert one(60, 200) == "short" and one(60, 206) == "open"
    assert one(60, 229) == "hot" and one(60, 227) == "open" and one(60, 223) == "open"
    assert one(160, 214) == "hot" and one(148, 214) == "open"


def test_what_eyes_saw_of_the_first_and_last_joint_moves_the_fit(heron: Design) -> None:
    sheet = loaded(heron, 9.0)
    parts = [p for p in heron.parts if placed_by_paste(p, "top")]
    _, watch = joints_of(heron, heron.panel, parts, sheet, [0])
    true = OvenModel(numbers={"power_w": 1500.0, "convection_w_per_m2k": 20.0})

    def melts(oven: OvenModel) -> np.ndarray:
        done = simulate(sheet, [oven], FIRST, 430.0, watch, Terms(step_s=1.0))
        return molten(done.time, done.watched[:, :, 0], MELTING).melts

    real = melts(true)
    marks = ((float(real.min()), FIRST_SHINE), (float(real.max()), ALL_SHINY), (300.0, "door open"))
    run = Logged(sheet, FIRST, (), joints=watch, seen=marks, melting=MELTING)
    found = fit_oven(OvenModel(), [run])
    before, after = (np.abs(melts(o) - real).max() for o in (OvenModel(), found.oven))
    assert before > 25 and after < 5
    late = replace(run, seen=((marks[0][0], ALL_SHINY),))
    assert melts(fit_oven(OvenModel(), [late]).oven).max() == pytest.approx(real.min(), abs=2), (
        "the last one, not the first"
    )
    assert len(found.untold) == len(found.names), "two marks tell no number by itself"
    with pytest.raises(ValueError, match="nothing was logged"):
        fit_oven(OvenModel(), [replace(run, joints=None)])


STEPS = [
    HotAirStep("plate on", 150.0, 0.0, 0.0, 90.0, 180.0),
    HotAirStep("warm by air", 150.0, 220.0, 8.0, 30.0, 60.0),
    HotAirStep("melt", 150.0, 400.0, 12.0, 30.0, 60.0),
    HotAirStep("lift away", 150.0, 0.0, 0.0, 10.0, 30.0),
    HotAirStep("cool", 0.0, 0.0, 0.0, 60.0, 600.0),
]


def test_held_steps_melt_their_part_and_name_neighbours(heron: Design) -> None:
    assert hot_steps(STEPS) == 3 and hot_steps(STEPS[:1]) == 1
    seconds = [s.least_s for s in STEPS]
    assert plate_of(STEPS, seconds).settings == (150.0, 150.0, 150.0, 150.0, 0.0)
    stream = stream_of(STEPS, seconds, Gun(), np.zeros((1, 2)))
    assert stream.times == (0.0, 90.0, 120.0, 150.0, 160.0) and stream.half_mm == 10.0
    parts = [p for p in heron.parts if placed_by_paste(p, "top")]
    sheet = loaded(heron, 3.0)
    joints = joints_of(heron, heron.panel, parts, sheet, [0])
    middle = np.array(sheet.grid.shape[::-1]) * sheet.size / 2
    own = next(p for p in parts if p.ref == "U2")
    corner = np.array(heron.outline.bounds[:2])
    at = heron.panel.on_cell(0, np.array([own.x, own.y]) - corner)[0] - middle
    plate = Fitted(OvenModel(PLATE), (), np.empty(0), np.empty((0, 0)), 1.0, 1.0)
    found = held(sheet, joints, ("U2", 0), tuple(at), STEPS, plate, Gun(), MELTING)
    mine = [k for k, j in enumerate(found.joints) if j.part == "U2"]
    far = [k for k, j in enumerate(found.joints) if j.part == "J1"]
    assert found.longest[mine].min() > MELTING > found.longest[far].max()
    assert found.longest[mine].min() > found.shortest[mine].max() + 2
    assert (found.longest >= found.shortest - 1e-6).all() and (found.highest >= found.longest - 1e-6).all()
    assert 150 < found.melts < 300
    weak = held(sheet, joints, ("U2", 0), tuple(at), STEPS[:2], plate, Gun(), MELTING)
    assert weak.melts != weak.melts, "never"
    loose = held(sheet, joints, ("U2", 0), tuple(at), STEPS, unfitted(OvenModel(AIR)), Gun(), MELTING)
    assert (loose.highest - loose.least)[mine].min() > 10, "an unknown gun leaves much open"
    with pytest.raises(ValueError, match="no joint"):
        held(sheet, joints, ("X9", 0), (0.0, 0.0), STEPS, plate, Gun(), MELTING)
    places = {}
    for ref in (
        "U2",
        "J1",
        found.joints[int(np.argmax(np.where(np.isin(range(len(found.joints)), mine), 0, found.longest)))].part,
    ):
        p = heron.part_by_ref[ref]
        places[ref] = tuple(heron.panel.on_cell(0, np.array([p.x, p.y]) - corner)[0] - middle)
    melts = undone(sheet, joints, places, 0, STEPS, plate, Gun(), MELTING)
    assert not melts.diagonal().any() and not melts[0, 1], "J1 is far from U2"


def test_the_order_of_parts_undoes_the_fewest() -> None:
    rng = np.random.default_rng(4)
    for k in (3, 5, 6):
        for _ in range(6):
            undoes = rng.uniform(size=(k, k)) < 0.35
            np.fill_diagonal(undoes, False)
            order, harm = best_order(undoes, rng.uniform(size=k).tolist())
            every = [sum(undoes[i, j] for n, i in enumerate(p) for j in p[:n]) for p in permutations(range(k))]
            assert sorted(order) == list(range(k)) and harm == min(every)
    assert best_order(np.zeros((3, 3), dtype=bool), [1.0, 3.0, 2.0]) == ([1, 2, 0], 0), "the heaviest first"
    many = rng.uniform(size=(20, 20)) < 0.1
    np.fill_diagonal(many, False)
    order, harm = best_order(many, [0.0] * 20)
    assert harm == sum(many[i, j] for n, i in enumerate(order) for j in order[:n]) <= many.sum() / 3


def test_a_log_that_begins_late_is_read_from_its_own_beginning(heron: Design) -> None:
    """A logger that was switched on before: its clock stands at 1000 s when the oven starts."""
    sheet = loaded(heron, 9.0)
    row = "{t},{c},{d},{v:.2f},\n"
    lines = "".join(row.format(t=1000 + t, c=min(25 + t, 200), d=0, v=25 + 0.6 * t) for t in range(0, 300, 3))
    run = logged_run(
        f"time_s,set_c,door,C1@1 °C,seen\n{lines}1302,200,0,,first shine\n".encode(),
        "late.csv",
        sheet,
        None,
        (heron, heron.panel),
    )
    assert run.schedule.times[0] == 0 and run.schedule.set_at(np.array([60.0]))[0] == pytest.approx(85)
    assert run.probes[0].time[0] == 0 and run.seen == ((302.0, FIRST_SHINE),)
    short = replace(run, probes=(replace(run.probes[0], time=run.probes[0].time / 10),))
    parts = [p for p in heron.parts if placed_by_paste(p, "top")]
    with pytest.raises(ValueError, match="tells nothing of its joints"):
        after_run(short, joints_of(heron, heron.panel, parts, sheet, [0]), unfitted(OvenModel()), MELTING)
