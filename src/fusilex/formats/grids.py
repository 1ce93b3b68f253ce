"""Anything with rows and cells into one shape: text with separators, text in fixed columns, spreadsheets."""

from __future__ import annotations

import csv
import io
import re
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

from fusilex.core.problems import BadInput

SEPARATORS = (",", ";", "\t", "|")
MOST_SHEET_BYTES = 160 * 2**20
MOST_ROWS = 200_000


@dataclass(frozen=True)
class Grid:
    """Rows of cells with the line (or spreadsheet row) each stands on. `how` says how the cells were told apart,
    `above` is text before the first row that is no part of the table.
    """

    how: str
    rows: tuple[tuple[str, ...], ...]
    lines: tuple[int, ...]
    above: str = ""


def is_spreadsheet(data: bytes) -> bool:
    return data[:4] == b"PK\x03\x04" and b"xl/" in data[-65_536:]


def decode(data: bytes, name: str) -> str:
    """Text of a file in UTF-8, UTF-16 or Latin-1. Raises `BadInput` for binary data."""
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return "\n".join(data.decode("utf-16", errors="replace").splitlines())
    if (unmarked := _unmarked_utf16(data)) is not None:
        return "\n".join(unmarked.splitlines())
    if b"\x00" in data[:4096]:
        raise BadInput(name, "a text table", "binary data")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = data.decode("latin-1")
    return "\n".join(text.splitlines())


def _unmarked_utf16(data: bytes) -> str | None:
    """Text of UTF-16 without its mark: every other byte of a Latin text is zero, always on the same side."""
    head = data[:4096]
    for offset, codec in ((1, "utf-16-le"), (0, "utf-16-be")):
        if len(head) >= 8 and head[offset::2].count(0) > 0.45 * len(head) and head[1 - offset :: 2].count(0) == 0:
            return data.decode(codec, errors="replace")
    return None


@lru_cache(maxsize=12)
def grids_of(data: bytes, name: str) -> tuple[Grid, ...]:
    """Every way the file can be cut into rows and cells; kept, for a file is looked at as one kind of list after the other.

    Raises `BadInput` where it is no table at all.
    """
    return tuple(_cut(data, name))


def _cut(data: bytes, name: str) -> Iterator[Grid]:
    if is_spreadsheet(data):
        yield from _sheets(data, name)
        return
    text = decode(data, name)
    for separator in SEPARATORS:
        if separator in text:
            yield _separated(text, separator, name)
    for grid in (_fixed(text), _spaced(text)):
        if grid is not None:
            yield grid


def _separated(text: str, separator: str, name: str) -> Grid:
    reader = csv.reader(io.StringIO(text), delimiter=separator)
    rows, lines = [], []
    try:
        for row in reader:
            rows.append(tuple(row))
            lines.append(reader.line_num)
    except csv.Error as error:
        raise BadInput(name, "cells and separators", str(error), f"line {reader.line_num}") from error
    words = {",": "commas", ";": "semicolons", "\t": "tabs", "|": "bars"}[separator]
    return Grid(words, tuple(rows), tuple(lines))


def _fixed(text: str) -> Grid | None:
    """Fixed columns: the gutters are the character positions that are blank in every line of the longest block of lines."""
    lines = [line.expandtabs(8).rstrip() for line in text.splitlines()]
    start, stop = _longest_block(lines)
    block = [line for line in lines[start:stop] if not re.fullmatch(r"[\s\-=_+]*", line)]
    if len(block) < 3:
        return None
    width = max(map(len, block))
    if width > 4000:
        return None
    filled = [False] * width
    for line in block:
        for at, character in enumerate(line):
            if character != " ":
                filled[at] = True
    edges = [i for i in range(width) if filled[i] and (i == 0 or not filled[i - 1])]
    edges = [edge for edge, stop_at in zip(edges, [*edges[1:], width], strict=True) if _is_column(block, edge, stop_at)]
    if len(edges) < 3:
        return None
    ends = [*edges[1:], width]
    rows, numbers = [], []
    for number, line in enumerate(lines[start:stop], start + 1):
        if not re.fullmatch(r"[\s\-=_+]*", line):
            rows.append(tuple(line[a:b].strip() for a, b in zip(edges, ends, strict=True)))
            numbers.append(number)
    return Grid("fixed columns", tuple(rows), tuple(numbers), " ".join(lines[:start]))


def _spaced(text: str) -> Grid | None:
    """Cells with blanks between them, quoted where they hold some: as many in nearly every line of the longest block."""
    lines = [line.expandtabs(1).strip() for line in text.splitlines()]
    start, stop = _longest_block(lines)
    rows = [tuple(row) for row in csv.reader(lines[start:stop], delimiter=" ", skipinitialspace=True)]
    if len(rows) < 3 or sum(len(row) == len(rows[0]) for row in rows) < 0.9 * len(rows):
        return None
    return Grid("blanks", tuple(rows), tuple(range(start + 1, stop + 1)), " ".join(lines[:start]))


def _is_column(block: list[str], start: int, stop: int) -> bool:
    """A column has a title, or cells in more than a few lines; the tail of one long text is none."""
    filled = sum(bool(line[start:stop].strip()) for line in block)
    return bool(block[0][start:stop].strip()) or filled > max(1, 0.1 * len(block))


def _longest_block(lines: list[str]) -> tuple[int, int]:
    """First and last + 1 of the longest run of lines with at least three words each."""
    best, start = (0, 0), 0
    for at, line in enumerate([*lines, ""]):
        if len(line.split()) < 3 and not re.fullmatch(r"[\s\-=_+]+", line):
            best = max(best, (start, at), key=lambda run: run[1] - run[0])
            start = at + 1
    return best


def _sheets(data: bytes, name: str) -> Iterator[Grid]:
    """Each sheet of an XLSX workbook, formulas by their last value."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            size = sum(info.file_size for info in archive.infolist())
        if size > MOST_SHEET_BYTES:
            raise BadInput(name, f"a spreadsheet of at most {MOST_SHEET_BYTES >> 20} MB", f"{size / 2**20:.0f} MB")
        from openpyxl import load_workbook

        book = load_workbook(io.BytesIO(data), read_only=True, data_only=True)
        for sheet in book.worksheets:
            rows, lines = [], []
            for number, row in enumerate(sheet.iter_rows(values_only=True), 1):
                if number > MOST_ROWS:
                    raise BadInput(name, f"at most {MOST_ROWS} rows", "more", f"sheet {sheet.title}")
                cells = tuple(_cell(value) for value in row)
                if any(cells):
                    rows.append(cells)
                    lines.append(number)
            yield Grid(f"sheet {sheet.title}", tuple(rows), tuple(lines))
    except BadInput:
        raise
    except Exception as error:  # the workbook reader raises whatever its XML happens to raise
        raise BadInput(name, "a readable spreadsheet", str(error)[:160] or type(error).__name__) from error


def _cell(value: object) -> str:
    if value is None:
        return ""
    if isinstance(value, float) and value.is_integer() and abs(value) < 1e15:
        return str(int(value))
    return str(value).strip()
