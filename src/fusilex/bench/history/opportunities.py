"""Everything the record knows of each joint and part that was looked at, as a table of opportunities for faults."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from functools import lru_cache

from msgspec import Struct

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board, Fault
from fusilex.bench.derived import Derived
from fusilex.core.inspection.faults import FAULT_WORDS, JOINT
from fusilex.core.inspection.surroundings import copper_near, direction, place_on
from fusilex.core.kit.variants import Variant

RISING = ("prints since wipe", "print")
"""Attributes that count: more of them may mean more faults."""


class Opportunities(Struct, frozen=True):
    """A row an opportunity: values by attribute, which rows are faults, and the word they are faults by."""

    word: str
    attributes: Mapping[str, Sequence[str]]
    fault: Sequence[bool]


class _Rows(Struct, frozen=True, eq=False):
    """Joints, or parts, of one board in order, with what the design says of each."""

    refs: list[str]
    names: list[str]
    own: dict[str, list[str]]


def counted(faults: Iterable[Fault]) -> list[Fault]:
    """Faults that count: not those within a limit of the shop."""
    return [f for f in faults if not f.accepted]


def looked_at(batch: Batch) -> list[Board]:
    """Boards that eyes went over: what is not marked on them is no fault."""
    return [b for b in batch.state.boards.values() if b.inspected or b.faults]


def words_found(batch: Batch) -> dict[str, list[tuple[Board, Fault]]]:
    """Faults that count, by their word."""
    found: dict[str, list[tuple[Board, Fault]]] = {}
    for board in looked_at(batch):
        for fault in counted(board.faults):
            found.setdefault(fault.word, []).append((board, fault))
    return found


def opportunities(batch: Batch, word: str) -> Opportunities:
    """The table for a fault word: a row a joint where each such fault names its joint, else a row a part."""
    marked = words_found(batch).get(word, [])
    joints = FAULT_WORDS[word].of == JOINT and all(fault.pin for _, fault in marked)
    boards = looked_at(batch)
    columns: dict[str, list[str]] = {}
    bad: list[bool] = []
    faulty: dict[str, set[str]] = {}
    for board, fault in marked:
        faulty.setdefault(board.serial, set()).add(fault.place if joints else fault.ref)
    for board in boards:
        rows = _rows(batch.derived, board.variant, joints)
        known = {**_of_board(batch, board, rows), **rows.own}
        for name in dict.fromkeys((*columns, *known)):
            before = columns.setdefault(name, [""] * len(bad))
            before += known.get(name) or [""] * len(rows.refs)
        own = faulty.get(board.serial, set())
        bad += [name in own for name in rows.names] if own else [False] * len(rows.names)
    return Opportunities(word, columns, bad)


def _of_board(batch: Batch, board: Board, rows: _Rows) -> dict[str, list[str]]:
    """What the record says of a board's rows. What one can put right comes first: of what cannot be told apart the
    first is named.
    """
    n, cell = len(rows.refs), board.cell + 1
    found = {"opening": [f"{name} in cell {cell}" for name in rows.names]}
    for station in batch.stations.values():
        for name, value in station.thread(batch, board).items():
            found[name] = [value] * n if isinstance(value, str) else [value.get(ref, "") for ref in rows.refs]
    return {**found, "board": [board.serial] * n, "panel": [str(board.panel)] * n, "cell": [str(cell)] * n}


@lru_cache(maxsize=32)
def _rows(derived: Derived, variant: Variant, joints: bool) -> _Rows:
    """Rows of a board of a variant: they do not change from board to board."""
    design = derived.design
    fitted = [p for p in derived.built(variant).values() if p.populated]
    pads = [pad for p in fitted for pad in p.pads]
    each = [p for p in fitted for _ in p.pads] if joints else fitted
    names = [pad.name for pad in pads] if joints else [p.ref for p in each]
    near = copper_near(design, pads) if joints else [""] * len(each)
    own: dict[str, list[str]] = {
        "joint" if joints else "part": names,
        "value": [f"{p.value} {p.package.code}" for p in each],
        "package": [p.package.code for p in each],
        "part number": [p.part_number for p in each],
        "side": [p.side for p in each],
        "direction": [direction(p) for p in each],
        "place on the board": [place_on(design, p.x, p.y) for p in each],
        "copper near": near,
    }
    return _Rows([p.ref for p in each], names, own)
