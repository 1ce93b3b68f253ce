"""Every command there is, in any order: from the command classes themselves, with arguments made up by the names of their fields."""

from __future__ import annotations

import random
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import fields
from typing import Any

import pytest
from conftest import HERON

from fusilex.bench import commands as c
from fusilex.bench.cautions import CAUTIONS
from fusilex.bench.handlers import _HANDLERS
from fusilex.bench.judging import judgements
from fusilex.bench.now import now
from fusilex.bench.session import Bench
from fusilex.core.checks.fixes import Fix
from fusilex.core.inspection.faults import FAULT_WORDS
from fusilex.core.kit.losses import loss_key
from fusilex.core.panel.layout import Panel, single
from fusilex.core.problems import BadInput
from fusilex.formats.bundle import Files
from fusilex.journal.projection import DONE, STATIONS, project
from fusilex.journal.store import Event, Journal, sqlite_url
from fusilex.journal.workshop import project_workshop

LOG = (HERON / "oven-run-1.csv").read_bytes()


def every(kind: type[c.Command]) -> Iterator[type[c.Command]]:
    for sub in kind.__subclasses__():
        yield sub
        yield from every(sub)


COMMANDS = sorted(set(every(c.Command)), key=lambda k: k.__name__)
WITH_CAUTIONS = {
    "Bare boards": (c.CountBare,),
    "Etching": (c.MixBath, c.LogEtch),
    "Kit": (c.FillBin, c.CloseKit),
    "Print": (c.PrintPanel, c.WipePrint),
    "Place": (c.PlacePart, c.DropPart, c.TakeBack, c.TeachPoint, c.MachinePlaced),
    "Reflow": (c.RecordReflow,),
    "Hand": (c.SolderPart,),
    "Rework": (c.RepairFault,),
    "Test": (c.TakeReading, c.TestBoard),
    "Release": (c.ReleaseBoard,),
}
"""What hands do, by the cautions to be read before it."""
DONE_BY_HANDS = {
    "bare_counted": "Bare boards", "bin_filled": "Kit", "kit_closed": "Kit", "panel_printed": "Print", "print_wiped": "Print",
    "parts_placed": "Place", "part_dropped": "Place", "part_taken_back": "Place", "point_taught": "Place", "load_reflowed": "Reflow",
    "part_soldered": "Hand", "fault_repaired": "Rework", "reading_taken": "Test", "board_tested": "Test", "board_released": "Release",
}  # fmt: skip

Made = Callable[[Bench, random.Random], Any]


def part_in_hand(bench: Bench, pick: random.Random) -> str:
    board = bench.board
    following = bench.next_to_place(board) if board.station == "Place" else bench.next_to_solder(board)
    return following.ref if following and pick.random() < 0.8 else pick.choice([*bench.design.parts]).ref


def fault_in_hand(bench: Bench, pick: random.Random) -> int:
    faults = bench.board.open_faults
    return faults[0].id if faults else -1


