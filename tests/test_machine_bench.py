"""The machine at the bench: set up, programmed, proven, run with faults, the rest by hand; and hands with their order."""

from __future__ import annotations

import re
import time
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

import asked as c
import msgspec
import numpy as np
import pytest
from asked import acknowledge_all, project, project_workshop
from conftest import read_out
from machines import plain_programme
from msgspec.structs import replace
from PyQt6.QtCore import QSettings, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit

from fusilex.bench.programme.machine_row import MachineRow
from fusilex.bench.record.bench import Bench
from fusilex.bench.record.demos import open_demo
from fusilex.bench.rooms import open_journal
from fusilex.bench.stations.place.events import Placing
from fusilex.bench.stations.place.hand import (
    bins_in_order,
    finish,
    in_order,
    next_by_hand,
    next_place,
    turn_of,
    unseen_marks,
)
from fusilex.bench.stations.place.programmed import choice, kept_of, line_of, machine_of, placer_of, plan_of, task
from fusilex.bench.stations.place.references import fit, judge_machine, points_to_teach
from fusilex.bench.stations.place.running.events import DRY, FIRST, Runs
from fusilex.bench.stations.place.running.proving import judge_proof, next_look, parts_to_look_at
from fusilex.bench.stations.place.running.runner import Runner
from fusilex.bench.stations.place.setup_events import SetUp
from fusilex.bench.stations.place.typed_input import point
from fusilex.bench.stations.reflow.judging import judge as judge_reflow
from fusilex.bench.workshop.losses import Losses
from fusilex.bench.workshop.put_right import PutRight
from fusilex.core.evidence import Level
from fusilex.core.machine.motion import short_turn
from fusilex.core.placing.centring import judge_offset
from fusilex.core.placing.first_piece import verdict_of
from fusilex.core.placing.pace import Pace, paces, rest_of
from fusilex.core.placing.rejects import Tally, judge_rejects
from fusilex.core.placing.turns import least_turn, repeats_at
from fusilex.core.programme.plan import programme_time
from fusilex.devices.meter import parse_meter
from fusilex.devices.placer import NoPlacer, SerialPlacer, SimulatedPlacer, run_through
from fusilex.devices.placer_world import NEVER, Chances, World
from fusilex.devices.terminal import Terminal
from fusilex.formats.written.gcode import gcode_lines
from fusilex.journal.place import sqlite_url
from fusilex.ui.frame.start import make_window
from fusilex.ui.frame.window import Window


class PlacerLine(Terminal):
    """The stand-in machine at the end of a serial line; its time goes `fast` times as fast as ours."""

    TICK_S = 0.002

    def __init__(self, placer: SimulatedPlacer, fast: float = 1.0) -> None:
        super().__init__()
        self.placer, self.fast = placer, fast
        self._before = time.monotonic()

    def hear(self, line: str) -> None:
        self.placer.send(line)

    def say(self) -> list[str]:
        now = time.monotonic()
        self.placer.advance((now - self._before) * self.fast)
        self._before = now
        return list(self.placer.lines())


@pytest.fixture
def bench(tmp_path: Path) -> Bench:
    bench = open_demo(open_journal(sqlite_url(tmp_path / "m.sqlite")))
    acknowledge_all(bench)
    bench.do(c.AcceptFiles())
    for line in bench.batch.lines:
        bench.do(c.FillBin(line.key, line.pull + 40))
    bench.do(c.CloseKit())
    for panel in (1, 2):
        bench.do(c.PrintPanel(panel, 0.12, "leaded"))
    bench.go("Place", "H7-01")
    teach(bench, 1)
    return bench


def teach(bench: Bench, panel: int) -> None:
    for name, x, y in bench.batch.panel.fiducials:
        bench.do(c.TeachPoint(panel, name, x + 160.2, y + 110.1))


def programmed(bench: Bench) -> None:
    slots, trips = plain_programme(bench.batch)
    bench.do(c.KeepProgramme(slots, trips, 100.0))


def prove(bench: Bench, proof: str) -> None:
    while label := next_look(bench.batch, proof):
        bench.do(c.JudgePart(proof, *label, "right"))
    bench.do(c.SignProof(proof))


def run(bench: Bench, panel: int, chances: Chances, seed: int = 1) -> Runner:
    """The stand-in through a panel, as the window drives it, and what it did on record."""
    left = task(bench.batch, panel, left_only=True)
    plan = plan_of(left.job, kept_of(bench.batch))
    world = World(left.job.machine, chances, seed)
    port = SimulatedPlacer(left.job.machine, world)
    runner = Runner(left.job, plan, list(gcode_lines(left.job, plan)), port, clock=lambda: world.time_s)
    runner.go()
    for _ in range(200_000):
        if runner.state != "running":
            break
        port.advance(0.5)
        runner.tick()
    assert runner.state == "done"
    assert {(round(p.x, 3), round(p.y, 3)) for p in world.placed} == {
        tuple(np.round(left.job.xy[left.job.labels.index(label)], 3)) for label in runner.put
    }, "what the host counts is what lies there"
    bench.do(c.MachineRan(panel, [list(p) for p in runner.put], [list(t) for t in runner.tries]))
    return runner


