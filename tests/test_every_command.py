"""Every command there is, in any order: from the command classes themselves, with arguments made up by the names of
their fields.
"""

from __future__ import annotations

import importlib
import pkgutil
import random
from collections import Counter
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import asked as c
import pytest
from asked import CAUTIONS, RULES, project, project_workshop, well
from conftest import HERON
from machines import plain_programme
from msgspec.structs import fields

from fusilex.bench.boards import PastePrint
from fusilex.bench.common.standing import Standing
from fusilex.bench.record.bench import Bench
from fusilex.bench.record.undoing import place_of
from fusilex.bench.rooms import BY_NAME, EVENT_KINDS, open_journal
from fusilex.bench.station import Station
from fusilex.bench.stations.hand.extra import Extra
from fusilex.bench.stations.inspect.pictures import Pictures
from fusilex.bench.stations.kit.events import bin_open
from fusilex.bench.stations.kit.fitting import lines_to_pull
from fusilex.bench.stations.make.typed_input import EXAMPLES, done
from fusilex.bench.stations.place.events import Placing
from fusilex.bench.stations.place.programmed import kept_of
from fusilex.bench.stations.print.foil import next_stage
from fusilex.bench.stations.release.getting_ready import next_cut, next_step
from fusilex.bench.stations.test import functions
from fusilex.bench.stations.test.now import port_in_hand
from fusilex.bench.workshop.losses import Losses
from fusilex.bench.workshop.stock import Lots
from fusilex.core.checks.fixes import Fix
from fusilex.core.evidence import Level
from fusilex.core.inspection.faults import FAULT_WORDS
from fusilex.core.judgement import Facts
from fusilex.core.kit.losses import loss_key
from fusilex.core.panel.layout import Panel, single
from fusilex.core.printing.looking import WORDS
from fusilex.core.problems import BadInput
from fusilex.core.route.steps import DONE, one_side
from fusilex.formats.bundle import Files
from fusilex.journal.entries import Entry, Event
from fusilex.journal.place import sqlite_url
from fusilex.ui.stations import picture_of

LOG = (HERON / "oven-run-1.csv").read_bytes()
NOW = datetime.now(UTC).isoformat()
COMMANDS = sorted(c.COMMANDS, key=lambda k: k.__name__)
DONE_BY_HANDS = {
    "bare_counted": "Bare boards", "bin_filled": "Kit", "kit_closed": "Kit", "panel_printed": "Print", "print_wiped": "Print",
    "parts_placed": "Place", "part_dropped": "Place", "point_taught": "Place", "load_reflowed": "Reflow",
    "part_soldered": "Hand", "fault_repaired": "Rework", "reading_taken": "Test", "board_tested": "Test", "board_released": "Release",
}  # fmt: skip
"""What hands did, by the cautions to be read before it: held against what the commands declare."""

Made = Callable[[Bench, random.Random], Any]

STEPS = one_side().ids


def part_in_hand(bench: Bench, pick: random.Random) -> str:
    board = bench.board
    following = (
        bench.batch.next_part(board, "Place") if board.station == "Place" else bench.batch.next_part(board, "Hand")
    )
    return following.ref if following and pick.random() < 0.8 else pick.choice([*bench.design.parts]).ref


def fault_in_hand(bench: Bench, pick: random.Random) -> int:
    faults = bench.board.open_faults
    return faults[0].id if faults else -1


