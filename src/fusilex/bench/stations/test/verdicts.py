"""What a board's readings say, and where the fault behind a bad one is likely to be."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.stations.test.planning import doubts_of, due, leaves_open, pairs_of, silent
from fusilex.core.electrical.judge import judge_readings
from fusilex.core.electrical.probes import ProbePair
from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement

WORD_OF = {"test.short": "bridge", "test.open": "cold joint", "test.value": "wrong part"}
"""The fault word behind a bad reading, by the rule it breaks."""


class Suspect(Struct, frozen=True):
    """A part, or a joint of it, to look at, with the word for what is likely wrong."""

    ref: str
    pin: str
    word: str


def judge_board(batch: Batch, board: Board) -> list[Judgement]:
    """Readings that are due or were taken anyway, each bad one by itself."""
    values = {key: value for key, (value, _) in board.readings.items()}
    wanted = {p.key: p for p in due(batch, board)}
    wanted |= pairs_of(batch, board, values)
    judged = judge_readings(list(wanted.values()), values, leaves_open(batch), silent(board))
    return [j.of(board.serial) for j in judged]


def bad_pairs(batch: Batch, board: Board) -> list[tuple[ProbePair, str]]:
    """Pairs that read bad, with the fault word, without those accepted with a reason."""
    stops = batch.not_overruled(judge_board(batch, board))
    named = [(j.subject.removesuffix(f", {board.serial}"), WORD_OF[j.rule]) for j in stops if j.rule in WORD_OF]
    pairs = pairs_of(batch, board, [key for key, _ in named])
    return [(pairs[key], word) for key, word in named if key in pairs]


def suspects(batch: Batch, board: Board) -> list[Suspect]:
    """Where to look first for each bad reading: the end its record doubts more, of a cold joint the joint itself."""
    doubts = doubts_of(batch, board)
    found = []
    for pair, word in bad_pairs(batch, board):
        ends = [pair.a, pair.b]
        if word == "cold joint":  # the end that others were read well from is not it
            ends = [pair.b] if _reads_well(batch, board, pair.a.name, pair.key) else [pair.b, pair.a]
        first = max(ends, key=lambda pad: max(doubts.get(pad.name, 1.0), doubts.get(pad.ref, 1.0)))
        found.append(Suspect(first.ref, first.pin if word == "cold joint" else "", word))
    return list(dict.fromkeys(found))


def _reads_well(batch: Batch, board: Board, pad: str, but: str) -> bool:
    """Another joint was read well from a pad."""
    meter, joints = leaves_open(batch), batch.as_built(board).checks.joints
    others = (p for p in joints if p.a.name == pad and p.key != but and p.key in board.readings)
    return any(p.level(board.readings[p.key][0], meter) is Level.GO for p in others)


def likely(batch: Batch, board: Board, parts: Sequence[str]) -> list[str]:
    """Parts a failed test is about, those the record doubts most first."""
    doubts = doubts_of(batch, board)
    return sorted(parts, key=lambda ref: -doubts.get(ref, 1.0))


def stops(batch: Batch, board: Board) -> list[Judgement]:
    """Bad readings that nobody accepted."""
    return [j for j in batch.not_overruled(judge_board(batch, board)) if j.level is Level.STOP]