def test_a_programme_is_kept_only_where_it_is_one(bench: Bench) -> None:
    slots, trips = plain_programme(bench.batch)
    with pytest.raises(c.Refused, match=r"leaves .* parts out"):
        bench.do(c.KeepProgramme(slots, trips[1:], 1.0))
    twice = {**slots, next(iter(slots)): list(slots.values())[1]}
    with pytest.raises(c.Refused, match="two lines stand in one slot"):
        bench.do(c.KeepProgramme(twice, trips, 1.0))
    bad = [[t[0], t[1], [[0, "U1", 1]]] for t in trips]
    with pytest.raises(c.Refused):
        bench.do(c.KeepProgramme(slots, bad, 1.0))
    with pytest.raises(c.Refused, match="no programme"):
        bench.do(c.KeepProgramme(slots, [["x"]], 1.0))
    bench.do(c.KeepProgramme(slots, trips, 1e9))
    kept = kept_of(bench.batch)
    done = task(bench.batch, 1)
    assert kept.time_s == kept.bound_s == pytest.approx(programme_time(done.job, plan_of(done.job, kept)))
    assert {ref for ref, _ in kept.labels}.isdisjoint({"J1", "J2"}) and len(kept.labels) == 228
    bench.do(c.ChooseMachine("small placer"))
    assert kept_of(bench.batch) is None and placer_of(bench.batch).id == "small placer"


def test_the_job_lies_where_the_points_were_taught_and_each_line_is_turned_for_good(bench: Bench) -> None:
    programmed(bench)
    before = task(bench.batch, 1)
    i = before.job.labels.index(("D1", 2))
    part = bench.design.part_by_ref["D1"]
    # by complex numbers: board from its corner, stepped to cell 2, shifted as taught
    x0, y0, *_ = bench.design.outline.bounds
    at = complex(part.x - x0, part.y - y0) + complex(*bench.batch.panel.origins()[1]) + complex(160.2, 110.1)
    assert complex(*before.job.xy[i]) == pytest.approx(at, abs=1e-6)
    bench.do(c.PutLineRight("D1", 180.0, 0.1, 0.0, "seen on tape"))
    after = task(bench.batch, 1)
    assert abs(short_turn(after.job.turn[i] - before.job.turn[i])) == pytest.approx(180)
    way = complex(*after.job.xy[i]) - at
    assert way == pytest.approx(0.1 * np.exp(1j * np.radians(part.rotation_deg)), abs=1e-6)
    right = bench.workshop[PutRight].of(bench.batch.line_of["D1"])
    assert right.turn == 180 and "seen on tape" in right.source and "batch 7" in right.source
    other = after.job.labels.index(("U1", 2))
    assert after.job.turn[other] == before.job.turn[other]
    bench.do(c.Undo())
    assert not bench.workshop[PutRight].articles


def test_a_second_run_passes_over_what_stands(bench: Bench) -> None:
    programmed(bench)
    whole = task(bench.batch, 1).job
    tall = [whole.labels[i] for i in np.flatnonzero(whole.height > 3)]
    bench.do(c.PutOrder([bench.batch.line_of[tall[0][0]].key]))
    for board in bench.batch.state.panel_boards(1):
        for ref in sorted({ref for ref, _ in tall}):
            bench.do(c.PlacePart(board.serial, ref))
    left = task(bench.batch, 1, left_only=True).job
    wanted = left.machine.board_z + float(whole.height.max()) + float(left.height.max()) + 1
    assert left.height.max() < 3 and left.travel_z == pytest.approx(wanted), "what hands put down is carried over"
    lines = [text for text, _ in gcode_lines(left, plan_of(left, kept_of(bench.batch)))]
    assert f"#<_travel_z>={wanted:.4f}" in lines


def test_boards_that_moved_in_their_panel_are_taught_by_themselves(bench: Bench) -> None:
    """Each cell lies on its own, by complex numbers: z → z · turn + shift."""
    bench.do(c.ChooseReferences("board"))
    assert {j.subject for j in judge_machine(bench.batch, 1)} == {
        f"the board in cell {cell} of panel 1" for cell in range(1, 7)
    }, "the panel's own points tell nothing of a board that moved in it"
    lies = {
        cell: (np.exp(1j * np.radians(0.3 * cell - 1)), complex(160 + 0.1 * cell, 110 - 0.05 * cell))
        for cell in range(6)
    }
    wanted, error = points_to_teach(bench.batch, 1)
    assert len(wanted) == 24 and 0 < error < 0.2
    for wish in wanted:
        turn, shift = lies[int(wish.name.partition("@")[2]) - 1]
        at = complex(wish.x, wish.y) * turn + shift
        if wish.name != wanted[-1].name:
            bench.do(c.TeachPoint(1, wish.name, round(at.real, 3), round(at.imag, 3)))
    levels = {j.level for j in judge_machine(bench.batch, 1)}
    assert levels <= {Level.GO, Level.UNKNOWN}, "the last board's three points cannot tell"
    job = task(bench.batch, 1).job
    for (ref, cell), xy, i in zip(job.labels, job.xy, range(len(job)), strict=True):
        part = bench.design.part_by_ref[ref]
        x0, y0, *_ = bench.design.outline.bounds
        flat = complex(part.x - x0, part.y - y0) + complex(*bench.batch.panel.origins()[cell - 1])
        turn, shift = lies[cell - 1]
        assert complex(*xy) == pytest.approx(flat * turn + shift, abs=0.003)
        flat_turn = short_turn(job.turn[i] - np.degrees(np.angle(turn)) - part.rotation_deg)
        assert min(abs(flat_turn % 90), 90 - flat_turn % 90) < 0.01
    wrong = wanted[0].name
    bench.do(c.TeachPoint(1, wrong, 200.0, 150.0))
    assert Level.STOP in {j.level for j in judge_machine(bench.batch, 1) if "cell 1" in j.subject}
    bench.do(c.Undo())
    bench.do(c.ChooseReferences("panel"))
    assert complex(*task(bench.batch, 1).job.xy[0]) != pytest.approx(complex(*job.xy[0]), abs=0.02)


