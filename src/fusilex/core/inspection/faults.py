"""The trade's fault words, each with the key that marks it and what it means in plain words."""

from __future__ import annotations

from msgspec import Struct

JOINT, PART = "joint", "part"
"""What a fault is a fault of: then every joint, or every part, is an opportunity for it."""


class FaultWord(Struct, frozen=True):
    """A word of the trade and what one sees; `key` sits on the number pad for the common ones, on a letter for the
    rarer. `of` says whether it is a fault of a joint or of the whole part; `measure` what a shop's limit for it is
    given as (a share), '' where it has none.
    """

    key: str
    word: str
    plain: str
    of: str = JOINT
    measure: str = ""


FAULTS = (
    FaultWord("1", "bridge", "pads joined"),
    FaultWord("2", "no solder", "a dry pad"),
    FaultWord("3", "insufficient", "too little", measure="fill"),
    FaultWord("4", "excess", "too much"),
    FaultWord("5", "cold joint", "dull, grainy"),
    FaultWord("6", "solder balls", "loose beads"),
    FaultWord("7", "tombstone", "on end", PART),
    FaultWord("8", "misaligned", "off its place", PART, "overhang"),
    FaultWord("9", "rotated", "turned", PART),
    FaultWord("0", "missing", "not there", PART),
    FaultWord("w", "wrong part", "other mark", PART),
    FaultWord("u", "inverted", "upside down", PART),
    FaultWord("b", "billboard", "on its side", PART),
    FaultWord("p", "lifted part", "not down flat", PART),
    FaultWord("l", "lifted lead", "leg in the air"),
    FaultWord("v", "void", "hollow joint", measure="hollow"),
    FaultWord("d", "no wetting", "drawn back"),
    FaultWord("i", "spike", "a sharp tip"),
    FaultWord("m", "solder on mask", "stuck beside"),
    FaultWord("k", "cracked", "broken", PART),
    FaultWord("h", "burnt", "browned", PART),
    FaultWord("c", "contaminated", "dirt, residue"),
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
OTHER_WORDS = {
    "skip": "no solder",
    "disturbed joint": "cold joint",
    "rough joint": "cold joint",
    "twisted": "misaligned",
    "polarity": "rotated",
    "on its side": "billboard",
    "de-wetting": "no wetting",
    "dewetting": "no wetting",
    "icicle": "spike",
    "missing part": "missing",
}
"""Words that people use for the same."""


def fault_named(text: str) -> str | None:
    """The word for what somebody typed, in the trade's words or plain ones; None when it is neither.

    >>> fault_named("On end"), fault_named("tombstone"), fault_named("icicle"), fault_named("ugly")
    ('tombstone', 'tombstone', 'spike', None)
    """
    said = " ".join(text.lower().split())
    plain = {fault.plain: fault.word for fault in FAULTS}
    return said if said in FAULT_WORDS else OLDER_WORDS.get(said) or OTHER_WORDS.get(said) or plain.get(said)
