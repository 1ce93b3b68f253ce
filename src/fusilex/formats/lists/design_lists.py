"""Placement lists and bills of materials from tables of any header habit, in several languages."""

from __future__ import annotations

import re
from collections.abc import Mapping
from functools import lru_cache
from types import MappingProxyType

from fusilex.core.design.model import BomLine, Placement
from fusilex.core.problems import BadInput
from fusilex.formats.lists.grids import decode
from fusilex.formats.lists.headings import BOM, BOTTOM_WORDS, NOT_POPULATED, PLACEMENTS, REF, TOP_WORDS
from fusilex.formats.lists.numbers import length_mm, number
from fusilex.formats.lists.tables import ListKind, Table, best_table, read_table

_BOTTOM, _TOP = re.compile(BOTTOM_WORDS), re.compile(TOP_WORDS)
_YES, _NO = ("yes", "y", "1", "true", "x", "ja", "oui", "si", "sí"), ("no", "n", "0", "false", "nein", "non", "-", "")
_BARE_POINT = re.compile(r"\s*[A-Za-z][\w@]*\s*[,;\t]\s*[-+]?\d[\d.]*\s*[,;\t]\s*[-+]?\d[\d.]*\s*(\n|$)")
_APART = re.compile(r"(?<![\w])([A-Za-z]{1,3}) (\d+)(?![\w])")  # C 4
_RANGE = re.compile(r"^([A-Za-z_]\w*?)(\d{1,9})\s*[-–…]\s*(?:([A-Za-z_]\w*?))?(\d{1,9})$")
MOST_SKIPPED = 0.1
"""Share of a list's lines that may be unreadable before the list is."""


class Skipped:
    """Lines of a list that could not be read: their problems, and whether any of them names a part."""

    def __init__(self) -> None:
        self.problems: dict[int, BadInput] = {}
        self.parts = False

    def line(self, table: Table, row: int, field: str, problem: BadInput) -> None:
        """Leave a line out. Raises the first problem again where too many lines have one."""
        self.problems[table.lines[row]] = problem
        self.parts |= any(_DESIGNATOR.fullmatch(ref) for ref in split_refs(table.cell(row, field)))
        if len(self.problems) > max(2, MOST_SKIPPED * len(table.rows)):
            raise next(iter(self.problems.values()))


_DESIGNATOR = re.compile(r"[A-Za-z]{1,4}\d{1,5}[A-Za-z]?")


def placements_in(
    table: Table, sides: Mapping[str, str] = MappingProxyType({}), skipped: Skipped | None = None
) -> tuple[Placement, ...]:
    """Placements of a table whose columns are settled. Raises `BadInput` with line and column.

    A line or two that cannot be read go to `skipped`, where it is given. `sides` says what words for a side mean that
    are in no dictionary here; "" stands for a list that names none, which is the top otherwise.
    """
    name, found = table.name, []
    for row in range(len(table.lines)):
        ref = table.cell(row, "ref")
        if not ref or not any(table.cell(row, f) for f in ("x", "y")):
            continue
        try:
            found.append(_placement(table, row, ref, sides))
        except BadInput as problem:
            if skipped is None:
                raise
            skipped.line(table, row, "ref", problem)
    if not found:
        raise BadInput(name, "at least one placement", "none")
    return tuple(found)


def _placement(table: Table, row: int, ref: str, sides: Mapping[str, str]) -> Placement:
    name, line = table.name, table.lines[row]
    x, y = (length_mm(table.cell(row, f), name, line, _column(table, f), table.unit) for f in ("x", "y"))
    said = table.cell(row, "rotation") if table.has("rotation") else ""
    turn = number(said, name, line, "rotation")[0] if said else 0.0
    side, package, value = _side(table, row, line, sides), table.cell(row, "package"), table.cell(row, "value")
    return Placement(ref, x, y, turn % 360, side, package, value, line, _fitted(table, row), bool(said))


def _column(table: Table, field: str) -> str:
    index = table.fields[field]
    return table.columns[index] if index < len(table.columns) else ""


def _side(table: Table, row: int, line: int, sides: Mapping[str, str]) -> str:
    word = _side_word(table, row)
    side = sides.get(word) or _side_of(word) or ("" if word else "top")
    if not side:
        found = f"“{table.cell(row, 'side')[:24]}”"
        raise BadInput(table.name, "a side such as top or bottom", found, f"line {line}, column side")
    return side


def _side_word(table: Table, row: int) -> str:
    """What a row says about its side, without marks and capitals."""
    if not table.has("side") and table.has("mirror"):
        return "top" if table.cell(row, "mirror").lower() in (*_NO, "none", "normal") else "bottom"
    return re.sub(r"[\W_]", "", table.cell(row, "side").lower())


def unknown_sides(table: Table) -> dict[str, list[int]]:
    """Rows by what they say about their side, where that is in no dictionary; all under "" when the list names no
    side.
    """
    found: dict[str, list[int]] = {}
    for row in range(len(table.rows)):
        word = _side_word(table, row)
        if (word and _side_of(word) is None) or not (table.has("side") or table.has("mirror")):
            found.setdefault(word, []).append(row)
    return found