def test_nothing_runs_before_it_is_proven_and_a_wrong_part_is_looked_at_again(bench: Bench) -> None:
    programmed(bench)
    label = next(iter(kept_of(bench.batch).labels))
    with pytest.raises(c.Refused, match="Dry run not signed"):
        bench.do(c.MachineRan(1, [list(label)], []))
    with pytest.raises(c.Refused, match="not looked at yet"):
        bench.do(c.SignProof(DRY))
    assert {ref for ref, _ in parts_to_look_at(bench.batch)} == {ref for ref, _ in kept_of(bench.batch).labels}
    while (look := next_look(bench.batch, DRY)) and look[0] != "D2":
        bench.do(c.JudgePart(DRY, *look, "right"))
    bench.do(c.JudgePart(DRY, *look, "wrong"))
    while look := next_look(bench.batch, DRY):
        bench.do(c.JudgePart(DRY, *look, "right"))
    with pytest.raises(c.Refused, match="D2 was wrong"):
        bench.do(c.SignProof(DRY))
    assert "D2" in judge_proof(bench.batch, 1)[0].headline
    bench.do(c.PutLineRight("D2", 180.0, 0.0, 0.0, ""))
    again = next_look(bench.batch, DRY)
    assert again is not None and bench.batch.line_of[again[0]].key == bench.batch.line_of["D2"].key
    prove(bench, DRY)
    assert judge_proof(bench.batch, 1)[0].level is Level.GO
    run(bench, 1, NEVER)
    teach(bench, 2)
    bench.go("Place", "H7-07")
    assert "First article not signed" in judge_proof(bench.batch, 2)[0].headline
    with pytest.raises(c.Refused, match="First article"):
        bench.do(c.MachinePlaced(2))
    prove(bench, FIRST)
    bench.do(c.MachinePlaced(2))
    bench.do(c.PutLineRight("D2", 90.0, 0.0, 0.0, ""))
    assert judge_proof(bench.batch, 2)[0].level is Level.STOP, "another turn is another programme"
    prove(bench, FIRST)
    programmed(bench)
    again = judge_proof(bench.batch, 2)[0]
    assert again.level is Level.STOP and again.says.case == "not signed", "a programme found anew is proven by nothing"


def test_a_signature_holds_for_how_parts_lay_when_it_was_given(bench: Bench) -> None:
    programmed(bench)
    prove(bench, DRY)
    body = msgspec.to_builtins(placer_of(bench.batch))
    slot = next(iter(kept_of(bench.batch).slots.values()))
    for row in body["slots"]:
        row["turn"] = 180.0 if row["name"] == slot else row["turn"]
    bench.do(c.SetRecord("placer", body))
    assert "after the dry run was signed" in judge_proof(bench.batch, 1)[0].headline
    with pytest.raises(c.Refused, match="after the dry run"):
        bench.do(c.MachinePlaced(1))
    bench.do(c.Undo())
    assert judge_proof(bench.batch, 1)[0].level is Level.GO


def test_a_part_from_another_line_on_some_boards_is_looked_at_too(bench: Bench) -> None:
    bench.do(c.SetOption(["H7-04"], "R5", "a trial", "33 k", "SR-9"))
    bench.go("Place", "H7-04")
    bench.do(c.DecideLine(bench.batch.line_of["R5"].key, "machine"))
    programmed(bench)
    cells = sorted(cell for ref, cell in kept_of(bench.batch).labels if ref == "R5")
    looks = sorted(cell for ref, cell in parts_to_look_at(bench.batch) if ref == "R5")
    lines = {c_: line_of(bench.batch, 1, c_ - 1, bench.design.part_by_ref["R5"]) for c_ in cells}
    assert len(set(lines.values())) == 2 == len(looks) and 4 in looks


def test_a_run_with_faults_leaves_its_rejects_for_the_hand(bench: Bench) -> None:
    programmed(bench)
    prove(bench, DRY)
    line = bench.batch.line_of["R5"]
    slot = kept_of(bench.batch).slots[line.key]
    bench.do(c.LoadSlot(slot, line.key, 30))
    losses = bench.workshop[Losses].lost.copy()
    runner = run(bench, 1, Chances(miss=0.05, side=0.03, lost=0.03), seed=4)
    rejects = Counter(seen for *_, seen in runner.tries if seen)
    assert rejects and len(runner.put) < 228
    on = sum(len(bench.state.boards[b].placed) for b in bench.state.boards)
    assert on == len(runner.put)
    board = bench.state.boards["H7-01"]
    assert board.step == "Place" and {"J1", "J2"} <= {
        p.ref for p in bench.batch.parts_of("Place") if p.ref not in board.placed
    }
    assert next_by_hand(bench.batch, board) is not None
    lost = sum(n for kind, n in rejects.items() if kind not in ("jam", "empty"))
    assert sum(bench.workshop[Losses].lost.values()) - sum(losses.values()) == lost
    runs = bench.state[Runs]
    assert sum(n for (kind, _), n in runs.tries.items() if kind == "slot") == len(runner.tries)
    gone = sum(ref in line.refs for _, _, ref, _, _ in runner.tries)
    assert bench.state[SetUp].loaded["Place"][slot].left == 30 - gone
    assert project(bench.record.history) == bench.state
    for board in bench.state.panel_boards(1):
        while (part := next_by_hand(bench.batch, board)) and board.step == "Place":
            bench.do(c.PlacePart(board.serial, part.ref))
    assert {b.step for b in bench.state.panel_boards(1)} == {"Reflow"}


