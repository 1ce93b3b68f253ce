"""What people type at Test beside readings."""

from __future__ import annotations

from fusilex.bench.common.faults import MarkFault
from fusilex.bench.refusal import Refused
from fusilex.core.inspection.faults import FAULT_WORDS, fault_named


def fault(board: str, text: str) -> MarkFault:
    """``U1 cold joint``, ``r3 on end``: a part and what is wrong with it, in the trade's words or plain ones."""
    ref, _, said = text.strip().partition(" ")
    word = fault_named(said)
    if word is None:
        raise Refused(f"“{said.strip()}” is no fault word: type a part and one of {', '.join(FAULT_WORDS)}.")
    return MarkFault(board, ref.upper(), word)
