"""The panel description, a small JSON file beside the layers (schema in docs/formats.md)."""

from __future__ import annotations

import json

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from fusilex.core.board.panel import Panel
from fusilex.core.problems import BadInput

FORMAT = "fusilex-panel-1"


class _Fiducial(BaseModel):
    name: str
    x_mm: float
    y_mm: float


class _PanelFile(BaseModel):
    model_config = ConfigDict(extra="forbid")

    format: str = Field(pattern=FORMAT)
    columns: int = Field(ge=1, le=50)
    rows: int = Field(ge=1, le=50)
    pitch_mm: tuple[float, float]
    first_board_mm: tuple[float, float]
    size_mm: tuple[float, float]
    board_mm: tuple[float, float]
    fiducials: list[_Fiducial] = []
    tooling_holes_mm: list[tuple[float, float]] = []
    score_lines_mm: list[tuple[tuple[float, float], tuple[float, float]]] = []
    tabs_mm: list[tuple[float, float, float]] = []
    column_x_mm: list[float] = []
    row_y_mm: list[float] = []
    cell_turns_deg: list[int] = []
    skipped_cells: list[int] = []


def is_panel(data: bytes) -> bool:
    return FORMAT.encode() in data[:400]


def read_panel(data: bytes, name: str) -> Panel:
    """Read a panel description. Raises `BadInput` naming the field that is wrong."""
    try:
        read = _PanelFile.model_validate_json(data)
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(p) for p in first["loc"])
        raise BadInput(name, f"a panel description ({first['msg']})", f"“{str(first['input'])[:60]}”", place) from error
    panel = Panel(
        read.columns,
        read.rows,
        *read.pitch_mm,
        *read.first_board_mm,
        *read.size_mm,
        *read.board_mm,
        tuple((f.name, f.x_mm, f.y_mm) for f in read.fiducials),
        tuple(read.tooling_holes_mm),
        tuple(read.score_lines_mm),
        tuple(read.tabs_mm),
        tuple(read.column_x_mm),
        tuple(read.row_y_mm),
        tuple(read.cell_turns_deg),
        tuple(cell - 1 for cell in read.skipped_cells),
    )
    if faults := panel.faults():
        raise BadInput(name, "a panel that can be built", "; ".join(faults[:3]))
    return panel


def write_panel(panel: Panel) -> str:
    """Text of a panel description; `read_panel` reads it back equal."""
    also = {
        "tabs_mm": [list(t) for t in panel.tabs],
        "column_x_mm": list(panel.column_x),
        "row_y_mm": list(panel.row_y),
        "cell_turns_deg": list(panel.turns),
        "skipped_cells": [cell + 1 for cell in panel.skipped],
    }
    return (
        json.dumps(
            {
                "format": FORMAT,
                "columns": panel.columns,
                "rows": panel.rows,
                "pitch_mm": [panel.pitch_x, panel.pitch_y],
                "first_board_mm": [panel.first_x, panel.first_y],
                "size_mm": [panel.width, panel.height],
                "board_mm": [panel.board_w, panel.board_h],
                "fiducials": [{"name": n, "x_mm": x, "y_mm": y} for n, x, y in panel.fiducials],
                "tooling_holes_mm": [list(p) for p in panel.tooling],
                "score_lines_mm": [[list(a), list(b)] for a, b in panel.scores],
                **{key: value for key, value in also.items() if value},
            },
            indent=1,
        )
        + "\n"
    )