def test_what_the_machine_waits_for_is_said_by_name(bench: Bench) -> None:
    bench.do(c.ChooseMachine("small placer"))
    slots, trips = plain_programme(bench.batch)
    job = task(bench.batch, 1).job
    strip = next(k for k, s in enumerate(job.machine.slots) if s.name == "S1")
    most = max((k for k in range(len(job.names)) if job.can[k, strip]), key=lambda k: job.count[k])
    used = {strip: 5}
    assert job.count[most] > 13 - 5, "more than there is in the strip"
    free = {line: slot for line, slot in slots.items() if slot == "S1" and line != job.names[most]}
    slots |= dict.fromkeys(free, slots[job.names[most]]) | {job.names[most]: "S1"}
    bench.do(c.KeepProgramme(slots, trips, 1.0))
    plan = plan_of(job, kept_of(bench.batch))
    world = World(job.machine, Chances(0.2, 0, 0, 0, 0), 3, emptied=used)
    port = SimulatedPlacer(job.machine, world)
    runner = Runner(job, plan, list(gcode_lines(job, plan, emptied=used)), port, clock=lambda: world.time_s)
    said = set()
    runner.go()
    for _ in range(100_000):
        port.advance(1.0)
        runner.tick()
        if runner.state == "waiting":
            said.add(runner.said)
            runner.go()
        if runner.state == "done":
            break
    assert said >= {
        "Put nozzle large on head only. Hands out, then go on.",
        "The strip in slot S1 is empty: put a full one in. Hands out, then go on.",
    }
    assert runner.faults and all(re.fullmatch(r"(missed|not picked), slot \w+, head only", f) for f in runner.faults)


def test_a_feeder_surely_worse_than_the_others_is_named_with_what_to_check() -> None:
    fleet = {f"F{k}": Tally(200, 2) for k in range(10)}
    assert judge_rejects("slot", fleet) == []
    bad = judge_rejects("slot", {**fleet, "F3": Tally(100, 9, (("not picked", 8), ("rejected", 1)))})
    assert [j.subject for j in bad] == ["slot F3"] and bad[0].do.index("tape empty") < bad[0].do.index("cover tape")
    # Wilson by hand: 9 of 100, z 1.96
    p, n, z = 0.09, 100, 1.959964
    low = (p + z * z / 2 / n - z * np.sqrt(p * (1 - p) / n + z * z / 4 / n / n)) / (1 + z * z / n)
    assert f"{100 * low:.1f}" in str(bad[0].quantities)
    assert judge_rejects("slot", {**fleet, "F3": Tally(13, 1)}) == [], "one alone is chance"
    rng = np.random.default_rng(16)
    named = honest = 0
    for _ in range(2000):  # a good machine with 12 slots of different use, looked at after each of three panels
        tries = np.cumsum(rng.integers(2, 60, (3, 12)), axis=0)
        bad = np.cumsum(rng.binomial(np.diff(tries, axis=0, prepend=0), 0.02), axis=0)
        looks = [
            {f"F{k}": Tally(int(t), int(b)) for k, (t, b) in enumerate(zip(*rows, strict=True))}
            for rows in zip(tries, bad, strict=True)
        ]
        honest += any(judge_rejects("slot", look) for look in looks)
        worn = {**looks[-1], "F3": Tally(90, int(rng.binomial(90, 0.2)))}
        named += "slot F3" in [j.subject for j in judge_rejects("slot", worn)]
    assert honest <= 0.025 * 2000 and named > 0.95 * 2000


def test_slots_pockets_and_first_pieces(bench: Bench) -> None:
    programmed(bench)
    line = bench.batch.line_of["R5"]
    slot = kept_of(bench.batch).slots[line.key]
    with pytest.raises(c.Refused, match="no slot"):
        bench.do(c.LoadSlot("Z9", line.key, 10))
    with pytest.raises(c.Refused, match=r"has .* in slot"):
        bench.do(c.LoadSlot(next(s.name for s in machine_of(bench.batch).slots if s.name != slot), line.key, 10))
    bench.do(c.MeasurePiece(line.key, 1e6))
    with pytest.raises(c.Refused, match="look at the tape"):
        bench.do(c.LoadSlot(slot, line.key, 10))
    bench.do(c.Undo())
    bench.do(c.LoadSlot(slot, line.key, 10))
    stands = next(s for s in machine_of(bench.batch).slots if s.name == slot)
    with pytest.raises(c.Refused, match=r"5\.0 mm from where the machine has it"):
        bench.do(c.SeePocket(slot, 0, stands.x + 5, stands.y))
    bench.do(c.SeePocket(slot, 10, stands.x + 20.4, stands.y))
    taught = next(s for s in task(bench.batch, 1).job.machine.slots if s.name == slot)
    assert taught == stands, "one pocket further on tells nothing of the pick point"
    bench.do(c.SeePocket(slot, 5, stands.x + 10.4, stands.y - 0.1))
    taught = next(s for s in task(bench.batch, 1).job.machine.slots if s.name == slot)
    assert (taught.x, taught.y) == pytest.approx((stands.x + 0.4, stands.y - 0.2)), "the line through both"
    with pytest.raises(c.Refused, match="outside the bed"):
        bench.do(c.SeePocket(slot, 0, 900.0, 24.0))
    taken = choice(bench.batch, 1)
    bench.do(c.DecideLine(line.key, "hand"))
    assert choice(bench.batch, 1).hand[line.key] == "you said so" and line.key in taken.machine
    bench.do(c.DecideLine(bench.batch.line_of["J2"].key, "machine"))
    assert bench.batch.line_of["J2"].key in choice(bench.batch, 1).machine, "flat top or not, the user knows"


# by hand


