"""What to do now at Test, and its cautions."""

from __future__ import annotations

import re

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.common.faults import to_repair
from fusilex.bench.now import Now, elsewhere
from fusilex.bench.stations.test.commands import doubt
from fusilex.bench.stations.test.functions import fixture_proved, instrument_doubt, list_of, next_test
from fusilex.bench.stations.test.planning import beeps_below, due, heard, level_of, plan_for, touched, unread
from fusilex.bench.stations.test.power import CAUTION, draw_of, next_step, power_of
from fusilex.bench.stations.test.programming import firmware_of, written
from fusilex.bench.stations.test.verdicts import bad_pairs, suspects
from fusilex.core.electrical.probes import ProbePair
from fusilex.core.evidence import Level
from fusilex.core.quantities import write_length
from fusilex.core.units import show_resistance
from fusilex.devices.command import WELL

CAUTIONS = {
    "Test": (
        "Power off and discharge the board before resistance readings.",
        "First power with a current limit. Anything on mains is for a qualified person under local rules.",
    ),
    CAUTION: (
        "Supply off before the leads are clipped on; limit and voltage set before they are. One hand, no rings.",
        "Low voltage first. Smell, smoke, a warm part or the limit: supply off, then look.",
        "Cells can burn: none is on the board while a supply feeds it.",
    ),
}
_CELL = re.compile(r"\b(coin|cell|battery|CR\d{4}|BR\d{4}|LR\d{2,4})", re.IGNORECASE)


def cautions_here(batch: Batch) -> tuple[str, ...]:
    """A cell feeds the board with the power off: it comes out, where there is one."""
    cells = [p.ref for p in batch.any_board.parts if _CELL.search(f"{p.value} {p.package.code}")]
    return (f"Take the cell out of {', '.join(cells)}.",) if cells else ()


def now(batch: Batch) -> Now:
    """The next pair to probe, then power, programme and functions, or what all that comes to."""
    board = batch.board
    if board.step != batch.step.id:
        return elsewhere(batch)
    pair = next_pair(batch, board)
    if pair is not None:
        return _probe(batch, board, pair)
    return _bad(batch, board) or _power(batch, board) or _programme(batch, board) or _test(batch, board) or _all(batch)


def _probe(batch: Batch, board: Board, pair: ProbePair) -> Now:
    wanted = due(batch, board)
    done = sum(p.key in board.readings for p in wanted) / len(wanted)
    if pair.purpose == "joined":
        told = f"Both {pair.a.net}: below {show_resistance(pair.limit)}."
    elif pair.purpose == "value":
        told = f"{show_resistance(pair.least)} to {show_resistance(pair.most)}."
    else:
        told = f"{pair.a.net} and {pair.b.net}, {write_length(pair.gap)} apart."
    words = f" It {pair.shown.words}." if pair.shown.words.startswith("starts") else ""
    how = "Type what the meter says"
    if heard(pair, beeps_below(batch)):
        port = plan_for(batch, board).port_of(pair.key)
        many = port is not None and len(port.readings) > 1
        stay = "One tip stays, the other walks the rings. " if many else ""
        how = f"{stay}Enter when nothing beeps, or {how[0].lower()}{how[1:]}"
    first, second = touched(batch, board, pair)
    return Now(f"Probe {first.name} and {second.name}", f"{told}{words} {how}.", done)


def next_pair(batch: Batch, board: Board) -> ProbePair | None:
    """The pair to probe next: those of parts that were mended first, then as planned; None when all were read."""
    mended = {f.ref for f in board.faults if f.repaired}
    return min(unread(batch, board), key=lambda p: not {p.a.ref, p.b.ref} & mended, default=None)


def _bad(batch: Batch, board: Board) -> Now | None:
    if bad := bad_pairs(batch, board):
        count, first = len(bad), suspects(batch, board)[0]
        joined = sum(word == "bridge" for _, word in bad)
        said = f"{count} pair{'s are' if count > 1 else ' is'} {'joined' if joined == count else 'bad'}."
        return Now(f"Fail board {board.serial}", f"{said} X sends it to Rework, at {first.ref} first.", 1.0)
    if faults := to_repair(batch, board):
        return Now(f"Fail board {board.serial}", f"{faults[0].ref}: {faults[0].word}. X sends it to Rework.", 1.0)
    wanted = due(batch, board)
    doubtful = sum(level_of(batch, board, p) is Level.UNKNOWN for p in wanted)
    if doubtful:
        said = f"{doubtful} reading{'s' if doubtful > 1 else ''} cannot be judged: see the judgements."
        return Now(f"Look at board {board.serial}", said, 1.0)
    return None


def _power(batch: Batch, board: Board) -> Now | None:
    power, step = power_of(batch), next_step(batch, board)
    if power is None or step is None:
        return None
    expected = draw_of(batch, board, power).milliamps
    told = f"Limit {step.limit_ma:.0f} mA, expected {expected:.0f} mA. {step.hold_s:g} s; P starts the clock."
    return Now(f"{step.volts:g} V on {power.rail}", told)


def _programme(batch: Batch, board: Board) -> Now | None:
    firmware, last = firmware_of(batch), written(batch, board)
    if firmware is None or (last is not None and last.ended == WELL):
        return None
    how = "R runs its command" if firmware.command else "By hand, then R"
    return Now(f"Programme {board.serial}", f"{firmware.id} {firmware.version}. {how}.")


def _test(batch: Batch, board: Board) -> Now | None:
    if not fixture_proved(batch):
        return Now("The golden board first", "G measures it: the fixture is proved before any board is.")
    if doubted := instrument_doubt(batch):
        return Now("The instrument first", f"{next(iter(doubted))}: G measures the golden board again.")
    test = next_test(batch, board)
    if test is None:
        return None
    found = list_of(batch)
    count = len(found.tests) if found else 0
    said = f"{test.say or test.name}. " if test.say else ""
    return Now(f"{test.name}", f"{said}T answers. {count} tests in all.")


def _all(batch: Batch) -> Now:
    board = batch.board
    if why := doubt(batch, board):
        return Now(f"Test board {board.serial}", f"{why}: ring out neighbours by hand. Space passes it with a note.")
    return Now(f"Pass board {board.serial}", "All that is due is well. Space passes it.", 1.0)


def port_in_hand(batch: Batch, board: Board) -> str:
    """The port of the pair to probe next, '' for none."""
    pair = next_pair(batch, board)
    port = plan_for(batch, board).port_of(pair.key) if pair else None
    return port.name if port else ""
