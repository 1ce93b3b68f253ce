"""Tables in text: encoding, separator and header found by looking; columns recognised by their wording."""

from __future__ import annotations

import csv
import io
import math
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

from fusilex.core.problems import BadInput

SEPARATORS = (",", ";", "\t", "|")
Wording = Mapping[str, str]


@dataclass(frozen=True)
class Table:
    """Rows of cells after the header; `lines` gives each row's line in the file, `columns` the header's words."""

    name: str
    columns: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    lines: tuple[int, ...]
    fields: dict[str, int]

    def cell(self, row: int, field: str, default: str = "") -> str:
        index = self.fields.get(field)
        return self.rows[row][index].strip() if index is not None and index < len(self.rows[row]) else default

    def has(self, field: str) -> bool:
        return field in self.fields


def decode(data: bytes, name: str) -> str:
    """Text of a file in UTF-8, UTF-16 or Latin-1. Raises `BadInput` for binary data."""
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return "\n".join(data.decode("utf-16", errors="replace").splitlines())
    if b"\x00" in data[:4096]:
        raise BadInput(name, "a text table", "binary data")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = data.decode("latin-1")
    return "\n".join(text.splitlines())


@lru_cache(maxsize=256)
def _compiled(pattern: str) -> re.Pattern[str]:
    return re.compile(pattern, re.I)


def recognise(header: Sequence[str], wording: Wording) -> dict[str, int]:
    """Column index of each field whose pattern a header cell matches; the first match wins, a column serves once."""
    cells = [re.sub(r"[\s_./#-]+", " ", cell).strip() for cell in header]
    found: dict[str, int] = {}
    for field, pattern in wording.items():
        whole = _compiled(pattern).fullmatch
        for index, cell in enumerate(cells):
            if cell and index not in found.values() and whole(cell):
                found[field] = index
                break
    return found


def _rows(text: str, separator: str, name: str) -> Iterator[tuple[int, list[str]]]:
    """(line, cells) of every row. Raises `BadInput` where the text is no table at all."""
    reader = csv.reader(io.StringIO(text), delimiter=separator)
    try:
        for row in reader:
            yield reader.line_num, row
    except csv.Error as error:
        raise BadInput(name, "cells and separators", str(error), f"line {reader.line_num}") from error


def read_table(data: bytes, name: str, wording: Wording, needed: Sequence[str]) -> Table:
    """The table in `data` whose header names the `needed` fields. Raises `BadInput` when no line does."""
    text = decode(data, name)
    best: tuple[int, int, str, dict[str, int]] | None = None
    for separator in SEPARATORS:
        for number, row in enumerate(cells for _, cells in _rows(text[:60_000], separator, name)):
            if number > 40:
                break
            fields = recognise(row, wording)
            if len(row) > 1 and all(f in fields for f in needed) and (best is None or len(fields) > best[0]):
                best = len(fields), number, separator, fields
    if best is None:
        first = next((line for line in text.splitlines() if line.strip()), "nothing")
        raise BadInput(name, "a header line with columns for " + ", ".join(needed), f"“{first[:80]}”", "line 1")
    _, header, separator, fields = best
    rows, lines = [], []
    columns: tuple[str, ...] = ()
    for number, (line, row) in enumerate(_rows(text, separator, name)):
        if number == header:
            columns = tuple(row)
        elif number > header and any(cell.strip() for cell in row) and not row[0].lstrip().startswith("#"):
            rows.append(tuple(row))
            lines.append(line)
    return Table(name, columns, tuple(rows), tuple(lines), fields)


_NUMBER = re.compile(r"^\s*([-+]?(?:\d+[.,]?\d*|[.,]\d+)(?:[eE][-+]?\d+)?)\s*(mm|mil|mils|in|inch|\"|°|deg)?\s*$")
_TO_MM = {"mil": 0.0254, "mils": 0.0254, "in": 25.4, "inch": 25.4, '"': 25.4}


def number(text: str, name: str, line: int, column: str) -> tuple[float, str]:
    """A number and its unit ('' if none), decimal comma allowed. Raises `BadInput` naming line and column."""
    match = _NUMBER.match(text)
    value = float(match[1].replace(",", ".")) if match else math.nan
    if match is None or not math.isfinite(value):
        raise BadInput(name, "a number", f"“{text[:40]}”", f"line {line}, column {column.strip() or '?'}")
    return value, match[2] or ""


def length_mm(text: str, name: str, line: int, column: str) -> float:
    """A length in mm; a unit in the cell beats one in the column's name, and mm is taken when neither says."""
    value, unit = number(text, name, line, column)
    if not unit:
        stated = re.search(r"\b(mils?|inch|in|mm)\b", column, re.I)
        unit = stated[1].lower() if stated else "mm"
    return value * _TO_MM.get(unit, 1.0)
