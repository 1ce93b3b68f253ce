"""Which column of a table is which: recognised by wording and by content, or as the user picked."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping, Sequence
from functools import lru_cache
from itertools import pairwise, zip_longest

from msgspec import Struct, field

from fusilex.core.problems import BadInput
from fusilex.formats.lists.grids import Grid, decode, grids_of

SEEN_ROWS = 200
HEADER_WITHIN = 40
SURE, LIKELY, GUESS = 1.0, 0.7, 0.4


def in_words(field_name: str) -> str:
    return {"ref": "reference", "refs": "designators"}.get(field_name, field_name.replace("_", " "))


class ListKind(Struct, frozen=True, eq=False):
    """A kind of table: header wording and cell content (patterns) by field, and the fields it cannot do without.

    `spare` is wording that names a field only where none of its own does.
    """

    wording: Mapping[str, str]
    content: Mapping[str, str]
    needed: tuple[str, ...]
    spare: Mapping[str, str] = field(default_factory=dict)

    @property
    def demand(self) -> str:
        """The fields it cannot do without, in words."""
        return ", ".join(in_words(f) for f in self.needed)


class Table(Struct, frozen=True):
    """Rows of cells after the header; `lines` gives each row's line in the file, `columns` the header's words.

    `fields` maps a field to its column, `sure` says how far wording and content agree on it (1 both, 0.7 wording alone,
    0.4 content alone). `unit` is the length unit stated above the table, '' when none is.
    """

    name: str
    columns: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    lines: tuple[int, ...]
    fields: dict[str, int]
    sure: dict[str, float] = field(default_factory=dict)
    how: str = ""
    unit: str = ""

    def cell(self, row: int, field: str, default: str = "") -> str:
        index = self.fields.get(field)
        return self.rows[row][index].strip() if index is not None and index < len(self.rows[row]) else default

    def has(self, field: str) -> bool:
        return field in self.fields

    @property
    def signature(self) -> str:
        """What tables from the same source have in common: how they are cut, and their header."""
        return f"{self.how.split(' ')[0]}: " + " | ".join(re.sub(r"\s+", " ", c).strip().lower() for c in self.columns)

    @property
    def doubtful(self) -> list[str]:
        """Fields whose column wording and content do not agree on, worst first."""
        return sorted((f for f, s in self.sure.items() if s < SURE), key=lambda f: self.sure[f])


@lru_cache(maxsize=512)
def _compiled(pattern: str) -> re.Pattern[str]:
    return re.compile(pattern, re.I)


def _words(header: Sequence[str]) -> list[str]:
    """Cells of a header without what writings of one word differ in."""
    return [re.sub(r"[\s_./#:-]+", " ", cell.replace("(s)", "s")).strip().strip("\"'") for cell in header]


def _may_head(row: Sequence[str], kind: ListKind, picked: Mapping[str, int]) -> bool:
    """Each field the kind cannot do without is picked, or named by some cell: most rows are sorted out by this."""
    cells = _words(row)
    patterns = ([k[f] for k in (kind.wording, kind.spare) if f in k] for f in kind.needed if f not in picked)
    return all(any(_compiled(p).fullmatch(cell) for p in some for cell in cells) for some in patterns)


def recognise(header: Sequence[str], kind: ListKind, rows: Sequence[Sequence[str]] = ()) -> dict[str, int]:
    """Column index of each field that a header cell names; a column serves once.

    Of several cells that name a field, the first whose column below it (`rows`) looks like the field serves, else the
    first. Spare wording is taken only where the column looks like it.
    """
    cells = [cell[:MOST_LETTERS] for cell in _words(header)]
    found: dict[str, int] = {}
    for name, pattern in (*kind.wording.items(), *kind.spare.items()):
        whole = _compiled(pattern).fullmatch
        named = [i for i, cell in enumerate(cells) if cell and i not in found.values() and whole(cell)]
        if name not in found and named:
            like = [i for i in named if name in kind.content and _fit(rows, i, kind.content[name]) >= 0.5]
            if like or not rows or name not in kind.content or kind.wording.get(name) == pattern:
                found[name] = (like or named)[0]
    return found


MOST_LETTERS = 300
"""Of a cell by which a column is told: lists of designators go on in the same way, and nothing else is as long."""


def _fit(rows: Sequence[Sequence[str]], column: int, pattern: str) -> float:
    """Share of a column's filled cells that look like a field's content; 0 when none is filled."""
    cells = [row[column].strip() for row in rows if column < len(row) and row[column].strip()]
    whole = _compiled(pattern).fullmatch
    return sum(bool(whole(cell[:MOST_LETTERS])) for cell in cells) / len(cells) if cells else 0.0


def best_table(
    data: bytes, name: str, kind: ListKind, picked: Mapping[str, int] | None = None, leave: str = ""
) -> Table | None:
    """The table in a file under the best header for a kind, or None. `picked` columns are taken as they are; the
    sheet (or other way of cutting) called `leave` is not looked at.

    Raises `BadInput` where the file is no table at all.
    """
    if not picked:
        return _told_by_itself(data, name, kind, leave)
    found = _best(grids_of(data, name), name, kind, picked, leave)
    if found is None and all(f in picked for f in kind.needed):
        return unsettled_table(data, name, kind, picked)
    return found


@lru_cache(maxsize=24)
def _told_by_itself(data: bytes, name: str, kind: ListKind, leave: str) -> Table | None:
    """Kept, for what a file is and what it says are asked one after the other."""
    return _best(grids_of(data, name), name, kind, None, leave)


def _best(
    grids: Sequence[Grid], name: str, kind: ListKind, picked: Mapping[str, int] | None, leave: str
) -> Table | None:
    best: tuple[float, Table] | None = None
    for grid in grids:
        if grid.how == leave:
            continue
        table = _by_header(grid, name, kind, picked) or _by_content(grid, name, kind, picked)
        if table is not None:
            score = sum(table.sure.values()) + 0.001 * len(table.rows)
            if best is None or score > best[0]:
                best = score, table
    return best[1] if best else None


def unsettled_table(data: bytes, name: str, kind: ListKind, picked: Mapping[str, int] | None = None) -> Table | None:
    """The longest table in a file under its first whole row, for its columns to be picked. Raises `BadInput` as
    `best_table`.
    """
    grid = max(grids_of(data, name), key=lambda g: sum(len(row) > 1 for row in g.rows), default=None)
    width = Counter(len(row) for row in grid.rows if len(row) > 1).most_common(1) if grid else []
    if grid is None or not width:
        return None
    first = next(i for i, row in enumerate(grid.rows) if len(row) == width[0][0])
    return _under(
        first, recognise(grid.rows[first], kind, grid.rows[first + 1 : first + SEEN_ROWS]), grid, name, kind, picked
    )


def _under(
    header: int, fields: dict[str, int], grid: Grid, name: str, kind: ListKind, picked: Mapping[str, int] | None
) -> Table:
    """The rows below a header whose words name `fields`; a row of nothing but units right below it belongs to it."""
    words, below = grid.rows[header], grid.rows[header + 1 : header + 2]
    cells = [c.strip() for c in below[0] if c.strip()] if below else []
    if len(cells) > 1 and all(_UNIT_CELL.fullmatch(c) for c in cells):
        words = tuple(" ".join(c for c in pair if c) for pair in zip_longest(words, below[0], fillvalue=""))
        header += 1
    every = {**fields, **_inside(grid, picked)}
    return _table(grid, name, kind, words, header + 1, every, set(fields), picked)


def _by_header(grid: Grid, name: str, kind: ListKind, picked: Mapping[str, int] | None) -> Table | None:
    best: tuple[int, dict[str, int]] | None = None
    for at, row in enumerate(grid.rows[:HEADER_WITHIN]):
        if len(row) > 1 and _may_head(row, kind, picked or {}):
            fields = recognise(row, kind, grid.rows[at + 1 : at + SEEN_ROWS])
            there = fields and all(f in fields or (picked and f in picked) for f in kind.needed)
            if there and (best is None or len(fields) > len(best[1])):
                best = at, fields
    return _under(*best, grid, name, kind, picked) if best else None


def _by_content(grid: Grid, name: str, kind: ListKind, picked: Mapping[str, int] | None) -> Table | None:
    """No header names the columns: each needed field takes the column whose cells look most like it."""
    rows = [r for r in grid.rows[: SEEN_ROWS + HEADER_WITHIN] if len(r) > 1]
    if len(rows) < 3:
        return None
    package = rows[min(len(rows) // 3, HEADER_WITHIN) :]
    width = max(map(len, package))
    fields: dict[str, int] = dict(_inside(grid, picked))
    for field_name, pattern in kind.content.items():
        if field_name in fields:
            continue
        free = [c for c in range(width) if c not in fields.values()]
        scored = [
            (_fit(package, c, pattern), -c) for c in free if _various(package, c) or field_name not in kind.needed
        ]
        if scored and max(scored)[0] >= 0.8:
            fields[field_name] = -max(scored)[1]
    if not all(f in fields for f in kind.needed):
        return None
    first = next(
        (
            i
            for i, row in enumerate(grid.rows)
            if all(_fit([row], fields[f], kind.content[f]) == 1.0 for f in kind.needed)
        ),
        None,
    )
    if first is None:
        return None
    header = grid.rows[first - 1] if first else ()
    columns = tuple(header[c] if c < len(header) else "" for c in range(width))
    return _table(grid, name, kind, columns, first, fields, set(), picked)


def _various(rows: Sequence[Sequence[str]], column: int) -> bool:
    """A needed column says different things; a running number in front of the list is none of them."""
    cells = [row[column].strip() for row in rows if column < len(row)]
    running = [c for c in cells if c.isdecimal() and len(c) < 10]
    counts = len(running) == len(cells) and all(int(b) - int(a) == 1 for a, b in pairwise(running))
    return len(set(cells)) > 1 and not counts


def _inside(grid: Grid, picked: Mapping[str, int] | None) -> dict[str, int]:
    width = max(map(len, grid.rows), default=0)
    return {f: c for f, c in (picked or {}).items() if 0 <= c < width}


def _table(
    grid: Grid,
    name: str,
    kind: ListKind,
    columns: tuple[str, ...],
    first: int,
    fields: dict[str, int],
    worded: set[str],
    picked: Mapping[str, int] | None,
) -> Table:
    if picked:  # a column that was picked for one field is no longer another's
        fields = {f: c for f, c in fields.items() if f in picked or c not in picked.values()}
    kept = [
        (row, line)
        for row, line in zip(grid.rows[first:], grid.lines[first:], strict=True)
        if any(cell.strip() for cell in row) and row != columns and not row[0].lstrip().startswith(("#", "//", "%"))
    ]
    seen = [row for row, _ in kept[:SEEN_ROWS]]
    sure: dict[str, float] = {}
    for f, column in fields.items():
        agrees = (
            f not in kind.content
            or _fit(seen, column, kind.content[f]) >= 0.5
            or not any(column < len(row) and row[column].strip() for row in seen)
        )
        sure[f] = SURE if picked and f in picked else (SURE if agrees else LIKELY) if f in worded else GUESS
    above = " ".join([grid.above, *(cell for row in grid.rows[:first] for cell in row)])
    stated = re.search(
        r"\b(?:units?|dimensions?|einheit(?:en)?|unités?)\b[\s:=,;]*(?:used|are|in)?[\s:=,;]*"
        r"(mm|millimet\w*|mils?|inch(?:es)?|thou)\b",
        above,
        re.I,
    )
    unit = _UNIT_WORDS.get(stated[1].lower()[:4], "") if stated else ""
    return Table(name, columns, tuple(r for r, _ in kept), tuple(n for _, n in kept), fields, sure, grid.how, unit)


_UNIT_CELL = re.compile(r"[\[(]?(?:mm|mils?|inch(?:es)?|in|thou|[uµμ]m|deg(?:rees?)?|°|pcs|-)[\])]?", re.I)
_UNIT_WORDS = {"mm": "mm", "mill": "mm", "mil": "mil", "mils": "mil", "thou": "mil", "inch": "inch"}


def read_table(data: bytes, name: str, kind: ListKind, picked: Mapping[str, int] | None = None) -> Table:
    """The table in a file for a kind. Raises `BadInput` naming what no header line has."""
    table = best_table(data, name, kind, picked)
    if table is None:
        first = next((" ".join(g.rows[0]) for g in grids_of(data, name) if g.rows), "")
        if not first:
            first = next((line for line in decode(data, name).splitlines() if line.strip()), "nothing")
        raise BadInput(name, f"a header line with columns for {kind.demand}", f"“{first[:80]}”", "line 1")
    return table