FIELDS: dict[str, Made] = {
    "station": lambda b, r: r.choice((b.board.station, *STEPS, "Nowhere")),
    "step": lambda b, r: r.choice((b.board.step, *b.route.steps.ids, "Nowhere")),
    "before": lambda b, r: r.choice((*b.route.steps.ids, "Nowhere")),
    "method": lambda b, r: r.choice(("", "syringe", "machine", "plate", "prayer")),
    "by": lambda b, r: r.choice((-1, 1)),
    "numbers": lambda b, r: r.choice(({}, {"passes": 5, "celsius": 180}, {"breaks": 1, "pinholes": 0, "touched": 1})),
    "copper_um": lambda b, r: r.choice((35.0, -1.0)),
    "kind": lambda b, r: r.choice(("jar", "person", "oven", "unicorn")),
    "body": lambda b, r: {"id": r.choice(("one", "two", ""))},
    "fitted": lambda b, r: r.choice((None, True, False)),
    "status": lambda b, r: r.choice(("paused", "closed", "archived", "sleepy")),
    "board": lambda b, r: r.choice((b.view.board, *b.state.boards, "H7-99")),
    "panel": lambda b, r: r.choice((b.board.panel, b.board.panel, 99)),
    "ref": part_in_hand,
    "refs": lambda b, r: [part_in_hand(b, r) for _ in range(r.randint(1, 3))],
    "line": lambda b, r: next(
        (x.key for x in lines_to_pull(b.batch) if bin_open(b.state, x.key)), r.choice(b.batch.lines).key
    ),
    "count": lambda b, r: r.choice((500, 500, 40, 0, -1)),
    "boards": lambda b, r: r.choice((1, 3)),
    "beside": lambda b, r: r.choice((None, [], [2])),
    "panels": lambda b, r: r.choice((1, 3, -2)),
    "point": lambda b, r: r.choice(("P1", "P2", "P3", "U1@2", "nobody")),
    "x": lambda b, r: r.uniform(0, 90),
    "y": lambda b, r: r.uniform(0, 60),
    "foil_mm": lambda b, r: r.choice((0.12, 0.1, 55.0)),
    "paste": lambda b, r: r.choice(("leaded", "lead-free", "chocolate")),
    "window": lambda b, r: r.choice(("leaded", "lead-free", "open")),
    "log": lambda b, r: r.choice((LOG, LOG, LOG[:300])),
    "word": lambda b, r: r.choice((*FAULT_WORDS, *WORDS, "", "ugly")),
    "fault": fault_in_hand,
    "result": lambda b, r: r.choice(("fixed", "fixed", "fixed", "scrapped", "prayed")),
    "pair": lambda b, r: next((p.key for p in b.batch.own.plan if p.key not in b.board.readings), "nothing"),
    "text": lambda b, r: r.choice(("OL", "OL", "33k", "0.2", "what")),
    "passed": lambda b, r: r.random() < 0.7,
    "note": lambda b, r: r.choice(("", "by eye")),
    "seen": lambda b, r: r.choice(("", "all shiny")),
    "marks": lambda b, r: r.choice((b"", b"time_s,dial_c,seen\n5,200,first shine\n", b"time_s,seen\nnever,x\n")),
    "profile": lambda b, r: r.choice(("bottom pad, leaded", "nobody's")),
    "number": lambda b, r: r.choice((1, 1, 2, 9)),
    "seconds": lambda b, r: r.choice((150.0, 1.0, -1.0, 1e9)),
    "drifted": lambda b, r: r.random() < 0.2,
    "cause": lambda b, r: r.choice(("", "overheated")),
    "sort": lambda b, r: r.choice(("wire", "harness", "late part", "rope")),
    "what": lambda b, r: r.choice(("to the buzzer", "", "clean", "bag")),
    "colour": lambda b, r: r.choice(("red", "")),
    "where": lambda b, r: "J1",
    "pull_n": lambda b, r: r.choice((0.0, 10.0, -1.0)),
    "task": lambda b, r: r.choice((0, *b.state[Extra].tasks)),
    "bath": lambda b, r: r.choice(("pot", "wave", "tub")),
    "share": lambda b, r: r.choice((0.1, 0.6, 7.0)),
    "sha": lambda b, r: r.choice(("", *(one.sha for one in b.state[Pictures].kept))),
    "good": lambda b, r: r.random() < 0.7,
    "said": lambda b, r: r.choice(([], [["R3", "missing", 0.5]], ["nonsense"], [["R3"]])),
    "looked": lambda b, r: r.random() < 0.5,
    "times": lambda b, r: r.choice(([0.0, 60.0], [60.0, 0.0], [0.0])),
    "settings": lambda b, r: r.choice(([25.0, 150.0], [9e9, 1.0], [1.0])),
    "curve": lambda b, r: r.random() < 0.5,
    "door": lambda b, r: r.choice(([], [[60.0, 1.0]], ["open"], [[60.0, 7.0]])),
    "per": lambda b, r: r.choice(("panel", "board", "box")),
    "way": lambda b, r: r.choice(("hand", "machine", "foot")),
    "reason": lambda b, r: r.choice(("", "because", "because")),
    "key": lambda b, r: r.choice([j.key for j in b.judgements(r.choice(b.route.steps.ids))] or ["some:thing"]),
    "files": lambda b, r: r.choice(({}, {"notes.txt": b"nothing"}, {"broken.gbr": b"%FSLAX46Y46*%"})),
    "file": lambda b, r: r.choice((*b.source.files, "nothing.txt")),
    "role": lambda b, r: r.choice(("silk", "other", "paste", "nonsense")),
    "side": lambda b, r: r.choice(("top", "bottom", "", None)),
    "columns": lambda b, r: {"ref": 0, "x": 1, "y": 2},
    "fix": lambda b, r: Fix(r.choice(("leave-out", "leave-out", "nothing")), r.choice(b.design.parts).ref, {}, "out"),
    "code": lambda b, r: r.choice(b.design.parts).package.code,
    "school": lambda b, r: r.choice(("kind", "area", "hidden-first", "lighter-first", "glued", "hand", "none")),
    "form": lambda b, r: r.choice(("reel", "bag", "crate")),
    "level": lambda b, r: r.choice(("1", "3", "9")),
    "lot": lambda b, r: r.choice(("", *b.workshop[Lots].lots)),
    "lots": lambda b, r: (c.ReceiveLot("reel", "SR-1", "1 k", "0402", r.choice((50, -1))),),
    "action": lambda b, r: r.choice(("opened", "dry", "baked", "eaten", "out", "in", "stirred")),
    "at": lambda b, r: r.choice(("", "2026-01-01T00:00:00+00:00", "tomorrow")),
    "label": lambda b, r: r.choice(("10k 0402", "0402", "100 nF", "")),
    "how": lambda b, r: r.choice(("hand", "by hand", "by command")),
    "data": lambda b, r: r.choice((b":00000001FF", b"")),
    "rows": lambda b, r: r.choice((4, 0)),
    "polarised": lambda b, r: r.choice((True, False, None)),
    "clean": lambda b, r: r.random() < 0.5,
    "jar": lambda b, r: r.choice(("jar 12", "syringe 4", "bucket")),
    "humidity": lambda b, r: r.choice((45.0, -1.0, 130.0)),
    "holding": lambda b, r: r.choice(("tape", "frame", "glue")),
    "hinge": lambda b, r: r.choice(("top", "left", "nowhere")),
    "x_mm": lambda b, r: r.choice((5.0, 60.0, 900.0)),
    "y_mm": lambda b, r: r.choice((5.0, 40.0)),
    "dx_mm": lambda b, r: r.choice((0.0, 0.05, 9.0)),
    "dy_mm": lambda b, r: r.choice((0.0, -0.04)),
    "step_mm": lambda b, r: r.choice((0.0, 0.2, 9.0)),
    "stage": lambda b, r: next_stage(b.batch, b.board.panel) if r.random() < 0.8 else r.choice(("stroke", "dance")),
    "pin": lambda b, r: r.choice(("", "1", "no")),
    "grams": lambda b, r: r.choice((40.0, 40.4, -1.0)),
    "dots": lambda b, r: r.choice((1, 0, 999)),
    "bore_mm": lambda b, r: r.choice((0.41, 9.0)),
    "machine": lambda b, r: r.choice(("bench placer", "small placer", "none")),
    "placed_by": lambda b, r: r.choice(("machine", "hand", "", "foot")),
    "slots": lambda b, r: plain_programme(b.batch)[0],
    "trips": lambda b, r: r.choice((plain_programme(b.batch)[1], plain_programme(b.batch)[1], [[1]], [])),
    "bound_s": lambda b, r: 10.0,
    "slot": lambda b, r: r.choice(("F1", "F2", "B1", "Z9")),
    "pieces": lambda b, r: r.choice((40, 500, 0)),
    "pockets": lambda b, r: r.choice((0, 10, -1)),
    "reading": lambda b, r: r.choice((100.0, 1e-7, -1.0)),
    "put": lambda b, r: r.choice(([], sorted(kept.labels)[:20] if (kept := kept_of(b.batch)) else [["U1", 1]], [3])),
    "tries": lambda b, r: r.choice(([], [("F1", "fine 1", "R5", 1, "missed"), ("F1", "fine 1", "R5", 1, "")], [[1]])),
    "proof": lambda b, r: r.choice(("dry run", "first article", "last look")),
    "cell": lambda b, r: r.choice((1, 2, 99)),
    "verdict": lambda b, r: r.choice(("right", "right", "wrong", "perhaps")),
    "turn": lambda b, r: r.choice((180.0, 0.0, 999.0)),
    "dx": lambda b, r: r.choice((0.0, 0.1, 9.0)),
    "dy": lambda b, r: r.choice((0.0, -0.1)),
    "lines": lambda b, r: r.choice(([], [line.key for line in b.batch.lines][::-1], ["nothing"])),
    "rounds": lambda b, r: r.choice(("part by part", "board by board", "round and round")),
    "why": lambda b, r: r.choice(("", "seen at the microscope")),
    "port": lambda b, r: r.choice((port_in_hand(b.batch, b.board), "no net")),
    "most_bad": lambda b, r: r.choice((2, 0, -1, 99)),
    "confidence": lambda b, r: r.choice((90.0, 0.0, 7.0)),
    "volts": lambda b, r: r.choice((9.0, 2.7, -1.0, float("nan"))),
    "milliamps": lambda b, r: r.choice((20.0, 900.0, float("nan"))),
    "warm": lambda b, r: r.choice(("", "", "U2")),
    "ended": lambda b, r: r.choice(("well", "well", "failed", "sang")),
    "sha256": lambda b, r: r.choice(("", "ab" * 32, "short")),
    "output": lambda b, r: r.choice(("", "wrote 4096 bytes")),
    "test": lambda b, r: r.choice((*(t.name for t in functions.tests_for(b.batch, b.board)), "flight")),
    "ended_well": lambda b, r: r.random() < 0.8,
    "cut": lambda b, r: r.choice((next_cut(b.batch, b.board.panel) or 0, 99)),
    "coated": lambda b, r: r.random() < 0.5,
    "parcel": lambda b, r: r.choice(("", "parcel 1")),
    "tag": lambda b, r: r.choice(("", "LED dark")),
    "read": lambda b, r: r.choice((None, None, Facts("other", {"name": "x"}, {"n": (1.0, 2.0)}))),
}
NUMBERS = ("size_x", "size_y", "height", "mass_mg", "finest_mm", "litres", "minutes", "celsius", "foil_um")
TEXTS = (
    "name",
    "log_name",
    "place",
    "part_number",
    "value",
    "package",
    "date_code",
    "maker_lot",
    "id",
    "version",
)
FIELDS |= {name: lambda b, r: r.choice((0.3, 2.0, 35.0, -1.0, float("nan"))) for name in NUMBERS}
FIELDS |= {name: lambda b, r: r.choice(("x", "", "two words")) for name in TEXTS}


