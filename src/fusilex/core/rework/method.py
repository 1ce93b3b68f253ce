"""What is known of mending a fault; where nothing is known for certain, nothing is said."""

from __future__ import annotations

LIFTED = ("tombstone", "misaligned", "rotated", "inverted", "wrong part", "missing", "cracked")
"""Faults whose part has to come off, or was never on."""
_BY_WORD = {
    "bridge": "Fresh flux, then wick off what is too much.",
    "excess": "Fresh flux, then wick off what is too much.",
    "solder balls": "Pick the balls out under magnification.",
    "lifted lead": "Hold the lead on its pad while the solder is liquid, until it is solid.",
}
_DRY = ("no solder", "insufficient", "cold joint")


def method(word: str, pads: int, hides_joints: bool) -> str:
    """Steps for a fault at a part of so many pads, '' where only the shop's own procedure can tell.

    >>> method("bridge", 32, True)
    'Fresh flux, then wick off what is too much.'
    >>> method("void", 2, False)
    ''
    """
    if word in _DRY:
        return (
            "Its joints are hidden: no iron reaches them. Reheat the whole part with flux, or lift it."
            if hides_joints
            else "Fresh flux, reheat, add solder where it lacks."
        )
    if word in LIFTED:
        off = "" if word == "missing" else "Lift it: all its joints have to be liquid together. "
        on = "place it by its mark, reheat" if pads > 2 else "place it, reheat"
        return f"{off}Clean and tin its pads, {on}."
    return _BY_WORD.get(word, "")
