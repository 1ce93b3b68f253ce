"""How keys, quantities and what is missing are called where they are shown. Rules name them by words that stay for
ever, for overrulings go by them; what is shown for these stands in the catalogue.
"""

from __future__ import annotations

from functools import cache
from importlib.resources import files

import msgspec


@cache
def names() -> dict[str, dict[str, str]]:
    """What is shown: `keys` by what they do, `quantities` (and what is missing) by the name that rules use, `terms`:
    words of the trade that stand in messages, such as defects, their causes, and methods.
    """
    file = files("fusilex") / "assets" / "words" / "names.json"
    return msgspec.json.decode(file.read_bytes(), type=dict[str, dict[str, str]])


def label(name: str) -> str:
    """What is shown for a quantity; names that hold a part or a board's own words stand for themselves.

    >>> label("area ratio"), label("height of C1")
    ('area ratio', 'height of C1')
    """
    return names()["quantities"].get(name, name)


def term(word: str) -> str:
    """What is shown for a word of the trade; what people named themselves stands as it is.

    >>> term("tombstone"), term("SR-1866")
    ('tombstone', 'SR-1866')
    """
    return names()["terms"].get(word, word)