def test_a_part_that_lies_onto_itself_is_never_turned_round(bench: Bench) -> None:
    parts = bench.design.part_by_ref
    for ref, part in parts.items():
        turn, repeats = turn_of(part), repeats_at(part)
        assert abs(turn) <= repeats / 2 and (part.rotation_deg - turn) % repeats == pytest.approx(0, abs=1e-9), ref
    plain = replace(parts["C5"], rotation_deg=180.0)
    assert turn_of(plain) == 0 and repeats_at(parts["D1"]) == 360 and repeats_at(parts["U1"]) == 360
    assert least_turn(-135, 90) == 45 and least_turn(180, 360) == 180


def test_own_order_rounds_and_marks(bench: Bench) -> None:
    board = bench.state.boards["H7-01"]
    last = bench.batch.lines_of(board)[bench.batch.parts_of("Place")[-1].ref].key
    bench.do(c.PutOrder([last]))
    assert bench.batch.lines_of(board)[in_order(bench.batch, board)[0].ref].key == last
    with pytest.raises(c.Refused, match="twice"):
        bench.do(c.PutOrder([last, last]))
    bench.do(c.PutOrder([]))
    bench.do(c.ChooseRounds("part by part"))
    assert next_place(bench.batch, bench.state.boards["H7-04"])[0].serial == "H7-04"
    bench.do(c.PlacePart("H7-04", next_by_hand(bench.batch, bench.state.boards["H7-04"]).ref))
    assert next_place(bench.batch, bench.state.boards["H7-04"])[0].serial == "H7-05", "on to the neighbour"
    bench.do(c.Undo())
    bench.go("Place", "H7-01")
    seen = []
    for _ in range(12):
        board, part = next_place(bench.batch, board)
        seen.append((board.serial, bench.batch.lines_of(board)[part.ref].key))
        bench.do(c.PlacePart(board.serial, part.ref))
    first = bench.batch.lines[0]
    assert {k for _, k in seen[: 6 * len(first.refs)][:12]} == {first.key} and len({s for s, _ in seen}) == 6
    board = bench.state.boards["H7-01"]
    for part in bench.batch.parts_of("Place")[:-1]:
        if part.ref not in board.placed:
            bench.do(c.PlacePart("H7-01", part.ref))
    marks = unseen_marks(bench.batch, board)
    assert marks and all(p.package.polarised for p in marks) and "C5" not in {p.ref for p in marks}
    bench.do(c.SeeMark("H7-01", [marks[0].ref], "wrong"))
    stop = next(j for j in bench.judgements("Place") if j.rule == "place.marks")
    assert stop.level is Level.STOP and marks[0].ref in stop.headline
    there = judge_reflow(bench.batch.about("H7-01", "Reflow"))
    assert stop.key in {j.key for j in there if j.level is Level.STOP}, "and it holds the board before the heat, too"
    for part in marks:
        bench.do(c.SeeMark("H7-01", [part.ref], "right"))
    assert not unseen_marks(bench.batch, board)
    with pytest.raises(c.Refused, match="no wrong way"):
        bench.do(c.SeeMark("H7-01", ["C5"], "right"))


def test_the_pace_is_learnt_and_its_interval_covers() -> None:
    rng = np.random.default_rng(3)
    inside = 0
    for _ in range(400):
        own = np.exp(rng.normal(np.log(11), 0.3))
        times = np.exp(rng.normal(np.log(own), 0.4, 60))
        known = paces([("0402", float(t)) for t in times[:30]])
        mean, low, high = rest_of({"0402": 30}, known)
        inside += low <= times[30:].sum() <= high
        assert low <= mean <= high
    assert 0.9 < inside / 400 <= 0.99
    assert rest_of({}, paces([])) == (0.0, 0.0, 0.0)
    pace = Pace(10.0, 0.5, 1)
    sample = np.exp(rng.normal(np.log(10), 0.5, 200_000))
    assert pace.mean_s == pytest.approx(sample.mean(), rel=0.01) and pace.variance == pytest.approx(
        sample.var(), rel=0.05
    )


def test_nudge_or_leave_goes_by_the_pads(bench: Bench) -> None:
    parts = bench.design.part_by_ref
    chip, leaded, quad, pegged = parts["R10"], parts["Q1"], parts["U1"], parts["J2"]
    width = min(np.diff(np.array(chip.pads[0].polygon.bounds).reshape(2, 2), axis=0)[0])
    along = np.radians(chip.rotation_deg)
    across = np.array([-np.sin(along), np.cos(along)])
    assert judge_offset(chip, *(0.3 * width * across)).level is Level.GO
    assert judge_offset(chip, *(1.2 * width * across)).level is Level.CARE
    assert judge_offset(leaded, 0.02, 0.0).level is Level.GO and judge_offset(leaded, 0.5, 0.0).level is Level.CARE
    assert judge_offset(quad, 0.2, 0.0).level is Level.CARE and judge_offset(pegged, 0.1, 0.0).level is Level.CARE
    assert judge_offset(replace(chip, pads=()), 0.1, 0).level is Level.UNKNOWN


# on the screen


@pytest.fixture
def window(qtbot, bench: Bench, tmp_path: Path) -> Iterator[Window]:  # type: ignore[no-untyped-def]
    made = make_window(bench, QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat))
    qtbot.addWidget(made)
    made.resize(1280, 800)
    made.show()
    made.desk.go("Place", "H7-01")
    yield made


def press(window: Window, *keys: Qt.Key) -> None:
    for key in keys:
        QTest.keyClick(window, key)


def answer(window: Window, text: str) -> None:
    line = next(w for w in window.findChildren(QLineEdit) if w.isVisible())
    line.setText(text)
    QTest.keyClick(line, Qt.Key.Key_Return)


