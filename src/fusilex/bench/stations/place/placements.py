"""Every placement that is still to do on a panel, in the machine's frame, and the pieces it takes."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.place.machine import place_step
from fusilex.bench.stations.place.references import LEAST_POINTS, fits, judge_machine
from fusilex.core.placing.points import angle_as_seen, as_seen, on_board
from fusilex.formats.written.programme import Step


def programme(batch: Batch, panel: int) -> list[Step]:
    """Every placement still to do on a panel in the machine's frame, cell by cell within each part. Raises
    `Refused`.
    """
    lie = fits(batch, panel)
    if not lie:
        raise Refused(f"Teach at least {LEAST_POINTS} points of panel {panel} first.")
    batch.hold_at(judge_machine(batch, panel))
    boards = {b.cell: b for b in batch.state.panel_boards(panel) if not b.scrapped and b.cell in lie}
    steps, at = [], place_step(batch)
    numbers = batch.bin_number
    own = {cell: {p.ref: p for p in batch.parts_of(at.id, board)} for cell, board in boards.items()}
    for ref, drawn in {ref: part for parts in own.values() for ref, part in parts.items()}.items():
        lies = as_seen(batch.panel, batch.panel.step(on_board(batch.design, [drawn]))[:, 0], at.side)
        for cell in sorted(boards):
            part = own[cell].get(ref)
            if part is not None and ref not in boards[cell].placed:
                x, y = lie[cell].apply(lies[cell])[0]
                angle = angle_as_seen(part.rotation_deg, batch.panel.turn(cell), at.side) + lie[cell].rotation_deg
                bin_number = numbers[batch.lines_of(boards[cell])[ref].key]
                height, code = part.package.height, part.package.code
                steps.append(Step(cell + 1, part.ref, float(x), float(y), angle, height, bin_number, part.value, code))
    return steps


def pieces_for(batch: Batch, boards: Iterable[Board]) -> Counter[str]:
    """Pieces the machine takes out of each bin, by its key, to place what is left on the boards."""
    return Counter(
        batch.lines_of(b)[p.ref].key for b in boards for p in batch.parts_of(b.step, b) if p.ref not in b.placed
    )
