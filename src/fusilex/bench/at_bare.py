"""Handlers of Ready beyond the files: the panel, the order of the sides, bare boards and the etching bath."""

from __future__ import annotations

from dataclasses import asdict
from typing import TYPE_CHECKING

from fusilex.bench import commands as c
from fusilex.bench.at_ready import still_open
from fusilex.bench.commands import Refused, Result
from fusilex.bench.whereabouts import board_at, laid_out
from fusilex.core.bare_boards.etching import EtchRun, copper_removed_g
from fusilex.core.checks.side_order import SIDE_ORDERS
from fusilex.formats.panel_file import write_panel
from fusilex.journal.store import Event, digest

if TYPE_CHECKING:
    from fusilex.bench.session import Bench

PANEL_FILE = "panel.json"


def define_panel(bench: Bench, command: c.DefinePanel) -> Result:
    """The panel as typed or found, kept as a panel file beside the design's own; the boards get their places in it."""
    still_open(bench)
    if faults := command.panel.faults():
        raise Refused(f"That panel cannot be built: {faults[0]}.")
    data = write_panel(command.panel).encode()
    name = next((n.name for n in bench.design.files if n.because == "panel description"), PANEL_FILE)
    bench.design_with({**bench.files, name: data}, bench.choices, bench.fixes)
    happened = [
        Event("file_added", {"name": name, "sha256": digest(data)}),
        Event("boards_laid", {"boards": laid_out(list(bench.state.boards), command.panel)}),
    ]
    return Result(happened, files={name: data})


def mark_cell(bench: Bench, command: c.MarkBadCell) -> list[Event]:
    board = board_at(bench, command.board)
    if board.station not in ("Ready", "Kit", "Print"):
        raise Refused(f"Board {board.serial} is at {board.station}: mark what is wrong with it at Inspect.")
    return [Event("cell_marked", {"board": board.serial})]


def choose_sides(bench: Bench, command: c.ChooseSides) -> list[Event]:
    if command.school not in SIDE_ORDERS:
        raise Refused(f"There is no order of sides called {command.school}; there are {', '.join(SIDE_ORDERS)}.")
    return [Event("sides_chosen", {"school": command.school})]


def count_bare(bench: Bench, command: c.CountBare) -> list[Event]:
    if not 0 <= command.panels <= 10_000:
        raise Refused(f"Count 0 or more panels, not {command.panels}.")
    return [Event("bare_counted", {"panels": command.panels, "clean": command.clean})]


def note_process(bench: Bench, command: c.NoteProcess) -> Result:
    if not command.name.strip() or not 0.02 <= command.finest_mm <= 5:
        raise Refused("Name the process and the finest track or gap it has shown, 0.02 to 5 mm.")
    happened = Event("process_shown", {"process": command.name.strip(), "mm": command.finest_mm})
    return Result([Event("stock_noted", {"what": "process_shown"})], [happened])


def mix_bath(bench: Bench, command: c.MixBath) -> Result:
    if not 0.05 <= command.litres <= 50:
        raise Refused("A bath holds 0.05 to 50 litres.")
    return Result([Event("stock_noted", {"what": "bath_mixed"})], [Event("bath_mixed", {"litres": command.litres})])


def log_etch(bench: Bench, command: c.LogEtch) -> Result:
    """A run of the bath: what it really took corrects the rate."""
    bath = bench.workshop.state.bath
    if not bath:
        raise Refused("Note the bath first: how many litres.")
    if not (0 < command.minutes <= 600 and 0 < command.celsius <= 80 and 0 < command.foil_um <= 210):
        raise Refused("A run takes up to 600 minutes at up to 80 °C on up to 210 µm of copper.")
    removed = copper_to_remove(bench, command.foil_um) * command.boards
    run = EtchRun(command.minutes, command.celsius, command.foil_um, removed, bath["litres"], bath["held_g"])
    return Result([Event("stock_noted", {"what": "run_etched"})], [Event("run_etched", asdict(run))])


def copper_to_remove(bench: Bench, foil_um: float) -> float:
    """Copper (g) to take off one board, both outer layers that have any."""
    area = float(bench.design.outline.area)
    return sum(copper_removed_g(area, share, foil_um) for share in bench.views.coverage.values() if share > 0)