def test_a_panel_goes_through_the_machine_by_keys(qtbot, window: Window) -> None:  # type: ignore[no-untyped-def]
    bench, K = window.desk.bench, Qt.Key
    bench.do(c.ChooseWay("machine"))
    window.station.show_view(2)
    view = window.station.view
    assert window.station.now().title == "Find a programme"
    press(window, K.Key_O)
    view.search.seconds = 1.0
    press(window, K.Key_X)
    qtbot.waitUntil(lambda: view.search is None, timeout=30_000)
    assert kept_of(bench.batch) is not None and "from the best of all" in window.desk.said
    assert "Dry run not signed" in window.station.now().title
    press(window, K.Key_S)
    assert view.run is not None and view.run.dry
    view.run.timer.stop()
    view.run.fast = True
    for _ in range(60):
        view.run.frame()
    assert view.run.runner.state == "stepped" and view.run.runner.stop is not None
    press(window, K.Key_Space)
    for _ in range(40):
        view.run.frame()
    assert view.run.runner.put and not bench.state.boards["H7-01"].placed, "on tape nothing counts"
    press(window, K.Key_X)
    assert view.run is None
    window.station.show_view(3)
    press(window, K.Key_Space, K.Key_X)
    press(window, K.Key_A)
    answer(window, "180")
    assert bench.workshop[PutRight].articles
    for _ in range(45):
        press(window, K.Key_Space)
    press(window, K.Key_G)
    assert judge_proof(bench.batch, 1)[0].level is Level.GO
    window.station.show_view(2)
    press(window, K.Key_R)
    view.run.timer.stop()
    view.run.fast = True
    for _ in range(3000):
        if view.run is None:
            break
        view.run.frame()
    assert view.run is None and len(bench.state.boards["H7-01"].placed) > 30
    assert "placed" in window.desk.said
    window.station.show_view(1)
    press(window, K.Key_Down, K.Key_M)
    assert len(bench.state[SetUp].said["Place"]) == 1
    press(window, K.Key_M)
    press(window, K.Key_L)
    answer(window, "nonsense here now")
    assert "no count" in window.desk.said
    press(window, K.Key_V)
    answer(window, "fish")
    assert "no reading" in window.desk.said


def test_the_next_panel_goes_on_with_the_strip_and_the_bed_is_as_it_is(qtbot, window: Window) -> None:  # type: ignore[no-untyped-def]
    bench, K = window.desk.bench, Qt.Key
    for what in (c.ChooseWay("machine"), c.ChooseMachine("small placer")):
        bench.do(what)
    teach(bench, 2)
    slots, trips = plain_programme(bench.batch)
    bench.do(c.KeepProgramme(slots, trips, 1.0))
    for line, slot in slots.items():
        bench.do(c.LoadSlot(slot, line, 90))
    prove(bench, DRY)
    prove(bench, FIRST)
    strips = [s for s in machine_of(bench.batch).slots if s.pockets > 1 and s.name in slots.values()]
    assert len(strips) > 2
    off = next(s for s in machine_of(bench.batch).slots if s.pockets == 1 and s.name in slots.values())
    window.station.show_view(2)
    view = window.station.view
    view.chances = NEVER
    for panel, serial in ((1, "H7-01"), (2, "H7-07")):
        window.desk.go("Place", serial)
        if panel == 2:
            bench.do(c.SeePocket(off.name, 0, off.x + 1.5, off.y))
        window.station.show_view(2)
        view = window.station.view
        press(window, K.Key_R)
        run = view.run
        run.timer.stop()
        while run.runner.state not in ("done", "failed", "stopped"):
            run.advance(20.0)
            if run.runner.state == "waiting":
                run.runner.go()
        run.frame()
        kinds = {fault.partition(",")[0] for fault in run.runner.faults}
        assert kinds == (set() if panel == 1 else {"nothing there"}), run.runner.faults[:3]
    gone = bench.state[SetUp].loaded["Place"]
    assert all(gone[s.name].gone > s.pockets / 4 for s in strips)


def test_machines_in_a_row_are_compared_in_the_window(qtbot, window: Window, tmp_path: Path, monkeypatch) -> None:  # type: ignore[no-untyped-def]
    monkeypatch.setattr(MachineRow, "usual_seconds", lambda self, machines: 0.5)
    window.station.show_view(2)
    before = window.desk.bench.state.last_id
    press(window, Qt.Key.Key_A)
    dialog = window.station.view.asked
    dialog.counts["bench placer"].setValue(1)
    dialog.counts["small placer"].setValue(1)
    dialog.go.click()
    qtbot.waitUntil(lambda: dialog.search is None, timeout=60_000)
    both = dialog.made
    lines = [set(one.job.names) for one in both]
    taken = choice(window.desk.batch, 1).machine
    assert len(both) == 2 and not lines[0] & lines[1] and lines[0] | lines[1] >= set(taken)
    slowest = max(one.found.time_s for one in both)
    assert f"every {slowest:.0f} s" in dialog.said.text() and slowest >= dialog.bound_s > slowest / 2
    assert dialog.table.item(1, 2).text() == str(len(both[1].job))
    monkeypatch.setattr(dialog.desk, "save_file", lambda title, name, write: write(str(tmp_path / "row.ngc")))
    dialog.write.click()
    for n, one in enumerate(both, 1):
        world = World(one.job.machine)
        steps = list(run_through((tmp_path / f"row-{n}.ngc").read_text(), one.job.machine, world))
        assert len(world.placed) == len(one.job) and not world.faults
        assert sum(s.seconds for s in steps) == pytest.approx(one.found.time_s, rel=1e-3)
    dialog.counts["bench placer"].setValue(0)
    dialog.counts["small placer"].setValue(0)
    dialog.go.click()
    assert "No machine" in dialog.said.text()
    dialog.close()
    assert window.desk.bench.state.last_id == before, "nothing of it goes on record"


