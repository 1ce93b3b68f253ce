"""Anything with rows and cells into one shape: text with separators, text in fixed columns, spreadsheets."""

from __future__ import annotations

import csv
import io
import re
import zipfile
from collections.abc import Iterator
from functools import lru_cache

from msgspec import Struct

from fusilex.core.problems import BadInput
from fusilex.core.progress import Left, while_wanted
from fusilex.core.shown import seen
from fusilex.formats.written.words import uncell

SEPARATORS = (",", ";", "\t", "|")
MOST_SHEET_BYTES = 160 * 2**20
MOST_ROWS, MOST_CELLS, MOST_SHEET_CELLS = 200_000, 1_500_000, 400_000
_COMMENT = re.compile(r"\s*(?:#+|//+|%+)")
_RULE = re.compile(r"[\s\-=_+]+")


class Grid(Struct, frozen=True):
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
        return seen(data.decode("utf-16", errors="replace"))
    if (unmarked := _unmarked_utf16(data)) is not None:
        return unmarked
    if b"\x00" in data[:4096]:
        raise BadInput(name, "a text table", "binary data")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = data.decode("latin-1")
    return seen(text)


def _unmarked_utf16(data: bytes) -> str | None:
    """Text of UTF-16 without its mark: every other byte of a Latin text is zero, always on the same side."""
    head = data[:4096]
    for offset, codec in ((1, "utf-16-le"), (0, "utf-16-be")):
        if len(head) >= 8 and head[offset::2].count(0) > 0.45 * len(head) and head[1 - offset :: 2].count(0) == 0:
            return seen(data.decode(codec, errors="replace"))
    return None


@lru_cache(maxsize=12)
def grids_of(data: bytes, name: str) -> tuple[Grid, ...]:
    """Every way the file can be cut into rows and cells; kept, for a file is looked at as one kind of list after the
    other.

    Raises `BadInput` where it is no table at all.
    """
    return tuple(_cut(data, name))


def _cut(data: bytes, name: str) -> Iterator[Grid]:
    if is_spreadsheet(data):
        yield from _sheets(data, name)
        return
    text = decode(data, name)
    lines_said, cells_said = text.count("\n") + 1, max(text.count(separator) for separator in SEPARATORS)
    if lines_said > MOST_ROWS:
        raise BadInput(name, f"at most {MOST_ROWS:,} lines", f"{lines_said:,}")
    if cells_said > MOST_CELLS:
        raise BadInput(name, f"at most {MOST_CELLS:,} cells", f"more than {cells_said:,}")
    for separator in SEPARATORS:
        if separator in text:
            yield _separated(text, separator, name)
    lines = text.splitlines()
    for grid in (_fixed(lines), _spaced(lines)):
        if grid is not None:
            yield grid


def _separated(text: str, separator: str, name: str) -> Grid:
    """Cells between separators."""
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=separator)
    rows, lines = [], []
    try:
        for row in while_wanted(reader):
            rows.append(tuple(map(_bare, row)))
            lines.append(reader.line_num)
    except csv.Error as error:
        raise BadInput(name, "cells and separators", str(error), f"line {reader.line_num}") from error
    words = {",": "commas", ";": "semicolons", "\t": "tabs", "|": "bars"}[separator]
    return Grid(words, tuple(rows), tuple(lines))


def _bare(cell: str) -> str:
    """A cell without what keeps a spreadsheet from reading it as a number (``="…"``) or as a formula (``'``)."""
    return cell[2:-1] if cell.startswith('="') and cell.endswith('"') else uncell(cell)


def _fixed(lines: list[str]) -> Grid | None:
    """Fixed columns: the gutters are the character positions that are blank in every line of the table."""
    block = _table_lines([line.expandtabs(8).rstrip() for line in lines])
    width = max((len(line) for _, line in block), default=0)
    if len(block) < 3 or width > 4000:
        return None
    filled = [False] * width
    for _, line in block:
        for at, character in enumerate(line):
            if character != " ":
                filled[at] = True
    edges = [i for i in range(width) if filled[i] and (i == 0 or not filled[i - 1])]
    edges = [edge for edge, stop_at in zip(edges, [*edges[1:], width], strict=True) if _is_column(block, edge, stop_at)]
    edges = [edge for edge, end in zip(edges, [*edges[1:], width], strict=True) if not _second_word(block, edge, end)]
    if len(edges) < 3:
        return None
    ends = [*edges[1:], width]
    rows = tuple(tuple(line[a:b].strip() for a, b in zip(edges, ends, strict=True)) for _, line in block)
    return Grid("fixed columns", rows, tuple(n for n, _ in block), _above(lines, block))


