"""Words from outside on their way out: no cell of a list may become a command of a machine or of a spreadsheet."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable

from fusilex.core.shown import shown

_GUARDED = re.compile(r"'*\s*[=+\-@\t\r＝＋－＠]")
_NOT_PLAIN = re.compile(r"[^A-Za-z0-9 .,_+\-/=#:]+")
MOST_COMMENT = 60


def comment(*words: object) -> str:
    """A comment of G-code: letters, digits and a few marks on one line, whatever the words are.

    >>> comment("cell", 1, "R1", "10k)\\nG0 X0 (")
    '(cell 1 R1 10k G0 X0)'
    """
    text = _NOT_PLAIN.sub(" ", " ".join(str(word) for word in words))
    return f"({' '.join(text.split())[:MOST_COMMENT].rstrip()})"


def cell(value: object) -> object:
    """A cell of a list: words that a spreadsheet would take for a formula get an apostrophe in front, which
    `uncell` takes off again. Numbers stay numbers.

    >>> cell("=1+1"), cell("'-x"), cell(-1.5), cell("10k")
    ("'=1+1", "''-x", -1.5, '10k')
    """
    if not isinstance(value, str) or isinstance(value, Number):
        return value
    text = shown(value)
    return f"'{text}" if _GUARDED.match(text) else text


class Number(str):
    """A number as it is to be written; no word of a file."""


def csv_line(row: Iterable[object]) -> str:
    """A row of cells as a line of CSV; a cell is one line itself.

    >>> csv_line(("R1", "=1", 2, Number("-3.50"), "a, b")).split(",")[:4]
    ['R1', "'=1", '2', '-3.50']
    """
    out = io.StringIO(newline="")
    csv.writer(out, lineterminator="\r\n").writerow([cell(value) for value in row])
    return out.getvalue().removesuffix("\r\n") + "\n"


def uncell(text: str) -> str:
    """What was written as a cell.

    >>> [uncell(str(cell(text))) for text in ("=1", "''=1", "'tis", "-x")]
    ['=1', "''=1", "'tis", '-x']
    """
    return text[1:] if text.startswith("'") and _GUARDED.match(text) else text