def made_up(kind: type[c.Command], bench: Bench, pick: random.Random) -> c.Command:
    """A command of a kind, its arguments apt or not."""
    values = {f.name: FIELDS[f.name](bench, pick) for f in fields(kind)}
    if kind in (c.SetOption, c.SkipStep, c.PackBoards):
        values["boards"] = pick.sample(list(bench.state.boards), pick.randint(0, 3))
    if kind is c.DefinePanel:
        values["panel"] = pick.choice(
            (single(44, 31), Panel(2, 1, 46, 31, 0, 0, 92, 31, 44, 31), Panel(2, 1, 20, 31, 0, 0, 60, 31, 44, 31))
        )
    return kind(**values)


def astray(bench: Bench) -> bool:
    """A step was taken out or moved, and boards cannot go along the route."""
    return any(j.rule == "ready.road" and j.level is Level.STOP for j in bench.judgements("Ready"))


def helpful(bench: Bench, pick: random.Random) -> c.Command:
    """What brings the board in hand on, most of the time."""
    board = bench.board
    if bench.state[Standing].status != "open":
        return c.TakeUpBatch()
    if board.station in CAUTIONS and board.station not in bench.state.cautions:
        return c.Acknowledge(board.station)
    unread = [p for p in bench.batch.own.plan if p.key not in board.readings]
    return {
        "Ready": lambda: c.ChooseSides("hand") if astray(bench) else c.AcceptFiles(),
        "Kit": lambda: (
            c.FillBin(FIELDS["line"](bench, pick), 500)
            if any(bin_open(bench.state, x.key) for x in lines_to_pull(bench.batch))
            else c.StrapTest("1.1M")
            if any(j.rule == "kit.strap" for j in bench.route.open_stops(bench.batch, "Kit"))
            else c.CloseKit()
        ),
        "Make": lambda: (lambda m: done(board.panel, m, EXAMPLES[m]))(bench.route.steps.by_id[board.step].method),
        "Print": lambda: c.PrintPanel(board.panel, bench.state.foil_mm, bench.state.paste),
        "Place": lambda: (
            c.PlacePart(board.serial, part_in_hand(bench, pick))
            if pick.random() < 0.7
            else c.MachinePlaced(board.panel)
        ),
        "Reflow": lambda: c.RecordReflow(board.panel, "run.csv", LOG),
        "Hand": lambda: c.SolderPart(board.serial, part_in_hand(bench, pick)),
        "Inspect": lambda: c.InspectBoard(board.serial),
        "Rework": lambda: c.RepairFault(
            board.serial, fault_in_hand(bench, pick), "fixed", 40.0, "a short of its output"
        ),
        "Test": lambda: (
            c.TakeReading(board.serial, unread[0].key, well(unread[0]))
            if unread and pick.random() < 0.9
            else c.TestBoard(board.serial, True, "by eye")
        ),
        "Release": lambda: (
            c.TickCut(board.panel, cut)
            if (cut := next_cut(bench.batch, board.panel)) is not None
            else c.PrepareBoard(board.serial, step)
            if (step := next_step(bench.batch, board)) is not None
            else c.ReleaseBoard(board.serial)
        ),
    }.get(board.station, lambda: c.TakeBack(board.serial, "it does not start"))()


