"""Speed and quality of the placing machine's programme, on seeded jobs: gap, time to within 1 %, against going to the
nearest next, against OR-Tools' routing solver where that is installed, and how fast a run is simulated.
"""

from __future__ import annotations

import json
import os
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
from machines import job

from fusilex.core.programme.job import Job
from fusilex.core.programme.optimise import Found, optimise
from fusilex.core.programme.plan import Plan, Trip, programme_time
from fusilex.core.programme.setups import heads_for, phases
from fusilex.devices.placer import run_through
from fusilex.devices.placer_world import World
from fusilex.formats.written.gcode import to_gcode

SIZES = ((45, 20, 2.0), (600, 40, 20.0), (2000, 60, 90.0))
GAPS = {1: "≤ 5 %", 2: "≤ 10 %", 6: "stated"}


def within(j: Job, seconds: float) -> tuple[Found, float]:
    """What is found in some seconds, and when that was reached to within 1 %."""
    began = time.monotonic()
    log: list[tuple[float, float]] = []
    found = optimise(
        j,
        lambda: (time.monotonic() - began) / seconds,
        seen=lambda f: log.append((time.monotonic() - began, f.cost_s)),
    )
    return found, next(t for t, cost in log if cost <= 1.01 * found.cost_s)


def nearest(j: Job, planned: bool) -> Plan:
    """Lines in slots as the list has them; each head takes the part whose place is nearest, one trip after another:
    within nozzle set-ups that were `planned`, or with whatever nozzle the next part needs.
    """
    trips: list[Trip] = []
    here, held = np.asarray(j.machine.park), [-1] * len(j.machine.heads)
    groups = [(p.level, p.lines, p.nozzles) for p in phases(j)]
    if not planned:
        groups = [(level, tuple(range(len(j.names))), ()) for level in np.unique(j.level).tolist()]
    for level, lines, fixed in groups:
        left = set(np.flatnonzero((j.level == level) & np.isin(j.line, lines)).tolist())
        while left:
            taken: list[tuple[int, int]] = []
            for head in range(len(held)):
                some = [i for i in left if not fixed or head in heads_for(j, int(j.line[i]), fixed)]
                if not some:
                    continue
                i = some[int(np.argmin(j.leg(here, j.place_at[some, head])))]
                nozzle = fixed[head] if fixed else _nozzle(j, i, head, held)
                if nozzle < 0:
                    continue
                held[head] = nozzle
                taken.append((head, i))
                left.discard(i)
                here = j.place_at[i, head]
            trips.append(Trip(tuple(held), tuple(taken), tuple(taken)))
    return Plan(np.arange(len(j.names)), tuple(trips))


def _nozzle(j: Job, i: int, head: int, held: list[int]) -> int:
    """The nozzle a head keeps for a part, or takes where its own does not fit; −1 where others have all that do."""
    if held[head] >= 0 and j.fits[j.line[i], held[head]]:
        return held[head]
    return next((int(n) for n in np.flatnonzero(j.fits[j.line[i]]) if n not in held), -1)


def routed(j: Job, slot: np.ndarray, seconds: float) -> Plan | None:
    """OR-Tools' programme for one head from the same slots and in the same phases: a tour over placements, each leg
    the way to its slot and on to its place. None where it is not installed.
    """
    try:
        from ortools.constraint_solver import pywrapcp, routing_enums_pb2
    except ImportError:
        return None
    trips: list[Trip] = []
    before = np.asarray(j.machine.park)
    turns = j.turning(slot)
    for phase in phases(j):
        own = np.flatnonzero((j.level == phase.level) & np.isin(j.line, phase.lines))
        stands, places, turn = j.pick_at[slot[j.line[own]], 0], j.place_at[own, 0], turns[own]
        if j.machine.vision:
            out = j.leg(stands, j.look_at[0]) + np.maximum(j.leg(j.look_at[0], places), turn)
        else:
            out = np.maximum(j.leg(stands, places), turn)
        cost = np.zeros((len(own) + 1, len(own) + 1))
        cost[1:, 1:] = np.maximum(j.leg(places[:, None], stands[None]), turn[:, None]) + out[None]
        cost[0, 1:] = j.leg(before, stands) + out
        whole = np.rint(cost * 1e6).astype(int).tolist()
        manager = pywrapcp.RoutingIndexManager(len(whole), 1, 0)
        model = pywrapcp.RoutingModel(manager)
        leg = model.RegisterTransitCallback(lambda a, b, w=whole, m=manager: w[m.IndexToNode(a)][m.IndexToNode(b)])
        model.SetArcCostEvaluatorOfAllVehicles(leg)
        wanted = pywrapcp.DefaultRoutingSearchParameters()
        wanted.first_solution_strategy = routing_enums_pb2.FirstSolutionStrategy.PATH_CHEAPEST_ARC
        wanted.local_search_metaheuristic = routing_enums_pb2.LocalSearchMetaheuristic.GUIDED_LOCAL_SEARCH
        wanted.time_limit.FromMilliseconds(int(1000 * seconds * len(own) / len(j)) + 200)
        solved = model.SolveWithParameters(wanted)
        node = solved.Value(model.NextVar(model.Start(0)))
        while not model.IsEnd(node):
            i = int(own[manager.IndexToNode(node) - 1])
            trips.append(Trip(phase.nozzles, ((0, i),), ((0, i),)))
            node = solved.Value(model.NextVar(node))
        before = j.place_at[trips[-1].places[0][1], 0]
    return Plan(slot, tuple(trips))


