"""Where boards are, and moving them: what the handlers share."""

from __future__ import annotations

from typing import TYPE_CHECKING

from fusilex.bench.commands import Refused
from fusilex.core.panel.layout import Panel
from fusilex.journal.projection import Board
from fusilex.journal.store import Event

if TYPE_CHECKING:
    from fusilex.bench.session import Bench


def laid_out(serials: list[str], panel: Panel | None) -> list[dict[str, object]]:
    """Panel and cell of each board in turn, cells that carry none passed over."""
    cells = panel.cells if panel else [0]
    return [
        {"serial": serial, "panel": n // len(cells) + 1, "cell": cells[n % len(cells)]}
        for n, serial in enumerate(serials)
    ]


def moved(boards: list[Board], to: str) -> Event:
    return Event("moved", {"boards": [b.serial for b in boards], "to": to})


def board_at(bench: Bench, serial: str, station: str | None = None) -> Board:
    board = bench.state.boards.get(serial)
    if board is None:
        raise Refused(f"This batch has no board {serial}.")
    if board.scrapped:
        raise Refused(f"Board {serial} was scrapped.")
    if station and board.station != station:
        raise Refused(f"Board {serial} is at {board.station}, not at {station}.")
    return board


def panel_at(bench: Bench, panel: int, station: str) -> list[Board]:
    boards = [b for b in bench.state.panel_boards(panel) if b.station == station and not b.scrapped]
    if not boards:
        where = {b.station for b in bench.state.panel_boards(panel)}
        raise Refused(
            f"Panel {panel} is not at {station}"
            + (f" but at {' and '.join(sorted(where))}." if where else ": there is no such panel.")
        )
    return boards