def check(bench: Bench, fresh: list[Entry], acknowledged: set[str], was: dict[str, str]) -> None:
    """What holds after any command; `was` says where each board stood before it."""
    state, steps = bench.state, bench.route.steps
    for entry in fresh:
        if entry.kind in DONE_BY_HANDS:
            assert DONE_BY_HANDS[entry.kind] in acknowledged, f"{entry.kind} before its cautions were read"
        if entry.kind == "moved":
            for serial in entry.body["boards"]:
                board = state.boards[serial]
                forward = was[serial] != DONE and steps.index(board.step) > steps.index(was[serial])
                if forward and board.station != "Rework" and not board.scrapped:
                    stops = [
                        j
                        for j in bench.route.station(was[serial]).judge(bench.batch.about(serial, was[serial]))
                        if j.level is Level.STOP and not state.overruling(j)
                    ]
                    assert not stops, f"{serial} left {was[serial]} past {stops[0].key}"
        if entry.kind == "board_released":
            board = state.boards[entry.body["board"]]
            whole = board.loads and board.prints and board.inspected and any(t["passed"] for t in board.tests)
            assert (whole and not board.open_faults) or state.overruled, "something behind it was overruled"
    for board in state.boards.values():
        assert board.step in (*steps.ids, DONE)
        assert len(set(board.placed)) == len(board.placed) and set(board.placed_how) == set(board.placed)
        assert not set(board.placed) & set(board.soldered)
    on_boards = Counter(
        loss_key(bench.design.part_by_ref[r].package)
        for b in state.boards.values()
        for r in b.counted
        if r in bench.design.part_by_ref
    )
    assert {k: v for k, v in bench.workshop[Losses].placed.items() if v} == on_boards, "a piece counts once"


