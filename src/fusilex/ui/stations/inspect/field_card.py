"""What should be there in a field of the microscope: parts with values, joints and marks, doubtful ones ringed."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.common.doubtful import left_in_doubt
from fusilex.bench.stations.inspect.touring import Field
from fusilex.core.design.model import Part
from fusilex.core.evidence import Level
from fusilex.core.inspection.expect import mark_lies
from fusilex.ui.widgets.rows import Column, Rows


class FieldCard(Rows):
    def __init__(self) -> None:
        columns = [Column("part", 1), Column("value", 3), Column("joints", 1, True), Column("mark", 2)]
        super().__init__("In this field", columns, "Every field was looked through.")

    def show_field(self, batch: Batch, board: Board, field: Field | None, selected: str | None) -> None:
        """The parts of a field, the one in hand lit."""
        parts, doubts = batch.built(board), dict(left_in_doubt(batch, board))
        refs = [ref for ref in field.refs if ref in parts] if field else []
        rows = [_row(parts[ref], field, doubts.get(ref, "")) for ref in refs]
        if selected in refs:
            self.chosen = refs.index(selected)
        self.show_rows(rows, [Level.UNKNOWN if ref in doubts else None for ref in refs])


def _row(part: Part, field: Field | None, doubt: str) -> tuple[str, ...]:
    joints = sum(name.startswith(f"{part.ref}.") for name in field.joints) if field else 0
    mark = {"none": "", "known": mark_lies(part), "unknown": "by the silk"}[part.polarity]
    return part.ref, f"{part.value}{', ' if doubt else ''}{doubt}", str(joints or ""), mark
