"""Commands of Ready about the panel."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.boards import laid_out
from fusilex.bench.command import Command, Result
from fusilex.bench.common.events import BoardCell
from fusilex.bench.common.files import FileAdded
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.ready.events import BoardsLaid, CellMarked
from fusilex.bench.stations.ready.files import still_open
from fusilex.core.panel.layout import Panel
from fusilex.formats.panel_file import write_panel
from fusilex.journal.pen import digest

PANEL_FILE = "panel.json"


class DefinePanel(Command, frozen=True):
    """The panel the boards come in; it replaces the one of the files, and is kept as a panel file beside them."""

    panel: Panel

    def decide(self, batch: Batch) -> Result:
        still_open(batch)
        if faults := self.panel.faults():
            raise Refused(f"That panel cannot be built: {faults[0]}.")
        data = write_panel(self.panel).encode()
        name = next((n.name for n in batch.design.files if n.because == "panel description"), PANEL_FILE)
        batch.source.tried({**batch.source.files, name: data}, batch.source.choices)
        places = [BoardCell(*row) for row in laid_out(batch.state.boards, self.panel.cells)]
        return Result([FileAdded(name, digest(data)), BoardsLaid(places)], files={name: data})


class MarkBadCell(Command, frozen=True):
    """The maker crossed this cell out, or it was found bad before assembly: its board is set aside."""

    board: str

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board)
        if board.station not in ("Ready", "Kit", "Print"):
            raise Refused(f"Board {board.serial} is at {batch.where(board)}: mark what is wrong with it at Inspect.")
        return Result([CellMarked(board.serial)])


COMMANDS = (DefinePanel, MarkBadCell)