@lru_cache(maxsize=256)
def _side_of(word: str) -> str | None:
    return "bottom" if _BOTTOM.fullmatch(word) else "top" if _TOP.fullmatch(word) else None


def bom_in(table: Table, skipped: Skipped | None = None) -> tuple[BomLine, ...]:
    """Lines of a table whose columns are settled. Raises `BadInput` with line and column; a line or two go to
    `skipped` where given.

    A line with nothing but designators goes on with the line before it; a line with nothing but a do-not-fit mark is
    a heading for what follows.
    """
    name = table.name
    if not any(table.has(f) for f in ("value", "part_number", "quantity", "package")):
        raise BadInput(
            name,
            "a column for value, body, part number or quantity beside the designators",
            ", ".join(table.columns)[:80],
            "line 1",
        )
    found: list[BomLine] = []
    fit_below = True
    for row, line in enumerate(table.lines):
        filled = [cell.strip() for cell in table.rows[row] if cell.strip()]
        if (len(filled) == 1 and not table.cell(row, "refs")) or (len(filled) == 1 and NOT_POPULATED.search(filled[0])):
            fit_below = not NOT_POPULATED.search(filled[0])
            continue
        refs = split_refs(table.cell(row, "refs"))
        if not any(re.search("[A-Za-z?]", ref) for ref in refs):
            continue  # no designator: a heading or a sum
        if len(filled) == 1 and found and len(table.columns) > 2:
            last = found[-1]
            found[-1] = BomLine(
                last.refs + refs, last.value, last.package, last.part_number, last.quantity, last.populate, last.line
            )
            continue
        text = re.sub(r"\s*(?:pcs?|pieces|st[üu]ck)\.?$", "", table.cell(row, "quantity"), flags=re.I)
        try:
            quantity = round(number(text, name, line, "quantity")[0]) if text else None
        except BadInput as problem:  # the parts it names are wanted all the same
            if skipped is None:
                raise
            skipped.line(table, row, "refs", problem)
            quantity = None
        found.append(
            BomLine(
                refs,
                table.cell(row, "value") or table.cell(row, "description"),
                table.cell(row, "package"),
                table.cell(row, "part_number"),
                quantity,
                fit_below and _fitted(table, row),
                line,
            )
        )
    if not found:
        raise BadInput(name, "at least one line with designators", "none")
    return tuple(found)


def _fitted(table: Table, row: int) -> bool:
    word = table.cell(row, "populate").lower()
    header = table.columns[table.fields["populate"]].lower() if table.has("populate") else ""
    if re.search(r"dn[pfi]|not", header):
        return word in _NO
    if word in _NO[:-1] or NOT_POPULATED.search(word):
        return False
    return not any(NOT_POPULATED.search(table.cell(row, f)) for f in ("value", "description", "package", "part_number"))


def split_refs(text: str) -> tuple[str, ...]:
    """``R1-R4, R7`` → R1 R2 R3 R4 R7; ``C 4`` → C4."""
    refs: list[str] = []
    text = _APART.sub(r"\1\2", text)
    for word in re.split(r"[,;\s]+", re.sub(r"\s*(?:[-–…]|\.\.+|\bto\b)\s*(?=[A-Za-z_]*\d)", "-", text.strip())):
        match = _RANGE.match(word)
        if match and match[3] in (None, match[1]) and 0 <= int(match[4]) - int(match[2]) < 1000:
            refs += [f"{match[1]}{n}" for n in range(int(match[2]), int(match[4]) + 1)]
        elif word:
            refs.append(word)
    return tuple(refs)


_POINTS = ListKind({**PLACEMENTS.wording, "ref": REF + "|fiducials?|points?|name"}, {}, ("ref", "x", "y"))


def read_points(data: bytes, name: str) -> list[tuple[str, float, float]]:
    """Measured reference points: reference or fiducial, x and y in mm; a header is welcome but not needed.

    Raises `BadInput` with line and column.
    """
    if _BARE_POINT.match(decode(data, name)):
        data = b"ref,x,y\n" + decode(data, name).replace(";", ",").replace("\t", ",").encode()
    table = read_table(data, name, _POINTS)
    found = []
    for row, line in enumerate(table.lines):
        x, y = (length_mm(table.cell(row, f), name, line, _column(table, f), table.unit) for f in ("x", "y"))
        found.append((table.cell(row, "ref"), x, y))
    return found


def table_kind(data: bytes, name: str) -> str | None:
    """``placements``, ``bom`` or None by the columns a table has. Raises `BadInput` for what is no table."""
    if best_table(data, name, PLACEMENTS) is not None:
        return "placements"
    bom = best_table(data, name, BOM)
    return "bom" if bom is not None and len(bom.fields) > 1 else None


def older_field(name: str) -> str:
    """What a column picked by an older version is called now."""
    return {"turn": "rotation", "body": "package", "fit": "populate"}.get(name, name)