def rows(sizes: tuple[tuple[int, int, float], ...] = SIZES) -> Iterator[tuple[str, str, str]]:
    for n, lines, seconds in sizes:
        for heads in (1, 2, 6):
            j = job(n, lines, heads)
            found, at = within(j, seconds)
            name = f"{n:,} placements, {lines} lines, {heads} head{'s' if heads > 1 else ''}"
            yield f"{name}: gap to the proven bound", f"{100 * found.gap:.1f} %", GAPS[heads]
            yield f"{name}: within 1 % of the final answer", f"{at:.1f} s", f"≤ {seconds:g} s"
            for words, planned in (("as nozzles come", False), ("in our nozzle set-ups", True)):
                plain = programme_time(j, nearest(j, planned))
                less = f"{100 * (1 - found.time_s / plain):.0f} %"
                yield f"{name}: less time than the nearest next, {words}", less, "–" if planned else "≥ 25 %"
            if heads == 1 and (other := routed(j, found.plan.slot, seconds)) is not None:
                better = f"{100 * (programme_time(j, other) / found.time_s - 1):+.2f} %"
                yield f"{name}: OR-Tools' route from the same slots takes more by", better, "≥ 0"
            if n == sizes[-1][0]:
                yield f"{name}: simulated, times real time", f"{simulated(j, found.plan):.0f}", "≥ 200"


def simulated(j: Job, plan: Plan) -> float:
    """Seconds of the machine's time a second of ours."""
    text = to_gcode(j, plan)
    world = World(j.machine)
    began = time.perf_counter()
    for _ in run_through(text, j.machine, world):
        pass
    return world.time_s / (time.perf_counter() - began)


def frame() -> tuple[str, str, str]:
    """A frame of a run, the machine's own time and the painting in it: the median of 300."""
    import tempfile

    import asked as c
    from machines import plain_programme
    from PyQt6.QtCore import QSettings

    from fusilex.bench.record.demos import open_demo
    from fusilex.bench.rooms import open_journal
    from fusilex.ui.frame.start import make_application, make_window

    app = make_application()
    with tempfile.TemporaryDirectory() as place:
        bench = open_demo(open_journal(f"sqlite:///{place}/run.sqlite"))
        c.acknowledge_all(bench)
        bench.do(c.AcceptFiles())
        for line in bench.batch.lines:
            bench.do(c.FillBin(line.key, line.pull))
        bench.do(c.CloseKit())
        bench.do(c.PrintPanel(1, 0.12, "leaded"))
        bench.go("Place", "H7-01")
        bench.do(c.KeepProgramme(*plain_programme(bench.batch), 1.0))
        window = make_window(bench, QSettings(f"{place}/s.ini", QSettings.Format.IniFormat))
        window.resize(1280, 800)
        window.show()
        window.station.show_view(2)
        view = window.station.view
        view._start(False)
        view.run.timer.stop()
        app.processEvents()
        taken = []
        for _ in range(300):
            began = time.perf_counter()
            view.run.frame()
            view.bed.repaint()
            view.ribbon.repaint()
            taken.append(time.perf_counter() - began)
        view.run.halt()
        window.close()
        app.processEvents()
    return "a frame of the machine's run over its bed", f"{1000 * sorted(taken)[150]:.1f} ms", "≤ 16 ms"


if __name__ == "__main__":
    if "--json" in sys.argv:
        print(json.dumps([frame(), *rows()]))
    else:
        print(" | ".join(frame()))
        for row in rows(SIZES[:1]):
            print(" | ".join(row), flush=True)
