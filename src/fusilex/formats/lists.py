"""Placement lists and bills of materials from text tables of any header habit."""

from __future__ import annotations

import re

from fusilex.core.board.model import BomLine, Placement
from fusilex.core.problems import BadInput
from fusilex.formats.tables import Table, decode, length_mm, number, read_table

_REF = r"refs?|references?|designators?|refdes|ref des|reference designators?|parts?|components?"
_VALUE = r"values?|val|comment|description value"
_BODY = r"body|bodies|package|footprint|pattern|case|size|pkg"
PLACEMENT_WORDS = {
    "ref": _REF,
    "x": r"(?:(?:mid|cent(?:er|re)|pos|position|measured|placement|ref)? ?)x(?: ?(?:pos|position|coord|coordinate|cent(?:er|re)))?(?: ?\(?(?:mm|mils?|in|inch)\)?)?",
    "y": r"(?:(?:mid|cent(?:er|re)|pos|position|measured|placement|ref)? ?)y(?: ?(?:pos|position|coord|coordinate|cent(?:er|re)))?(?: ?\(?(?:mm|mils?|in|inch)\)?)?",
    "turn": r"(?:rot(?:ation)?|turn|angle|orientation)(?: ?\(?(?:deg|degrees|°)\)?)?",
    "side": r"side|layer|tb|board side|mount(?:ing)? side",
    "value": _VALUE,
    "body": _BODY,
}
BOM_WORDS = {
    "refs": _REF,
    "quantity": r"q(?:uanti)?ty|quantity|count|pcs|pieces|amount",
    "value": _VALUE,
    "body": _BODY,
    "part_number": r"part (?:number|no|num)|mpn|p n|stock (?:number|no)|order (?:code|number)|article",
    "fit": r"fit|fitted|populate|mounted|dn[pf]|do not (?:fit|populate)",
    "side": r"side|layer",
    "description": r"description|notes?|remarks?",
}
_BOTTOM = re.compile(r"b|bcu|bot.*|back.*|solder.*|lower.*|2")
_TOP = re.compile(r"|t|f|fcu|top.*|front.*|comp.*|upper.*|1")
_NO_FIT = re.compile(r"\b(dn[pfi]|do not (?:fit|populate|place)|not fitted|no ?fit|unfitted)\b", re.I)
_BARE_POINT = re.compile(r"\s*[A-Za-z][\w@]*\s*[,;\t]\s*[-+]?\d[\d.]*\s*[,;\t]\s*[-+]?\d[\d.]*\s*(\n|$)")
_RANGE = re.compile(r"^([A-Za-z_]+)(\d+)\s*[-–…]\s*(?:([A-Za-z_]+))?(\d+)$")


def read_placements(data: bytes, name: str) -> tuple[Placement, ...]:
    """Placement list. Needs columns for reference, x and y; raises `BadInput` with line and column otherwise."""
    table = read_table(data, name, PLACEMENT_WORDS, ("ref", "x", "y"))
    found = []
    for row, line in enumerate(table.lines):
        ref = table.cell(row, "ref")
        if not ref:
            continue
        x, y = (length_mm(table.cell(row, f), name, line, table.columns[table.fields[f]]) for f in ("x", "y"))
        turn = number(table.cell(row, "turn") or "0", name, line, "turn")[0] if table.has("turn") else 0.0
        found.append(
            Placement(
                ref, x, y, turn % 360, _side(table, row, line), table.cell(row, "body"), table.cell(row, "value"), line
            )
        )
    if not found:
        raise BadInput(name, "at least one placement", "none")
    return tuple(found)


def _side(table: Table, row: int, line: int) -> str:
    word = re.sub(r"[^a-z0-9]", "", table.cell(row, "side").lower())
    if _BOTTOM.fullmatch(word):
        return "bottom"
    if _TOP.fullmatch(word):
        return "top"
    raise BadInput(
        table.name, "a side such as top or bottom", f"“{table.cell(row, 'side')[:24]}”", f"line {line}, column side"
    )


def read_bom(data: bytes, name: str) -> tuple[BomLine, ...]:
    """Bill of materials, grouped or one part a line. Needs a designator column; raises `BadInput` otherwise."""
    table = read_table(data, name, BOM_WORDS, ("refs",))
    if not (table.has("value") or table.has("part_number") or table.has("quantity") or table.has("body")):
        raise BadInput(
            name,
            "a column for value, body, part number or quantity beside the designators",
            ", ".join(table.columns)[:80],
            "line 1",
        )
    found = []
    for row, line in enumerate(table.lines):
        refs = split_refs(table.cell(row, "refs"))
        if not refs:
            continue
        text = table.cell(row, "quantity")
        quantity = round(number(text, name, line, "quantity")[0]) if text else None
        found.append(
            BomLine(
                refs,
                table.cell(row, "value"),
                table.cell(row, "body"),
                table.cell(row, "part_number"),
                quantity,
                _fitted(table, row),
                line,
            )
        )
    if not found:
        raise BadInput(name, "at least one line with designators", "none")
    return tuple(found)


def _fitted(table: Table, row: int) -> bool:
    word = table.cell(row, "fit").lower()
    header = table.columns[table.fields["fit"]].lower() if table.has("fit") else ""
    if re.search(r"dn[pf]|not", header):
        return word in ("", "no", "n", "0", "false")
    if word in ("no", "n", "0", "false") or _NO_FIT.search(word):
        return False
    return not any(_NO_FIT.search(table.cell(row, f)) for f in ("value", "description"))


def split_refs(text: str) -> tuple[str, ...]:
    """``R1-R4, R7`` → R1 R2 R3 R4 R7."""
    refs: list[str] = []
    for word in re.split(r"[,;\s]+", re.sub(r"\s*[-–…]\s*(?=[A-Za-z]*\d)", "-", text.strip())):
        match = _RANGE.match(word)
        if match and match[3] in (None, match[1]) and 0 <= int(match[4]) - int(match[2]) < 1000:
            refs += [f"{match[1]}{n}" for n in range(int(match[2]), int(match[4]) + 1)]
        elif word:
            refs.append(word)
    return tuple(refs)


def read_points(data: bytes, name: str) -> list[tuple[str, float, float]]:
    """Measured reference points: reference or fiducial, x and y in mm; a header is welcome but not needed.

    Raises `BadInput` with line and column.
    """
    words = {**PLACEMENT_WORDS, "ref": _REF + "|fiducial|point|name"}
    if _BARE_POINT.match(decode(data, name)):
        data = b"ref,x,y\n" + decode(data, name).replace(";", ",").replace("\t", ",").encode()
    table = read_table(data, name, words, ("ref", "x", "y"))
    found = []
    for row, line in enumerate(table.lines):
        x, y = (length_mm(table.cell(row, f), name, line, table.columns[table.fields[f]]) for f in ("x", "y"))
        found.append((table.cell(row, "ref"), x, y))
    return found