@pytest.mark.parametrize("seed", range(6))
def test_no_sequence_of_commands_breaks_the_record(heron_files: Files, tmp_path: Path, seed: int) -> None:
    """Whatever is done or refused: the state in hand is the fold of the record, nothing is half done, all can be
    taken back.
    """
    journal = open_journal(sqlite_url(tmp_path / "j.sqlite"))
    bench = Bench.open_batch(journal, heron_files, "Heron", 4, prefix="H", number=7)
    pick = random.Random(seed)
    refused: Counter[str] = Counter()
    happened: Counter[str] = Counter()
    for n in range(420):
        if pick.random() < 0.15:
            serial = pick.choice(list(bench.state.boards))
            bench.go(
                pick.choice((*bench.route.steps.ids, *[s for s in [bench.state.boards[serial].step] if s != DONE])),
                serial,
            )
        before, count = len(bench.record.history), len(bench.shop.history)
        acknowledged, was = set(bench.state.cautions), {s: b.step for s, b in bench.state.boards.items()}
        command = helpful(bench, pick) if pick.random() < 0.65 else made_up(pick.choice(COMMANDS), bench, pick)
        try:
            fresh = bench.do(command)
        except (c.Refused, BadInput) as reason:
            refused[type(command).__name__] += 1
            untouched = (len(bench.record.history), len(bench.shop.history)) == (before, count)
            assert (untouched and str(reason).endswith((".", "”"))) or isinstance(reason, BadInput), reason
            assert {s: b.step for s, b in bench.state.boards.items()} == was
            continue
        happened[type(command).__name__] += 1
        if n % 7 == 0 or isinstance(command, (c.Undo, c.Redo)):
            assert project(bench.record.history) == bench.state, command
            assert project_workshop(bench.shop.history) == bench.workshop, command
        if not isinstance(command, (c.Undo, c.Redo)):
            check(bench, fresh, acknowledged, was)
        if n % 60 == 0:
            for step in bench.route.steps.ids:
                assert bench.now(step).title and all(j.headline for j in bench.judgements(step))
    assert len(happened) > 15 and len(refused) > 15
    assert project(journal.since(bench.id)) == bench.state
    assert project_workshop(journal.since(bench.shop.id)) == bench.workshop
    while bench.state.deeds:
        bench.go(place_of(bench.state.deeds[-1], bench.route.steps), next(iter(bench.state.boards)))
        bench.do(c.Undo())
    first = project(bench.record.history[:1])
    bench.state[Placing].way = first[Placing].way  # where eyes look is not undone, nor how the batch stands
    bench.state.slices[Standing] = first[Standing]
    assert bench.state.boards == first.boards and bench.state.slices == first.slices
    assert bench.state.cautions == {} and not any(bench.workshop[Losses].placed.values())