def test_hands_choose_another_part_and_sweep_the_marks(window: Window) -> None:
    bench, K = window.desk.bench, Qt.Key
    first = window.station.view.hand.in_hand()
    press(window, K.Key_Right)
    other = window.station.view.hand.in_hand()
    assert other.ref != first.ref and other.ref in window.station.now().title
    press(window, K.Key_Space)
    assert bench.state.boards["H7-01"].placed == [other.ref]
    press(window, K.Key_B)
    assert "Part by part" in window.desk.said and "min a panel" in window.desk.said
    press(window, K.Key_G)
    answer(window, f"{first.ref} 0.05 0")
    assert first.ref in window.desk.said and "self-align" in window.desk.said
    press(window, K.Key_Period)
    assert "goes on later" in window.desk.said
    row = window.station.view.bins
    row.repaint()
    before = [line.key for line in bins_in_order(bench.batch)]
    (start, key), (end, over) = [(row._shown[n].box, row._shown[n].key) for n in (2, 0)]
    QTest.mousePress(row, Qt.MouseButton.LeftButton, pos=start.center().toPoint())
    QTest.mouseMove(row, end.center().toPoint())
    QTest.mouseRelease(row, Qt.MouseButton.LeftButton, pos=end.center().toPoint())
    after = [line.key for line in bins_in_order(bench.batch)]
    assert after.index(key) == before.index(over) and "goes on earlier" in window.desk.said
    assert [k for k in after if k != key] == [k for k in before if k != key]
    row.repaint()
    box, key = row._shown[1].box, row._shown[1].key
    QTest.mouseClick(row, Qt.MouseButton.LeftButton, pos=box.center().toPoint())
    assert bench.batch.line_of[window.station.view.hand.in_hand().ref].key == key
    press(window, K.Key_P)
    assert "mark" in window.station.now().title.lower()
    press(window, K.Key_P)
    assert finish(bench.batch, bench.state.boards["H7-01"])[0] > 60
    assert project_workshop(bench.shop.history) == bench.workshop


def test_points_are_brought_under_the_cross_by_keys_and_a_bad_print_goes_back(window: Window) -> None:
    bench, K = window.desk.bench, Qt.Key
    bench.do(c.ChooseWay("machine"))
    for name in ("P1", "P2", "P3"):
        bench.do(c.ForgetPoint(1, name))
    window.station.show_view(4)
    view = window.station.view
    press(window, K.Key_H)
    assert "P1" not in {p.name for p in view.wanted()} and "another stands in" in window.desk.said
    view.chances = NEVER
    view.refresh()
    assert view.picture.hidden == {"P1"}, "what was said to be hidden"
    view.chances = replace(NEVER, hidden=1.0)
    view.refresh()
    assert view.picture.hidden == {"P1", "P2", "P3"}, "what tape covers"
    press(window, K.Key_Return, K.Key_Return, K.Key_Up, K.Key_Return, K.Key_Right, K.Key_Left, K.Key_Return)
    assert not bench.state[Placing].taught[1, "Place"], "what was not brought under the cross is not taught"
    assert "along x and along y" in window.desk.said
    taken = 0
    while following := next(iter(view.wanted()), None):
        lie = view.picture.lie
        x, y = lie.on_bed(following.x, following.y)
        for _ in range(400):
            dx, dy = x - view.picture.at[0], y - view.picture.at[1]
            if max(abs(dx), abs(dy)) <= 0.0101:
                break
            key = (K.Key_Right if dx > 0 else K.Key_Left) if abs(dx) > abs(dy) else (K.Key_Up if dy > 0 else K.Key_Down)
            fine = max(abs(dx), abs(dy)) < 0.26
            shift = Qt.KeyboardModifier.ShiftModifier if fine else Qt.KeyboardModifier.NoModifier
            QTest.keyClick(window, key, shift)
        press(window, K.Key_Return)
        taken += 1
    placing = bench.state[Placing]
    assert taken == 4 and {placing.read[1, "Place"][name] for name in placing.taught[1, "Place"]} == {0.02}
    bench.do(window.desk.read(lambda: point(1, "U1@2 300.1mm 120.25mm")))
    assert bench.state[Placing].read[1, "Place"].get("U1@2") == 0.1, "a point is known as well as its coarser number"
    bench.do(c.Undo())
    found = fit(bench.batch, 1)
    assert found.rotation_deg == pytest.approx(lie.turn, abs=0.02) and found.rms_mm < 0.02
    true = np.array([lie.on_bed(*p) for p in ([100.0, 40.0], [20.0, 50.0])])
    assert np.hypot(*(found.apply([[100.0, 40.0], [20.0, 50.0]]) - true).T).max() < 0.03
    press(window, K.Key_W)
    assert {b.step for b in bench.state.panel_boards(1)} == {"Print"}
    assert "bad print" in str(bench.record.history[-30:])


def test_without_a_port_nothing_runs_and_no_camera_teaches(window: Window) -> None:
    bench, K = window.desk.bench, Qt.Key
    bench.do(c.ChooseWay("machine"))
    programmed(bench)
    for port in ("", "/dev/none"):
        bench.do(c.SetRecord("placer", {**msgspec.to_builtins(placer_of(bench.batch)), "port": port}))
        window.desk.say("")
        window.station.show_view(4)
        before = dict(bench.state[Placing].taught[1, "Place"])
        press(window, K.Key_Up, K.Key_Right, K.Key_Return, K.Key_H)
        assert bench.state[Placing].taught[1, "Place"] == before and not bench.state[Placing].hidden
        assert "No picture" in window.station.now().title and not window.station.view.picture.isVisible()
        window.station.show_view(2)
        press(window, K.Key_R)
        assert window.station.view.run is None and ("has no port" in window.desk.said) == (port == "")


