"""The trade's fault words, each with the key that marks it."""

from __future__ import annotations

FAULT_WORDS = {
    "1": "bridge",
    "2": "no solder",
    "3": "too little",
    "4": "too much",
    "5": "cold joint",
    "6": "balls",
    "7": "on end",
    "8": "shifted",
    "9": "turned",
    "0": "missing",
    "w": "wrong part",
    "u": "upside down",
    "l": "lifted",
    "v": "void",
    "k": "cracked",
}
"""Key → fault word; digits sit on the number pad, letters for the rarer ones."""
