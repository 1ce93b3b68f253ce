"""From command to events: the rules of what may follow what. Nothing is changed here; a refusal is a sentence."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import fields
from typing import TYPE_CHECKING, Any

from fusilex.bench import after_oven as after
from fusilex.bench import at_bare as bare
from fusilex.bench import at_kit as kit
from fusilex.bench import at_ready as ready
from fusilex.bench import commands as c
from fusilex.bench.cautions import CAUTIONS
from fusilex.bench.commands import Command, Refused, Result
from fusilex.bench.pieces import pieces_back, pieces_counted
from fusilex.bench.whereabouts import board_at, moved, panel_at
from fusilex.core.kit.losses import loss_key
from fusilex.core.printing.openings import THICKEST_FOIL, THINNEST_FOIL
from fusilex.core.printing.paste import PASTES
from fusilex.core.reflow.profile import measure_log, window_index
from fusilex.core.reflow.windows import WINDOWS
from fusilex.formats.lists.temperature_log import read_log
from fusilex.journal.projection import STATIONS
from fusilex.journal.store import Event, digest

if TYPE_CHECKING:
    from fusilex.bench.session import Bench

LARGEST_BED_MM = 2000.0
_CAUTIONS_OF = {
    c.CountBare: "Bare boards",
    c.MixBath: "Etching",
    c.LogEtch: "Etching",
    c.FillBin: "Kit",
    c.CloseKit: "Kit",
    c.PrintPanel: "Print",
    c.WipePrint: "Print",
    c.PlacePart: "Place",
    c.TakeBack: "Place",
    c.TeachPoint: "Place",
    c.DropPart: "Place",
    c.MachinePlaced: "Place",
    c.RecordReflow: "Reflow",
    c.SolderPart: "Hand",
    c.RepairFault: "Rework",
    c.TakeReading: "Test",
    c.TestBoard: "Test",
    c.ReleaseBoard: "Release",
}


def events_for(bench: Bench, command: Command) -> Result:
    """What a command leads to. Raises `Refused` or `BadInput`."""
    station = _CAUTIONS_OF.get(type(command))
    if station in CAUTIONS and station not in bench.state.cautions:
        raise Refused(f"Read and acknowledge the cautions of {station} first.")
    _check_kinds(command)
    result = _HANDLERS[type(command)](bench, command)
    return result if isinstance(result, Result) else Result(result)


_KINDS: dict[str, tuple[type, ...]] = {"int": (int,), "float": (int, float), "str": (str,), "bool": (bool,)}


def _check_kinds(command: Command) -> None:
    """Every field of a command is of its kind, and every number is one. Raises `Refused`."""
    for f in fields(command):
        value, kinds = getattr(command, f.name), _KINDS.get(str(f.type))
        number = isinstance(value, float) and not math.isfinite(value)
        wrong = kinds is not None and (not isinstance(value, kinds) or (isinstance(value, bool) and bool not in kinds))
        if number or wrong:
            raise Refused(f"{f.name.replace('_', ' ').capitalize()} cannot be {value!r}.")


def _go_to(bench: Bench, command: c.GoTo) -> list[Event]:
    if command.station not in STATIONS or command.board not in bench.state.boards:
        raise Refused(f"There is no {command.station} with board {command.board}.")
    return [Event("went", {"station": command.station, "board": command.board})]


def _acknowledge(bench: Bench, command: c.Acknowledge) -> list[Event]:
    if command.station not in CAUTIONS:
        raise Refused(f"{command.station} has no cautions.")
    return [Event("caution_acknowledged", {"station": command.station, "cautions": list(CAUTIONS[command.station])})]


def _overrule(bench: Bench, command: c.Overrule) -> list[Event]:
    if not command.reason.strip():
        raise Refused("Say why: an overruling without a reason helps nobody later.")
    return [
        Event(
            "judgement_overruled", {"key": command.key, "reason": command.reason.strip(), "headline": command.headline}
        )
    ]


def _accept_files(bench: Bench, command: c.AcceptFiles) -> list[Event]:
    boards = bench.state.at("Ready")
    if not boards:
        raise Refused("The files were accepted before.")
    from fusilex.bench.judging import open_stops

    stops = open_stops(bench, "Ready")
    if stops:
        raise Refused(f"{stops[0].headline}. Correct the files, or overrule it with F2 and a reason.")
    return [Event("files_accepted", {}), moved(boards, "Kit")]


def _choose_foil(bench: Bench, command: c.ChooseFoil) -> list[Event]:
    if not THINNEST_FOIL <= command.foil_mm <= THICKEST_FOIL:
        raise Refused(f"A foil is {THINNEST_FOIL} to {THICKEST_FOIL} mm thick, not {command.foil_mm:g} mm.")
    return [Event("foil_chosen", {"foil_mm": command.foil_mm})]


def _choose_paste(bench: Bench, command: c.ChoosePaste) -> list[Event]:
    if command.paste not in PASTES:
        raise Refused(f"There is no paste called {command.paste}; there are {', '.join(PASTES)}.")
    return [Event("paste_chosen", {"paste": command.paste})]


def _print_panel(bench: Bench, command: c.PrintPanel) -> list[Event]:
    boards = panel_at(bench, command.panel, "Print")
    _choose_foil(bench, c.ChooseFoil(command.foil_mm))
    _choose_paste(bench, c.ChoosePaste(command.paste))
    body = {"panel": command.panel, "foil_mm": command.foil_mm, "paste": command.paste, "note": command.note}
    return [Event("panel_printed", body), moved(boards, "Place")]


def _wipe_print(bench: Bench, command: c.WipePrint) -> list[Event]:
    boards = [b for b in bench.state.panel_boards(command.panel) if b.station in ("Print", "Place") and not b.scrapped]
    if not boards:
        raise Refused(f"Panel {command.panel} has no print to wipe off.")
    if any(b.placed for b in boards):
        raise Refused(f"Parts are on panel {command.panel} already: take them back first.")
    if not command.reason.strip():
        raise Refused("Say what was wrong with the print.")
    happened = [Event("print_wiped", {"panel": command.panel, "reason": command.reason.strip()})]
    printed = [b for b in boards if b.station == "Place"]
    return [*happened, moved(printed, "Print")] if printed else happened


def _place_part(bench: Bench, command: c.PlacePart) -> Result:
    board = board_at(bench, command.board, "Place")
    order = [p.ref for p in bench.placing_order]
    if command.ref not in order:
        raise Refused(f"{command.ref} is not placed on paste in this batch.")
    if command.ref in board.placed:
        raise Refused(f"{command.ref} is already on board {board.serial}.")
    happened = [Event("parts_placed", {"board": board.serial, "refs": [command.ref], "how": "hand"})]
    if not set(order) <= {*board.placed, command.ref}:
        return Result(happened)
    counted = pieces_counted(bench, board, [*board.placed, command.ref])
    return Result([*happened, *counted.events, moved([board], "Reflow")], counted.workshop)


def _drop_part(bench: Bench, command: c.DropPart) -> Result:
    board = board_at(bench, command.board)
    if board.station not in ("Place", "Hand", "Rework"):
        raise Refused(f"Board {board.serial} is at {board.station}: nothing is placed there.")
    if command.ref not in bench.line_of:
        raise Refused(f"{command.ref} comes from no bin.")
    line = bench.line_of[command.ref]
    dropped = Event("part_dropped", {"board": board.serial, "ref": command.ref, "line": line.key})
    return Result([dropped], [Event("piece_lost", {"body": loss_key(line.package)})])


def _take_back(bench: Bench, command: c.TakeBack) -> Result:
    board = board_at(bench, command.board)
    if board.station not in ("Place", "Reflow", "Hand"):
        raise Refused(f"Nothing can be taken off board {board.serial}: it is at {board.station}.")
    if board.station == "Hand" or (board.station == "Reflow" and not board.placed):
        if not board.soldered:
            raise Refused(f"No part was soldered by hand on board {board.serial} yet.")
        return Result([Event("part_unsoldered", {"board": board.serial, "ref": board.soldered[-1]})])
    if not board.placed:
        raise Refused(f"No part was placed on board {board.serial} yet.")
    ref = board.placed[-1]
    back = pieces_back(bench, board, ref)
    happened = [Event("part_taken_back", {"board": board.serial, "ref": ref}), *back.events]
    return Result([*happened, moved([board], "Place")] if board.station == "Reflow" else happened, back.workshop)


def _teach_point(bench: Bench, command: c.TeachPoint) -> list[Event]:
    from fusilex.bench.machine import point_at

    panel_at(bench, command.panel, "Place")
    point_at(bench, command.point)
    if max(abs(command.x), abs(command.y)) > LARGEST_BED_MM:
        raise Refused(f"A taught point lies within {LARGEST_BED_MM:g} mm of the machine's zero.")
    return [Event("point_taught", {"panel": command.panel, "point": command.point, "x": command.x, "y": command.y})]


def _forget_point(bench: Bench, command: c.ForgetPoint) -> list[Event]:
    if command.point not in bench.state.taught.get(command.panel, {}):
        raise Refused(f"{command.point} was not taught on panel {command.panel}.")
    return [Event("point_forgotten", {"panel": command.panel, "point": command.point})]


def _machine_placed(bench: Bench, command: c.MachinePlaced) -> Result:
    boards = panel_at(bench, command.panel, "Place")
    happened, workshop = [], []
    for board in boards:
        refs = [p.ref for p in bench.placing_order if p.ref not in board.placed]
        if refs:
            happened.append(Event("parts_placed", {"board": board.serial, "refs": refs, "how": "machine"}))
        counted = pieces_counted(bench, board, [*board.placed, *refs])
        happened += counted.events
        workshop += counted.workshop
    return Result([*happened, moved(boards, "Reflow")], workshop)


def _record_reflow(bench: Bench, command: c.RecordReflow) -> Result:
    boards = panel_at(bench, command.panel, "Reflow")
    if command.window not in WINDOWS:
        raise Refused(f"There is no window called {command.window}; there are {', '.join(WINDOWS)}.")
    log, window = read_log(command.log, command.log_name), WINDOWS[command.window]
    metrics = measure_log(log.time_s, log.probes_c, window)
    index = max(window_index(m, window) for m in metrics.values())
    body = {
        "boards": [b.serial for b in boards],
        "panel": command.panel,
        "window": command.window,
        "log": digest(command.log),
        "log_name": command.log_name,
        "metrics": {name: m.as_dict() for name, m in metrics.items()},
        "index": _finite(index),
    }
    return Result([Event("load_reflowed", body), moved(boards, "Hand")], [], {command.log_name: command.log})


def _finite(value: float) -> float | None:
    return round(value, 4) if math.isfinite(value) else None


_HANDLERS: dict[type[Command], Callable[[Bench, Any], list[Event] | Result]] = {
    c.GoTo: _go_to,
    c.Acknowledge: _acknowledge,
    c.Overrule: _overrule,
    c.AddFiles: ready.add_files,
    c.AssignFile: ready.assign_file,
    c.PickColumns: ready.pick_columns,
    c.ApplyFix: ready.apply_fix,
    c.WithdrawFix: ready.withdraw_fix,
    c.SetPackage: ready.set_body,
    c.DefinePanel: bare.define_panel,
    c.MarkBadCell: bare.mark_cell,
    c.ChooseSides: bare.choose_sides,
    c.CountBare: bare.count_bare,
    c.NoteProcess: bare.note_process,
    c.MixBath: bare.mix_bath,
    c.LogEtch: bare.log_etch,
    c.AcceptFiles: _accept_files,
    c.ReceiveLot: kit.receive_lot,
    c.ReceiveList: kit.receive_list,
    c.CountLot: kit.count_lot,
    c.MoveLot: kit.move_lot,
    c.NoteMoisture: kit.note_moisture,
    c.ReserveStock: kit.reserve_stock,
    c.CheckBag: kit.bag_checked,
    c.ApproveSubstitute: kit.approve_substitute,
    c.FillBin: kit.fill_bin,
    c.WantProgramme: kit.want_programme,
    c.RecordProgramme: kit.record_programme,
    c.StrapTest: kit.strap_test,
    c.ChooseOrder: kit.choose_order,
    c.SetTray: kit.set_tray,
    c.SkipSide: kit.skip_side,
    c.CloseKit: kit.close_kit,
    c.ChooseFoil: _choose_foil,
    c.ChoosePaste: _choose_paste,
    c.PrintPanel: _print_panel,
    c.WipePrint: _wipe_print,
    c.PlacePart: _place_part,
    c.DropPart: _drop_part,
    c.TakeBack: _take_back,
    c.TeachPoint: _teach_point,
    c.ForgetPoint: _forget_point,
    c.MachinePlaced: _machine_placed,
    c.RecordReflow: _record_reflow,
    c.SolderPart: after.solder_part,
    c.MarkFault: after.mark_fault,
    c.StrikeFault: after.strike_fault,
    c.InspectBoard: after.inspect_board,
    c.RepairFault: after.repair_fault,
    c.TakeReading: after.take_reading,
    c.TestBoard: after.test_board,
    c.ReleaseBoard: after.release_board,
}
