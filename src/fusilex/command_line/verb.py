"""What a verb is."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from msgspec import Struct

if TYPE_CHECKING:
    from fusilex.bench.verbs.answer import Answer

WINDOW_NAMES = ("lead-free", "leaded", "bismuth")
Answers = Callable[[argparse.Namespace], "Answer"]


class Word(Struct, frozen=True):
    """One argument of a verb, as `argparse` takes it."""

    names: tuple[str, ...]
    how: dict[str, Any]


class Verb(Struct, frozen=True):
    """A verb with its help, its arguments and what answers it."""

    name: str
    text: str
    words: tuple[Word, ...]
    answer: Answers


def word(*names: str, **how: Any) -> Word:
    """An argument: ``word("--foil", type=float, metavar="MM")``."""
    return Word(names, how)


def verb(name: str, text: str, *words: Word) -> Callable[[Answers], Verb]:
    """What comes below answers the verb of that name."""
    return lambda answer: Verb(name, text, words, answer)


FOLDER = word("folder")
SIDE = word("--side", choices=("top", "bottom"), default="top")
SEED = word("--seed", type=int, default=0, metavar="K")
FOIL = word("--foil", type=float, required=True, metavar="MM")
PASTE = word("--paste", default="lead-free", metavar="ID")
MACHINE = word("--machine", required=True, metavar="MACHINE.json")