def _spaced(lines: list[str]) -> Grid | None:
    """Cells with blanks between them, quoted where they hold some: as many in nearly every line of the table."""
    block = _table_lines([line.expandtabs(1).strip() for line in lines])
    rows = [tuple(row) for row in csv.reader([line for _, line in block], delimiter=" ", skipinitialspace=True)]
    if len(rows) < 3 or sum(len(row) == len(rows[0]) for row in rows) < 0.9 * len(rows):
        return None
    return Grid("blanks", tuple(rows), tuple(n for n, _ in block), _above(lines, block))


def _above(lines: list[str], block: list[tuple[int, str]]) -> str:
    return " ".join(lines[: block[0][0] - 1])


def _uncommented(lines: list[str]) -> list[str]:
    """Lines without their comments; the comment right above a table may be its header, and keeps its place without
    its mark.
    """
    out = []
    for line, below in zip(lines, [*lines[1:], ""], strict=False):
        if mark := _COMMENT.match(line):
            heads = len(below.split()) >= 3 and not _COMMENT.match(below)
            line = " " * mark.end() + line[mark.end() :] if heads else ""
        out.append(line)
    return out


def _table_lines(lines: list[str]) -> list[tuple[int, str]]:
    """Numbered lines of the longest run with at least three words each, and of the pages that go on under the same
    first line.

    Comments, rules, and the first line of every page but one are left out.
    """
    lines = _uncommented(lines)
    runs, start = [], 0
    for at, line in enumerate([*lines, ""]):
        if len(line.split()) < 3 and not _RULE.fullmatch(line):
            if at > start:
                runs.append((start, at))
            start = at + 1
    longest = max(runs, key=lambda run: run[1] - run[0], default=(0, 0))
    heads = [lines[start].split() for start, _ in runs]
    head = lines[longest[0]].split() if runs else []
    pages = [run for run, first in zip(runs, heads, strict=True) if first == head]
    found = [(n, lines[n - 1]) for start, stop in pages for n in range(start + 1 + (start > pages[0][0]), stop + 1)]
    return [(n, line) for n, line in found if not _RULE.fullmatch(line)]


def _is_column(block: list[tuple[int, str]], start: int, stop: int) -> bool:
    """A column has a title, or cells in more than a few lines; the tail of one long text is none."""
    filled = sum(bool(line[start:stop].strip()) for _, line in block)
    return bool(block[0][1][start:stop].strip()) or filled > max(1, 0.1 * len(block))


def _second_word(block: list[tuple[int, str]], start: int, stop: int) -> bool:
    """True for a column of nothing but a title, one blank behind another: the second word of that one's title."""
    head = block[0][1]
    alone = start > 1 and head[start - 1 : start] == " " and head[start - 2 : start - 1].strip() != ""
    return bool(alone and head[start:stop].strip()) and not any(line[start:stop].strip() for _, line in block[1:])


def _sheets(data: bytes, name: str) -> Iterator[Grid]:
    """Each sheet of an XLSX workbook, formulas by their last value."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            size = sum(info.file_size for info in archive.infolist())
            if size > MOST_SHEET_BYTES:
                raise BadInput(name, f"a spreadsheet of at most {MOST_SHEET_BYTES >> 20} MB", f"{size / 2**20:.0f} MB")
            _check_cells(archive, name)
        from openpyxl import load_workbook

        book = load_workbook(io.BytesIO(data), read_only=True, data_only=True)
        for sheet in book.worksheets:
            rows, lines = [], []
            for number, row in while_wanted(enumerate(sheet.iter_rows(values_only=True), 1)):
                if number > MOST_ROWS:
                    raise BadInput(name, f"at most {MOST_ROWS} rows", "more", f"sheet {sheet.title}")
                cells = tuple(_cell(value) for value in row)
                if any(cells):
                    rows.append(cells)
                    lines.append(number)
            yield Grid(f"sheet {sheet.title}", tuple(rows), tuple(lines))
    except (BadInput, Left):
        raise
    except Exception as error:  # the workbook reader raises whatever its XML happens to raise
        raise BadInput(name, "a readable spreadsheet", str(error)[:160] or type(error).__name__) from error


def _check_cells(archive: zipfile.ZipFile, name: str) -> None:
    """Cells and shared texts are counted before anybody makes objects of them. Raises `BadInput`."""
    count = 0
    for info in archive.infolist():
        if not info.filename.lower().endswith(".xml"):
            continue
        with archive.open(info) as stream:
            while part := stream.read(2**20):
                count += part.count(b"<c ") + part.count(b"<c>") + part.count(b"<si>") + part.count(b"<c/>")
                if count > MOST_SHEET_CELLS:
                    raise BadInput(
                        name, f"at most {MOST_SHEET_CELLS:,} cells", "more", info.filename.rpartition("/")[2]
                    )


def _cell(value: object) -> str:
    if value is None:
        return ""
    if isinstance(value, float) and value.is_integer() and abs(value) < 1e15:
        return str(int(value))
    return uncell(str(value).strip())
