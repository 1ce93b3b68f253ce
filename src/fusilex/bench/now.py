"""The one thing to do next at each station, in words for the hands."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from fusilex.bench.cautions import CAUTIONS
from fusilex.core.electrical.probes import nets_known
from fusilex.core.judgement import Level
from fusilex.core.kit.quantities import PullLine
from fusilex.journal.projection import DONE, STATIONS

if TYPE_CHECKING:
    from fusilex.bench.session import Bench


@dataclass(frozen=True)
class Now:
    """`progress` runs from 0 to 1, None where nothing is counted. `caution` texts must be acknowledged first."""

    title: str
    detail: str = ""
    progress: float | None = None
    cautions: tuple[str, ...] = ()


def now(bench: Bench, station: str) -> Now:
    """What to do now at a station with the board in hand."""
    if station in CAUTIONS and station not in bench.state.cautions:
        return Now("Read first", "Space when you have read it.", None, CAUTIONS[station])
    return _NOW[station](bench)


def _elsewhere(bench: Bench, station: str) -> Now:
    """Nothing to do here with this board: say where the work is."""
    here = bench.state.at(station)
    board = bench.board
    if here:
        return Now(
            f"Take board {here[0].serial}",
            f"Board {board.serial} is {_where(board.station)}. Press N for the next one here.",
        )
    waiting = [(s, len(bench.state.at(s))) for s in STATIONS if bench.state.at(s)]
    if not waiting:
        return Now("The batch is done", "Every board is released or set aside.")
    name, count = waiting[0]
    return Now(
        f"Nothing at {station}",
        f"{count} board{'s' if count > 1 else ''} at {name}: press Ctrl+{(STATIONS.index(name) + 1) % 10}.",
    )


def _where(station: str) -> str:
    return "finished" if station == DONE else f"at {station}"


def _ready(bench: Bench) -> Now:
    from fusilex.bench.judging import judgements, open_stops

    if not bench.state.at("Ready"):
        return Now("Files accepted", "Go on to Kit with Ctrl+2.", 1.0)
    stops = open_stops(bench, "Ready")
    if stops:
        return Now(f"Settle {stops[0].subject}", f"{stops[0].headline}. {stops[0].do}")
    cares = sum(j.level is Level.CARE for j in judgements(bench, "Ready"))
    return Now(
        "Accept the files",
        f"Space when the board is what you mean to build.{'' if not cares else ' Read the care first.' if cares == 1 else f' Read the {cares} cares first.'}",
    )


def pieces(line: PullLine) -> str:
    spare = line.pull - line.need
    return f"{line.need} for the batch and {spare} to lose." if spare else f"{line.need} for the batch."


def _kit(bench: Bench) -> Now:
    lines = bench.lines_to_pull
    line = next((x for x in lines if bench.state.bin_open(x.key)), None)
    if line:
        return now_at_bin(bench, line)
    if not bench.state.at("Kit"):
        return Now("The kit is closed", "Go on to Print with Ctrl+3.", 1.0)
    short = [x for x in lines if bench.state.bins[x.key]["count"] < x.need]
    if short:
        return Now(
            f"Start without {', '.join(r for x in short for r in x.refs)}?",
            "Space starts the batch without them; C counts the bin again.",
            1.0,
        )
    return Now("Close the kit", "Every bin is filled: Space starts the batch.", 1.0)


def now_at_bin(bench: Bench, line: PullLine) -> Now:
    """What to do at a bin that is not filled yet."""
    done = sum(not bench.state.bin_open(x.key) for x in bench.lines_to_pull) / len(bench.lines_to_pull)
    number = bench.bin_number[line.key]
    if wrong := bench.state.wrong_bag(line.key):
        what, wanted, found = wrong
        do = "Put it back and check the right one with K, or say with W why it will do."
        return Now(f"Wrong bag at bin {number}", f"The {what} is {found}, not {wanted}. {do}", done)
    if label := bench.state.doubtful_bag(line.key):
        do = "Check its value or part number with K, or say with W why it will do."
        return Now(f"What is in the bag for bin {number}?", f"“{label[:40]}” does not settle it. {do}", done)
    if bench.state.to_programme(line.key):
        return Now(f"Programme bin {number}: {line.name}", "Then record the file and its version with G.", done)
    return Now(f"Fill bin {number}: {line.name}", f"{line.pull} pieces of {line.package.code}. {pieces(line)}", done)


def _print(bench: Bench) -> Now:
    board = bench.board
    if board.station != "Print":
        return _elsewhere(bench, "Print")
    done = len({p["panel"] for p in bench.state.prints})
    return Now(
        f"Print panel {board.panel}",
        f"{bench.foil_mm:.2f} mm foil, {bench.paste} paste. One steady stroke, lift straight. Space when printed and looked at.",
        done / len(bench.state.panels),
    )


def turn_words(turn: float) -> str:
    return "as the bin shows it" if turn % 360 == 0 else f"turned {turn % 360:g}° left"


def _place(bench: Bench) -> Now:
    board = bench.board
    part = bench.next_to_place(board)
    if board.station != "Place" or part is None:
        return _elsewhere(bench, "Place")
    order = bench.placing_order
    line = bench.line_of[part.ref]
    left = bench.left_in_bin(line.key)
    mark = {"known": " Mind the mark.", "unknown": " Pin 1 is not in the files: go by silk and sheet."}.get(
        part.polarity, ""
    )
    return Now(
        f"Place {part.ref} from bin {bench.bin_number[line.key]}",
        f"{part.value}, {turn_words(part.rotation_deg)}.{mark} {'' if left is None else f'{left} left in the bin.'}".strip(),
        sum(p.ref in board.placed for p in order) / len(order),
    )


def _reflow(bench: Bench) -> Now:
    board = bench.board
    if board.station != "Reflow":
        return _elsewhere(bench, "Reflow")
    boards = [b for b in bench.state.panel_boards(board.panel) if not b.scrapped]
    waiting = [b for b in boards if b.station == "Reflow"]
    if len(waiting) < len(boards):
        return Now(
            f"Finish panel {board.panel} first",
            f"{len(waiting)} of {len(boards)} boards are placed. L records a run for those {len(waiting)} all the same.",
            len(waiting) / len(boards),
        )
    return Now(
        f"Run the oven with panel {board.panel}", f"{bench.paste.capitalize()} window. Then open the run's log with L."
    )


def _hand(bench: Bench) -> Now:
    board = bench.board
    part = bench.next_to_solder(board)
    if board.station != "Hand" or part is None:
        return _elsewhere(bench, "Hand")
    order = bench.solder_order
    side = " on the bottom" if part.side == "bottom" else ""
    how = (
        "Tack one pin, check it sits flat, then the rest."
        if part.through_hole
        else "Tin one pad, slide the part in, solder the other."
    )
    return Now(
        f"Solder {part.ref}{side}",
        f"{part.value}, {part.package.height:g} mm high, bin {bench.bin_number[bench.line_of[part.ref].key]}. {how}",
        sum(p.ref in board.soldered for p in order) / len(order),
    )


def _inspect(bench: Bench) -> Now:
    board = bench.board
    if board.station != "Inspect":
        return _elsewhere(bench, "Inspect")
    faults = len(board.open_faults)
    if faults:
        return Now(
            f"{faults} fault{'s' if faults > 1 else ''} on {board.serial}",
            "Mark what else you see. Space sends the board to Rework.",
        )
    return Now(
        f"Look over board {board.serial}", "Arrows walk the parts, a fault's key marks it. Space when all is well."
    )


def _rework(bench: Bench) -> Now:
    board = bench.board
    if board.station != "Rework" or not board.open_faults:
        return _elsewhere(bench, "Rework")
    fault = board.open_faults[0]
    return Now(
        f"Repair {fault.ref}: {fault.word}",
        f"Board {board.serial}, found at {fault.found_at}. Fresh flux, heat, look again. Space when fixed.",
    )


def _test(bench: Bench) -> Now:
    board = bench.board
    if board.station != "Test":
        return _elsewhere(bench, "Test")
    done = sum(p.key in board.readings for p in bench.plan)
    pair = next((p for p in bench.plan if p.key not in board.readings), None)
    if pair is None:
        levels = [p.level(board.readings[p.key][0]) for p in bench.plan]
        if bad := levels.count(Level.STOP):
            return Now(f"Fail board {board.serial}", f"{bad} pairs are joined. X sends it to Rework.", 1.0)
        if doubtful := levels.count(Level.UNKNOWN):
            return Now(
                f"Look at board {board.serial}", f"{doubtful} readings cannot be judged: see the judgements.", 1.0
            )
        if not nets_known(bench.design):
            return Now(
                f"Test board {board.serial}",
                "No file names nets: ring out neighbours by hand. Space passes it with a note.",
            )
        return Now(f"Pass board {board.serial}", "All pairs read apart. Space passes it.", 1.0)
    return Now(
        f"Probe {pair.a.name} and {pair.b.name}",
        f"{pair.a.net} and {pair.b.net}, {pair.gap:.2f} mm apart. Type what the meter says, Enter.",
        done / len(bench.plan),
    )


def _release(bench: Bench) -> Now:
    board = bench.board
    if board.station != "Release":
        return _elsewhere(bench, "Release")
    return Now(
        f"Release board {board.serial}",
        "Label it, bag it. Space releases it; P writes its papers.",
        sum(b.released_at is not None for b in bench.state.boards.values()) / len(bench.state.boards),
    )


def machine_now(bench: Bench) -> Now:
    """What to do now when a machine places the panel in hand."""
    from fusilex.bench.machine import LEAST_POINTS, fit

    if "Place" not in bench.state.cautions:
        return now(bench, "Place")
    panel = bench.board.panel
    if not any(b.station == "Place" for b in bench.state.panel_boards(panel)):
        return _elsewhere(bench, "Place")
    count = len(bench.state.taught.get(panel, {}))
    if fit(bench, panel) is None:
        example = bench.panel.fiducials[count % len(bench.panel.fiducials)][0] if bench.panel.fiducials else "U1@1"
        return Now(
            f"Teach {example} on panel {panel}",
            "Clamp the panel, jog to the point, press T and type what the machine reads.",
            min(1.0, count / LEAST_POINTS),
        )
    return Now(
        f"Run panel {panel}",
        "E writes the programme. Dry-run it first. Space when the machine has placed the panel.",
        1.0,
    )


_NOW: dict[str, Callable[[Bench], Now]] = {
    "Ready": _ready,
    "Kit": _kit,
    "Print": _print,
    "Place": _place,
    "Reflow": _reflow,
    "Hand": _hand,
    "Inspect": _inspect,
    "Rework": _rework,
    "Test": _test,
    "Release": _release,
}
