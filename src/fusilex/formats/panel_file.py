"""The panel description, a small JSON file beside the layers (schema in docs/formats.md)."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

from fusilex.core.panel.layout import Panel
from fusilex.core.problems import BadInput

PANEL_FORMAT = "fusilex-panel-1"
MOST_CELLS_ALONG = 50
MOST_MM = 1e4


def _number(value: Any) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not -MOST_MM < value < MOST_MM:
        raise ValueError("a number")
    return float(value)


def _count(value: Any) -> int:
    if isinstance(value, bool) or not isinstance(value, int) or not 1 <= value <= MOST_CELLS_ALONG:
        raise ValueError(f"a whole number from 1 to {MOST_CELLS_ALONG}")
    return value


def _whole(value: Any) -> int:
    if isinstance(value, bool) or not isinstance(value, int):
        raise ValueError("a whole number")
    return value


def _format(value: Any) -> str:
    if value != PANEL_FORMAT:
        raise ValueError(PANEL_FORMAT)
    return PANEL_FORMAT


def _fiducial(value: Any) -> tuple[str, float, float]:
    if not isinstance(value, dict) or set(value) != {"name", "x_mm", "y_mm"} or not isinstance(value["name"], str):
        raise ValueError("name, x_mm and y_mm")
    return value["name"], _number(value["x_mm"]), _number(value["y_mm"])


def _several(of: Callable[[Any], Any], length: int | None = None) -> Callable[[Any], tuple[Any, ...]]:
    """A list of something, of a length where one is given."""

    def read(value: Any) -> tuple[Any, ...]:
        if not isinstance(value, list) or (length is not None and len(value) != length):
            raise ValueError(f"a list of {length}" if length is not None else "a list")
        return tuple(of(item) for item in value)

    return read


_pair = _several(_number, 2)
_FIELDS: dict[str, Callable[[Any], Any]] = {
    "format": _format,
    "columns": _count,
    "rows": _count,
    "pitch_mm": _pair,
    "first_board_mm": _pair,
    "size_mm": _pair,
    "board_mm": _pair,
    "fiducials": _several(_fiducial),
    "tooling_holes_mm": _several(_pair),
    "score_lines_mm": _several(_several(_pair, 2)),
    "tabs_mm": _several(_several(_number, 3)),
    "column_x_mm": _several(_number),
    "row_y_mm": _several(_number),
    "cell_turns_deg": _several(_whole),
    "skipped_cells": _several(_whole),
}
_NEEDED = 7
"""The first so many of the fields must be there."""


def is_panel(data: bytes) -> bool:
    return PANEL_FORMAT.encode() in data[:400]


def read_panel(data: bytes, name: str) -> Panel:
    """Read a panel description. Raises `BadInput` naming the field that is wrong."""
    try:
        found = json.loads(data)
    except ValueError as error:
        raise BadInput(name, "a panel description in JSON", str(error)) from error
    if not isinstance(found, dict):
        raise BadInput(name, "a panel description", f"“{str(found)[:60]}”")
    wrong = [f for f in list(_FIELDS)[:_NEEDED] if f not in found] + [f for f in found if f not in _FIELDS]
    if wrong:
        raise BadInput(
            name, "a panel description with the fields of docs/formats.md", "it missing or unknown", wrong[0]
        )
    read: dict[str, Any] = {}
    for field, value in found.items():
        try:
            read[field] = _FIELDS[field](value)
        except ValueError as error:
            raise BadInput(name, f"a panel description ({error})", f"“{str(value)[:60]}”", field) from error
    (pitch_x, pitch_y), (first_x, first_y) = read["pitch_mm"], read["first_board_mm"]
    (width, height), (board_w, board_h) = read["size_mm"], read["board_mm"]
    panel = Panel(
        read["columns"],
        read["rows"],
        pitch_x,
        pitch_y,
        first_x,
        first_y,
        width,
        height,
        board_w,
        board_h,
        read.get("fiducials", ()),
        read.get("tooling_holes_mm", ()),
        read.get("score_lines_mm", ()),
        read.get("tabs_mm", ()),
        read.get("column_x_mm", ()),
        read.get("row_y_mm", ()),
        read.get("cell_turns_deg", ()),
        tuple(cell - 1 for cell in read.get("skipped_cells", ())),
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
                "format": PANEL_FORMAT,
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
