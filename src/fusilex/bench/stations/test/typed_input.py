"""What people type at Test beside readings."""

from __future__ import annotations

import re

from fusilex.bench.common.faults import MarkFault
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.test.power import HoldPower
from fusilex.bench.stations.test.probing import DrawSample
from fusilex.core.inspection.faults import FAULT_WORDS, fault_named

_SAMPLE = re.compile(r"(\d+)\D+(\d+(?:[.,]\d+)?)\s*%?$")
_POWER = re.compile(r"([\d.,]+)\s*V?[\s,;]+([\d.,]+)\s*(?:mA)?(?:[\s,;]+(\S.*))?$", re.IGNORECASE)


def fault(board: str, text: str) -> MarkFault:
    """``U1 cold joint``, ``r3 on end``: a part and what is wrong with it, in the trade's words or plain ones."""
    ref, _, said = text.strip().partition(" ")
    word = fault_named(said)
    if word is None:
        raise Refused(f"“{said.strip()}” is no fault word: type a part and one of {', '.join(FAULT_WORDS)}.")
    return MarkFault(board, ref.upper(), word)


def minutes(text: str) -> float:
    """``6``, ``2,5 min``. Raises `Refused`."""
    try:
        return float(text.lower().removesuffix("min").strip().replace(",", "."))
    except ValueError:
        raise Refused("Type minutes, such as 6.") from None


def sample(text: str) -> DrawSample:
    """``2 90%``: at most two bad boards with 90 per cent confidence; ``0`` alone: every board in full.

    >>> sample("2 90%"), sample("0")
    (DrawSample(most_bad=2, confidence=90.0), DrawSample(most_bad=0, confidence=0.0))
    """
    if text.strip() == "0":
        return DrawSample(0, 0.0)
    found = _SAMPLE.match(text.strip())
    if not found:
        raise Refused("Type how many bad boards may slip through and how sure, such as 2 90%.")
    return DrawSample(int(found[1]), float(found[2].replace(",", ".")))


def power(board: str, seconds: float, text: str) -> HoldPower:
    """``5.0 18``: volts at the board and milliamps drawn; a third word names a part that got warm. Raises `Refused`."""
    found = _POWER.match(text.strip())
    if not found:
        raise Refused("Type volts and milliamps, such as 5.0 18; and a part that got warm, such as 5.0 18 U2.")
    try:
        volts, milliamps = (float(found[n].replace(",", ".")) for n in (1, 2))
    except ValueError:
        raise Refused("Type volts and milliamps, such as 5.0 18.") from None
    return HoldPower(board, volts, milliamps, seconds, (found[3] or "").upper())
