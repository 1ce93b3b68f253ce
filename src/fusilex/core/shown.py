"""Text from anywhere as it may go out: nothing in it moves a cursor, turns letters round, or cannot be seen."""

from __future__ import annotations

import re

_SPACES = re.compile(r"[\t\v\f\x1c-\x1f\x85\u2028\u2029]")
_ENDS = re.compile(r"\r\n|\r|\n")
_HIDDEN = re.compile(
    r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\u00ad\u061c\u180e\u200b\u200e\u200f\u2028-\u202e\u2060-\u206f\ufeff"
    r"\ufff9-\ufffb\ud800-\udfff\U000e0000-\U000e0fff]"
)
"""Control characters, marks of direction, what has no width, and halves of letters."""


def shown(text: str, lines: bool = False) -> str:
    """The text with a mark in the place of each letter that does not show; on one line unless `lines` are kept.

    >>> shown("R1\\x1b[2J\\u202egnp\\n2")
    'R1�[2J�gnp 2'
    """
    return text if text.isprintable() else seen(_ENDS.sub("\n" if lines else " ", _SPACES.sub(" ", text)))


def seen(text: str) -> str:
    """The same with its tabs and ends of lines as they are: a file's text before it is taken apart."""
    return text if text.isprintable() else _HIDDEN.sub("�", text)


def is_shown(text: str) -> bool:
    """True for a text of one line in which every letter shows."""
    return shown(text) == text


def json_shown(text: str) -> str:
    """JSON that says the same with such letters as escapes.

    >>> json_shown('{"a": "\\u202e"}')
    '{"a": "\\\\u202e"}'
    """
    return _HIDDEN.sub(_escaped, text)


def _escaped(found: re.Match[str]) -> str:
    units = found[0].encode("utf-16-be", "surrogatepass")
    return "".join(f"\\u{units[n] << 8 | units[n + 1]:04x}" for n in range(0, len(units), 2))