def test_the_bed_is_edited_in_its_picture(window: Window) -> None:
    bench, K = window.desk.bench, Qt.Key
    bench.do(c.ChooseWay("machine"))
    window.station.show_view(2)
    view = window.station.view
    press(window, K.Key_B, K.Key_Right)
    name = view.edit.slot.name
    x = view.edit.slot.x
    QTest.keyClick(window, K.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    slot = next(s for s in machine_of(bench.batch).slots if s.name == name)
    assert slot.x == pytest.approx(x + 0.5)
    at = view.bed.to_px(slot.x, slot.y)
    there = view.bed.to_px(slot.x + 6, slot.y + 60)
    QTest.mousePress(view.bed, Qt.MouseButton.LeftButton, pos=at.toPoint())
    QTest.mouseRelease(view.bed, Qt.MouseButton.LeftButton, pos=there.toPoint())
    slot = next(s for s in machine_of(bench.batch).slots if s.name == name)
    assert (slot.x, slot.y) == (pytest.approx(x + 6.5, abs=1.5), pytest.approx(24 + 60, abs=1.5))
    count = len(machine_of(bench.batch).slots)
    press(window, K.Key_A)
    assert len(machine_of(bench.batch).slots) == count + 1
    press(window, K.Key_D)
    press(window, K.Key_P)
    answer(window, "900 24")
    assert all(s.x <= 500 for s in machine_of(bench.batch).slots)
    press(window, K.Key_T, K.Key_K, K.Key_B)
    assert view.edit is None and bench.workshop == project_workshop(bench.shop.history)


def test_a_meter_stands_in_and_says_what_it_shows(window: Window) -> None:
    bench, K = window.desk.bench, Qt.Key
    bench.do(c.SetRecord("instrument", {"id": "meter", "measures": "component", "port": "stand-in"}))
    window.station.show_view(1)
    press(window, K.Key_V)
    read_out(window)
    value, verdict = next(iter(bench.state[SetUp].measured.values()))
    assert verdict == "right" and value == pytest.approx(1e-6, rel=0.02) and "it should be" in window.desk.said
    assert parse_meter("C 98.2 nF") == ("C", pytest.approx(98.2e-9)) and parse_meter("OL") is None
    assert verdict_of("10 k 1 %", "resistor", 10_150)[0] == "can't tell"
    assert verdict_of("10 k 1 %", "resistor", 9_990)[0] == "can't tell", "a meter of 1 % cannot tell 1 %"
    assert verdict_of("10 k", "resistor", 10_600)[0] == "can't tell" and verdict_of("", "ic", 5)[0] == "can't tell"


def test_a_template_is_previewed_while_it_is_typed(qtbot, window: Window, tmp_path: Path, monkeypatch) -> None:  # type: ignore[no-untyped-def]
    bench, K = window.desk.bench, Qt.Key
    bench.do(c.ChooseWay("machine"))
    bench.do(c.KeepProgramme(*plain_programme(bench.batch), 1.0))
    window.station.show_view(2)
    ribbon = window.station.view.ribbon
    assert ribbon.total == pytest.approx(kept_of(bench.batch).time_s)
    window.desk.do(c.ChooseMachine("small placer"))
    assert ribbon.total == 0 and window.station.view.plan is None, "no picture of a programme that is gone"
    window.desk.do(c.KeepProgramme(*plain_programme(bench.batch), 1.0))
    assert ribbon.total == pytest.approx(kept_of(bench.batch).time_s)
    window.desk.do(c.Undo())
    window.desk.do(c.Undo())
    assert placer_of(bench.batch).id == "bench placer"
    press(window, K.Key_T)
    dialog = window.station.view.asked
    assert dialog.shown.toPlainText().count("\n") >= 227 and dialog.said.text() == "228 lines."
    dialog.words.setPlainText("{{ design }} {{ nothing }}")
    qtbot.waitUntil(lambda: "nothing" in dialog.said.text(), timeout=3000)
    assert dialog.shown.toPlainText().count("\n") >= 227, "what was right last stays"
    dialog.words.setPlainText("{{ placements }} parts")
    monkeypatch.setattr(
        "fusilex.ui.frame.file_dialogs.QFileDialog.getSaveFileName", lambda *a: (str(tmp_path / "out.txt"), "")
    )
    dialog._save()
    assert (tmp_path / "out.txt").read_text() == "228 parts"
    dialog.reject()


def test_a_run_over_a_serial_line_is_the_same_run(bench: Bench) -> None:
    programmed(bench)
    left = task(bench.batch, 1)
    plan = plan_of(left.job, kept_of(bench.batch))
    short = replace(plan, trips=plan.trips[:12])
    world = World(left.job.machine)
    with PlacerLine(SimulatedPlacer(left.job.machine, world), fast=400.0) as line:
        port = SerialPlacer(line.port)
        port.send("?")
        runner = Runner(left.job, short, list(gcode_lines(left.job, short)), port, clock=lambda: world.time_s)
        runner.go()
        began = time.monotonic()
        while runner.state == "running" and time.monotonic() - began < 30:
            runner.tick()
            time.sleep(0.001)
        port.close()
    assert runner.state == "done" and len(runner.put) == len(world.placed) == 12 and not runner.faults
    with pytest.raises(NoPlacer, match="No machine: /dev/nowhere cannot be opened"):
        SerialPlacer("/dev/nowhere")
