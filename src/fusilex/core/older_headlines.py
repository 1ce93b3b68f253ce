"""Overrulings of older journals hold the sentence that was set aside, and no numbers of its own."""

from __future__ import annotations

import re
from typing import Any

from fusilex.core.judgement import Judgement
from fusilex.core.quantities import METRIC
from fusilex.core.wording import Said

_MORE = re.compile(r"\band (\d+) more\b(?! \w+s\b)")
_TOKEN = re.compile(r"(?<![\w.])(?:[A-Z]{1,4}\d{1,5}|\d+(?:\.\d+)?)(?![\w])")


def meant(sentence: str, judgement: Judgement) -> bool:
    """True where an older sentence says what a judgement of its rule, subject and level says now, however it is worded:
    every number and part that it names is still there, and no part that the judgement names now is missing from it.

    >>> from fusilex.core.evidence import Level
    >>> from fusilex.core.wording import say
    >>> now = Judgement("kit.short", Level.STOP, "100 nF 0402", say("short", short=4, name="100 nF 0402"))
    >>> meant("4 short of 100 nF 0402", now), meant("9 short of 100 nF 0402", now)
    (True, False)
    """
    then, here = _names(sentence), _names(judgement.words(METRIC))
    known = here | _names(" ".join(_facts(judgement)))
    more, named = _MORE.search(sentence), then & set(judgement.refs)
    if more and named:  # "U1, C5 and 23 more": as many parts as now, those that it names among them
        return len(named) + int(more[1]) == len(judgement.refs)
    shown = {t for t in here if not t[0].isdigit()}
    return then <= known and shown <= then | _names(judgement.subject)


def _facts(judgement: Judgement) -> list[str]:
    """All that a judgement holds, as it is written in metric units, with what older sentences rounded."""
    found = [judgement.subject, *judgement.refs, *_in(judgement.says)]
    for q in judgement.quantities:
        found += [q.amount(METRIC)] if isinstance(q.value, str) else _rounded(float(q.value))
    return found


def _in(said: Said) -> list[str]:
    found = []
    for _, value in said.slots:
        if isinstance(value, Said):
            found += _in(value)
        elif isinstance(value, tuple | list):
            found += _in(Said("", tuple(("", v) for v in value if isinstance(v, Said))))
            found += [str(v) for v in value if not isinstance(v, Said)]
            found += _rounded(float(max(0, len(value) - 1))) + _rounded(float(len(value)))
        elif isinstance(value, str):
            found.append(value)
        else:
            number: Any = getattr(value, "value", value)
            found += [number] if isinstance(number, str) else _rounded(float(number))
    return found


def _rounded(value: float) -> list[str]:
    return [f"{value:.{n}f}" for n in range(4)] + [f"{value:g}", f"{value / 24:.0f}"]


def _names(text: str) -> set[str]:
    return set(_TOKEN.findall(text))