@pytest.mark.parametrize("station", BY_NAME.values(), ids=lambda s: s.name)
def test_every_station_declares_itself_whole(bench: Bench, station: Station) -> None:
    """What is declared is walked: commands say their cautions, every event is known once, rules have a text."""
    room = f"fusilex.bench.stations.{station.name.lower()}"
    modules = [importlib.import_module(m.name) for m in pkgutil.walk_packages([_path(room)], f"{room}.")]
    there = {x for m in modules for x in vars(m).values() if isinstance(x, type) and x.__module__ == m.__name__}
    assert {x for x in there if issubclass(x, c.Command)} == set(station.commands)
    assert {x for x in there if issubclass(x, Event) and x.kind} == set(station.events)
    for command in station.commands:
        if command.cautions:
            assert command.cautions in CAUTIONS
            with pytest.raises(c.Refused, match=f"cautions of {command.cautions} first"):
                bench.do(made_up(command, bench, random.Random(1)))
    if not bench.route.steps.at_station(station.name):
        bench.do(c.MakeAtHome())
    step = bench.route.steps.at_station(station.name)[0].id
    shown = [j for serial in list(bench.state.boards)[:2] for j in station.judge(bench.batch.about(serial, step))]
    assert station.now(bench.batch.about("H7-01", step)).title and {j.rule for j in shown} <= set(RULES)
    assert picture_of(station.name).name == station.name and station.about in ("batch", "panel", "board")


def _path(module: str) -> str:
    return str(Path(importlib.import_module(module).__file__ or "").parent)


def test_an_event_that_has_boards_says_by_which_field_it_is_about_them() -> None:
    names = ("board", "boards", "panel")
    wrong = {
        kind: event.about
        for kind, event in EVENT_KINDS.items()
        if event.about not in (event.__struct_fields__ if any(n in event.__struct_fields__ for n in names) else ("",))
    }
    assert not wrong


def test_cautions_come_before_whatever_hands_do() -> None:
    """The commands that touch boards, parts, heat or a bath all name cautions, and no name stands unused."""
    named = {command.cautions for command in COMMANDS if command.cautions}
    assert named == set(CAUTIONS) and set(DONE_BY_HANDS.values()) <= named | {"Etching"}
    assert len({command.__name__ for command in COMMANDS}) == len(COMMANDS)
    assert {f.name for k in COMMANDS for f in fields(k)} <= set(FIELDS) | {"panel"}, "arguments for every command"


def test_a_board_without_an_oven_load_stays(bench: Bench) -> None:
    bench.do(c.Acknowledge("Release"))
    board = bench.state.boards["H7-01"]
    there = [p.ref for p in (*bench.batch.parts_of("Place"), *bench.batch.parts_of("Hand"))]
    board.step, board.prints["Print"] = "Release", PastePrint(1, NOW, 1, 0.12, "leaded")
    board.inspected.add("Inspect")
    board.placed = there
    board.tests.append({"passed": True, "note": ""})
    with pytest.raises(c.Refused, match="H7-01 lacks oven load"):
        bench.do(c.ReleaseBoard("H7-01"))
