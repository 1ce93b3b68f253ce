"""The trade's fault words, each with the key that marks it and what it means in plain words."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class FaultWord:
    """A word of the trade and what one sees; `key` sits on the number pad for the common ones, on a letter for the
    rarer.
    """

    key: str
    word: str
    plain: str


FAULTS = (
    FaultWord("1", "bridge", "pads joined"),
    FaultWord("2", "no solder", "a dry pad"),
    FaultWord("3", "insufficient", "too little"),
    FaultWord("4", "excess", "too much"),
    FaultWord("5", "cold joint", "dull, grainy"),
    FaultWord("6", "solder balls", "loose beads"),
    FaultWord("7", "tombstone", "on end"),
    FaultWord("8", "misaligned", "shifted"),
    FaultWord("9", "rotated", "turned"),
    FaultWord("0", "missing", "not there"),
    FaultWord("w", "wrong part", "other mark"),
    FaultWord("u", "inverted", "upside down"),
    FaultWord("l", "lifted lead", "leg in the air"),
    FaultWord("v", "void", "hollow joint"),
    FaultWord("k", "cracked", "broken"),
)
FAULT_WORDS = {fault.word: fault for fault in FAULTS}
OLDER_WORDS = {
    "too little": "insufficient",
    "too much": "excess",
    "balls": "solder balls",
    "on end": "tombstone",
    "shifted": "misaligned",
    "turned": "rotated",
    "upside down": "inverted",
    "lifted": "lifted lead",
}
"""Words that older records used, and the ones they mean now."""


def fault_named(text: str) -> str | None:
    """The word for what somebody typed, in the trade's words or plain ones; None when it is neither.

    >>> fault_named("On end"), fault_named("tombstone"), fault_named("ugly")
    ('tombstone', 'tombstone', None)
    """
    said = " ".join(text.lower().split())
    plain = {fault.plain: fault.word for fault in FAULTS}
    return said if said in FAULT_WORDS else OLDER_WORDS.get(said) or plain.get(said)