FIELDS: dict[str, Made] = {
    "station": lambda b, r: (
        r.choice((b.board.station, *STATIONS, "Nowhere")) if b.board.station != DONE else r.choice(STATIONS)
    ),
    "board": lambda b, r: r.choice((b.state.board, *b.state.boards, "H7-99")),
    "panel": lambda b, r: r.choice((b.board.panel, b.board.panel, 99)),
    "ref": part_in_hand,
    "line": lambda b, r: next((x.key for x in b.lines_to_pull if b.state.bin_open(x.key)), r.choice(b.lines).key),
    "count": lambda b, r: r.choice((500, 500, 40, 0, -1)),
    "boards": lambda b, r: r.choice((1, 3)),
    "panels": lambda b, r: r.choice((1, 3, -2)),
    "point": lambda b, r: r.choice(("P1", "P2", "P3", "U1@2", "nobody")),
    "x": lambda b, r: r.uniform(0, 90),
    "y": lambda b, r: r.uniform(0, 60),
    "foil_mm": lambda b, r: r.choice((0.12, 0.1, 55.0)),
    "paste": lambda b, r: r.choice(("leaded", "lead-free", "chocolate")),
    "window": lambda b, r: r.choice(("leaded", "lead-free", "open")),
    "log": lambda b, r: r.choice((LOG, LOG, LOG[:300])),
    "word": lambda b, r: r.choice((*FAULT_WORDS.values(), "ugly")),
    "fault": fault_in_hand,
    "result": lambda b, r: r.choice(("fixed", "fixed", "fixed", "scrapped", "prayed")),
    "pair": lambda b, r: next((p.key for p in b.plan if p.key not in b.board.readings), "nothing"),
    "text": lambda b, r: r.choice(("OL", "OL", "33k", "0.2", "what")),
    "passed": lambda b, r: r.random() < 0.7,
    "note": lambda b, r: r.choice(("", "by eye")),
    "reason": lambda b, r: r.choice(("", "because", "because")),
    "key": lambda b, r: r.choice([j.key for j in judgements(b, r.choice(STATIONS))] or ["some:thing"]),
    "files": lambda b, r: r.choice(({}, {"notes.txt": b"nothing"}, {"broken.gbr": b"%FSLAX46Y46*%"})),
    "file": lambda b, r: r.choice((*b.files, "nothing.txt")),
    "role": lambda b, r: r.choice(("silk", "other", "paste", "nonsense")),
    "side": lambda b, r: r.choice(("top", "bottom", "", None)),
    "columns": lambda b, r: {"ref": 0, "x": 1, "y": 2},
    "fix": lambda b, r: Fix(r.choice(("leave-out", "leave-out", "nothing")), r.choice(b.design.parts).ref, {}, "out"),
    "code": lambda b, r: r.choice(b.design.parts).package.code,
    "school": lambda b, r: r.choice(("kind", "area", "hidden-first", "lighter-first", "glued", "hand", "none")),
    "form": lambda b, r: r.choice(("reel", "bag", "crate")),
    "level": lambda b, r: r.choice(("1", "3", "9")),
    "lot": lambda b, r: r.choice(("", *b.workshop.state.lots)),
    "lots": lambda b, r: (c.ReceiveLot("reel", "SR-1", "1 k", "0402", r.choice((50, -1))),),
    "action": lambda b, r: r.choice(("opened", "dry", "baked", "eaten")),
    "at": lambda b, r: r.choice(("", "2026-01-01T00:00:00+00:00", "tomorrow")),
    "label": lambda b, r: r.choice(("10k 0402", "0402", "100 nF", "")),
    "how": lambda b, r: "hand",
    "data": lambda b, r: r.choice((b":00000001FF", b"")),
    "rows": lambda b, r: r.choice((4, 0)),
    "polarised": lambda b, r: r.choice((True, False, None)),
    "clean": lambda b, r: r.random() < 0.5,
}
NUMBERS = ("size_x", "size_y", "height", "mass_mg", "finest_mm", "litres", "minutes", "celsius", "foil_um")
TEXTS = (
    "headline",
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
    if kind is c.DefinePanel:
        values["panel"] = pick.choice(
            (single(44, 31), Panel(2, 1, 46, 31, 0, 0, 92, 31, 44, 31), Panel(2, 1, 20, 31, 0, 0, 60, 31, 44, 31))
        )
    return kind(**values)


def helpful(bench: Bench, pick: random.Random) -> c.Command:
    """What brings the board in hand on, most of the time."""
    board = bench.board
    if board.station in CAUTIONS and board.station not in bench.state.cautions:
        return c.Acknowledge(board.station)
    unread = [p.key for p in bench.plan if p.key not in board.readings]
    return {
        "Ready": c.AcceptFiles,
        "Kit": lambda: (
            c.FillBin(FIELDS["line"](bench, pick), 500)
            if any(bench.state.bin_open(x.key) for x in bench.lines_to_pull)
            else c.CloseKit()
        ),
        "Print": lambda: c.PrintPanel(board.panel, 0.12, "leaded"),
        "Place": lambda: (
            c.PlacePart(board.serial, part_in_hand(bench, pick))
            if pick.random() < 0.7
            else c.MachinePlaced(board.panel)
        ),
        "Reflow": lambda: c.RecordReflow(board.panel, "leaded", "run.csv", LOG),
        "Hand": lambda: c.SolderPart(board.serial, part_in_hand(bench, pick)),
        "Inspect": lambda: c.InspectBoard(board.serial),
        "Rework": lambda: c.RepairFault(board.serial, fault_in_hand(bench, pick), "fixed"),
        "Test": lambda: (
            c.TakeReading(board.serial, unread[0], "OL")
            if unread and pick.random() < 0.9
            else c.TestBoard(board.serial, True, "by eye")
        ),
        "Release": lambda: c.ReleaseBoard(board.serial),
    }.get(board.station, lambda: c.GoTo("Release", pick.choice(list(bench.state.boards))))()


def check(bench: Bench, fresh: list[Event], acknowledged: set[str]) -> None:
    """What holds after any command."""
    state = bench.state
    for event in fresh:
        if event.kind in DONE_BY_HANDS:
            assert DONE_BY_HANDS[event.kind] in acknowledged, f"{event.kind} before its cautions were read"
        if event.kind == "board_released":
            board = state.boards[event.body["board"]]
            whole = board.load and board.print_number and board.inspections and any(t["passed"] for t in board.tests)
            assert (whole and not board.open_faults) or f"release.record:{board.serial}" in state.overruled
    for board in state.boards.values():
        assert board.station in (*STATIONS, DONE)
        assert len(set(board.placed)) == len(board.placed) and set(board.placed_how) == set(board.placed)
        assert not set(board.placed) & set(board.soldered)
    on_boards = Counter(
        loss_key(bench.design.part_by_ref[r].package)
        for b in state.boards.values()
        for r in b.counted
        if r in bench.design.part_by_ref
    )
    assert {k: v for k, v in bench.workshop.state.placed.items() if v} == on_boards, "a piece counts once"


@pytest.mark.parametrize("seed", range(6))
def test_no_sequence_of_commands_breaks_the_record(heron_files: Files, tmp_path: object, seed: int) -> None:
    """Whatever is done or refused: the state in hand is the fold of the record, nothing is half done, all can be taken back."""
    bench = Bench.open_batch(Journal(sqlite_url(tmp_path / "j.sqlite")), heron_files, "Heron", 4, prefix="H", number=7)  # type: ignore[operator]
    pick = random.Random(seed)
    refused: Counter[str] = Counter()
    happened: Counter[str] = Counter()
    for n in range(420):
        before, count = len(bench.history), len(bench.workshop.history)
        acknowledged = set(bench.state.cautions)
        command = helpful(bench, pick) if pick.random() < 0.65 else made_up(pick.choice(COMMANDS), bench, pick)
        try:
            fresh = bench.do(command)
        except (c.Refused, BadInput) as reason:
            refused[type(command).__name__] += 1
            assert (
                (len(bench.history), len(bench.workshop.history)) == (before, count)
                and str(reason).endswith((".", "”"))
            ) or isinstance(reason, BadInput)
            continue
        happened[type(command).__name__] += 1
        check(bench, fresh, acknowledged)
        if n % 60 == 0:
            for station in STATIONS:
                assert now(bench, station).title and all(j.headline for j in judgements(bench, station))
    assert len(happened) > 15 and len(refused) > 15
    assert project(bench.journal.since(bench.batch)) == bench.state
    assert project_workshop(bench.journal.since(bench.workshop.id)) == bench.workshop.state
    while bench.state.deeds:
        bench.do(c.Undo())
    first = project(bench.history[:1])
    assert (
        bench.state.boards == first.boards
        and bench.state.cautions == {}
        and not any(bench.workshop.state.placed.values())
    )


@pytest.mark.parametrize("kind", COMMANDS, ids=lambda k: k.__name__)
def test_every_command_has_a_handler_and_its_cautions(bench: Bench, kind: type[c.Command]) -> None:
    assert kind in _HANDLERS or kind in (c.Undo, c.Redo)
    stations = [s for s, kinds in WITH_CAUTIONS.items() if kind in kinds]
    for station in stations:
        with pytest.raises(c.Refused, match=f"cautions of {station} first"):
            bench.do(made_up(kind, bench, random.Random(1)))
    assert set(WITH_CAUTIONS) == set(CAUTIONS)


def test_a_board_without_an_oven_load_stays(bench: Bench) -> None:
    bench.do(c.Acknowledge("Release"))
    board = bench.state.boards["H7-01"]
    board.station, board.print_number, board.inspections = "Release", 1, 1
    board.tests.append({"passed": True, "note": ""})
    with pytest.raises(c.Refused, match="lacks oven load"):
        bench.do(c.ReleaseBoard("H7-01"))
    bench.do(c.Overrule("release.record:H7-01", "soldered by hand throughout"))
    bench.do(c.ReleaseBoard("H7-01"))
    assert bench.state.boards["H7-01"].released_at
