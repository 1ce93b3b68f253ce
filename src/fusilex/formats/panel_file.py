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
    return Panel(
        read.columns,
        read.rows,
        *read.pitch_mm,
        *read.first_board_mm,
        *read.size_mm,
        *read.board_mm,
        tuple((f.name, f.x_mm, f.y_mm) for f in read.fiducials),
        tuple(read.tooling_holes_mm),
        tuple(read.score_lines_mm),
    )


def write_panel(panel: Panel) -> str:
    """Text of a panel description; `read_panel` reads it back equal."""
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
            },
            indent=1,
        )
        + "\n"
    )
