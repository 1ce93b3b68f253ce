"""What hangs on a board's thread, bead by bead, and how people ask for a bead."""

from __future__ import annotations

import re

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board

BEADS = {
    "lot": "lot",
    "bin": "bin",
    "feeder": "feeder",
    "nozzle": "nozzle",
    "jar": "jar",
    "print": "print",
    "oven load": "load",
    "person": "person",
    "soldered by": "person",
}
"""Attributes of the thread that can be asked for, by the word they are asked by; in the order of the thread."""
NUMBERED = ("print", "load", "bin", "panel")
"""Beads with numbers for names: they are asked for with their word before it, ``load 3``."""
UNNAMED = (*NUMBERED, "test")
"""Beads whose names stand in no event: batches that have any such are read."""
_NUMBERED = re.compile(rf"({'|'.join(NUMBERED)})\s*(\d+)$", re.IGNORECASE)
_NAMED = re.compile(r"(lot|jar|feeder|nozzle|person|part|board|parcel|test)\s+(\S.*)$", re.IGNORECASE)
CODE = "FUSILEX "
"""What a board's label says before its serial."""
HAND_MADE = ("hand", "machine", "iron", "pot", "wave")
"""Ways of work that stand where a person's name might."""
Bead = tuple[str, str]


def beads(batch: Batch, board: Board) -> dict[Bead, tuple[str, ...]]:
    """What a board's thread holds: each bead with the parts that hang on it, () where it is about the whole board."""
    found: dict[Bead, list[str]] = {}
    for station in batch.stations.values():
        for attribute, value in station.thread(batch, board).items():
            if attribute not in BEADS or isinstance(value, str):
                continue
            for ref, name in value.items():
                if name and not (BEADS[attribute] == "person" and name in HAND_MADE):
                    found.setdefault((BEADS[attribute], name), []).append(ref)
    found.setdefault(("panel", str(board.panel)), [])
    if board.tests:
        found["test", "passed" if board.tests[-1]["passed"] else "failed"] = []
    if board.parcel:
        found["parcel", board.parcel] = []
    return {bead: tuple(refs) for bead, refs in found.items()}


def asked(text: str) -> tuple[str, str]:
    """The kind and name in a query, ('', name) where it may be of any kind.

    >>> asked("load 3"), asked("jar jar 12"), asked("H7-05"), asked("FUSILEX H7-05 Heron R2")
    (('load', '3'), ('jar', 'jar 12'), ('', 'H7-05'), ('board', 'H7-05'))
    """
    words = " ".join(text.split())
    if words.upper().startswith(CODE):
        return "board", words[len(CODE) :].split(" ")[0]
    if found := _NUMBERED.match(words):
        return found[1].lower(), found[2]
    named = _NAMED.match(words)
    if named and not (named[1].lower() in ("lot", "jar") and named[2].isdecimal()):  # “lot 3”, “jar 12” are names
        return named[1].lower(), named[2]
    return "", words
