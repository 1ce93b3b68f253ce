"""Opportunities for faults as CSV: a row each, a column `fault` of 0 and 1, any other columns as attributes."""

from __future__ import annotations

import csv
import io

from fusilex.core.problems import BadInput
from fusilex.formats.lists.grids import decode

FAULT, MOST_CELLS, MOST_COLUMNS = "fault", 2_700_000, 200
_YES, _NO = ("1", "yes", "true"), ("0", "no", "false", "")


def read_opportunities(data: bytes, name: str) -> tuple[dict[str, list[str]], list[bool]]:
    """Attributes by column, and which rows are faults. Raises `BadInput` with the line."""
    rows = csv.reader(io.StringIO(decode(data, name)))
    head = [cell.strip() for cell in next(rows, [])]
    if FAULT not in head or len(head) < 2:
        raise BadInput(name, "a column fault and columns of attributes", ", ".join(head)[:80] or "nothing", "line 1")
    if len(set(head)) < len(head) or len(head) > MOST_COLUMNS:
        raise BadInput(name, f"at most {MOST_COLUMNS} columns of different names", f"{len(head)}", "line 1")
    at = head.index(FAULT)
    columns: list[list[str]] = [[] for _ in head]
    fault: list[bool] = []
    same: dict[str, str] = {}
    for number, row in enumerate(rows, 2):
        if not any(cell.strip() for cell in row):
            continue
        if len(row) != len(head):
            raise BadInput(name, f"{len(head)} cells", str(len(row)), f"line {number}")
        word = row[at].strip().lower()
        if word not in _YES + _NO:
            raise BadInput(name, "fault 0 or 1", row[at], f"line {number}")
        if (len(fault) + 1) * len(head) > MOST_CELLS:
            raise BadInput(name, f"at most {MOST_CELLS:,} cells", "more", f"line {number}")
        fault.append(word in _YES)
        for column, cell in zip(columns, map(str.strip, row), strict=True):
            column.append(same.setdefault(cell, cell))  # most cells say what another one said
    if not fault:
        raise BadInput(name, "at least one opportunity", "none")
    return {h: column for h, column in zip(head, columns, strict=True) if h and h != FAULT}, fault
